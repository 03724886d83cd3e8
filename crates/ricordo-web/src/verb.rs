//! Verbs: what buttons do.

/// An action of a button on its place: the button's `value`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Verb {
    /// `add`: adds a blank row to a list, or opens an optional record.
    Add,
    /// `remove`: removes a row, or empties an optional record or a field.
    Remove,
    /// `duplicate`: inserts a copy of a row after it.
    Duplicate,
    /// `up`: moves a row towards the front.
    Up,
    /// `down`: moves a row towards the end.
    Down,
    /// `clear`: clears a field, a list or a record.
    Clear,
    /// `reset`: resets a place to its baseline.
    Reset,
    /// `release`: gives up an override. The button is hidden while there is none.
    Release,
    /// `undo`: undoes the last step. The button is disabled while there is none.
    Undo,
    /// `redo`: redoes the step that was undone last. The button is disabled while there is none.
    Redo,
}

impl Verb {
    /// All of them, in the order of their declaration.
    pub const ALL: [Verb; 10] = [
        Verb::Add,
        Verb::Remove,
        Verb::Duplicate,
        Verb::Up,
        Verb::Down,
        Verb::Clear,
        Verb::Reset,
        Verb::Release,
        Verb::Undo,
        Verb::Redo,
    ];

    /// The `value` of its buttons.
    pub fn name(self) -> &'static str {
        match self {
            Verb::Add => "add",
            Verb::Remove => "remove",
            Verb::Duplicate => "duplicate",
            Verb::Up => "up",
            Verb::Down => "down",
            Verb::Clear => "clear",
            Verb::Reset => "reset",
            Verb::Release => "release",
            Verb::Undo => "undo",
            Verb::Redo => "redo",
        }
    }

    pub(crate) fn of(name: &str) -> Option<Self> {
        Verb::ALL.into_iter().find(|verb| verb.name() == name)
    }

    /// All names, for messages.
    pub(crate) fn names() -> String {
        Verb::ALL.map(Verb::name).join(", ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_verb_is_found_by_its_name() {
        for verb in Verb::ALL {
            assert_eq!(Verb::of(verb.name()), Some(verb));
        }
        assert_eq!(Verb::of("save"), None);
    }
}
