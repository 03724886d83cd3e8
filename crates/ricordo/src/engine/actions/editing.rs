//! Edits: what each is made of, and how it is performed.

use std::mem::take;
use std::sync::Arc;

use super::action::{Content, Edit, EditKind, More, Needs, Performed, Sets};
use super::addresses::RowsNamed;
use super::counterparts::Setting;
use crate::engine::state::{ActionSummary, Address, Engine, Op};
use crate::schema::{Choices, Error, ErrorKind, Kind, Named, PartId, Pointer, nearest};
use crate::tree::{BindingId, Focus, PlaceId, Shape};
use crate::value::Value;

/// The row that an edit made, if it made one.
type Made = Option<PlaceId>;

impl Edit {
    /// A widget gets the focus.
    pub fn focus(at: Address) -> Self {
        static FOCUS: EditKind =
            EditKind { op: Op::Focus, perform: focus, needs: Needs::Nothing, sets: Sets::Nothing };
        Edit { kind: &FOCUS, content: Content::at(at) }
    }

    /// Text is entered in a widget: the whole text of the field.
    pub fn enter(at: Address, text: impl Into<String>) -> Self {
        static ENTER: EditKind =
            EditKind { op: Op::Enter, perform: enter, needs: Needs::WhatGuardsInput, sets: Sets::Nothing };
        Edit { kind: &ENTER, content: Content::at(at).with(More::Text(text.into())) }
    }

    /// A widget loses the focus. Only this touches a place.
    pub fn leave(at: Address) -> Self {
        static LEAVE: EditKind =
            EditKind { op: Op::Leave, perform: leave, needs: Needs::WhatGuardsInput, sets: Sets::Nothing };
        Edit { kind: &LEAVE, content: Content::at(at) }
    }

    /// Says which binding's widget gets or loses the focus. If another binding of the place has it, that keeps it.
    #[must_use]
    pub fn by(self, binding: BindingId) -> Self {
        Edit { content: self.content.with(More::Binding(binding)), ..self }
    }

    /// A place is cleared: a field of its value, a list of its rows, a record of everything in it.
    pub fn clear(at: Address) -> Self {
        static CLEAR: EditKind =
            EditKind { op: Op::Clear, perform: clear, needs: Needs::WhatGuardsInput, sets: Sets::Place };
        Edit { kind: &CLEAR, content: Content::at(at) }
    }

    /// An override is given up: a suggested field takes the suggestion again, a leading counterpart lets the other lead.
    pub fn release(at: Address) -> Self {
        static RELEASE: EditKind = EditKind {
            op: Op::Release,
            perform: release,
            needs: Needs::WhatGuardsInput,
            sets: Sets::Nothing,
        };
        Edit { kind: &RELEASE, content: Content::at(at) }
    }

    /// A place is set to a value; a record, to one with all its members.
    pub fn replace(at: Address, value: Value) -> Self {
        static REPLACE: EditKind = EditKind {
            op: Op::Replace,
            perform: replace,
            needs: Needs::EverythingButForFields,
            sets: Sets::Place,
        };
        Edit { kind: &REPLACE, content: Content::at(at).with_value(Some(value)) }
    }

    /// A row is inserted in a list, at a position or, without one, at the end. Without a value it has the defaults of a new row.
    pub fn insert(list: Address, position: Option<usize>, value: Option<Value>) -> Self {
        static INSERT: EditKind =
            EditKind { op: Op::Insert, perform: insert, needs: Needs::Everything, sets: Sets::Nothing };
        let more = position.map_or(More::Nothing, More::Position);
        Edit { kind: &INSERT, content: Content::at(list).with_value(value).with(more) }
    }

    /// A row is moved within its list, to a position that is counted without the row.
    pub fn move_row(row: Address, to: usize) -> Self {
        static MOVE_ROW: EditKind =
            EditKind { op: Op::MoveRow, perform: move_row, needs: Needs::Nothing, sets: Sets::Nothing };
        Edit { kind: &MOVE_ROW, content: Content::at(row).with(More::Position(to)) }
    }

