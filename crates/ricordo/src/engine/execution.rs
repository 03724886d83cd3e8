//! Carrying actions out.

use super::counterparts::Setting;
use super::rule_target::RowsNamed;
use super::transaction::Performed;
use super::{Action, ActionSummary, Address, Engine};
use std::sync::Arc;

use crate::schema::{Choices, Error, ErrorKind, Kind, Named, PartId, Pointer, nearest};
use crate::tree::{Focus, PlaceId, Shape};
use crate::value::Value;

/// The row that an action made, if it made one.
type Made = Option<PlaceId>;

impl Engine {
    /// Carries out an action that stands alone: a row that was prepared for it is put in.
    pub(super) fn perform_first(&mut self, action: Action) -> Result<Performed, Error> {
        if !matches!(action, Action::Group(_)) {
            self.prepared.choose(0);
        }
        self.perform(action)
    }

    /// Carries an action out, up to settling. After a refusal, what was begun is still to be reverted.
    fn perform(&mut self, action: Action) -> Result<Performed, Error> {
        let setting = self.setting(&action);
        let performed = match action {
            // The most frequent of all: what was typed is not copied for the summary, but moved.
            Action::Enter { at, text } => {
                let place = self.enter(&at, &text)?;
                let summary = ActionSummary::entered(at, text, self.tree.part(place).secret);
                Performed { typing: Some(place), summary, ..Performed::default() }
            }
            Action::Leave { at, by } => {
                let summary = ActionSummary::of(&Action::Leave { at: at.clone(), by }, self);
                let place = self.present(&at)?;
                Performed {
                    typing: self.leave(place, by),
                    ends_typing: true,
                    summary,
                    ..Performed::default()
                }
            }
            Action::Group(actions) => self.perform_group(actions)?,
            action => {
                let summary = ActionSummary::of(&action, self);
                Performed { made: self.carry_out(action)?, summary, ..Performed::default() }
            }
        };
        self.hand_over(setting);
        self.settle_what_is_new()?;
        if let (Setting::Copy(from), Some(made)) = (setting, performed.made) {
            self.lead_like(from, made);
        }
        Ok(performed)
    }

    fn perform_group(&mut self, actions: Vec<Action>) -> Result<Performed, Error> {
        let mut group = Performed { summary: ActionSummary::transaction(), ..Performed::default() };
        let prepared = self.prepared.take();
        for (at, action) in actions.into_iter().enumerate() {
            self.settle_before(&action)?;
            self.prepared.choose_of(&prepared, at);
            let Performed { made, summary, ends_typing, .. } = self.perform(action)?;
            group.made = made.or(group.made);
            group.ends_typing |= ends_typing;
            group.summary.add(summary);
        }
        Ok(group)
    }

