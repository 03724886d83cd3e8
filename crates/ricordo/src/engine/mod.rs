//! The engine: actions in, and what to tell out.
//!
//! An [`Engine`] holds the state of one form. Whatever changes it is an [`Action`]: [`Engine::apply`] carries
//! one out wholly or not at all, settles what follows from it, and returns an [`Outcome`] that says what has
//! changed and who must hear of it. The engine calls nobody and knows no clock, so it can be driven from
//! anywhere; around it stands [`Form`](crate::Form), which most programs use.

mod action;
mod address;
mod observers;
mod outcome;
mod perform;
mod refused;
mod rows;
mod view;

use std::sync::Arc;

pub use action::Action;
pub use address::Address;
pub use observers::ObserverId;
pub use outcome::{Aspects, Change, Outcome};
pub use refused::{Refused, RefusedKind};
pub use rows::RowEdit;
pub use view::PlaceView;

pub use crate::tree::PlaceId;

use crate::settle;
use crate::shape::{Misfit, Shape};
use crate::tree::Tree;
use crate::value::Value;
use observers::Observers;

/// The state of one form.
///
/// ```
/// use std::sync::Arc;
/// use ricordo::engine::{Action, Engine};
/// use ricordo::shape::{Kind, Part, ShapeBuilder};
///
/// let mut builder = ShapeBuilder::new();
/// let sheet = builder.open_record();
/// builder.field(sheet, "loaves", Part::new(Kind::Integer).minimum(1.into()))?;
/// let shape = Arc::new(builder.finish(Part::new(Kind::Record(sheet)))?);
///
/// let mut engine = Engine::new(shape, None)?;
/// let loaves = engine.locate(&"/loaves".parse()?)?;
/// engine.apply(Action::Enter { at: loaves.into(), text: "12".into() })?;
/// assert_eq!(engine.view(loaves).value(), 12.into());
/// assert!(engine.view(engine.root()).is_dirty());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Engine {
    tree: Tree,
    observers: Observers,
    focus: Option<PlaceId>,
}

impl Engine {
    /// A form that starts from this value, or, without one, from the shape's defaults and blanks. The value
    /// must fit the shape; it is the baseline, too.
    pub fn new(shape: Arc<Shape>, value: Option<Value>) -> Result<Self, Misfit> {
        let value = match value {
            Some(value) => shape.fit(shape.root(), value)?,
            None => shape.blank(shape.root()),
        };
        let mut tree = Tree::new(shape, value);
        let root = tree.root();
        settle::check_all(&mut tree, root);
        tree.take_log();
        Ok(Engine { tree, observers: Observers::default(), focus: None })
    }

    /// What the form is made of.
    pub fn shape(&self) -> &Arc<Shape> {
        self.tree.shape()
    }

    /// The form itself, as a place.
    pub fn root(&self) -> PlaceId {
        self.tree.root()
    }

    /// The place that has the focus.
    pub fn focus(&self) -> Option<PlaceId> {
        self.focus.filter(|place| self.tree.knows(*place) && self.tree.is_there(*place))
    }

    /// The place at an address.
    pub fn locate(&self, address: &Address) -> Result<PlaceId, Refused> {
        match address {
            Address::Pointer(pointer) => self.tree.locate(pointer).map_err(Refused::from),
            Address::Route(from, steps) => {
                let from = self.known(from.unwrap_or(self.tree.root()))?;
                self.tree.follow(from, steps).map_err(Refused::from)
            }
        }
    }

    /// What is to be seen of a place. A place that was removed shows what it was like then.
    ///
    /// # Panics
    ///
    /// If the id is of another form; [`Engine::locate`] says so as an error.
    pub fn view(&self, place: PlaceId) -> PlaceView<'_> {
        assert!(self.tree.knows(place), "the place is one of another form");
        PlaceView { tree: &self.tree, place }
    }

    /// Carries out an action, wholly or not at all, and settles what follows from it.
    pub fn apply(&mut self, action: Action) -> Result<Outcome, Refused> {
        let focus = self.focus;
        match self.perform(action, 0) {
            Ok(made) => {
                settle::settle(&mut self.tree);
                let log = self.tree.take_log();
                Ok(Outcome::new(&self.tree, &self.observers, log, made))
            }
            Err(refused) => {
                self.tree.roll_back();
                self.focus = focus;
                Err(refused)
            }
        }
    }

    /// Watches a place, and all in it: outcomes will name this observer when something there has changed.
    pub fn observe(&mut self, place: PlaceId) -> Result<ObserverId, Refused> {
        let place = self.known(place)?;
        Ok(self.observers.add(place))
    }

    /// Ends an observation.
    pub fn forget(&mut self, observer: ObserverId) {
        self.observers.remove(observer);
    }

    fn known(&self, place: PlaceId) -> Result<PlaceId, Refused> {
        if self.tree.knows(place) { Ok(place) } else { Err(Refused::foreign()) }
    }
}
