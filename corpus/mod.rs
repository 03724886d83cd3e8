//! The corpus: definitions, data and journals, and what must come of them on every platform, byte for byte.
//!
//! The same function runs it natively (`crates/ricordo/tests/corpus.rs`) and in a page (`crates/ricordo-web/tests/browser/corpus.rs`).

use std::cell::RefCell;
use std::fmt::Write;
use std::rc::Rc;

use ricordo::exchange::{Command, read_journal};
use ricordo::form::SubmitOptions;
use ricordo::{Error, Form};

/// A definition, data for it, and a journal. What must come of it is in the file `NAME.expected` in this folder.
pub(crate) struct Case {
    pub(crate) name: &'static str,
    pub(crate) definition: &'static str,
    pub(crate) data: &'static str,
    pub(crate) journal: &'static str,
}

macro_rules! case {
    ($name:literal, $definition:expr, $data:expr, $journal:expr) => {
        Case {
            name: $name,
            definition: include_str!($definition),
            data: include_str!($data),
            journal: include_str!($journal),
        }
    };
    ($name:literal) => {
        case!($name, concat!($name, ".form.json"), concat!($name, ".data.json"), concat!($name, ".journal"))
    };
}

pub(crate) const CASES: &[Case] = &[
    case!(
        "batch-sheet",
        "../crates/ricordo-cli/demo/batch-sheet.form.json",
        "../crates/ricordo-cli/demo/batch-sheet.data.json",
        "../crates/ricordo-cli/demo/busy-morning.journal"
    ),
    case!("numbers"),
    case!("times"),
    case!("texts"),
    case!("lists"),
    case!("variants"),
    case!("answers"),
];

impl Case {
    /// What comes of it: what each line did and who was notified why; then the state, and everything that is written of it.
    pub(crate) fn run(&self) -> String {
        self.report().unwrap_or_else(|error| format!("{error}\n"))
    }

    fn report(&self) -> Result<String, Error> {
        let form = Form::from_definition(self.definition, Some(self.data))?;
        form.diagnostics().start_recording(1_000_000);
        let heard: Rc<RefCell<String>> = Rc::default();
        let mut guards = Vec::new();
        for place in form.place("")?.children() {
            let heard = heard.clone();
            guards.push(place.subscribe(move |notice| {
                let place = notice.place();
                let gone = if place.is_gone() { ", gone" } else { "" };
                let _ = write!(heard.borrow_mut(), "  {} notified{gone}:", place.pointer());
                for line in notice.cause().to_string().lines() {
                    let _ = write!(heard.borrow_mut(), " | {}", line.trim());
                }
                heard.borrow_mut().push('\n');
            })?);
        }
        let mut report = String::new();
        for entry in read_journal(self.journal)? {
            let problems = match entry.command {
                Command::Apply(action) => form.apply(action).err().map(|refused| vec![refused.to_string()]),
                Command::Expect(expectation) => Some(expectation.check(&form)),
                other => Some(vec![format!("{other:?}")]),
            };
            let heard = heard.take();
            let problems = problems.unwrap_or_default();
            if !heard.is_empty() || !problems.is_empty() {
                let _ = write!(report, "line {}\n{heard}", entry.line);
                for problem in problems {
                    let _ = writeln!(report, "  {problem}");
                }
            }
        }
        let whole = form.payload(&SubmitOptions::new())?;
        for (title, text) in [
            ("dump", format!("{:#}", form.diagnostics().dump())),
            ("value", form.to_json()),
            ("payload", whole.to_string()),
            ("json patch", form.json_patch_with_tests().to_string()),
            ("merge patch", form.merge_patch().to_string()),
            ("draft", form.draft().to_string()),
            ("journal", form.diagnostics().recording().unwrap_or_default()),
        ] {
            let _ = write!(report, "\n== {title}\n{}\n", text.trim_end());
        }
        Ok(report)
    }
}