    /// A new row with the same value is inserted after a row.
    pub fn duplicate(row: Address) -> Self {
        static DUPLICATE: EditKind = EditKind {
            op: Op::Duplicate,
            perform: duplicate,
            needs: Needs::Everything,
            sets: Sets::RowLikeIt,
        };
        Edit { kind: &DUPLICATE, content: Content::at(row) }
    }

    /// Two rows of a list change places.
    pub fn swap(row: Address, with: Address) -> Self {
        static SWAP: EditKind =
            EditKind { op: Op::Swap, perform: swap, needs: Needs::Nothing, sets: Sets::Nothing };
        Edit { kind: &SWAP, content: Content::at(row).with(More::Place(Box::new(with))) }
    }

    /// A row is inserted at a pointer that ends in a row number or `-`; another place is set. Without a value, a row or an optional
    /// record has its defaults.
    pub fn add(at: Pointer, value: Option<Value>) -> Self {
        static ADD: EditKind =
            EditKind { op: Op::Add, perform: add, needs: Needs::EverythingButForFields, sets: Sets::Added };
        Edit { kind: &ADD, content: Content::at(at.into()).with_value(value) }
    }

    /// A row is removed; a field is made blank.
    pub fn remove(at: Address) -> Self {
        static REMOVE: EditKind =
            EditKind { op: Op::Remove, perform: remove, needs: Needs::Everything, sets: Sets::Removed };
        Edit { kind: &REMOVE, content: Content::at(at) }
    }

    /// Removes the value at one place and adds it at another, as [`Edit::add`] does. A row that is moved within its list keeps its
    /// identity, and with it all that was typed, touched and wrong in it.
    pub fn move_to(from: Address, to: Pointer) -> Self {
        static MOVE: EditKind =
            EditKind { op: Op::Move, perform: move_to, needs: Needs::Everything, sets: Sets::Moved };
        Edit { kind: &MOVE, content: Content::at(from).with(More::Place(Box::new(to.into()))) }
    }

    /// Adds the value at one place at another, as [`Edit::add`] does.
    pub fn copy(from: Address, to: Pointer) -> Self {
        static COPY: EditKind =
            EditKind { op: Op::Copy, perform: copy, needs: Needs::Everything, sets: Sets::Copied };
        Edit { kind: &COPY, content: Content::at(from).with(More::Place(Box::new(to.into()))) }
    }

    /// Nothing is changed, but the edit is refused if the place does not hold this value. Null and blank count as the same.
    pub fn test(at: Address, value: Value) -> Self {
        static TEST: EditKind =
            EditKind { op: Op::Test, perform: test, needs: Needs::Everything, sets: Sets::Nothing };
        Edit { kind: &TEST, content: Content::at(at).with_value(Some(value)) }
    }

    /// A place returns to its baseline, with everything in it.
    pub fn reset(at: Address) -> Self {
        static RESET: EditKind =
            EditKind { op: Op::Reset, perform: reset, needs: Needs::Everything, sets: Sets::Reset };
        Edit { kind: &RESET, content: Content::at(at) }
    }

    /// The form starts again from another value with all its members, which is also its baseline. Nothing done before can be undone.
    pub fn reset_to(value: Value) -> Self {
        static RESET_TO: EditKind =
            EditKind { op: Op::ResetTo, perform: reset_to, needs: Needs::Nothing, sets: Sets::Nothing };
        Edit { kind: &RESET_TO, content: Content::of_value(value) }
    }

    /// A field gets choices at run time or, without any, those of the schema again. An address with `-` for every row number means
    /// all such fields, also of rows to come. A value that is not among them stays, with the finding `not_listed`. Undo does not
    /// revert this.
    pub fn choices(at: Address, choices: Option<Choices>) -> Self {
        static CHOICES: EditKind =
            EditKind { op: Op::Choices, perform: offer, needs: Needs::Nothing, sets: Sets::Nothing };
        Edit { kind: &CHOICES, content: Content::at(at).with(choices.map_or(More::Nothing, More::Choices)) }
    }

