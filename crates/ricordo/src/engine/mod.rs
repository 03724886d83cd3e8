//! The engine: actions in, and what to tell out.
//!
//! An [`Engine`] holds the state of one form. Whatever changes it is an [`Action`]: [`Engine::apply`] carries
//! one out wholly or not at all, settles what follows from it, and returns an [`Outcome`] that says what has
//! changed and who must hear of it. The engine calls nobody and knows no clock, so it can be driven from
//! anywhere; around it stands [`Form`](crate::Form), which most programs use.

mod action;
mod address;
mod history;
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

pub use crate::tree::{Cost, PlaceId};

use crate::settle;
use crate::shape::{DEEPEST, Misfit, Pointer, Shape};
use crate::tree::{Tree, Undo};
use crate::value::Value;
use history::History;
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
    history: History,
    /// What is to be gone back to if the open transaction fails.
    open: Option<Open>,
}

/// A transaction that has begun.
#[derive(Debug)]
struct Open {
    focus: Option<PlaceId>,
    made: Option<PlaceId>,
}

impl Engine {
    /// A form that starts from this value, or, without one, from the shape's defaults and blanks. The value
    /// must fit the shape; it is the baseline, too.
    pub fn new(shape: Arc<Shape>, value: Option<Value>) -> Result<Self, Misfit> {
        let value = match value {
            Some(value) if value.is_deeper_than(DEEPEST) => {
                value.dismantle();
                return Err(Misfit::here(format!("lies more than {DEEPEST} places deep")));
            }
            Some(value) => shape.fit(shape.root(), value)?,
            None => shape.blank(shape.root()),
        };
        let mut tree = Tree::new(shape, value);
        let root = tree.root();
        settle::check_all(&mut tree, root);
        tree.take_log();
        Ok(Engine {
            tree,
            observers: Observers::default(),
            focus: None,
            history: History::default(),
            open: None,
        })
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

    /// What is to be seen of a place. A place that was removed shows what it was like then; one that nothing
    /// can bring back any more, or that is of another form, shows nothing.
    pub fn view(&self, place: PlaceId) -> PlaceView<'_> {
        PlaceView { tree: &self.tree, place }
    }

    /// Carries out an action, wholly or not at all, and settles what follows from it.
    ///
    /// While a transaction is open, the action is only performed: it is settled, and told of, with the whole
    /// transaction.
    pub fn apply(&mut self, action: Action) -> Result<Outcome, Refused> {
        let action = action.within_depth()?;
        if self.open.is_some() {
            return self.apply_within(action).map(Outcome::performed);
        }
        match action {
            Action::Undo => self.step(History::undo, History::keep_for_redo, "undo"),
            Action::Redo => self.step(History::redo, History::keep_for_undo, "redo"),
            action => {
                let focus = self.focus;
                let performed = match action {
                    Action::Enter { at, text } => self.enter(&at, &text).map(|place| (None, Some(place))),
                    action => self.perform(action).map(|made| (made, None)),
                };
                match performed {
                    Ok((made, typing)) => Ok(self.finish(made, typing)),
                    Err(refused) => {
                        self.tree.roll_back();
                        self.focus = focus;
                        Err(refused)
                    }
                }
            }
        }
    }

    /// Settles what was performed, and finds out what has changed.
    fn finish(&mut self, made: Option<PlaceId>, typing: Option<PlaceId>) -> Outcome {
        settle::settle(&mut self.tree);
        let (outcome, log) = self.tell(made);
        self.history.record(&mut self.tree, log, typing);
        outcome
    }

    /// What has changed, and the log of it.
    fn tell(&mut self, made: Option<PlaceId>) -> (Outcome, Vec<Undo>) {
        let outcome = Outcome::new(&self.tree, &self.observers, made);
        self.tree.cost.observers += outcome.notices().len() as u64;
        (outcome, self.tree.take_log())
    }

    fn step(
        &mut self,
        go: impl FnOnce(&mut History, &mut Tree) -> bool,
        keep: impl FnOnce(&mut History, &Tree, Vec<Undo>),
        what: &str,
    ) -> Result<Outcome, Refused> {
        if !go(&mut self.history, &mut self.tree) {
            let message = format!("there is nothing to {what}");
            return Err(Refused::new(RefusedKind::NotPossible, Pointer::root(), message));
        }
        settle::settle(&mut self.tree);
        let (outcome, log) = self.tell(None);
        keep(&mut self.history, &self.tree, log);
        Ok(outcome)
    }

    fn apply_within(&mut self, action: Action) -> Result<Option<PlaceId>, Refused> {
        let (length, focus) = (self.tree.log().len(), self.focus);
        match self.perform(action) {
            Ok(made) => {
                if let Some(open) = &mut self.open {
                    open.made = made.or(open.made);
                }
                Ok(made)
            }
            Err(refused) => {
                self.tree.roll_back_to(length);
                self.focus = focus;
                Err(refused)
            }
        }
    }

    /// Opens a transaction: actions are performed, but settled only when it is closed. One that is open
    /// already stays as it is.
    pub fn begin(&mut self) {
        if self.open.is_none() {
            self.open = Some(Open { focus: self.focus, made: None });
        }
    }

    /// Closes the open transaction, and settles what follows from it. Without one, nothing has changed.
    pub fn commit(&mut self) -> Outcome {
        match self.open.take() {
            Some(open) => self.finish(open.made, None),
            None => Outcome::default(),
        }
    }

    /// Takes the open transaction back: the form is as it was before it was opened.
    pub fn roll_back(&mut self) {
        if let Some(open) = self.open.take() {
            self.tree.roll_back();
            self.focus = open.focus;
        }
    }

    /// What was done so far, counted.
    pub fn cost(&self) -> Cost {
        self.tree.cost
    }

    /// Whether a transaction is open.
    pub fn is_open(&self) -> bool {
        self.open.is_some()
    }

    /// Whether there is a step to undo.
    pub fn can_undo(&self) -> bool {
        self.history.can_undo()
    }

    /// Whether there is a step to do again.
    pub fn can_redo(&self) -> bool {
        self.history.can_redo()
    }

    /// Bounds the memory that the steps which can be undone may take, in bytes; 2 MiB if nothing is said,
    /// which is some thousands of edits. What goes beyond it is forgotten, the oldest first; only the last step
    /// is kept however large it is. 0 turns undo off.
    pub fn set_undo_limit(&mut self, bytes: usize) {
        self.history.set_limit(&mut self.tree, bytes);
    }

    /// Whether a place holds a value, as a `test` or an `expect` means it: null and blank count as the same, and
    /// dates and times may be given as texts.
    pub fn holds(&self, place: PlaceId, value: &Value) -> bool {
        // What lies deeper than any place is held by none.
        if value.is_deeper_than(DEEPEST) {
            return false;
        }
        let held = self.tree.value(place);
        let fitted = || self.shape().fit(self.tree.node(place).part, value.clone());
        held.matches(value) || fitted().is_ok_and(|value| held.matches(&value))
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
        if self.tree.knows(place) { Ok(place) } else { Err(Refused::gone()) }
    }
}
