//! Explanations: what the value and the flags of a place depend on.

use std::fmt;

use super::descriptions::value_words;
use crate::engine::state::Engine;
use crate::schema::{Named, shorten};
use crate::settle::PlaceView;
use crate::settle::Slot;
use crate::tree::{PlaceId, Source};
use crate::value::{Value, sort, sorted_by_cached_key};

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

/// The number of dependencies of a place that are listed one by one.
const MOST: usize = 8;
/// The number of places that are listed in all.
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
    /// The places that the value of a place depends on, in the order of the form; none if it is not computed.
    pub fn dependencies(&self, place: PlaceId) -> Vec<PlaceId> {
        self.in_order(self.settling.dependencies_of(&self.tree, place))
    }

    fn slot_of(&self, rule: u64) -> Option<Slot> {
        self.settling.graph()?.slot_of(rule)
    }

    /// The places that the value of a place, or one of its flags, depends on, but for the rows
    /// of aggregates.
    pub(crate) fn all_dependencies(&self, place: PlaceId) -> Vec<PlaceId> {
        self.settling.all_dependencies_of(&self.tree, place)
    }

    /// Returns whether a place shows an aggregate.
    pub(crate) fn shows_aggregate(&self, place: PlaceId) -> bool {
        self.settling.shows_aggregate(place)
    }

    /// Returns whether a place shows an aggregate that depends on another place.
    pub(crate) fn aggregates(&self, place: PlaceId, other: PlaceId) -> bool {
        self.settling.aggregates(&self.tree, place, other)
    }

    /// Places in the order of the form, each once.
    pub(in crate::engine) fn in_order(&self, mut places: Vec<PlaceId>) -> Vec<PlaceId> {
        sort(&mut places);
        places.dedup();
        sorted_by_cached_key(places, |place| self.order(*place))
    }

    /// The position of a place in the order of the form.
    fn order(&self, place: PlaceId) -> Vec<usize> {
        let way = self.tree.with_ancestors(place);
        let mut order: Vec<usize> =
            way.map(|place| self.view(place).position().unwrap_or(self.tree.slot(place) as usize)).collect();
        order.reverse();
        order
    }

    /// Explains the state of a place: for its value and each of its flags, what they depend on, and what that depends
    /// on. Empty for what was loaded or set. Secrets are hidden.
    pub fn explain(&self, place: PlaceId) -> Vec<Reason> {
        let mut reasons = Vec::new();
        if !matches!(self.tree.source(place), Some(Source::Own | Source::Unseen) | None) {
            reasons.push(self.value_reason(place, &mut Vec::new()));
        }
        let view = self.view(place);
        let around = || self.tree.with_ancestors(place);
        let is_irrelevant =
            |place: &PlaceId| self.tree.properties_of(*place).is_some_and(|flags| flags.is_irrelevant);
        if let Some(by) = around().find(is_irrelevant) {
            reasons.push(self.flag_reason(place, by, "not relevant", Slot::Relevant));
        }
        let is_readonly =
            |place: &PlaceId| self.tree.properties_of(*place).is_some_and(|flags| flags.is_readonly);
        if let Some(by) = around().find(is_readonly) {
            reasons.push(self.flag_reason(place, by, "read-only", Slot::Readonly));
        }
        if let Some(flags) = self.tree.properties_of(place) {
            for failure in &flags.failures {
                let what = match self.slot_of(failure.rule) {
                    Some(Slot::Value(_)) | None => continue,
                    Some(Slot::Relevant) => "whether it is relevant",
                    Some(Slot::Readonly) => "whether it is read-only",
                    Some(Slot::Required) => "whether it is required",
                    Some(Slot::Constraint(_)) => "a constraint",
                    Some(Slot::Choices) => "what it is chosen from",
                    Some(Slot::Earliest | Slot::Latest) => "a bound",
                    Some(Slot::Kept(_)) => "whether an aggregate counts it",
                    Some(Slot::Shared(_)) => "an aggregate, or choices",
                };
                let name = self.tree.pointer(place);
                let text = format!("{}: {what} could not be computed ({})", Named(&name), failure.why);
                reasons.push(Reason { text, from: Vec::new() });
            }
            if flags.is_required {
                reasons.push(self.flag_reason(place, place, "required", Slot::Required));
            }
            for failed in flags.failed.iter().filter(|_| view.is_relevant()) {
                let declared = || self.tree.constraint(failed.constraint).map(|words| words.message.clone());
                let message = failed.message.clone().or_else(declared);
                let text = format!("in breach of a constraint (“{}”)", message.unwrap_or_default());
                reasons.push(self.flag_reason(place, place, &text, Slot::Constraint(failed.constraint)));
            }
        }
        reasons
    }

    /// Explains why a flag of a place is set, by a rule about this place, or about one that it lies in.
    fn flag_reason(&self, place: PlaceId, by: PlaceId, flag: &str, of: Slot) -> Reason {
        let inherited =
            if place == by { String::new() } else { format!(", like {}", Named(&self.tree.pointer(by))) };
        let rules = self.settling.rules_of(&self.tree, by);
        let from = rules.into_iter().find(|(slot, _)| *slot == of).map(|(_, from)| from).unwrap_or_default();
        let name = self.tree.pointer(place);
        let by_formula = self.formula_words(by, |slot| slot == of);
        let text = format!("{} is {flag}{inherited}{by_formula}, which depends on", Named(&name));
        self.reason(text, from, &mut Vec::new())
    }

    /// The text of the rule that computes something of a place, and how with values in it: ` by “cost / loaves” (7.65 / 12)`.
    fn formula_words(&self, place: PlaceId, is_of: impl Fn(Slot) -> bool) -> String {
        let text = self.settling.graph().and_then(|graph| graph.text_of(&self.tree, place, is_of));
        match text {
            None => String::new(),
            Some([text, filled_in]) if text == filled_in => format!(" by “{text}”"),
            Some([text, filled_in]) => format!(" by “{text}” ({filled_in})"),
        }
    }

    /// Explains the value of a place. `explained` are the places that were explained before.
    fn value_reason(&self, place: PlaceId, explained: &mut Vec<PlaceId>) -> Reason {
        let view = self.view(place);
        let is = format!("{} is {}", Named(&view.pointer()), held_words(&view.masked_value()));
        let is = if view.is_relevant() { is } else { format!("{is}, but not relevant") };
        let how = match self.tree.source(place) {
            Some(Source::Suggestion) if view.is_overridden() => ", which overrides a suggestion",
            Some(Source::Suggestion) => ", suggested",
            Some(Source::First(_) | Source::Second(_)) if view.is_leading() => ", and leads",
            Some(Source::Calculated | Source::First(_) | Source::Second(_)) => ", calculated",
            Some(Source::Own | Source::Unseen) | None => "",
        };
        let how = match how {
            ", suggested" | ", calculated" => {
                format!("{how}{} from", self.formula_words(place, |slot| matches!(slot, Slot::Value(_))))
            }
            other => other.to_owned(),
        };
        let failures = self.tree.properties_of(place).into_iter().flat_map(|flags| &flags.failures);
        let is_value = |rule| matches!(self.slot_of(rule), Some(Slot::Value(_)));
        let failure = failures.into_iter().find(|failure| is_value(failure.rule));
        let is =
            failure.map_or(is.clone(), |failure| format!("{is}, could not be computed ({})", failure.why));
        let rows = self.settling.graph().and_then(|graph| graph.aggregated_places(&self.tree, place));
        let rows = rows.filter(|rows| !rows.is_empty());
        let from = rows.unwrap_or_else(|| self.settling.dependencies_of(&self.tree, place));
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

    /// The dependencies of these flags of a place, in words.
    pub(in crate::engine) fn rule_words(&self, view: PlaceView<'_>, of: Slot) -> Option<String> {
        let rules = self.settling.rules_of(&self.tree, view.id());
        let from = rules.into_iter().find(|(slot, _)| *slot == of)?.1;
        Some(self.names_of(&self.in_order(from)))
    }

    /// The pointers of places, in one phrase.
    pub(in crate::engine) fn names_of(&self, places: &[PlaceId]) -> String {
        const MOST: usize = 6;
        let mut names: Vec<String> =
            places.iter().take(MOST).map(|place| self.tree.pointer(*place).to_string()).collect();
        if places.len() > MOST {
            names.push(format!("and {} more", places.len() - MOST));
        }
        names.join(", ")
    }
}
