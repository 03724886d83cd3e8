//! Controls of the program.

use ricordo::{WidgetEvent, WidgetState};

/// A control of your own: an element that neither HTML nor the adapter knows how to show or read.
///
/// Give its element a `name`, and `data-control` with the name under which [`Options::control`](crate::Options::control)
/// registers it. When a person has done something with it, it dispatches an `input` event that bubbles.
pub trait Control {
    /// Shows a state. Called at first, and whenever the state has changed.
    fn show(&mut self, state: &WidgetState);

    /// What a person has done, after an `input` event; `None` if it concerns nobody.
    fn read(&mut self) -> Option<WidgetEvent>;

    /// The place was reset: whatever the control keeps beside the state is to be dropped. A call of `show` follows.
    fn reset(&mut self) {}
}