    fn carry_out(&mut self, action: Action) -> Result<Made, Error> {
        match action {
            Action::Focus { at, by } => {
                let place = self.present(&at)?;
                self.tree.set_focus(Some(Focus { place, by }));
            }
            Action::Clear { at } => {
                let place = self.present(&at)?;
                self.writable(place)?;
                self.clear(place);
            }
            Action::Replace { at, value } => {
                let place = self.present(&at)?;
                self.not_calculated(place)?;
                self.replace(place, value)?;
            }
            Action::Insert { list, position, value } => {
                let list = self.present(&list)?;
                return self.insert(list, position, value).map(Some);
            }
            Action::MoveRow { row, to } => {
                let row = self.present(&row)?;
                self.move_row(row, to)?;
            }
            Action::Duplicate { row } => {
                let row = self.present(&row)?;
                let Some((list, position)) = self.row_at(row) else {
                    return self.not_possible(row, "is not a row of a list, so it cannot be duplicated");
                };
                let value = self.tree.value(row);
                return self.insert(list, Some(position as usize + 1), Some(value)).map(Some);
            }
            Action::Swap { row, with } => {
                let (row, with) = (self.present(&row)?, self.present(&with)?);
                self.swap(row, with)?;
            }
            Action::Add { at, value } => return self.add(&at, value),
            Action::Remove { at } => {
                let place = self.present(&at)?;
                self.not_calculated(place)?;
                let view = self.view(place);
                let row = view.position().zip(view.parent()).map(|(position, list)| (list.id(), position));
                self.remove(place)?;
                self.focus_hint.note_removed_row(row);
            }
            Action::Move { from, to } => return self.move_to(&from, &to),
            Action::Copy { from, to } => {
                let value = self.tree.value(self.present(&from)?);
                return self.add(&to, Some(value));
            }
            Action::Test { at, value } => {
                let place = self.present(&at)?;
                if !self.holds(place, &value) {
                    let value = self.schema().masked(&[self.tree.part_id(place)], &value);
                    let held = self.view(place).masked_value();
                    let pointer = self.tree.pointer(place);
                    let message = format!("{} holds {held}, not {value}", Named(&pointer));
                    return Err(Error::new(ErrorKind::TestFailed, pointer, message));
                }
            }
            Action::Reset { at } => {
                let place = self.present(&at)?;
                self.tree.reset(place);
            }
            Action::ResetTo { value } => {
                let value = self.fitted(self.tree.root(), value)?;
                self.tree.reset_to(value);
                self.settle_baseline()?;
            }
            Action::Resolve { at, removed_row, is_alone, side } => {
                self.resolve(&at, removed_row, is_alone, side)?;
            }
            Action::Release { at } => {
                let place = self.present(&at)?;
                self.writable(place)?;
                self.release(place)?;
            }
            Action::Choices { at, choices } => self.offer(&at, choices)?,
            Action::Suppress { id, is_suppressed } => self.suppress(&id, is_suppressed)?,
            Action::Event { at, .. } => {
                at.map(|at| self.present(&at)).transpose()?;
            }
            Action::Undo
            | Action::Redo
            | Action::Wait { .. }
            | Action::Now { .. }
            | Action::Submit(_)
            | Action::Accept { .. }
            | Action::Rebase { .. }
            | Action::Reject { .. }
            | Action::Abandon
            | Action::Answer { .. } => {
                let message = "undo, redo, wait, now, submit, answers and rebase are transactions of their own, and cannot be part of \
                               another"
                    .to_owned();
                return Err(Error::new(ErrorKind::NotPossible, Pointer::root(), message));
            }
            // These are performed above.
            Action::Enter { .. } | Action::Leave { .. } | Action::Group(_) => {}
        }
        Ok(None)
    }

    /// The place at an address, which must be in the form now.
    pub(super) fn present(&self, address: &Address) -> Result<PlaceId, Error> {
        let place = self.locate(address)?;
        if self.tree.part(place).is_variant {
            let problem = "has variants, and an action cannot address one of them: address the record, or a field of the variant";
            return self.not_possible(place, problem);
        }
        // A pointer or a route from the form leads to a place that exists; a remembered place may be gone.
        if let Address::Route(Some(_), _) = address
            && !self.tree.is_there(place)
        {
            let pointer = self.tree.pointer(place);
            let message = format!("the place is gone: it was removed from {}", Named(&pointer));
            return Err(Error::new(ErrorKind::Gone, pointer, message));
        }
        Ok(place)
    }

    pub(super) fn not_possible<T>(&self, place: PlaceId, problem: &str) -> Result<T, Error> {
        let pointer = self.tree.pointer(place);
        let message = format!("{} {problem}", Named(&pointer));
        Err(Error::new(ErrorKind::NotPossible, pointer, message))
    }

    /// Refuses what the user does to a place that is not a person's to change.
    pub(super) fn writable(&self, place: PlaceId) -> Result<(), Error> {
        if !self.tree.is_readonly(place) {
            return Ok(());
        }
        self.not_calculated(place)?;
        let pointer = self.tree.pointer(place);
        let message =
            format!("{} is read-only: a program may set it, but nobody can type into it", Named(&pointer));
        Err(Error::new(ErrorKind::Readonly, pointer, message))
    }

    /// Sets the choices of a field, or of all such fields.
    fn offer(&mut self, at: &Address, choices: Option<Choices>) -> Result<(), Error> {
        let rows = match at {
            Address::Pointer(pointer) => self.rows_named(pointer),
            Address::Route(..) => RowsNamed::default(),
        };
        let (true, Address::Pointer(pointer)) = (rows.all, at) else {
            let place = self.present(at)?;
            let part = self.tree.part_id(place);
            let choices =
                choices.map(|choices| self.fitted_choices(part, &self.tree.pointer(place), &choices));
            self.tree.set_choices(place, choices.transpose()?);
            return Ok(());
        };
        let meant = self.meant_by(pointer)?;
        if rows.single {
            let message = format!("{pointer} names one row and all of another list; write “-” for both");
            return Err(Error::new(ErrorKind::NotFound, pointer.clone(), message));
        }
        let fitted = meant.into_iter().map(|(part, pattern)| {
            let fitted = choices.as_ref().map(|choices| self.fitted_choices(part, pointer, choices));
            fitted.transpose().map(|choices| (part, pattern, choices))
        });
        for (part, pattern, choices) in fitted.collect::<Result<Vec<_>, _>>()? {
            self.tree.set_part_choices(part, pattern, choices);
        }
        Ok(())
    }

