//! Drafts in the browser's storage.

use std::cell::RefCell;
use std::fmt;
use std::time::Duration;

use ricordo::Form;
use ricordo::exchange::read_draft;
use ricordo::form::{Autosave, AutosaveStep, Draft};
use web_sys::Storage;

use crate::dom;
use crate::mistake::warn;
use crate::options::{DraftStore, KeptDraft};
use crate::timer::Timer;

/// The draft that is stored under a key.
#[derive(Debug)]
#[non_exhaustive]
pub enum StoredDraft {
    /// Nothing.
    None,
    /// A draft, for [`Form::from_draft`].
    Draft(Draft),
    /// Not a valid draft. It is left in place; the error says what is wrong with it.
    Damaged(ricordo::Error),
    /// The browser refuses access to its storage.
    Refused(String),
}

/// Reads the draft that is stored under a key.
pub fn stored_draft(key: &str, store: DraftStore) -> StoredDraft {
    let stored = storage(store)
        .and_then(|storage| storage.get_item(&full(key)).map_err(|error| dom::words(&error).to_string()));
    match stored {
        Ok(None) => StoredDraft::None,
        Ok(Some(text)) => match read_draft(&text) {
            Ok(draft) => StoredDraft::Draft(draft),
            Err(error) => StoredDraft::Damaged(error),
        },
        Err(refused) => StoredDraft::Refused(refused),
    }
}

/// Removes the draft under a key.
pub fn forget_draft(key: &str, store: DraftStore) {
    if let Ok(storage) = storage(store) {
        // If nothing can be removed, nothing was stored.
        let _ = storage.remove_item(&full(key));
    }
}

/// Returns the text of the draft that could not be restored as a whole when the page was bound, if there was one. It is kept beside the
/// draft of the page until a person decides what becomes of it: see [`forget_former_draft`].
pub fn former_draft(key: &str, store: DraftStore) -> Option<String> {
    storage(store).ok()?.get_item(&former(key)).ok()?
}

/// Removes the draft that could not be restored as a whole.
pub fn forget_former_draft(key: &str, store: DraftStore) {
    if let Ok(storage) = storage(store) {
        // If nothing can be removed, nothing was stored.
        let _ = storage.remove_item(&former(key));
    }
}

/// The key in the storage, which the page's own keys do not collide with.
fn full(key: &str) -> String {
    format!("ricordo draft: {key}")
}

fn former(key: &str) -> String {
    format!("ricordo former draft: {key}")
}

/// Keeps a stored draft that the form does not hold as a whole, before it is overwritten.
fn keep_former(form: &Form, kept: &KeptDraft) -> Result<(), String> {
    let storage = storage(kept.store)?;
    let words = |error| dom::words(&error).to_string();
    match storage.get_item(&full(&kept.key)).map_err(words)? {
        Some(text) if text != form.draft().to_string() => {
            storage.set_item(&former(&kept.key), &text).map_err(words)
        }
        Some(_) | None => Ok(()),
    }
}

fn storage(store: DraftStore) -> Result<Storage, String> {
    let window = web_sys::window().ok_or("there is no window")?;
    let storage = match store {
        DraftStore::Tab => window.session_storage(),
        DraftStore::Browser => window.local_storage(),
    };
    storage
        .map_err(|error| dom::words(&error).to_string())?
        .ok_or_else(|| "the browser has no storage here".to_owned())
}

/// Writes the draft of a form when it is due.
pub(crate) struct Drafts {
    kept: KeptDraft,
    drafting: RefCell<Autosave>,
    timer: Timer,
    problem: RefCell<Option<String>>,
}

impl fmt::Debug for Drafts {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Drafts").field("kept", &self.kept).finish_non_exhaustive()
    }
}

impl Drafts {
    /// Calls `due` whenever a draft may be due.
    pub(crate) fn new(form: &Form, kept: KeptDraft, due: impl Fn() + 'static) -> Self {
        let (state, stored) = (form.state(), stored_draft(&kept.key, kept.store));
        if let Err(refused) = keep_former(form, &kept) {
            warn(&format!("the stored draft “{}” cannot be kept beside the new one: {refused}", kept.key));
        }
        let is_resumed = matches!(stored, StoredDraft::Draft(_)) && (state.is_dirty || state.is_uncommitted);
        let drafting = if is_resumed {
            Autosave::for_restored_draft(kept.policy, form)
        } else {
            Autosave::for_drafts(kept.policy)
        };
        Drafts { kept, drafting: drafting.into(), timer: Timer::new(due), problem: RefCell::default() }
    }

    /// Writes or removes the draft if that is due.
    pub(crate) fn step(&self, form: &Form) {
        let step = self.drafting.borrow_mut().poll(form, Duration::from_secs_f64(dom::now() / 1000.0));
        match step {
            AutosaveStep::Wait(wait) => self.timer.set(wait.as_secs_f64() * 1000.0),
            AutosaveStep::Save => self.write(form),
            AutosaveStep::Discard => {
                self.timer.stop();
                self.problem.replace(None);
                forget_draft(&self.kept.key, self.kept.store);
            }
            _ => self.timer.stop(),
        }
    }

    /// Writes the draft now, because the page is being left.
    pub(crate) fn flush(&self, form: &Form) {
        let state = form.state();
        if state.is_dirty || state.is_uncommitted {
            self.write(form);
        }
    }

    /// The reason why the draft is not stored; `None` if it is, or if there is nothing to store.
    pub(crate) fn problem(&self) -> Option<String> {
        self.problem.borrow().clone()
    }

    fn write(&self, form: &Form) {
        let written = storage(self.kept.store).and_then(|storage| {
            let text = form.draft().to_string();
            storage.set_item(&full(&self.kept.key), &text).map_err(|error| dom::words(&error).to_string())
        });
        let problem = written.err();
        if let Some(refused) = &problem
            && self.problem.borrow().as_ref() != Some(refused)
        {
            warn(&format!("the draft “{}” is not stored: {refused}", self.kept.key));
        }
        self.problem.replace(problem);
    }
}
