//! Typed records, and typed paths into them.
//!
//! [`Model`] describes a Rust type as a part of a form. Derive it:
//!
//! ```
//! use ricordo::{Decimal, Model};
//!
//! #[derive(Model)]
//! struct Batch {
//!     #[model(label = "Name", required, max_length = 40)]
//!     name: String,
//!     #[model(minimum = 1, maximum = 500)]
//!     loaves: u32,
//!     method: Method,
//!     notes: Option<String>,
//!     #[model(min_items = 1)]
//!     ingredients: Vec<Ingredient>,
//! }
//!
//! #[derive(Model)]
//! enum Method {
//!     #[model(label = "Straight dough")]
//!     Straight,
//!     Sourdough,
//! }
//!
//! #[derive(Model)]
//! struct Ingredient {
//!     name: String,
//!     grams: Decimal,
//! }
//!
//! let batch = ricordo::at::<Batch>();
//! let grams = batch.ingredients().at(2).grams();
//! ```
//!
//! | Rust type | in a form |
//! |---|---|
//! | `String` | a text |
//! | `bool` | a flag |
//! | `i8` to `i64`, `u8` to `u64`, `isize`, `usize` | an integer within the type's bounds |
//! | [`Decimal`](rust_decimal::Decimal), `f32`, `f64` | a decimal |
//! | `civil::Date`, `civil::Time`, `civil::DateTime` of `jiff` | a date, a time, a local date and time |
//! | [`DateTime`](crate::value::DateTime) | a date and time, with or without an offset |
//! | an enum without fields that derives [`Model`] | a choice |
//! | a struct with named fields that derives [`Model`] | a record |
//! | an enum with fields that derives [`Model`], with `#[serde(tag = "…")]` | a record with [variants](#enums-with-fields) |
//! | a struct around one other type that derives [`Model`] | the same as that type, with the attributes of its field |
//! | a type that derives [`Model`] with `#[model(scalar)]` | a text that it parses: see [`Scalar`] |
//! | `Option<T>` | the same as `T`, but it may be null |
//! | `Vec<T>` | a list |
//! | `Box<T>` | the same as `T` |
//!
//! A type without an empty value, such as a number or a choice, is required unless it is an `Option`. Attributes of a
//! field:
//!
//! | `#[model(…)]` | on | meaning |
//! |---|---|---|
//! | `label = "…"`, `description = "…"` | any field or variant (label only) | what the user reads |
//! | `required` | any field | an empty value is an error; a flag must be ticked |
//! | `min_length = N`, `max_length = N` | text | length in Unicode code points |
//! | `format = "email"`, `"url"`, `"uri"` | text | what the text must look like: see [`Format`](crate::schema::Format) |
//! | `pattern = "…"` | text | a regular expression that the whole text must match, as in HTML; needs the feature `pattern` |
//! | `trim` | text | white space around an entry is not part of the value |
//! | `minimum = N`, `maximum = N`, `exclusive_minimum = N`, `exclusive_maximum = N`, `multiple_of = N` | number | bounds and step |
//! | `minimum = "…"`, `maximum = "…"` | date, time | the earliest and the latest, as canonical text: `"2026-11-02"`; of times that go past midnight, the first and the last |
//! | `step = N` | number, date, time | how far apart values are, from the minimum on or, without it, from zero, 1970-01-01 or midnight; in days for dates, in seconds for times |
//! | `min_items = N`, `max_items = N` | list | number of rows |
//! | `unique_items` | list | no two rows hold the same value |
//! | `key = "id"` | list | the field, by its name in files, that identifies a row in upstream data: see [`Form::rebase`](crate::Form::rebase) |
//! | `default = EXPRESSION` | any field | what a new row holds |
//! | `messages(too_long = "…")` | any field, or a struct | messages instead of the library's own, by the kind of finding; of a record, for all in it. `{label}`, `{limit}` and `{actual}` are filled in |
//! | `reveal = "always"`, `"submit"` | any field | findings are shown at once, or once a submit was tried |
//! | `findings = "first"` | any field | only the first error is given or, if there is none, the first warning |
//! | `deferred(name, pause_ms = N)` | typed field | a check that takes time, by its name: see [`Form::subscribe_tickets`](crate::Form::subscribe_tickets) |
//! | `commit = "leave"`, `pause_ms = N` | typed field | text is committed when the field is left, or after a pause |
//! | `decimals = N`, `grouping`, `decimal_comma` | number | how it is shown where nobody is typing |
//! | `display = "%d/%m/%Y"` | date, time | how it is shown where nobody is typing: a pattern of `strftime` |
//! | `readonly` | any field | a person may not change it |
//! | `secret` | field | shown as `•••` in dumps, journals and messages |
//! | `local` | any field | beside the record: bound and checked, but no part of its value; its type has a [`Default`] |
//!
//! # Enums with fields
//!
//! An enum whose variants have fields is a record: its first field, the *tag*, is the choice between the variants, and the
//! others are those of the variant that is chosen. As in `serde`, `#[serde(tag = "kind")]` names the tag, and `content` the
//! field in which the fields of the variant stand if they are not beside it. The type of the tag is an enum of its own:
//!
//! ```
//! use ricordo::{Form, Model};
//!
//! #[derive(Clone, Debug, PartialEq, Model)]
//! #[serde(tag = "kind", rename_all = "snake_case")]
//! #[model(label = "Leaven")]
//! enum Leaven {
//!     #[model(label = "Baker's yeast")]
//!     Yeast { grams: u32 },
//!     Sourdough { hours: u32, #[model(trim)] starter: String },
//!     None,
//! }
//!
//! let leaven = ricordo::at::<Leaven>();
//! let form = Form::new(&Leaven::Yeast { grams: 20 })?;
//! form.enter(leaven.yeast().grams(), "25")?;
//!
//! form.set(leaven.kind(), LeavenTag::Sourdough)?;
//! form.enter(leaven.sourdough().hours(), "12")?;
//! assert_eq!(form.parse()?, Leaven::Sourdough { hours: 12, starter: String::new() });
//!
//! form.undo()?;
//! form.undo()?;
//! assert_eq!(form.parse()?, Leaven::Yeast { grams: 25 });
//! # Ok::<(), ricordo::Error>(())
//! ```
//!
//! When the tag changes, the fields of the old variant are gone, with what was typed in them; undo brings them back. A variant
//! that the baseline has comes back as its baseline, any other with its defaults. Handles to fields of a variant work again
//! when it is back.
//!
//! # Rules
//!
//! On a struct or an enum with fields, `#[model(rules = Batch::rules)]` names the function that declares its [`Rules`](crate::Rules), which every
//! form with such a record has.
//!
//! Names are as `serde` would have them: `#[serde(rename = "…")]` and `#[serde(rename_all = "…")]` are honored.

