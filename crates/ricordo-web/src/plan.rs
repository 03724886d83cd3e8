//! Plans: what the HTML of a form, or of a template in it, says about the elements in it.
//!
//! A plan is read once for each template, and names elements by their position among those that [`SELECTOR`] finds. So a
//! row is bound without looking at its HTML again: one query finds its elements, in the same order as in the plan.

use std::cell::Cell;
use std::rc::Rc;

use wasm_bindgen::JsCast;
use web_sys::{Document, DocumentFragment, Element, HtmlButtonElement, HtmlTemplateElement};

use crate::command::Command;
use crate::dom::{self, Found};
use crate::mistake::Mistakes;

/// Every element that means something to the adapter.
pub(crate) const SELECTOR: &str = "[name],[data-value-of],[data-shown-when],[data-findings-of],[data-content-of],[data-rows-of],\
    [data-control],[id],[for],[list],[aria-labelledby],[aria-describedby],[aria-controls],[aria-errormessage],[headers]";

/// Attributes that refer to ids.
const REFERENCES: [&str; 7] =
    ["for", "list", "aria-labelledby", "aria-describedby", "aria-controls", "aria-errormessage", "headers"];

#[derive(Debug)]
pub(crate) struct Plan {
    pub(crate) steps: Vec<PlanStep>,
    /// Attributes whose ids get a suffix in each row: the position of the element, and the attribute.
    ids: Vec<(u32, &'static str)>,
    /// The ids that are defined in the template. References to other ids stay as they are.
    own_ids: Vec<String>,
    /// The nodes that are copied for each row; `None` for the page itself.
    content: Option<DocumentFragment>,
}

#[derive(Debug)]
pub(crate) struct PlanStep {
    /// The position of the element.
    pub(crate) index: u32,
    /// The pointer of the place, relative to the place of the plan.
    pub(crate) at: Rc<str>,
    pub(crate) what: What,
    /// Whether a mistake was reported. It is the same in every row, and reported once.
    pub(crate) is_reported: Cell<bool>,
    /// Whether the element is known to suit its place. It is the same in every row, and checked once.
    pub(crate) is_suitable: Cell<bool>,
}

/// The role of an element.
#[derive(Debug)]
pub(crate) enum What {
    Control(Kind),
    /// Radio buttons with one name, or check boxes: the positions of all of them.
    Group(GroupKind, Vec<u32>),
    /// A control of the program, by the name under which it is registered.
    Custom(Rc<str>),
    /// An element that shows the value.
    Value,
    /// An element that is hidden unless a flag is set.
    ShownWhen,
    Findings,
    /// An element that is hidden while the place is not relevant.
    Part,
    Rows(Rc<Plan>),
    /// A template whose content is there while a record is there, or has a variant.
    Branch(Rc<Plan>, Option<Rc<str>>),
    Button(Command),
}

/// The way in which a control shows a place.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    /// The user types in the edit format.
    Text,
    Area,
    /// The control speaks canonical text.
    Native(Native),
    Select,
    SelectMany,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Native {
    Number,
    Range,
    Date,
    Time,
    DateTime,
}

impl Native {
    /// Returns whether HTML has `readonly` for the input.
    pub(crate) fn can_be_readonly(self) -> bool {
        match self {
            Native::Number | Native::Date | Native::Time | Native::DateTime => true,
            Native::Range => false,
        }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum GroupKind {
    Radios,
    Boxes,
}

impl Plan {
    /// The plan of a page.
    pub(crate) fn of_page(found: &Found, mistakes: &Mistakes) -> Self {
        Plan::of(found, None, mistakes)
    }

    /// The plan of a template.
    fn of_template(template: &HtmlTemplateElement, mistakes: &Mistakes) -> Rc<Self> {
        let content = template.content();
        // A script may have put the nodes into the template itself, where nothing shows them.
        while let Some(node) = template.first_child() {
            let _ = content.append_child(&node);
        }
        let found = Found::List(dom::query(&content, SELECTOR));
        Rc::new(Plan::of(&found, Some(content), mistakes))
    }

    fn of(found: &Found, content: Option<DocumentFragment>, mistakes: &Mistakes) -> Self {
        let mut reader = PlanReader { steps: Vec::new(), ids: Vec::new(), own_ids: Vec::new(), mistakes };
        for index in 0..found.len() {
            if let Some(element) = found.at(index)
                && !is_unbound(&element)
            {
                reader.read(index, &element);
            }
        }
        if content.is_none() {
            // Ids in the page itself are unique already.
            reader.ids.clear();
        }
        Plan { steps: reader.steps, ids: reader.ids, own_ids: reader.own_ids, content }
    }

    /// Returns whether there are buttons for the row itself.
    pub(crate) fn has_row_buttons(&self) -> bool {
        self.steps.iter().any(|step| matches!(step.what, What::Button(_)) && step.at.is_empty())
    }

    /// A copy of what the template holds, and the elements in it by position.
    pub(crate) fn copy(&self, document: &Document, suffix: &str) -> Option<(DocumentFragment, Found)> {
        let copy = document.import_node_with_deep(self.content.as_ref()?, true).ok()?;
        let fragment: DocumentFragment = copy.dyn_into().ok()?;
        let found = Found::List(dom::query(&fragment, SELECTOR));
        for (index, attribute) in &self.ids {
            if let Some(element) = found.at(*index)
                && let Some(ids) = element.get_attribute(attribute)
            {
                let own = |id: &str| self.own_ids.iter().any(|own| own == id);
                let unique = |id: &str| if own(id) { format!("{id}{suffix}") } else { id.to_owned() };
                let ids: Vec<String> = ids.split_whitespace().map(unique).collect();
                dom::set_attribute(&element, attribute, &ids.join(" "));
            }
        }
        Some((fragment, found))
    }
}

struct PlanReader<'a> {
    steps: Vec<PlanStep>,
    ids: Vec<(u32, &'static str)>,
    own_ids: Vec<String>,
    mistakes: &'a Mistakes,
}

impl PlanReader<'_> {
    fn read(&mut self, index: u32, element: &Element) {
        if element.has_attribute("id") {
            self.ids.push((index, "id"));
            self.own_ids.push(element.id());
        }
        let references = REFERENCES.into_iter().filter(|reference| element.has_attribute(reference));
        self.ids.extend(references.map(|reference| (index, reference)));
        let template = element.dyn_ref::<HtmlTemplateElement>();
        if let Some(at) = element.get_attribute("data-rows-of") {
            match template {
                Some(template) => {
                    let rows = What::Rows(Plan::of_template(template, self.mistakes));
                    self.add(index, at, rows);
                }
                None => self.wrong(element, "`data-rows-of` belongs on a <template>, which holds one row"),
            }
        }
        if let Some(at) = element.get_attribute("data-content-of") {
            let variant = element.get_attribute("data-variant").map(Rc::from);
            match template {
                Some(template) => {
                    let plan = Plan::of_template(template, self.mistakes);
                    self.add(index, at, What::Branch(plan, variant));
                }
                None if variant.is_some() => self.wrong(
                    element,
                    "`data-variant` belongs on a <template>: the fields of a variant are there only while the record has it",
                ),
                None => self.add(index, at, What::Part),
            }
        }
        for (attribute, what) in [
            ("data-value-of", What::Value),
            ("data-shown-when", What::ShownWhen),
            ("data-findings-of", What::Findings),
        ] {
            if let Some(at) = element.get_attribute(attribute) {
                if matches!(what, What::Findings) {
                    // It starts empty, so copies need no work until there is a message.
                    element.set_text_content(None);
                    dom::set_hidden(element, true);
                }
                self.add(index, at, what);
            }
        }
        if let Some(at) = element.get_attribute("name") {
            self.read_control(index, element, at);
        } else if element.has_attribute("data-control") {
            self.wrong(element, "a control needs a `name`: the pointer of its place");
        }
    }

    fn read_control(&mut self, index: u32, element: &Element, at: String) {
        if let Some(name) = element.get_attribute("data-control") {
            self.add(index, at, What::Custom(name.into()));
            return;
        }
        match element.tag_name().to_ascii_lowercase().as_str() {
            "input" => self.read_input(index, element, at),
            "textarea" => self.add(index, at, What::Control(Kind::Area)),
            "select" => {
                let kind = if element.has_attribute("multiple") { Kind::SelectMany } else { Kind::Select };
                self.add(index, at, What::Control(kind));
            }
            "output" => self.add(index, at, What::Value),
            "button" => {
                let value = element.dyn_ref::<HtmlButtonElement>().map(HtmlButtonElement::value);
                self.read_button(index, element, at, &value.unwrap_or_default());
            }
            // A custom element needs to say which control it is.
            tag if tag.contains('-') => {
                self.wrong(
                    element,
                    &format!("<{tag}> has a `name`, but no `data-control` that says how to bind it"),
                );
            }
            // Other elements have names for other purposes.
            _ => {}
        }
    }

    fn read_input(&mut self, index: u32, element: &Element, at: String) {
        let kind = match dom::input_type(element).as_str() {
            "number" => Kind::Native(Native::Number),
            "range" => Kind::Native(Native::Range),
            "date" => Kind::Native(Native::Date),
            "time" => Kind::Native(Native::Time),
            "datetime-local" => Kind::Native(Native::DateTime),
            "radio" => return self.read_member(index, at, GroupKind::Radios),
            "checkbox" => return self.read_member(index, at, GroupKind::Boxes),
            "submit" | "reset" | "image" | "button" => {
                let value = element.get_attribute("value").unwrap_or_default();
                return self.read_button(index, element, at, &value);
            }
            unknown @ ("file" | "month" | "week") => {
                return self.wrong(
                    element,
                    &format!("no place holds what an input of type “{unknown}” gives; register a control of your own (`data-control`)"),
                );
            }
            _ => Kind::Text,
        };
        self.add(index, at, What::Control(kind));
    }

    /// A radio button or a check box: those of one name are one group.
    fn read_member(&mut self, index: u32, at: String, kind: GroupKind) {
        let group = self.steps.iter_mut().find_map(|step| match &mut step.what {
            What::Group(of, members) if *of == kind && *step.at == *at => Some(members),
            _ => None,
        });
        match group {
            Some(members) => members.push(index),
            None => self.add(index, at, What::Group(kind, vec![index])),
        }
    }

    fn read_button(&mut self, index: u32, element: &Element, at: String, value: &str) {
        match Command::of(value) {
            Some(command) => self.add(index, at, What::Button(command)),
            None => {
                let problem = format!(
                    "a button with a `name` needs a `value` that says what it does: {}",
                    Command::names()
                );
                self.wrong(element, &problem);
            }
        }
    }

    fn add(&mut self, index: u32, at: String, what: What) {
        self.steps.push(PlanStep {
            index,
            at: at.into(),
            what,
            is_reported: Cell::new(false),
            is_suitable: Cell::new(false),
        });
    }

    fn wrong(&self, element: &Element, problem: &str) {
        self.mistakes.add(element, problem.to_owned());
    }
}

/// Returns whether an element is left alone.
pub(crate) fn is_unbound(element: &Element) -> bool {
    matches!(element.closest("[data-unbound]"), Ok(Some(_)))
}
