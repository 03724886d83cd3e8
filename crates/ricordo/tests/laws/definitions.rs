//! Generated form definitions, and data for them.

use proptest::prelude::*;
use serde_json::{Map, Value as Json, json};

/// The kind of a place.
#[derive(Clone, Debug, PartialEq)]
pub enum Definition {
    Text {
        max: usize,
    },
    Integer {
        nullable: bool,
        minimum: i64,
        maximum: i64,
    },
    /// One that must be ticked can only be true in a schema, but may be false in a form.
    Flag {
        ticked: bool,
    },
    Choice,
    /// The field that says which variant a record is: one of the first so many of [`KINDS`].
    Tag {
        kinds: usize,
    },
    Date,
    /// A record whose further fields depend on its tag: some for each of [`KINDS`].
    Variants {
        nullable: bool,
        variants: Vec<Vec<Field>>,
    },
    Record {
        nullable: bool,
        fields: Vec<Field>,
    },
    List {
        nullable: bool,
        least: usize,
        most: usize,
        unique: bool,
        item: Box<Definition>,
    },
}

#[derive(Clone, Debug, PartialEq)]
pub struct Field {
    pub name: String,
    pub required: bool,
    pub definition: Definition,
    pub manner: Manner,
}

/// The treatment of a field.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Manner {
    pub commit: Commit,
    pub readonly: bool,
    pub local: bool,
    /// Whether a text is trimmed, and a date is written by a pattern.
    pub styled: bool,
}

#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub enum Commit {
    #[default]
    Input,
    Leave,
    Pause,
}

/// The name of the tag.
pub const TAG: &str = "kind";

/// The values of a tag; the first few have a variant each.
pub const KINDS: [&str; 3] = ["rye", "poolish", "straight"];

/// The pause, in milliseconds.
pub const PAUSE: u64 = 200;

impl Field {
    fn schema(&self) -> Json {
        let mut schema = self.definition.schema();
        let Manner { commit, readonly, local, styled } = self.manner;
        let commit = match commit {
            Commit::Input => json!("input"),
            Commit::Leave => json!("leave"),
            Commit::Pause => json!({"pause_ms": PAUSE}),
        };
        schema["x-ricordo"] = json!({"local": local, "commit": commit});
        match self.definition {
            Definition::Text { .. } if styled => schema["x-ricordo"]["trim"] = json!(true),
            Definition::Date if styled => {
                schema["x-ricordo"]["display"] = json!({"pattern": "%d/%m/%Y"});
            }
            _ => {}
        }
        schema["readOnly"] = json!(readonly);
        schema
    }
}

/// The dates in data, and in what is typed.
pub const DATES: [&str; 2] = ["2026-11-25", "2024-02-29"];

/// A source of figures that are the same whenever the seed is.
pub struct Seed(pub u64);

impl Seed {
    pub fn below(&mut self, bound: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % bound
    }
}

impl Definition {
    pub fn schema(&self) -> Json {
        match self {
            Definition::Text { max } => json!({"type": "string", "maxLength": max}),
            Definition::Integer { nullable, minimum, maximum } => {
                let kind = if *nullable { json!(["integer", "null"]) } else { json!("integer") };
                json!({"type": kind, "minimum": minimum, "maximum": maximum})
            }
            Definition::Flag { ticked: false } => json!({"type": "boolean", "default": false}),
            Definition::Flag { ticked: true } => json!({"type": "boolean", "default": false, "const": true}),
            Definition::Date => json!({"type": "string", "format": "date"}),
            Definition::Choice => {
                json!({"oneOf": [{"const": "straight", "title": "Straight dough"}, {"const": "poolish"}]})
            }
            Definition::Tag { .. } => panic!("a tag is defined in each variant"),
            Definition::Variants { nullable, variants } => {
                let variants = variants.iter().zip(KINDS).map(|(fields, kind)| {
                    let mut schema = record_schema(fields);
                    if kind == "straight" {
                        schema["title"] = json!("Straight dough");
                    }
                    schema["properties"][TAG] = json!({"const": kind});
                    schema
                });
                let absent = json!({"type": "null"});
                let variants: Vec<Json> = variants.collect();
                match (nullable, &variants[..]) {
                    (false, _) => json!({"oneOf": variants}),
                    // One of a single record and null is that record, if it is there.
                    (true, [_]) => json!({"anyOf": [{"oneOf": variants}, absent]}),
                    (true, _) => json!({"oneOf": variants.into_iter().chain([absent]).collect::<Vec<_>>()}),
                }
            }
            Definition::Record { nullable, fields } => {
                let mut schema = record_schema(fields);
                schema["type"] = if *nullable { json!(["object", "null"]) } else { json!("object") };
                schema
            }
            Definition::List { nullable, least, most, unique, item } => {
                let kind = if *nullable { json!(["array", "null"]) } else { json!("array") };
                json!({"type": kind, "minItems": least, "maxItems": most, "uniqueItems": unique, "items": item.schema()})
            }
        }
    }

