//! Binds the elements of a page, or of a copy of a template, to their places.

use std::cell::RefCell;
use std::rc::Rc;

use ricordo::engine::Aspects;
use ricordo::form::WidgetKind;
use ricordo::{Error, Place, Subscription, Value, WidgetState};
use wasm_bindgen::JsCast;
use web_sys::{Element, HtmlInputElement, HtmlSelectElement, HtmlTemplateElement};

use crate::branch::Branch;
use crate::command::Command;
use crate::dom::{self, Found};
use crate::messages::messages_of;
use crate::page::{Button, Page, set_enabled};
use crate::plan::{GroupKind, Kind, Native, Plan, PlanStep, What};
use crate::rows::Rows;
use crate::scope::Scope;
use crate::widget::{Shows, Widget};

/// Binds the elements of a plan to a place, and what is in it. `suffix` makes names and ids of the copy unique.
pub(crate) fn mount(
    page: &Rc<Page>,
    plan: &Plan,
    found: &Found,
    place: &Place<Value>,
    suffix: &str,
) -> Scope {
    let mut binder = Binder { page, plan, found, place, suffix, scope: Scope::new(page) };
    // Controls refer to the elements of their messages, and show the messages there.
    let (messages, others): (Vec<&PlanStep>, Vec<&PlanStep>) =
        plan.steps.iter().partition(|step| matches!(step.what, What::Findings));
    messages.iter().for_each(|step| binder.bind(step));
    others.into_iter().for_each(|step| binder.bind(step));
    messages.into_iter().for_each(|step| binder.follow_messages(step));
    binder.scope
}

struct Binder<'a> {
    page: &'a Rc<Page>,
    plan: &'a Plan,
    found: &'a Found,
    place: &'a Place<Value>,
    suffix: &'a str,
    scope: Scope,
}

