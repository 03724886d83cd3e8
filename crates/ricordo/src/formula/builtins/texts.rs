//! Functions of texts. Positions and lengths count Unicode code points.

use super::LONGEST_TEXT;
use crate::formula::datum::Datum;
use crate::formula::functions::Function;

/// A regular expression, compiled. Without the feature `pattern` there is none.
#[derive(Debug)]
pub(crate) struct RegularExpression(
    #[cfg(feature = "pattern")] regex_lite::Regex,
    #[cfg(not(feature = "pattern"))] std::convert::Infallible,
);

/// It is compiled from arguments of its call, and is the same where these are.
impl PartialEq for RegularExpression {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

fn text(text: &str) -> Datum {
    Datum::Text(text.into())
}

pub(super) fn call(function: Function, arguments: &[Datum]) -> Option<Datum> {
    let of = arguments[0].as_text()?;
    let other = || arguments[1].as_text();
    Some(match function {
        Function::Substring => text(substring(of, arguments)?),
        Function::StringLength => Datum::Number(of.chars().count().into()),
        Function::UpperCase => text(&of.to_uppercase()),
        Function::LowerCase => text(&of.to_lowercase()),
        Function::SubstringBefore => text(of.split_once(other()?).map_or("", |(before, _)| before)),
        Function::SubstringAfter => text(of.split_once(other()?).map_or("", |(_, after)| after)),
        Function::Contains => Datum::Flag(of.contains(other()?)),
        Function::StartsWith => Datum::Flag(of.starts_with(other()?)),
        Function::EndsWith => Datum::Flag(of.ends_with(other()?)),
        _ => return None,
    })
}

/// From a position, counted from 1, or from the end if it is negative.
fn substring<'a>(of: &'a str, arguments: &[Datum]) -> Option<&'a str> {
    let count = i64::try_from(of.chars().count()).ok()?;
    let start = match arguments[1].as_whole()? {
        0 => return None,
        start if start > 0 => start - 1,
        start => count.checked_add(start).filter(|start| *start >= 0)?,
    };
    let length = match arguments.get(2) {
        None | Some(Datum::Null) => count,
        Some(length) => length.as_whole().filter(|length| *length >= 0)?,
    };
    let byte = |position: i64| {
        let position = usize::try_from(position).unwrap_or(usize::MAX);
        of.char_indices().nth(position).map_or(of.len(), |(at, _)| at)
    };
    Some(&of[byte(start)..byte(start.saturating_add(length))])
}

/// The texts of a list with a delimiter between them; nulls are left out.
pub(super) fn join(arguments: &[Datum]) -> Option<Datum> {
    let delimiter = match arguments.get(1) {
        None | Some(Datum::Null) => "",
        Some(delimiter) => delimiter.as_text()?,
    };
    let mut joined = String::new();
    let items = arguments[0].items().iter().filter(|item| **item != Datum::Null);
    for (at, item) in items.enumerate() {
        if at > 0 {
            joined.push_str(delimiter);
        }
        joined.push_str(item.as_text()?);
        // It is refused by whoever asked for it.
        if joined.len() > LONGEST_TEXT {
            break;
        }
    }
    Some(text(&joined))
}

/// The pattern of a call with the flags of `XPath` that it is given: `s`, `m`, `i` and `x`.
#[cfg(feature = "pattern")]
pub(crate) fn compile(pattern: &str, flags: Option<&str>) -> Result<RegularExpression, String> {
    if let Some(flag) = flags.unwrap_or_default().chars().find(|flag| !"smix".contains(*flag)) {
        return Err(format!("there is no flag “{flag}”; there are s, m, i and x"));
    }
    let expression = match flags {
        None | Some("") => regex_lite::Regex::new(pattern),
        Some(flags) => regex_lite::Regex::new(&format!("(?{flags}){pattern}")),
    };
    expression
        .map(RegularExpression)
        .map_err(|error| format!("“{pattern}” is not a regular expression: {error}"))
}

