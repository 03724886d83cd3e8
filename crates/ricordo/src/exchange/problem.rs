//! Problem details (RFC 9457): why something was rejected, as JSON.

use std::borrow::Cow;

use percent_encoding::percent_decode_str;

use super::json::JsonNode;
use super::reference::percent_encoded;
use crate::engine::{Problem, ProblemError};
use crate::schema::Error;
use crate::value::{Record, Value};

/// Reads problem details (RFC 9457), as a server answers with the media type `application/problem+json`.
///
/// As the standard demands (section 3.1), a member of another type than it should be is passed over, and so is one that is not known.
/// The extension `errors` is a list of objects with a `pointer`, a JSON Pointer that may begin with `#` as a fragment of a URI, and a
/// `detail`; an error without a detail says nothing, and is passed over.
///
/// ```
/// let problem = ricordo::exchange::read_problem(r##"{
///     "title": "Not saved",
///     "errors": [{"pointer": "#/name", "detail": "There is a batch of this name."}]
/// }"##)?;
/// assert_eq!(problem.errors[0].pointer, "/name");
/// # Ok::<(), ricordo::Error>(())
/// ```
///
/// # Errors
///
/// Fails if the text is not a JSON object; the error has the line and the column.
pub fn read_problem(text: &str) -> Result<Problem, Error> {
    problem_of(JsonNode::read(text)?)
}

/// The problem details that stand here.
pub(super) fn problem_of(node: JsonNode<'_>) -> Result<Problem, Error> {
    let mut problem = Problem::default();
    for member in node.members()? {
        let text = || member.node.string().ok().map(Cow::into_owned);
        match &*member.name {
            "type" => problem.kind = text(),
            "title" => problem.title = text(),
            "detail" => problem.detail = text(),
            "status" => {
                problem.status = member.node.count().ok().and_then(|status| u16::try_from(status).ok());
            }
            "errors" => {
                let items = member.node.items().unwrap_or_default();
                problem.errors = items.into_iter().filter_map(error_of).collect();
            }
            _ => {}
        }
    }
    Ok(problem)
}

fn error_of(node: JsonNode<'_>) -> Option<ProblemError> {
    let members = node.members().ok()?;
    let text = |name: &str| {
        let member = members.iter().find(|member| member.name == name)?;
        member.node.string().ok().map(Cow::into_owned)
    };
    let detail = text("detail")?;
    let pointer = text("pointer").unwrap_or_default();
    let pointer = pointer.strip_prefix('#').map_or(pointer.clone(), percent_decoded);
    Some(ProblemError { pointer, detail })
}

/// A fragment of a URI without percent encoding (RFC 6901, section 6). Text that is not encoded properly
/// stays as it is.
fn percent_decoded(text: &str) -> String {
    percent_decode_str(text).decode_utf8().map_or_else(|_| text.to_owned(), Cow::into_owned)
}

/// Problem details as JSON has them.
pub(super) fn problem_value(problem: &Problem) -> Value {
    let Problem { kind, title, detail, status, errors } = problem;
    let mut members = Record::new();
    for (name, text) in [("type", kind), ("title", title), ("detail", detail)] {
        if let Some(text) = text {
            members.insert(name, text.as_str().into());
        }
    }
    if let Some(status) = status {
        members.insert("status", i64::from(*status).into());
    }
    if !errors.is_empty() {
        let error = |error: &ProblemError| {
            let mut members = Record::new();
            members.insert("pointer", format!("#{}", percent_encoded(&error.pointer)).into());
            members.insert("detail", error.detail.as_str().into());
            Value::Record(members)
        };
        members.insert("errors", Value::List(errors.iter().map(error).collect()));
    }
    members.into()
}

/// Writes problem details (RFC 9457) as JSON. Pointers are written as fragments of a URI (RFC 6901, section 6).
///
/// ```
/// let problem = ricordo::Problem::new("Not saved").error("/name", "Taken.");
/// let text = ricordo::exchange::write_problem(&problem);
/// assert_eq!(text, r##"{"title":"Not saved","errors":[{"pointer":"#/name","detail":"Taken."}]}"##);
/// ```
pub fn write_problem(problem: &Problem) -> String {
    problem_value(problem).to_string()
}