mod containers;
mod locate;
mod rule_result;
mod scalars;

use crate::schema::{Error, Part, Route, SchemaBuilder};
use crate::value::{Record, Value};

pub use containers::HoldsRows;
pub use locate::{ListAt, Locate, Path, Spot, Untyped};
pub use rule_result::{HoldsNumber, RuleResult};
pub use scalars::Scalar;

/// A Rust type whose values can be turned into form values and back.
#[diagnostic::on_unimplemented(
    message = "`{Self}` cannot be held by a form",
    label = "not a type that a form can hold",
    note = "a form holds texts (`String`), `bool`, integers, `Decimal`, `f32` and `f64`, dates and times of `jiff::civil`, enums and structs that derive `Model`, and `Option`, `Vec` and `Box` of these"
)]
pub trait Data: Sized + 'static {
    /// The type without options around it: what is there if a place is not empty.
    type Inner: Data;

    /// Returns the value in the options around it, if they are not empty.
    fn into_inner(self) -> Option<Self::Inner>;

    /// The value in the form.
    fn to_value(&self) -> Value;

    /// The Rust value of a value.
    ///
    /// # Errors
    ///
    /// Fails if the value does not fit the type.
    fn from_value(value: &Value) -> Result<Self, Error>;
}

/// A Rust type that says what it is as a part of a form. Derive it.
#[diagnostic::on_unimplemented(
    message = "`{Self}` cannot be a part of a form",
    label = "not a type that a form can be made of",
    note = "fields can be texts (`String`), `bool`, integers, `Decimal`, `f32` and `f64`, dates and times of `jiff::civil`, enums and structs that derive `Model`, and `Option`, `Vec` and `Box` of these",
    note = "if `{Self}` is your own type, put `#[derive(Model)]` on it"
)]
pub trait Model: Data {
    /// A typed path, within the model `M`, to a place that holds a `P`. It has a method for whatever is in a
    /// `Self`: for each field of a record, for the rows of a list.
    type At<M: 'static, P: Data>: Locate<M, Target = P>;