    /// Suppresses what is called so, or ends that.
    fn suppress(&mut self, id: &str, is_suppressed: bool) -> Result<(), Error> {
        let known: Vec<Arc<str>> = self.tree.constraint_ids().cloned().collect();
        if !known.iter().any(|known| **known == *id) {
            let message = format!("there is no constraint “{id}”");
            let near = nearest(id, known.iter().map(|known| &**known));
            let error = Error::new(ErrorKind::NotFound, Pointer::root(), message);
            return Err(error.with_nearest_name(near));
        }
        self.tree.set_suppressed(id, is_suppressed);
        Ok(())
    }

    /// The choices with values as fields of the part hold them.
    fn fitted_choices(&self, part: PartId, pointer: &Pointer, choices: &Choices) -> Result<Choices, Error> {
        if !self.schema().part(part).is_field() {
            let message = format!("{} is not a field, so nothing can be chosen for it", Named(pointer));
            return Err(Error::new(ErrorKind::NotPossible, pointer.clone(), message));
        }
        self.schema().fit_choices(part, choices).map_err(|error| error.within(pointer))
    }

    fn clear(&mut self, place: PlaceId) {
        // A person who empties what it lies in leaves alone what is not for a person to change.
        if self.tree.is_readonly_itself(place) {
            return;
        }
        let part = self.tree.part(place);
        match self.tree.shape(place) {
            Shape::Field => {
                let value = self.tree.emptiness(place);
                self.tree.write(place, value, None, false);
            }
            // A variant that is gone with its tag has nothing left to clear.
            Shape::Record if part.is_variant && !self.tree.is_present(place) => {}
            Shape::Record if part.is_variant || !part.nullable => {
                let children: Vec<PlaceId> = self.tree.children(place).collect();
                children.into_iter().for_each(|child| self.clear(child));
            }
            Shape::Record | Shape::List => {
                let value = self.tree.emptiness(place);
                self.tree.assign(place, value);
            }
        }
    }

    pub(super) fn fitted(&self, place: PlaceId, value: Value) -> Result<Value, Error> {
        let fitted = self.schema().fit_below(self.tree.part_id(place), value, self.tree.depth(place));
        fitted.map_err(|error| error.within(&self.tree.pointer(place)))
    }

    fn replace(&mut self, place: PlaceId, value: Value) -> Result<(), Error> {
        let value = self.fitted(place, value)?;
        self.tree.assign(place, value);
        Ok(())
    }

    /// The value of a new row of a list.
    pub(super) fn fitted_row(
        &self,
        list: PlaceId,
        item: PartId,
        value: Option<Value>,
        position: &str,
    ) -> Result<Value, Error> {
        let value = value.unwrap_or_else(|| self.schema().blank(item));
        let fitted = self.schema().fit_below(item, value, self.tree.depth(list) + 1);
        let value = fitted.map_err(|error| error.within(&self.tree.pointer(list).join(position)))?;
        Ok(self.schema().as_row(item, value))
    }

    fn insert(
        &mut self,
        list: PlaceId,
        position: Option<usize>,
        value: Option<Value>,
    ) -> Result<PlaceId, Error> {
        let (Kind::List(kind), Some(body)) = (&self.tree.part(list).kind, self.tree.list(list)) else {
            return self.not_possible(list, "is not a list, so no row can be added to it");
        };
        let rows = body.sequence.len();
        let position = position.unwrap_or(rows as usize);
        let Some(at) = u32::try_from(position).ok().filter(|at| *at <= rows) else {
            let counted = if rows == 1 { "1 row".to_owned() } else { format!("{rows} rows") };
            return self.not_possible(
                list,
                &format!("has {counted}, so a row can be inserted at 0 to {rows}, not at {position}"),
            );
        };
        let item = self.schema().item(*kind);
        let value = self.fitted_row(list, item, value, &position.to_string())?;
        if !self.tree.is_present(list) {
            self.tree.assign(list, Value::List(Vec::new()));
        }
        match self.put_new_row(list, at, value) {
            Some(row) => Ok(row),
            None => self.not_possible(list, "is not a list, so no row can be added to it"),
        }
    }

