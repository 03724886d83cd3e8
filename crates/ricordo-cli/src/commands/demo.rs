//! `ricordo demo`: a short journal on a bakery's batch sheet, told step by step.

use ricordo::exchange::{Command, read_journal};

use crate::files::{File, Problem};
use crate::screen::{self, BAD, FAINT, GOOD, STRONG, styled};
use crate::watched::Watched;
use crate::{Ending, table};

const FORM: &str = include_str!("../../../../demo/batch-sheet.form.json");
const DATA: &str = include_str!("../../../../demo/batch-sheet.data.json");
const JOURNAL: &str = include_str!("../../../../demo/first-steps.journal");

pub(crate) fn run() -> Result<Ending, Problem> {
    let form = File::bundled("demo/batch-sheet.form.json", FORM);
    let data = File::bundled("demo/batch-sheet.data.json", DATA);
    let journal = File::bundled("demo/first-steps.journal", JOURNAL);
    let entries = read_journal(&journal.text).map_err(|error| journal.problem(&error))?;
    let mut watched = Watched::new(form.engine(Some(&data))?).map_err(|refused| form.refused(&refused))?;

    anstream::println!("{}", styled(STRONG, "A bakery's batch sheet, as it was loaded"));
    anstream::println!("{}", table::state(&watched.engine));
    let mut ending = Ending::Well;
    let mut step = 0;
    for entry in entries {
        if !entry.comment.is_empty() {
            step += 1;
            let (title, rest) = entry.comment.split_once(". ").unwrap_or((&entry.comment, ""));
            anstream::println!("\n{}", styled(STRONG, format!("{step}  {}", title.trim_end_matches('.'))));
            if !rest.is_empty() {
                anstream::println!("{}", wrapped(rest));
            }
        }
        match entry.command {
            Command::Apply(action) => {
                anstream::println!("   {} {}", styled(FAINT, "▸"), watched.words(&action));
                match watched.apply(action) {
                    Ok(lines) => lines.iter().for_each(|line| anstream::println!("       {line}")),
                    Err(refused) => {
                        ending = Ending::Findings;
                        anstream::println!("       {}", styled(BAD, refused));
                    }
                }
                shown_findings(&watched);
            }
            Command::Expect(expectation) => {
                for difference in expectation.check(&watched.engine) {
                    ending = Ending::Findings;
                    anstream::println!("       {}", styled(BAD, difference));
                }
            }
            _ => {}
        }
    }
    anstream::println!("\n{}", styled(STRONG, "Where to go from here"));
    let name = |file: &File| file.name.clone();
    anstream::println!("   In the project's folder, the same files can be looked at, changed and run again:");
    anstream::println!("   ricordo check {} --data {}", name(&form), name(&data));
    anstream::println!("   ricordo replay {} {} --every --data {}", name(&form), name(&journal), name(&data));
    if ending == Ending::Well {
        anstream::println!("{} Everything was as the journal expects.", styled(GOOD, "✓"));
    }
    Ok(ending)
}

/// What a person is shown to be wrong just now.
fn shown_findings(watched: &Watched) {
    let findings = watched.engine.view(watched.engine.root()).all_findings();
    for finding in findings.into_iter().filter(|finding| finding.shown) {
        let words = format!("{} {}", finding.place, finding.message);
        anstream::println!("       shown: {}", styled(BAD, words));
    }
}

fn wrapped(text: &str) -> String {
    let options = textwrap::Options::new(screen::width()).initial_indent("   ").subsequent_indent("   ");
    textwrap::fill(text, options)
}
