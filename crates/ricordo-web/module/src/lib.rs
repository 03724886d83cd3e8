//! Ricordo for JavaScript: forms of definition files, bound to the page. The documentation of the package is `README.md` beside
//! `package.json`; the comments here become those of its TypeScript types.

#![allow(clippy::missing_errors_doc, clippy::needless_pass_by_value, reason = "JavaScript sees none of it")]

mod apart;
mod binding;
mod checks;
mod convert;
mod promise;
pub mod rest;
mod submission;
mod submit_options;

use std::rc::Rc;
use std::sync::Arc;

use ricordo::engine::{CompiledSchema, Side};
use ricordo::exchange::{Command, read_data, read_definition, read_journal};
use ricordo::form::SubmitOptions;
use ricordo::{Finding, Place, Untyped, Value};
use ricordo_web::{DraftStore, StoredDraft, forget_former_draft, former_draft, stored_draft};
use wasm_bindgen::prelude::*;

use convert::{
    Object, Options, error, error_in, function, is_absent, mistyped, optional_text, pointer, text_of_json,
    to_js,
};

#[wasm_bindgen(typescript_custom_section)]
const TYPES: &str = include_str!("types.ts");

/// A form: the state of what is typed, from a definition file.
#[wasm_bindgen]
#[derive(Debug)]
pub struct Form {
    #[allow(clippy::struct_field_names, reason = "it is the form of the library")]
    form: ricordo::Form,
    draft: Option<(String, DraftStore)>,
    /// The parts of a draft that could not be restored, in words.
    left_out: Vec<String>,
}

/// A new form, and what of its draft could not be restored.
struct Start {
    form: ricordo::Form,
    left_out: Vec<String>,
}

impl Start {
    fn new(
        schema: &Arc<CompiledSchema>,
        data: Option<Value>,
        draft: Option<&(String, DraftStore)>,
    ) -> Result<Self, ricordo::Error> {
        let fresh = |data: Option<Value>| ricordo::Form::from_schema(schema, data);
        let Some((key, store)) = draft else { return Ok(Start { form: fresh(data)?, left_out: Vec::new() }) };
        let problem = match stored_draft(key, *store) {
            StoredDraft::Draft(draft) => {
                // Without data, a draft belongs to the blank record.
                let record = match &data {
                    Some(data) => data.clone(),
                    None => fresh(None)?.value(),
                };
                match ricordo::Form::from_schema_and_draft(schema, &draft, Some(record)) {
                    Ok(restored) => {
                        let left_out = restored.left_out.iter().map(ToString::to_string).collect();
                        return Ok(Start { form: restored.form, left_out });
                    }
                    Err(error) => Some(error.to_string()),
                }
            }
            StoredDraft::Damaged(error) => Some(error.to_string()),
            // Without storage there is no draft.
            _ => None,
        };
        Ok(Start { form: fresh(data)?, left_out: problem.into_iter().collect() })
    }
}

#[wasm_bindgen]
impl Form {
    /// Makes a form.
    ///
    /// `definition` is a form definition: an object, or its text. `data` is the record that the form starts from: an object, or
    /// JSON text, in which numbers keep all their digits. Throws an `Error` that says what is wrong, and where.
    #[wasm_bindgen(constructor)]
    pub fn new(
        #[wasm_bindgen(unchecked_param_type = "object | string")] definition: &JsValue,
        #[wasm_bindgen(unchecked_optional_param_type = "Writable | null")] data: &JsValue,
        #[wasm_bindgen(unchecked_optional_param_type = "FormOptions")] options: &JsValue,
    ) -> Result<Form, JsValue> {
        let options = Options::read(options, "`options`", &["draft", "store", "journalBytes"])?;
        let store = store_of(options.text("store")?.as_deref())?;
        let draft = options.text("draft")?.map(|key| (key, store));
        let bytes = options.count("journalBytes")?;
        let text = text_of_json(definition, "`definition`")?;
        let schema = read_definition(&text).map_err(|problem| error_in(definition, &text, &problem))?;
        let schema = Arc::new(schema);
        let data = if is_absent(data) {
            None
        } else {
            let text = text_of_json(data, "`data`")?;
            Some(read_data(&text, schema.schema()).map_err(|problem| error_in(data, &text, &problem))?)
        };
        let Start { form, left_out } =
            Start::new(&schema, data, draft.as_ref()).map_err(|problem| error(&problem))?;
        if rest::is_here() {
            apart::start_recording(&form, bytes.unwrap_or(1_000_000));
        } else if bytes.is_some_and(|bytes| bytes > 0) {
            rest::must_be_here()?;
        }
        form.set_now(convert::now()).map_err(|problem| error(&problem))?;
        Ok(Form { form, draft, left_out })
    }

