//! Causes: what led to a notice.

use std::fmt;
use std::rc::Rc;

use crate::engine::{Change, Engine, Outcome, PlaceView};
use crate::tree::PlaceId;
use crate::value::HashedMap;

/// The cause of a notification, in words: the action, what it changed, and, if it was a response, what it responded
/// to. Secrets are hidden.
///
/// ```
/// # use ricordo::{Form, Model};
/// # #[derive(Model)] struct Batch { loaves: u32 }
/// # let form = Form::new(&Batch { loaves: 12 })?;
/// let loaves = ricordo::at::<Batch>().loaves();
/// let label = form.subscribe(loaves, |notice| {
///     assert_eq!(notice.cause().to_string(), "enter “15” in /loaves\n  /loaves: value 12 → 15, now dirty");
/// })?;
/// form.enter(loaves, "15")?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Debug)]
pub struct Cause {
    action: String,
    changes: Vec<String>,
    link: Option<Rc<Link>>,
}

/// The notification that an action responds to.
#[derive(Clone, Debug)]
pub(super) struct Link {
    /// The name of the subscriber that took it: “clamp”.
    pub(super) by: String,
    pub(super) cause: Cause,
}

/// The number of changes that are listed one by one.
const MOST_CHANGES: usize = 12;

impl Cause {
    /// The cause of an outcome; with a place, only the changes that concern this, and what led to them.
    pub(super) fn of(
        engine: &Engine,
        outcome: &Outcome,
        place: Option<PlaceId>,
        link: Option<Rc<Link>>,
    ) -> Self {
        let concerned = match place {
            Some(place) => concerned(engine, outcome, place),
            None => outcome.changes().iter().collect(),
        };
        let mut changes: Vec<String> =
            concerned.iter().take(MOST_CHANGES).map(|change| engine.change_words(change)).collect();
        if concerned.len() > MOST_CHANGES {
            changes.push(format!("and {} places more", concerned.len() - MOST_CHANGES));
        }
        Cause { action: engine.words(outcome.action()), changes, link }
    }

    /// The cause of what is done because of this action.
    pub(super) fn of_action(action: String, link: Option<Rc<Link>>) -> Self {
        Cause { action, changes: Vec::new(), link }
    }

    /// The action: `enter “15” in /loaves`.
    pub fn action(&self) -> &str {
        &self.action
    }

    /// The changes that the subscriber observes: `/loaves: value 12 → 15, now dirty`.
    pub fn changes(&self) -> &[String] {
        &self.changes
    }

    /// The notification that the action responded to, and who responded.
    pub fn in_response_to(&self) -> Option<(&str, &Cause)> {
        self.link.as_ref().map(|link| (link.by.as_str(), &link.cause))
    }
}

/// The changes that concern a place: of itself, of what is in it or around it, and of its dependencies.
fn concerned<'a>(engine: &Engine, outcome: &'a Outcome, place: PlaceId) -> Vec<&'a Change> {
    let lies_in = |inner: PlaceId, outer: PlaceId| {
        std::iter::successors(Some(engine.view(inner)), PlaceView::parent).any(|view| view.id() == outer)
    };
    let changes = outcome.changes();
    let mut is_concerned: Vec<bool> = changes
        .iter()
        .map(|change| lies_in(change.place(), place) || lies_in(place, change.place()))
        .collect();
    // The changes by the places they are in.
    let mut changes_in: HashedMap<PlaceId, Vec<usize>> = HashedMap::default();
    for (at, change) in changes.iter().enumerate() {
        let around = std::iter::successors(Some(engine.view(change.place())), PlaceView::parent);
        around.for_each(|view| changes_in.get_or_default(view.id()).push(at));
    }
    // A cause may itself have a cause.
    let mut behind = vec![place];
    behind.extend(changes.iter().zip(&is_concerned).filter(|(_, is)| **is).map(|(change, _)| change.place()));
    while let Some(place) = behind.pop() {
        let mut from: Vec<usize> = Vec::new();
        for place in engine.all_dependencies(place) {
            // Once found, they need not be found again.
            from.extend(changes_in.remove(&place).unwrap_or_default());
        }
        if engine.shows_aggregate(place) {
            let added = changes.iter().enumerate();
            from.extend(
                added.filter(|(_, change)| engine.aggregates(place, change.place())).map(|(at, _)| at),
            );
        }
        for at in from {
            if !std::mem::replace(&mut is_concerned[at], true) {
                behind.push(changes[at].place());
            }
        }
    }
    changes.iter().zip(is_concerned).filter(|(_, is)| *is).map(|(change, _)| change).collect()
}

impl fmt::Display for Cause {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some((by, before)) = self.in_response_to() {
            write!(formatter, "{before}\nin response, {by}: ")?;
        }
        formatter.write_str(&self.action)?;
        self.changes.iter().try_for_each(|change| write!(formatter, "\n  {change}"))
    }
}
