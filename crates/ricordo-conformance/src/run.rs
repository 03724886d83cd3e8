//! Going through a script.

use std::collections::HashMap;
use std::fmt;
use std::sync::Arc;
use std::time::Duration;

use super::script::{Expected, Line, ScriptStep, read};
use super::{Adapter, Gesture, Seen};
use ricordo::engine::CompiledSchema;
use ricordo::exchange::{Command, read_data, read_definition};
use ricordo::form::Form;
use ricordo::schema::Pointer;
use ricordo::value::Value;

const FORM: &str = include_str!("screen.form.json");
const DATA: &str = include_str!("screen.data.json");
const SCRIPT: &str = include_str!("screen.script");

/// The result of a check.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub struct Report {
    /// The number of cases that were run.
    pub cases: usize,
    /// The number of reads and counts.
    pub checks: usize,
    /// The failures.
    pub failures: Vec<Failure>,
}

/// Something that was not as it must be.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Failure {
    /// The title of the case.
    pub case: String,
    /// The line of the script.
    pub line: usize,
    /// The expectation, and what was seen.
    pub problem: String,
}

impl Report {
    /// Returns whether all was as it must be.
    pub fn is_passed(&self) -> bool {
        self.failures.is_empty()
    }
}

impl fmt::Display for Report {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (cases, checks, failed) = (self.cases, self.checks, self.failures.len());
        let mark = if self.is_passed() { "✓" } else { "✗" };
        write!(formatter, "{mark} {cases} cases, {checks} checks, {failed} failed")?;
        let mut case = "";
        for failure in &self.failures {
            if case != failure.case {
                case = &failure.case;
                write!(formatter, "\n{case}")?;
            }
            write!(formatter, "\n  line {}: {}", failure.line, failure.problem)?;
        }
        Ok(())
    }
}

/// Goes through the library's own script with an adapter.
///
/// # Panics
///
/// When the adapter does.
pub fn check(adapter: &mut impl Adapter) -> Report {
    match read_definition(FORM).and_then(|schema| Ok((read_data(DATA, schema.schema())?, schema))) {
        Ok((data, schema)) => check_script(adapter, &Arc::new(schema), &data, SCRIPT),
        // The files are part of the library, and are read in its tests.
        Err(error) => Report::of_problem(0, error.to_string()),
    }
}

/// Goes through a script of your own with an adapter. Each case begins with a form of this schema that holds this
/// data. A script is JSON Lines, as described in `docs/adapters.md`; what cannot be read is a failure.
pub fn check_script(
    adapter: &mut impl Adapter,
    schema: &Arc<CompiledSchema>,
    data: &Value,
    script: &str,
) -> Report {
    let lines = match read(script) {
        Ok(lines) => lines,
        Err((line, problem)) => return Report::of_problem(line, problem),
    };
    let mut run =
        Run { adapter, form: None, drawn: HashMap::new(), case: String::new(), report: Report::default() };
    for Line { number, step } in lines {
        let problem = match step {
            ScriptStep::Case(title) => run.begin(title, schema, data),
            step => run.step(step),
        };
        if let Err(problem) = problem {
            let failure = Failure { case: run.case.clone(), line: number, problem };
            run.report.failures.push(failure);
        }
    }
    run.report
}

impl Report {
    fn of_problem(line: usize, problem: String) -> Self {
        let failure = Failure { case: "the script cannot be read".to_owned(), line, problem };
        Report { failures: vec![failure], ..Report::default() }
    }
}

struct Run<'a, A> {
    adapter: &'a mut A,
    form: Option<Form>,
    /// The number of times that each widget had been drawn when it was last read.
    drawn: HashMap<Pointer, u64>,
    case: String,
    report: Report,
}

