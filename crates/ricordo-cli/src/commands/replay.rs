//! `ricordo replay`: what a form is like after what journals say was done to it.

use std::path::PathBuf;

use ricordo::engine::Action;
use ricordo::exchange::{Command, Entry, Expectation, dump, write_expectation};

use crate::files::{File, Journal, Problem, refuse_two_standard_inputs, write_whole};
use crate::screen::{self, BAD, FAINT, GOOD, Line, Output, STRONG};
use crate::table::Values;
use crate::watched::Watched;
use crate::{Ending, ReplayArguments, describe, table};

pub(crate) fn run(out: &mut Output, arguments: &ReplayArguments) -> Result<Ending, Problem> {
    let ReplayArguments { form, journals, data, from_draft, save_draft, json, steps, exact } = arguments;
    let (json, steps) = (*json, *steps);
    let values = if *exact { Values::Exact } else { Values::Displayed };
    let files = [Some(form), data.as_ref(), from_draft.as_ref()].into_iter().flatten().chain(journals);
    refuse_two_standard_inputs(files.map(PathBuf::as_path))?;
    let form = File::read(form)?;
    let data = data.as_deref().map(File::read).transpose()?;
    let draft = from_draft.as_deref().map(File::read).transpose()?;
    let journals = journals.iter().map(|path| Journal::open(path)).collect::<Result<Vec<_>, _>>()?;
    let (engine, left_out) = match &draft {
        Some(draft) => form.restored(draft, data.as_ref())?,
        None => (form.engine(data.as_ref())?, Vec::new()),
    };
    let hides = engine.schema().has_secrets();

    let mut watched = Watched::new(engine, values).map_err(|refused| form.refused(&refused))?;
    let mut report = Report { steps: steps && !json, ..Report::default() };
    for mut journal in journals {
        if report.steps {
            out.line(&Line::of(STRONG, &journal.name))?;
        }
        while let Some(entry) = journal.next(hides)? {
            report.step(out, &mut watched, &journal, entry)?;
        }
    }
    if json {
        out.block(screen::plain_json(&format!("{:#}", dump(&watched.engine))))?;
        report.failures().for_each(|line| screen::complain(format_args!("{line}\n")));
    } else {
        if report.steps {
            out.line(&Line::default())?;
        }
        out.block(table::state(&watched.engine, values))?;
        if !watched.conflicts.is_empty() {
            out.block(table::conflicts(&watched.engine, &watched.conflicts, values))?;
        }
        out.line(&report.summary())?;
        report.failures().try_for_each(|line| out.line(&line))?;
    }
    if let Some(path) = save_draft {
        let text = format!("{}\n", watched.engine.draft_with_baseline());
        write_whole(path, &text).map_err(|error| {
            Problem::of_input(&format!("the draft cannot be written to {}: {error}", path.display()))
        })?;
    }
    if !left_out.is_empty() {
        let count = describe::counted(left_out.len(), "value");
        screen::complain(format_args!(
            "{count} of the draft {} left out:\n",
            if left_out.len() == 1 { "was" } else { "were" }
        ));
        left_out.iter().for_each(|left| {
            screen::complain(Line::new(format_args!(
                "  {}: {}",
                describe::place(left.place.as_str()),
                left.reason
            )));
            screen::complain("\n");
        });
    }
    let is_well = report.refused + report.failed == 0 && left_out.is_empty();
    Ok(if is_well { Ending::Well } else { Ending::Findings })
}

/// The record of a replay.
#[derive(Debug, Default)]
struct Report {
    steps: bool,
    actions: usize,
    expectations: usize,
    refused: usize,
    failed: usize,
    /// The first failures (refused actions and unmet expectations), each with its line.
    listed: Vec<Line>,
    unlisted: usize,
}

/// The number of failed lines that are listed at the end. A replay takes the same memory however many there
/// are.
const MOST_LISTED: usize = 1_000;

