//! Widgets: controls of the page with their bindings.

use std::cell::{Cell, RefCell};
use std::fmt;
use std::rc::Rc;

use ricordo::form::{WidgetChoice, WidgetKind};
use ricordo::{Binding, Error, Value, WidgetEvent, WidgetState};
use wasm_bindgen::JsCast;
use web_sys::{Element, HtmlInputElement, HtmlOptionElement, HtmlSelectElement};

use crate::control::Control;
use crate::dom;
use crate::messages::Messages;
use crate::plan::{GroupKind, Kind, Native};
use crate::text;

/// A control with its binding. The check boxes of a set are one widget, and so are radio buttons with one name.
pub(crate) struct Widget {
    pub(crate) binding: Binding,
    /// The element of the control, or those of the group.
    pub(crate) elements: Vec<Element>,
    pub(crate) shows: Shows,
    messages: Rc<Messages>,
    /// Whether the HTML disables the control.
    is_disabled: bool,
    /// Whether the control and its labels are hidden when the place is not relevant.
    hides: bool,
    drawn: RefCell<Option<WidgetState>>,
    /// Whether an event of the control is being handled, so that its text must not be rewritten.
    is_typing: Cell<bool>,
    is_composing: Cell<bool>,
    /// Whether the text is written once the browser has restored the selection.
    awaits_selection: Cell<bool>,
    /// The empty option that the HTML of a select has, whose other options come from the form.
    own_blank: RefCell<Option<Element>>,
    drawn_options: Cell<bool>,
    /// Whether the HTML itself has the limits of a native control: `min`, `max` and `step`.
    own_limits: [bool; 3],
}

/// The attributes of native controls that say what their pickers offer.
const LIMITS: [&str; 3] = ["min", "max", "step"];

/// The way in which a widget shows its place.
pub(crate) enum Shows {
    Control(Kind),
    /// A select whose options come from the form.
    Offered(Kind),
    /// Radio buttons or check boxes of a set.
    Group(GroupKind),
    /// One check box, for a flag.
    Switch,
    Custom(RefCell<Box<dyn Control>>),
}

impl fmt::Debug for Widget {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Widget").field("binding", &self.binding).finish_non_exhaustive()
    }
}

impl Widget {
    pub(crate) fn new(
        messages: &Rc<Messages>,
        binding: Binding,
        elements: Vec<Element>,
        shows: Shows,
        hides: bool,
    ) -> Self {
        let own_limits = LIMITS.map(|name| elements[0].has_attribute(name));
        let is_disabled = elements.iter().all(|element| element.has_attribute("disabled"));
        Widget {
            binding,
            elements,
            shows,
            messages: messages.clone(),
            is_disabled,
            hides,
            drawn: RefCell::default(),
            is_typing: Cell::new(false),
            is_composing: Cell::new(false),
            awaits_selection: Cell::new(false),
            own_blank: RefCell::default(),
            drawn_options: Cell::new(false),
            own_limits,
        }
    }

    fn element(&self) -> &Element {
        &self.elements[0]
    }

    /// Gives the focus to the control, or to the radio button that is chosen.
    pub(crate) fn focus(&self) {
        let is_checked =
            |element: &&Element| element.dyn_ref::<HtmlInputElement>().is_some_and(HtmlInputElement::checked);
        let chosen = match self.shows {
            Shows::Group(GroupKind::Radios) => self.elements.iter().find(is_checked),
            _ => None,
        };
        dom::focus(chosen.unwrap_or(self.element()));
    }

    pub(crate) fn has_dom_focus(&self) -> bool {
        let document = self.element().owner_document();
        document
            .and_then(|document| dom::focused(&document))
            .is_some_and(|focused| self.elements.iter().any(|element| element.contains(Some(&focused))))
    }
}

/// Drawing.
impl Widget {
    /// Draws a state: only what differs from the state drawn before.
    pub(crate) fn draw(&self, state: &WidgetState) {
        let before = self.drawn.replace(Some(state.clone()));
        let before = before.as_ref();
        if before.is_none() {
            self.draw_limits();
        }
        self.draw_content(state, before);
        let differs = |field: Flag| before.map_or(field(state), |before| field(before) != field(state));
        if differs(|state| state.is_readonly) {
            self.elements.iter().for_each(|element| self.draw_readonly(element, state.is_readonly));
        }
        if differs(|state| state.is_required) {
            self.draw_required(state.is_required);
        }
        for (name, flag) in MARKS {
            if differs(flag) {
                let is_set = flag(state);
                self.elements.iter().for_each(|element| dom::set_flag(element, name, is_set));
            }
        }
        if self.hides && before.map_or(!state.is_relevant, |before| before.is_relevant != state.is_relevant) {
            self.elements.iter().for_each(|element| hide_with_labels(element, !state.is_relevant));
        }
        let findings_differ =
            before.map_or(!state.findings.is_empty(), |before| before.findings != state.findings);
        if findings_differ {
            self.draw_findings(state);
        }
        if findings_differ || before.map_or(!state.is_valid, |before| before.is_valid != state.is_valid) {
            self.draw_validity(state);
        }
    }