    /// Data that fits, and is there.
    pub fn present(&self, seed: &mut Seed) -> Json {
        loop {
            let data = self.data(seed);
            if data != Json::Null {
                return data;
            }
        }
    }

    /// Data that fits. Few different values, so that rows are often equal; some members are left out.
    pub fn data(&self, seed: &mut Seed) -> Json {
        match self {
            Definition::Text { .. } => json!(["", "rye", "spelt", "wholemeal"][seed.below(4)]),
            Definition::Integer { nullable: true, .. } if seed.below(3) == 0 => Json::Null,
            Definition::Integer { .. } => json!(seed.below(9)),
            Definition::Flag { .. } => json!(seed.below(2) == 0),
            Definition::Date => json!(DATES[seed.below(2)]),
            Definition::Choice => json!(["straight", "poolish", "overnight"][seed.below(3)]),
            Definition::Tag { .. } => json!([KINDS[0], KINDS[1], KINDS[2], "overnight"][seed.below(4)]),
            Definition::Record { nullable: true, .. } | Definition::Variants { nullable: true, .. }
                if seed.below(3) == 0 =>
            {
                Json::Null
            }
            Definition::Record { fields, .. } => Json::Object(members(fields, seed)),
            Definition::Variants { variants, .. } => {
                let kind = seed.below(variants.len() + 1);
                let mut members = variants.get(kind).map(|fields| members(fields, seed)).unwrap_or_default();
                match variants.get(kind) {
                    Some(_) => _ = members.insert(TAG.to_owned(), json!(KINDS[kind])),
                    None if seed.below(2) == 0 => _ = members.insert(TAG.to_owned(), json!("overnight")),
                    None => {}
                }
                Json::Object(members)
            }
            Definition::List { nullable: true, .. } if seed.below(4) == 0 => Json::Null,
            Definition::List { item, .. } => (0..seed.below(5)).map(|_| item.data(seed)).collect(),
        }
    }
}

fn record_schema(fields: &[Field]) -> Json {
    let properties: Map<String, Json> =
        fields.iter().map(|field| (field.name.clone(), field.schema())).collect();
    let required: Vec<&str> =
        fields.iter().filter(|field| field.required).map(|field| field.name.as_str()).collect();
    json!({"type": "object", "properties": properties, "required": required})
}

/// Members for some of the fields.
fn members(fields: &[Field], seed: &mut Seed) -> Map<String, Json> {
    let mut members = Map::new();
    for field in fields.iter().filter(|field| !field.manner.local) {
        if seed.below(4) > 0 {
            members.insert(field.name.clone(), field.definition.data(seed));
        }
    }
    members
}

/// A form: a record that is always there.
pub fn record() -> impl Strategy<Value = Definition> {
    let leaf =
        prop_oneof![
            (3..9_usize).prop_map(|max| Definition::Text { max }),
            (any::<bool>(), 0..3_i64, 5..20_i64)
                .prop_map(|(nullable, minimum, maximum)| Definition::Integer { nullable, minimum, maximum }),
            any::<bool>().prop_map(|ticked| Definition::Flag { ticked }),
            Just(Definition::Choice),
            Just(Definition::Date),
        ];
    let place = leaf.prop_recursive(3, 14, 4, |inner| {
        prop_oneof![
            (any::<bool>(), fields(inner.clone()))
                .prop_map(|(nullable, fields)| Definition::Record { nullable, fields }),
            (any::<bool>(), prop::collection::vec(fields(inner.clone()), 1..4))
                .prop_map(|(nullable, variants)| Definition::Variants { nullable, variants }),
            (prop::bool::weighted(0.3), 0..2_usize, 2..5_usize, any::<bool>(), inner).prop_map(
                |(nullable, least, most, unique, item)| {
                    Definition::List { nullable, least, most, unique, item: Box::new(item) }
                },
            ),
        ]
    });
    fields(place).prop_map(|fields| Definition::Record { nullable: false, fields })
}

fn fields(place: impl Strategy<Value = Definition>) -> impl Strategy<Value = Vec<Field>> {
    let names = ["name", "a/b", "m~n", "grams", ""];
    prop::collection::vec((any::<bool>(), place, manner()), 1..5).prop_map(move |parts| {
        let named = parts.into_iter().zip(names);
        named
            .map(|((required, definition, mut manner), name)| {
                // Only text can wait to be committed.
                if !matches!(definition, Definition::Text { .. } | Definition::Integer { .. }) {
                    manner.commit = Commit::Input;
                }
                Field { name: name.to_owned(), required, definition, manner }
            })
            .collect()
    })
}

/// Most fields are dealt with as usual.
fn manner() -> impl Strategy<Value = Manner> {
    let commit = prop_oneof![4 => Just(Commit::Input), 1 => Just(Commit::Leave), 1 => Just(Commit::Pause)];
    (commit, prop::bool::weighted(0.1), prop::bool::weighted(0.15), any::<bool>())
        .prop_map(|(commit, readonly, local, styled)| Manner { commit, readonly, local, styled })
}
