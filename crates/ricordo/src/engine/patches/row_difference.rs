//! The changes of the rows of a list, in as few steps as possible: rows that are removed, moved and added, one after the other.

use crate::value::{sort, sort_by_key};

/// The difference between the rows of a list and those of its baseline. Rows that are not mentioned have kept their order.
pub(in crate::engine) struct RowDifference<'a> {
    /// The former positions of the rows that are gone.
    pub(in crate::engine) removed: Vec<u32>,
    /// The former and present positions of rows that may not have kept their order.
    pub(in crate::engine) displaced: Vec<(u32, u32)>,
    /// The positions of the rows that the baseline does not have.
    pub(in crate::engine) added: Vec<u32>,
    /// The number of rows now.
    pub(in crate::engine) length: u32,
    /// The former position of the row at a position.
    pub(in crate::engine) stood: &'a dyn Fn(u32) -> Option<u32>,
}

/// One step. Its positions are those at the moment of the step, but for `stands`, where the row stands in the end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::engine) enum RowStep {
    Remove {
        at: u32,
    },
    /// `to` counts without the row, as in RFC 6902, section 4.4. `stood` is where the row stood in the baseline.
    Move {
        from: u32,
        to: u32,
        stood: u32,
    },
    Add {
        at: u32,
        stands: u32,
    },
}

/// The steps that lead from the baseline to the rows as they are. There is no shorter account, and finding it costs what differs.
pub(in crate::engine) fn steps(mut difference: RowDifference<'_>) -> Vec<RowStep> {
    sort(&mut difference.removed);
    sort(&mut difference.added);
    let moved = fewest_moved(&difference);
    let mut steps: Vec<RowStep> =
        difference.removed.iter().rev().map(|at| RowStep::Remove { at: *at }).collect();
    place_rows(&difference, &moved, &mut steps);
    steps
}

/// The number of sorted numbers that are less than one.
fn below(sorted: &[u32], number: u32) -> u32 {
    count(sorted.partition_point(|one| *one < number))
}