    /// The parts of a draft that could not be restored, in words; empty if all of it was, or if there was none.
    #[wasm_bindgen(getter, js_name = leftOut)]
    pub fn left_out(&self) -> Vec<String> {
        self.left_out.clone()
    }

    /// The text of a draft that could not be restored as a whole, once the page is bound; `undefined` if there is none. It is kept until
    /// `forgetFormerDraft` is called.
    #[wasm_bindgen(getter, js_name = formerDraft)]
    pub fn former_draft(&self) -> Option<String> {
        let (key, store) = self.draft.as_ref()?;
        former_draft(key, *store)
    }

    /// Removes the draft that could not be restored as a whole.
    #[wasm_bindgen(js_name = forgetFormerDraft)]
    pub fn forget_former_draft(&self) {
        if let Some((key, store)) = &self.draft {
            forget_former_draft(key, *store);
        }
    }

    /// Binds an element of the page, mostly a `<form>`: its controls show the form, and change it. HTML that does not fit
    /// the form is reported in the console, and in `mistakes`.
    pub fn bind(
        &self,
        #[wasm_bindgen(unchecked_param_type = "Element")] element: &JsValue,
        #[wasm_bindgen(unchecked_optional_param_type = "BindOptions")] options: &JsValue,
    ) -> Result<BoundForm, JsValue> {
        let bound = binding::bind(&self.form, element, options, self.draft.as_ref())?;
        if !self.left_out.is_empty() {
            bound.notify(&format!("Not all that was typed could be restored: {}", self.left_out.join("; ")));
        }
        Ok(BoundForm { bound: Some(bound) })
    }

    /// The value of a place, or of the whole form. Numbers of more than 15 digits lose some of them; `toJson` has them all.
    #[wasm_bindgen(unchecked_return_type = "Json")]
    pub fn value(
        &self,
        #[wasm_bindgen(unchecked_optional_param_type = "string")] path: &JsValue,
    ) -> Result<JsValue, JsValue> {
        to_js(&self.place(&convert::optional_pointer(path)?)?.value())
    }

    /// The value of the whole form as JSON text.
    #[wasm_bindgen(js_name = valueText)]
    pub fn to_json(&self) -> String {
        self.form.to_json()
    }

