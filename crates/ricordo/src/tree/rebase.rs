//! Rebasing: another baseline is put under what the user has changed.
//!
//! A place that is as its baseline takes the new one. A changed place stays, and compares with the new
//! baseline.

use super::sequence::Key;
use super::state::{Presence, State};
use super::{Aspects, FieldRef, Marks, PlaceId, Rebased, Shape, Source, Tree, Unchecked};
use crate::schema::{Kind, RecordId};
use crate::value::{HashedMap, HashedSet, Record, Value};

/// A rebase that is under way.
#[derive(Default)]
struct Rebase {
    rebased: Rebased,
    /// The lists whose baselines may be others now.
    lists: HashedSet<PlaceId>,
    /// Whether all that is there was put there by a person, and both sides had nothing there before: it
    /// stays, whatever it compares with. Only blank places take the server's values.
    keeps_all: bool,
    /// Whether the form is only to be compared: nothing of the new baseline comes into its value.
    is_comparison: bool,
}

impl Tree {
    /// Puts another baseline under the form. The value must fit it. Calculated fields are still to be
    /// settled.
    pub(crate) fn rebase(&mut self, value: Value) -> Rebased {
        let mut rebase = Rebase::default();
        self.rebase_place(self.root(), value, &mut rebase);
        self.hash_baselines_of(rebase.lists);
        rebase.rebased
    }

    /// Lets the form compare with another value, which must fit it, and leaves its own as it is. Calculated
    /// fields are still to be settled.
    pub(crate) fn compare_with(&mut self, value: Value) {
        let mut rebase = Rebase { keeps_all: true, is_comparison: true, ..Rebase::default() };
        self.rebase_place(self.root(), value, &mut rebase);
        self.hash_baselines_of(rebase.lists);
        self.drop_conflicts_in(self.root());
    }

    /// Returns whether the user has changed something in a place. Computed values do not count.
    pub(crate) fn is_changed(&self, place: PlaceId) -> bool {
        self.is_changed_by(place, &mut |place, field| is_otherwise(field) && !self.is_computed_now(place))
    }

    /// The calculated fields that differ from the baseline, if nothing else does: then their values are what their baseline would be
    /// calculated as.
    pub(crate) fn only_calculated_changes(&self) -> Option<Vec<PlaceId>> {
        let mut calculated = Vec::new();
        let is_changed = self.marks(self.root()).has(Marks::DIFFERS_BESIDE)
            || self.is_changed_by(self.root(), &mut |place, field| {
                if self.is_calculated(place) {
                    calculated.push(place);
                    return false;
                }
                is_otherwise(field) || field.leads() != field.leads_at_baseline()
            });
        (!is_changed).then_some(calculated)
    }

