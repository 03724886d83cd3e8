//! Routes: the steps from a place down to another.

use std::fmt;
use std::ops::Deref;

/// One step down in a form: to a field by its position in the definition, or to a row by its position now.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Step {
    /// The field at this position of the record's definition.
    Field(u32),
    /// The row at this position of the list.
    Row(u32),
    /// Every row of the list. Only what is about all rows, such as choices, can be addressed so.
    EachRow,
}

/// The steps from a place down to another: what a typed path is, without its types.
///
/// A route is `Copy`, so that closures capture paths by `move` and nobody clones them. So it holds at most
/// [`Route::LONGEST`] steps; what lies deeper is reached from a handle to a place on the way.
///
/// ```
/// use ricordo::schema::{Route, Step};
///
/// let route: Route = [Step::Field(2), Step::Row(0)].into_iter().collect();
/// assert_eq!(route.len(), 2);
/// assert!(!route.is_too_long());
/// ```
#[derive(Clone, Copy)]
pub struct Route {
    steps: [Step; Self::LONGEST],
    /// The number of steps, with those for which there was no room.
    length: u8,
}

impl Route {
    /// The greatest number of steps in a route.
    pub const LONGEST: usize = 8;

    /// The route that leads to where it starts.
    pub const fn new() -> Self {
        Route { steps: [Step::Field(0); Self::LONGEST], length: 0 }
    }

    /// Adds a step at the end.
    pub fn push(&mut self, step: Step) {
        if let Some(room) = self.steps.get_mut(usize::from(self.length)) {
            *room = step;
        }
        self.length = self.length.saturating_add(1);
    }

    /// Returns whether it was given more steps than it can hold. Such a route leads nowhere.
    pub fn is_too_long(&self) -> bool {
        usize::from(self.length) > Self::LONGEST
    }
}

impl Default for Route {
    fn default() -> Self {
        Route::new()
    }
}

impl Deref for Route {
    type Target = [Step];

    fn deref(&self) -> &[Step] {
        &self.steps[..usize::from(self.length).min(Self::LONGEST)]
    }
}

impl PartialEq for Route {
    fn eq(&self, other: &Self) -> bool {
        self.length == other.length && **self == **other
    }
}

impl Eq for Route {}

impl fmt::Debug for Route {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_list().entries(self.iter()).finish()
    }
}

impl FromIterator<Step> for Route {
    fn from_iter<I: IntoIterator<Item = Step>>(steps: I) -> Self {
        let mut route = Route::new();
        steps.into_iter().for_each(|step| route.push(step));
        route
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_route_knows_when_it_is_too_long() {
        let steps = |count: u32| (0..count).map(Step::Field).collect::<Route>();
        assert!(!steps(8).is_too_long() && steps(9).is_too_long() && steps(1_000).is_too_long());
        assert_eq!((steps(8).len(), steps(9).len()), (8, 8));
        assert_ne!(steps(8), steps(9));
    }
}
