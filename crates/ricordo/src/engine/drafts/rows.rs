//! The rows of lists that a draft brings back, with the keys that they had.

use super::leftovers::{Damage, damaged};
use super::reading::{Says, count, members, pair};
use super::restoring::DraftReader;
use crate::schema::{Kind, Pointer};
use crate::tree::{Displacement, PlaceId, Presence, Row};
use crate::value::{HashedMap, HashedSet, Value};

/// The number of unused keys that a draft may leave out: room is made for each of them.
const MOST_LOST_KEYS: usize = 1_000_000;

impl DraftReader<'_> {
    pub(super) fn list(&mut self, place: PlaceId, says: &mut Says<'_>, at: &Pointer) -> Result<(), Damage> {
        let now = self.presence(place, says, at)?;
        let keys = says.take("keys", at, "a list of stretches", |keys| {
            keys.as_list()?.iter().map(pair).collect::<Option<Vec<_>>>()
        })?;
        let given_out = says.count("given_out", at)?;
        let length = says.count("of", at)?;
        let displaced = says.take("displaced", at, "a list of positions", |displaced| {
            displaced.as_list()?.iter().map(count).collect::<Option<Vec<_>>>()
        })?;
        let placed = says.take("placed", at, "a list of positions and keys", |placed| {
            placed.as_list()?.iter().map(pair).collect::<Option<Vec<_>>>()
        })?;
        let rows = says.members.remove("rows");
        let rows: Vec<(&str, &Value)> = members(rows, at)?.collect();
        let mut says_of: HashedMap<u32, &Value> = HashedMap::default();
        for (key, says) in rows {
            match key.parse::<u32>().ok().and_then(|key| key.checked_sub(1)) {
                Some(key) => _ = says_of.insert(key, says),
                None => return Err(damaged(at, "has a row whose key is not a number from 1 on")),
            }
        }
        let mut displacement = Displacement { displaced: displaced.unwrap_or_default(), placed: Vec::new() };
        for (position, key) in placed.unwrap_or_default() {
            match key.checked_sub(1) {
                Some(key) => displacement.placed.push((position, key)),
                None => return Err(damaged(at, "has a row whose key is not a number from 1 on")),
            }
        }
        let before = self.engine.tree.list(place).map_or(0, |list| list.baseline.len());
        let in_baseline = keys.as_ref().map(|keys| keys.iter().map(|(_, length)| *length as usize).sum());
        if length.map(|length| length as usize).or(in_baseline).is_some_and(|length| length != before) {
            let reason =
                "has other rows than when the draft was made: those that were added stand at the end";
            self.left_out.misfit(at, reason);
            (displacement, says_of) = self.rows_at_end(place, &displacement, &says_of);
            let rows = displacement.placed.len();
            self.keys(place, None, u32::try_from(before + rows).ok(), rows, at)?;
        } else {
            self.keys(place, keys, given_out, displacement.placed.len(), at)?;
        }
        if let Err(reason) = self.check(place, &displacement, now) {
            return Err(damaged(at, reason));
        }
        let added = self.added(place, &displacement, &says_of, at)?;
        if now == Presence::Present {
            self.engine.tree.set_presence(place, now);
        }
        self.engine.tree.displace(place, &displacement, added);
        self.engine.tree.set_presence(place, now);
        let mut says_of: Vec<(u32, &Value)> = says_of.into_iter().collect();
        crate::value::sort_by_key(&mut says_of, |(key, _)| *key);
        for (key, says) in says_of {
            let row = self
                .engine
                .tree
                .list(place)
                .and_then(|list| list.rows.get(key as usize))
                .map(|row| row.place);
            match row.filter(|row| self.engine.tree.knows(*row)) {
                Some(row) => {
                    let position = self.engine.tree.list(place).and_then(|list| list.sequence.position(key));
                    let at = position.map_or(at.clone(), |position| at.join(&position.to_string()));
                    self.row(row, says, &at);
                }
                None => self.left_out.misfit(at, format!("has no row with the key {}", u64::from(key) + 1)),
            }
        }
        Ok(())
    }

    /// A row, of which it was said before what it was given.
    fn row(&mut self, row: PlaceId, says: &Value, at: &Pointer) {
        let without = match says {
            Value::Record(members) if members.get("given_row").is_some() => {
                let mut members = members.clone();
                members.remove("given_row");
                Value::Record(members)
            }
            other => other.clone(),
        };
        self.place(row, &without, at);
    }

    /// The rows that were added, at the end of a list whose baseline has other rows than it had.
    fn rows_at_end<'v>(
        &mut self,
        list: PlaceId,
        displacement: &Displacement,
        says_of: &HashedMap<u32, &'v Value>,
    ) -> (Displacement, HashedMap<u32, &'v Value>) {
        let before = self.engine.tree.list(list).map_or(0, |list| list.baseline.len());
        let is_added = |says: &Value| says.as_record().is_some_and(|says| says.get("given_row").is_some());
        let added = displacement.placed.iter().filter_map(|(_, key)| says_of.get(key));
        let added: Vec<(u32, &Value)> = (u32::try_from(before).unwrap_or(u32::MAX)..)
            .zip(added.filter(|says| is_added(says)).copied())
            .collect();
        let placed = added.iter().map(|(key, _)| (*key, *key)).collect();
        (Displacement { displaced: Vec::new(), placed }, added.into_iter().collect())
    }

    /// Gives the rows of the baseline the keys that they had, and makes room for others.
    fn keys(
        &mut self,
        list: PlaceId,
        stretches: Option<Vec<(u32, u32)>>,
        given_out: Option<u32>,
        placed: usize,
        at: &Pointer,
    ) -> Result<(), Damage> {
        let before = self.engine.tree.list(list).map_or(0, |list| list.baseline.len());
        let mut keys: Vec<u32> = Vec::with_capacity(before);
        match stretches {
            None => keys.extend((0..).take(before)),
            Some(stretches) => {
                for (first, length) in stretches {
                    let first = first.checked_sub(1).filter(|_| keys.len() + length as usize <= before);
                    let stretch = first.and_then(|first| Some(first..first.checked_add(length)?));
                    let Some(stretch) = stretch else {
                        return Err(damaged(at, "has other keys than the rows of the record"));
                    };
                    keys.extend(stretch);
                }
            }
        }
        let mut known = HashedSet::default();
        if keys.len() != before || !keys.iter().all(|key| known.insert(*key)) {
            return Err(damaged(at, "has other keys than the rows of the record"));
        }
        let needed = keys.iter().max().map_or(0, |key| key.saturating_add(1));
        let given_out = given_out.map_or(before, |given_out| given_out as usize).max(needed as usize);
        self.lost_keys = self.lost_keys.saturating_add(given_out.saturating_sub(before + placed));
        if self.lost_keys > MOST_LOST_KEYS {
            return Err(damaged(at, "has given out more keys than a draft may have"));
        }
        let Ok(given_out) = u32::try_from(given_out) else { return Err(damaged(at, "has too many rows")) };
        if given_out as usize != before || !keys.iter().copied().eq(0..given_out) {
            self.engine.tree.set_keys(list, &keys, given_out);
        }
        Ok(())
    }

    /// Returns whether the rows of a list can be displaced so.
    fn check(&self, list: PlaceId, displacement: &Displacement, now: Presence) -> Result<(), &'static str> {
        let Displacement { displaced, placed } = displacement;
        let Some(body) = self.engine.tree.list(list) else { return Ok(()) };
        let before = body.baseline.len();
        if !rise(displaced.iter().copied()) || displaced.last().is_some_and(|last| *last as usize >= before) {
            return Err("has displaced rows that are not those of the record");
        }
        let length = before - displaced.len() + placed.len();
        let positions = placed.iter().map(|(position, _)| *position);
        if !rise(positions) || placed.last().is_some_and(|(last, _)| *last as usize >= length) {
            return Err("has rows that do not stand one behind the other");
        }
        if now != Presence::Present && length > 0 {
            return Err("has rows, and is not there");
        }
        let mut seen = HashedSet::default();
        let may_stand = |key: u32| match body.rows.get(key as usize).map(Row::baseline_position) {
            Some(Some(stood)) => displaced.binary_search(&stood).is_ok(),
            Some(None) => true,
            None => false,
        };
        if !placed.iter().all(|(_, key)| seen.insert(*key) && may_stand(*key)) {
            return Err("has a row with a key that no row can have");
        }
        Ok(())
    }

    /// The values of rows that the baseline does not have.
    fn added(
        &mut self,
        list: PlaceId,
        displacement: &Displacement,
        says_of: &HashedMap<u32, &Value>,
        at: &Pointer,
    ) -> Result<HashedMap<u32, Value>, Damage> {
        let Kind::List(kind) = self.engine.tree.part(list).kind else { return Ok(HashedMap::default()) };
        let (schema, depth) = (self.engine.schema().clone(), self.engine.tree.depth(list) + 1);
        let item = schema.item(kind);
        let mut added = HashedMap::default();
        for (position, key) in &displacement.placed {
            if self.engine.tree.stood_at(list, *key).is_some() {
                continue;
            }
            let at = at.join(&position.to_string());
            let given = says_of.get(key).and_then(|says| says.as_record()?.get("given_row"));
            let given = match given {
                Some(given) => self.left_out.fitting(&schema, item, given, &at, depth),
                None => {
                    return Err(damaged(&at, "is a row of which the draft does not say what it was given"));
                }
            };
            added.insert(*key, schema.as_row(item, given));
        }
        Ok(added)
    }
}

/// Returns whether each number is larger than the one before.
fn rise(numbers: impl Iterator<Item = u32>) -> bool {
    let mut last = None;
    numbers.into_iter().all(|number| last.replace(number).is_none_or(|last| last < number))
}
