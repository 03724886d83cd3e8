//! Explanations: what the value and the flags of a place depend on.

use std::fmt;

use super::change_words::value_words;
use super::{Engine, PlaceView};
use crate::schema::{Named, shorten};
use crate::settle::Slot;
use crate::tree::{PlaceId, Standing};
use crate::value::Value;

/// An explanation: a statement, and the reasons for it, which are written below it, indented.
///
/// ```
/// # use ricordo::{Form, Model};
/// # #[derive(Model)] struct Batch { loaves: u32, grams: u32, dough: Option<u32> }
/// # let form = Form::new(&Batch { loaves: 12, grams: 900, dough: None })?;
/// # let batch = ricordo::at::<Batch>();
/// let rules = form.add_rules(|rules| {
///     rules.calculate(batch.dough(), move |it| it.number(batch.loaves()) * it.number(batch.grams()));
/// })?;
/// let reasons = form.place(batch.dough())?.explain();
/// assert_eq!(reasons[0].to_string(), "/dough is 10800, calculated from\n  /loaves is 12\n  /grams is 900");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reason {
    text: String,
    from: Vec<Reason>,
}

impl Reason {
    /// The statement: `/dough is 10800, calculated from`.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The reasons for it.
    pub fn dependencies(&self) -> &[Reason] {
        &self.from
    }

    fn write(&self, formatter: &mut fmt::Formatter<'_>, indent: usize) -> fmt::Result {
        if indent > 0 {
            writeln!(formatter)?;
        }
        write!(formatter, "{:indent$}{}", "", self.text)?;
        self.from.iter().try_for_each(|reason| reason.write(formatter, indent + 2))
    }
}

impl fmt::Display for Reason {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.write(formatter, 0)
    }
}

/// How many dependencies of a place are listed one by one.
const MOST: usize = 8;
/// How many places are listed in all.
const MOST_IN_ALL: usize = 100;

/// A value in few words, as people write it.
fn held_words(value: &Value) -> String {
    match value {
        Value::Text(text) => format!("“{}”", shorten(text)),
        Value::Blank | Value::Null | Value::List(_) | Value::Record(_) => value_words(value),
        value => shorten(&value.to_text()),
    }
}

impl Engine {
    /// Why a place is in its state: for its value and each of its flags, what they depend on, and what that depends
    /// on. Empty for what was loaded or set. Secrets are hidden.
    pub fn explain(&self, place: PlaceId) -> Vec<Reason> {
        let mut reasons = Vec::new();
        if !matches!(self.tree.standing(place), Some(Standing::Own) | None) {
            reasons.push(self.value_reason(place, &mut Vec::new()));
        }
        let view = self.view(place);
        let around = || std::iter::successors(Some(place), |place| self.tree.parent(*place));
        let is_irrelevant =
            |place: &PlaceId| self.tree.flags_of(*place).is_some_and(|flags| flags.is_irrelevant);
        if let Some(by) = around().find(is_irrelevant) {
            reasons.push(self.flag_reason(place, by, "not relevant", Slot::Relevant));
        }
        let is_readonly = |place: &PlaceId| self.tree.flags_of(*place).is_some_and(|flags| flags.is_readonly);
        if let Some(by) = around().find(is_readonly) {
            reasons.push(self.flag_reason(place, by, "read-only", Slot::Readonly));
        }
        if let Some(flags) = self.tree.flags_of(place) {
            for failure in &flags.failures {
                let what = match self.graph.slot_of(failure.rule) {
                    Some(Slot::Value(_)) | None => continue,
                    Some(Slot::Relevant) => "whether it is relevant",
                    Some(Slot::Readonly) => "whether it is read-only",
                    Some(Slot::Required) => "whether it is required",
                    Some(Slot::Constraint(_)) => "a constraint",
                    Some(Slot::Choices) => "what it is chosen from",
                    Some(Slot::Kept(_)) => "whether an aggregate counts it",
                };
                let name = self.tree.pointer(place);
                let text = format!("{}: {what} could not be computed ({})", Named(&name), failure.why);
                reasons.push(Reason { text, from: Vec::new() });
            }
            if flags.is_required {
                reasons.push(self.flag_reason(place, place, "required", Slot::Required));
            }
            for constraint in flags.failed.iter().filter(|_| view.is_relevant()) {
                let message = self.tree.constraint(*constraint).map(|words| words.message.clone());
                let text = format!("not as it should be (“{}”)", message.unwrap_or_default());
                reasons.push(self.flag_reason(place, place, &text, Slot::Constraint(*constraint)));
            }
        }
        reasons
    }

