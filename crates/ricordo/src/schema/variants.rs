//! Variants: the further fields of a record, which depend on the value of its first field.
//!
//! The first field of a record with variants is its *tag*, a choice. Each choice has a variant, a record type whose fields
//! stand in the record as if they were its own while the tag has that value. In a form, each variant is an optional record
//! with an address but without a name: pointers and values pass over it.

use std::sync::Arc;

use super::{Error, Kind, Part, PartId, RecordId, Schema, SchemaBuilder, Step};
use crate::value::{Record, Value};

/// The further fields that a record has while its tag has a certain value.
#[derive(Clone, Debug)]
pub struct Variant {
    pub(super) tag: Value,
    pub(super) part: PartId,
    pub(super) fields: RecordId,
}

impl Variant {
    /// The value of the tag.
    pub fn tag(&self) -> &Value {
        &self.tag
    }

    /// The record type with the further fields.
    pub fn fields(&self) -> RecordId {
        self.fields
    }

    /// The part of the place that holds the fields.
    pub(crate) fn part(&self) -> PartId {
        self.part
    }
}

impl SchemaBuilder {
    /// Adds a variant to a record type: while its first field, a choice, holds `tag`, the record also has the fields of
    /// another record type.
    ///
    /// ```
    /// use ricordo::Value;
    /// use ricordo::schema::{Choice, Choices, Kind, Part, SchemaBuilder};
    ///
    /// let mut builder = SchemaBuilder::new();
    /// let (leaven, yeast, sourdough) = (builder.open_record(), builder.open_record(), builder.open_record());
    /// let kinds = Choices::new([Choice::new("yeast"), Choice::new("sourdough")]);
    /// builder.field(leaven, "kind", Part::new(Kind::Choice(kinds)).required())?;
    /// builder.field(yeast, "grams", Part::new(Kind::Decimal))?;
    /// builder.field(sourdough, "hours", Part::new(Kind::Integer))?;
    /// builder.variant(leaven, "yeast", yeast)?;
    /// builder.variant(leaven, "sourdough", sourdough)?;
    /// let schema = builder.finish(Part::new(Kind::Record(leaven)))?;
    ///
    /// let form = ricordo::Form::from_schema(&schema.into(), None)?;
    /// form.set("/kind", "sourdough".into())?;
    /// form.enter("/hours", "12")?;
    /// assert_eq!(form.value().to_string(), r#"{"kind":"sourdough","hours":12}"#);
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    ///
    /// # Errors
    ///
    /// Fails if the record type has no first field that is a choice and offers the tag, or has a variant for the tag.
    pub fn variant(
        &mut self,
        record: RecordId,
        tag: impl Into<Value>,
        fields: RecordId,
    ) -> Result<PartId, Error> {
        let tag = tag.into();
        let first = self.records[record.0 as usize].fields.entry_at(0);
        let refuse = |problem: String| Err(Error::schema(problem));
        let Some((name, first)) = first.map(|(name, part)| (name.clone(), *part)) else {
            return refuse("a record with variants needs a first field that tells them apart".to_owned());
        };
        let part = &mut self.parts[first.0 as usize];
        let Kind::Choice(choices) = &part.kind else {
            return refuse(format!("“{name}” tells variants apart, so it has to be a choice"));
        };
        if !choices.iter().any(|choice| choice.value == tag) {
            return refuse(format!(
                "there is a variant for “{}”, which is not one of {choices}",
                tag.to_text()
            ));
        }
        if part.local || part.secret {
            return refuse(format!("“{name}” tells variants apart, so it can be neither local nor secret"));
        }
        if self.records[record.0 as usize].variants.iter().any(|variant| variant.tag == tag) {
            return refuse(format!("there are two variants for “{}”", tag.to_text()));
        }
        part.is_tag = true;
        let mut part = Part::new(Kind::Record(fields)).nullable();
        part.is_variant = true;
        let part = self.add(part);
        self.records[record.0 as usize].variants.push(Variant { tag, part, fields });
        Ok(part)
    }
}

impl Schema {
    /// The variants of a record type: one for each choice of its first field; none if the type has no variants.
    ///
    /// ```
    /// # use ricordo::{Model, form, schema::Kind};
    /// #[derive(Model)]
    /// #[serde(tag = "kind", rename_all = "snake_case")]
    /// enum Leaven {
    ///     Yeast { grams: u32 },
    ///     Sourdough { hours: u32 },
    /// }
    ///
    /// let compiled = form::schema_of::<Leaven>()?;
    /// let schema = compiled.schema();
    /// let Kind::Record(leaven) = schema.part(schema.root()).kind else { panic!("an enum with data is a record") };
    /// let sourdough = &schema.variants(leaven)[1];
    /// assert_eq!(sourdough.tag(), &"sourdough".into());
    /// assert_eq!(schema.fields(sourdough.fields()).next().unwrap().0, "hours");
    /// # Ok::<(), ricordo::Error>(())
    /// ```
    pub fn variants(&self, record: RecordId) -> &[Variant] {
        &self.records[record.0 as usize].variants
    }

    /// Returns whether any record type has variants.
    pub(crate) fn has_variants(&self) -> bool {
        self.records.iter().any(|of_type| !of_type.variants.is_empty())
    }

