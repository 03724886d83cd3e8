//! Calculations: how a value follows from others.

use std::fmt;
use std::rc::Rc;

use super::PlaceView;
use crate::shape::PartId;
use crate::value::Value;

/// What calculates a value: a function of what it looks at.
pub(crate) type Function = Rc<dyn Fn(PlaceView<'_>) -> Value>;

/// How the values of all fields of a part follow from others. It is kept once, however many rows there are.
pub(crate) struct Calculation {
    /// The fields that are calculated.
    pub(crate) part: PartId,
    /// How many steps lie between a field and what its function is given to look at.
    pub(crate) depth: usize,
    /// The list to whose rows the function is given, or nothing if it is given the form.
    pub(crate) list: Option<PartId>,
    pub(crate) function: Function,
}

impl fmt::Debug for Calculation {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Calculation").field("part", &self.part).finish_non_exhaustive()
    }
}
