//! Definitions and models that are refused, and those that are not.

use ricordo::exchange::{read_data, read_definition};
use ricordo::schema::{Kind, Part, SchemaBuilder};
use ricordo::{Form, Model, Value};

/// The definition of a form with these properties.
fn properties(properties: &str) -> String {
    format!(r#"{{"type":"object","properties":{{{properties}}}}}"#)
}

#[track_caller]
fn refused(definition: &str) -> String {
    read_definition(definition).expect_err(definition).to_string()
}

#[test]
fn constraints_that_no_value_meets_are_refused() {
    for (field, problem) in [
        (r#""type":"integer","minimum":5,"maximum":4"#, "no whole number is at least 5 and at most 4"),
        (r#""type":"number","minimum":5,"exclusiveMaximum":5"#, "no number is at least 5 and less than 5"),
        // Numbers have 28 digits: nothing lies between these.
        (
            r#""type":"number","exclusiveMinimum":0,"exclusiveMaximum":0.0000000000000000000000000001"#,
            "no number is more than 0 and less than 0.0000000000000000000000000001",
        ),
        (
            r#""type":"number","exclusiveMinimum":7.999999999999999999999999999,"exclusiveMaximum":8"#,
            "no number is more than 7.999999999999999999999999999 and less than 8",
        ),
        (
            r#""type":"integer","exclusiveMinimum":1,"exclusiveMaximum":2"#,
            "no whole number is more than 1 and less than 2",
        ),
        (
            r#""type":"number","minimum":1.1,"maximum":1.4,"multipleOf":0.5"#,
            "no multiple of 0.5 is at least 1.1 and at most 1.4",
        ),
        (
            r#""type":"integer","minimum":1,"maximum":2,"multipleOf":1.5"#,
            "no whole multiple of 1.5 is at least 1 and at most 2",
        ),
        (r#""type":"string","minLength":3,"maxLength":2"#, "no text has at least 3 and at most 2 characters"),
        (
            r#""type":"array","items":{"type":"string"},"minItems":3,"maxItems":2"#,
            "no list has at least 3 and at most 2 rows",
        ),
    ] {
        let message = refused(&properties(&format!(r#""f":{{{field}}}"#)));
        assert!(message.contains(&format!("“f”: {problem}")), "{message}");
    }
    for field in [
        r#""type":"integer","minimum":4,"maximum":4"#,
        r#""type":"integer","exclusiveMinimum":1,"exclusiveMaximum":3"#,
        r#""type":"integer","minimum":1,"maximum":3,"multipleOf":1.5"#,
        r#""type":"number","minimum":-1.4,"maximum":-1,"multipleOf":0.5"#,
        r#""type":"number","minimum":79228162514264337593543950335,"maximum":79228162514264337593543950335,"multipleOf":0.0000000000000000000000000001"#,
        r#""type":"number","exclusiveMinimum":0,"maximum":0.0000001"#,
    ] {
        read_definition(&properties(&format!(r#""f":{{{field}}}"#)))
            .unwrap_or_else(|error| panic!("{error}: {field}"));
    }
}

#[test]
fn defaults_that_would_be_found_fault_with_are_refused() {
    for (field, problem) in [
        (r#""type":"integer","minimum":1,"default":0"#, "“f”: the default is refused: Must be at least 1."),
        (
            r#""type":"string","maxLength":2,"default":"abc""#,
            "“f”: the default is refused: Use at most 2 characters (now 3).",
        ),
        (r#""enum":["a","b"],"default":"c""#, "“f”: the default is refused: “c” is not one of: a, b."),
        (
            r#""type":"string","format":"email","default":"nobody""#,
            "“f”: the default is refused: “nobody” is not an email address",
        ),
        (
            r#""type":"array","items":{"type":"integer","maximum":3},"default":[1,9]"#,
            "“f”: the default is refused at /1: Must be at most 3.",
        ),
        (
            r#""type":"integer","default":"many""#,
            "“f”: the default does not fit: the place expects a whole number",
        ),
        (
            r#""type":"array","items":{"type":"integer","minimum":1,"default":0}"#,
            "a row of “f”: the default is refused: Must be at least 1.",
        ),
    ] {
        let message = refused(&properties(&format!(r#""f":{{{field}}}"#)));
        assert!(message.contains(problem), "{message}");
    }
    // Too few rows are not a fault of a default, and an empty text is for `required` alone.
    for field in [
        r#""type":"array","items":{"type":"string"},"minItems":1,"default":[]"#,
        r#""type":"string","minLength":2,"default":"""#,
    ] {
        read_definition(&properties(&format!(r#""f":{{{field}}}"#))).unwrap();
    }
}

#[derive(Debug, Model)]
struct Contradictory {
    #[model(minimum = 5, maximum = 4)]
    loaves: u32,
}

#[derive(Debug, Model)]
struct BadDefault {
    #[model(minimum = 5, default = 4)]
    loaves: u32,
}

#[test]
fn a_model_that_contradicts_itself_is_refused_by_the_name_of_the_field() {
    if !cfg!(debug_assertions) {
        // A release build takes the model as it is: nothing is lost of what is entered, and no bound holds less.
        let form = Form::<Contradictory>::blank().unwrap();
        form.enter("/loaves", "4").unwrap();
        assert_eq!(form.place("/loaves").unwrap().entry(), "4");
        assert_eq!(form.findings()[0].message, "Must be at least 5.");
        assert!(Form::<BadDefault>::blank().unwrap().findings().len() == 1, "the default violates its bound");
        return;
    }
    let error = Form::<Contradictory>::blank().unwrap_err();
    assert_eq!(error.to_string(), "“loaves”: no whole number is at least 5 and at most 4");
    let error = Form::<BadDefault>::blank().unwrap_err();
    assert_eq!(error.to_string(), "“loaves”: the default is refused: Must be at least 5.");
}

#[test]
fn what_is_wrong_with_a_display_format_is_said_of_its_field() {
    use ricordo::schema::DisplayFormat;

    let mut builder = SchemaBuilder::new();
    let record = builder.open_record();
    let list = builder.open_list();
    let format = || DisplayFormat::Pattern("%Y".into());
    builder.item(list, Part::new(Kind::Decimal).display(format()));
    builder.field(record, "prices", Part::new(Kind::List(list))).unwrap();
    let error = builder.finish(Part::new(Kind::Record(record))).unwrap_err();
    assert_eq!(error.to_string(), "a row of “prices”: a pattern is for dates and times, not for a number");

    let message =
        refused(&properties(r#""price":{"type":"number","x-ricordo":{"display":{"decimals":30}}}"#));
    assert!(message.contains("“price”: 30 decimals are more than the 28 there can be"), "{message}");
}

#[test]
fn references_are_percent_decoded() {
    let definition = r##"{"type":"object","properties":{"a":{"$ref":"#/$defs/a%20b"},"b":{"$ref":"#/%24defs/%C3%A9~1x"}},
        "$defs":{"a b":{"type":"string"},"é/x":{"type":"integer"}}}"##;
    let schema = read_definition(definition).unwrap();
    assert!(read_data(r#"{"a":"x","b":1}"#, schema.schema()).is_ok());
    for wrong in ["#/$defs/a%2", "#/$defs/a%zz", "#/$defs/%ff", "#/$defs/%+1"] {
        let definition = properties(&format!(r#""a":{{"$ref":"{wrong}"}}"#));
        assert!(refused(&definition).contains("is not a reference within this file"), "{wrong}");
    }
}

#[test]
fn definitions_that_nothing_refers_to_are_checked_too() {
    let with = |definition: &str| {
        format!(
            r##"{{"type":"object","properties":{{"a":{{"type":"string"}}}},"$defs":{{"unused":{definition}}}}}"##
        )
    };
    for (definition, problem) in [
        (r#"{"type":"sting"}"#, "there is no type “sting”"),
        (
            r#"{"type":"object","properties":{"x":{"type":"integer","maximun":3}}}"#,
            "there is no keyword “maximun”",
        ),
        (r#"{"type":"integer","minimum":3,"maximum":2}"#, "no whole number is at least 3 and at most 2"),
        (r##"{"$ref":"#/$defs/unused"}"##, "refers to itself"),
        (r#"{"type":"string","$defs":{"inner":{"type":"sting"}}}"#, "there is no type “sting”"),
    ] {
        let message = refused(&with(definition));
        assert!(message.contains(problem), "{message}");
    }
    read_definition(&with(r##"{"type":"object","properties":{"again":{"type":["object","null"],"$defs":{"deep":{"type":"string"}},
        "properties":{"x":{"$ref":"#/$defs/unused/properties/again/$defs/deep"}}}}}"##))
    .unwrap();
}

#[test]
fn other_dialects_are_refused() {
    let in_dialect =
        |dialect: &str| format!(r#"{{"$schema":"{dialect}","type":"object","properties":{{}}}}"#);
    for dialect in
        ["https://json-schema.org/draft/2020-12/schema", "https://json-schema.org/draft/2020-12/schema#"]
    {
        read_definition(&in_dialect(dialect)).unwrap();
    }
    let message = refused(&in_dialect("http://json-schema.org/draft-07/schema#"));
    assert!(message.contains("is not the dialect of form definitions"), "{message}");
    assert!(message.contains("https://json-schema.org/draft/2020-12/schema"), "{message}");
}

#[test]
fn years_have_four_digits_in_patterns_too() {
    let definition = properties(
        r#""day":{"type":"string","format":"date","x-ricordo":{"display":{"pattern":"%d/%m/%Y"}}},
           "at":{"type":"string","format":"date-time","x-ricordo":{"display":{"pattern":"%d.%m.%Y, %H:%M"}}}"#,
    );
    let form = Form::from_schema(&read_definition(&definition).unwrap().into(), None).unwrap();
    for (text, value) in [
        ("29/02/2020", Some("2020-02-29")),
        ("1/2/0099", Some("0099-02-01")),
        ("29/02/20", None),
        ("01/01/202", None),
        ("01/01/-2020", None),
        ("01/01/0000", None),
        ("30/02/2020", None),
    ] {
        form.enter("/day", text).unwrap();
        let held = form.place("/day").unwrap().value();
        assert_eq!(
            held,
            value.map_or(Value::Blank, |value| ricordo::value::read_date(value)
                .map_or(Value::Null, Value::Date)),
            "{text}"
        );
        let found: Vec<&str> = form.findings().iter().map(|finding| finding.kind.name()).collect();
        assert_eq!(found, if value.is_some() { vec![] } else { vec!["bad_input"] }, "{text}");
    }
    form.reset().unwrap();
    form.enter("/at", "29.02.20, 04:30").unwrap();
    assert!(!form.is_valid());
    form.enter("/at", "29.02.2020, 04:30").unwrap();
    assert!(form.is_valid());
}

#[test]
fn all_that_is_wrong_with_a_definition_is_said_at_once() {
    let definition = r#"{"type": "object", "properties": {
        "contradicting": {"type": "number", "minimum": 3, "maximum": 2},
        "unknown": {"type": "strin", "default": 1},
        "list": {"type": "array", "items": {"type": "number"}, "minItems": 4, "maxItems": 2},
        "formula": {"type": "number", "x-ricordo": {"calculate": "nowhere + 1"}},
        "keyword": {"type": "number", "minimm": 1},
        "misfit": {"type": "integer", "default": "x"},
        "refused": {"type": "integer", "maximum": 3, "default": 4},
        "narrow": {"type": "number", "exclusiveMinimum": 7.5, "exclusiveMaximum": 7.5000000000000000000000000001},
        "wide": {"type": "number", "exclusiveMinimum": 7.5, "exclusiveMaximum": 7.500000000000000000000000002},
        "fine": {"type": "integer", "default": 4}
    }}"#;
    let error = read_definition(definition).unwrap_err();
    let said: Vec<String> = error.all().map(|error| error.message().into_owned()).collect();
    assert_eq!(
        said,
        [
            "“contradicting”: no number is at least 3 and at most 2",
            "there is no type “strin”; there are string, integer, number, boolean, object, array and null",
            "“list”: no list has at least 4 and at most 2 rows",
            "cannot find field “nowhere” in this record or an enclosing one",
            "there is no keyword “minimm”",
            "“misfit”: the default does not fit: the place expects a whole number, but is given a text, “x”",
            "“refused”: the default is refused: Must be at most 3.",
            "“narrow”: no number is more than 7.5 and less than 7.5000000000000000000000000001",
        ]
    );
}
