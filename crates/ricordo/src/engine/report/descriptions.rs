//! The changes of an action, in words.

use crate::engine::state::{Change, Engine, RowEdit};
use crate::schema::{FindingKind, MASK, Named, shorten};
use crate::settle::PlaceView;
use crate::settle::Slot;
use crate::tree::Aspects;
use crate::tree::Severity;
use crate::value::Value;

impl Engine {
    /// Describes the differences of a place: `/loaves: value 12 → 15, now dirty`. Values are in their display formats.
    /// Secrets are hidden.
    ///
    /// ```
    /// # use ricordo::engine::{Edit, Engine};
    /// # let schema = ricordo::exchange::read_definition(r#"{"type": "object", "properties": {"loaves": {"type": "integer"}}}"#)?.into();
    /// # let mut engine = Engine::new(&schema, None)?;
    /// # let at: ricordo::engine::Address = "/loaves".parse::<ricordo::Pointer>()?.into();
    /// let outcome = engine.apply(Edit::enter(at.clone(), "24"))?;
    /// for change in outcome.changes() {
    ///     println!("{}", engine.change_words(change));
    /// }
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn change_words(&self, change: &Change) -> String {
        self.with_dependencies(change, self.brief_change_words(change))
    }

    /// Describes the differences of a place as [`Engine::change_words`] does, with exact values.
    pub fn exact_change_words(&self, change: &Change) -> String {
        self.with_dependencies(change, self.words_of_change(change, |_, value| value_words(value)))
    }

    /// Describes the differences of a place as [`Engine::change_words`] does, without the dependencies of a calculated
    /// value.
    pub fn brief_change_words(&self, change: &Change) -> String {
        self.words_of_change(change, |place, value| {
            if is_formatted(value) { place.display_of(value) } else { value_words(value) }
        })
    }

    /// Adds the dependencies of a calculated value to the words of its change.
    fn with_dependencies(&self, change: &Change, words: String) -> String {
        if !change.aspects().contains(Aspects::VALUE) {
            return words;
        }
        let from = self.dependencies(change.place());
        if from.is_empty() { words } else { format!("{words}, calculated from {}", self.names_of(&from)) }
    }

