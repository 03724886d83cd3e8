//! `ricordo demo`: a short journal on a bakery's batch sheet, explained step by step.

use ricordo::exchange::{Command, read_journal};

use crate::Ending;
use crate::files::{File, Problem};
use crate::screen::{self, BAD, FAINT, GOOD, Line, Output, STRONG};
use crate::table::Values;
use crate::watched::Watched;

const FORM: &str = include_str!("../../demo/batch-sheet.form.json");
const DATA: &str = include_str!("../../demo/batch-sheet.data.json");
const JOURNAL: &str = include_str!("../../demo/first-steps.journal");

pub(crate) fn run(out: &mut Output) -> Result<Ending, Problem> {
    let form = File::bundled("demo/batch-sheet.form.json", FORM);
    let data = File::bundled("demo/batch-sheet.data.json", DATA);
    let journal = File::bundled("demo/first-steps.journal", JOURNAL);
    let entries = read_journal(&journal.text).map_err(|error| journal.problem(&error, false))?;
    let mut watched = Watched::new(form.engine(Some(&data))?, Values::Displayed)
        .map_err(|refused| form.refused(&refused))?;

    out.line(&Line::of(
        STRONG,
        "A morning with a bakery's batch sheet: what Rosa does, and what the form makes of it",
    ))?;
    let (mut ending, mut step, mut shown) = (Ending::Well, 0, Vec::new());
    for entry in entries {
        if let Some((title, rest)) = Watched::heading(&entry) {
            step += 1;
            out.line(&Line::default())?;
            out.line(&Line::of(STRONG, format_args!("{step}  {}", title.trim_end_matches('.'))))?;
            out.lines(wrapped(rest), 3)?;
        }
        match entry.command {
            // The focus changes nothing that is told here.
            Command::Apply(action) if action.name() == "focus" => {
                _ = watched.apply(action, entry.is_response);
            }
            Command::Apply(action) => {
                out.line(&Line::new("   ").styled(FAINT, "▸").text(" ").text(watched.words(&action)))?;
                match watched.apply(action, entry.is_response) {
                    Ok(outcome) => out.lines(watched.changed(&outcome), 7)?,
                    Err(refused) => {
                        ending = Ending::Findings;
                        out.lines([Line::of(BAD, refused)], 7)?;
                    }
                }
                // Findings that were shown before are still there.
                let before = std::mem::replace(&mut shown, shown_findings(&watched));
                out.lines(shown.iter().filter(|finding| !before.contains(finding)).cloned(), 7)?;
            }
            Command::Expect(expectation) => {
                let differences = expectation.check(&watched.engine);
                if !differences.is_empty() {
                    ending = Ending::Findings;
                }
                out.lines(differences.into_iter().map(|difference| Line::of(BAD, difference)), 7)?;
            }
            _ => {}
        }
    }
    out.line(&Line::default())?;
    out.line(&Line::of(STRONG, "Three commands to try next, on files that you can change"))?;
    let (form, data, journal) = (form.name, data.name, journal.name);
    let hints = [
        format!("ricordo replay {form} {journal} --steps --data {data}"),
        format!("ricordo check {form} --data {data}"),
        format!("ricordo why {form} /cost_a_loaf --data {data}"),
    ];
    out.lines(hints.into_iter().map(Line::new), 3)?;
    if ending == Ending::Well {
        out.line(&Line::of(GOOD, "✓").text(" Everything was as the journal expects."))?;
    }
    Ok(ending)
}

/// The findings that the user is shown now.
fn shown_findings(watched: &Watched) -> Vec<Line> {
    let findings = watched.engine.view(watched.engine.root()).all_findings();
    let shown = findings.into_iter().filter(|finding| finding.is_shown);
    shown
        .map(|finding| {
            Line::new("shown: ").styled(BAD, format_args!("{} {}", finding.place, finding.message))
        })
        .collect()
}

fn wrapped(text: &str) -> Vec<Line> {
    textwrap::wrap(text, screen::width() - 3).into_iter().map(Line::new).collect()
}