    /// Sets a place to a value, as a program does.
    pub fn set(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] path: &JsValue,
        #[wasm_bindgen(unchecked_param_type = "Writable")] value: &JsValue,
    ) -> Result<(), JsValue> {
        let (path, value) = (pointer(path)?, convert::to_value(value)?);
        self.form.set(path.as_str(), value).map_err(|problem| error(&problem))
    }

    /// Enters text in a field, as the user does.
    pub fn enter(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] path: &JsValue,
        #[wasm_bindgen(unchecked_param_type = "string")] text: &JsValue,
    ) -> Result<(), JsValue> {
        let (path, text) = (pointer(path)?, convert::text("`text`", text)?);
        self.form.enter(path.as_str(), &text).map_err(|problem| error(&problem))
    }

    /// Resets a place, or the whole form.
    pub fn reset(
        &self,
        #[wasm_bindgen(unchecked_optional_param_type = "string")] path: &JsValue,
    ) -> Result<(), JsValue> {
        self.place(&convert::optional_pointer(path)?)?.reset().map_err(|problem| error(&problem))
    }

    /// Undoes the last step.
    pub fn undo(&self) -> Result<(), JsValue> {
        self.form.undo().map_err(|problem| error(&problem))
    }

    /// Redoes the step that was undone last.
    pub fn redo(&self) -> Result<(), JsValue> {
        self.form.redo().map_err(|problem| error(&problem))
    }

    /// Carries out an action, as a line of a journal has it: `{ op: "add", path: "/ingredients/-" }`. Several are one step.
    pub fn apply(
        &self,
        #[wasm_bindgen(unchecked_param_type = "object | object[]")] action: &JsValue,
    ) -> Result<(), JsValue> {
        let text = text_of_json(action, "`action`")?;
        let line =
            if text.starts_with('[') { format!("{{\"op\":\"group\",\"actions\":{text}}}") } else { text };
        for entry in read_journal(&line).map_err(|problem| error_in(action, &line, &problem))? {
            let Command::Apply(action) = entry.command else {
                return Err(convert::wrong("`action` must be an action; expectations are for `replay`"));
            };
            self.form.apply(action).map_err(|problem| error(&problem))?;
        }
        Ok(())
    }

    /// Replays a journal. Returns a message, with the line, for each refused action and failed expectation; the rest is carried out.
    pub fn replay(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] journal: &JsValue,
    ) -> Result<Vec<String>, JsValue> {
        rest::must_be_here()?;
        let journal = convert::text("`journal`", journal)?;
        apart::replay(&self.form, &journal).map_err(|problem| error(&problem))
    }

    /// The actions on the form so far, one a line. Secrets are hidden.
    pub fn journal(&self) -> Result<String, JsValue> {
        rest::must_be_here()?;
        Ok(self.form.diagnostics().recording().unwrap_or_default())
    }

    /// All that is known about a place.
    #[wasm_bindgen(unchecked_return_type = "PlaceState")]
    pub fn inspect(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] path: &JsValue,
    ) -> Result<JsValue, JsValue> {
        let place = self.place(&pointer(path)?)?;
        let object = Object::new()
            .text("path", place.pointer().as_str())
            .text("label", &place.label())
            .text("entry", &place.entry())
            .text("display", &place.display())
            .set("value", &to_js(&place.value())?)
            .set("baseline", &to_js(&place.baseline())?)
            .flag("isDirty", place.is_dirty())
            .flag("isTouched", place.is_touched())
            .flag("isValid", place.is_valid())
            .flag("isRelevant", place.is_relevant())
            .flag("isRequired", place.is_required())
            .flag("isReadonly", place.is_readonly())
            .flag("isUncommitted", place.is_uncommitted())
            .flag("isPending", place.is_pending())
            .flag("isOverridden", place.is_overridden())
            .set("findings", &findings(&place.findings()));
        Ok(object.done())
    }

    /// Explains a place in words: the places that it depends on, and those that they depend on.
    pub fn explain(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] path: &JsValue,
    ) -> Result<String, JsValue> {
        rest::must_be_here()?;
        Ok(apart::explain(&self.place(&pointer(path)?)?))
    }

    /// The findings of a place and all in it, or of the whole form, in the order of the form.
    #[wasm_bindgen(unchecked_return_type = "Finding[]")]
    pub fn findings(
        &self,
        #[wasm_bindgen(unchecked_optional_param_type = "string")] path: &JsValue,
    ) -> Result<JsValue, JsValue> {
        Ok(findings(&self.place(&convert::optional_pointer(path)?)?.all_findings()))
    }

    /// The state of the form as a whole.
    #[wasm_bindgen(unchecked_return_type = "FormState")]
    pub fn state(&self) -> JsValue {
        state(self.form.state())
    }

    /// Calls back when a place, or anything in it, has changed, until the subscription ends.
    pub fn subscribe(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] path: &JsValue,
        #[wasm_bindgen(unchecked_param_type = "(change: Change) => void")] callback: &JsValue,
        #[wasm_bindgen(unchecked_optional_param_type = "string")] name: &JsValue,
    ) -> Result<Subscription, JsValue> {
        let (path, callback) = (pointer(path)?, function("`callback`", callback)?);
        let guard = self.form.subscribe(path.as_str(), move |notice| {
            convert::call(&callback, &Change { notice: notice.clone() }.into());
        });
        Subscription::of(guard, name)
    }

    /// Answers the deferred checks of a name. The callback receives the value and the pointer of its place, and returns nothing if the
    /// value is right, a message if it is not, or a promise of either. If it throws, or the promise is rejected, nothing is known
    /// about the value, and a submit does not wait for it.
    #[wasm_bindgen(js_name = answerChecks)]
    pub fn answer_checks(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] check: &JsValue,
        #[wasm_bindgen(
            unchecked_param_type = "(value: Json, path: string) => CheckAnswer | Promise<CheckAnswer>"
        )]
        callback: &JsValue,
    ) -> Result<Subscription, JsValue> {
        let (check, callback) = (convert::text("`check`", check)?, function("`callback`", callback)?);
        let guard = self.form.subscribe_tickets(&check, move |ticket| checks::ask(&callback, ticket));
        Subscription::of(guard, &JsValue::UNDEFINED)
    }

    /// Calls back when the state of the form as a whole has changed.
    #[wasm_bindgen(js_name = subscribeState)]
    pub fn subscribe_state(
        &self,
        #[wasm_bindgen(unchecked_param_type = "(state: FormState) => void")] callback: &JsValue,
        #[wasm_bindgen(unchecked_optional_param_type = "string")] name: &JsValue,
    ) -> Result<Subscription, JsValue> {
        let callback = function("`callback`", callback)?;
        let guard = self.form.subscribe_state(move |update| convert::call(&callback, &state(*update.now())));
        Subscription::of(guard, name)
    }

    /// All subscribers, with how often they were called.
    #[wasm_bindgen(unchecked_return_type = "SubscriberReport[]")]
    pub fn subscribers(&self) -> JsValue {
        let reports = js_sys::Array::new();
        for report in self.form.diagnostics().subscribers() {
            let name = report.name.as_deref().map_or(JsValue::NULL, JsValue::from);
            let path = report.place.as_ref().map_or(JsValue::NULL, |place| JsValue::from(place.as_str()));
            let object = Object::new()
                .set("name", &name)
                .set("path", &path)
                .count("considered", report.counts.considered)
                .count("called", report.counts.called);
            reports.push(&object.done());
        }
        reports.into()
    }

    /// Submits the form: commits what is being typed, and checks everything. Throws an `Error` with `findings` if there are errors.
    pub fn submit(
        &self,
        #[wasm_bindgen(unchecked_optional_param_type = "SubmitOptions")] options: &JsValue,
    ) -> Result<submission::Submission, JsValue> {
        let options = submit_options::read(options, "`options`")?;
        let submission = self.form.submit(&options).map_err(|problem| error(&problem))?;
        Ok(submission::Submission::new(Rc::new(submission)))
    }

    /// The payload that a submit would send now, whether the form is valid or not.
    #[wasm_bindgen(unchecked_return_type = "Json")]
    pub fn payload(
        &self,
        #[wasm_bindgen(unchecked_optional_param_type = "SubmitOptions")] options: &JsValue,
    ) -> Result<JsValue, JsValue> {
        let options: SubmitOptions<Untyped> = submit_options::read(options, "`options`")?;
        to_js(&self.form.payload(&options).map_err(|problem| error(&problem))?)
    }

    /// Sets what a field is chosen from. With `-` for the number of a row, it holds for all rows.
    #[wasm_bindgen(js_name = setChoices)]
    pub fn set_choices(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] path: &JsValue,
        #[wasm_bindgen(unchecked_param_type = "Choice[]")] choices: &JsValue,
    ) -> Result<(), JsValue> {
        let action =
            Object::new().text("op", "choices").text("path", &pointer(path)?).set("choices", choices);
        self.apply(&action.done())
    }

    /// Merges a newer record from the server under the user's changes. The user's changes stay; a place that
    /// both changed differently is in conflict.
    pub fn rebase(
        &self,
        #[wasm_bindgen(unchecked_param_type = "Writable")] record: &JsValue,
    ) -> Result<(), JsValue> {
        let action = Object::new().text("op", "rebase").set("value", record);
        self.apply(&action.done())
    }

    /// The places that both sides have changed differently.
    #[wasm_bindgen(unchecked_return_type = "Conflict[]")]
    pub fn conflicts(&self) -> Result<JsValue, JsValue> {
        let conflicts = js_sys::Array::new();
        for conflict in self.form.conflicts() {
            let object = Object::new()
                .text("path", conflict.pointer.as_str())
                .set("base", &to_js(&conflict.base)?)
                .set("mine", &to_js(&conflict.mine)?)
                .set("theirs", &to_js(&conflict.theirs)?);
            conflicts.push(&object.done());
        }
        Ok(conflicts.into())
    }

    /// Resolves the conflicts of a place, and of all in it.
    pub fn resolve(
        &self,
        #[wasm_bindgen(unchecked_param_type = "string")] path: &JsValue,
        #[wasm_bindgen(unchecked_param_type = "\"mine\" | \"theirs\"")] take: &JsValue,
    ) -> Result<(), JsValue> {
        let take = match take.as_string().as_deref() {
            Some("mine") => Side::Mine,
            Some("theirs") => Side::Theirs,
            _ => return Err(mistyped("`take`", "“mine” or “theirs”", take)),
        };
        self.place(&pointer(path)?)?.resolve(take).map_err(|problem| error(&problem))
    }

    /// The whole state as one object: see `docs/files.md` of the project.
    #[wasm_bindgen(unchecked_return_type = "Json")]
    pub fn dump(&self) -> Result<JsValue, JsValue> {
        rest::must_be_here()?;
        to_js(&apart::dump(&self.form))
    }

    /// The whole state as JSON text.
    #[wasm_bindgen(js_name = dumpText)]
    pub fn dump_text(&self) -> Result<String, JsValue> {
        rest::must_be_here()?;
        Ok(format!("{:#}", apart::dump(&self.form)))
    }

    /// The number of event listeners that all bindings hold at the moment, for tests that look for leaks.
    #[wasm_bindgen(js_name = listenerCount)]
    pub fn listener_count() -> usize {
        ricordo_web::BoundForm::listener_count()
    }
}

