//! Rules in definitions: the formulas under `x-ricordo`.

#[cfg(feature = "formula")]
use std::cell::LazyCell;

use super::json::{JsonNode, Member};
#[cfg(feature = "formula")]
use super::lines::Lines;
use super::members::refuse_unknown;
#[cfg(feature = "formula")]
use crate::formula::Formula;
use crate::schema::{Error, RuleText, RuleTextOf, Schema};

/// Reads a rule that stands under its key.
pub(super) fn read(member: &Member<'_>) -> Result<RuleText, Error> {
    needs_formulas(member)?;
    let node = member.node;
    let formula = |node: JsonNode<'_>| match node.string() {
        Ok(text) => Ok::<_, Error>(text.as_ref().into()),
        Err(_) => Err(node.error("a formula is a text, so it stands in quotes")),
    };
    let (of, at) = match &*member.name {
        "calculate" => (RuleTextOf::Calculate(formula(node)?), node),
        "suggest" => (RuleTextOf::Suggest(formula(node)?), node),
        "counterpart" => {
            const EXPECTED: &str = "“counterpart” is {\"field\": NAME, \"calculate\": FORMULA}";
            let members = node.members().map_err(|_| node.error(EXPECTED))?;
            refuse_unknown(&members, &["field", "calculate"], "counterpart")?;
            let named =
                |name: &str| members.iter().find(|member| member.name == name).map(|member| member.node);
            let (Some(field), Some(calculate)) = (named("field"), named("calculate")) else {
                return Err(node.error(EXPECTED));
            };
            let field_at = field.span().start;
            let (field, formula) = (formula(field)?, formula(calculate)?);
            (RuleTextOf::Counterpart { field, field_at, formula }, calculate)
        }
        "relevant" => (RuleTextOf::Relevant(formula(node)?), node),
        "readonly" => (RuleTextOf::Readonly(formula(node)?), node),
        "required" => (RuleTextOf::Required(formula(node)?), node),
        "minimum" => (RuleTextOf::Minimum(formula(node)?), node),
        "maximum" => (RuleTextOf::Maximum(formula(node)?), node),
        _ => {
            let text = node.string()?;
            let of = if text.starts_with('/') {
                RuleTextOf::ChoicesAt(text.parse().map_err(|error: Error| node.error(error.to_string()))?)
            } else {
                RuleTextOf::Choices(text.as_ref().into())
            };
            (of, node)
        }
    };
    Ok(RuleText { of, at: at.span().start })
}

/// Reads the constraints of a place.
pub(super) fn read_constraints(of: &Member<'_>) -> Result<Vec<RuleText>, Error> {
    const EXPECTED: &str = "constraints are a list of {\"test\": FORMULA, \"message\": TEXT}, each of which can have \"warning\": true and an \"id\"";
    needs_formulas(of)?;
    let constraint = |node: JsonNode<'_>| {
        let members = node.members().map_err(|_| node.error(EXPECTED))?;
        refuse_unknown(&members, &["test", "message", "warning", "id"], "constraint")?;
        let named = |name: &str| members.iter().find(|member| member.name == name).map(|member| member.node);
        let (Some(test), Some(message)) = (named("test"), named("message")) else {
            return Err(node.error(EXPECTED));
        };
        let is_warning = named("warning").map(|node| node.flag()).transpose()?.unwrap_or(false);
        let of = RuleTextOf::Constraint {
            test: test.string()?.as_ref().into(),
            message: message.string()?.as_ref().into(),
            message_at: message.span().start,
            is_warning,
            id: named("id").map(|node| node.string()).transpose()?.map(|id| id.as_ref().into()),
        };
        Ok(RuleText { of, at: test.span().start })
    };
    of.node.items().map_err(|_| of.node.error(EXPECTED))?.into_iter().map(constraint).collect()
}

fn needs_formulas(member: &Member<'_>) -> Result<(), Error> {
    if cfg!(feature = "formula") {
        return Ok(());
    }
    Err(member.name_error(format!("“{}” needs the feature `formula` of `ricordo`", member.name)))
}

/// The faults of formulas that cannot be parsed.
#[cfg(feature = "formula")]
pub(super) fn unparsable(document: &str, schema: Option<&Schema>) -> Vec<Error> {
    let lines = LazyCell::new(|| Lines::new(document));
    let rules = schema.into_iter().flat_map(Schema::parts).flat_map(|(_, part)| &part.rules);
    let problem = |rule: &RuleText| {
        let (at, formula) = rule.formula()?;
        Some(in_document(&lines, at, Formula::parse(formula).err()?))
    };
    rules.filter_map(problem).collect()
}

#[cfg(not(feature = "formula"))]
pub(super) fn unparsable(_: &str, _: Option<&Schema>) -> Vec<Error> {
    Vec::new()
}

/// An error in a text of a document, as one in the document. The text begins with the quotation mark at a byte.
#[cfg(feature = "formula")]
pub(super) fn in_document(document: &Lines<'_>, at: usize, error: Error) -> Error {
    let span = error.location().map_or(0..0, |location| location.span.clone());
    let written = |read| position(document.text(), at, read);
    error.located(document.location(written(span.start)..written(span.end)))
}

/// The position of a byte of a text in the document that has the text as a JSON string.
#[cfg(feature = "formula")]
fn position(document: &str, at: usize, wanted: usize) -> usize {
    let (mut written, mut read) = (at + 1, 0);
    while read < wanted {
        let rest = document.get(written..).unwrap_or_default();
        let Some(first) = rest.chars().next().filter(|first| *first != '"') else { break };
        let (length, means) = match (first, rest.as_bytes().get(1)) {
            // Two of them may stand for one character; then both are taken for half of it.
            ('\\', Some(b'u')) => {
                let code = rest.get(2..6).and_then(|digits| u32::from_str_radix(digits, 16).ok());
                (6, code.and_then(char::from_u32).map_or(2, char::len_utf8))
            }
            ('\\', _) => (2, 1),
            (sign, _) => (sign.len_utf8(), sign.len_utf8()),
        };
        written += length;
        read += means;
    }
    written.min(document.len())
}

#[cfg(all(test, feature = "formula"))]
mod tests {
    use super::position;

    #[test]
    fn a_position_in_a_string_is_found_through_escapes() {
        let document = r#"{"a": "x\"é\u00e9\ud83e\udd56\ny"}"#;
        let text = "x\"éé🥖\ny";
        let at = document.find(": ").map(|at| at + 2).unwrap();
        for (sign, expected) in [('x', 'x'), ('é', 'é'), ('y', 'y')] {
            let found = position(document, at, text.find(sign).unwrap());
            assert!(document[found..].starts_with(expected), "{sign}");
        }
    }
}
