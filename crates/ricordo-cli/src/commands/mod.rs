//! The commands.

pub(crate) mod check;
pub(crate) mod demo;
pub(crate) mod diff;
pub(crate) mod page;
pub(crate) mod replay;
pub(crate) mod scaffold;
pub(crate) mod why;