    /// Sets the limits of a native control, so that its picker offers what the form takes. Those in the HTML stay.
    pub(crate) fn draw_limits(&self) {
        let Shows::Control(Kind::Native(native)) = self.shows else { return };
        let place = self.binding.place();
        let (least, greatest) = place.range();
        let text = |value: Option<Value>| value.map(|value| value.to_text().into_owned());
        let step = place.step().map(|step| step.normalize().to_string());
        // Without a step, the browser rejects fractions.
        let any = (native == Native::Number).then(|| "any".to_owned());
        let limits = [text(least), text(greatest), step.or(any)];
        for ((name, limit), is_own) in LIMITS.into_iter().zip(limits).zip(self.own_limits) {
            match limit {
                _ if is_own => {}
                Some(limit) => dom::set_attribute(self.element(), name, &limit),
                None => drop(self.element().remove_attribute(name)),
            }
        }
    }

    /// Returns whether rules may compute the limits, so that they have to be followed.
    pub(crate) fn has_computed_limits(&self) -> bool {
        matches!(self.shows, Shows::Control(Kind::Native(Native::Date | Native::Time | Native::DateTime)))
    }

    fn draw_content(&self, state: &WidgetState, before: Option<&WidgetState>) {
        match &self.shows {
            Shows::Control(Kind::Text | Kind::Area) => {
                if !self.is_composing.get() && !self.awaits_selection.get() {
                    text::write(self.element(), &state.text, self.is_focused(state));
                }
            }
            Shows::Control(Kind::Native(_)) => {
                // Text that the browser cannot parse stays in the control.
                let keeps = state.text == text::UNREADABLE && text::is_unreadable(self.element());
                if !self.is_typing.get() && !keeps {
                    text::write(self.element(), &state.text, self.is_focused(state));
                }
            }
            Shows::Control(Kind::Select | Kind::SelectMany) => self.draw_chosen(state),
            Shows::Offered(_) => {
                let offered = |state: &WidgetState| -> Vec<(Value, String)> {
                    state.choices.iter().map(|choice| (choice.value.clone(), choice.label.clone())).collect()
                };
                if before.is_none_or(|before| {
                    offered(before) != offered(state) || before.is_required != state.is_required
                }) {
                    self.draw_options(state);
                }
                self.draw_chosen(state);
            }
            Shows::Group(kind) => self.elements.iter().for_each(|element| {
                let Some(input) = element.dyn_ref::<HtmlInputElement>() else { return };
                let value = input.value();
                let is_chosen = if state.choices.is_empty() && *kind == GroupKind::Radios {
                    state.text == value
                } else {
                    state.choices.iter().any(|choice| choice.is_chosen && choice.value.to_text() == value)
                };
                input.set_checked(is_chosen);
            }),
            Shows::Switch => {
                if let Some(input) = self.element().dyn_ref::<HtmlInputElement>() {
                    input.set_checked(state.text == "true");
                }
            }
            Shows::Custom(control) => {
                let mut control = control.borrow_mut();
                if before.is_some_and(|before| before.epoch != state.epoch) {
                    control.reset();
                }
                control.show(state);
            }
        }
    }

    fn is_focused(&self, state: &WidgetState) -> bool {
        state.has_focus && self.has_dom_focus()
    }

    /// Chooses the options of a select.
    fn draw_chosen(&self, state: &WidgetState) {
        let Some(select) = self.element().dyn_ref::<HtmlSelectElement>() else { return };
        let options = select.options();
        let is_blank = state.text.is_empty() && !state.choices.iter().any(|choice| choice.is_chosen);
        let mut is_any = false;
        for index in 0..options.length() {
            let Some(option) = options.item(index) else { continue };
            let Some(option) = option.dyn_ref::<HtmlOptionElement>() else { continue };
            let value = option.value();
            let is_chosen = if state.choices.is_empty() {
                state.text == value
            } else {
                state.choices.iter().any(|choice| choice.is_chosen && choice.value.to_text() == value)
                    || (is_blank && value.is_empty() && !select.multiple())
            };
            if option.selected() != is_chosen {
                option.set_selected(is_chosen);
            }
            is_any |= is_chosen;
        }
        if !is_any && !select.multiple() {
            // The value is not offered, or blank has no option.
            select.set_selected_index(-1);
        }
    }

