//! Expectations: what a journal says a form should be like.

use std::fmt;

use super::json::Member;
use super::members::{read_pointer, refuse_unknown};
use crate::engine::{Engine, PlaceView, Status};
use crate::schema::{Error, Finding, FindingKind, Named, Pointer, nearest};
use crate::value::{Record, Value, sort};

/// A form whose state can be inspected: an [`Engine`], or a [`Form`](crate::Form).
pub trait Inspect {
    /// Calls a function with the engine of the form.
    fn inspect(&self, inspect: &mut dyn FnMut(&Engine));
}

impl Inspect for Engine {
    fn inspect(&self, inspect: &mut dyn FnMut(&Engine)) {
        inspect(self);
    }
}

impl<T: Inspect + ?Sized> Inspect for &T {
    fn inspect(&self, inspect: &mut dyn FnMut(&Engine)) {
        (**self).inspect(inspect);
    }
}

/// The expectations of a journal about a place or, without a path, about the form. Absent members are not
/// checked.
#[derive(Clone, Default, PartialEq)]
pub struct Expectation {
    path: Option<Pointer>,
    entry: Option<String>,
    value: Option<Value>,
    dirty: Option<bool>,
    touched: Option<bool>,
    valid: Option<bool>,
    relevant: Option<bool>,
    required: Option<bool>,
    readonly: Option<bool>,
    uncommitted: Option<bool>,
    pending: Option<bool>,
    status: Option<Status>,
    display: Option<String>,
    findings: Option<Vec<FindingKind>>,
}

impl fmt::Debug for Expectation {
    /// Without texts and values, which may be those of secrets.
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter
            .debug_struct("Expectation")
            .field("path", &self.path)
            .field("findings", &self.findings)
            .finish_non_exhaustive()
    }
}

const KNOWN: [&str; 14] = [
    "path",
    "entry",
    "display",
    "value",
    "dirty",
    "touched",
    "uncommitted",
    "pending",
    "valid",
    "relevant",
    "required",
    "readonly",
    "findings",
    "status",
];

impl Expectation {
    pub(super) fn read(members: &[Member<'_>]) -> Result<Self, Error> {
        let mut expectation = Expectation::default();
        for member in members {
            let node = member.node;
            match &*member.name {
                "path" => expectation.path = Some(read_pointer(node)?),
                "entry" => expectation.entry = Some(node.string()?.into_owned()),
                "value" => expectation.value = Some(node.value()?),
                "dirty" => expectation.dirty = Some(node.flag()?),
                "touched" => expectation.touched = Some(node.flag()?),
                "valid" => expectation.valid = Some(node.flag()?),
                "relevant" => expectation.relevant = Some(node.flag()?),
                "required" => expectation.required = Some(node.flag()?),
                "readonly" => expectation.readonly = Some(node.flag()?),
                "uncommitted" => expectation.uncommitted = Some(node.flag()?),
                "pending" => expectation.pending = Some(node.flag()?),
                "status" => {
                    let name = node.string()?;
                    let status = Status::ALL.into_iter().find(|status| status.name() == name);
                    expectation.status = Some(status.ok_or_else(|| {
                        let known = Status::ALL.map(Status::name);
                        let error = node.error(format!("a status is one of: {}", known.join(", ")));
                        error.with_nearest_name(nearest(&name, known))
                    })?);
                }
                "display" => expectation.display = Some(node.string()?.into_owned()),
                "findings" => {
                    let mut kinds = Vec::new();
                    for item in node.items()? {
                        let name = item.string()?;
                        let kind = FindingKind::of_name(&name).ok_or_else(|| {
                            let near = nearest(&name, FindingKind::ALL.map(FindingKind::name));
                            item.error(format!("there is no finding “{name}”")).with_nearest_name(near)
                        })?;
                        kinds.push(kind);
                    }
                    expectation.findings = Some(kinds);
                }
                _ => {}
            }
        }
        refuse_unknown(members, &KNOWN, "expect")?;
        if let (Some(_), Some(status)) =
            (&expectation.path, members.iter().find(|member| member.name == "status"))
        {
            return Err(status.name_error("a status is that of the form, so it is expected without a “path”"));
        }
        Ok(expectation)
    }

    /// The members of the line, with secrets hidden.
    pub(super) fn members(&self, engine: &Engine) -> Record {
        let Expectation {
            path,
            entry,
            value,
            dirty,
            touched,
            valid,
            relevant,
            required,
            readonly,
            uncommitted,
            pending,
            status,
            display,
            findings,
        } = self;
        let at = path.clone().unwrap_or_default().into();
        let masked = |value: Value| engine.masked_at(&at, &value);
        let text = |text: &String| masked(text.as_str().into());
        let kinds =
            |kinds: &Vec<FindingKind>| Value::List(kinds.iter().map(|kind| kind.name().into()).collect());
        let members = [
            ("op", Some("expect".into())),
            ("path", path.as_ref().map(|path| path.as_str().into())),
            ("entry", entry.as_ref().map(text)),
            ("display", display.as_ref().map(text)),
            ("value", value.clone().map(masked)),
            ("dirty", dirty.map(Value::from)),
            ("touched", touched.map(Value::from)),
            ("uncommitted", uncommitted.map(Value::from)),
            ("pending", pending.map(Value::from)),
            ("valid", valid.map(Value::from)),
            ("relevant", relevant.map(Value::from)),
            ("required", required.map(Value::from)),
            ("readonly", readonly.map(Value::from)),
            ("findings", findings.as_ref().map(kinds)),
            ("status", status.map(|status| status.name().into())),
        ];
        members.into_iter().filter_map(|(name, value)| Some((name, value?))).collect()
    }

    /// Compares a form with the expectation, and returns a sentence for each difference; none if the form is as expected. `form` is an
    /// [`Engine`] or a [`Form`](crate::Form).
    ///
    /// ```
    /// # use ricordo::{Form, Model, exchange::{Command, read_journal}};
    /// # #[derive(Model)] struct Batch { loaves: u32 }
    /// # let form = Form::new(&Batch { loaves: 12 })?;
    /// let journal = read_journal(r#"{"op":"expect","path":"/loaves","value":24}"#)?;
    /// let Command::Expect(expectation) = &journal[0].command else { unreachable!() };
    /// assert_eq!(expectation.check(&form), ["expected value 24 at /loaves, found 12"]);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn check(&self, form: &impl Inspect) -> Vec<String> {
        let mut differences = Vec::new();
        form.inspect(&mut |engine| differences = self.differences(engine));
        differences
    }