impl Form {
    fn place(&self, path: &str) -> Result<Place<Value>, JsValue> {
        self.form.place(path).map_err(|problem| error(&problem))
    }
}

/// A page that is bound to a form.
#[wasm_bindgen]
#[derive(Debug)]
pub struct BoundForm {
    bound: Option<ricordo_web::BoundForm>,
}

impl Drop for BoundForm {
    /// Garbage collection of the handle does not end the binding.
    fn drop(&mut self) {
        if let Some(bound) = self.bound.take() {
            bound.keep();
        }
    }
}

#[wasm_bindgen]
impl BoundForm {
    /// The mistakes in the HTML: what does not fit the form.
    #[wasm_bindgen(getter, unchecked_return_type = "Mistake[]")]
    pub fn mistakes(&self) -> JsValue {
        let mistakes = js_sys::Array::new();
        for mistake in self.bound.iter().flat_map(ricordo_web::BoundForm::mistakes) {
            let object = Object::new().set("element", &mistake.element).text("message", &mistake.message);
            mistakes.push(&object.done());
        }
        mistakes.into()
    }

    /// Binds the elements that were added to the page since, and lets go of those that were removed again. Call it after your program has
    /// changed the HTML inside the bound element.
    pub fn update(&self) {
        if let Some(bound) = &self.bound {
            bound.update();
        }
    }