    /// Fills a select with the choices of the form. An empty option from the HTML stays.
    fn draw_options(&self, state: &WidgetState) {
        let Some(select) = self.element().dyn_ref::<HtmlSelectElement>() else { return };
        let options = select.options();
        // At first, the only option can be an empty one of the HTML.
        if !self.drawn_options.replace(true) {
            self.own_blank.replace(options.item(0));
        }
        let needs_blank = !select.multiple() && !state.is_required;
        select.set_inner_html("");
        if let Some(blank) = &*self.own_blank.borrow() {
            let _ = select.append_child(blank);
        } else if needs_blank && let Ok(option) = HtmlOptionElement::new_with_text_and_value("", "") {
            let _ = select.append_child(&option);
        }
        for WidgetChoice { value, label, .. } in &state.choices {
            if let Ok(option) = HtmlOptionElement::new_with_text_and_value(label, &value.to_text()) {
                let _ = select.append_child(&option);
            }
        }
    }

    fn draw_readonly(&self, element: &Element, is_readonly: bool) {
        match self.shows {
            Shows::Control(Kind::Text | Kind::Area) => dom::set_flag(element, "readonly", is_readonly),
            Shows::Control(Kind::Native(native)) if native.can_be_readonly() => {
                dom::set_flag(element, "readonly", is_readonly);
            }
            // HTML has no `readonly` for these.
            Shows::Control(_) | Shows::Offered(_) | Shows::Group(_) | Shows::Switch => {
                dom::set_disabled(element, is_readonly || self.is_disabled);
            }
            // A custom control decides by itself.
            Shows::Custom(_) => {}
        }
    }

    /// Marks the control as required, if its role allows it.
    fn draw_required(&self, is_required: bool) {
        match self.shows {
            Shows::Group(GroupKind::Radios) => {
                if let Some(group) = radio_group(self.element()) {
                    dom::set_aria(&group, "aria-required", is_required);
                } else {
                    self.elements.iter().for_each(|element| dom::set_flag(element, "required", is_required));
                }
            }
            // A required set does not need every box, and a slider always has a value.
            Shows::Group(GroupKind::Boxes) | Shows::Control(Kind::Native(Native::Range)) => {}
            Shows::Control(_) | Shows::Offered(_) | Shows::Switch | Shows::Custom(_) => {
                dom::set_aria(self.element(), "aria-required", is_required);
            }
        }
    }

    /// The elements that are marked as invalid: the control, or the group around radio buttons.
    fn described(&self) -> Vec<Element> {
        match self.shows {
            Shows::Group(kind) => {
                let group = match kind {
                    GroupKind::Radios => radio_group(self.element()),
                    GroupKind::Boxes => None,
                };
                group.map_or_else(|| self.elements.clone(), |group| vec![group])
            }
            _ => self.elements.clone(),
        }
    }

    fn draw_findings(&self, state: &WidgetState) {
        let has_errors = state.findings.iter().any(|finding| !finding.is_warning);
        let place = self.binding.place().id();
        let messages = self.messages.element_of(place);
        for element in self.described() {
            // ARIA has no invalid state for single radio buttons.
            let is_radio =
                matches!(self.shows, Shows::Group(GroupKind::Radios)) && self.elements.contains(&element);
            if !is_radio {
                dom::set_aria(&element, "aria-invalid", has_errors);
            }
            if let Some(messages) = &messages {
                self.messages.describe(&element, messages, !state.findings.is_empty());
            }
        }
        self.messages.widget_changed(place, state);
    }

    /// Sets the browser's validity of the control, whether or not findings are shown.
    fn draw_validity(&self, state: &WidgetState) {
        // A message of a server does not prevent a submit, but is shown as an error.
        let reported = || state.findings.iter().find(|finding| finding.is_reported).cloned();
        let message = if state.is_valid {
            reported().map(|finding| finding.message).unwrap_or_default()
        } else {
            let findings = self.binding.place().all_findings();
            let error = findings.into_iter().find(ricordo::Finding::is_error);
            error.map_or_else(|| "Invalid.".to_owned(), |error| error.message)
        };
        self.elements.iter().for_each(|element| dom::set_validity(element, &message));
    }

