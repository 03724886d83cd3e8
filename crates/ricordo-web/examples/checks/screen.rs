//! The conformance kit's screen: a page with real controls, to which what a person does is dispatched as events.

use std::time::Duration;

use js_sys::{Function, Reflect};
use ricordo::{Form, Pointer};
use ricordo_conformance::{Adapter, Gesture, Seen};
use ricordo_web::{BindOptions, BoundForm};
use wasm_bindgen::{JsCast, JsValue};
use web_sys::{
    CompositionEvent, Document, Element, HtmlElement, HtmlInputElement, HtmlOptionElement, HtmlSelectElement,
    InputEvent, InputEventInit,
};

/// Counts what is written into an element: each time its value is set, and each change that an observer sees.
const COUNT: &str = "
    const { get, set } = Object.getOwnPropertyDescriptor(Object.getPrototypeOf(element), 'value');
    let times = 0;
    Object.defineProperty(element, 'value', {
        get() { return get.call(element); },
        set(text) { times += 1; set.call(element, text); },
    });
    const seen = new MutationObserver(() => {});
    seen.observe(element, { subtree: true, childList: true, attributes: true, characterData: true });
    element.timesDrawn = () => (times += seen.takeRecords().length);
";

pub(crate) struct Screen {
    document: Document,
    root: Element,
    bound: Option<BoundForm>,
    is_composing: bool,
    /// The clock of the page, which only the script moves.
    now: f64,
}

impl Screen {
    pub(crate) fn new(document: Document, root: Element) -> Self {
        let mut screen = Screen { document, root, bound: None, is_composing: false, now: 0.0 };
        screen.set_clock();
        screen
    }

    fn set_clock(&mut self) {
        let clock = Function::new_with_args("now", "performance.now = () => now");
        clock.call1(&JsValue::NULL, &self.now.into()).expect("the clock can be set");
    }

    /// The control of a place; of a set, its first box.
    fn control(&self, at: &Pointer) -> Option<Element> {
        let tokens: Vec<_> = at.tokens().collect();
        match &tokens[..] {
            [list, row, field] => {
                let rows = self.root.query_selector_all(&format!("#{list} > li")).ok()?;
                let row: Element = rows.item(row.parse().ok()?)?.dyn_into().ok()?;
                row.query_selector(&format!("[name='/{field}']")).ok()?
            }
            _ => self.root.query_selector(&format!("[name='{at}']")).ok()?,
        }
    }

    /// The boxes of a set, with their labels.
    fn boxes(&self, at: &Pointer) -> Vec<(String, HtmlInputElement)> {
        let boxes = self
            .root
            .query_selector_all(&format!("[type=checkbox][value][name='{at}']"))
            .expect("a selector");
        let boxes =
            (0..boxes.length()).filter_map(|index| boxes.item(index)?.dyn_into::<HtmlInputElement>().ok());
        boxes.map(|input| (label_of(&input), input)).collect()
    }

    fn act_at(&mut self, at: &Pointer, element: &Element, gesture: &Gesture) -> Option<()> {
        if !matches!(gesture, Gesture::Leave) {
            element.dyn_ref::<HtmlElement>()?.focus().ok()?;
            // The script goes on. A person's next key would come later, when the text of the focused control is written.
            dispatch(element, &web_sys::Event::new("keydown").ok()?);
        }
        match gesture {
            Gesture::Focus => {}
            Gesture::Leave => element.dyn_ref::<HtmlElement>()?.blur().ok()?,
            Gesture::Type(text) => {
                Self::write(element, text)?;
                if std::mem::take(&mut self.is_composing) {
                    dispatch(element, &CompositionEvent::new("compositionend").ok()?.into());
                }
            }
            Gesture::Compose(text) => {
                if !std::mem::replace(&mut self.is_composing, true) {
                    dispatch(element, &CompositionEvent::new("compositionstart").ok()?.into());
                }
                Self::write(element, text)?;
            }
            Gesture::Pick(label) => {
                let select = element.dyn_ref::<HtmlSelectElement>()?;
                let option = options(select).into_iter().find(|option| option.text() == *label)?;
                select.set_value(&option.value());
                report_input(element)?;
            }
            Gesture::Tick(label, is_in) => {
                let (_, input) = self.boxes(at).into_iter().find(|(known, _)| known == label)?;
                if input.checked() != *is_in {
                    input.click();
                }
            }
            Gesture::Switch(is_on) => {
                let input = element.dyn_ref::<HtmlInputElement>()?;
                if input.checked() != *is_on {
                    input.click();
                }
            }
            _ => return None,
        }
        if matches!(gesture, Gesture::Leave) {
            self.is_composing = false;
        }
        Some(())
    }

    /// Writes into a control as the browser does when a person types; not into one that takes no input.
    fn write(element: &Element, text: &str) -> Option<()> {
        if element.has_attribute("readonly") || element.has_attribute("disabled") {
            return Some(());
        }
        // Past the counter: this is not a drawing.
        let write = Function::new_with_args(
            "element, text",
            "Object.getOwnPropertyDescriptor(Object.getPrototypeOf(element), 'value').set.call(element, text)",
        );
        write.call2(&JsValue::NULL, element, &text.into()).ok()?;
        report_input(element)
    }

