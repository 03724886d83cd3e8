//! Options for binding a page.

use std::collections::HashMap;
use std::fmt;
use std::rc::Rc;
use std::time::Duration;

use ricordo::form::{AutosavePolicy, SubmitOptions};
use ricordo::{Error, Form, Submission};
use web_sys::Element;

use crate::control::Control;

/// Makes a control for an element.
pub(crate) type Factory = Rc<dyn Fn(&Element) -> Box<dyn Control>>;

/// Receives the result of a submit: an error says why nothing was sent.
pub(crate) type Done = Rc<dyn Fn(Result<(), Error>)>;

/// Submits the form.
pub(crate) type Submit = Rc<dyn Fn(Done)>;

/// The storage for drafts.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum DraftStore {
    /// With the tab: a draft survives a reload, and ends with the tab (`sessionStorage`).
    #[default]
    Tab,
    /// With the browser: a draft is there until it is removed (`localStorage`).
    Browser,
}

/// Options for [`bind`](crate::bind).
///
/// ```
/// # use ricordo::{Model, form::SubmitOptions};
/// # #[derive(Model)] struct Batch { loaves: u32 }
/// let options = ricordo_web::BindOptions::<Batch>::new()
///     .keep_draft("batch-41")
///     .on_submit(SubmitOptions::new().dirty_only(), |submission| {
///         // Send `submission.to_json()`, then accept or reject it:
///         submission.accept()
///     });
/// ```
pub struct BindOptions<M> {
    pub(crate) controls: HashMap<String, Factory>,
    pub(crate) submit: Option<Box<dyn FnOnce(Form<M>) -> Submit>>,
    pub(crate) draft: Option<KeptDraft>,
    pub(crate) ask_before_leaving: bool,
}

#[derive(Clone, Debug)]
pub(crate) struct KeptDraft {
    pub(crate) key: String,
    pub(crate) store: DraftStore,
    pub(crate) policy: AutosavePolicy,
}

impl<M> fmt::Debug for BindOptions<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("BindOptions")
            .field("controls", &self.controls.keys())
            .field("draft", &self.draft)
            .field("ask_before_leaving", &self.ask_before_leaving)
            .finish_non_exhaustive()
    }
}

impl<M> Default for BindOptions<M> {
    fn default() -> Self {
        BindOptions { controls: HashMap::new(), submit: None, draft: None, ask_before_leaving: true }
    }
}

impl<M: 'static> BindOptions<M> {
    /// The defaults: no submit handler, no draft, and a dirty page asks before it is left.
    pub fn new() -> Self {
        BindOptions::default()
    }

    /// Handles submits: the form is submitted by this options, and the function receives the submission. The page does not reload.
    /// If there are errors, the function is not called, and the first of them gets the focus. Deferred checks that are
    /// under way are awaited.
    pub fn on_submit(
        mut self,
        options: SubmitOptions<M>,
        send: impl Fn(Submission<M>) -> Result<(), Error> + 'static,
    ) -> Self {
        let send = Rc::new(send);
        self.submit = Some(Box::new(move |form: Form<M>| {
            Rc::new(move |done: Done| {
                let (send, refused) = (send.clone(), done.clone());
                let handler = move |submission: Result<Submission<M>, Error>| {
                    done(submission.and_then(|submission| send(submission)));
                };
                if let Err(error) = form.submit_with(&options, handler) {
                    refused(Err(error));
                }
            })
        }));
        self
    }

    /// Stores a draft of the form under this key while it is dirty, so that what was typed survives a reload. Start from it
    /// with [`stored_draft`](crate::stored_draft).
    pub fn keep_draft(self, key: &str) -> Self {
        self.keep_draft_in(key, DraftStore::default())
    }

    /// Stores a draft as [`keep_draft`](BindOptions::keep_draft) does, in a storage of your choice.
    pub fn keep_draft_in(mut self, key: &str, store: DraftStore) -> Self {
        let policy = AutosavePolicy::after(Duration::from_millis(400)).at_most_every(Duration::from_secs(5));
        self.draft = Some(KeptDraft { key: key.to_owned(), store, policy });
        self
    }

    /// Sets whether a dirty page asks before it is left; by default it does.
    pub fn ask_before_leaving(mut self, asks: bool) -> Self {
        self.ask_before_leaving = asks;
        self
    }

    /// Registers a custom control for elements with this name in `data-control`.
    pub fn control<C: Control + 'static>(
        mut self,
        name: &str,
        make: impl Fn(&Element) -> C + 'static,
    ) -> Self {
        self.controls.insert(name.to_owned(), Rc::new(move |element| Box::new(make(element))));
        self
    }
}
