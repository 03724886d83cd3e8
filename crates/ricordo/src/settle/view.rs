//! Views of places: what can be read of one.

use std::borrow::Cow;
use std::fmt;

use super::Reads;
use super::reads::Reach;
use rust_decimal::Decimal;

use crate::check::{Subject, finding};
use crate::schema::{
    Choices, Error, Finding, FindingKind, Kind, MASK, Part, Pointer, Reveal, Schema, Step, StepSize,
};
use crate::tree::{
    Aspects, BindingId, Conflict, Epoch, Fault, FieldRef, ListBody, PlaceId, RowKey, Severity, Source, Tree,
};
use crate::value::{Value, sort};

/// A read-only view of a place. Cheap to copy.
#[derive(Clone, Copy)]
pub struct PlaceView<'a> {
    tree: &'a Tree,
    place: PlaceId,
    reads: Option<&'a Reads>,
    /// Whether values are read as rules read them: what is not relevant is blank.
    sees_relevant: bool,
}

impl fmt::Debug for PlaceView<'_> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("PlaceView")
            .field("pointer", &self.tree.pointer(self.place).as_str())
            .field("value", &format_args!("{}", self.masked_value()))
            .finish_non_exhaustive()
    }
}

impl<'a> PlaceView<'a> {
    pub(crate) fn new(tree: &'a Tree, place: PlaceId) -> Self {
        PlaceView { tree, place, reads: None, sees_relevant: false }
    }

    /// The view of a rule: reads are tracked, and what is not relevant is blank.
    pub(super) fn of_calculation(tree: &'a Tree, place: PlaceId, reads: &'a Reads) -> Self {
        PlaceView { tree, place, reads: Some(reads), sees_relevant: true }
    }

    /// The same view with its reads tracked, and those of the views that it leads to.
    pub fn tracked(self, reads: &'a Reads) -> Self {
        PlaceView { reads: Some(reads), ..self }
    }

    /// The view of another place, with the same tracking.
    pub(crate) fn other(&self, place: PlaceId) -> Self {
        PlaceView { place, ..*self }
    }

    /// Tracks an address that can lead to no place, whatever the data: a rule with it fails, and a selector is refused.
    pub(crate) fn record_wrong(&self, error: Error) {
        if let Some(reads) = self.reads {
            reads.record_wrong(error);
        }
    }

