//! What is stored for a place.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::Duration;

use rustc_hash::FxHashSet;
use slotmap::new_key_type;

use super::list::Contents;
use super::sequence::{Key, RowSequence};
use super::{Fault, Faults};
use crate::schema::{Part, PartId};
use crate::value::{Value, content_of, list_content};

new_key_type! {
    /// Names a place of a form as long as the form lives, wherever the place moves.
    pub struct PlaceId;
}

/// A place: where it is, what the schema says of it, and what is in it.
#[derive(Debug)]
pub(crate) struct Node {
    /// The null key for the form itself.
    pub(crate) parent: PlaceId,
    pub(crate) part: PartId,
    /// The position among the fields of the record, or the key among the rows of the list.
    pub(crate) slot: u32,
    pub(crate) body: Body,
}

#[derive(Debug)]
pub(crate) enum Body {
    Field(Field),
    Record(Box<RecordBody>),
    List(Box<ListBody>),
}

/// The state of a scalar place. What few fields have stands in the extra.
#[allow(clippy::struct_excessive_bools, reason = "they are independent of each other")]
#[derive(Debug, Default)]
pub(crate) struct Field {
    pub(crate) value: Value,
    pub(crate) extra: Option<Box<Extra>>,
    pub(crate) touched: bool,
    pub(crate) unreadable: bool,
    /// Whether its own value counts, where usually it follows from others.
    pub(crate) leads: bool,
    pub(crate) leads_at_baseline: bool,
}

#[derive(Debug, Default, Clone)]
pub(crate) struct Extra {
    /// The baseline, where it is not the value.
    pub(crate) baseline: Option<Value>,
    /// What was typed, where it is not the canonical text of the value.
    pub(crate) entry: Option<Arc<str>>,
    /// The text that is not committed yet.
    pub(crate) pending: Option<Pending>,
    pub(crate) faults: Faults,
}

/// Text that is not committed yet.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Pending {
    pub(crate) text: Arc<str>,
    /// When it is committed by itself, on the form's clock.
    pub(crate) due: Option<Duration>,
}

impl Extra {
    fn is_needed(&self) -> bool {
        self.baseline.is_some() || self.entry.is_some() || self.pending.is_some() || !self.faults.is_empty()
    }
}

impl Field {
    pub(crate) fn holding(value: Value) -> Self {
        Field { value, ..Field::default() }
    }

    pub(crate) fn baseline(&self) -> &Value {
        self.other_baseline().unwrap_or(&self.value)
    }

    /// Whether all that a person has put into it is the same as in another.
    pub(crate) fn holds_the_same(&self, other: &Field) -> bool {
        self.value == other.value
            && self.unreadable == other.unreadable
            && self.leads == other.leads
            && self.leads_at_baseline == other.leads_at_baseline
            && self.other_baseline() == other.other_baseline()
            && self.typed() == other.typed()
            && self.pending() == other.pending()
    }

    /// Whether the value is not the baseline.
    pub(crate) fn differs(&self) -> bool {
        self.other_baseline().is_some()
    }

    fn other_baseline(&self) -> Option<&Value> {
        self.extra.as_ref()?.baseline.as_ref()
    }

    /// Compares with what another field compares with from now on. What was as its baseline still is.
    pub(crate) fn take_baseline_of(&mut self, other: &Field) {
        self.leads_at_baseline = other.leads_at_baseline;
        if self.baseline() == other.baseline() {
            return;
        }
        if self.is_pristine() {
            let baseline = other.baseline().clone();
            *self = Field {
                leads: self.leads,
                leads_at_baseline: self.leads_at_baseline,
                ..Field::holding(baseline)
            };
        } else {
            self.set_baseline(other.baseline().clone());
        }
    }

    /// Whether the field is as its baseline, and nobody is typing.
    pub(crate) fn is_pristine(&self) -> bool {
        !self.differs() && !self.unreadable && self.pending().is_none()
    }

    /// Compares with this value from now on.
    pub(crate) fn set_baseline(&mut self, baseline: Value) {
        let is_other = baseline != self.value;
        self.with_extra(|extra| extra.baseline = is_other.then_some(baseline));
    }

    /// What was typed, where it is not the canonical text of the value.
    pub(crate) fn typed(&self) -> Option<&Arc<str>> {
        let extra = self.extra.as_ref()?;
        extra.pending.as_ref().map(|pending| &pending.text).or(extra.entry.as_ref())
    }

    /// The text that is not committed yet.
    pub(crate) fn pending(&self) -> Option<&Pending> {
        self.extra.as_ref()?.pending.as_ref()
    }

    /// The entry of a field of this part.
    pub(crate) fn text(&self, part: &Part) -> Cow<'_, str> {
        self.typed().map_or_else(|| part.edit_text(&self.value), |typed| Cow::Borrowed(typed))
    }

    pub(crate) fn faults(&self) -> &[Fault] {
        self.extra.as_ref().map_or(&[], |extra| &extra.faults)
    }

    /// Changes the extra, and drops it when nothing is left in it.
    pub(crate) fn with_extra(&mut self, change: impl FnOnce(&mut Extra)) {
        let mut extra = self.extra.take().unwrap_or_default();
        change(&mut extra);
        self.extra = extra.is_needed().then_some(extra);
    }
}

