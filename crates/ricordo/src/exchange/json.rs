//! JSON documents whose parts know where they stand.
//!
//! `serde_json` does the reading, a level at a time: a node is a stretch of the text that is known to be JSON,
//! and its members and items are found when they are asked for. So numbers keep all their digits, and every
//! error can name its line and column.

use std::borrow::Cow;
use std::fmt;
use std::marker::PhantomData;
use std::ops::Range;
use std::sync::Arc;

use rust_decimal::Decimal;
use serde::de::{Deserialize, Deserializer, MapAccess, Visitor};
use serde_json::value::RawValue;

use crate::schema::{Error, Pointer};
use crate::value::{HashedMap, HashedSet, Record, Value, read_number};

/// The greatest depth of nested JSON.
const DEEPEST: usize = 128;

/// Returns the pointer (RFC 6901) of the smallest part of a JSON document that has a byte at this offset: where an
/// [`Error::location`] is, for a document that nobody reads as text. `None` if the document is not JSON.
///
/// ```
/// use ricordo::exchange::pointer_at;
///
/// let document = r#"{"rows": [{"n": 1}, {"n": 22}]}"#;
/// assert_eq!(pointer_at(document, document.find("22").unwrap()).unwrap().as_str(), "/rows/1/n");
/// assert_eq!(pointer_at(document, 2).unwrap().as_str(), "/rows");
/// ```
pub fn pointer_at(document: &str, offset: usize) -> Option<Pointer> {
    let (mut pointer, mut at) = (Pointer::root(), JsonNode::read(document).ok()?);
    loop {
        let below = if at.is_object() {
            let members = at.members().ok()?.into_iter();
            let mut found =
                members.filter(|member| (member.name_at.start..member.node.span().end).contains(&offset));
            found.next().map(|member| (member.name.into_owned(), member.node))
        } else if at.is_array() {
            let mut items = at.items().ok()?.into_iter().enumerate();
            let found = items.find(|(_, item)| item.span().contains(&offset));
            found.map(|(index, item)| (index.to_string(), item))
        } else {
            None
        };
        let Some((token, node)) = below else { return Some(pointer) };
        pointer.push(&token);
        at = node;
    }
}

/// A part of a JSON document.
#[derive(Clone, Copy)]
pub(super) struct JsonNode<'a> {
    /// The whole document.
    document: &'a str,
    /// This part of it, without white space around it.
    text: &'a str,
    depth: usize,
}

/// A member of an object.
#[derive(Clone)]
pub(super) struct Member<'a> {
    pub(super) name: Cow<'a, str>,
    /// The position of the name.
    name_at: Range<usize>,
    pub(super) node: JsonNode<'a>,
}

impl<'a> JsonNode<'a> {
    /// The root of a document.
    pub(super) fn read(document: &'a str) -> Result<Self, Error> {
        let raw: &RawValue =
            serde_json::from_str(document).map_err(|error| syntax(document, document, &error))?;
        Ok(JsonNode { document, text: raw.get(), depth: 0 })
    }

