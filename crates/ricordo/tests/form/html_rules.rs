//! Constraint validation of the HTML Living Standard (section 4.10.21), as a table: an input with these attributes, what is typed,
//! and what it suffers from.

use ricordo::Form;

/// The definition of a field, what is typed, and the kinds of findings.
type Rule = (&'static str, &'static str, &'static [&'static str]);

const RULES: &[Rule] = &[
    // required
    (r#"{"type": "string"}"#, "", &["value_missing"]),
    (r#"{"type": "string"}"#, " ", &[]),
    (r#"{"type": "integer"}"#, "", &["value_missing"]),
    (r#"{"type": "string", "format": "date"}"#, "", &["value_missing"]),
    (r#"{"type": "boolean", "const": true}"#, "false", &["value_missing"]),
    (r#"{"type": "boolean", "const": true}"#, "true", &[]),
    // type=number: valid floating-point numbers (section 2.3.4.3)
    (r#"{"type": "number"}"#, "0", &[]),
    (r#"{"type": "number"}"#, "-0", &[]),
    (r#"{"type": "number"}"#, "00012", &[]),
    (r#"{"type": "number"}"#, ".5", &[]),
    (r#"{"type": "number"}"#, "-.5", &[]),
    (r#"{"type": "number"}"#, "1e2", &[]),
    (r#"{"type": "number"}"#, "1E-2", &[]),
    (r#"{"type": "number"}"#, "1e+2", &[]),
    (r#"{"type": "number"}"#, "1.", &["bad_input"]),
    (r#"{"type": "number"}"#, "+1", &["bad_input"]),
    (r#"{"type": "number"}"#, "1,5", &["bad_input"]),
    (r#"{"type": "number"}"#, "1e", &["bad_input"]),
    (r#"{"type": "number"}"#, "--1", &["bad_input"]),
    (r#"{"type": "number"}"#, "0x10", &["bad_input"]),
    (r#"{"type": "number"}"#, "Infinity", &["bad_input"]),
    (r#"{"type": "number"}"#, "NaN", &["bad_input"]),
    (r#"{"type": "number"}"#, "one", &["bad_input"]),
    (r#"{"type": "integer"}"#, "1.5", &["bad_input"]),
    (r#"{"type": "integer"}"#, "1.0", &[]),
    // min and max
    (r#"{"type": "number", "minimum": 1, "maximum": 3}"#, "1", &[]),
    (r#"{"type": "number", "minimum": 1, "maximum": 3}"#, "0.999", &["range_underflow"]),
    (r#"{"type": "number", "minimum": 1, "maximum": 3}"#, "3", &[]),
    (r#"{"type": "number", "minimum": 1, "maximum": 3}"#, "3.001", &["range_overflow"]),
    // step: from the minimum, or else from zero
    (r#"{"type": "number", "x-ricordo": {"step": 1}}"#, "2", &[]),
    (r#"{"type": "number", "x-ricordo": {"step": 1}}"#, "2.5", &["step_mismatch"]),
    (r#"{"type": "number", "x-ricordo": {"step": 0.1}}"#, "0.3", &[]),
    (r#"{"type": "number", "x-ricordo": {"step": 0.1}}"#, "0.35", &["step_mismatch"]),
    (r#"{"type": "number", "x-ricordo": {"step": 3}}"#, "-3", &[]),
    (r#"{"type": "number", "x-ricordo": {"step": 3}}"#, "-2", &["step_mismatch"]),
    (r#"{"type": "number", "minimum": 1, "x-ricordo": {"step": 3}}"#, "4", &[]),
    (r#"{"type": "number", "minimum": 1, "x-ricordo": {"step": 3}}"#, "3", &["step_mismatch"]),
    (r#"{"type": "number", "minimum": 1, "x-ricordo": {"step": 3}}"#, "-2", &["range_underflow"]),
    (
        r#"{"type": "number", "minimum": 1, "x-ricordo": {"step": 3}}"#,
        "-1",
        &["range_underflow", "step_mismatch"],
    ),
    (
        r#"{"type": "number", "minimum": 0.5, "maximum": 2, "x-ricordo": {"step": 0.5}}"#,
        "2.2",
        &["range_overflow", "step_mismatch"],
    ),
    // type=date (sections 2.3.5.2 and 4.10.5.1.7)
    (r#"{"type": "string", "format": "date"}"#, "2026-11-23", &[]),
    (r#"{"type": "string", "format": "date"}"#, "2024-02-29", &[]),
    (r#"{"type": "string", "format": "date"}"#, "2026-02-29", &["bad_input"]),
    (r#"{"type": "string", "format": "date"}"#, "2026-1-1", &["bad_input"]),
    (r#"{"type": "string", "format": "date"}"#, "26-01-01", &["bad_input"]),
    (r#"{"type": "string", "format": "date"}"#, "2026-13-01", &["bad_input"]),
    (r#"{"type": "string", "format": "date"}"#, "2026-11-31", &["bad_input"]),
    (r#"{"type": "string", "format": "date"}"#, "0000-01-01", &["bad_input"]),
    (
        r#"{"type": "string", "format": "date", "x-ricordo": {"minimum": "2026-11-02"}}"#,
        "2026-11-01",
        &["range_underflow"],
    ),
    (
        r#"{"type": "string", "format": "date", "x-ricordo": {"maximum": "2026-11-02"}}"#,
        "2026-11-03",
        &["range_overflow"],
    ),
    (r#"{"type": "string", "format": "date", "x-ricordo": {"step": 7}}"#, "1970-01-08", &[]),
    (r#"{"type": "string", "format": "date", "x-ricordo": {"step": 7}}"#, "1970-01-07", &["step_mismatch"]),
    (r#"{"type": "string", "format": "date", "x-ricordo": {"step": 7}}"#, "1969-12-25", &[]),
    (
        r#"{"type": "string", "format": "date", "x-ricordo": {"minimum": "2026-11-02", "step": 7}}"#,
        "2026-11-16",
        &[],
    ),
    (
        r#"{"type": "string", "format": "date", "x-ricordo": {"minimum": "2026-11-02", "step": 7}}"#,
        "2026-11-17",
        &["step_mismatch"],
    ),
    // type=time (sections 2.3.5.4 and 4.10.5.1.10)
    (r#"{"type": "string", "format": "time"}"#, "04:30", &[]),
    (r#"{"type": "string", "format": "time"}"#, "04:30:15", &[]),
    (r#"{"type": "string", "format": "time"}"#, "04:30:15.5", &[]),
    (r#"{"type": "string", "format": "time"}"#, "4:30", &["bad_input"]),
    (r#"{"type": "string", "format": "time"}"#, "24:00", &["bad_input"]),
    (r#"{"type": "string", "format": "time"}"#, "04:60", &["bad_input"]),
    (r#"{"type": "string", "format": "time"}"#, "04:30 pm", &["bad_input"]),
    (r#"{"type": "string", "format": "time", "x-ricordo": {"step": 60}}"#, "04:30", &[]),
    (r#"{"type": "string", "format": "time", "x-ricordo": {"step": 60}}"#, "04:30:01", &["step_mismatch"]),
    (r#"{"type": "string", "format": "time", "x-ricordo": {"step": 0.5}}"#, "04:30:01.5", &[]),
    (r#"{"type": "string", "format": "time", "x-ricordo": {"minimum": "04:10", "step": 900}}"#, "04:25", &[]),
    (
        r#"{"type": "string", "format": "time", "x-ricordo": {"minimum": "04:10", "step": 900}}"#,
        "04:30",
        &["step_mismatch"],
    ),
    (
        r#"{"type": "string", "format": "time", "x-ricordo": {"minimum": "04:00", "maximum": "22:00"}}"#,
        "03:59",
        &["range_underflow"],
    ),
    (
        r#"{"type": "string", "format": "time", "x-ricordo": {"minimum": "04:00", "maximum": "22:00"}}"#,
        "22:01",
        &["range_overflow"],
    ),
    // A reversed range (section 4.10.5.3.7)
    (
        r#"{"type": "string", "format": "time", "x-ricordo": {"minimum": "22:00", "maximum": "04:00"}}"#,
        "23:00",
        &[],
    ),
    (
        r#"{"type": "string", "format": "time", "x-ricordo": {"minimum": "22:00", "maximum": "04:00"}}"#,
        "03:00",
        &[],
    ),
    (
        r#"{"type": "string", "format": "time", "x-ricordo": {"minimum": "22:00", "maximum": "04:00"}}"#,
        "12:00",
        &["range_underflow", "range_overflow"],
    ),
    // type=datetime-local (section 4.10.5.1.11)
    (r#"{"type": "string", "format": "date-time"}"#, "2026-11-23T04:30", &[]),
    (r#"{"type": "string", "format": "date-time"}"#, "2026-11-23 04:30", &[]),
    (r#"{"type": "string", "format": "date-time"}"#, "2026-11-23", &["bad_input"]),
    (r#"{"type": "string", "format": "date-time"}"#, "2026-11-23T25:30", &["bad_input"]),
    (
        r#"{"type": "string", "format": "date-time", "x-ricordo": {"step": 60}}"#,
        "2026-11-23T04:30:30",
        &["step_mismatch"],
    ),
    (
        r#"{"type": "string", "format": "date-time", "x-ricordo": {"minimum": "2026-11-23T04:30"}}"#,
        "2026-11-23T04:29",
        &["range_underflow"],
    ),
    // type=email (section 4.10.5.1.5)
    (r#"{"type": "string", "format": "email"}"#, "rosa@mill.example", &[]),
    (r#"{"type": "string", "format": "email"}"#, "rosa@mill", &[]),
    (r#"{"type": "string", "format": "email"}"#, "rosa", &["type_mismatch"]),
    (r#"{"type": "string", "format": "email"}"#, "rosa@", &["type_mismatch"]),
    (r#"{"type": "string", "format": "email"}"#, "rosa@-mill", &["type_mismatch"]),
    (r#"{"type": "string", "format": "email"}"#, "rosa mill@x", &["type_mismatch"]),
    // type=url (section 4.10.5.1.4)
    (r#"{"type": "string", "format": "url"}"#, "https://mill.example/bread?kind=rye#top", &[]),
    (r#"{"type": "string", "format": "url"}"#, "mill.example", &["type_mismatch"]),
    (r#"{"type": "string", "format": "url"}"#, "/bread", &["type_mismatch"]),
    (r#"{"type": "string", "format": "url"}"#, "https://", &["type_mismatch"]),
    // minlength, maxlength and pattern say nothing about the empty text
    (r#"{"type": "string", "minLength": 2, "maxLength": 3}"#, "ab", &[]),
    (r#"{"type": "string", "minLength": 2, "maxLength": 3}"#, "a", &["too_short"]),
    (r#"{"type": "string", "minLength": 2, "maxLength": 3}"#, "abcd", &["too_long"]),
    (r#"{"type": "string", "pattern": "^[0-9]+$"}"#, "12", &[]),
    (r#"{"type": "string", "pattern": "^[0-9]+$"}"#, "1x", &["pattern_mismatch"]),
    (r#"{"type": "string", "pattern": "^[0-9]+$", "minLength": 3}"#, "x", &["too_short", "pattern_mismatch"]),
    // select
    (r#"{"type": "string", "enum": ["rye", "spelt"]}"#, "rye", &[]),
    (r#"{"type": "string", "enum": ["rye", "spelt"]}"#, "oats", &["not_listed"]),
];

#[test]
fn inputs_suffer_from_what_the_standard_says() {
    for (field, text, expected) in RULES {
        let definition =
            format!(r#"{{"type": "object", "properties": {{"a": {field}}}, "required": ["a"]}}"#);
        let form =
            Form::from_definition(&definition, None).unwrap_or_else(|error| panic!("{error}\n{field}"));
        form.enter("/a", *text).unwrap();
        let kinds: Vec<&str> = form.findings().iter().map(|finding| finding.kind.name()).collect();
        assert_eq!(kinds, *expected, "{field} {text:?}");
        assert_eq!(form.place("/a").unwrap().entry(), *text, "what was typed is kept");
        assert_eq!(form.is_valid(), expected.is_empty());
    }
}

#[test]
fn what_is_not_required_may_be_empty_whatever_else_is_asked_of_it() {
    for (field, _, _) in RULES.iter().filter(|(field, _, _)| !field.contains("const")) {
        let definition = format!(r#"{{"type": "object", "properties": {{"a": {field}}}}}"#);
        let form = Form::from_definition(&definition, None).unwrap();
        form.enter("/a", "").unwrap();
        assert!(form.is_valid(), "{field}");
    }
}
