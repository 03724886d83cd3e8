//! `ricordo replay`: what a form is like after what journals say was done to it.

use std::path::{Path, PathBuf};

use ricordo::exchange::{Command, Entry, dump, read_journal};

use crate::files::{File, Problem};
use crate::screen::{BAD, FAINT, GOOD, STRONG, styled};
use crate::watched::Watched;
use crate::{Ending, describe, table};

pub(crate) fn run(
    form: &Path,
    journals: &[PathBuf],
    data: Option<&Path>,
    json: bool,
    every: bool,
) -> Result<Ending, Problem> {
    let form = File::read(form)?;
    let data = data.map(File::read).transpose()?;
    let journals = journals.iter().map(|path| File::read(path)).collect::<Result<Vec<_>, _>>()?;
    let engine = form.engine(data.as_ref())?;
    // All journals are read before anything is done: what cannot be read stops the replay.
    let mut entries = Vec::new();
    for file in &journals {
        let read = read_journal(&file.text).map_err(|error| file.problem(&error))?;
        entries.push((file, read));
    }

    let mut watched = Watched::new(engine).map_err(|refused| form.refused(&refused))?;
    let mut report = Report { every: every && !json, ..Report::default() };
    for (file, entries) in entries {
        if report.every {
            anstream::println!("{}", styled(STRONG, &file.name));
        }
        entries.into_iter().for_each(|entry| report.step(&mut watched, file, entry));
    }
    if json {
        println!("{:#}", dump(&watched.engine));
        report.failures.iter().for_each(|failure| anstream::eprintln!("{failure}"));
    } else {
        if report.every {
            println!();
        }
        anstream::println!("{}", table::state(&watched.engine));
        anstream::println!("{}", report.summary());
        report.failures.iter().for_each(|failure| anstream::println!("{failure}"));
    }
    Ok(if report.failures.is_empty() { Ending::Well } else { Ending::Findings })
}

/// What has happened in a replay.
#[derive(Debug, Default)]
struct Report {
    every: bool,
    actions: usize,
    expectations: usize,
    refused: usize,
    failed: usize,
    failures: Vec<String>,
}

impl Report {
    fn step(&mut self, watched: &mut Watched, file: &File, entry: Entry) {
        let (said, lines) = match entry.command {
            Command::Apply(action) => {
                self.actions += 1;
                let said = watched.words(&action);
                let lines = watched.apply(action).unwrap_or_else(|refused| {
                    self.refused += 1;
                    self.fail(file, entry.line, &entry.text, &format!("refused: {refused}"));
                    vec![styled(BAD, format!("refused: {refused}"))]
                });
                (said, lines)
            }
            Command::Expect(expectation) => {
                self.expectations += 1;
                let differences = expectation.check(&watched.engine);
                self.failed += usize::from(!differences.is_empty());
                for difference in &differences {
                    self.fail(file, entry.line, &entry.text, difference);
                }
                let is_met = differences.is_empty();
                let lines = differences.into_iter().map(|difference| styled(BAD, difference)).collect();
                (if is_met { "expect: as it should be" } else { "expect" }.to_owned(), lines)
            }
            _ => return,
        };
        if self.every {
            anstream::println!("{} {said}", styled(FAINT, format!("{:>4}", entry.line)));
            lines.iter().for_each(|line| anstream::println!("       {line}"));
        }
    }

    fn fail(&mut self, file: &File, line: usize, text: &str, problem: &str) {
        let place = styled(STRONG, format!("{}:{line}:", file.name));
        let text = if text.is_empty() { String::new() } else { format!("\n    {text}") };
        self.failures.push(format!("{place} {}{}", styled(BAD, problem), styled(FAINT, text)));
    }

    fn summary(&self) -> String {
        let done = describe::counted(self.actions, "action");
        let expected = describe::counted(self.expectations, "expectation");
        let problems: Vec<String> = [(self.refused, "refused"), (self.failed, "not met")]
            .into_iter()
            .filter(|(count, _)| *count > 0)
            .map(|(count, word)| format!("{count} {word}"))
            .collect();
        if problems.is_empty() {
            format!("{} {done}, {expected}: all as it should be.", styled(GOOD, "✓"))
        } else {
            format!("{} {done}, {expected}: {}.", styled(BAD, "✗"), problems.join(", "))
        }
    }
}