impl Binder<'_> {
    fn bind(&mut self, step: &PlanStep) {
        let Some(element) = self.found.at(step.index) else { return };
        let place = self.locate(&step.at).map_err(|error| self.no_such_place(&step.at, &error));
        if let Err(problem) = place.and_then(|place| self.bind_to(step, &element, &place)) {
            self.report(step, &element, problem);
        }
    }

    fn report(&self, step: &PlanStep, element: &Element, problem: String) {
        if !step.is_reported.replace(true) {
            self.page.mistakes.add(element, problem);
        }
    }

    fn locate(&self, at: &str) -> Result<Place<Value>, Error> {
        if at.is_empty() { Ok(self.place.clone()) } else { self.place.place(at) }
    }

    /// Explains why a pointer leads to no place here.
    fn no_such_place(&self, at: &str, error: &Error) -> String {
        if at.starts_with('/') {
            return format!("“{at}”: {error}");
        }
        let pointer = format!("/{at}");
        match self.place.place(pointer.as_str()) {
            Ok(_) => format!("“{at}” is not a pointer; did you mean “{pointer}”?"),
            Err(_) => format!(
                "“{at}” is not a pointer to a place in the form, such as “/name”; mark the element with `data-unbound` if it does not belong to the form"
            ),
        }
    }

    /// Binds an element to a place, or says why the two do not fit.
    fn bind_to(&mut self, step: &PlanStep, element: &Element, place: &Place<Value>) -> Result<(), String> {
        match &step.what {
            What::Control(kind) => self.bind_control(step, element, place, *kind),
            What::Group(kind, members) => self.bind_group(step, members, place, *kind),
            What::Custom(name) => {
                let Some(make) = self.page.controls.0.get(&**name) else {
                    let known: Vec<&str> = self.page.controls.0.keys().map(String::as_str).collect();
                    let known = if known.is_empty() {
                        "none is".to_owned()
                    } else {
                        format!("registered: {}", known.join(", "))
                    };
                    return Err(format!("no control is registered as “{name}” ({known})"));
                };
                let shows = Shows::Custom(make(element).into());
                let binding = place.bind();
                self.add_widget(binding, vec![element.clone()], shows, self.hides(step))
            }
            What::Value => {
                if !step.is_suitable.get() {
                    expect_field(place)?;
                    step.is_suitable.set(true);
                }
                let element = element.clone();
                let shown = RefCell::new(String::new());
                let show = move |state: &WidgetState| {
                    if *shown.borrow() != state.text {
                        dom::set_text(&element, &state.text);
                        shown.borrow_mut().clone_from(&state.text);
                    }
                };
                self.keep(place.bind().one_way().subscribe(show))
            }
            What::ShownWhen => self.bind_shown_when(element, place),
            What::Findings => self.bind_findings(element, place),
            What::Part => self.bind_part(element, place),
            What::Rows(plan) => {
                let state = place.bind().state();
                if state.kind != WidgetKind::List {
                    return Err(format!(
                        "“{}” is {}, not a list of rows",
                        place.pointer(),
                        article(state.kind)
                    ));
                }
                let Some(template) = element.dyn_ref::<HtmlTemplateElement>() else { return Ok(()) };
                if let Some(around) = template.parent_element() {
                    self.mark_errors(&around, place)?;
                }
                let rows = Rows::show(self.page, plan.clone(), template, place, self.suffix, mount);
                self.scope.hold(rows.map_err(|error| error.to_string())?);
                Ok(())
            }
            What::Branch(plan, variant) => {
                let kind = place.bind().state().kind;
                if kind != WidgetKind::Record {
                    return Err(format!("“{}” is {}, not a record", place.pointer(), article(kind)));
                }
                let Some(template) = element.dyn_ref::<HtmlTemplateElement>() else { return Ok(()) };
                let variant = variant.clone();
                if let Some(variant) = &variant {
                    let tags: Vec<String> =
                        place.variants().iter().map(|tag| tag.to_text().into_owned()).collect();
                    if !tags.iter().any(|tag| **tag == **variant) {
                        let known = if tags.is_empty() { "none".to_owned() } else { tags.join(", ") };
                        return Err(format!(
                            "“{}” has no variant “{variant}”; it has {known}",
                            place.pointer()
                        ));
                    }
                }
                let branch =
                    Branch::show(self.page, plan.clone(), variant, template, place, self.suffix, mount);
                self.scope.hold(branch.map_err(|error| error.to_string())?);
                Ok(())
            }
            What::Button(command) => self.bind_button(element, place, *command),
        }
    }

    fn bind_control(
        &mut self,
        step: &PlanStep,
        element: &Element,
        place: &Place<Value>,
        kind: Kind,
    ) -> Result<(), String> {
        let binding = place.bind();
        if !step.is_suitable.get() {
            let state = binding.state();
            suits(kind, &state).map_err(|needs| {
                format!(
                    "{} cannot show “{}”, {}; {needs}",
                    named(element),
                    place.pointer(),
                    article(state.kind)
                )
            })?;
            step.is_suitable.set(true);
        }
        let (binding, shows) = match kind {
            Kind::Select | Kind::SelectMany if offers_nothing(element) => (binding, Shows::Offered(kind)),
            Kind::Native(_) | Kind::Select | Kind::SelectMany => (binding.native(), Shows::Control(kind)),
            Kind::Text | Kind::Area => (binding, Shows::Control(kind)),
        };
        self.add_widget(binding, vec![element.clone()], shows, self.hides(step))
    }

    fn bind_group(
        &mut self,
        step: &PlanStep,
        members: &[u32],
        place: &Place<Value>,
        kind: GroupKind,
    ) -> Result<(), String> {
        let elements: Vec<Element> = members.iter().filter_map(|index| self.found.at(*index)).collect();
        let state = place.bind().state();
        let pointer = place.pointer();
        match (kind, state.kind) {
            (GroupKind::Boxes, WidgetKind::Flag) => {
                // Each check box of a flag is a control by itself.
                return elements.into_iter().try_for_each(|element| {
                    self.add_widget(place.bind(), vec![element], Shows::Switch, self.hides(step))
                });
            }
            (GroupKind::Boxes, WidgetKind::Choices) => {}
            (GroupKind::Boxes, kind) => {
                return Err(format!(
                    "a check box cannot show “{pointer}”, {}; it shows a flag, or is one of the boxes of a set of choices",
                    article(kind)
                ));
            }
            (GroupKind::Radios, WidgetKind::Record | WidgetKind::List | WidgetKind::Choices) => {
                return Err(format!("radio buttons cannot show “{pointer}”, {}", article(state.kind)));
            }
            (GroupKind::Radios, _) => {}
        }
        let mut values = Vec::new();
        for element in &elements {
            let value = element.get_attribute("value").unwrap_or_default();
            let is_offered = state.choices.is_empty()
                || state.choices.iter().any(|choice| choice.value.to_text() == value);
            if !is_offered {
                let known: Vec<String> =
                    state.choices.iter().map(|choice| choice.value.to_text().into_owned()).collect();
                let problem =
                    format!("“{pointer}” does not offer the value “{value}”; it offers {}", known.join(", "));
                self.report(step, element, problem);
            }
            if values.contains(&value) {
                let what = if kind == GroupKind::Radios { "radio buttons" } else { "check boxes" };
                return Err(format!(
                    "two {what} named “{pointer}” have the value “{value}”: a name stands for one group in a page, so a second group \
                     needs another control, such as a <select>"
                ));
            }
            values.push(value);
        }
        if kind == GroupKind::Radios && !self.suffix.is_empty() {
            // With one name, the radio buttons of all rows would be one group.
            let name = format!("{}{}", step.at, self.suffix);
            elements.iter().for_each(|element| dom::set_attribute(element, "name", &name));
        }
        self.add_widget(place.bind().native(), elements, Shows::Group(kind), self.hides(step))
    }

    /// Returns whether the control itself is hidden when it is not relevant: no element with
    /// `data-content-of` is.
    fn hides(&self, step: &PlanStep) -> bool {
        let is_part = |other: &PlanStep| matches!(other.what, What::Part) && other.at == step.at;
        !self.plan.steps.iter().any(is_part)
    }

    fn add_widget(
        &mut self,
        binding: ricordo::Binding,
        elements: Vec<Element>,
        shows: Shows,
        hides: bool,
    ) -> Result<(), String> {
        let widget = Rc::new(Widget::new(&self.page.messages, binding, elements, shows, hides));
        let id = self.page.add_widget(&widget);
        self.scope.add_member(id);
        // The page owns the widget; the form must not.
        let drawn = Rc::downgrade(&widget);
        let draw = move |state: &WidgetState| {
            if let Some(widget) = drawn.upgrade() {
                widget.draw(state);
            }
        };
        self.keep(widget.binding.subscribe(draw))?;
        if !widget.has_computed_limits() {
            return Ok(());
        }
        let limited = Rc::downgrade(&widget);
        let follow = widget.binding.place().subscribe_selector(
            |view| view.place().range(),
            move |_| {
                if let Some(widget) = limited.upgrade() {
                    widget.draw_limits();
                }
            },
        );
        self.keep(follow)
    }

    fn keep(&mut self, subscription: Result<Subscription, Error>) -> Result<(), String> {
        self.scope.hold(subscription.map_err(|error| error.to_string())?);
        Ok(())
    }

    fn bind_shown_when(&mut self, element: &Element, place: &Place<Value>) -> Result<(), String> {
        let kind = place.bind().state().kind;
        if kind != WidgetKind::Flag {
            return Err(format!(
                "`data-shown-when` needs a flag, and “{}” is {}",
                place.pointer(),
                article(kind)
            ));
        }
        let shown = |value: &Value| *value == Value::from(true);
        dom::set_hidden(element, !shown(&place.value()));
        let element = element.clone();
        let follow = place.subscribe_selector(
            move |view| view.place().is_relevant() && shown(&view.place().value()),
            move |update| dom::set_hidden(&element, !update.now()),
        );
        self.keep(follow)
    }

    fn bind_part(&mut self, element: &Element, place: &Place<Value>) -> Result<(), String> {
        dom::set_hidden(element, !place.is_relevant());
        if matches!(place.bind().state().kind, WidgetKind::Record | WidgetKind::List) {
            self.mark_errors(element, place)?;
        }
        let element = element.clone();
        let follow = place.subscribe_aspects(Aspects::RELEVANT, move |notice| {
            dom::set_hidden(&element, !notice.place().is_relevant());
        });
        self.keep(follow)
    }

    /// Marks the element of a record or a list while the place itself has errors that are shown.
    fn mark_errors(&mut self, element: &Element, place: &Place<Value>) -> Result<(), String> {
        if self.suffix.is_empty() {
            self.page.elements.remember(element);
        }
        let (messages, id) = (Rc::downgrade(&self.page.messages), place.id());
        let element = element.clone();
        let mark = move |is_invalid: bool| {
            dom::set_flag(&element, "data-invalid", is_invalid);
            if let Some(messages) = messages.upgrade()
                && let Some(shown_in) = messages.element_of(id)
            {
                messages.describe(&element, &shown_in, is_invalid);
            }
        };
        let has_errors = |findings: Vec<ricordo::Finding>| {
            findings.iter().any(|finding| finding.is_shown && !finding.is_warning)
        };
        if has_errors(place.findings()) {
            mark(true);
        }
        let follow = place.subscribe_selector(
            move |view| has_errors(view.place().findings()),
            move |update| mark(*update.now()),
        );
        self.keep(follow)
    }

    fn bind_findings(&mut self, element: &Element, place: &Place<Value>) -> Result<(), String> {
        if !self.page.messages.add_element(place.id(), element) {
            return Err(format!(
                "the findings of “{}” have an element already, which comes first",
                place.pointer()
            ));
        }
        self.scope.add_messages(place.id());
        Ok(())
    }

    /// Shows the findings of a place that has an element for them but no control.
    fn follow_messages(&mut self, step: &PlanStep) {
        let is_control = |other: &PlanStep| {
            matches!(other.what, What::Control(_) | What::Group(..) | What::Custom(_)) && other.at == step.at
        };
        let Ok(place) = self.locate(&step.at) else { return };
        // The form's own element is the summary, which shows more.
        if self.page.is_root(&place)
            || self.plan.steps.iter().any(is_control) && self.page.has_widget(place.id())
        {
            return;
        }
        let messages = Rc::downgrade(&self.page.messages);
        let (label, id) = (place.label(), place.id());
        self.page.messages.show(id, &label, &messages_of("", &place.findings()));
        let follow = place.subscribe_selector(
            move |view| messages_of("", &view.place().findings()),
            move |update| {
                if let Some(messages) = messages.upgrade() {
                    messages.show(id, &label, update.now());
                }
            },
        );
        if let (Err(problem), Some(element)) = (self.keep(follow), self.found.at(step.index)) {
            self.report(step, &element, problem);
        }
    }

    fn bind_button(
        &mut self,
        element: &Element,
        place: &Place<Value>,
        command: Command,
    ) -> Result<(), String> {
        let kind = place.bind().state().kind;
        let is_row = place.row_key().is_some();
        let fits = match command {
            Command::Add => matches!(kind, WidgetKind::List | WidgetKind::Record | WidgetKind::Choices),
            Command::Duplicate | Command::Up | Command::Down => is_row,
            Command::Remove | Command::Clear | Command::Reset | Command::Undo | Command::Redo => true,
            Command::Release => !matches!(kind, WidgetKind::List | WidgetKind::Record),
        };
        if !fits {
            return Err(format!(
                "“{}” does not suit “{}”, {}",
                command.name(),
                place.pointer(),
                article(kind)
            ));
        }
        if dom::is_submit_button(element) {
            // It would also act when the user presses Enter in a field.
            dom::set_attribute(element, "type", "button");
        }
        let button = Button { element: element.clone(), place: place.clone(), command };
        let id = self.page.add_button(button);
        self.scope.add_member(id);
        let element = element.clone();
        match command {
            Command::Add | Command::Remove | Command::Clear if !is_row => {
                let can_act = move |place: &Place<Value>| match command {
                    Command::Add => place.can_add(),
                    _ => !place.is_readonly() && !place.is_absent(),
                };
                let is_record = kind == WidgetKind::Record;
                let show = move |can_act: bool| {
                    set_enabled(&element, can_act);
                    if is_record && command != Command::Clear {
                        // There is one button at a time: to open the record, or to remove it.
                        dom::set_hidden(&element, !can_act);
                    }
                };
                show(can_act(place));
                let aspects = Aspects::ROWS | Aspects::PRESENCE | Aspects::READONLY;
                let follow = place.subscribe_aspects(aspects, move |notice| show(can_act(notice.place())));
                self.keep(follow)
            }
            Command::Release => {
                let can_release = |place: &Place<Value>| place.is_overridden() || place.is_leading();
                dom::set_hidden(&element, !can_release(place));
                let follow = place.subscribe_aspects(Aspects::LEADS, move |notice| {
                    dom::set_hidden(&element, !can_release(notice.place()));
                });
                self.keep(follow)
            }
            Command::Undo | Command::Redo => {
                self.page.add_history_button(id, &element, command);
                Ok(())
            }
            Command::Add
            | Command::Remove
            | Command::Duplicate
            | Command::Up
            | Command::Down
            | Command::Clear
            | Command::Reset => Ok(()),
        }
    }
}

