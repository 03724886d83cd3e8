//! Looking into a form: its whole state, its journal, its subscribers and its cost.

use std::fmt;
use std::sync::Arc;

use super::Form;
use super::core::Core;
use super::counts::SubscriberReport;
use super::recording::Recorder;
use crate::engine::{Cost, Engine};
use crate::exchange;
use crate::schema::Error;
use crate::value::Value;

/// # Diagnostics
impl<M: 'static> Form<M> {
    /// Returns a view into the form for debugging and tests.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.enter(batch.loaves(), "24")?;
    /// println!("{:#}", form.diagnostics().dump());
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn diagnostics(&self) -> Diagnostics<'_> {
        Diagnostics { core: &self.core }
    }
}

impl<M> exchange::Inspect for Form<M> {
    fn inspect(&self, inspect: &mut dyn FnMut(&Engine)) {
        self.core.read(|engine| inspect(engine));
    }
}

/// A view into a form for debugging and tests: see [`Form::diagnostics`].
///
/// ```
/// # use ricordo::{Form, Model, at};
/// # #[derive(Model)] struct Batch { loaves: u32 }
/// # let form = Form::new(&Batch { loaves: 12 })?;
/// let watching = form.subscribe(at::<Batch>().loaves(), |_| {})?.named("label");
/// form.diagnostics().start_recording(64 * 1024);
///
/// form.enter(at::<Batch>().loaves(), "15")?;
/// form.undo()?;
///
/// let journal = form.diagnostics().recording();
/// assert_eq!(
///     journal.as_deref(),
///     Some("{\"op\":\"enter\",\"path\":\"/loaves\",\"text\":\"15\"}\n{\"op\":\"undo\"}\n")
/// );
/// assert_eq!(form.diagnostics().subscribers()[0].counts.called, 2);
/// # Ok::<(), ricordo::Error>(())
/// ```
pub struct Diagnostics<'a> {
    core: &'a Core,
}

impl fmt::Debug for Diagnostics<'_> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Diagnostics").finish_non_exhaustive()
    }
}

impl Diagnostics<'_> {
    /// Returns the whole state as one record, with secrets hidden: see [`exchange::dump`].
    pub fn dump(&self) -> Value {
        self.core.read(exchange::dump)
    }

    /// Returns the counts of what the engine has done so far: see [`Cost`].
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let before = form.diagnostics().cost();
    /// form.enter(batch.loaves(), "24")?;
    /// let cost = form.diagnostics().cost();
    /// assert!(cost.places > before.places);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn cost(&self) -> Cost {
        self.core.read(Engine::cost)
    }

    /// Returns all subscribers, in the order in which they subscribed, with their names and counts.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// let label = form.subscribe(batch.loaves(), |_| {})?.named("label");
    /// form.enter(batch.loaves(), "24")?;
    /// for subscriber in form.diagnostics().subscribers() {
    ///     println!("{subscriber:?}");
    /// }
    /// # drop(label);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn subscribers(&self) -> Vec<SubscriberReport> {
        self.core.reports()
    }

    /// Returns the errors of actions inside callbacks since the last call of this method.
    pub fn take_errors(&self) -> Vec<Error> {
        self.core.take_errors()
    }

    /// Returns the names of the deferred checks that are pending although nobody answers them: no one has
    /// [subscribed](Form::subscribe_tickets) to tickets. A save that waits for them waits until somebody does.
    pub fn unanswered_checks(&self) -> Vec<Arc<str>> {
        self.core.unanswered_checks()
    }

    /// Starts recording actions into a journal of at most `max_bytes`; beyond that the oldest lines are dropped. Secrets are hidden. An
    /// earlier recording is discarded.
    ///
    /// ```
    /// # use ricordo::{Form, Model, at};
    /// # #[derive(Clone, Debug, PartialEq, Model)] struct Row { name: String }
    /// # #[derive(Model)] struct Batch { #[model(label = "Loaves", maximum = 500)] loaves: u32, rows: Vec<Row> }
    /// # let form = Form::new(&Batch { loaves: 12, rows: vec![Row { name: "Rye".into() }] })?;
    /// # let batch = at::<Batch>();
    /// form.diagnostics().start_recording(100_000);
    /// form.enter(batch.loaves(), "24")?;
    /// let journal = form.diagnostics().recording().unwrap();
    /// assert_eq!(journal.trim(), r#"{"op":"enter","path":"/loaves","text":"24"}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn start_recording(&self, max_bytes: usize) {
        self.core.set_recorder(Some(Box::new(Recorder::new(max_bytes))));
    }

    /// Returns the journal so far; `None` if nothing is being recorded.
    pub fn recording(&self) -> Option<String> {
        self.core.with_recorder(|recorder| recorder.text())
    }

    /// Stops recording, and discards the journal.
    pub fn stop_recording(&self) {
        self.core.set_recorder(None);
    }
}