/// Whether a record or a list is there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Presence {
    #[default]
    Present,
    Null,
    Blank,
}

impl Presence {
    /// What an absent record or list is as a value.
    pub(crate) fn absent_value(self) -> Option<Value> {
        match self {
            Presence::Present => None,
            Presence::Null => Some(Value::Null),
            Presence::Blank => Some(Value::Blank),
        }
    }
}

/// What records and lists have in common.
#[derive(Debug, Default, Clone)]
pub(crate) struct Container {
    pub(crate) presence: Presence,
    pub(crate) baseline_presence: Presence,
    pub(crate) touched: bool,
    pub(crate) faults: Faults,
    /// How many children have each mark.
    pub(crate) counts: Counts,
}

impl Container {
    pub(crate) fn with_presence(presence: Presence) -> Self {
        Container { presence, baseline_presence: presence, ..Container::default() }
    }

    /// Whether it is there in the baseline.
    pub(crate) fn is_present_at_baseline(&self) -> bool {
        self.baseline_presence == Presence::Present
    }

    pub(crate) fn is_present(&self) -> bool {
        self.presence == Presence::Present
    }

    /// Whether any child has this mark.
    pub(crate) fn counts_mark(&self, mark: Marks) -> bool {
        self.counts.marks.has(mark)
    }

    /// How many children are not their own baseline.
    pub(super) fn differing(&self) -> u32 {
        self.counts.of_marks[0]
    }

    /// The marks of the container, given whether its present contents differ from the baseline's.
    fn marks(&self, differs: bool) -> Marks {
        let mut marks = if self.is_present() { self.counts.marks } else { Marks::default() };
        let differs = self.presence != self.baseline_presence || (self.is_present() && differs);
        marks.put(Marks::DIFFERS, differs);
        marks.put(Marks::TOUCHED, self.touched || marks.has(Marks::TOUCHED));
        marks.put_faults(&self.faults);
        marks
    }
}

#[derive(Debug, Default)]
pub(crate) struct RecordBody {
    pub(crate) container: Container,
    /// One for each field of the definition, in order; none while the record has never been there.
    pub(crate) children: Box<[PlaceId]>,
    /// The sum of what the members add to the content hash.
    pub(crate) content: u64,
}

#[derive(Debug, Default)]
pub(crate) struct ListBody {
    pub(crate) container: Container,
    /// Every row there ever was, by key.
    pub(crate) rows: Vec<Row>,
    /// The rows that are there now, in order.
    pub(crate) sequence: RowSequence,
    /// Whether the values of the rows in order are not the baseline's.
    pub(crate) differs: bool,
    /// The rows of the baseline, in its order. Each knows its position here.
    pub(crate) baseline: Vec<Key>,
    pub(crate) baseline_hash: u64,
    /// Rows that are there now and are not the baseline's.
    pub(crate) added: BTreeSet<Key>,
    /// Rows of the baseline that were moved or removed. The others stand in the baseline's order.
    pub(crate) displaced: BTreeSet<Key>,
    /// Rows that are there now and have some mark, so that a reset need not look at the others.
    pub(crate) marked: FxHashSet<Key>,
    /// Which rows have the same content; only where rows must differ.
    pub(crate) contents: Option<Box<Contents>>,
}

impl ListBody {
    /// The key of a row as people see it. Keys count from 1 within a list, and are not given out twice.
    pub(crate) fn shown_key(key: Key) -> u64 {
        u64::from(key) + 1
    }

    /// The row of a key as people see it.
    pub(crate) fn row_of_shown(&self, key: u64) -> Option<Row> {
        let index = key.checked_sub(1)?;
        self.rows.get(usize::try_from(index).ok()?).copied()
    }
}

/// A row of a list, present or removed.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Row {
    pub(crate) place: PlaceId,
    /// Where it stands in the baseline; `None` for a row that was added since.
    pub(crate) baseline_position: Option<u32>,
}

/// Facts about a place that its container counts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Marks(u8);

impl Marks {
    /// The value is not the baseline.
    pub(crate) const DIFFERS: Marks = Marks(1);
    /// The place, or one in it, was left.
    pub(crate) const TOUCHED: Marks = Marks(2);
    /// The place, or one in it, has an entry that is not the canonical text of its value, or leads where it did not.
    pub(crate) const TYPED: Marks = Marks(4);
    /// The place, or one in it, has an error.
    pub(crate) const INVALID: Marks = Marks(8);
    /// The rows of the list, or of one in it, are not those of the baseline in their order.
    pub(crate) const REORDERED: Marks = Marks(16);

    /// In the place, or in one in it, something was typed that has not taken effect yet.
    pub(crate) const UNCOMMITTED: Marks = Marks(32);
    /// Something beside a record in the place is not its baseline.
    pub(crate) const DIFFERS_BESIDE: Marks = Marks(64);
    /// There is a warning about the place, or about one in it.
    pub(crate) const DOUBTFUL: Marks = Marks(128);

