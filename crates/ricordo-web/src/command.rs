//! Verbs: what buttons do.

/// An action of a button on its place: the button's `value`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Command {
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

impl Command {
    /// All of them, in the order of their declaration.
    pub const ALL: [Command; 10] = [
        Command::Add,
        Command::Remove,
        Command::Duplicate,
        Command::Up,
        Command::Down,
        Command::Clear,
        Command::Reset,
        Command::Release,
        Command::Undo,
        Command::Redo,
    ];

    /// The `value` of its buttons.
    pub fn name(self) -> &'static str {
        match self {
            Command::Add => "add",
            Command::Remove => "remove",
            Command::Duplicate => "duplicate",
            Command::Up => "up",
            Command::Down => "down",
            Command::Clear => "clear",
            Command::Reset => "reset",
            Command::Release => "release",
            Command::Undo => "undo",
            Command::Redo => "redo",
        }
    }

    pub(crate) fn of(name: &str) -> Option<Self> {
        Command::ALL.into_iter().find(|command| command.name() == name)
    }

    /// All names, for messages.
    pub(crate) fn names() -> String {
        Command::ALL.map(Command::name).join(", ")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_verb_is_found_by_its_name() {
        for command in Command::ALL {
            assert_eq!(Command::of(command.name()), Some(command));
        }
        assert_eq!(Command::of("save"), None);
    }
}