    /// Returns whether the control and the form differ: after the browser has filled it in, or an option was
    /// chosen without an `input` event.
    pub(crate) fn differs_from_form(&self, element: &Element) -> bool {
        let state = self.binding.state();
        match self.shows {
            Shows::Control(Kind::Text | Kind::Area) => text::read(element) != state.text,
            Shows::Control(Kind::Native(_)) => text::read_native(element) != state.text,
            Shows::Control(Kind::Select) | Shows::Offered(Kind::Select) => {
                let chosen = state.choices.iter().find(|choice| choice.is_chosen);
                let held = chosen.map_or(state.text.clone(), |choice| choice.value.to_text().into_owned());
                element.dyn_ref::<HtmlSelectElement>().is_some_and(|select| select.value() != held)
            }
            // Only differences are reported.
            Shows::Control(Kind::SelectMany) | Shows::Offered(_) => true,
            // Radio buttons and check boxes always dispatch `input`.
            Shows::Group(_) | Shows::Switch | Shows::Custom(_) => false,
        }
    }

    /// Lets go of the control. Its text stays; its attributes are given back by [`Elements`](crate::elements::Elements).
    pub(crate) fn release(&self) {
        self.elements.iter().for_each(|element| dom::set_validity(element, ""));
        if let (Shows::Offered(_), Some(select)) =
            (&self.shows, self.element().dyn_ref::<HtmlSelectElement>())
        {
            select.set_inner_html("");
            if let Some(blank) = &*self.own_blank.borrow() {
                let _ = select.append_child(blank);
            }
        }
    }

    /// Draws the whole state again.
    pub(crate) fn redraw(&self) {
        self.drawn.take();
        self.draw(&self.binding.state());
    }
}

type Flag = fn(&WidgetState) -> bool;

/// The marks of a place, as attributes for style sheets.
const MARKS: [(&str, Flag); 6] = [
    ("data-dirty", |state| state.is_dirty),
    ("data-touched", |state| state.is_touched),
    ("data-pending", |state| state.is_pending),
    ("data-uncommitted", |state| state.is_uncommitted),
    ("data-overridden", |state| state.is_overridden),
    ("data-leads", |state| state.is_leading),
];

/// The element around radio buttons that ARIA can mark as required or invalid.
fn radio_group(element: &Element) -> Option<Element> {
    element.closest("[role=radiogroup]").ok()?
}

fn hide_with_labels(element: &Element, is_hidden: bool) {
    dom::set_hidden(element, is_hidden);
    let labels = js_sys::Reflect::get(element, &"labels".into()).ok();
    let Some(labels) = labels.and_then(|labels| labels.dyn_into::<web_sys::NodeList>().ok()) else { return };
    for index in 0..labels.length() {
        if let Some(label) = dom::element_at(&labels, index) {
            dom::set_hidden(&label, is_hidden);
        }
    }
}

/// A person's gestures.
impl Widget {
    /// The control has the focus, by a press of the pointer or otherwise. Returns whether its text has to be written later, by
    /// [`Widget::write_text`]: a browser that focuses a control for a script restores the selection after this event, and a text that is
    /// written now would lose it.
    pub(crate) fn on_focus(&self, is_pressed: bool) -> bool {
        // Another radio button of the group may have had it.
        if self.binding.state().has_focus {
            return false;
        }
        let is_text = matches!(self.shows, Shows::Control(Kind::Text | Kind::Area));
        let selected = self.is_all_selected();
        self.awaits_selection.set(is_text && !is_pressed && !selected);
        self.report(WidgetEvent::Focus);
        if selected && let Some(input) = self.element().dyn_ref::<HtmlInputElement>() {
            input.select();
        }
        let is_written = text::read(self.element()) == self.binding.state().text;
        self.awaits_selection.set(self.awaits_selection.get() && !is_written);
        self.awaits_selection.get()
    }

    /// Writes the text that was not written when the control was focused.
    pub(crate) fn write_text(&self) {
        if self.awaits_selection.replace(false) {
            self.draw_content(&self.binding.state(), self.drawn.borrow().as_ref());
        }
    }

    /// Returns whether the whole text is selected, as after the Tab key.
    fn is_all_selected(&self) -> bool {
        let Some(input) = self.element().dyn_ref::<HtmlInputElement>() else { return false };
        let length = u32::try_from(input.value().encode_utf16().count()).unwrap_or(u32::MAX);
        let at = |offset: Result<Option<u32>, _>| offset.ok().flatten();
        length > 0 && at(input.selection_start()) == Some(0) && at(input.selection_end()) == Some(length)
    }

    pub(crate) fn on_leave(&self) {
        self.is_composing.set(false);
        // A date input dispatches nothing while the date is incomplete.
        if matches!(self.shows, Shows::Control(Kind::Native(_)))
            && text::is_unreadable(self.element())
            && self.binding.state().text != text::UNREADABLE
        {
            self.report(WidgetEvent::Input(text::UNREADABLE.to_owned()));
        }
        self.report(WidgetEvent::Leave);
    }