    /// Why a flag of a place is set, by a rule about this place, or about one that it lies in.
    fn flag_reason(&self, place: PlaceId, by: PlaceId, flag: &str, of: Slot) -> Reason {
        let inherited =
            if place == by { String::new() } else { format!(", like {}", Named(&self.tree.pointer(by))) };
        let rules = self.graph.rules_of(&self.tree, by);
        let from = rules.into_iter().find(|(slot, _)| *slot == of).map(|(_, from)| from).unwrap_or_default();
        let name = self.tree.pointer(place);
        let text = format!("{} is {flag}{inherited}, which depends on", Named(&name));
        self.reason(text, from, &mut Vec::new())
    }

    /// Why a place holds its value. `explained` are the places that were explained before.
    fn value_reason(&self, place: PlaceId, explained: &mut Vec<PlaceId>) -> Reason {
        let view = self.view(place);
        let is = format!("{} is {}", Named(&view.pointer()), held_words(&view.masked_value()));
        let is = if view.is_relevant() { is } else { format!("{is}, but not relevant") };
        let how = match self.tree.standing(place) {
            Some(Standing::Suggestion) if view.is_overridden() => ", which overrides a suggestion",
            Some(Standing::Suggestion) => ", suggested from",
            Some(Standing::First(_) | Standing::Second(_)) if view.is_driver() => ", and leads",
            Some(Standing::Calculated | Standing::First(_) | Standing::Second(_)) => ", calculated from",
            Some(Standing::Own) | None => "",
        };
        let failures = self.tree.flags_of(place).into_iter().flat_map(|flags| &flags.failures);
        let is_value = |rule| matches!(self.graph.slot_of(rule), Some(Slot::Value(_)));
        let failure = failures.into_iter().find(|failure| is_value(failure.rule));
        let is =
            failure.map_or(is.clone(), |failure| format!("{is}, could not be computed ({})", failure.why));
        let rows = self.graph.aggregated_places(&self.tree, place).filter(|rows| !rows.is_empty());
        let from = rows.unwrap_or_else(|| self.graph.looked_at(&self.tree, place));
        if !from.is_empty() && explained.contains(&place) {
            return Reason { text: format!("{is}, see above"), from: Vec::new() };
        }
        explained.push(place);
        self.reason(format!("{is}{how}"), from, explained)
    }

    fn reason(&self, text: String, from: Vec<PlaceId>, explained: &mut Vec<PlaceId>) -> Reason {
        let from = self.in_order(from);
        let count = if explained.len() > MOST_IN_ALL { 0 } else { from.len().min(MOST) };
        let mut reasons: Vec<Reason> =
            from[..count].iter().map(|place| self.value_reason(*place, explained)).collect();
        if from.len() > count {
            reasons.push(Reason { text: format!("and {} more", from.len() - count), from: Vec::new() });
        }
        Reason { text, from: reasons }
    }

    /// The rules by which these flags of a place follow, in words: which places they look at.
    pub(super) fn rule_words(&self, view: PlaceView<'_>, of: Slot) -> Option<String> {
        let rules = self.graph.rules_of(&self.tree, view.id());
        let from = rules.into_iter().find(|(slot, _)| *slot == of)?.1;
        Some(self.names_of(&self.in_order(from)))
    }

    /// The pointers of places, in one phrase.
    pub(super) fn names_of(&self, places: &[PlaceId]) -> String {
        const MOST: usize = 6;
        let mut names: Vec<String> =
            places.iter().take(MOST).map(|place| self.tree.pointer(*place).to_string()).collect();
        if places.len() > MOST {
            names.push(format!("and {} more", places.len() - MOST));
        }
        names.join(", ")
    }
}
