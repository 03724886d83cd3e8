//! The live places: entries, values, baselines, marks and rows.
//!
//! The tree is an arena: a place is a node with an id that stays, whatever happens around it. Containers count their
//! children's marks, so that whether anything below is dirty or touched is known without a walk. Whatever changes a place goes
//! through the functions of `field`, `container` and `rows`, which write into the change set how to revert it.

mod arena;
mod aspects;
mod change_set;
mod choices;
mod conflicts;
mod container;
mod cost;
mod draft;
mod field;
mod focus;
mod list;
mod list_code;
mod load;
mod locate;
mod marks;
mod numbers;
mod pattern;
mod polynomial;
mod properties;
mod read;
mod rebase;
mod reset;
mod reversal;
mod revert;
mod rows;
mod sequence;
mod state;
mod submitted;
mod variants;

use std::fmt;
use std::sync::Arc;

pub use arena::PlaceId;
use arena::{Arena, Body, NONE};
pub use aspects::Aspects;
pub(crate) use change_set::{ChangeSet, ChangedPlace, FocusBefore, Unchecked};
use choices::RunTimeChoices;
use conflicts::Conflicts;
pub use conflicts::{Conflict, Side};
pub use cost::Cost;
pub(crate) use draft::{Displacement, Given};
pub use focus::BindingId;
pub(crate) use focus::Focus;
#[cfg(test)]
pub(crate) use list::longest_rise;
pub(crate) use list::{ListBody, Row};
use list_code::ListCode;
pub(crate) use load::{Loader, Unfilled};
pub(crate) use marks::Marks;
pub use numbers::{Epoch, Revision, RowKey};
pub(crate) use pattern::{Anchor, Pattern};
use properties::PropertiesOfPlaces;
pub(crate) use properties::{Bounds, FailedConstraint};
pub(crate) use properties::{
    Computed, ConstraintId, ConstraintWords, Failure, Fault, Faults, FilterId, Properties, Severity,
    SharedId, Source,
};
pub(crate) use reversal::{Attribute, Reversal};
pub(crate) use sequence::Key;
pub(crate) use state::{FieldRef, FieldState, Pending, Presence};
pub(crate) use submitted::{Rebased, Sent};
pub(crate) use variants::LeftInput;

use crate::schema::{Finding, Part, PartId, Schema};
use crate::value::{DateTime, HashedMap, HashedSet, Value};

/// All places of a form.
#[derive(Debug)]
pub(crate) struct Tree {
    schema: Arc<Schema>,
    /// Nothing if the schema has no lists.
    list_code: Option<&'static ListCode>,
    arena: Arena,
    root: PlaceId,
    focus: Option<Focus>,
    choices: RunTimeChoices,
    properties: PropertiesOfPlaces,
    /// When each place was last reset itself, as a count of all resets.
    epochs: HashedMap<PlaceId, Epoch>,
    resets: u64,
    /// The counts of the work done so far.
    pub(crate) cost: Cost,
    /// The changes since they were last taken.
    changes: ChangeSet,
    /// The program's wording of findings.
    wording: Option<Wording>,
    /// The current time, if the form was told.
    now: Option<DateTime>,
    /// Whether a submit was tried since the form was last reset, cleared, or given another record.
    was_submitted: bool,
    /// The submitted values, until the reply.
    sent: Option<Box<Sent>>,
    /// The places that both sides have changed.
    conflicts: Conflicts,
    /// Rows that have gone from the baseline while steps led to them.
    kept_rows: HashedSet<(PlaceId, Key)>,
    /// Lists whose keys may be others than loading their baselines gives out, among them all of which that is so.
    rekeyed: HashedSet<PlaceId>,
    /// Fields that may lead in the baseline where loading it would let them follow, or the other way round.
    led_otherwise: HashedSet<PlaceId>,
    /// The input that the user has left in variants by choosing others.
    left_input: HashedMap<PlaceId, Box<LeftInput>>,
}

/// A wording of findings; `None` keeps the message.
#[derive(Clone)]
pub(crate) struct Wording(pub(crate) Arc<WordingFunction>);

type WordingFunction = dyn Fn(&Finding) -> Option<String> + Send + Sync;

impl fmt::Debug for Wording {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_tuple("Wording").finish_non_exhaustive()
    }
}

/// The content of a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shape {
    Field,
    Record,
    List,
}

impl Tree {
    /// A tree that holds a value, which must fit the schema, as both its value and its baseline.
    pub(crate) fn new(schema: Arc<Schema>, value: Value) -> Self {
        let mut tree = Tree::empty(schema);
        let root = tree.load(tree.schema.root(), NONE, 0, value);
        tree.root = tree.arena.id(root);
        tree
    }