fn count(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

/// The least set of rows to move, each with where it stood and stands.
///
/// The rows that are not displaced are in order, so they count in stretches: a displaced row cuts them where it stood and where it
/// stands. Of the displaced rows and the stretches, the heaviest that are in order stay.
fn fewest_moved(difference: &RowDifference<'_>) -> Vec<(u32, u32)> {
    let RowDifference { removed, displaced, added, length, stood } = difference;
    if displaced.is_empty() {
        return Vec::new();
    }
    let (mut bases, mut stands): (Vec<u32>, Vec<u32>) = displaced.iter().copied().unzip();
    sort(&mut bases);
    sort(&mut stands);
    let mut others: Vec<u32> = added.iter().chain(&stands).copied().collect();
    sort(&mut others);
    // The number of undisplaced rows before a displaced one, at its old position and at its new one.
    let before = |(base, stand): (u32, u32)| {
        (
            base - below(removed, base) - below(&bases, base),
            stand - below(added, stand) - below(&stands, stand),
        )
    };
    let kept = length - count(others.len());
    let mut cuts: Vec<u32> = displaced.iter().flat_map(|row| <[u32; 2]>::from(before(*row))).collect();
    cuts.extend([0, kept]);
    sort(&mut cuts);
    cuts.dedup();
    // Among accounts of the same length, the one is taken that moves rows that were moved.
    let many = u64::from(*length) + 1;
    // Each with how it is ordered where it stands, how where it stood, and how many rows it is.
    let rows = displaced.iter().map(|row| {
        let (stood, stands) = before(*row);
        let rows = Rows::Displaced(*row);
        Block { now: (stands, 0, row.1), then: (stood, 0, row.0), weight: many, rows }
    });
    let stretches = cuts.windows(2).map(|cut| Block {
        now: (cut[0], 1, 0),
        then: (cut[0], 1, 0),
        weight: u64::from(cut[1] - cut[0]) * (many + 1),
        rows: Rows::Stretch(cut[0], cut[1]),
    });
    let mut blocks: Vec<Block> = rows.chain(stretches).collect();
    sort_by_key(&mut blocks, |block| block.now);
    let stays = heaviest_rise(&blocks);
    // The position of an undisplaced row, from the number of such rows before it.
    let stands_at = |before: u32| {
        let (mut low, mut high) = (0, others.len());
        while low < high {
            let middle = usize::midpoint(low, high);
            if others[middle] - count(middle) <= before { low = middle + 1 } else { high = middle }
        }
        before + count(low)
    };
    let moved =
        blocks.iter().zip(stays).filter(|(_, stays)| !stays).flat_map(|(block, _)| match block.rows {
            Rows::Displaced(row) => vec![row],
            Rows::Stretch(from, to) => {
                (from..to).map(stands_at).filter_map(|stands| Some((stood(stands)?, stands))).collect()
            }
        });
    moved.collect()
}

/// Rows that stay together, or one row.
struct Block {
    now: (u32, u8, u32),
    then: (u32, u8, u32),
    weight: u64,
    rows: Rows,
}

enum Rows {
    Displaced((u32, u32)),
    /// Rows that are not displaced, from this to before that among them.
    Stretch(u32, u32),
}

/// The blocks of the heaviest sequence whose `then` rises.
fn heaviest_rise(blocks: &[Block]) -> Vec<bool> {
    let mut order: Vec<usize> = (0..blocks.len()).collect();
    sort_by_key(&mut order, |at| blocks[*at].then);
    let mut ranks = vec![0; blocks.len()];
    for (rank, at) in order.into_iter().enumerate() {
        ranks[at] = rank;
    }
    // A binary indexed tree: for each rank, the heaviest sequence that ends at one that is not higher.
    let mut best: Vec<(u64, Option<usize>)> = vec![(0, None); blocks.len() + 1];
    let mut previous = vec![None; blocks.len()];
    for (at, block) in blocks.iter().enumerate() {
        let (mut heaviest, mut rank) = ((0, None), ranks[at]);
        while rank > 0 {
            heaviest = if best[rank].0 > heaviest.0 { best[rank] } else { heaviest };
            rank &= rank - 1;
        }
        previous[at] = heaviest.1;
        let with_block = (heaviest.0 + block.weight, Some(at));
        let mut rank = ranks[at] + 1;
        while rank < best.len() {
            if with_block.0 > best[rank].0 {
                best[rank] = with_block;
            }
            rank += rank & rank.wrapping_neg();
        }
    }
    let (mut heaviest, mut rank) = ((0, None), blocks.len());
    while rank > 0 {
        heaviest = if best[rank].0 > heaviest.0 { best[rank] } else { heaviest };
        rank &= rank - 1;
    }
    let mut stays = vec![false; blocks.len()];
    let mut last = heaviest.1;
    while let Some(at) = last {
        stays[at] = true;
        last = previous[at];
    }
    stays
}

/// Puts the moved and the added rows where they stand, from the first on.
///
/// Whatever stands before such a row in the end is there already when it is put in. Only moved rows whose turn is yet to come are in
/// the way: they are still between the rows that stay, where they stood.
fn place_rows(difference: &RowDifference<'_>, moved: &[(u32, u32)], steps: &mut Vec<RowStep>) {
    let RowDifference { removed, added, stood, .. } = difference;
    let mut bases: Vec<u32> = moved.iter().map(|(base, _)| *base).collect();
    sort(&mut bases);
    let mut waiting = Waiting::all(bases.len());
    let moves = moved.iter().map(|(base, stands)| (*stands, Some(*base)));
    let mut rows: Vec<(u32, Option<u32>)> = added.iter().map(|stands| (*stands, None)).chain(moves).collect();
    sort(&mut rows);
    // Of the rows that were put in: where the row stood after which they stand, of those that stay. It only rises.
    let mut behind: Vec<Option<u32>> = Vec::with_capacity(rows.len());
    let mut last: Option<(u32, Option<u32>)> = None;
    for (stands, base) in rows {
        let after = match last {
            Some((before, after)) if before + 1 == stands => after,
            Some(_) | None => stands.checked_sub(1).and_then(stood),
        };
        let in_the_way = |waiting: &Waiting| after.map_or(0, |after| waiting.below(below(&bases, after)));
        match base {
            None => steps.push(RowStep::Add { at: stands + in_the_way(&waiting), stands }),
            Some(base) => {
                let rank = below(&bases, base);
                let staying = base - below(removed, base) - rank;
                let put_in = count(behind.partition_point(|after| after.is_none_or(|after| after < base)));
                let from = staying + waiting.below(rank) + put_in;
                waiting.take(rank);
                let to = stands + in_the_way(&waiting);
                if from != to {
                    steps.push(RowStep::Move { from, to, stood: base });
                }
            }
        }
        behind.push(after);
        last = Some((stands, after));
    }
}

/// The rows that wait for their turn, by rank: a binary indexed tree of counts.
struct Waiting(Vec<u32>);

impl Waiting {
    fn all(rows: usize) -> Self {
        Waiting((0..=rows).map(|at| count(at & at.wrapping_neg())).collect())
    }

    /// The number of waiting rows with lower ranks.
    fn below(&self, rank: u32) -> u32 {
        let (mut sum, mut at) = (0, rank as usize);
        while at > 0 {
            sum += self.0[at];
            at &= at - 1;
        }
        sum
    }

    fn take(&mut self, rank: u32) {
        let mut at = rank as usize + 1;
        while at < self.0.len() {
            self.0[at] -= 1;
            at += at & at.wrapping_neg();
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use proptest::prelude::*;

    use super::*;
    use crate::tree::longest_rise;

    /// The account from rows `0..length` to others, of which some count as displaced that need not.
    fn account(length: u32, now: &[u32], also: &HashSet<u32>) -> Vec<RowStep> {
        let order: Vec<u32> = now.iter().copied().filter(|row| *row < length).collect();
        let kept: HashSet<u32> = longest_rise(&order).into_iter().map(|at| order[at]).collect();
        let (mut displaced, mut added) = (Vec::new(), Vec::new());
        for (row, at) in now.iter().zip(0..) {
            if *row >= length {
                added.push(at);
            } else if !kept.contains(row) || also.contains(row) {
                displaced.push((*row, at));
            }
        }
        let removed = (0..length).filter(|row| !now.contains(row)).collect();
        let stood = |at: u32| now.get(at as usize).copied().filter(|row| *row < length);
        steps(RowDifference { removed, displaced, added, length: count(now.len()), stood: &stood })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2_000))]

        /// The steps lead from one to the other, and there are as few as there can be.
        #[test]
        fn an_account_is_right_and_shortest(
            length in 0..12_u32,
            order in Just((0..16_u32).collect::<Vec<_>>()).prop_shuffle(),
            is_random: bool,
            swaps in prop::collection::vec((any::<prop::sample::Index>(), any::<prop::sample::Index>()), 0..4),
            gone in prop::collection::hash_set(0..16_u32, 0..10),
            also in prop::collection::hash_set(0..12_u32, 0..12),
        ) {
            let mut now = if is_random { order } else { (0..16).collect() };
            for (one, other) in swaps {
                let (from, to) = (one.index(now.len()), other.index(now.len()));
                let row = now.remove(from);
                now.insert(to, row);
            }
            now.retain(|row| !gone.contains(row));
            let steps = account(length, &now, &also);
            let mut rows: Vec<u32> = (0..length).collect();
            for step in &steps {
                match *step {
                    RowStep::Remove { at } => _ = rows.remove(at as usize),
                    RowStep::Move { from, to, stood } => {
                        let row = rows.remove(from as usize);
                        prop_assert_eq!(row, stood);
                        rows.insert(to as usize, row);
                    }
                    RowStep::Add { at, stands } => rows.insert(at as usize, now[stands as usize]),
                }
            }
            prop_assert_eq!(&rows, &now);
            let order: Vec<u32> = now.iter().copied().filter(|row| *row < length).collect();
            let moves = order.len() - longest_rise(&order).len();
            let others = (length as usize - order.len()) + (now.len() - order.len());
            prop_assert_eq!(steps.len(), moves + others);
        }
    }
}