    /// Returns whether rows or records have come, gone or moved in a place, or a field is one that counts.
    /// Only fields that may differ from the baseline are visited.
    fn is_changed_by(&self, place: PlaceId, counts: &mut impl FnMut(PlaceId, FieldRef<'_>) -> bool) -> bool {
        if !self.marks(place).has(Marks::CHANGED) {
            return false;
        }
        let is_otherwise_there = self.presence(place) != self.baseline_presence(place);
        match self.shape(place) {
            Shape::Field => self.field(place).is_some_and(|field| counts(place, field)),
            Shape::Record => {
                is_otherwise_there
                    || self.present_children(place).any(|child| self.is_changed_by(child, counts))
            }
            Shape::List => {
                let Some(list) = self.list(place) else { return false };
                let mut marked = list.marked.iter().map(|key| list.rows[*key as usize].place);
                is_otherwise_there || list.is_reordered() || marked.any(|row| self.is_changed_by(row, counts))
            }
        }
    }

    /// Returns whether the value of a field is computed now, and nobody's own.
    pub(super) fn is_computed_now(&self, place: PlaceId) -> bool {
        let may_be_computed =
            self.counterpart(place).is_some() || self.source(place) == Some(Source::Suggestion);
        self.is_calculated(place) || (may_be_computed && !self.is_leading(place))
    }

    fn rebase_place(&mut self, place: PlaceId, theirs: Value, rebase: &mut Rebase) {
        self.cost.places += 1;
        match (self.shape(place), &self.part(place).kind) {
            (Shape::Record, Kind::Record(of)) => self.rebase_record(place, *of, theirs, rebase),
            (Shape::List, _) => self.rebase_list(place, theirs, rebase),
            (Shape::Field | Shape::Record, _) => self.rebase_field(place, theirs, rebase),
        }
    }

    fn rebase_field(&mut self, place: PlaceId, theirs: Value, rebase: &Rebase) {
        let keeps_all = rebase.keeps_all;
        // Most fields are as they were, on both sides.
        if self.field(place).is_some_and(|field| field.is_pristine() && *field.value() == theirs)
            && self.base_of_conflict(place).is_none()
        {
            return;
        }
        // Calculated values settle then, in the baseline, too.
        let Some(field) = self.field(place).filter(|_| !self.is_calculated(place)) else { return };
        // Null and blank are the same for whoever has emptied the field.
        let is_same = !field.is_unreadable()
            && if rebase.is_comparison { *field.value() == theirs } else { field.value().matches(&theirs) };
        let was_put_in = keeps_all && (rebase.is_comparison || !field.value().is_empty());
        let is_mine = !is_same && (was_put_in || field.differs() || field.is_unreadable());
        let is_other = *field.value() != theirs;
        let mut leads = field.leads_at_baseline();
        // A value that both have put in anew was blank before.
        let is_theirs = || match self.base_of_conflict(place) {
            None if keeps_all => !Value::Blank.matches(&theirs),
            None | Some(_) => self.is_changed_by_others(place, &theirs),
        };
        // A computed value is in no conflict of its own.
        let are_both = is_mine && is_theirs() && !self.is_computed_now(place);
        self.note_both_changed(
            place,
            are_both,
            |tree| {
                if keeps_all { Value::Blank } else { tree.baseline(place) }
            },
        );
        let Some(field) = self.field(place) else { return };
        if is_mine || !is_other {
            return self.set_field_baseline(place, theirs, leads);
        }
        let mut new = field.copy();
        // A value that is not the one that was suggested is an override.
        if self.source(place) == Some(Source::Suggestion) {
            leads = true;
            new.state = new.state.with(State::LEADS, true);
        }
        (new.value, new.entry) = (theirs.clone(), None);
        self.set_field_baseline(place, theirs, leads);
        self.replace_field(place, new);
    }

    fn rebase_record(&mut self, place: PlaceId, of: RecordId, theirs: Value, rebase: &mut Rebase) {
        let new = Presence::of(self.part(place), &theirs);
        let (now, was) = (self.presence(place), self.baseline_presence(place));
        let is_there = |presence| presence == Presence::Present;
        match (is_there(was), is_there(new)) {
            (false, true) if !is_there(now) => {
                rebase.rebased.records.insert(place);
                self.changes.note_for(
                    &mut self.arena,
                    place,
                    Aspects::DIRTY | Aspects::BASELINE,
                    Unchecked::Nothing,
                );
                self.renew(place, theirs);
                if rebase.is_comparison {
                    self.set_presence(place, now);
                }
                return;
            }
            (false, true) => {
                rebase.rebased.records.insert(place);
                self.set_baseline_children(place, (now, new), self.first_child(place));
            }
            (true, true) => {
                let are_both = !is_there(now) && self.is_changed_by_others(place, &theirs);
                self.note_all_changed(place, are_both);
            }
            (true | false, false) => {
                let is_mine = is_there(now) && (now != was || self.is_changed(place) || rebase.keeps_all);
                let are_both = is_mine && self.is_changed_by_others(place, &theirs);
                self.note_all_changed(place, are_both);
                if !is_mine && is_there(now) {
                    self.restore_members(place);
                }
                let presence = if is_mine { now } else { new };
                return self.set_baseline_children(place, (presence, new), self.first_child(place));
            }
        }
        let members = if let Value::Record(members) = theirs { members } else { Record::new() };
        let kept_all = rebase.keeps_all;
        // A value that the server had emptied, and now has again, is the common base.
        rebase.keeps_all |= !is_there(was) && self.base_of_conflict(place).is_none();
        if !is_there(was) {
            self.set_conflict(place, None);
        }
        self.rebase_members(place, of, &members, rebase);
        rebase.keeps_all = kept_all;
    }

    fn rebase_members(&mut self, place: PlaceId, of: RecordId, members: &Record, rebase: &mut Rebase) {
        let schema = self.schema().clone();
        let children: Vec<PlaceId> = self.children(place).collect();
        let variants = children.get(schema.fields(of).len()..).unwrap_or_default();
        let tag = if variants.is_empty() { None } else { children.first().copied() };
        // Whoever has changed something in a variant keeps that variant.
        let keeps_variant = rebase.keeps_all
            || tag.is_some_and(|tag| self.field(tag).is_some_and(FieldRef::differs))
            || variants.iter().any(|variant| self.is_present(*variant) && self.is_changed(*variant));
        // Other fields, of another variant or of the same one.
        let are_others = keeps_variant
            && variants
                .iter()
                .zip(schema.in_variants(of, members))
                .any(|(variant, theirs)| !self.baseline(*variant).matches(&theirs));
        for (variant, theirs) in variants.iter().zip(schema.in_variants(of, members)) {
            self.rebase_variant(*variant, theirs, keeps_variant, rebase);
        }
        for (index, (child, (name, part))) in children.iter().zip(schema.fields(of)).enumerate() {
            if schema.part(part).local {
                continue;
            }
            let theirs = members.get_near(index, name).cloned().unwrap_or_default();
            if tag == Some(*child) && keeps_variant {
                let Some(field) = self.field(*child) else { continue };
                let (leads, is_other) = (field.leads_at_baseline(), *field.value() != theirs);
                self.note_both_changed(*child, are_others && is_other, |tree| tree.baseline(*child));
                self.set_field_baseline(*child, theirs, leads);
            } else {
                self.rebase_place(*child, theirs, rebase);
            }
        }
    }

    /// Rebases a variant, which is there afterwards if the tag says so.
    fn rebase_variant(&mut self, place: PlaceId, theirs: Value, keeps_variant: bool, rebase: &mut Rebase) {
        let (now, was) = (self.presence(place), self.baseline_presence(place));
        let Kind::Record(of) = self.part(place).kind else { return };
        match theirs {
            Value::Record(members) => {
                if now != Presence::Present && was != Presence::Present {
                    self.renew(place, Value::Record(members));
                } else {
                    let kept_all = rebase.keeps_all;
                    if was != Presence::Present {
                        // Both have chosen it, and had nothing in it before.
                        rebase.keeps_all = true;
                        self.set_baseline_children(place, (now, Presence::Present), self.first_child(place));
                    }
                    self.rebase_members(place, of, &members, rebase);
                    rebase.keeps_all = kept_all;
                }
                rebase.rebased.records.insert(place);
                self.set_presence(place, if keeps_variant { now } else { Presence::Present });
            }
            _ => {
                if was == Presence::Present {
                    self.set_baseline_children(place, (now, Presence::Blank), self.first_child(place));
                }
                if !keeps_variant && now == Presence::Present {
                    self.restore_members(place);
                    self.set_presence(place, Presence::Blank);
                }
            }
        }
    }

    fn rebase_list(&mut self, place: PlaceId, theirs: Value, rebase: &mut Rebase) {
        let new = Presence::of(self.part(place), &theirs);
        let (now, was) = (self.presence(place), self.baseline_presence(place));
        rebase.lists.insert(place);
        let is_kept = rebase.is_comparison || (rebase.keeps_all && now == Presence::Present);
        let is_mine = now != was || self.is_changed(place) || is_kept;
        let has_moved_rows =
            self.list(place).is_some_and(|list| list.displaced.iter().any(|key| list.sequence.holds(*key)));
        let before = self.keys_in_order(place);
        let baseline = self.list(place).map(|list| list.baseline.clone()).unwrap_or_default();
        let is_there = |presence| presence == Presence::Present;
        let is_gone = match (is_there(now), is_there(new)) {
            (false, true) => is_there(was) && self.is_changed_by_others(place, &theirs),
            (true, false) => is_mine && self.is_changed_by_others(place, &theirs),
            (true, true) | (false, false) => false,
        };
        let was_in_conflict = self.base_of_conflict(place).is_some();
        let rows = if let Value::List(rows) = theirs { rows } else { Vec::new() };
        let matched = self.matching_rows(place, &baseline, &rows, rebase.is_comparison);
        let is_reordered = {
            let stood = matched.iter().flatten().filter_map(|key| self.stood_at(place, *key));
            !stood.is_sorted()
        };
        let is_same_order = self.list(place).is_some_and(|list| {
            let stands = matched.iter().flatten().filter_map(|key| list.sequence.position(*key));
            stands.is_sorted()
        });
        let have_both_moved = has_moved_rows && !is_same_order && (is_reordered || was_in_conflict);
        if is_gone {
            self.note_all_changed(place, true);
        } else {
            self.note_both_changed(place, have_both_moved, |tree| tree.baseline(place));
        }
        let was_in_baseline: HashedSet<Key> = baseline.iter().copied().collect();
        let stays: HashedSet<Key> = matched.iter().flatten().copied().collect();
        for key in baseline.iter().filter(|key| !stays.contains(key)) {
            let Some(row) = self.list(place).map(|list| list.rows[*key as usize].place) else { return };
            let is_present = self.list(place).is_some_and(|list| list.sequence.holds(*key));
            let is_kept = rebase.keeps_all || self.is_changed(row);
            self.note_all_changed(row, is_present && self.is_changed(row));
            if is_present && !is_kept {
                self.remove_row(place, *key);
            }
            if !is_present {
                rebase.rebased.rows.push((place, *key));
            }
        }
        let mut order = Vec::with_capacity(rows.len());
        for (row, known) in rows.into_iter().zip(matched) {
            match known {
                Some(key) => {
                    let Some(list) = self.list(place) else { return };
                    let (at, is_present) = (list.rows[key as usize].place, list.sequence.holds(key));
                    self.rebase_row(at, is_present, row, rebase);
                    order.push(key);
                }
                None => {
                    let end = self.list(place).map_or(0, |list| list.sequence.len());
                    if let Some(made) = self.new_row(place, end, row) {
                        order.push(self.slot(made));
                        if rebase.is_comparison {
                            self.remove_row(place, self.slot(made));
                        }
                    }
                }
            }
        }
        if now != Presence::Present && (is_mine || new != Presence::Present) {
            // Whoever has removed the list has removed its rows.
            self.keys_in_order(place).into_iter().for_each(|key| self.remove_row(place, key));
        } else if !rebase.is_comparison {
            // Rows that both have added stand where the server has them.
            let in_both: HashedSet<Key> =
                order.iter().copied().filter(|key| !was_in_baseline.contains(key)).collect();
            let known: Vec<Key> = before.iter().copied().filter(|key| !in_both.contains(key)).collect();
            self.put_in_order(place, &known, &order, has_moved_rows || !is_reordered);
        }
        let is_absent = now != Presence::Present && new != Presence::Present;
        let presence = if is_mine && !is_absent { now } else { new };
        self.set_presence(place, presence);
        self.set_baseline_rows(place, new, order);
        if is_gone {
            // The list is one conflict, and its rows are none.
            self.drop_conflicts_inside(place);
        }
        rebase.rebased.forgets_steps |= self.keys_in_order(place) != before;
    }

    /// Rebases a row that both sides know, or that the user has removed.
    fn rebase_row(&mut self, row: PlaceId, is_present: bool, theirs: Value, rebase: &mut Rebase) {
        if is_present {
            let kept_all = rebase.keeps_all;
            // A row that the server removed and restored was in both records before.
            rebase.keeps_all |= self.row_marks(row).0 && self.base_of_conflict(row).is_none();
            self.set_conflict(row, None);
            self.rebase_place(row, theirs, rebase);
            rebase.keeps_all = kept_all;
            return;
        }
        let (base, is_theirs) = (self.baseline(row), self.is_changed_by_others(row, &theirs));
        let known = self.base_of_conflict(row).cloned();
        self.rebase_place(row, theirs, rebase);
        self.drop_conflicts_inside(row);
        self.note_both_changed(row, is_theirs, |_| known.unwrap_or(base));
    }

    /// Puts the rows of a list in the order of its baseline. Rows that it does not have stay behind those that they follow.
    pub(super) fn take_baseline_order(&mut self, list: PlaceId) {
        let before = self.keys_in_order(list);
        let baseline = self.list(list).map(|list| list.baseline.clone()).unwrap_or_default();
        self.put_in_order(list, &before, &baseline, false);
        self.find_displaced(list);
        self.set_conflict(list, None);
    }

    /// The keys of the rows of a list, in order.
    fn keys_in_order(&self, list: PlaceId) -> Vec<Key> {
        self.list(list).map(|list| list.sequence.keys().collect()).unwrap_or_default()
    }

    /// Puts the rows of a list in order after rows of the new baseline, which stand at the end, have come.
    fn put_in_order(&mut self, place: PlaceId, before: &[Key], baseline: &[Key], keeps_order: bool) {
        let Some(list) = self.list(place) else { return };
        let present: Vec<Key> = list.sequence.keys().collect();
        let was_there: HashedSet<Key> = before.iter().copied().collect();
        // The rows that say the order, and the others, each with the row that it follows.
        let (leading, order): (Vec<Key>, &[Key]) = if keeps_order {
            (present.iter().copied().filter(|key| was_there.contains(key)).collect(), baseline)
        } else {
            (baseline.iter().copied().filter(|key| list.sequence.holds(*key)).collect(), before)
        };
        let leads: HashedSet<Key> = leading.iter().copied().collect();
        // Rows added upstream stand before those that the user added at the same position.
        let mut ends: HashedMap<Option<Key>, Option<Key>> = HashedMap::default();
        let mut last = None;
        for key in leading.iter().copied() {
            if was_there.contains(&key) {
                last = Some(key);
            } else {
                ends.insert(last, Some(key));
            }
        }
        let mut behind: HashedMap<Option<Key>, Vec<Key>> = HashedMap::default();
        let mut last = None;
        for key in order.iter().copied().filter(|key| list.sequence.holds(*key)) {
            if !leads.contains(&key) {
                behind.get_or_default(ends.get(&last).copied().unwrap_or(last)).push(key);
            }
            last = Some(key);
        }
        let mut target = Vec::with_capacity(present.len());
        let mut rest: Vec<Option<Key>> = leading.iter().rev().map(|key| Some(*key)).collect();
        rest.push(None);
        while let Some(key) = rest.pop() {
            target.extend(key);
            rest.extend(behind.remove(&key).unwrap_or_default().into_iter().rev().map(Some));
        }
        debug_assert_eq!(target.len(), present.len(), "every row has its place");
        for (key, position) in target.into_iter().zip(0..) {
            if self.list(place).is_some_and(|list| list.sequence.at(position) != Some(key)) {
                self.shift_row(place, key, position);
            }
        }
    }

    /// Matches each of these with a row of the baseline: the one with the same value in the key field of the
    /// list or, without a key field, the one at the same position. Between two records, a row with a key
    /// never matches one without, and a list without a key field matches equal rows wherever they stand.
    fn matching_rows(
        &self,
        list: PlaceId,
        baseline: &[Key],
        theirs: &[Value],
        is_comparison: bool,
    ) -> Vec<Option<Key>> {
        let key_of = |row: &Value| {
            let key = self.part(list).key.as_deref()?;
            key_text(row.as_record()?.get(key)?)
        };
        let Some(body) = self.list(list) else { return vec![None; theirs.len()] };
        let row = |key: &Key| body.rows[*key as usize].place;
        let named: Vec<Option<String>> =
            baseline.iter().map(|key| self.baseline_key(list, row(key))).collect();
        let mut of_names: HashedMap<&str, usize> = HashedMap::default();
        for (at, name) in named.iter().enumerate() {
            if let Some(name) = name {
                of_names.get_or_insert_with(name, || at);
            }
        }
        let keys: Vec<Option<String>> = theirs.iter().map(key_of).collect();
        let mut matched: Vec<Option<usize>> =
            keys.iter().map(|key| of_names.remove(key.as_deref()?)).collect();
        if is_comparison && self.part(list).key.is_none() {
            let held: Vec<String> = baseline.iter().map(|key| self.value(row(key)).to_string()).collect();
            match_equal(&held, theirs, &mut matched);
        }
        let mut taken: HashedSet<usize> = matched.iter().flatten().copied().collect();
        for (at, found) in matched.iter_mut().enumerate() {
            let are_others = || match (&keys[at], &named[at]) {
                (Some(key), Some(name)) => key != name,
                (Some(_), None) | (None, Some(_)) => is_comparison,
                (None, None) => false,
            };
            if found.is_none() && at < baseline.len() && !taken.contains(&at) && !are_others() {
                taken.insert(at);
                *found = Some(at);
            }
        }
        let mut added = self.added_rows_by_key(list);
        let found = matched.into_iter().zip(&keys);
        let found = found.map(|(at, key)| {
            let known = at.map(|at| baseline[at]);
            let is_there = known.is_some_and(|known| body.sequence.holds(known));
            // A row that was removed and added again matches the added one.
            let added = key.as_deref().filter(|_| !is_there).and_then(|key| added.remove(key));
            added.or(known)
        });
        found.collect()
    }

    /// The rows that the baseline of a list does not have, by what they hold in its key field: those that the
    /// server has now, too, under the same key are the same rows. Of several with one key it is the first.
    fn added_rows_by_key(&self, list: PlaceId) -> HashedMap<String, Key> {
        let mut by_key = HashedMap::default();
        let Some(body) = self.list(list).filter(|_| self.part(list).key.is_some()) else { return by_key };
        for key in body.added.iter().copied() {
            let row = body.rows[key as usize].place;
            let name = self.key_field(list, row).and_then(|field| key_text(field.value()));
            if let Some(name) = name {
                by_key.get_or_insert_with(name, || key);
            }
        }
        by_key
    }

    /// Returns whether a row that was removed has been added again: another one has its key.
    pub(super) fn is_added_again(&self, list: PlaceId, removed: PlaceId) -> bool {
        let Some(body) = self.list(list).filter(|body| !body.added.is_empty()) else { return false };
        let Some(key) = self.baseline_key(list, removed) else { return false };
        body.added.iter().any(|row| {
            let field = self.key_field(list, body.rows[*row as usize].place);
            field.and_then(|field| key_text(field.value())).as_ref() == Some(&key)
        })
    }

    /// The value of a row's baseline in the key field of its list; `None` if that is empty, or if there is
    /// none.
    fn baseline_key(&self, list: PlaceId, row: PlaceId) -> Option<String> {
        key_text(self.key_field(list, row)?.baseline())
    }

    /// The field by which a list identifies a row.
    fn key_field(&self, list: PlaceId, row: PlaceId) -> Option<FieldRef<'_>> {
        let key = self.part(list).key.as_deref()?;
        let Kind::Record(fields) = self.part(row).kind else { return None };
        let (slot, _) = self.schema().field(fields, key)?;
        self.field(self.child(row, slot)?)
    }
}

/// Matches rows that are the same: those that stand where they stood, and then the others in order.
fn match_equal(held: &[String], theirs: &[Value], matched: &mut [Option<usize>]) {
    let texts: Vec<String> = theirs.iter().map(ToString::to_string).collect();
    let mut elsewhere: HashedMap<&str, Vec<usize>> = HashedMap::default();
    for (at, text) in held.iter().enumerate().rev() {
        if texts.get(at) == Some(text) {
            matched[at] = Some(at);
        } else {
            elsewhere.get_or_default(text).push(at);
        }
    }
    for (found, text) in matched.iter_mut().zip(&texts).filter(|(found, _)| found.is_none()) {
        *found = elsewhere.get_mut(&**text).and_then(Vec::pop);
    }
}

/// A value in a key field as rows are compared by it.
fn key_text(value: &Value) -> Option<String> {
    (!value.is_empty()).then(|| value.to_text().into_owned())
}

/// Returns whether something else is in a field than in its baseline, also if it cannot be parsed or has not
/// taken effect yet.
fn is_otherwise(field: FieldRef<'_>) -> bool {
    field.differs() || field.is_unreadable() || field.pending().is_some()
}
