//! The functions that begin the second file of WebAssembly: see [`rest`](crate::rest). That file has the code that only these reach,
//! so none of them is inlined into its caller.

use ricordo::exchange::{Command, read_journal};
use ricordo::{Error, Form, Place, Value};

/// Begins to record the actions on a form.
#[inline(never)]
pub(crate) fn start_recording(form: &Form, bytes: usize) {
    form.diagnostics().start_recording(bytes);
}

/// Replays a journal: a message for each refused action and failed expectation.
#[inline(never)]
pub(crate) fn replay(form: &Form, journal: &str) -> Result<Vec<String>, Error> {
    let mut problems = Vec::new();
    for entry in read_journal(journal)? {
        let found = match entry.command {
            Command::Apply(action) => form.apply(action).err().map(|refused| vec![refused.to_string()]),
            Command::Expect(expectation) => Some(expectation.check(form)),
            other => Some(vec![format!("this version knows no line of this kind: {other:?}")]),
        };
        problems.extend(found.into_iter().flatten().map(|problem| format!("line {}: {problem}", entry.line)));
    }
    Ok(problems)
}

/// Explains a place in words.
#[inline(never)]
pub(crate) fn explain(place: &Place<Value>) -> String {
    place.explain().iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
}

/// The whole state of a form.
#[inline(never)]
pub(crate) fn dump(form: &Form) -> Value {
    form.diagnostics().dump()
}
