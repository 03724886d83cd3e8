//! Output to the screen: its width, its colours, and lines that are safe to show.

use std::borrow::Cow;
use std::fmt::{self, Display, Write as _};
use std::io::{self, Stdout, Write};

use anstream::{AutoStream, ColorChoice};
use anstyle::{AnsiColor, Style};

/// The width of text where no terminal says otherwise.
const USUAL_WIDTH: usize = 100;

/// Headings.
pub(crate) const STRONG: Style = Style::new().bold();
/// Less important text.
pub(crate) const FAINT: Style = Style::new().dimmed();
/// A success.
pub(crate) const GOOD: Style = AnsiColor::Green.on_default();
/// Errors.
pub(crate) const BAD: Style = AnsiColor::Red.on_default();

/// The width to lay out for, in columns.
pub(crate) fn width() -> usize {
    let terminal = comfy_table::Table::new().width().map(usize::from);
    terminal.unwrap_or(USUAL_WIDTH).clamp(60, 160)
}

/// Returns whether tables may be in colour.
pub(crate) fn in_colour() -> bool {
    AutoStream::choice(&io::stdout()) != ColorChoice::Never
}

/// Returns whether errors may be in colour.
pub(crate) fn errors_in_colour() -> bool {
    AutoStream::choice(&io::stderr()) != ColorChoice::Never
}

/// A text as it may be shown: control characters, which could clear the screen or set its title, and those that change
/// the direction of text are escaped.
pub(crate) fn plain(text: &str) -> Cow<'_, str> {
    if !text.chars().any(is_control) {
        return Cow::Borrowed(text);
    }
    let mut escaped = String::with_capacity(text.len() + 8);
    for sign in text.chars() {
        if is_control(sign) {
            escaped.extend(sign.escape_default());
        } else {
            escaped.push(sign);
        }
    }
    Cow::Owned(escaped)
}

/// JSON as it may be shown. JSON itself escapes only some control characters; the others stand within strings, where
/// they may be escaped.
pub(crate) fn plain_json(json: &str) -> String {
    let mut escaped = String::with_capacity(json.len());
    for sign in json.chars() {
        if is_control(sign) && sign != '\n' {
            // A string takes whatever is written to it.
            let _ = write!(escaped, "\\u{:04x}", u32::from(sign));
        } else {
            escaped.push(sign);
        }
    }
    escaped
}

/// Control characters (Unicode category Cc), and the controls of bidirectional text (UAX #9).
fn is_control(sign: char) -> bool {
    sign.is_control()
        || matches!(sign, '\u{200e}' | '\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

/// A line to print. Whatever is put in is escaped; only styles are escape sequences.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Line(String);

impl Line {
    /// A line that begins with this text.
    pub(crate) fn new(text: impl Display) -> Self {
        Line::default().text(text)
    }

    /// A line that begins with this text in a style.
    pub(crate) fn of(style: Style, text: impl Display) -> Self {
        Line::default().styled(style, text)
    }

    /// The line with a text after it.
    pub(crate) fn text(mut self, text: impl Display) -> Self {
        self.0.push_str(&plain(&text.to_string()));
        self
    }

    /// The line with a text in a style after it.
    pub(crate) fn styled(mut self, style: Style, text: impl Display) -> Self {
        let text = text.to_string();
        // A string takes whatever is written to it.
        let _ = write!(self.0, "{style}{}{style:#}", plain(&text));
        self
    }

    /// The line further to the right.
    pub(crate) fn indented(self, columns: usize) -> Self {
        Line(format!("{:columns$}{}", "", self.0))
    }
}

impl Display for Line {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.0)
    }
}

/// Standard output. It can be closed, or full, at any time; then whoever writes gets an error.
#[derive(Debug)]
pub(crate) struct Output(AutoStream<Stdout>);

impl Output {
    pub(crate) fn new() -> Self {
        Output(AutoStream::auto(io::stdout()))
    }

    /// Prints a line.
    pub(crate) fn line(&mut self, line: &Line) -> io::Result<()> {
        writeln!(self.0, "{line}")
    }

    /// Prints lines, each so many columns further to the right.
    pub(crate) fn lines(&mut self, lines: impl IntoIterator<Item = Line>, indent: usize) -> io::Result<()> {
        lines.into_iter().try_for_each(|line| self.line(&line.indented(indent)))
    }

    /// Prints what is laid out and escaped already, such as a table.
    pub(crate) fn block(&mut self, block: impl Display) -> io::Result<()> {
        writeln!(self.0, "{block}")
    }

    /// Sees to it that all is written.
    pub(crate) fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

/// Prints to standard error. If nobody can read that, nothing can be said about it either.
pub(crate) fn complain(text: impl Display) {
    let _ = write!(anstream::stderr(), "{text}");
}
