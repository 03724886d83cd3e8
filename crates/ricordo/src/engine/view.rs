//! What is to be seen of a place.

use std::borrow::Cow;

use crate::rules::{Finding, Subject, message};
use crate::shape::{FindingKind, Part, Pointer, Reveal, Shape};
use crate::tree::{Body, PlaceId, Tree};
use crate::value::Value;

/// What is to be seen of a place: read-only, and cheap to copy.
#[derive(Clone, Copy, Debug)]
pub struct PlaceView<'a> {
    pub(super) tree: &'a Tree,
    pub(super) place: PlaceId,
}

impl<'a> PlaceView<'a> {
    /// The place.
    pub fn id(&self) -> PlaceId {
        self.place
    }

    /// What the form is made of.
    pub fn shape(&self) -> &'a Shape {
        self.tree.shape()
    }

    /// What the shape says of the place.
    pub fn part(&self) -> &'a Part {
        self.tree.part(self.place)
    }

    /// Where the place is now. Of a place that is gone, where it was removed from.
    pub fn pointer(&self) -> Pointer {
        self.tree.pointer(self.place)
    }

    /// Whether the place is in the form, and not in a row that was removed or a record that was emptied.
    pub fn is_there(&self) -> bool {
        self.tree.is_there(self.place)
    }

    /// The text in the widget: as typed, or the canonical text of the value where nothing was typed since the
    /// last set, load or reset. Records and lists have none.
    pub fn entry(&self) -> Cow<'a, str> {
        match self.tree.field(self.place) {
            Some(field) => field.text(),
            None => Cow::Borrowed(""),
        }
    }

    /// The value, with all in it.
    pub fn value(&self) -> Value {
        self.tree.value(self.place)
    }

    /// What dirty compares with and reset returns to.
    pub fn baseline(&self) -> Value {
        self.tree.baseline(self.place)
    }

    /// Whether the value is not the baseline, or what was typed cannot be read. Records and lists compare
    /// their values only.
    pub fn is_dirty(&self) -> bool {
        self.tree.is_dirty(self.place)
    }

    /// Whether the place, or one in it, was left by a person.
    pub fn is_touched(&self) -> bool {
        self.tree.is_touched(self.place)
    }

    /// Whether neither the place nor anything in it has an error.
    pub fn is_valid(&self) -> bool {
        self.tree.is_valid(self.place)
    }

    /// A figure that moves whenever the place, or one that it lies in, is reset, so that widgets with a state
    /// of their own know.
    pub fn epoch(&self) -> u64 {
        self.tree.epoch(self.place)
    }

    /// Whether the place holds nothing that children could lie in: an empty optional record or list.
    pub fn is_absent(&self) -> bool {
        self.tree.node(self.place).container().is_some_and(|container| !container.is_present())
    }

    /// What is wrong with the place itself.
    pub fn findings(&self) -> Vec<Finding> {
        let faults = self.tree.node(self.place).faults();
        if faults.is_empty() {
            return Vec::new();
        }
        let (entry, value, part, place) = (self.entry(), self.own_value(), self.part(), self.pointer());
        let is_repeated = faults.contains(&FindingKind::Repeated);
        let repeated = if is_repeated { self.tree.repeated_rows(self.place) } else { None };
        let subject = Subject { part, entry: &entry, value: &value, rows: self.row_count(), repeated };
        let shown = match part.reveal {
            Reveal::Always => true,
            Reveal::Touched => self.is_touched(),
        };
        let finding = |kind| Finding { kind, message: message(kind, &subject), place: place.clone(), shown };
        faults.iter().copied().map(finding).collect()
    }

    /// The value of a field; of a record or a list, nothing, since its findings are not about what is in it.
    fn own_value(&self) -> Value {
        self.tree.field(self.place).map(|field| field.value.clone()).unwrap_or_default()
    }

    /// What is wrong with the place and all in it, in the order of the form. What is right is not visited.
    pub fn all_findings(&self) -> Vec<Finding> {
        let mut findings = Vec::new();
        self.collect_findings(&mut findings);
        findings
    }

    fn collect_findings(&self, findings: &mut Vec<Finding>) {
        if self.is_valid() {
            return;
        }
        findings.extend(self.findings());
        if let Body::List(list) = &self.tree.node(self.place).body {
            let mut marked: Vec<_> =
                list.marked.iter().map(|key| (list.sequence.position(*key), *key)).collect();
            marked.sort_unstable();
            for (_, key) in marked {
                PlaceView { tree: self.tree, place: list.rows[key as usize].place }
                    .collect_findings(findings);
            }
        } else {
            self.children().for_each(|child| child.collect_findings(findings));
        }
    }

    /// What lies directly in the place: fields in the order of the definition, or rows in their order.
    pub fn children(&self) -> impl Iterator<Item = PlaceView<'a>> + use<'a> {
        let tree = self.tree;
        let below = match &tree.node(self.place).body {
            Body::Record(record) if record.container.is_present() => record.children.to_vec(),
            Body::List(_) => tree.rows(self.place),
            _ => Vec::new(),
        };
        below.into_iter().map(move |place| PlaceView { tree, place })
    }

    /// What the place lies in; nothing for the form itself.
    pub fn parent(&self) -> Option<PlaceView<'a>> {
        Some(PlaceView { tree: self.tree, place: self.tree.parent(self.place)? })
    }

    /// The name of the place among the fields of its record, if that is where it lies.
    pub fn name(&self) -> Option<&'a str> {
        let parent = self.tree.parent(self.place)?;
        match self.tree.part(parent).kind {
            crate::shape::Kind::Record(record) => {
                let (name, _) = self.tree.shape().field_at(record, self.tree.node(self.place).slot)?;
                Some(name)
            }
            _ => None,
        }
    }

    /// How many rows a list has; none for any other place.
    pub fn row_count(&self) -> u32 {
        self.tree.list(self.place).map_or(0, |list| list.sequence.len())
    }

    /// The row of a list at a position.
    pub fn row(&self, position: u32) -> Option<PlaceView<'a>> {
        let list = self.tree.list(self.place)?;
        let key = list.sequence.at(position)?;
        Some(PlaceView { tree: self.tree, place: list.rows[key as usize].place })
    }

    /// The key of a row, which stays with it wherever it moves; nothing for a place that is no row. Keys
    /// count from 1 within a list and are not given out twice.
    pub fn row_key(&self) -> Option<u64> {
        let list = self.tree.list(self.tree.parent(self.place)?)?;
        Some(list.shown_key(self.tree.node(self.place).slot))
    }

    /// Where a row stands in its list, counted from 0; nothing for a place that is no row, or is gone.
    pub fn position(&self) -> Option<u32> {
        self.tree.list(self.tree.parent(self.place)?)?.sequence.position(self.tree.node(self.place).slot)
    }

    /// Whether the place is a row that was added since the baseline.
    pub fn is_added(&self) -> bool {
        self.tree.row_marks(self.place).0
    }

    /// Whether the place is a row of the baseline that was moved.
    pub fn is_moved(&self) -> bool {
        self.tree.row_marks(self.place).1
    }
}