    fn words_of_change(&self, change: &Change, said: fn(PlaceView<'_>, &Value) -> String) -> String {
        let now = self.view(change.place());
        let aspects = change.aspects();
        let mut words: Vec<String> = change.row_edits().iter().map(|edit| edit_words(*edit)).collect();
        let is_secret = now.part().secret;
        let quoted = |text: &str| {
            let text = if is_secret && !text.is_empty() { MASK.to_owned() } else { shorten(text) };
            format!("“{text}”")
        };
        let valued = |value: &Value| match value {
            Value::Text(text) => quoted(text),
            value if is_secret && !value.is_empty() => MASK.to_owned(),
            value => said(now, value),
        };
        let before = change.value_before();
        // An entry that only repeats the value goes without saying.
        let says_more = |entry: &str, held: &Value| *entry != *now.part().edit_text(held);
        if let Some(entry) = &change.entry_before()
            && (before.is_none_or(|before| says_more(entry, before)) || says_more(&now.entry(), &now.value()))
        {
            words.push(format!("entry {} → {}", quoted(entry), quoted(&now.entry())));
        }
        if let Some(before) = before {
            let [mut from, mut to] = [valued(before), valued(&now.value())];
            if from == to && is_formatted(before) && !is_secret {
                [from, to] = now.part().displayed_apart([before, &now.value()]);
            }
            words.push(format!("value {from} → {to}"));
        }
        let has_other_entry = aspects.contains(Aspects::ENTRY);
        if aspects.contains(Aspects::CHOICES) {
            let count = now.choices().map_or(0, |choices| choices.iter().len());
            words.push(format!("{count} choices offered"));
        }
        let mut say = |aspect, is_so: bool, yes: &str, no: &str| {
            if aspects.contains(aspect) {
                words.push(if is_so { yes } else { no }.to_owned());
            }
        };
        let there = if change.comes_or_goes() { "now there" } else { "has other fields" };
        say(Aspects::PRESENCE, now.is_absent(), "now empty", there);
        let settled = if has_other_entry { "the text is dropped" } else { "committed" };
        say(Aspects::UNCOMMITTED, now.is_uncommitted(), "not committed yet", settled);
        say(Aspects::DIRTY, now.is_dirty(), "now dirty", "pristine again");
        say(Aspects::TOUCHED, now.is_touched(), "now touched", "no longer touched");
        say(Aspects::FOCUS, now.has_focus(), "has the focus", "lost the focus");
        if aspects.contains(Aspects::FINDINGS) {
            let kinds: Vec<&str> =
                now.findings().iter().map(|finding| finding_word(finding.kind, finding.is_warning)).collect();
            let gone = change.faults_before();
            words.push(match (kinds.is_empty(), gone) {
                (_, None) if now.is_pending() => "being checked".to_owned(),
                (true, None) => "checked".to_owned(),
                (false, None) => format!("{}: new message", kinds.join(", ")),
                (true, Some(gone)) => {
                    let gone: Vec<&str> = gone
                        .iter()
                        .map(|fault| finding_word(fault.kind, fault.severity == Severity::Warning))
                        .collect();
                    format!("no longer {}", gone.join(", "))
                }
                (false, Some(_)) => format!("found {}", kinds.join(", ")),
            });
        }
        let mut say_rule = |aspect, is_so: bool, yes: &str, no: &str, slot| {
            if aspects.contains(aspect) {
                let by =
                    self.rule_words(now, slot).map_or_else(String::new, |from| format!(" (from {from})"));
                words.push(format!("{}{by}", if is_so { yes } else { no }));
            }
        };
        say_rule(Aspects::RELEVANT, now.is_relevant(), "now relevant", "no longer relevant", Slot::Relevant);
        say_rule(
            Aspects::READONLY,
            now.is_readonly(),
            "now read-only",
            "no longer read-only",
            Slot::Readonly,
        );
        say_rule(Aspects::REQUIRED, now.is_required(), "now required", "no longer required", Slot::Required);
        let mut say = |aspect, is_so: bool, yes: &str, no: &str| {
            if aspects.contains(aspect) {
                words.push(if is_so { yes } else { no }.to_owned());
            }
        };
        let leads = now.is_leading() || now.is_overridden();
        let (yes, no) = match now.counterpart() {
            Some(_) => ("now leads", "now follows"),
            None => ("now overridden", "now as suggested"),
        };
        say(Aspects::LEADS, leads, yes, no);
        say(Aspects::CONFLICT, now.conflict().is_some(), "changed by both sides", "no longer in conflict");
        if aspects.contains(Aspects::EPOCH) {
            words.push("reset".to_owned());
        }
        format!("{}: {}", Named(&now.pointer()), words.join(", "))
    }
}

/// Returns whether a value may have a display format that says less than the value.
fn is_formatted(value: &Value) -> bool {
    match value {
        Value::Number(_) | Value::Date(_) | Value::Time(_) | Value::DateTime(_) => true,
        Value::Blank | Value::Null | Value::Flag(_) | Value::Text(_) | Value::List(_) | Value::Record(_) => {
            false
        }
    }
}

/// The word for a finding: its kind, or that it is a warning.
fn finding_word(kind: FindingKind, is_warning: bool) -> &'static str {
    if is_warning { "a warning" } else { kind.name() }
}

fn edit_words(edit: RowEdit) -> String {
    match edit {
        RowEdit::Inserted { position, .. } => format!("row added at {position}"),
        RowEdit::Removed { position, .. } => format!("row removed at {position}"),
        RowEdit::Moved { from, to, .. } => format!("row moved from {from} to {to}"),
    }
}

/// A value in few words.
pub(in crate::engine) fn value_words(value: &Value) -> String {
    match value {
        Value::Blank => "blank".to_owned(),
        Value::List(rows) if rows.len() == 1 => "1 row".to_owned(),
        Value::List(rows) => format!("{} rows", rows.len()),
        Value::Date(_) | Value::Time(_) | Value::DateTime(_) => value.to_text().into_owned(),
        Value::Null | Value::Flag(_) | Value::Number(_) | Value::Text(_) | Value::Record(_) => {
            shorten(&value.to_string())
        }
    }
}