    /// There is an error or a warning about the place, or about one in it.
    pub(crate) const FOUND: Marks = Marks(8 | 128);
    /// What a reset takes back.
    pub(crate) const RESETTABLE: Marks = Marks(1 | 2 | 4 | 16 | 32 | 64);

    /// In the order of [`Counts`]; the first is the one that [`Container::differing`] asks for.
    const EACH: [Marks; 8] = [
        Marks::DIFFERS,
        Marks::TOUCHED,
        Marks::TYPED,
        Marks::INVALID,
        Marks::REORDERED,
        Marks::UNCOMMITTED,
        Marks::DIFFERS_BESIDE,
        Marks::DOUBTFUL,
    ];

    /// Whether any of these marks is set.
    pub(crate) fn has(self, marks: Marks) -> bool {
        self.0 & marks.0 != 0
    }

    pub(crate) fn any(self) -> bool {
        self.0 != 0
    }

    fn put(&mut self, mark: Marks, set: bool) {
        self.0 = if set { self.0 | mark.0 } else { self.0 & !mark.0 };
    }

    /// Adds what is wrong with the place itself.
    fn put_faults(&mut self, faults: &[Fault]) {
        for fault in faults {
            self.put(if fault.is_warning { Marks::DOUBTFUL } else { Marks::INVALID }, true);
        }
    }
}

/// How many children have each mark.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Counts {
    of_marks: [u32; 8],
    /// The marks that any of them has.
    marks: Marks,
}

impl Counts {
    /// Counts a child that had the marks `before` and has the marks `after`.
    pub(crate) fn shift(&mut self, before: Marks, after: Marks) {
        if before == after {
            return;
        }
        for (count, mark) in self.of_marks.iter_mut().zip(Marks::EACH) {
            *count = *count + u32::from(after.has(mark)) - u32::from(before.has(mark));
            self.marks.put(mark, *count > 0);
        }
    }
}

/// What a container needs to know of a place in it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Summary {
    pub(crate) marks: Marks,
    /// The content hash of the value.
    pub(crate) content: u64,
}

impl Summary {
    /// What the record needs to know of a place beside it: nothing that concerns its value.
    pub(crate) fn beside(mut self) -> Self {
        let differs = self.marks.has(Marks::DIFFERS) || self.marks.has(Marks::DIFFERS_BESIDE);
        self.marks.put(Marks::DIFFERS, false);
        self.marks.put(Marks::DIFFERS_BESIDE, differs);
        Summary { content: 0, ..self }
    }
}

impl Node {
    /// What a container needs to know of the place.
    pub(crate) fn summary(&self) -> Summary {
        Summary { marks: self.marks(), content: self.content() }
    }

    /// The marks of the place.
    pub(crate) fn marks(&self) -> Marks {
        match &self.body {
            Body::Field(field) => {
                let mut marks = Marks::default();
                marks.put(Marks::TOUCHED, field.touched);
                marks.put(Marks::TYPED, field.leads != field.leads_at_baseline);
                if let Some(extra) = &field.extra {
                    marks.put(Marks::DIFFERS, extra.baseline.is_some());
                    marks.put(Marks::TYPED, field.typed().is_some() || marks.has(Marks::TYPED));
                    marks.put_faults(&extra.faults);
                    marks.put(Marks::UNCOMMITTED, extra.pending.is_some());
                }
                marks
            }
            Body::Record(record) => record.container.marks(record.container.counts_mark(Marks::DIFFERS)),
            Body::List(list) => {
                let mut marks = list.container.marks(list.differs);
                let reordered = !list.added.is_empty() || !list.displaced.is_empty();
                marks.put(Marks::REORDERED, reordered || marks.has(Marks::REORDERED));
                marks
            }
        }
    }

    /// The content hash of the value.
    pub(crate) fn content(&self) -> u64 {
        let absent = self.container().and_then(|container| container.presence.absent_value());
        if let Some(absent) = absent {
            return content_of(&absent);
        }
        match &self.body {
            Body::Field(field) => content_of(&field.value),
            Body::Record(record) => record.content | 1,
            Body::List(list) => list_content(list.sequence.hash(), list.sequence.len()),
        }
    }

    pub(crate) fn container(&self) -> Option<&Container> {
        match &self.body {
            Body::Field(_) => None,
            Body::Record(record) => Some(&record.container),
            Body::List(list) => Some(&list.container),
        }
    }

    pub(crate) fn container_mut(&mut self) -> Option<&mut Container> {
        match &mut self.body {
            Body::Field(_) => None,
            Body::Record(record) => Some(&mut record.container),
            Body::List(list) => Some(&mut list.container),
        }
    }

    pub(crate) fn faults(&self) -> &[Fault] {
        match &self.body {
            Body::Field(field) => field.faults(),
            Body::Record(record) => &record.container.faults,
            Body::List(list) => &list.container.faults,
        }
    }
}