    /// The whole document.
    pub(super) fn document(&self) -> &'a str {
        self.document
    }

    /// The bytes of the node in the document.
    pub(super) fn span(&self) -> Range<usize> {
        span_of(self.document, self.text)
    }

    pub(super) fn error(&self, message: impl Into<String>) -> Error {
        Error::syntax(self.document, self.span(), message)
    }

    /// The sort of JSON value, in words.
    pub(super) fn sort(&self) -> &'static str {
        match self.text.as_bytes().first() {
            Some(b'{') => "an object",
            Some(b'[') => "an array",
            Some(b'"') => "a string",
            Some(b't' | b'f') => "true or false",
            Some(b'n') => "null",
            _ => "a number",
        }
    }

    pub(super) fn is_null(&self) -> bool {
        self.text == "null"
    }

    pub(super) fn is_array(&self) -> bool {
        self.text.starts_with('[')
    }

    pub(super) fn is_object(&self) -> bool {
        self.text.starts_with('{')
    }

    pub(super) fn is_string(&self) -> bool {
        self.text.starts_with('"')
    }

    fn expected<T>(&self, expected: &str) -> Result<T, Error> {
        Err(self.error(format!("{expected} is expected here, not {}", self.sort())))
    }

    /// The members of an object, each name once.
    pub(super) fn members(&self) -> Result<Vec<Member<'a>>, Error> {
        if !self.is_object() {
            return self.expected("an object");
        }
        let pairs: Pairs<'a> = self.parse()?;
        let mut names = HashedSet::default();
        let mut members = Vec::with_capacity(pairs.0.len());
        for (name, node) in pairs.0 {
            let name_at = span_of(self.document, name.get());
            let name: Cow<'a, str> = JsonNode { text: name.get(), ..*self }.string()?;
            if !names.insert(name.clone()) {
                return Err(Error::syntax(self.document, name_at, format!("“{name}” is given twice")));
            }
            members.push(Member { name, name_at, node: self.below(node)? });
        }
        Ok(members)
    }

    /// The items of an array.
    pub(super) fn items(&self) -> Result<Vec<JsonNode<'a>>, Error> {
        if !self.is_array() {
            return self.expected("an array");
        }
        let items: Vec<&'a RawValue> = self.parse()?;
        items.into_iter().map(|item| self.below(item)).collect()
    }

    /// A string.
    pub(super) fn string(&self) -> Result<Cow<'a, str>, Error> {
        if !self.is_string() {
            return self.expected("a string");
        }
        // A string without escapes is borrowed from the document.
        let inner = &self.text[1..self.text.len() - 1];
        if inner.contains('\\') { self.parse::<String>().map(Cow::Owned) } else { Ok(Cow::Borrowed(inner)) }
    }

    /// True or false.
    pub(super) fn flag(&self) -> Result<bool, Error> {
        match self.text {
            "true" => Ok(true),
            "false" => Ok(false),
            _ => self.expected("true or false"),
        }
    }

    /// A number, exactly.
    pub(super) fn number(&self) -> Result<Decimal, Error> {
        if self.sort() != "a number" {
            return self.expected("a number");
        }
        read_number(self.text).map_err(|error| self.error(format!("{} cannot be read: {error}", self.text)))
    }

    /// A whole number that is not negative.
    pub(super) fn count(&self) -> Result<u64, Error> {
        let number = self.number()?;
        let whole = Some(number).filter(Decimal::is_integer).and_then(|number| number.try_into().ok());
        whole.ok_or_else(|| self.error("a whole number, 0 or more, is expected here"))
    }

    /// The node as a value.
    pub(super) fn value(&self) -> Result<Value, Error> {
        Ok(match self.sort() {
            "an object" => {
                let mut record = Record::new();
                for member in self.members()? {
                    record.push_new(Arc::<str>::from(member.name), member.node.value()?);
                }
                Value::Record(record)
            }
            "an array" => Value::List(self.items()?.iter().map(JsonNode::value).collect::<Result<_, _>>()?),
            "a string" => self.string()?.as_ref().into(),
            "true or false" => Value::Flag(self.flag()?),
            "null" => Value::Null,
            _ => Value::Number(self.number()?),
        })
    }

    fn below(&self, raw: &'a RawValue) -> Result<JsonNode<'a>, Error> {
        let node = JsonNode { document: self.document, text: raw.get(), depth: self.depth + 1 };
        if node.depth > DEEPEST {
            let span = node.span();
            let message = format!("this lies more than {DEEPEST} objects and arrays deep");
            return Err(Error::syntax(self.document, span.start..span.start, message));
        }
        Ok(node)
    }

    fn parse<T: Deserialize<'a>>(&self) -> Result<T, Error> {
        serde_json::from_str(self.text).map_err(|error| syntax(self.document, self.text, &error))
    }
}

/// A document in which many pointers are looked up: each object and array is taken apart at most once.
pub(super) struct Index<'a> {
    document: JsonNode<'a>,
    /// By where an object or array starts in the document, which no two do at the same place.
    contents: HashedMap<usize, Contents<'a>>,
}

/// The content of an object or array.
enum Contents<'a> {
    Members(HashedMap<Cow<'a, str>, JsonNode<'a>>),
    Items(Vec<JsonNode<'a>>),
    Nothing,
}

impl<'a> Index<'a> {
    pub(super) fn new(document: JsonNode<'a>) -> Self {
        Index { document, contents: HashedMap::default() }
    }

    /// The document itself.
    pub(super) fn document(&self) -> JsonNode<'a> {
        self.document
    }

    /// The node at a pointer, or the last one on the way to it.
    pub(super) fn find(&mut self, pointer: &Pointer) -> Result<JsonNode<'a>, JsonNode<'a>> {
        let mut node = self.document;
        for token in pointer.tokens() {
            let contents = self.contents.get_or_insert_with(node.span().start, || Contents::of(node));
            let next = match contents {
                Contents::Members(members) => members.get(&token),
                Contents::Items(items) => token.parse::<usize>().ok().and_then(|at| items.get(at)),
                Contents::Nothing => None,
            };
            node = *next.ok_or(node)?;
        }
        Ok(node)
    }
}