    pub(crate) fn on_composition_start(&self) {
        if matches!(self.shows, Shows::Control(Kind::Text | Kind::Area)) {
            self.is_composing.set(true);
        }
    }

    pub(crate) fn on_composition_end(&self) {
        if !self.is_composing.replace(false) {
            return;
        }
        let composed = text::read(self.element());
        if self.binding.state().text == composed {
            self.report(WidgetEvent::Input(composed));
        } else {
            // The place was set meanwhile, so the composed text is dropped.
            self.redraw();
        }
    }

    /// The user has typed or chosen something. Of a group, `element` is the button or box.
    pub(crate) fn on_input(&self, element: &Element) {
        self.is_typing.set(true);
        self.read_input(element);
        self.is_typing.set(false);
    }

    fn read_input(&self, element: &Element) {
        match &self.shows {
            Shows::Control(Kind::Text | Kind::Area) => {
                let text = text::read(element);
                if self.is_composing.get() {
                    self.report(WidgetEvent::Composing(text));
                } else if self.binding.place().entry() != text {
                    self.report(WidgetEvent::Input(text));
                }
            }
            Shows::Control(Kind::Native(_)) => self.report(WidgetEvent::Input(text::read_native(element))),
            Shows::Control(Kind::Select) | Shows::Offered(Kind::Select) => {
                let value = element.dyn_ref::<HtmlSelectElement>().map(HtmlSelectElement::value);
                self.choose(&value.unwrap_or_default());
            }
            Shows::Control(_) | Shows::Offered(_) => self.choose_many(element),
            Shows::Group(kind) => {
                let Some(input) = element.dyn_ref::<HtmlInputElement>() else { return };
                let value = input.value();
                match kind {
                    GroupKind::Radios => self.choose(&value),
                    GroupKind::Boxes => self.include(&value, input.checked()),
                }
            }
            Shows::Switch => {
                let is_on = element.dyn_ref::<HtmlInputElement>().is_some_and(HtmlInputElement::checked);
                self.report(WidgetEvent::Switch(is_on));
            }
            Shows::Custom(control) => {
                let event = control.borrow_mut().read();
                if let Some(event) = event {
                    self.report(event);
                }
            }
        }
    }

    /// Chooses by the stored value, as the HTML's `value` has it.
    fn choose(&self, value: &str) {
        let state = self.binding.state();
        let chosen = state.choices.iter().find(|choice| choice.value.to_text() == value);
        self.report(match chosen {
            Some(choice) => WidgetEvent::Choose(choice.value.clone()),
            None if value.is_empty() => WidgetEvent::Clear,
            None if state.kind == WidgetKind::Flag => WidgetEvent::Switch(value == "true"),
            None => WidgetEvent::Input(value.to_owned()),
        });
    }

    fn include(&self, value: &str, is_in: bool) {
        let state = self.binding.state();
        let choice = state.choices.iter().find(|choice| choice.value.to_text() == value);
        let value = choice.map_or_else(|| Value::from(value), |choice| choice.value.clone());
        self.report(WidgetEvent::Include(value, is_in));
    }

    /// Includes and excludes choices until they match the selected options, as one step.
    fn choose_many(&self, element: &Element) {
        let Some(select) = element.dyn_ref::<HtmlSelectElement>() else { return };
        let options = select.options();
        let choices = self.binding.state().choices;
        let mut events = Vec::new();
        for index in 0..options.length() {
            let Some(option) =
                options.item(index).and_then(|option| option.dyn_into::<HtmlOptionElement>().ok())
            else {
                continue;
            };
            let (value, is_in) = (option.value(), option.selected());
            if let Some(choice) = choices.iter().find(|choice| choice.value.to_text() == value)
                && choice.is_chosen != is_in
            {
                events.push(WidgetEvent::Include(choice.value.clone(), is_in));
            }
        }
        let include = || events.into_iter().try_for_each(|event| self.binding.handle(event));
        if let Err(error) = self.binding.place().transaction(include) {
            self.refused(&error);
        }
    }

    /// Reports what a person did. If that is refused, the control shows the form's state again.
    fn report(&self, event: WidgetEvent) {
        if let Err(error) = self.binding.handle(event) {
            self.refused(&error);
        }
    }

    fn refused(&self, error: &Error) {
        crate::mistake::warn(&format!(
            "what was done at {} is refused: {error}",
            self.binding.place().pointer()
        ));
        self.is_typing.set(false);
        self.redraw();
    }
}