    /// Describes the type as a part of a schema.
    ///
    /// # Errors
    ///
    /// Fails if the type contradicts itself, such as by two fields of one name.
    fn part(schema: &mut SchemaBuilder) -> Result<Part, Error>;

    /// The typed path of a route.
    fn at<M: 'static, P: Data>(route: Route) -> Self::At<M, P>;

    // For derived code, which names this trait alone: a type that lacks it is one error of the compiler.

    /// The value in a form.
    #[doc(hidden)]
    fn to_member(&self) -> Value {
        self.to_value()
    }

    /// A member of a record as its Rust value.
    #[doc(hidden)]
    fn member(record: &Record, index: usize, name: &str) -> Result<Self, Error> {
        let value = record.get_near(index, name).unwrap_or(&Value::Blank);
        Self::from_value(value).map_err(|misfit| misfit.in_member(name))
    }
}

/// The typed root of the paths within a model. Cheap; needs no form.
///
/// ```
/// # use ricordo::Model;
/// #[derive(Model)]
/// struct Oven { degrees: u16 }
///
/// let oven = ricordo::at::<Oven>();
/// let degrees = oven.degrees();
/// ```
pub fn at<M: Model>() -> M::At<M, M> {
    M::at(Route::new())
}

impl Data for Value {
    type Inner = Self;

    fn into_inner(self) -> Option<Self> {
        Some(self)
    }

    fn to_value(&self) -> Value {
        self.clone()
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        Ok(value.clone())
    }
}

impl Data for Record {
    type Inner = Self;

    fn into_inner(self) -> Option<Self> {
        Some(self)
    }

    fn to_value(&self) -> Value {
        Value::Record(self.clone())
    }

    fn from_value(value: &Value) -> Result<Self, Error> {
        value.as_record().cloned().ok_or_else(|| mismatch("a record", value))
    }
}

/// The error for a value that is not what a Rust type needs.
pub(crate) fn mismatch(expected: &str, value: &Value) -> Error {
    Error::mismatch(format!("is {}, where {expected} is needed", value.sort()))
}

/// Items for derived code, and for nobody else.
#[doc(hidden)]
pub mod derived {
    use std::time::Duration;

    use super::{Model, Record, Scalar, Value, mismatch};
    use crate::schema::{MASK, Pattern, RecordId, Route, Step};

    pub use crate::schema::{
        Choice, Choices, Commit, DisplayFormat, Error, FindingKind, Findings, Format, Kind, NumberFormat,
        Part, Reveal, SchemaBuilder, StepSize,
    };
    pub use rust_decimal::Decimal;

    /// A route with a step to a field added.
    pub fn step(mut route: Route, position: u32) -> Route {
        route.push(Step::Field(position));
        route
    }