    /// Ends the binding, with every listener. Until then it lasts, whether or not you keep this object.
    pub fn end(&mut self) {
        self.bound = None;
    }
}

/// One call of a subscriber. Its properties are computed when they are read, so read them in the callback.
#[wasm_bindgen]
#[derive(Debug)]
pub struct Change {
    notice: ricordo::Notification<Value, ricordo::Form>,
}

#[wasm_bindgen]
impl Change {
    /// The pointer of the place that is observed; where it was, if it is gone.
    #[wasm_bindgen(getter)]
    pub fn at(&self) -> String {
        self.notice.place().pointer().as_str().to_owned()
    }

    /// Its value now.
    #[wasm_bindgen(getter, unchecked_return_type = "Json")]
    pub fn value(&self) -> Result<JsValue, JsValue> {
        to_js(&self.notice.place().value())
    }

    /// Returns whether the place is gone, as its row was removed.
    #[wasm_bindgen(getter, js_name = isGone)]
    pub fn is_gone(&self) -> bool {
        self.notice.place().is_gone()
    }

    /// The action that led here, and what it changed, in words.
    #[wasm_bindgen(getter)]
    pub fn cause(&self) -> String {
        self.notice.cause().to_string()
    }
}

/// A subscription. It lasts until it is ended, or as long as the form, whether or not you keep this object.
#[wasm_bindgen]
#[derive(Debug)]
pub struct Subscription {
    guard: Option<ricordo::Subscription>,
}