    fn move_row(&mut self, row: PlaceId, to: usize) -> Result<(), Error> {
        let list = self.tree.parent(row).filter(|parent| self.tree.list(*parent).is_some());
        let Some((list, body)) = list.and_then(|list| Some((list, self.tree.list(list)?))) else {
            return self.not_possible(row, "is not a row of a list, so it cannot be moved");
        };
        let last = body.sequence.len().saturating_sub(1);
        let Some(to) = u32::try_from(to).ok().filter(|to| *to <= last) else {
            return self
                .not_possible(list, &format!("has its last row at {last}, so none can be moved to {to}"));
        };
        let key = self.tree.slot(row);
        self.tree.move_row(list, key, to);
        Ok(())
    }

    /// The list of a row, and where the row stands in it.
    fn row_at(&self, row: PlaceId) -> Option<(PlaceId, u32)> {
        let list = self.tree.parent(row)?;
        let position = self.tree.list(list)?.sequence.position(self.tree.slot(row))?;
        Some((list, position))
    }

    fn swap(&mut self, row: PlaceId, with: PlaceId) -> Result<(), Error> {
        if row == with {
            return Ok(());
        }
        let (Some((list, _)), Some((other, _))) = (self.row_at(row), self.row_at(with)) else {
            return self.not_possible(row, "can only be swapped with another row");
        };
        if list != other {
            return self.not_possible(row, "can only be swapped with a row of the same list");
        }
        self.tree.swap_rows(list, self.tree.slot(row), self.tree.slot(with));
        Ok(())
    }

    /// Puts a value at a pointer as JSON Patch has it.
    fn add(&mut self, at: &Pointer, value: Option<Value>) -> Result<Made, Error> {
        if let Some((list, last)) = at.split_last()
            && let Ok(list) = self.tree.locate(&list)
            && self.tree.list(list).is_some()
        {
            let position = if last == "-" { None } else { Some(self.row_number(list, &last)?) };
            return self.insert(list, position, value).map(Some);
        }
        let place = self.tree.locate(at)?;
        self.not_calculated(place)?;
        let value = value.unwrap_or_else(|| self.schema().opened(self.tree.part_id(place)));
        self.replace(place, value)?;
        Ok(None)
    }

    fn row_number(&self, list: PlaceId, token: &str) -> Result<usize, Error> {
        match token.parse() {
            Ok(number) if token == "0" || !token.starts_with(['0', '+']) => Ok(number),
            _ => self.not_possible(
                list,
                &format!("is a list: “{token}” is not a row number; write a number, or “-” for the end"),
            ),
        }
    }

    fn remove(&mut self, place: PlaceId) -> Result<(), Error> {
        let parent = self.tree.parent(place);
        if let Some(list) = parent.filter(|parent| self.tree.list(*parent).is_some()) {
            let key = self.tree.slot(place);
            self.tree.remove_row(list, key);
            return Ok(());
        }
        let part = self.tree.part(place);
        if parent.is_none() {
            return self.not_possible(place, "itself cannot be removed");
        }
        if !part.is_field() && !part.nullable {
            let problem = format!("is {} that is always there; it can be cleared", part.kind.expectation());
            return self.not_possible(place, &problem);
        }
        if self.tree.value(place) == Value::Blank {
            return self.not_possible(place, "is blank, so there is nothing to remove");
        }
        self.tree.assign(place, Value::Blank);
        Ok(())
    }

    fn move_to(&mut self, from: &Address, to: &Pointer) -> Result<Made, Error> {
        let place = self.present(from)?;
        let pointer = self.tree.pointer(place);
        if pointer == *to {
            return Ok(None);
        }
        if pointer.contains(to) {
            return self.not_possible(place, "cannot be moved into itself");
        }
        let list = self.tree.parent(place).filter(|parent| self.tree.list(*parent).is_some());
        if let (Some(list), Some((target, last))) = (list, to.split_last())
            && self.tree.locate(&target) == Ok(list)
        {
            let end = self.tree.list(list).map_or(0, |body| body.sequence.len().saturating_sub(1));
            let position = if last == "-" { end as usize } else { self.row_number(list, &last)? };
            self.move_row(place, position)?;
            return Ok(None);
        }
        self.not_calculated(place)?;
        let value = self.tree.value(place);
        self.remove(place)?;
        self.add(to, Some(value))
    }
}
