//! Finds the functions and constants that a module holds for its panics alone.

use std::collections::HashSet;
use std::error::Error;

use crate::linked::{Item, Linked};

/// The functions and constants that nothing in a module reaches.
#[derive(Default)]
pub(crate) struct Unused {
    /// The functions, by their indexes.
    pub(crate) functions: HashSet<usize>,
    /// The bytes of constants, by their positions in the module.
    pub(crate) bytes: Vec<usize>,
}

/// Finds them in a module whose `ended` functions trap at once; none if the linker has not described the module.
pub(crate) fn find(module: &[u8], ended: &HashSet<usize>) -> Result<Unused, Box<dyn Error>> {
    let linked = Linked::read(module, ended)?;
    if !linked.is_described() {
        return Ok(Unused::default());
    }
    let used = linked.reach(module, ended, &HashSet::new());
    let functions = (linked.imported..linked.imported + linked.code.len())
        .filter(|index| !used.contains(&Item::Function(*index)))
        .collect();
    let (kept, unused): (Vec<usize>, Vec<usize>) =
        (0..linked.constants.len()).partition(|index| used.contains(&Item::Constant(*index)));
    // One constant may lie in another, and has several names.
    let mut is_kept = vec![false; module.len()];
    kept.iter().for_each(|index| is_kept[linked.constants[*index].clone()].fill(true));
    let bytes =
        unused.iter().flat_map(|index| linked.constants[*index].clone()).filter(|at| !is_kept[*at]).collect();
    Ok(Unused { functions, bytes })
}
