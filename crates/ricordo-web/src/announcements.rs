//! Announcements: what a screen reader says about new findings.
//!
//! It stays silent while the user types, says nothing twice, and does not mention findings that are fixed.

use std::cell::RefCell;
use std::rc::Rc;

use ricordo::engine::PlaceId;
use wasm_bindgen::JsCast;
use web_sys::{Document, Element, HtmlElement};

use crate::dom;
use crate::timer::Timer;

/// The pause before something is announced, in milliseconds.
const QUIET: f64 = 700.0;

/// Hidden visually, but not from screen readers.
const HIDDEN: &str = "position:absolute;width:1px;height:1px;margin:-1px;padding:0;overflow:hidden;clip-path:inset(50%);white-space:nowrap;border:0";

#[derive(Debug)]
pub(crate) struct Announcements {
    region: Element,
    /// Whether the adapter added the region, and must remove it.
    is_own: bool,
    timer: Timer,
    waiting: Waiting,
}

/// The words to announce about each place.
type Waiting = Rc<RefCell<Vec<(PlaceId, String)>>>;

impl Announcements {
    /// Announces in the page's element with `data-announcements`, or in one that it adds.
    pub(crate) fn new(document: &Document, root: &Element) -> Option<Self> {
        let given = root.query_selector("[data-announcements]").ok().flatten();
        let is_own = given.is_none();
        let region = match given {
            Some(region) => region,
            None => {
                let region = document.create_element("div").ok()?;
                // A `style` attribute would need `unsafe-inline` in a content security policy; properties do not.
                if let Some(region) = region.dyn_ref::<HtmlElement>() {
                    region.style().set_css_text(HIDDEN);
                }
                dom::set_attribute(&region, "data-unbound", "");
                root.append_child(&region).ok()?;
                region
            }
        };
        dom::set_attribute(&region, "role", "status");
        dom::set_attribute(&region, "aria-live", "polite");
        let waiting = Waiting::default();
        let (said, source) = (region.clone(), waiting.clone());
        let timer = Timer::new(move || {
            let words: Vec<String> = source.take().into_iter().map(|(_, words)| words).collect();
            let words = words.join(" ");
            if !words.is_empty() && said.text_content().as_deref() != Some(&*words) {
                said.set_text_content(Some(&words));
            }
        });
        Some(Announcements { region, is_own, timer, waiting })
    }

    /// Queues what is wrong with a place; an empty text withdraws what was queued.
    pub(crate) fn hear(&self, place: PlaceId, words: String) {
        let mut waiting = self.waiting.borrow_mut();
        waiting.retain(|(known, _)| *known != place);
        if !words.is_empty() {
            waiting.push((place, words));
        }
        drop(waiting);
        self.timer.set(QUIET);
    }

    /// A person is typing, so announcements wait.
    pub(crate) fn put_off(&self) {
        if !self.waiting.borrow().is_empty() {
            self.timer.set(QUIET);
        }
    }
}

impl Drop for Announcements {
    fn drop(&mut self) {
        if self.is_own {
            self.region.remove();
        }
    }
}