    /// A component emits an event for its parent, from its place if it has one. The form does not change; the edit is there to be
    /// recorded, and to be the cause of what the parent does.
    pub fn event(at: Option<Address>, name: &str, value: Value) -> Self {
        static EVENT: EditKind =
            EditKind { op: Op::Event, perform: event, needs: Needs::Nothing, sets: Sets::Nothing };
        Edit { kind: &EVENT, content: Content { at, value: Some(value), more: More::Name(name.into()) } }
    }

    /// The constraint or deferred check of this id is suppressed in this form: what it finds is neither shown nor an obstacle. Undo
    /// does not revert this.
    pub fn suppress(id: &str) -> Self {
        static SUPPRESS: EditKind = EditKind {
            op: Op::Suppress,
            perform: |engine, content| suppress(engine, content, true),
            needs: Needs::Nothing,
            sets: Sets::Nothing,
        };
        Edit { kind: &SUPPRESS, content: Content::of(More::Name(id.into())) }
    }

    /// The constraint or deferred check of this id is no longer [suppressed](Edit::suppress).
    pub fn unsuppress(id: &str) -> Self {
        static UNSUPPRESS: EditKind = EditKind {
            op: Op::Unsuppress,
            perform: |engine, content| suppress(engine, content, false),
            needs: Needs::Nothing,
            sets: Sets::Nothing,
        };
        Edit { kind: &UNSUPPRESS, content: Content::of(More::Name(id.into())) }
    }

    /// Several edits as one transaction.
    pub fn group(edits: Vec<Edit>) -> Self {
        static GROUP: EditKind =
            EditKind { op: Op::Group, perform: group, needs: Needs::Everything, sets: Sets::Nothing };
        Edit { kind: &GROUP, content: Content::of(More::Edits(edits)) }
    }
}

fn focus(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    engine.tree.set_focus(Some(Focus { place, by: content.binding() }));
    Ok(Performed::of(engine, Op::Focus, content))
}

fn enter(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    engine.enter(place, content.text())?;
    // The most frequent of all: what was typed is not copied for the summary, but moved.
    let is_secret = engine.tree.part(place).secret;
    let summary = ActionSummary::entered(content, is_secret);
    Ok(Performed { typing: Some(place), summary, ..Performed::default() })
}

fn leave(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    let performed = Performed::of(engine, Op::Leave, content);
    Ok(Performed { typing: engine.leave(place, content.binding()), ends_typing: true, ..performed })
}

fn clear(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    engine.writable(place)?;
    engine.clear(place);
    Ok(Performed::of(engine, Op::Clear, content))
}

fn release(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    engine.writable(place)?;
    engine.release(place)?;
    Ok(Performed::of(engine, Op::Release, content))
}

fn replace(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    engine.not_calculated(place)?;
    let performed = Performed::of(engine, Op::Replace, content);
    engine.replace(place, content.value.take().unwrap_or_default())?;
    Ok(performed)
}

fn insert(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let list = engine.present_at(content)?;
    let performed = Performed::of(engine, Op::Insert, content);
    let position = content.position();
    let made = engine.insert(list, position, content.value.take())?;
    Ok(Performed { made: Some(made), ..performed })
}

fn move_row(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let row = engine.present_at(content)?;
    engine.move_row(row, content.position().unwrap_or_default())?;
    Ok(Performed::of(engine, Op::MoveRow, content))
}

fn duplicate(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let row = engine.present_at(content)?;
    let Some((list, position)) = engine.row_at(row) else {
        return engine.not_possible(row, "is not a row of a list, so it cannot be duplicated");
    };
    let value = engine.tree.value(row);
    let made = engine.insert(list, Some(position as usize + 1), Some(value))?;
    Ok(Performed { made: Some(made), ..Performed::of(engine, Op::Duplicate, content) })
}