impl Drop for Subscription {
    /// Garbage collection of the handle does not end the subscription.
    fn drop(&mut self) {
        if let Some(guard) = self.guard.take() {
            guard.keep();
        }
    }
}

impl Subscription {
    fn of(guard: Result<ricordo::Subscription, ricordo::Error>, name: &JsValue) -> Result<Self, JsValue> {
        let name = optional_text("`name`", name)?;
        let guard = guard.map_err(|problem| error(&problem))?;
        Ok(Subscription { guard: Some(name.iter().fold(guard, |guard, name| guard.named(name))) })
    }
}

#[wasm_bindgen]
impl Subscription {
    /// The number of calls of the subscriber.
    #[wasm_bindgen(getter)]
    #[allow(clippy::cast_precision_loss, reason = "nobody is called so often")]
    pub fn called(&self) -> f64 {
        self.guard.as_ref().map_or(0.0, |guard| guard.counts().called as f64)
    }

    /// Ends the subscription.
    pub fn end(&mut self) {
        self.guard = None;
    }
}

fn store_of(name: Option<&str>) -> Result<DraftStore, JsValue> {
    match name {
        None | Some("tab") => Ok(DraftStore::Tab),
        Some("browser") => Ok(DraftStore::Browser),
        Some(other) => Err(convert::wrong(&format!("`store` must be “tab” or “browser”, not “{other}”"))),
    }
}

pub(crate) fn findings(findings: &[Finding]) -> JsValue {
    let list = js_sys::Array::new();
    for finding in findings {
        let object = Object::new()
            .text("kind", &finding.kind.to_string())
            .text("message", &finding.message)
            .text("path", finding.place.as_str())
            .text("label", &finding.label)
            .flag("isWarning", finding.is_warning)
            .flag("isShown", finding.is_shown);
        list.push(&object.done());
    }
    list.into()
}

fn state(state: ricordo::engine::FormState) -> JsValue {
    Object::new()
        .flag("isDirty", state.is_dirty)
        .flag("isTouched", state.is_touched)
        .flag("isValid", state.is_valid)
        .flag("isUncommitted", state.is_uncommitted)
        .flag("isPending", state.is_pending)
        .flag("canUndo", state.can_undo)
        .flag("canRedo", state.can_redo)
        .text("status", state.status.name())
        .count("submits", state.submits as u64)
        .done()
}
