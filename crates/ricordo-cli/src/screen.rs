//! What the screen is like: its width, and whether it takes colours.

use anstream::{AutoStream, ColorChoice};
use anstyle::{AnsiColor, Style};

/// The width of text where no terminal says otherwise.
const USUAL_WIDTH: usize = 100;

/// Headings.
pub(crate) const STRONG: Style = Style::new().bold();
/// What matters less.
pub(crate) const FAINT: Style = Style::new().dimmed();
/// What is well.
pub(crate) const GOOD: Style = AnsiColor::Green.on_default();
/// What is wrong.
pub(crate) const BAD: Style = AnsiColor::Red.on_default();

/// The width to lay out for, in columns.
pub(crate) fn width() -> usize {
    let terminal = comfy_table::Table::new().width().map(usize::from);
    terminal.unwrap_or(USUAL_WIDTH).clamp(60, 160)
}

/// Whether tables may be in colour.
pub(crate) fn in_colour() -> bool {
    AutoStream::choice(&std::io::stdout()) != ColorChoice::Never
}

/// Whether errors may be in colour.
pub(crate) fn errors_in_colour() -> bool {
    AutoStream::choice(&std::io::stderr()) != ColorChoice::Never
}

/// A text in a style.
pub(crate) fn styled(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{style:#}")
}