fn swap(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let (row, with) = (engine.present_at(content)?, engine.present(content.other_place())?);
    engine.swap(row, with)?;
    Ok(Performed::of(engine, Op::Swap, content))
}

fn add(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let performed = Performed::of(engine, Op::Add, content);
    let value = content.value.take();
    Ok(Performed { made: engine.add(content.place(), value)?, ..performed })
}

fn remove(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    engine.not_calculated(place)?;
    let performed = Performed::of(engine, Op::Remove, content);
    let view = engine.view(place);
    let row = view.position().zip(view.parent()).map(|(position, list)| (list.id(), position));
    engine.remove(place)?;
    engine.focus_hint.note_removed_row(row);
    Ok(performed)
}

fn move_to(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let performed = Performed::of(engine, Op::Move, content);
    let place = engine.present_at(content)?;
    Ok(Performed { made: engine.move_to(place, content.other_place())?, ..performed })
}

fn copy(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let performed = Performed::of(engine, Op::Copy, content);
    let value = engine.tree.value(engine.present_at(content)?);
    Ok(Performed { made: engine.add(content.other_place(), Some(value))?, ..performed })
}

fn test(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    let performed = Performed::of(engine, Op::Test, content);
    let value = content.value.take().unwrap_or_default();
    if engine.holds(place, &value) {
        return Ok(performed);
    }
    let value = engine.schema().masked(&[engine.tree.part_id(place)], &value);
    let held = engine.view(place).masked_value();
    let pointer = engine.tree.pointer(place);
    let message = format!("{} holds {held}, not {value}", Named(&pointer));
    Err(Error::new(ErrorKind::TestFailed, pointer, message))
}

fn reset(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let place = engine.present_at(content)?;
    let performed = Performed::of(engine, Op::Reset, content);
    engine.tree.reset(place);
    Ok(performed)
}

fn reset_to(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let value = engine.fitted(engine.tree.root(), content.value.take().unwrap_or_default())?;
    engine.tree.reset_to(value);
    engine.settle_baseline()?;
    Ok(Performed::of(engine, Op::ResetTo, &Content::default()))
}

fn offer(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let performed = Performed::of(engine, Op::Choices, content);
    let choices = if let More::Choices(choices) = &content.more { Some(choices.clone()) } else { None };
    engine.offer(content.place(), choices)?;
    Ok(performed)
}

fn event(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    content.at.as_ref().map(|at| engine.present(at)).transpose()?;
    Ok(Performed::of(engine, Op::Event, content))
}

fn suppress(engine: &mut Engine, content: &mut Content, is_suppressed: bool) -> Result<Performed, Error> {
    engine.suppress(content.name(), is_suppressed)?;
    Ok(Performed::of(engine, if is_suppressed { Op::Suppress } else { Op::Unsuppress }, content))
}

fn group(engine: &mut Engine, content: &mut Content) -> Result<Performed, Error> {
    let mut group = Performed { summary: ActionSummary::transaction(), ..Performed::default() };
    let edits = if let More::Edits(edits) = &mut content.more { take(edits) } else { Vec::new() };
    let prepared = engine.prepared.take();
    for (at, edit) in edits.into_iter().enumerate() {
        engine.settle_before(&edit)?;
        engine.prepared.choose_of(&prepared, at);
        let Performed { made, summary, ends_typing, .. } = engine.perform(edit)?;
        group.made = made.or(group.made);
        group.ends_typing |= ends_typing;
        group.summary.add(summary);
    }
    Ok(group)
}

impl Content {
    fn binding(&self) -> Option<BindingId> {
        if let More::Binding(binding) = self.more { Some(binding) } else { None }
    }

    pub(crate) fn position(&self) -> Option<usize> {
        if let More::Position(position) = self.more { Some(position) } else { None }
    }

    pub(crate) fn name(&self) -> &str {
        if let More::Name(name) = &self.more { name } else { "" }
    }

