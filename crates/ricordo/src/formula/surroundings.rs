//! The surroundings of a place, by the schema: the records that a formula stands in.

use super::code::{Level, Steps};
use crate::schema::{Kind, PartId, RecordId, Schema, Step};
use crate::value::HashedMap;

/// A place lies in so many ways in records at most.
const MOST: usize = 1_000;

/// The records that hold a part, and the ways to it.
#[derive(Debug, Default)]
pub(crate) struct Surroundings {
    holders: HashedMap<PartId, Vec<Holder>>,
    parts: HashedMap<RecordId, Vec<PartId>>,
}

/// A record that holds a part: as a field, or in the rows of one.
#[derive(Clone, Debug)]
struct Holder {
    record: RecordId,
    way: Vec<Step>,
}

/// The records that a place lies in, from the place outwards, as far as they matter.
#[derive(Clone, Debug)]
pub(crate) struct Chain {
    /// The innermost first; the last is where the way begins.
    pub(crate) records: Vec<RecordId>,
    /// The way from the outermost record to the place.
    pub(crate) way: Vec<Step>,
    /// The length of the way to each record.
    lengths: Vec<usize>,
}

/// Why there is no chain.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Endless {
    /// A record lies in itself, so that there is no end of ways.
    Recursive,
    /// There are more ways than anybody means.
    Many,
}

impl Surroundings {
    pub(crate) fn new(schema: &Schema) -> Self {
        let mut surroundings = Surroundings::default();
        for (id, part) in schema.parts() {
            let Kind::Record(record) = part.kind else { continue };
            let parts = surroundings.parts.get_or_default(record);
            parts.push(id);
            if parts.len() > 1 {
                continue;
            }
            let members = (0..).map_while(|slot| Some((slot, schema.member_at(record, slot)?.1)));
            for (slot, member) in members {
                let (mut part, mut way) = (member, vec![Step::Field(slot)]);
                loop {
                    surroundings.holders.get_or_default(part).push(Holder { record, way: way.clone() });
                    let Kind::List(list) = schema.part(part).kind else { break };
                    part = schema.item(list);
                    way.push(Step::Row(0));
                }
            }
        }
        surroundings
    }

    /// The chains of records around a part, each as far outwards as is needed. `own` is the type of the part, if it is a record.
    pub(crate) fn chains(
        &self,
        part: PartId,
        own: Option<RecordId>,
        is_enough: impl Fn(&[RecordId]) -> bool,
    ) -> Result<Vec<Chain>, Endless> {
        let start = Chain {
            records: own.into_iter().collect(),
            way: Vec::new(),
            lengths: vec![0; usize::from(own.is_some())],
        };
        let mut chains = Vec::new();
        let holders = self.holders.get(&part).map_or(&[][..], |holders| holders);
        if holders.is_empty() {
            // The form itself.
            return Ok(vec![start]);
        }
        let mut rest: Vec<Chain> = holders.iter().rev().map(|holder| start.within(holder)).collect();
        while let Some(chain) = rest.pop() {
            if chains.len() + rest.len() > MOST {
                return Err(Endless::Many);
            }
            if is_enough(&chain.records) {
                chains.push(chain);
                continue;
            }
            let Some(outermost) = chain.records.last() else { continue };
            let parts = self.parts.get(outermost).into_iter().flatten();
            let holders: Vec<&Holder> = parts.filter_map(|part| self.holders.get(part)).flatten().collect();
            if holders.is_empty() {
                chains.push(chain);
                continue;
            }
            for holder in holders.into_iter().rev() {
                // The type of the place itself may be that of a record around it.
                let own = usize::from(own.is_some());
                if chain.records[own..].contains(&holder.record) {
                    return Err(Endless::Recursive);
                }
                rest.push(chain.within(holder));
            }
        }
        Ok(chains)
    }
}

impl Chain {
    fn within(&self, holder: &Holder) -> Chain {
        let further = holder.way.len();
        let mut chain = self.clone();
        chain.lengths.iter_mut().for_each(|length| *length += further);
        chain.way.splice(0..0, holder.way.iter().copied());
        chain.records.push(holder.record);
        chain.lengths.push(0);
        chain
    }

    /// The record where the way begins.
    pub(crate) fn outermost(&self) -> Option<RecordId> {
        self.records.last().copied()
    }

    /// The length of the route to its innermost row, for which a formula is computed.
    fn base(&self) -> usize {
        self.way.iter().rposition(|step| matches!(step, Step::Row(_) | Step::EachRow)).map_or(0, |at| at + 1)
    }

    /// The position of each record, seen from the place that the formula is computed for.
    pub(crate) fn levels(&self) -> Vec<Level> {
        let base = self.base();
        let level = |length: &usize| {
            if *length < base {
                return Level { climb: base - length, down: Steps::new() };
            }
            let down = self.way[base..*length].iter().filter_map(|step| match step {
                Step::Field(slot) => Some(*slot),
                Step::Row(_) | Step::EachRow => None,
            });
            Level { climb: 0, down: down.collect() }
        };
        self.lengths.iter().map(level).collect()
    }

    /// The ways to the lists on the way, each from the rows of the one before, and the way from there.
    pub(crate) fn rows_and_rest(&self) -> (Vec<Vec<Step>>, Vec<Step>) {
        let (mut rows, mut rest) = (Vec::new(), Vec::new());
        for step in &self.way {
            match step {
                Step::Row(_) | Step::EachRow => rows.push(std::mem::take(&mut rest)),
                Step::Field(_) => rest.push(*step),
            }
        }
        (rows, rest)
    }
}
