//! `ricordo why`: what made a place what it is.

use std::path::{Path, PathBuf};

use ricordo::engine::{Engine, Outcome, PlaceId, PlaceView, Reason, RowEdit, RowKey};
use ricordo::exchange::Command;
use ricordo::{Pointer, Value};

use crate::files::{File, Journal, Problem, refuse_two_standard_inputs};
use crate::screen::{self, BAD, FAINT, Line, Output, STRONG};
use crate::{Ending, describe};

pub(crate) fn run(
    out: &mut Output,
    form: &Path,
    pointer: &str,
    journals: &[PathBuf],
    data: Option<&Path>,
) -> Result<Ending, Problem> {
    refuse_two_standard_inputs([form].into_iter().chain(data).chain(journals.iter().map(PathBuf::as_path)))?;
    let form = File::read(form)?;
    let data = data.map(File::read).transpose()?;
    let journals = journals.iter().map(|path| Journal::open(path)).collect::<Result<Vec<_>, _>>()?;
    let pointer: Pointer =
        pointer.parse().map_err(|error| Problem::of_input(&format!("{pointer}: {error}")))?;
    let mut engine = form.engine(data.as_ref())?;
    let hides = engine.schema().has_secrets();
    let mut steps = Vec::new();
    let mut refused = 0;
    for mut journal in journals {
        while let Some(entry) = journal.next(hides)? {
            let Command::Apply(action) = entry.command else { continue };
            let applied = if entry.is_response { engine.respond(action) } else { engine.apply(action) };
            match applied {
                Ok(outcome) => {
                    let at = format!("{}:{}", journal.name, entry.line);
                    steps.push(TimelineStep::of(&engine, &outcome, at));
                }
                Err(_) => refused += 1,
            }
        }
    }
    let place = engine.locate(&pointer.into()).map_err(|refused| Problem::of_input(&refused.to_string()))?;
    let view = engine.view(place);
    out.line(&state(view))?;
    out.lines(reasons(&engine, place), 2)?;
    out.lines(history(&engine, view, &steps), 2)?;
    out.lines(flags(&engine, view, &steps), 2)?;
    if refused > 0 {
        let actions = describe::counted(refused, "action");
        screen::complain(format_args!(
            "`ricordo replay` shows why {actions} of the journals did not succeed.\n"
        ));
        return Ok(Ending::Findings);
    }
    Ok(Ending::Well)
}

/// The effect of one line of a journal.
struct TimelineStep {
    /// The file and line.
    at: String,
    action: String,
    changes: Vec<Changed>,
}

struct Changed {
    place: PlaceId,
    edits: Vec<RowEdit>,
    words: String,
    touched: bool,
}

impl TimelineStep {
    /// Records what was done, while places are called what they were called then.
    fn of(engine: &Engine, outcome: &Outcome, at: String) -> Self {
        let changes = outcome.changes().iter().map(|change| Changed {
            place: change.place(),
            edits: change.row_edits().to_vec(),
            words: engine.change_words(change),
            touched: engine.view(change.place()).is_touched()
                && change.aspects().contains(ricordo::engine::Aspects::TOUCHED),
        });
        TimelineStep { at, action: engine.words(outcome.action()), changes: changes.collect() }
    }

    /// The aspects it changed of a place, of anything in it, or of the position of its row.
    fn concerning(&self, engine: &Engine, place: PlaceView<'_>) -> Vec<&str> {
        let concerns =
            |changed: &&Changed| lies_in(engine.view(changed.place), place) || is_of_row(changed, place);
        self.changes.iter().filter(concerns).map(|changed| changed.words.as_str()).collect()
    }
}

fn lies_in(inner: PlaceView<'_>, outer: PlaceView<'_>) -> bool {
    std::iter::successors(Some(inner), PlaceView::parent).any(|place| place.id() == outer.id())
}

/// Returns whether a change of a list moved the row that a place is, or lies in.
fn is_of_row(changed: &Changed, place: PlaceView<'_>) -> bool {
    let mut around = Some(place);
    while let Some(row) = around {
        let list = row.parent();
        if let (Some(key), Some(list)) = (row.row_key(), list)
            && list.id() == changed.place
            && changed.edits.iter().any(|edit| key_of(*edit) == key)
        {
            return true;
        }
        around = list;
    }
    false
}

fn key_of(edit: RowEdit) -> RowKey {
    match edit {
        RowEdit::Inserted { key, .. } | RowEdit::Removed { key, .. } | RowEdit::Moved { key, .. } => key,
    }
}