    fn differences(&self, engine: &Engine) -> Vec<String> {
        let pointer = self.path.clone().unwrap_or_default();
        let place = match engine.locate(&pointer.clone().into()) {
            Ok(place) => engine.view(place),
            Err(refused) => return vec![refused.to_string()],
        };
        let mut differences = Vec::new();
        let mut differ = |what: &str, expected: String, found: String| {
            differences.push(format!("expected {what} {expected} at {}, found {found}", Named(&pointer)));
        };
        // Messages show neither the value nor the expected value of a secret.
        let at = pointer.clone().into();
        let said = |value: Value| engine.masked_at(&at, &value).to_string();
        let texts =
            [("entry", &self.entry, place.entry().into_owned()), ("display", &self.display, place.display())];
        for (what, expected, found) in texts {
            if let Some(expected) = expected.as_ref().filter(|expected| **expected != found) {
                differ(what, said(expected.as_str().into()), said(found.into()));
            }
        }
        if let Some(value) = &self.value
            && !engine.holds(place.id(), value)
        {
            differ("value", said(value.clone()), place.masked_value().to_string());
        }
        let mut differ = |what: &str, expected: String, found: String| {
            if expected != found {
                differ(what, expected, found);
            }
        };
        let is_pending = if self.path.is_some() { place.is_pending() } else { engine.state().is_pending };
        let flags = [
            ("dirty", self.dirty, place.is_dirty()),
            ("touched", self.touched, place.is_touched()),
            ("valid", self.valid, place.is_valid()),
            ("relevant", self.relevant, place.is_relevant()),
            ("required", self.required, place.is_required()),
            ("readonly", self.readonly, place.is_readonly()),
            ("uncommitted", self.uncommitted, place.is_uncommitted()),
            ("pending", self.pending, is_pending),
        ];
        for (what, expected, found) in flags {
            if let Some(expected) = expected {
                differ(what, expected.to_string(), found.to_string());
            }
        }
        if let Some(status) = self.status {
            differ("status", status.name().to_owned(), engine.status().name().to_owned());
        }
        if let Some(kinds) = &self.findings {
            differ("findings", names(kinds.clone()), names(self.found(place)));
        }
        differences
    }

    /// The kinds of findings: of the place itself or, without a path, anywhere in the form.
    fn found(&self, place: PlaceView<'_>) -> Vec<FindingKind> {
        let findings: Vec<Finding> =
            if self.path.is_some() { place.findings() } else { place.all_findings() };
        findings.into_iter().map(|finding| finding.kind).collect()
    }
}

fn names(mut kinds: Vec<FindingKind>) -> String {
    sort(&mut kinds);
    let names: Vec<&str> = kinds.into_iter().map(FindingKind::name).collect();
    format!("[{}]", names.join(", "))
}