impl<'a> Contents<'a> {
    fn of(node: JsonNode<'a>) -> Self {
        if let Ok(members) = node.members() {
            Contents::Members(members.into_iter().map(|member| (member.name, member.node)).collect())
        } else if let Ok(items) = node.items() {
            Contents::Items(items)
        } else {
            Contents::Nothing
        }
    }
}

impl Member<'_> {
    /// An error about the name of the member.
    pub(super) fn name_error(&self, message: impl Into<String>) -> Error {
        Error::syntax(self.node.document, self.name_at.clone(), message)
    }
}

/// The bytes of a part of a document.
fn span_of(document: &str, part: &str) -> Range<usize> {
    let start = part.as_ptr().addr().saturating_sub(document.as_ptr().addr());
    start..start + part.len()
}

/// The error for a text that is not JSON, or a string that is not text.
fn syntax(document: &str, part: &str, error: &serde_json::Error) -> Error {
    let lines_before: usize =
        part.split_inclusive('\n').take(error.line().saturating_sub(1)).map(str::len).sum();
    let at = span_of(document, part).start + lines_before + error.column().saturating_sub(1);
    let said = error.to_string();
    // The place is said by other means.
    let said = said.split(" at line ").next().unwrap_or_default();
    let (problem, help) = words(said);
    let error = Error::syntax(document, at..at + 1, format!("this is not JSON: {problem}"));
    if help.is_empty() { error } else { error.with_help(help) }
}

/// Rewords an error of the JSON reader, and says how to fix it.
fn words(said: &str) -> (&str, &str) {
    match said {
        "EOF while parsing a string" => ("the text ends within a string", "close the string with “\"”"),
        "EOF while parsing a list" => ("the text ends within an array", "close the array with “]”"),
        "EOF while parsing an object" => ("the text ends within an object", "close the object with “}”"),
        "EOF while parsing a value" => ("a value is missing at the end", ""),
        "expected value" | "expected ident" => (
            "a value is expected here",
            "write a string in quotation marks, a number, true, false, null, an array or an object",
        ),
        "key must be a string" => {
            ("a name is expected here", "write names in quotation marks: {\"name\": …}")
        }
        "expected `:`" => ("a colon is expected here", "write “:” between a name and its value"),
        "expected `,` or `}`" => ("a comma or “}” is expected here", "separate members with commas"),
        "expected `,` or `]`" => ("a comma or “]” is expected here", "separate items with commas"),
        "trailing comma" => ("a comma is followed by nothing", "leave the last comma out"),
        "trailing characters" => ("something follows the value", "a text holds one value"),
        "invalid number" => ("this is not a number", "write numbers like 12, -0.5 or 1e6"),
        "number out of range" => ("this number is too large", ""),
        "invalid escape" => ("this is not an escape", "write a backslash as “\\\\”"),
        "invalid unicode code point"
        | "lone leading surrogate in hex escape"
        | "unexpected end of hex escape" => (
            "this escape is not a character",
            "write “\\u” with four digits, and a pair of them beyond U+FFFF",
        ),
        "control character (\\u0000-\\u001F) found while parsing a string" => {
            ("a string has a line break or another control character in it", "write a line break as “\\n”")
        }
        "recursion limit exceeded" => {
            ("arrays and objects lie too deep in each other", "use at most 128 levels")
        }
        other => (other, ""),
    }
}

/// The members of an object in order, names and values as they stand in the text.
struct Pairs<'a>(Vec<(&'a RawValue, &'a RawValue)>);

impl<'de: 'a, 'a> Deserialize<'de> for Pairs<'a> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Members<'a>(PhantomData<&'a ()>);

        impl<'de: 'a, 'a> Visitor<'de> for Members<'a> {
            type Value = Pairs<'a>;

            fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter.write_str("an object")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Pairs<'a>, A::Error> {
                let mut pairs = Vec::new();
                while let Some(pair) = map.next_entry()? {
                    pairs.push(pair);
                }
                Ok(Pairs(pairs))
            }
        }

        deserializer.deserialize_map(Members(PhantomData))
    }
}