    fn messages(&self, element: &Element) -> Vec<String> {
        let ids = element.get_attribute("aria-describedby").unwrap_or_default();
        let described = ids.split_whitespace().filter_map(|id| self.document.get_element_by_id(id));
        let messages = described.filter(|described| described.has_attribute("data-findings-of"));
        messages
            .flat_map(|messages| {
                let lines = messages.children();
                (0..lines.length())
                    .filter_map(move |index| lines.item(index)?.text_content())
                    .collect::<Vec<_>>()
            })
            .collect()
    }
}

impl Adapter for Screen {
    fn show(&mut self, form: Form) {
        self.bound = None;
        self.is_composing = false;
        self.root.set_inner_html(include_str!("screen.html"));
        let bound = ricordo_web::bind(&form, &self.root, BindOptions::new()).expect("the page is bound once");
        let mistakes = bound.mistakes();
        assert!(mistakes.is_empty(), "{mistakes:?}");
        self.bound = Some(bound);
    }

    fn act(&mut self, at: &Pointer, gesture: &Gesture) -> bool {
        let Some(element) = self.control(at) else { return false };
        self.act_at(at, &element, gesture).is_some()
    }

    fn see(&mut self, at: &Pointer) -> Option<Seen> {
        let element = self.control(at)?;
        if !Reflect::has(&element, &"timesDrawn".into()).ok()? {
            Function::new_with_args("element", COUNT).call1(&JsValue::NULL, &element).ok()?;
        }
        let times_drawn = Reflect::get(&element, &"timesDrawn".into()).ok()?;
        let times_drawn = times_drawn.dyn_into::<Function>().ok()?.call0(&JsValue::NULL).ok()?;
        let mut seen = Seen::default();
        let boxes = self.boxes(at);
        seen.text = match element.dyn_ref::<HtmlInputElement>() {
            Some(input) if input.type_() == "checkbox" => input.checked().to_string(),
            _ => Reflect::get(&element, &"value".into()).ok()?.as_string()?,
        };
        seen.choices = match element.dyn_ref::<HtmlSelectElement>() {
            Some(select) => {
                let offered = options(select).into_iter().filter(|option| !option.value().is_empty());
                offered.map(|option| (option.text(), option.selected())).collect()
            }
            None => boxes.into_iter().map(|(label, input)| (label, input.checked())).collect(),
        };
        // A select without choices shows no text: what is stored is not lost.
        if element.is_instance_of::<HtmlSelectElement>() && seen.choices.is_empty() {
            seen.text = self.bound.as_ref()?.form().place(at).ok()?.entry();
        }
        seen.label = label_of(&element);
        let hint = element.get_attribute("aria-describedby").unwrap_or_default();
        let hints = hint.split_whitespace().filter_map(|id| self.document.get_element_by_id(id));
        let hints = hints.filter(|hint| !hint.has_attribute("data-findings-of"));
        seen.description = hints.filter_map(|hint| hint.text_content()).collect();
        seen.messages = self.messages(&element);
        seen.is_required = element.has_attribute("aria-required");
        seen.is_readonly = element.has_attribute("readonly") || element.has_attribute("disabled");
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a count")]
        let times_drawn = times_drawn.as_f64()? as u64;
        seen.times_drawn = times_drawn;
        Some(seen)
    }

    fn pass_time(&mut self, duration: Duration) {
        self.now += duration.as_secs_f64() * 1000.0;
        self.set_clock();
        // Whatever happens next, the adapter looks at the clock first.
        dispatch(&self.root, &web_sys::Event::new("change").expect("an event"));
    }
}

fn options(select: &HtmlSelectElement) -> Vec<HtmlOptionElement> {
    let options = select.options();
    (0..options.length()).filter_map(|index| options.item(index)?.dyn_into().ok()).collect()
}

/// The text of the label of a control, without what the control itself says.
fn label_of(element: &Element) -> String {
    let words = Function::new_with_args("element", "return element.labels[0].firstChild.textContent.trim()");
    words.call1(&JsValue::NULL, element).ok().and_then(|words| words.as_string()).unwrap_or_default()
}

fn report_input(element: &Element) -> Option<()> {
    let init = InputEventInit::new();
    init.set_bubbles(true);
    dispatch(element, &InputEvent::new_with_event_init_dict("input", &init).ok()?.into());
    Some(())
}

fn dispatch(element: &Element, event: &web_sys::Event) {
    // Events that are made here bubble as the browser's own do.
    let bubbling = Function::new_with_args(
        "element, event",
        "element.dispatchEvent(event.bubbles ? event : new event.constructor(event.type, { bubbles: true }))",
    );
    bubbling.call2(&JsValue::NULL, element, event).expect("an element takes events");
}
