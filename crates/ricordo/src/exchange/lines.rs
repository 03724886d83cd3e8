//! Lines and columns of a text.

#[cfg(feature = "formula")]
use std::ops::Range;

#[cfg(feature = "formula")]
use crate::schema::Location;

/// The lines of a text, for whoever asks for many positions in it.
///
/// A column is a number of characters, and a line may be very long. So the characters before every 256th byte are counted
/// once, and a position costs a search for its line and a count of at most 256 bytes.
pub(super) struct Lines<'a> {
    text: &'a str,
    /// The start of each line, in bytes.
    starts: Vec<usize>,
    /// The number of characters that start before each block of bytes.
    characters: Vec<usize>,
}

const BLOCK: usize = 256;

impl<'a> Lines<'a> {
    pub(super) fn new(text: &'a str) -> Self {
        let ends = text.bytes().enumerate().filter(|(_, byte)| *byte == b'\n');
        let starts = std::iter::once(0).chain(ends.map(|(at, _)| at + 1)).collect();
        let mut count = 0;
        let blocks = text.as_bytes().chunks(BLOCK).map(|block| {
            let before = count;
            count += characters(block);
            before
        });
        let mut characters: Vec<usize> = blocks.collect();
        characters.push(count);
        Lines { text, starts, characters }
    }

    /// The line and the column of a byte, both counted from 1.
    pub(super) fn position(&self, at: usize) -> (usize, usize) {
        let line = self.starts.partition_point(|start| *start <= at);
        let start = self.starts[line - 1];
        (line, self.characters_before(at) - self.characters_before(start) + 1)
    }

    /// The location of a byte range.
    #[cfg(feature = "formula")]
    pub(super) fn location(&self, span: Range<usize>) -> Location {
        let (line, column) = self.position(span.start);
        Location { line, column, span }
    }

    #[cfg(feature = "formula")]
    pub(super) fn text(&self) -> &'a str {
        self.text
    }

    fn characters_before(&self, at: usize) -> usize {
        let at = at.min(self.text.len());
        let block = at / BLOCK;
        self.characters[block] + characters(&self.text.as_bytes()[block * BLOCK..at])
    }
}

/// The number of characters that start in a stretch of UTF-8.
fn characters(bytes: &[u8]) -> usize {
    bytes.iter().filter(|byte| **byte & 0b1100_0000 != 0b1000_0000).count()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn positions_are_those_that_counting_gives() {
        let text = "né\n\n".to_owned() + &"🥖a".repeat(300) + "\nend";
        let lines = Lines::new(&text);
        for (at, _) in text.char_indices() {
            let before = &text[..at];
            let line_start = before.rfind('\n').map_or(0, |at| at + 1);
            let expected = (before.matches('\n').count() + 1, before[line_start..].chars().count() + 1);
            assert_eq!(lines.position(at), expected, "{at}");
        }
        assert_eq!(lines.position(text.len()), (4, 4));
        assert_eq!(Lines::new("").position(0), (1, 1));
    }
}