fn state(view: PlaceView<'_>) -> Line {
    let pointer = view.pointer();
    let label = view.part().label.as_deref().map_or_else(String::new, |label| format!(" ({label})"));
    let value = describe::value(&view.masked_value());
    let entry = view.masked_entry();
    let display = view.display();
    let mut details = Vec::new();
    if view.part().is_field() {
        let held = view.masked_value();
        if *entry != *held.to_text() {
            details.push(format!("typed as {}", describe::quoted(&entry)));
        }
        if display != *held.to_text() && !view.part().secret {
            details.push(format!("shown as {}", describe::quoted(&display)));
        }
    }
    let details = if details.is_empty() { String::new() } else { format!(", {}", details.join(", ")) };
    Line::of(STRONG, describe::place(pointer.as_str())).text(format_args!("{label} is {value}{details}"))
}

/// Writes the dependencies of the value and the flags of the place.
fn reasons(engine: &Engine, place: PlaceId) -> Vec<Line> {
    let mut lines = Vec::new();
    let mut rest: Vec<(Reason, usize)> =
        engine.explain(place).into_iter().rev().map(|why| (why, 0)).collect();
    while let Some((reason, depth)) = rest.pop() {
        lines.push(Line::new(reason.text()).indented(depth));
        rest.extend(reason.dependencies().iter().rev().map(|why| (why.clone(), depth + 2)));
    }
    lines
}

fn history(engine: &Engine, view: PlaceView<'_>, steps: &[TimelineStep]) -> Vec<Line> {
    let mut lines = Vec::new();
    for step in steps {
        let words = step.concerning(engine, view);
        if !words.is_empty() {
            lines.push(Line::of(FAINT, format_args!("{}:", step.at)).text(" ").text(&step.action));
            lines.extend(words.into_iter().map(|words| Line::new(words).indented(4)));
        }
    }
    if lines.is_empty() {
        lines.push(Line::new("Nothing has changed since it was loaded."));
    }
    lines
}

/// Why the place has the flags that it has.
fn flags(engine: &Engine, view: PlaceView<'_>, steps: &[TimelineStep]) -> Vec<Line> {
    let mut reasons: Vec<(&str, String)> = Vec::new();
    if view.is_dirty() {
        let reason = if view.is_unreadable() {
            "the text cannot be parsed".to_owned()
        } else if view.part().is_field() {
            format!("its baseline is {}", describe::value(&view.masked_baseline()))
        } else {
            of_those_in(view)
        };
        reasons.push(("dirty", reason));
    }
    if view.is_touched() {
        let left = |step: &&TimelineStep| {
            step.changes.iter().any(|changed| changed.touched && lies_in(engine.view(changed.place), view))
        };
        let by = steps.iter().rev().find(left);
        reasons
            .push(("touched", by.map_or_else(String::new, |step| format!("{} ({})", step.action, step.at))));
    }
    if view.is_uncommitted() {
        reasons.push(("uncommitted", "the text is not committed yet".to_owned()));
    }
    for finding in view.all_findings() {
        let shown = if finding.is_shown { "" } else { ", not shown to the user yet" };
        let place =
            if finding.place == view.pointer() { String::new() } else { format!("{}: ", finding.place) };
        let flag = if finding.is_warning { "warning" } else { "invalid" };
        reasons.push((flag, format!("{place}{} ({}{shown})", finding.message, finding.kind)));
    }
    if std::iter::successors(Some(view), PlaceView::parent).any(|view| view.part().readonly) {
        reasons.push(("read-only", "the definition says so".to_owned()));
    }
    let line = |(flag, reason): (&str, String)| {
        let style = if flag == "invalid" { BAD } else { STRONG };
        let reason = if reason.is_empty() { reason } else { format!(": {reason}") };
        Line::of(style, flag).text(reason)
    };
    reasons.into_iter().map(line).collect()
}

/// Writes the dirty places of a container.
fn of_those_in(view: PlaceView<'_>) -> String {
    let is_list = matches!(view.value(), Value::List(_));
    let rows_differ = is_list && view.children().any(|row| row.is_added() || row.is_moved());
    let mut reasons: Vec<String> = Vec::new();
    let dirty: Vec<String> =
        view.children().filter(PlaceView::is_dirty).map(|child| child.pointer().to_string()).collect();
    if !dirty.is_empty() {
        reasons.push(format!("{} in it", dirty.join(", ")));
    }
    if rows_differ || (is_list && dirty.is_empty()) {
        reasons.push("its rows differ from those of the baseline".to_owned());
    } else if dirty.is_empty() {
        reasons.push(format!("its baseline is {}", describe::value(&view.masked_baseline())));
    }
    reasons.join("; ")
}