#[cfg(not(feature = "pattern"))]
pub(crate) fn compile(_: &str, _: Option<&str>) -> Result<RegularExpression, String> {
    Err("regular expressions need the feature `pattern` of `ricordo`".to_owned())
}

/// Uses the pattern of a call, which is known, or else is the argument after the text.
#[cfg(feature = "pattern")]
fn with_expression<T>(
    arguments: &[Datum],
    flags: usize,
    known: Option<&RegularExpression>,
    then: impl FnOnce(&RegularExpression) -> Option<T>,
) -> Option<T> {
    if let Some(known) = known {
        return then(known);
    }
    let flags = match arguments.get(flags) {
        None | Some(Datum::Null) => None,
        Some(flags) => Some(flags.as_text()?),
    };
    then(&compile(arguments[1].as_text()?, flags).ok()?)
}

#[cfg(feature = "pattern")]
pub(super) fn matches(arguments: &[Datum], known: Option<&RegularExpression>) -> Option<Datum> {
    let of = arguments[0].as_text()?;
    with_expression(arguments, 2, known, |expression| Some(Datum::Flag(expression.0.is_match(of))))
}

/// Each match of the pattern is replaced; `$1` in the replacement is the first group, and `\$` a dollar sign.
#[cfg(feature = "pattern")]
pub(super) fn replace(arguments: &[Datum], known: Option<&RegularExpression>) -> Option<Datum> {
    let (of, replacement) = (arguments[0].as_text()?, arguments[2].as_text()?);
    with_expression(arguments, 3, known, |expression| {
        // A pattern that matches the empty text would put a replacement between any two characters.
        if expression.0.is_match("") {
            return None;
        }
        let (mut replaced, mut end) = (String::new(), 0);
        for found in expression.0.captures_iter(of) {
            let whole = found.get(0)?;
            replaced.push_str(&of[end..whole.start()]);
            expand(replacement, &found, &mut replaced)?;
            end = whole.end();
            if replaced.len() > LONGEST_TEXT {
                break;
            }
        }
        replaced.push_str(&of[end..]);
        Some(text(&replaced))
    })
}

/// Writes a replacement with its groups filled in; `None` if it is not written as it should be.
#[cfg(feature = "pattern")]
fn expand(replacement: &str, found: &regex_lite::Captures<'_>, to: &mut String) -> Option<()> {
    let mut signs = replacement.chars().peekable();
    while let Some(sign) = signs.next() {
        match sign {
            '\\' => to.push(signs.next().filter(|next| ['\\', '$'].contains(next))?),
            '$' => {
                let mut group = signs.next()?.to_digit(10)? as usize;
                // As many digits as there are groups for.
                while let Some(digit) = signs.peek().and_then(|next| next.to_digit(10)) {
                    let longer = group * 10 + digit as usize;
                    if longer >= found.len() {
                        break;
                    }
                    group = longer;
                    signs.next();
                }
                to.push_str(found.get(group).map_or("", |group| group.as_str()));
            }
            sign => to.push(sign),
        }
    }
    Some(())
}

#[cfg(feature = "pattern")]
pub(super) fn split(arguments: &[Datum], known: Option<&RegularExpression>) -> Option<Datum> {
    let of = arguments[0].as_text()?;
    with_expression(arguments, usize::MAX, known, |expression| {
        if expression.0.is_match("") {
            return None;
        }
        Some(Datum::List(expression.0.split(of).map(text).collect()))
    })
}

#[cfg(not(feature = "pattern"))]
pub(super) fn matches(_: &[Datum], _: Option<&RegularExpression>) -> Option<Datum> {
    None
}

#[cfg(not(feature = "pattern"))]
pub(super) fn replace(_: &[Datum], _: Option<&RegularExpression>) -> Option<Datum> {
    None
}

#[cfg(not(feature = "pattern"))]
pub(super) fn split(_: &[Datum], _: Option<&RegularExpression>) -> Option<Datum> {
    None
}
