//! Formulas read a form through a view.

use super::{PlaceView, Reach};
use crate::formula::{Datum, Reader};
use crate::schema::{Error, ErrorKind, Pointer, Step};
use crate::tree::{Aspects, PlaceId, Shape, SubtotalId};
use crate::value::DateTime;

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

    fn subtotal(&self, record: PlaceId, of: SubtotalId) -> Datum {
        self.record(record, Reach::Own, of.aspect());
        self.tree().subtotal(record, of).map(Datum::of_value).unwrap_or_default()
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
