//! Tokens: the words and signs of a formula.

use std::ops::Range;
use std::sync::Arc;

use rust_decimal::Decimal;

use crate::schema::Error;
use crate::value::read_number;

/// A word or a sign, and the bytes where it stands.
#[derive(Clone, Debug, PartialEq)]
pub(super) struct Token {
    pub(super) kind: TokenKind,
    pub(super) span: Range<usize>,
}

#[derive(Clone, Debug, PartialEq)]
pub(super) enum TokenKind {
    /// A name or a keyword.
    Word(Arc<str>),
    Number(Decimal),
    /// The text between quotes.
    Text(Arc<str>),
    /// The text between the quotes of `@"…"`.
    Temporal(Arc<str>),
    Sign(&'static str),
    End,
}

/// The signs, those first that begin with another.
const SIGNS: [&str; 19] =
    ["**", "..", "!=", "<=", ">=", "+", "-", "*", "/", "=", "<", ">", "(", ")", "[", "]", ",", ".", ":"];

/// The tokens of a text, with one that marks the end.
pub(super) fn tokens(text: &str) -> Result<Vec<Token>, Error> {
    let mut tokens = Vec::new();
    let mut at = 0;
    while let Some(first) = text[at..].chars().next() {
        let rest = &text[at..];
        let (kind, length) = if first.is_whitespace() {
            at += first.len_utf8();
            continue;
        } else if rest.starts_with("//") {
            at += rest.find('\n').unwrap_or(rest.len());
            continue;
        } else if rest.starts_with("/*") {
            let Some(end) = rest.find("*/") else {
                return Err(Error::syntax(
                    text,
                    at..at + 2,
                    "a comment is not closed; write “*/” at its end",
                ));
            };
            at += end + 2;
            continue;
        } else if first.is_ascii_digit()
            || (first == '.' && rest[1..].starts_with(|next: char| next.is_ascii_digit()))
        {
            number(text, at)?
        } else if is_name_start(first) {
            let length = rest.find(|next: char| !is_name_part(next)).unwrap_or(rest.len());
            (TokenKind::Word(rest[..length].into()), length)
        } else if first == '"' {
            let (content, length) = quoted(text, at)?;
            (TokenKind::Text(content.into()), length)
        } else if rest.starts_with("@\"") {
            let (content, length) = quoted(text, at + 1)?;
            (TokenKind::Temporal(content.into()), length + 1)
        } else if let Some(sign) = SIGNS.into_iter().find(|sign| rest.starts_with(sign)) {
            (TokenKind::Sign(sign), sign.len())
        } else {
            let problem = match first {
                '{' | '}' => "a formula has no contexts, so braces mean nothing in it".to_owned(),
                '\'' => "texts stand in double quotes".to_owned(),
                _ => format!("“{first}” means nothing in a formula"),
            };
            return Err(Error::syntax(text, at..at + first.len_utf8(), problem));
        };
        tokens.push(Token { kind, span: at..at + length });
        at += length;
    }
    tokens.push(Token { kind: TokenKind::End, span: text.len()..text.len() });
    Ok(tokens)
}

/// Returns whether a text is one that can be a name.
pub(super) fn is_name(text: &str) -> bool {
    text.starts_with(is_name_start) && text.chars().all(is_name_part)
}

fn is_name_start(first: char) -> bool {
    first.is_alphabetic() || first == '_'
}

fn is_name_part(next: char) -> bool {
    next.is_alphanumeric() || next == '_'
}

/// A number (DMN 1.5, grammar rule 37). A point that is followed by another is the `..` of a range.
fn number(text: &str, at: usize) -> Result<(TokenKind, usize), Error> {
    let rest = &text[at..];
    let digits = |from: usize| rest[from..].bytes().take_while(u8::is_ascii_digit).count();
    let mut length = digits(0);
    if rest[length..].starts_with('.') && digits(length + 1) > 0 {
        length += 1 + digits(length + 1);
    }
    if rest[length..].starts_with(['e', 'E']) {
        let sign = usize::from(rest[length + 1..].starts_with(['+', '-']));
        let exponent = digits(length + 1 + sign);
        if exponent > 0 {
            length += 1 + sign + exponent;
        }
    }
    if let Some(next) = rest[length..].chars().next().filter(|next| is_name_start(*next)) {
        let problem = "a name cannot begin with a digit";
        return Err(Error::syntax(text, at..at + length + next.len_utf8(), problem));
    }
    match read_number(&rest[..length]) {
        Ok(number) => Ok((TokenKind::Number(number), length)),
        Err(_) => {
            let problem = "the number has more digits than the 28 there can be";
            Err(Error::syntax(text, at..at + length, problem))
        }
    }
}

/// A text in quotes (DMN 1.5, grammar rules 35 and 64), and how many bytes it takes.
fn quoted(text: &str, at: usize) -> Result<(String, usize), Error> {
    let (mut content, mut characters) = (String::new(), text[at + 1..].char_indices());
    while let Some((offset, character)) = characters.next() {
        let here = at + 1 + offset;
        match character {
            '"' => return Ok((content, here + 1 - at)),
            '\\' => {
                let escaped = characters.next().map(|(_, escaped)| escaped);
                let mut code = |digits: usize| {
                    let hex = text.get(here + 2..here + 2 + digits)?;
                    (0..digits).for_each(|_| _ = characters.next());
                    u32::from_str_radix(hex, 16).ok().and_then(char::from_u32)
                };
                let character = match escaped {
                    Some('n') => Some('\n'),
                    Some('r') => Some('\r'),
                    Some('t') => Some('\t'),
                    Some(same @ ('"' | '\'' | '\\')) => Some(same),
                    Some('u') => code(4),
                    Some('U') => code(6),
                    Some(_) | None => None,
                };
                let Some(character) = character else {
                    let problem = "after “\\” stands one of n, r, t, \", ', \\, u with four hexadecimal digits, or U with six";
                    return Err(Error::syntax(text, here..here + 1, problem));
                };
                content.push(character);
            }
            character => content.push(character),
        }
    }
    Err(Error::syntax(text, at..at + 1, "a text is not closed; write a quote at its end"))
}