    /// The place that the action is about; the form itself if none is named.
    pub(in crate::engine) fn place(&self) -> &Address {
        self.at.as_ref().unwrap_or(&Address::FORM)
    }

    /// The second place; the form itself if there is none.
    pub(crate) fn other_place(&self) -> &Address {
        if let More::Place(place) = &self.more { place } else { &Address::FORM }
    }
}

impl Performed {
    /// The result of an edit that is performed, with its summary.
    pub(in crate::engine) fn of(engine: &Engine, op: Op, content: &Content) -> Self {
        Performed { summary: ActionSummary::of(op, content, engine), ..Performed::default() }
    }
}

impl Engine {
    /// Performs an edit that stands alone: a row that was prepared for it is put in.
    pub(in crate::engine) fn perform_first(&mut self, edit: Edit) -> Result<Performed, Error> {
        if edit.op() != Op::Group {
            self.prepared.choose(0);
        }
        self.perform(edit)
    }

    /// Performs an edit, up to settling. After a refusal, what was begun is still to be reverted.
    fn perform(&mut self, mut edit: Edit) -> Result<Performed, Error> {
        let setting = self.setting(&edit);
        let performed = (edit.kind.perform)(self, &mut edit.content)?;
        self.hand_over(setting);
        self.settle_what_is_new()?;
        if let (Setting::Copy(from), Some(made)) = (setting, performed.made) {
            self.lead_like(from, made);
        }
        Ok(performed)
    }

    /// The pointer of an address, as `add` and `move` read it.
    fn pointer_of_address(&self, at: &Address) -> Result<Pointer, Error> {
        match at {
            Address::Pointer(pointer) => Ok(pointer.clone()),
            Address::Route(..) => Ok(self.tree.pointer(self.locate(at)?)),
        }
    }

    /// The place that an action is about, which must be in the form now.
    fn present_at(&self, content: &Content) -> Result<PlaceId, Error> {
        self.present(content.place())
    }

    /// The place at an address, which must be in the form now.
    pub(in crate::engine) fn present(&self, address: &Address) -> Result<PlaceId, Error> {
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

    pub(in crate::engine) fn not_possible<T>(&self, place: PlaceId, problem: &str) -> Result<T, Error> {
        let pointer = self.tree.pointer(place);
        let message = format!("{} {problem}", Named(&pointer));
        Err(Error::new(ErrorKind::NotPossible, pointer, message))
    }

    /// Refuses what the user does to a place that is not a person's to change.
    pub(in crate::engine) fn writable(&self, place: PlaceId) -> Result<(), Error> {
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

    pub(in crate::engine) fn fitted(&self, place: PlaceId, value: Value) -> Result<Value, Error> {
        let fitted = self.schema().fit_below(self.tree.part_id(place), value, self.tree.depth(place));
        fitted.map_err(|error| error.within(&self.tree.pointer(place)))
    }

    fn replace(&mut self, place: PlaceId, value: Value) -> Result<(), Error> {
        let value = self.fitted(place, value)?;
        self.tree.assign(place, value);
        Ok(())
    }

    /// The value of a new row of a list.
    pub(in crate::engine) fn fitted_row(
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
    fn add(&mut self, at: &Address, value: Option<Value>) -> Result<Made, Error> {
        let at = &self.pointer_of_address(at)?;
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

    fn move_to(&mut self, place: PlaceId, to: &Address) -> Result<Made, Error> {
        let pointer = self.tree.pointer(place);
        let target = self.pointer_of_address(to)?;
        if pointer == target {
            return Ok(None);
        }
        if pointer.contains(&target) {
            return self.not_possible(place, "cannot be moved into itself");
        }
        let list = self.tree.parent(place).filter(|parent| self.tree.list(*parent).is_some());
        if let (Some(list), Some((around, last))) = (list, target.split_last())
            && self.tree.locate(&around) == Ok(list)
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