    /// A record value of the members in order.
    pub fn record<const N: usize>(members: [(&'static str, Value); N]) -> Value {
        let mut record = Record::with_capacity(N);
        for (name, value) in members {
            record.push_new(name, value);
        }
        Value::Record(record)
    }

    /// The record, which a struct needs.
    pub fn members(value: &Value) -> Result<&Record, Error> {
        value.as_record().ok_or_else(|| mismatch("a record", value))
    }

    /// The record of what a variant holds, which stands beside the tag.
    pub fn tagged(tag: &'static str, name: &'static str, held: Value) -> Value {
        let mut record = Record::with_capacity(4);
        record.push_new(tag, name.into());
        if let Value::Record(members) = held {
            members.into_members().for_each(|(name, value)| record.push_new(name, value));
        }
        Value::Record(record)
    }

    /// The tag of a record with variants.
    pub fn tag<'a>(record: &'a Record, tag: &str) -> Option<&'a str> {
        record.get_near(0, tag).and_then(Value::as_text)
    }

    /// The error for a record without the tag of a variant.
    pub fn no_tag<T>(record: &Record, tag: &str) -> Result<T, Error> {
        no_variant(record.get(tag).unwrap_or(&Value::Blank)).map_err(|error| error.in_member(tag))
    }

    /// The record that a variant holds under a name; without fields, it may be left out.
    pub fn content<'a>(record: &'a Record, content: &str) -> Result<&'a Record, Error> {
        static EMPTY: std::sync::OnceLock<Record> = std::sync::OnceLock::new();
        match record.get_near(1, content) {
            Some(held) => members(held).map_err(|error| error.in_member(content)),
            None => Ok(EMPTY.get_or_init(Record::new)),
        }
    }

    /// The record type of what a variant holds beside the tag.
    pub fn record_in(part: &Part, variant: &str) -> Result<RecordId, Error> {
        match part.kind {
            Kind::Record(record) if !part.nullable => Ok(record),
            _ => Err(Error::schema(format!(
                "the variant “{variant}” holds no record, so it needs a name for what it holds: \
                 `#[serde(tag = \"…\", content = \"…\")]`"
            ))),
        }
    }

    /// The error for a text that is none of an enum's variants.
    pub fn no_variant<T>(value: &Value) -> Result<T, Error> {
        Err(mismatch("one of the choices", value))
    }

    /// The part of the schema for a field that holds a scalar.
    pub fn part_of_scalar<T: Scalar>() -> Part {
        super::scalars::part_of_scalar::<T>()
    }

    /// The scalar in a value.
    pub fn scalar_of<T: Scalar>(value: &Value) -> Result<T, Error> {
        super::scalars::scalar_of(value)
    }

    /// The setting of one attribute. They are data, not code, so that each costs a page a few bytes.
    #[derive(Clone, Copy, Debug)]
    #[allow(missing_docs)]
    pub enum Setting {
        Label(&'static str),
        Description(&'static str),
        Required,
        MinLength(u64),
        MaxLength(u64),
        Format(&'static Format),
        Pattern(&'static str),
        Trim,
        Minimum(&'static str),
        Maximum(&'static str),
        ExclusiveMinimum(&'static str),
        ExclusiveMaximum(&'static str),
        MultipleOf(&'static str),
        /// The size of the steps, and the function that brings the code for them.
        Step(&'static str, fn(Decimal) -> StepSize),
        Earliest(&'static str),
        Latest(&'static str),
        MinItems(u64),
        MaxItems(u64),
        UniqueItems,
        Key(&'static str),
        Message(FindingKind, &'static str),
        Reveal(Reveal),
        Findings(Findings),
        /// A check that takes time, the milliseconds for which it waits, and the function that adds it, with the code for such checks.
        Deferred(&'static str, u64, fn(Part, &str, Duration) -> Part),
        Commit(Commit),
        PauseMs(u64),
        Decimals(u32),
        Grouping,
        DecimalComma,
        Display(&'static str),
        Readonly,
        Secret,
        Local,
    }

    /// Adds a check that takes time: [`Part::deferred`].
    pub const DEFERRED: fn(Part, &str, Duration) -> Part = Part::deferred;

    /// Makes the part of a type: [`Model::part`].
    pub type MakePart = fn(&mut SchemaBuilder) -> Result<Part, Error>;

    /// A field of a record, as its attributes describe it: a row of a constant table.
    #[derive(Clone, Copy, Debug)]
    #[allow(missing_docs)]
    pub struct Field {
        pub name: &'static str,
        pub part: MakePart,
        pub settings: &'static [Setting],
        pub default: Option<fn() -> Value>,
    }

    /// Adds fields to a record.
    pub fn add_fields(
        schema: &mut SchemaBuilder,
        record: RecordId,
        fields: &'static [Field],
    ) -> Result<(), Error> {
        fields.iter().try_for_each(|field| {
            let part = (field.part)(schema)?;
            let part = describe(part, field.settings, field.default)?;
            schema.field(record, field.name, part).map(drop)
        })
    }

    /// A choice between these texts, each with its label if it has one.
    pub fn choice(choices: &'static [(&'static str, Option<&'static str>)]) -> Part {
        let choices = choices.iter().map(|(name, label)| match label {
            Some(label) => Choice::new(*name).label(label),
            None => Choice::new(*name),
        });
        Part::new(Kind::Choice(Choices::new(choices))).required()
    }

    /// A part as attributes describe it.
    pub fn describe(
        mut part: Part,
        settings: &[Setting],
        default: Option<fn() -> Value>,
    ) -> Result<Part, Error> {
        for setting in settings {
            let constraints = &mut part.constraints;
            match *setting {
                Setting::Label(text) => part.label = Some(text.into()),
                Setting::Description(text) => part.description = Some(text.into()),
                Setting::Required => part = part.required(),
                Setting::MinLength(length) => constraints.min_length = Some(length),
                Setting::MaxLength(length) => constraints.max_length = Some(length),
                Setting::Format(format) => constraints.format = Some(*format),
                Setting::Pattern(pattern) => constraints.pattern = Some(Pattern::whole(pattern)?),
                Setting::Trim => part.trim = true,
                Setting::Minimum(bound) => part = part.minimum(number(bound)),
                Setting::Maximum(bound) => part = part.maximum(number(bound)),
                Setting::ExclusiveMinimum(bound) => constraints.exclusive_minimum = Some(number(bound)),
                Setting::ExclusiveMaximum(bound) => constraints.exclusive_maximum = Some(number(bound)),
                Setting::MultipleOf(step) => constraints.multiple_of = Some(number(step)),
                Setting::Step(step, new) => constraints.step = Some(new(number(step))),
                Setting::Earliest(bound) => part = part.earliest(bound),
                Setting::Latest(bound) => part = part.latest(bound),
                Setting::MinItems(count) => constraints.min_items = Some(count),
                Setting::MaxItems(count) => constraints.max_items = Some(count),
                Setting::UniqueItems => constraints.unique_items = true,
                Setting::Key(field) => part.key = Some(field.into()),
                Setting::Message(kind, message) => part = part.message(kind, message),
                Setting::Reveal(reveal) => part.reveal = reveal,
                Setting::Findings(findings) => part.findings = findings,
                Setting::Deferred(check, ..) if !part.is_field() => {
                    return Err(Error::schema(format!("the deferred check “{check}” is for a field")));
                }
                Setting::Deferred(check, pause, add) => part = add(part, check, Duration::from_millis(pause)),
                Setting::Commit(commit) => part.commit = commit,
                Setting::PauseMs(pause) => part.commit = Commit::Pause(Duration::from_millis(pause)),
                Setting::Decimals(decimals) => number_format(&mut part).decimals = Some(decimals),
                Setting::Grouping => number_format(&mut part).grouping = true,
                Setting::DecimalComma => number_format(&mut part).decimal_comma = true,
                Setting::Display(pattern) => part.display = Some(DisplayFormat::Pattern(pattern.into())),
                Setting::Readonly => part.readonly = true,
                Setting::Secret => part.secret = true,
                Setting::Local => part.local = true,
            }
        }
        if let Some(default) = default {
            part.default = Some(default());
        }
        Ok(part)
    }

    /// The number format of a part, which it gets if it has none.
    fn number_format(part: &mut Part) -> &mut NumberFormat {
        loop {
            match part.display {
                Some(DisplayFormat::Number(ref mut format)) => return format,
                _ => part.display = Some(DisplayFormat::Number(NumberFormat::default())),
            }
        }
    }

    /// The data that an event can carry.
    #[diagnostic::on_unimplemented(
        message = "`{Self}` cannot be carried by an event",
        label = "not a type that a form can hold"
    )]
    pub trait Carried {
        /// The value with `•••` for every secret in it.
        fn masked(&self) -> Value;
    }

    impl<T: Model> Carried for T {
        fn masked(&self) -> Value {
            let value = self.to_value();
            let mut builder = SchemaBuilder::new();
            let schema = T::part(&mut builder).and_then(|root| builder.finish_unchecked(root));
            // A type that contradicts itself is refused where a form is made of it; here nothing is known of it.
            schema.map_or(MASK.into(), |schema| schema.masked(&[schema.root()], &value))
        }
    }

    impl Carried for Value {
        fn masked(&self) -> Value {
            self.clone()
        }
    }

    impl Carried for Record {
        fn masked(&self) -> Value {
            Value::Record(self.clone())
        }
    }

    /// A number that the derive macro has found to be one.
    fn number(text: &str) -> Decimal {
        crate::value::read_number(text).unwrap_or_default()
    }

    macro_rules! attribute_kinds {
        ($($marker:ident, $says:literal, [$($type:ty),*];)*) => {$(
            #[diagnostic::on_unimplemented(message = $says, label = "not such a field")]
            pub trait $marker {}
            $(impl $marker for $type {})*
            impl<T: $marker> $marker for Option<T> {}
            impl<T: $marker> $marker for Box<T> {}
        )*};
    }

    attribute_kinds! {
        TextField, "`min_length`, `max_length`, `format`, `pattern` and `trim` are for text fields, not for `{Self}`", [String];
        TimeField, "a bound in quotes is for dates and times, not for `{Self}`",
            [jiff::civil::Date, jiff::civil::Time, jiff::civil::DateTime, crate::value::DateTime];
        StepField, "`step` is for numbers, dates and times, not for `{Self}`",
            [i8, i16, i32, i64, isize, u8, u16, u32, u64, usize, f32, f64, Decimal,
             jiff::civil::Date, jiff::civil::Time, jiff::civil::DateTime, crate::value::DateTime];
        NumberField, "bounds and `multiple_of` are for number fields, not for `{Self}`",
            [i8, i16, i32, i64, isize, u8, u16, u32, u64, usize, f32, f64, Decimal];
    }

    #[diagnostic::on_unimplemented(
        message = "`min_items`, `max_items`, `unique_items` and `key` are for lists, not for `{Self}`",
        label = "not such a field"
    )]
    pub trait ListField {}
    impl<T> ListField for Vec<T> {}
    impl<T: ListField> ListField for Option<T> {}
    impl<T: ListField> ListField for Box<T> {}

    /// Compiles only if an attribute suits the field's type.
    pub fn suits_text<T: TextField>() {}
    /// Compiles only if an attribute suits the field's type.
    pub fn suits_time<T: TimeField>() {}
    /// Compiles only if an attribute suits the field's type.
    pub fn suits_step<T: StepField>() {}
    /// Compiles only if an attribute suits the field's type.
    pub fn suits_number<T: NumberField>() {}
    /// Compiles only if an attribute suits the field's type.
    pub fn suits_list<T: ListField>() {}
}
