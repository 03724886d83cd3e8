//! Formulas read a form through a view.

use super::{PlaceView, Reach};
use crate::formula::{Datum, Reader};
use crate::schema::{Choices, Error, ErrorKind, Pointer, Step};
use crate::tree::{Aspects, Computed, PlaceId, Shape, SharedId};
use crate::value::DateTime;

impl PlaceView<'_> {
    /// The choices that rules share for a record.
    pub(crate) fn shared_choices(&self, record: PlaceId, of: SharedId) -> Option<Choices> {
        self.record(record, Reach::Own, of.aspect());
        match self.tree().shared(record, of) {
            Some(Computed::Choices(choices)) => choices.clone(),
            Some(Computed::Value(_)) | None => None,
        }
    }
}

impl Reader for PlaceView<'_> {
    fn base(&self) -> PlaceId {
        self.id()
    }

    fn around(&self, place: PlaceId, climb: usize) -> Option<PlaceId> {
        (0..climb).try_fold(place, |place, _| self.tree().parent(place))
    }

    fn field(&self, record: PlaceId, slot: u32) -> Option<PlaceId> {
        // A record that is always there has its fields always. One that is not keeps the places of its fields while it is away.
        if self.tree().part(record).nullable {
            self.record(record, Reach::Own, Aspects::STRUCTURE);
        }
        self.tree().step(record, Step::Field(slot))
    }

    fn datum(&self, place: PlaceId) -> Datum {
        match self.tree().shape(place) {
            Shape::Field => self.other(place).with_value(Datum::of_value),
            Shape::Record => {
                let view = self.other(place);
                let is_there = !view.is_absent() && (!self.tree().has_relevance() || view.is_relevant());
                if is_there { Datum::Record(place) } else { Datum::Null }
            }
            Shape::List => {
                let view = self.other(place);
                if self.tree().has_relevance() && !view.is_relevant() {
                    return Datum::List(Vec::new());
                }
                Datum::List(view.children().map(|row| self.datum(row.id())).collect())
            }
        }
    }

    fn shared(&self, record: PlaceId, of: SharedId) -> Datum {
        self.record(record, Reach::Own, of.aspect());
        match self.tree().shared(record, of) {
            Some(Computed::Value(value)) => Datum::of_value(value),
            Some(Computed::Choices(_)) | None => Datum::Null,
        }
    }

    fn grant(&self, steps: usize) -> bool {
        self.grant_steps(steps)
    }

    fn exhausted(&self) {
        let message = "the formula takes too many steps";
        self.record_wrong(Error::new(ErrorKind::NotPossible, Pointer::root(), message));
    }

    fn now(&self) -> Option<DateTime> {
        self.record(self.tree().root(), Reach::Own, Aspects::NOW);
        self.tree().now()
    }
}
