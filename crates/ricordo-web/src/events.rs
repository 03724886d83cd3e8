//! Events: what the user does in the page, and what the page does then.

use std::rc::{Rc, Weak};

use ricordo::engine::Edit;
use ricordo::form::WidgetKind;
use ricordo::{Error, Place, Value};
use wasm_bindgen::JsCast;
use web_sys::{Element, Event, FocusEvent, InputEvent, KeyboardEvent, Node};

use crate::command::Command;
use crate::page::{Member, Page, report_refusal};

impl Page {
    pub(crate) fn on_event(self: &Rc<Self>, event: &Event) {
        self.pass_time();
        self.write_focused();
        let kind = event.type_();
        // These may come during a press. Any other event means that it is over, even if no `pointerup` came, as after choosing
        // from the popup of a select.
        if !matches!(
            kind.as_str(),
            "pointerdown"
                | "pointerup"
                | "pointercancel"
                | "focusin"
                | "focusout"
                | "change"
                | "visibilitychange"
        ) {
            self.press_is_over();
        }
        match kind.as_str() {
            "pointerdown" => self.press_begins(),
            "pointerup" | "pointercancel" => self.press_ends(),
            "focusin" => self.on_focus_in(event),
            "focusout" => self.on_focus_out(event),
            "beforeinput" => self.on_before_input(event),
            "input" | "change" => self.on_input(event),
            "compositionstart" => self.with_widget(event, |widget, _| widget.on_composition_start()),
            "compositionend" => self.with_widget(event, |widget, _| widget.on_composition_end()),
            "click" => self.on_click(event),
            "keydown" => self.on_key(event),
            "submit" => {
                event.prevent_default();
                self.submit();
            }
            "reset" => {
                event.prevent_default();
                self.minding_focus(None, || report_refusal(self.form.reset()));
            }
            "visibilitychange" | "pagehide" => self.on_hide(),
            _ => {}
        }
    }

    fn with_widget(&self, event: &Event, act: impl FnOnce(&Rc<crate::widget::Widget>, &Element)) {
        if let Some(target) = target_of(event)
            && let Some((element, Member::Widget(widget))) = self.member_of(&target)
        {
            act(&widget, &element);
        }
    }

    fn on_focus_in(self: &Rc<Self>, event: &Event) {
        if !self.is_moving() {
            self.with_widget(event, |widget, _| self.focus(widget));
        }
    }

    fn on_focus_out(&self, event: &Event) {
        if self.is_moving() {
            return;
        }
        self.with_widget(event, |widget, _| {
            let next = event.dyn_ref::<FocusEvent>().and_then(FocusEvent::related_target);
            let next = next.and_then(|next| next.dyn_into::<Node>().ok());
            // If the window loses the focus, or another button of the same group gets it, the widget is not left.
            let stays = next.is_none() && widget.has_dom_focus();
            if !stays && !self.belongs_to(next.as_ref(), widget) {
                self.leave(widget);
            }
        });
    }

    fn on_before_input(&self, event: &Event) {
        // The browser's own history does not know about values that the form has set.
        let kind = event.dyn_ref::<InputEvent>().map(InputEvent::input_type).unwrap_or_default();
        match kind.as_str() {
            "historyUndo" => self.on_history(event, Command::Undo),
            "historyRedo" => self.on_history(event, Command::Redo),
            _ => {}
        }
    }

    fn on_input(&self, event: &Event) {
        self.messages.put_off();
        // `change` often follows an `input` that has been handled.
        let is_change = event.type_() == "change";
        self.with_widget(event, |widget, element| {
            if !is_change || widget.differs_from_form(element) {
                widget.on_input(element);
            }
        });
    }

    fn on_click(&self, event: &Event) {
        if let Some(target) = target_of(event)
            && let Some((_, Member::Button(button))) = self.member_of(&target)
        {
            event.prevent_default();
            self.press(&button.place, button.command);
        }
    }

    fn on_key(&self, event: &Event) {
        let Some(key) = event.dyn_ref::<KeyboardEvent>() else { return };
        if !(key.ctrl_key() || key.meta_key()) || key.alt_key() || key.is_composing() {
            return;
        }
        match (key.key().to_ascii_lowercase().as_str(), key.shift_key()) {
            ("z", false) => self.on_history(event, Command::Undo),
            ("z", true) | ("y", false) => self.on_history(event, Command::Redo),
            _ => {}
        }
    }

    /// Undoes or redoes a step of the form instead of the browser's.
    fn on_history(&self, event: &Event, command: Command) {
        let is_unbound = target_of(event).and_then(|target| target.closest("[data-unbound]").ok().flatten());
        if is_unbound.is_none() {
            event.prevent_default();
            if let Ok(root) = self.form.place("") {
                self.press(&root, command);
            }
        }
    }

    fn on_hide(&self) {
        self.with_drafts(|drafts| drafts.flush(&self.form));
    }

    /// Carries out a button's command.
    fn press(&self, place: &Place<Value>, command: Command) {
        let opens = command == Command::Add && place.is_absent();
        let around = match command {
            Command::Remove if place.row_key().is_some() => place.parent(),
            Command::Remove => Some(place.clone()),
            _ => None,
        };
        self.minding_focus(around.as_ref(), || report_refusal(self.carry_out(place, command)));
        if opens && !place.is_absent() {
            self.focus_in(place);
        }
    }

    fn carry_out(&self, place: &Place<Value>, command: Command) -> Result<(), Error> {
        let list_has = |position: usize| {
            place.parent().is_none_or(|list| list.place(format!("/{position}").as_str()).is_ok())
        };
        let moved = |by: fn(usize) -> Option<usize>| match place.position().and_then(by) {
            Some(position) if list_has(position) => place.move_to(position),
            // It is the first or the last row already.
            Some(_) | None => Ok(()),
        };
        match command {
            Command::Add => match place.bind().state().kind {
                WidgetKind::List => self.form.apply(Edit::insert(place.id().into(), None, None)),
                _ if place.is_absent() => self.form.apply(Edit::add(place.pointer(), None)),
                _ => Ok(()),
            },
            Command::Remove => place.remove(),
            Command::Duplicate => place.duplicate().map(drop),
            Command::Up => moved(|position| position.checked_sub(1)),
            Command::Down => moved(|position| position.checked_add(1)),
            Command::Clear => place.clear(),
            Command::Reset => place.reset(),
            Command::Release => place.release(),
            Command::Undo if self.form.can_undo() => self.form.undo(),
            Command::Redo if self.form.can_redo() => self.form.redo(),
            Command::Undo | Command::Redo => Ok(()),
        }
    }
}

fn target_of(event: &Event) -> Option<Element> {
    event.target()?.dyn_into().ok()
}

/// Passes the time, because text waits to be committed.
pub(crate) fn time_has_passed(page: &Weak<Page>) {
    if let Some(page) = page.upgrade() {
        page.pass_time();
        page.follow();
    }
}

/// The press is over, and the click that it may have caused has been handled.
pub(crate) fn press_is_over(page: &Weak<Page>) {
    if let Some(page) = page.upgrade() {
        page.pass_time();
        page.press_is_over();
    }
}

/// A draft may be due.
pub(crate) fn draft_is_due(page: &Weak<Page>) {
    if let Some(page) = page.upgrade() {
        page.follow();
    }
}
