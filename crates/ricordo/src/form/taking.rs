//! Taking the finished record out of a form, and beginning the next.

use std::borrow::Cow;
use std::fmt;
use std::marker::PhantomData;

use super::{Form, address};
use crate::engine::{Action, Address};
use crate::model::{Locate, Model};
use crate::schema::Error;
use crate::value::Value;

/// The fields that keep their values for the next entry.
pub struct Keep<M> {
    fields: Vec<Result<Address, Error>>,
    model: PhantomData<fn() -> M>,
}

impl<M> Default for Keep<M> {
    fn default() -> Self {
        Keep { fields: Vec::new(), model: PhantomData }
    }
}

impl<M> fmt::Debug for Keep<M> {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_struct("Keep").field("fields", &self.fields.len()).finish()
    }
}

impl<M> Keep<M> {
    /// Nothing is kept.
    pub fn nothing() -> Self {
        Keep::default()
    }

    /// This field keeps its value, too.
    pub fn field<L: Locate<M>>(mut self, at: L) -> Self {
        self.fields.push(address(at));
        self
    }
}

impl<M: Model> Form<M> {
    /// Takes the finished record, and starts again for the next: from the defaults and blanks, except for the fields
    /// that are kept. The form is pristine then, and nothing done before can be undone. If the form has errors, they
    /// are shown, and the form stays as it is.
    ///
    /// ```
    /// # use ricordo::{Form, Model, form::Keep};
    /// #[derive(Model)]
    /// struct Ingredient { #[model(required)] name: String, kind: String, grams: u32 }
    ///
    /// let form = Form::<Ingredient>::blank()?;
    /// let ingredient = ricordo::at::<Ingredient>();
    /// form.enter(ingredient.name(), "Rye flour")?;
    /// form.enter(ingredient.kind(), "flour")?;
    /// form.enter(ingredient.grams(), "400")?;
    ///
    /// let record = form.take(Keep::nothing().field(ingredient.kind()))?;
    /// assert_eq!((record.name.as_str(), record.grams), ("Rye flour", 400));
    /// assert_eq!(form.value().to_string(), r#"{"kind":"flour"}"#);
    /// assert!(!form.is_dirty());
    /// assert!(form.take(Keep::nothing()).is_err(), "a name is needed, and grams");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if there are findings other than warnings, and shows them; the values stay as they are. The error has all of
    /// them ([`Error::findings`]).
    #[allow(clippy::needless_pass_by_value, reason = "said once, and used up")]
    pub fn take(&self, keep: Keep<M>) -> Result<M, Error> {
        // What still waits for its field to be left counts.
        self.apply(Action::Leave { at: self.core.root().into(), by: None })?;
        let Ok(record) = self.parse() else {
            self.show_findings()?;
            return self.parse();
        };
        let kept = keep.fields.into_iter().map(|at| {
            let place = self.core.locate(&at?)?;
            Ok(self.core.view(place, |view| (view.part().local, view.pointer(), view.value())))
        });
        let kept: Vec<_> = kept.collect::<Result<_, Error>>()?;
        let mut next = self.core.read(|engine| engine.schema().blank(engine.schema().root()));
        let mut beside = Vec::new();
        for (is_local, pointer, value) in kept {
            if is_local {
                beside.push(Action::Replace { at: pointer.into(), value });
                continue;
            }
            let tokens: Vec<_> = pointer.tokens().map(Cow::into_owned).collect();
            put(&mut next, &tokens, value);
        }
        let reset = Action::ResetTo { value: next };
        self.apply(if beside.is_empty() {
            reset
        } else {
            Action::Group(std::iter::once(reset).chain(beside).collect())
        })?;
        Ok(record)
    }
}

/// Puts a value at a way of names in a record; what lies on the way is made if need be.
fn put(record: &mut Value, way: &[String], value: Value) {
    let Some((name, rest)) = way.split_first() else {
        *record = value;
        return;
    };
    let mut members = match std::mem::take(record) {
        Value::Record(members) => members,
        _ => crate::value::Record::new(),
    };
    let mut member = members.get(name).cloned().unwrap_or_default();
    put(&mut member, rest, value);
    members.insert(name.as_str(), member);
    *record = Value::Record(members);
}