impl<A: Adapter> Run<'_, A> {
    fn begin(&mut self, title: String, schema: &Arc<CompiledSchema>, data: &Value) -> Result<(), String> {
        self.report.cases += 1;
        self.case = title;
        self.drawn.clear();
        let form = Form::from_schema(schema, Some(data.clone())).map_err(|error| error.to_string())?;
        self.adapter.show(form.clone());
        self.form = Some(form);
        Ok(())
    }

    fn step(&mut self, step: ScriptStep) -> Result<(), String> {
        match step {
            ScriptStep::Case(_) => Ok(()),
            ScriptStep::Act(at, gesture) => {
                if self.adapter.act(&at, &gesture) {
                    return Ok(());
                }
                Err(format!("{} cannot be done at {at}", doing(&gesture)))
            }
            ScriptStep::PassTime(milliseconds) => {
                self.adapter.pass_time(Duration::from_millis(milliseconds));
                Ok(())
            }
            ScriptStep::Form(command) => self.command(command),
            ScriptStep::See(at, expected) => {
                let seen = self.adapter.see(&at).ok_or_else(|| format!("there is no widget for {at}"))?;
                self.drawn.insert(at.clone(), seen.times_drawn);
                let differences: Vec<String> = expected
                    .iter()
                    .filter_map(|expected| {
                        self.report.checks += 1;
                        difference(expected, &seen)
                    })
                    .collect();
                if differences.is_empty() {
                    Ok(())
                } else {
                    Err(format!("{at} {}", differences.join(", and ")))
                }
            }
            ScriptStep::NoWidget(at) => {
                self.report.checks += 1;
                match self.adapter.see(&at) {
                    None => Ok(()),
                    Some(_) => Err(format!("there is a widget for {at}, where there must be none")),
                }
            }
            ScriptStep::Still(places) => self.still(&places),
        }
    }

    fn command(&mut self, command: Command) -> Result<(), String> {
        let Some(form) = &self.form else { return Err("there is no form before the first case".to_owned()) };
        match command {
            Command::Apply(action) => form.apply(action).map_err(|refused| refused.to_string()),
            Command::Expect(expectation) => {
                self.report.checks += 1;
                let differences = expectation.check(&form);
                if differences.is_empty() { Ok(()) } else { Err(differences.join("; ")) }
            }
            other => Err(format!("the checks cannot run {other:?}")),
        }
    }

    fn still(&mut self, places: &[Pointer]) -> Result<(), String> {
        let mut needless = Vec::new();
        for at in places {
            self.report.checks += 1;
            let Some(seen) = self.adapter.see(at) else { return Err(format!("there is no widget for {at}")) };
            let before = self.drawn.insert(at.clone(), seen.times_drawn);
            let before = before.ok_or_else(|| format!("{at} was not read before"))?;
            if seen.times_drawn != before {
                needless.push(format!("{at} was drawn {} times more", seen.times_drawn - before));
            }
        }
        if needless.is_empty() { Ok(()) } else { Err(format!("without need, {}", needless.join(" and "))) }
    }
}

fn doing(gesture: &Gesture) -> String {
    match gesture {
        Gesture::Focus => "focusing".to_owned(),
        Gesture::Type(text) => format!("typing “{text}”"),
        Gesture::Compose(text) => format!("composing “{text}”"),
        Gesture::Pick(label) => format!("picking “{label}”"),
        Gesture::Tick(label, true) => format!("ticking “{label}”"),
        Gesture::Tick(label, false) => format!("unticking “{label}”"),
        Gesture::Switch(is_on) => format!("switching {}", if *is_on { "on" } else { "off" }),
        Gesture::Leave => "leaving".to_owned(),
    }
}

/// The difference between a widget and the expectation.
fn difference(expected: &Expected, seen: &Seen) -> Option<String> {
    let differ = |what: &str, expected: String, found: String| {
        (expected != found).then(|| format!("must show {what} {expected}, and shows {found}"))
    };
    let text = |text: &str| format!("“{text}”");
    let list = |texts: &[String]| format!("[{}]", texts.join(", "));
    let labels = |only_chosen: bool| {
        let labels = seen.choices.iter().filter(|(_, is_chosen)| !only_chosen || *is_chosen);
        labels.map(|(label, _)| label.clone()).collect::<Vec<_>>()
    };
    match expected {
        Expected::Text(expected) => differ("the text", text(expected), text(&seen.text)),
        Expected::Label(expected) => differ("the label", text(expected), text(&seen.label)),
        Expected::Description(expected) => differ("the description", text(expected), text(&seen.description)),
        Expected::Choices(expected) => differ("the choices", list(expected), list(&labels(false))),
        Expected::Chosen(expected) => differ("as chosen", list(expected), list(&labels(true))),
        Expected::Messages(expected) => differ("the messages", list(expected), list(&seen.messages)),
        Expected::Required(expected) => {
            differ("as required:", expected.to_string(), seen.is_required.to_string())
        }
        Expected::Readonly(expected) => {
            differ("as read-only:", expected.to_string(), seen.is_readonly.to_string())
        }
    }
}