/// An element that only shows a value needs a field.
fn expect_field(place: &Place<Value>) -> Result<(), String> {
    let kind = place.bind().state().kind;
    match kind {
        WidgetKind::Record | WidgetKind::List => {
            Err(format!("only a field has a text to show, and “{}” is {}", place.pointer(), article(kind)))
        }
        _ => Ok(()),
    }
}

/// Returns whether a select has no options of its own, so that the form provides them.
fn offers_nothing(element: &Element) -> bool {
    let Some(select) = element.dyn_ref::<HtmlSelectElement>() else { return false };
    let options = select.options();
    (0..options.length()).all(|index| {
        let value = options.item(index).and_then(|option| option.get_attribute("value"));
        value.as_deref() == Some("")
    })
}

/// Returns whether a control can show a place, or else what to use instead.
fn suits(kind: Kind, state: &WidgetState) -> Result<(), &'static str> {
    let needs = match kind {
        Kind::Text | Kind::Area => match state.kind {
            WidgetKind::Flag => "use a check box",
            WidgetKind::Choices => "use check boxes, or a <select multiple>",
            WidgetKind::Record => "bind the fields in it",
            WidgetKind::List => "use a <template data-rows-of>",
            _ => return Ok(()),
        },
        Kind::Native(Native::Number | Native::Range) => match state.kind {
            WidgetKind::Number | WidgetKind::Choice => return Ok(()),
            _ => "it is for numbers",
        },
        Kind::Native(Native::Date) => match state.kind {
            WidgetKind::Date => return Ok(()),
            _ => "it is for dates",
        },
        Kind::Native(Native::Time) => match state.kind {
            WidgetKind::Time => return Ok(()),
            _ => "it is for times",
        },
        Kind::Native(Native::DateTime) => match state.kind {
            WidgetKind::DateTime => return Ok(()),
            _ => "it is for dates with a time",
        },
        Kind::Select => match state.kind {
            WidgetKind::Choices => "add `multiple`",
            WidgetKind::Record => "bind the fields in it",
            WidgetKind::List => "use a <template data-rows-of>",
            _ => return Ok(()),
        },
        Kind::SelectMany => match state.kind {
            WidgetKind::Choices => return Ok(()),
            _ => "`multiple` is for a set of choices",
        },
    };
    Err(needs)
}

fn article(kind: WidgetKind) -> &'static str {
    match kind {
        WidgetKind::Text => "a text",
        WidgetKind::Number => "a number",
        WidgetKind::Flag => "a flag",
        WidgetKind::Date => "a date",
        WidgetKind::Time => "a time",
        WidgetKind::DateTime => "a date with a time",
        WidgetKind::Choice => "a choice",
        WidgetKind::Choices => "a set of choices",
        WidgetKind::Record => "a record",
        WidgetKind::List => "a list",
        _ => "a place of another kind",
    }
}

/// The name of a control in messages.
fn named(element: &Element) -> String {
    let tag = element.tag_name().to_ascii_lowercase();
    if element.is_instance_of::<HtmlInputElement>() {
        return format!("an input of type “{}”", dom::input_type(element));
    }
    let many = if element.has_attribute("multiple") { " multiple" } else { "" };
    format!("a <{tag}{many}>")
}
