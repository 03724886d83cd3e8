//! The focus: which place has it, and through which binding.

use super::{Aspects, PlaceId, Reversal, Tree, Unchecked};

/// Names a binding of a form. Of several widgets that are bound to one place, the focus has only one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct BindingId(u64);

impl BindingId {
    /// The id of the binding that is made after so many others.
    pub(crate) fn after(others: u64) -> Self {
        BindingId(others)
    }
}

/// A place that has the focus, and the binding by which it does, if that is known.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Focus {
    pub(crate) place: PlaceId,
    pub(crate) by: Option<BindingId>,
}

impl Focus {
    /// Returns whether a binding of the place may be the one that has it.
    fn may_be_by(self, binding: Option<BindingId>) -> bool {
        self.by.is_none() || binding.is_none() || self.by == binding
    }
}

impl Tree {
    /// The place that has the focus, if that is still there.
    pub(crate) fn focus(&self) -> Option<PlaceId> {
        self.focus.map(|focus| focus.place).filter(|place| self.is_there(*place))
    }

    /// Returns whether a place has the focus, and no other binding of it than this one does. If either is not
    /// known, the place decides.
    pub(crate) fn is_focused_by(&self, place: PlaceId, binding: Option<BindingId>) -> bool {
        self.focus() == Some(place) && self.focus.is_some_and(|focus| focus.may_be_by(binding))
    }

    /// Gives the focus to a place, or to none.
    pub(crate) fn set_focus(&mut self, focus: Option<Focus>) {
        let before = std::mem::replace(&mut self.focus, focus);
        if before == focus {
            return;
        }
        for place in [before, focus].into_iter().flatten().map(|focus| focus.place) {
            let aspects = Aspects::FOCUS | Aspects::HOLDER;
            self.changes.note_for(&mut self.arena, place, aspects, Unchecked::Nothing);
        }
        self.changes.push(Reversal::Focus { before });
    }
}