    /// The tree that the place is in.
    #[cfg(feature = "formula")]
    pub(super) fn tree(&self) -> &'a Tree {
        self.tree
    }

    /// Tracks a read of any place.
    #[cfg(feature = "formula")]
    pub(super) fn record(&self, place: PlaceId, reach: Reach, aspects: Aspects) {
        if let Some(reads) = self.reads {
            reads.record(place, reach, aspects);
        }
    }

    /// Returns whether a computation may take so many more steps: all that one settling computes has a bound.
    #[cfg(feature = "formula")]
    pub(super) fn grant_steps(&self, steps: usize) -> bool {
        self.reads.is_none_or(|reads| reads.grant(steps))
    }

    /// Tracks a read of the place itself.
    fn read(&self, aspects: Aspects) {
        if let Some(reads) = self.reads {
            reads.record(self.place, Reach::Own, aspects);
        }
    }

    /// Tracks a read of something that depends on everything in a record or list.
    fn read_sum(&self, aspects: Aspects) {
        if let Some(reads) = self.reads {
            let reach = if self.part().is_field() { Reach::Own } else { Reach::Below };
            let below = if self.part().is_field() { aspects } else { aspects | Aspects::STRUCTURE };
            reads.record(self.place, reach, below);
        }
    }

    /// Tracks a read of something that a place inherits from the places around it.
    fn read_around(&self, aspects: Aspects) {
        if let Some(reads) = self.reads {
            let around = self.tree.with_ancestors(self.place);
            around.for_each(|place| reads.record(place, Reach::Own, aspects));
        }
    }

    /// Tracks a read of whether the place is relevant.
    fn read_relevance(&self) {
        if let Some(reads) = self.reads {
            let around = self.tree.relevance_around(self.place);
            around.for_each(|place| reads.record(place, Reach::Own, Aspects::RELEVANT));
        }
    }

    /// Tracks a read of where the place is, or whether it is there.
    fn read_way(&self) {
        if let Some(reads) = self.reads {
            let above = self.tree.with_ancestors(self.place).skip(1);
            above.for_each(|place| reads.record(place, Reach::Own, Aspects::STRUCTURE));
        }
    }

    /// The place.
    pub fn id(&self) -> PlaceId {
        self.place
    }

    /// The schema of the form.
    pub fn schema(&self) -> &'a Schema {
        self.tree.schema()
    }

    /// The description of the place in the schema.
    pub fn part(&self) -> &'a Part {
        self.tree.part(self.place)
    }

    /// The pointer of the place now or, if the place is gone, of what it was removed from.
    pub fn pointer(&self) -> Pointer {
        self.read_way();
        self.tree.pointer(self.place)
    }

    /// Returns whether the place is in the form: not in a removed row, an absent record, or a variant that is
    /// not chosen.
    pub fn is_there(&self) -> bool {
        self.read_way();
        self.tree.is_there(self.place)
    }

    /// The text in the widget: as typed or, where nothing was typed since the last set, load or reset, the value in its edit
    /// format (see [`Part::edit_text`]). Records and lists have none.
    pub fn entry(&self) -> Cow<'a, str> {
        self.read(Aspects::ENTRY);
        match self.tree.field(self.place) {
            Some(field) => field.text(self.part()),
            None => Cow::Borrowed(""),
        }
    }

    /// The value in its display format, or the label of a choice. Empty for records and lists.
    pub fn display(&self) -> String {
        self.read(Aspects::VALUE | Aspects::CHOICES);
        match self.tree.field(self.place) {
            Some(field) if self.part().secret => mask(&field.value().to_text()).to_owned(),
            Some(field) => self.part().display_text(field.value(), self.tree.choices(self.place)),
            None => String::new(),
        }
    }

    /// Returns the text that the place would display for a value, such as its baseline or one side of a conflict. Empty for
    /// records and lists.
    pub fn display_of(&self, value: &Value) -> String {
        match self.tree.field(self.place) {
            Some(_) if self.part().secret => mask(&value.to_text()).to_owned(),
            Some(_) => self.part().display_text(value, self.tree.choices(self.place)),
            None => String::new(),
        }
    }

    /// The value, with everything in it.
    pub fn value(&self) -> Value {
        if self.sees_relevant && self.tree.has_relevance() {
            self.read_sum(Aspects::VALUE | Aspects::RELEVANT);
            self.read_relevance();
            return self.tree.relevant_value(self.place);
        }
        self.read_sum(Aspects::VALUE);
        self.tree.value(self.place)
    }

    /// Applies a function to the value of a field, without a copy of it.
    #[cfg(feature = "formula")]
    pub(crate) fn with_value<T>(&self, function: impl FnOnce(&Value) -> T) -> T {
        match self.tree.field(self.place) {
            Some(field) if !self.sees_relevant || !self.tree.has_relevance() => {
                self.read(Aspects::VALUE);
                function(field.value())
            }
            _ => function(&self.value()),
        }
    }

    /// The number that the field holds: what [`PlaceView::value`] gives, but without a copy.
    pub(crate) fn number(&self) -> Option<Decimal> {
        if self.sees_relevant && self.tree.has_relevance() {
            return self.value().as_number();
        }
        let field = self.tree.field(self.place)?;
        self.read(Aspects::VALUE);
        field.value().as_number()
    }

    /// The value as others may see it: with `•••` for every secret in it that is not empty.
    pub fn masked_value(&self) -> Value {
        self.schema().masked(&[self.tree.part_id(self.place)], &self.value())
    }

    /// The baseline as others may see it: with `•••` for every secret in it that is not empty.
    pub fn masked_baseline(&self) -> Value {
        self.schema().masked(&[self.tree.part_id(self.place)], &self.baseline())
    }

    /// The entry as others may see it: `•••` if it is a secret, and not empty.
    pub fn masked_entry(&self) -> Cow<'a, str> {
        let entry = self.entry();
        if self.part().secret { Cow::Borrowed(mask(&entry)) } else { entry }
    }

    /// Returns whether the place is made like the form of another schema: the same fields and rows, of the
    /// same kinds.
    pub(crate) fn is_like(&self, schema: &Schema) -> bool {
        self.schema().is_alike(self.tree.part_id(self.place), schema, schema.root())
    }

    /// The choices of the field: those that were set at run time or by a rule, or else the schema's. For a list of choices,
    /// those of its rows.
    pub fn choices(&self) -> Option<&'a Choices> {
        self.read(Aspects::CHOICES);
        match self.part().kind {
            Kind::List(list) => self.tree.choices_of_rows(self.place, self.schema().item(list)),
            _ => self.tree.choices(self.place),
        }
    }

    /// Returns whether text in the place, or in one in it, is not committed yet.
    pub fn is_uncommitted(&self) -> bool {
        self.read_sum(Aspects::UNCOMMITTED);
        self.tree.is_uncommitted(self.place)
    }

    /// Returns the least and the greatest value that a number, a date or a time may have, as far as its checks and rules say. A bound
    /// that is computed from a secret is `None`.
    pub fn range(&self) -> (Option<Value>, Option<Value>) {
        self.read(Aspects::FINDINGS);
        let part = self.part();
        let properties = self.tree.properties_of(self.place);
        let computed = properties.and_then(|properties| properties.bounds.as_deref());
        if computed.is_some_and(|bounds| bounds.is_hidden) {
            return (None, None);
        }
        let constraints = &part.constraints;
        let number = |bound: Option<(Decimal, bool)>, inwards: Decimal| {
            let (bound, is_excluded) = bound?;
            let is_whole = matches!(part.kind, Kind::Integer);
            match (is_excluded, is_whole) {
                (false, _) => Some(Value::from(bound)),
                // The next whole number.
                (true, true) if bound.is_integer() => bound.checked_add(inwards).map(Value::from),
                (true, _) => None,
            }
        };
        let least =
            computed.and_then(|bounds| bounds.earliest.clone()).or_else(|| constraints.earliest.clone());
        let greatest =
            computed.and_then(|bounds| bounds.latest.clone()).or_else(|| constraints.latest.clone());
        (
            least.or_else(|| number(constraints.lower_bound(), Decimal::ONE)),
            greatest.or_else(|| number(constraints.upper_bound(), Decimal::NEGATIVE_ONE)),
        )
    }

    /// Returns the step between the values of a number, a date or a time that starts from the least one or, without one, from zero,
    /// 1970-01-01 or midnight, as HTML has it (HTML Living Standard, section 4.10.5.3.8); `None` if there is no such step.
    pub fn step(&self) -> Option<Decimal> {
        let part = self.part();
        let constraints = &part.constraints;
        let whole = matches!(part.kind, Kind::Integer).then_some(Decimal::ONE);
        let multiple = constraints.multiple_of.or(whole).filter(|step| {
            let base = constraints.lower_bound().map_or(Decimal::ZERO, |(base, _)| base);
            base.checked_rem(*step).is_some_and(|rest| rest.is_zero())
        });
        constraints.step.map(StepSize::get).or(multiple)
    }

    /// Returns the tags of the record's variants, whichever is there; none for a place without variants.
    pub fn variants(&self) -> Vec<Value> {
        let Kind::Record(record) = self.part().kind else { return Vec::new() };
        self.schema().variants(record).iter().map(|variant| variant.tag().clone()).collect()
    }

    /// Returns whether a person can add a row to a list, or open an optional record: it is not read-only, and
    /// the list is not full, or the record not there.
    pub fn can_add(&self) -> bool {
        let has_room = match self.part().kind {
            Kind::List(_) => {
                let rows = u64::try_from(self.row_count()).unwrap_or(u64::MAX);
                self.part().constraints.max_items.is_none_or(|most| rows < most)
            }
            Kind::Record(_) => self.is_absent(),
            _ => false,
        };
        has_room && !self.is_readonly()
    }

    /// Returns whether a deferred check of the place itself is under way.
    pub fn is_pending(&self) -> bool {
        self.read(Aspects::FINDINGS);
        self.tree.properties_of(self.place).is_some_and(|properties| properties.is_pending)
    }

    /// Returns whether the entry cannot be parsed.
    pub fn is_unreadable(&self) -> bool {
        self.read(Aspects::ENTRY | Aspects::VALUE | Aspects::FINDINGS);
        self.tree.field(self.place).is_some_and(FieldRef::is_unreadable)
    }

    /// Returns whether a person cannot change the place: it is calculated, or it or a place around it is
    /// read-only.
    pub fn is_readonly(&self) -> bool {
        self.read_around(Aspects::READONLY);
        self.tree.is_readonly(self.place)
    }

    /// Returns whether an empty value is an error.
    pub fn is_required(&self) -> bool {
        self.read(Aspects::REQUIRED);
        self.tree.is_required(self.place)
    }

    /// Returns whether the place is relevant: no rule says otherwise of it or of a place around it. A place
    /// that is not relevant keeps its value, but is not checked, and rules read it as blank.
    pub fn is_relevant(&self) -> bool {
        self.read(Aspects::RELEVANT);
        self.read_relevance();
        self.tree.is_relevant(self.place)
    }

    /// Returns whether the value is calculated, and cannot be set.
    pub fn is_calculated(&self) -> bool {
        self.tree.is_calculated(self.place)
    }

    /// The counterpart: the field that this one calculates, and that calculates this one.
    pub fn counterpart(&self) -> Option<PlaceView<'a>> {
        self.tree.counterpart(self.place).map(|place| self.other(place))
    }

    /// Returns whether the place is one of two counterparts, and leads: the other one is calculated from it.
    pub fn is_leading(&self) -> bool {
        self.read(Aspects::LEADS);
        self.tree.counterpart(self.place).is_some() && self.tree.is_leading(self.place)
    }

    /// Returns whether the place has a suggestion that was overridden.
    pub fn is_overridden(&self) -> bool {
        self.read(Aspects::LEADS);
        self.tree.source(self.place) == Some(Source::Suggestion) && self.tree.is_leading(self.place)
    }

    /// Returns whether there is a rule about the place itself.
    pub(crate) fn has_rules(&self) -> bool {
        !matches!(self.tree.source(self.place), None | Some(Source::Unseen))
    }

    /// Returns whether the place has the focus.
    pub fn has_focus(&self) -> bool {
        self.read(Aspects::FOCUS);
        self.tree.focus() == Some(self.place)
    }

    /// Returns whether a binding of the place has the focus.
    pub(crate) fn is_focused_by(&self, binding: BindingId) -> bool {
        self.read(Aspects::FOCUS | Aspects::HOLDER);
        self.tree.is_focused_by(self.place, Some(binding))
    }

    /// Returns the value that dirty compares with and reset returns to.
    pub fn baseline(&self) -> Value {
        self.read_sum(Aspects::BASELINE | Aspects::EPOCH);
        self.tree.baseline(self.place)
    }

    /// The conflict that the place itself is in, if it is not resolved.
    pub fn conflict(&self) -> Option<Conflict> {
        self.read(Aspects::CONFLICT);
        self.read_sum(Aspects::VALUE | Aspects::DIRTY | Aspects::BASELINE);
        self.tree.conflict(self.place)
    }

    /// Returns whether the value differs from the baseline, or the entry cannot be parsed. For records and
    /// lists, only values count.
    pub fn is_dirty(&self) -> bool {
        self.read_sum(Aspects::DIRTY | Aspects::VALUE | Aspects::EPOCH);
        self.tree.is_dirty(self.place)
    }

    /// Returns whether the user has left the place, or one in it.
    pub fn is_touched(&self) -> bool {
        self.read_sum(Aspects::TOUCHED | Aspects::EPOCH);
        self.tree.is_touched(self.place)
    }

    /// Returns whether neither the place nor anything in it has an error. Warnings are not errors.
    pub fn is_valid(&self) -> bool {
        self.read_sum(Aspects::FINDINGS | Aspects::EPOCH);
        self.read_relevance();
        self.tree.is_valid(self.place)
    }

    /// A number that changes whenever the place, or one around it, is reset, so that a widget with state of its own knows.
    pub fn epoch(&self) -> Epoch {
        self.read_around(Aspects::EPOCH);
        self.tree.epoch(self.place)
    }

    /// The variant that a record has now, by the value of its tag; `None` if it has none.
    pub fn variant(&self) -> Option<&'a Value> {
        self.read(Aspects::PRESENCE);
        let Kind::Record(record) = self.part().kind else { return None };
        let is_there = |place: &PlaceId| self.tree.is_present(*place);
        let at = self.tree.variants(self.place).position(|place| is_there(&place))?;
        Some(self.schema().variants(record)[at].tag())
    }

    /// Returns whether the place is an optional record or list that is not there.
    pub fn is_absent(&self) -> bool {
        self.read(Aspects::PRESENCE);
        !self.tree.is_present(self.place)
    }

    /// The findings about the place itself.
    pub fn findings(&self) -> Vec<Finding> {
        self.read(Aspects::FINDINGS | Aspects::TOUCHED | Aspects::CHOICES);
        self.read_relevance();
        let faults = self.tree.faults(self.place);
        if faults.is_empty() {
            return Vec::new();
        }
        // A message may name the entry, the number of rows, or two that are the same.
        self.read_sum(Aspects::ENTRY | Aspects::VALUE);
        let (entry, value, part, place) =
            (self.masked_entry(), self.own_value(), self.part(), self.pointer());
        let choices = self.tree.choices(self.place);
        let properties = self.tree.properties_of(self.place);
        let bounds = properties.and_then(|properties| properties.bounds.as_deref());
        let is_repeated = faults.iter().any(|fault| fault.kind == FindingKind::Repeated);
        let repeated = if is_repeated { self.tree.repeated_rows(self.place) } else { None };
        let label = part.label.as_deref().or_else(|| self.name()).unwrap_or_default();
        let rows = self.row_count();
        let subject = Subject {
            part,
            label,
            choices,
            bounds,
            hides_choices: properties.is_some_and(|properties| properties.hides_choices),
            entry: &entry,
            value: &value,
            rows,
            repeated,
            message: None,
        };
        let shown = match part.reveal {
            Reveal::Always => true,
            Reveal::Touched => self.is_touched(),
            Reveal::Submit => self.was_submitted(),
        };
        let mut reported = properties.into_iter().flat_map(|properties| &properties.reported);
        let finding = |fault: &Fault| {
            let subject = Subject { message: self.own_message(fault.kind), ..subject };
            let mut finding = finding(fault.kind, &subject, place.clone());
            finding.is_shown = shown;
            match fault.severity {
                Severity::Error => {}
                Severity::Warning => finding.is_warning = true,
                Severity::Reported => {
                    (finding.is_reported, finding.is_shown) = (true, true);
                    finding.message = reported.next().map(ToString::to_string).unwrap_or_default();
                }
            }
            if let Some(constraint) = fault.constraint {
                let failed = properties.into_iter().flat_map(|properties| &properties.failed);
                let own = failed.into_iter().find(|failed| failed.constraint == constraint);
                let own = own.and_then(|failed| failed.message.as_ref());
                let declared = self.tree.constraint(constraint);
                finding.id = declared.and_then(|declared| declared.id.as_deref().map(str::to_owned));
                let message = own.or(declared.map(|declared| &declared.message));
                finding.message = message.map(ToString::to_string).unwrap_or_default();
            }
            // The wording nearest to the place wins: that of the form is for what nothing else words.
            let is_worded = fault.constraint.is_none() && !finding.is_reported && subject.message.is_some();
            if !is_worded && let Some(message) = self.tree.wording().and_then(|wording| (wording.0)(&finding))
            {
                finding.message = message;
            }
            finding
        };
        faults.iter().map(finding).collect()
    }

    /// Returns the form's own message for a kind of finding: from the place, or from the innermost record or
    /// list around it that has one.
    fn own_message(&self, kind: FindingKind) -> Option<&'a str> {
        let tree = self.tree;
        tree.with_ancestors(self.place).find_map(|place| tree.part(place).message_of(kind))
    }

    /// Returns whether a submit was tried since the form was last reset, cleared, or given another record.
    fn was_submitted(&self) -> bool {
        if let Some(reads) = self.reads {
            reads.record(self.tree.root(), Reach::Own, Aspects::TRIED);
        }
        self.tree.was_submitted()
    }

    /// The value of a field; of a record or a list, nothing, since its findings are not about what is in it.
    fn own_value(&self) -> Value {
        self.tree.field(self.place).map(|field| field.value().clone()).unwrap_or_default()
    }

    /// The findings about the place and everything in it, in the order of the form. Places without findings are not visited.
    pub fn all_findings(&self) -> Vec<Finding> {
        let mut findings = Vec::new();
        self.collect_findings(&mut findings);
        findings
    }

    /// The places in this one that hold other values than data that the form was made of, each with what is given there: they are
    /// calculated. Secrets are passed over.
    pub fn computed_otherwise<'v>(&self, given: &'v Value) -> Vec<(PlaceView<'a>, &'v Value)> {
        let mut found = Vec::new();
        self.collect_computed_otherwise(given, &mut found);
        found
    }

    fn collect_computed_otherwise<'v>(&self, given: &'v Value, found: &mut Vec<(PlaceView<'a>, &'v Value)>) {
        match given {
            Value::Record(members) => {
                for child in self.children() {
                    if let Some(given) = child.name().and_then(|name| members.get(name)) {
                        child.collect_computed_otherwise(given, found);
                    }
                }
            }
            Value::List(rows) => {
                for (row, given) in self.children().zip(rows) {
                    row.collect_computed_otherwise(given, found);
                }
            }
            given if given.is_empty() || self.part().secret || self.value() == *given => {}
            given => found.push((*self, given)),
        }
    }

    /// Returns whether there is a finding about the place, or about anything in it.
    fn has_findings(&self) -> bool {
        self.read_sum(Aspects::FINDINGS | Aspects::EPOCH);
        self.read_relevance();
        self.tree.has_findings(self.place)
    }

    fn collect_findings(&self, findings: &mut Vec<Finding>) {
        if !self.has_findings() {
            return;
        }
        self.read(Aspects::STRUCTURE);
        findings.extend(self.findings());
        if let Some(list) = self.tree.list(self.place) {
            let mut marked: Vec<_> =
                list.marked.iter().map(|key| (list.sequence.position(*key), *key)).collect();
            sort(&mut marked);
            for (_, key) in marked {
                self.other(list.rows[key as usize].place).collect_findings(findings);
            }
        } else {
            self.children().for_each(|child| child.collect_findings(findings));
        }
    }

    /// The fields of a record in the order of the definition, those of its variant last, or the rows of a list.
    pub fn children(&self) -> impl Iterator<Item = PlaceView<'a>> + use<'a> {
        self.read(Aspects::STRUCTURE);
        let (tree, view) = (self.tree, *self);
        let mut below = tree.below(self.place);
        let variants = tree.variants(self.place);
        below.truncate(below.len() - variants.len());
        for variant in variants {
            // Its fields stand in the record as if they were the record's own.
            below.extend(self.other(variant).children().map(|child| child.id()));
        }
        below.into_iter().map(move |place| view.other(place))
    }

    /// The place that steps lead to; `None` if there is none now.
    pub(crate) fn follow(&self, steps: &[Step]) -> Option<PlaceView<'a>> {
        steps.iter().try_fold(*self, |view, step| {
            view.read(Aspects::STRUCTURE);
            self.tree.step(view.place, *step).map(|place| view.other(place))
        })
    }

    /// The place that a pointer leads to; `None` if there is none now.
    pub(crate) fn follow_pointer(&self, pointer: &Pointer) -> Option<PlaceView<'a>> {
        pointer.tokens().try_fold(*self, |view, token| {
            view.read(Aspects::STRUCTURE);
            self.tree.variants(view.place).for_each(|place| view.other(place).read(Aspects::STRUCTURE));
            match self.tree.child_named(view.place, &token) {
                Ok(place) => Some(view.other(place)),
                Err(missing) => {
                    if self.schema().parts_named(&[self.tree.part_id(view.place)], &token).is_empty() {
                        view.record_wrong(missing);
                    }
                    None
                }
            }
        })
    }

    /// The first field in the place, or the place itself, that a person can type into: where the focus belongs after a row was
    /// added.
    pub fn first_enterable(&self) -> Option<PlaceView<'a>> {
        if self.part().is_field() {
            return (!self.is_readonly() && self.is_relevant()).then_some(*self);
        }
        self.children().find_map(|child| child.first_enterable())
    }

    /// The first place in the order of the form with an error of its own.
    pub fn first_finding(&self) -> Option<PlaceView<'a>> {
        if self.is_valid() {
            return None;
        }
        if self.tree.faults(self.place).iter().any(|fault| fault.is_error()) {
            return Some(*self);
        }
        self.children().find_map(|child| child.first_finding())
    }

    /// The record or list around the place; `None` for the form itself.
    pub fn parent(&self) -> Option<PlaceView<'a>> {
        self.tree.named_parent(self.place).map(|parent| self.other(parent))
    }

    /// The name of the place, if it is a field of a record.
    pub fn name(&self) -> Option<&'a str> {
        self.tree.name(self.place)
    }

    /// The number of rows of a list; 0 for any other place.
    pub fn row_count(&self) -> usize {
        self.read(Aspects::STRUCTURE);
        self.tree.list(self.place).map_or(0, |list| list.sequence.len() as usize)
    }

    /// The row of a list at a position.
    pub fn row(&self, position: usize) -> Option<PlaceView<'a>> {
        self.read(Aspects::STRUCTURE);
        let list = self.tree.list(self.place)?;
        let key = list.sequence.at(u32::try_from(position).ok()?)?;
        Some(self.other(list.rows[key as usize].place))
    }

    /// The key of a row, which it keeps wherever it moves; `None` if the place is not a row. Keys count from 1 within a list,
    /// and are not given out twice.
    pub fn row_key(&self) -> Option<RowKey> {
        self.tree.list(self.tree.parent(self.place)?)?;
        let is_in_list = !self.tree.is_prepared(self.place);
        is_in_list.then(|| ListBody::shown_key(self.tree.slot(self.place)))
    }

    /// The position of a row in its list, from 0; `None` if the place is not a row, or is gone.
    pub fn position(&self) -> Option<usize> {
        self.read_way();
        let list = self.tree.list(self.tree.parent(self.place)?)?;
        list.sequence.position(self.tree.slot(self.place)).map(|position| position as usize)
    }

    /// Returns whether the place is a row that is not in the baseline.
    pub fn is_added(&self) -> bool {
        self.read_way();
        self.tree.row_marks(self.place).0
    }

    /// Returns whether the place is a row of the baseline that has moved.
    pub fn is_moved(&self) -> bool {
        self.read_way();
        self.tree.row_marks(self.place).1
    }
}

/// The mask for a secret text.
fn mask(text: &str) -> &'static str {
    if text.is_empty() { "" } else { MASK }
}
