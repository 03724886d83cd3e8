//! Formulas that depend on each other in a circle.

use super::compiler::Compiler;
use crate::schema::PartId;
use crate::value::{HashedMap, HashedSet};

impl Compiler<'_> {
    /// Refuses values that depend on themselves, whatever the data.
    pub(super) fn refuse_cycles(&mut self) {
        let computed: HashedMap<PartId, Vec<usize>> = {
            let mut computed: HashedMap<PartId, Vec<usize>> = HashedMap::default();
            for (at, info) in self.compiled.infos.iter().enumerate() {
                if matches!(info.key, "calculate" | "suggest" | "counterpart" | "relevant") {
                    computed.get_or_default(info.part).push(at);
                }
            }
            computed
        };
        let (mut done, mut cycles) = (HashedSet::default(), Vec::new());
        for start in computed.values().flatten() {
            let mut way: Vec<(usize, usize)> = Vec::new();
            if done.insert(*start) {
                way.push((*start, 0));
            }
            while let Some((at, next)) = way.last_mut() {
                let info = &self.compiled.infos[*at];
                let reads: Vec<usize> = info
                    .reads
                    .iter()
                    .filter(|read| !read.is_elsewhere)
                    .filter_map(|read| computed.get(&read.part))
                    .flatten()
                    .copied()
                    .collect();
                let Some(input) = reads.get(*next).copied() else {
                    way.pop();
                    continue;
                };
                *next += 1;
                if let Some(from) = way.iter().position(|(at, _)| *at == input) {
                    cycles.push(way[from..].iter().map(|(at, _)| *at).collect::<Vec<_>>());
                } else if done.insert(input) {
                    way.push((input, 0));
                }
            }
        }
        if cycles.is_empty() {
            return;
        }
        let names = self.schema.pointers();
        for mut cycle in cycles {
            // A cycle is reported at the same place, wherever the search began.
            let first = (0..cycle.len()).min_by_key(|at| self.compiled.infos[cycle[*at]].at).unwrap_or(0);
            cycle.rotate_left(first);
            let info = &self.compiled.infos[cycle[0]];
            let name = |at: &usize| {
                let part = self.compiled.infos[*at].part;
                names.get(&part).map(ToString::to_string).unwrap_or_default()
            };
            let chain: Vec<String> = cycle.iter().chain([&cycle[0]]).map(name).collect();
            let problem = format!("this depends on itself: {}", chain.join(" → "));
            let (at, text) = (info.at, info.text.clone());
            self.refuse(at, &text, problem);
        }
    }
}