impl Report {
    fn step(
        &mut self,
        out: &mut Output,
        watched: &mut Watched,
        journal: &Journal,
        entry: Entry,
    ) -> Result<(), Problem> {
        let (said, lines, sent) = match entry.command {
            Command::Apply(action) => self.act(watched, journal, entry.line, &action, entry.is_response),
            Command::Expect(expectation) => {
                let (said, lines) = self.expect(watched, &journal.name, entry.line, &expectation);
                (said, lines, None)
            }
            _ => return Ok(()),
        };
        if self.steps {
            out.line(&Line::of(FAINT, format_args!("{:>4}", entry.line)).text(" ").text(said))?;
            out.lines(lines, 7)?;
            sent.map_or(Ok(()), |sent| out.block(sent))?;
        }
        Ok(())
    }

    /// Carries an action out; what it does comes back in words, what has come of it, and what was handed out to be sent.
    fn act(
        &mut self,
        watched: &mut Watched,
        journal: &Journal,
        line: usize,
        action: &Action,
        is_response: bool,
    ) -> (String, Vec<Line>, Option<String>) {
        self.actions += 1;
        let said = if self.steps { watched.words(action) } else { String::new() };
        match watched.apply(action.clone(), is_response) {
            Ok(outcome) if self.steps => (said, watched.notified(&outcome), watched.sent(&outcome)),
            Ok(_) => (said, Vec::new(), None),
            Err(refused) => {
                self.refused += 1;
                let problem = format!("refused: {refused}");
                // A whole patch is too long to be repeated.
                let text = if journal.is_patch { String::new() } else { watched.line(action, is_response) };
                self.fail(&journal.name, line, &text, &problem);
                (said, vec![Line::of(BAD, problem)], None)
            }
        }
    }

    /// Checks an expectation; what is not met comes back.
    fn expect(
        &mut self,
        watched: &Watched,
        journal: &str,
        line: usize,
        expectation: &Expectation,
    ) -> (String, Vec<Line>) {
        self.expectations += 1;
        let differences = expectation.check(&watched.engine);
        if differences.is_empty() {
            return ("expect: met".to_owned(), Vec::new());
        }
        self.failed += 1;
        let text = write_expectation(&watched.engine, expectation);
        for difference in &differences {
            self.fail(journal, line, &text, difference);
        }
        ("expect".to_owned(), differences.into_iter().map(|difference| Line::of(BAD, difference)).collect())
    }

    fn fail(&mut self, journal: &str, line: usize, text: &str, problem: &str) {
        if self.listed.len() >= MOST_LISTED {
            self.unlisted += 1;
            return;
        }
        let place = format!("{journal}:{line}:");
        self.listed.push(Line::of(STRONG, place).text(" ").styled(BAD, problem));
        if !text.is_empty() {
            self.listed.push(Line::of(FAINT, text).indented(4));
        }
    }

    /// Returns the failures, to print at the end.
    fn failures(&self) -> impl Iterator<Item = Line> {
        let rest = (self.unlisted > 0).then(|| {
            let more = describe::counted(self.unlisted, "line");
            Line::new(format!("and {more} more; --steps shows each where it stands"))
        });
        self.listed.iter().cloned().chain(rest)
    }

    fn summary(&self) -> Line {
        let done = describe::counted(self.actions, "action");
        let expected = describe::counted(self.expectations, "expectation");
        let problems: Vec<String> = [(self.refused, "refused"), (self.failed, "not met")]
            .into_iter()
            .filter(|(count, _)| *count > 0)
            .map(|(count, word)| format!("{count} {word}"))
            .collect();
        if problems.is_empty() {
            Line::of(GOOD, "✓").text(format_args!(" {done}, {expected}: all as expected."))
        } else {
            Line::of(BAD, "✗").text(format_args!(" {done}, {expected}: {}.", problems.join(", ")))
        }
    }
}