    /// The name and part of the field that tells the variants of a record apart, if it has any.
    pub(crate) fn tag(&self, record: RecordId) -> Option<(&Arc<str>, PartId)> {
        let of_type = &self.records[record.0 as usize];
        if of_type.variants.is_empty() {
            return None;
        }
        of_type.fields.entry_at(0).map(|(name, part)| (name, *part))
    }

    /// The place at a position in a record of this type: the name and part of one of its fields or, after those, the part of
    /// one of its variants.
    pub(crate) fn member_at(&self, record: RecordId, position: u32) -> Option<(Option<&Arc<str>>, PartId)> {
        let of_type = &self.records[record.0 as usize];
        let position = position as usize;
        match of_type.fields.entry_at(position) {
            Some((name, part)) => Some((Some(name), *part)),
            None => of_type.variants.get(position - of_type.fields.len()).map(|variant| (None, variant.part)),
        }
    }

    /// The record type itself, and then those of its variants, each with its position among the members.
    fn with_variants(&self, record: RecordId) -> impl Iterator<Item = (Option<usize>, RecordId)> {
        let of_type = &self.records[record.0 as usize];
        let positions = of_type.fields.len()..;
        let variants = of_type.variants.iter().zip(positions);
        std::iter::once((None, record)).chain(variants.map(|(variant, at)| (Some(at), variant.fields)))
    }

    /// The parts of all fields of this name that records of this type may have: several variants may have one each.
    pub(crate) fn fields_named(&self, record: RecordId, name: &str) -> impl Iterator<Item = PartId> {
        self.with_variants(record).filter_map(|(_, record)| Some(self.field(record, name)?.1))
    }

    /// The part of the field of this name that a record with these members has.
    pub(crate) fn field_of(&self, record: RecordId, members: &Record, name: &str) -> Option<PartId> {
        let chosen = || self.chosen(record, members).map(|(_, variant)| variant.fields);
        let (_, part) = self.field(record, name).or_else(|| self.field(chosen()?, name))?;
        Some(part)
    }

    /// The names of all fields that records of this type may have.
    pub(crate) fn names(&self, record: RecordId) -> impl Iterator<Item = &str> {
        self.with_variants(record).flat_map(|(_, record)| self.fields(record).map(|(name, _)| name))
    }

    /// The way from a part to the field of a name: several variants may have one each.
    pub(crate) fn ways_to(&self, record: RecordId, name: &str) -> Vec<(Vec<u32>, PartId)> {
        let ways = self.with_variants(record).filter_map(|(at, record)| {
            let (slot, part) = self.field(record, name)?;
            let at = at.and_then(|at| u32::try_from(at).ok());
            Some((at.into_iter().chain([slot]).collect(), part))
        });
        ways.collect()
    }

    /// The part to which a step leads from another, and its name, if it has one: rows have none, and neither have variants.
    pub(crate) fn behind(&self, part: PartId, step: Step) -> Option<(Option<&Arc<str>>, PartId)> {
        match (step, &self.part(part).kind) {
            (Step::Field(position), Kind::Record(record)) => self.member_at(*record, position),
            (Step::Row(_) | Step::EachRow, Kind::List(list)) => Some((None, self.item(*list))),
            _ => None,
        }
    }

    /// The variant that a record with these fitted members has, and its position.
    fn chosen(&self, record: RecordId, members: &Record) -> Option<(usize, &Variant)> {
        let (name, _) = self.tag(record)?;
        let tag = members.get_near(0, name)?;
        self.variants(record).iter().enumerate().find(|(_, variant)| variant.tag == *tag)
    }

    /// Returns the values of each variant, given the fitted members of the record: all members that are not
    /// the record's own fields go to the variant it has.
    pub(crate) fn in_variants(&self, record: RecordId, members: &Record) -> Vec<Value> {
        let chosen = self.chosen(record, members).map(|(position, _)| position);
        let held = (0..self.variants(record).len()).map(|position| {
            if chosen != Some(position) {
                return Value::Blank;
            }
            let mut held = Record::new();
            for (name, value) in members.members().filter(|(name, _)| self.field(record, name).is_none()) {
                held.push_new(name.clone(), value.clone());
            }
            Value::Record(held)
        });
        held.collect()
    }

    /// Refuses a record type with variants that cannot be told apart, or whose fields cannot.
    pub(super) fn check_variants(&self) -> Result<(), Error> {
        for record in (0..).map(RecordId).take(self.records.len()) {
            let Some((tag, part)) = self.tag(record) else { continue };
            let refuse = |problem: String| Err(Error::of_part(part, false, None, problem));
            let choices = self.part(part).kind.choices().into_iter().flat_map(|choices| choices.iter());
            for choice in choices {
                if !self.variants(record).iter().any(|variant| variant.tag == choice.value) {
                    return refuse(format!("“{tag}” has no variant for “{}”", choice.value.to_text()));
                }
            }
            for variant in self.variants(record) {
                let called = variant.tag.to_text();
                if !self.variants(variant.fields).is_empty() {
                    return refuse(format!(
                        "the fields of “{called}” depend on another field again; put them into a record of their own"
                    ));
                }
                if let Some((name, _)) =
                    self.fields(variant.fields).find(|(name, _)| self.field(record, name).is_some())
                {
                    return refuse(format!(
                        "both the record and its variant “{called}” have a field “{name}”"
                    ));
                }
            }
        }
        Ok(())
    }
}
