//! Custom controls.

use ricordo::{WidgetEvent, WidgetState};

/// A custom control: an element that your code draws and reads.
///
/// Give its element a `name`, and `data-control` with the name under which [`BindOptions::control`](crate::BindOptions::control)
/// registers it. The element dispatches a bubbling `input` event whenever a person uses it.
pub trait Control {
    /// Draws the state: at first, and whenever it has changed.
    fn show(&mut self, state: &WidgetState);

    /// Returns the action of a person after an `input` event; `None` to ignore it.
    fn read(&mut self) -> Option<WidgetEvent>;

    /// Drops whatever the control keeps beside the state, because the place was reset. A call of `show` follows.
    fn reset(&mut self) {}
}