    /// A tree without places.
    fn empty(schema: Arc<Schema>) -> Self {
        Tree {
            list_code: list_code::code_of(&schema),
            arena: Arena::new(schema.root()),
            root: PlaceId::NONE,
            focus: None,
            choices: RunTimeChoices::default(),
            properties: PropertiesOfPlaces::default(),
            epochs: HashedMap::default(),
            resets: 0,
            cost: Cost::default(),
            changes: ChangeSet::default(),
            wording: None,
            now: None,
            was_submitted: false,
            sent: None,
            conflicts: Conflicts::default(),
            kept_rows: HashedSet::default(),
            rekeyed: HashedSet::default(),
            led_otherwise: HashedSet::default(),
            left_input: HashedMap::default(),
            schema,
        }
    }

    /// The current time, if the form was told.
    pub(crate) fn now(&self) -> Option<DateTime> {
        self.now
    }

    /// Says what time it is. Undo does not revert it.
    pub(crate) fn set_now(&mut self, now: DateTime) {
        self.now = Some(now);
        self.changes.note_for(&mut self.arena, self.root, Aspects::NOW, Unchecked::Nothing);
    }

    /// Returns whether a submit was tried since the form was last reset, cleared, or given another record.
    pub(crate) fn was_submitted(&self) -> bool {
        self.was_submitted
    }

    /// Says whether a submit was tried. Undo does not revert it.
    pub(crate) fn set_submitted(&mut self, was_submitted: bool) {
        if std::mem::replace(&mut self.was_submitted, was_submitted) != was_submitted {
            self.changes.note_for(&mut self.arena, self.root, Aspects::TRIED, Unchecked::Nothing);
        }
    }

    /// The program's wording of findings.
    pub(crate) fn wording(&self) -> Option<&Wording> {
        self.wording.as_ref()
    }

    pub(crate) fn set_wording(&mut self, wording: Wording) {
        self.wording = Some(wording);
    }

    pub(crate) fn schema(&self) -> &Arc<Schema> {
        &self.schema
    }

    /// The form itself.
    pub(crate) fn root(&self) -> PlaceId {
        self.root
    }

    /// The changes since they were last taken.
    pub(crate) fn changes(&self) -> &ChangeSet {
        &self.changes
    }

    pub(crate) fn changes_mut(&mut self) -> &mut ChangeSet {
        &mut self.changes
    }

    /// The changes of a place; `None` if there are none.
    pub(crate) fn change_of(&self, place: PlaceId) -> Option<&ChangedPlace> {
        self.changes.of(&self.arena, place)
    }

    /// The next place that settling has not seen, with the aspects that may differ from what was settled.
    pub(crate) fn next_unsettled(&mut self) -> Option<(PlaceId, Aspects)> {
        let arena = &self.arena;
        self.changes.next_unsettled(|place, before| match &arena.get(place).body {
            Body::Field(value) => value != before.value(),
            Body::Record { .. } | Body::Wide(_) | Body::List(_) => true,
        })
    }

    /// Returns whether the id is of a place of this tree.
    pub(crate) fn knows(&self, place: PlaceId) -> bool {
        self.arena.knows(place)
    }

    /// The part of a place in the schema.
    pub(crate) fn part(&self, place: PlaceId) -> &Part {
        self.schema.part(self.part_id(place))
    }

    pub(crate) fn part_id(&self, place: PlaceId) -> PartId {
        self.arena.get(place).part
    }

    /// The position among the fields of the record, or the key among the rows of the list.
    pub(crate) fn slot(&self, place: PlaceId) -> u32 {
        self.arena.get(place).slot
    }

    /// The parent of a place; `None` for the form itself.
    pub(crate) fn parent(&self, place: PlaceId) -> Option<PlaceId> {
        match self.arena.get(place).parent {
            NONE => None,
            parent => Some(self.arena.id(parent)),
        }
    }

    /// A place, and all that it lies in, up to the form itself.
    pub(crate) fn with_ancestors(&self, place: PlaceId) -> impl Iterator<Item = PlaceId> + use<'_> {
        std::iter::successors(Some(place), |place| self.parent(*place))
    }

    pub(crate) fn shape(&self, place: PlaceId) -> Shape {
        match &self.arena.get(place).body {
            Body::Field(_) => Shape::Field,
            Body::Record { .. } | Body::Wide(_) => Shape::Record,
            Body::List(_) => Shape::List,
        }
    }

    pub(crate) fn list(&self, place: PlaceId) -> Option<&ListBody> {
        match &self.arena.get(place).body {
            Body::List(list) => Some(list),
            Body::Field(_) | Body::Record { .. } | Body::Wide(_) => None,
        }
    }

    fn list_mut(&mut self, place: PlaceId) -> Option<&mut ListBody> {
        match &mut self.arena.get_mut(place)?.body {
            Body::List(list) => Some(list),
            Body::Field(_) | Body::Record { .. } | Body::Wide(_) => None,
        }
    }

    pub(crate) fn field(&self, place: PlaceId) -> Option<FieldRef<'_>> {
        self.arena.field(place)
    }

    /// The faults of the place itself.
    pub(crate) fn faults(&self, place: PlaceId) -> &[Fault] {
        self.arena.extra(self.arena.get(place)).map_or(&[], |extra| &extra.faults)
    }

    /// The marks of a place, with what is in it.
    pub(crate) fn marks(&self, place: PlaceId) -> Marks {
        self.arena.get(place).marks
    }
}
