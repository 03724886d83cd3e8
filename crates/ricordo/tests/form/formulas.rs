//! Formulas: the tables of `docs/formulas.md`, run.

use ricordo::Form;
use ricordo::exchange::read_definition;

const DOCS: &str = include_str!("../../../../docs/formulas.md");

const DATA: &str = r#"{
    "loaves": 12, "flour": 6300, "name": "Field loaf", "bake_date": "2026-11-28", "start": "04:30", "on_sale": true, "oven": {"deck": 2},
    "ingredients": [
        {"name": "Wheat flour", "kind": "flour", "grams": 5000},
        {"name": "Rye flour", "kind": "flour", "grams": 1300},
        {"name": "Water", "kind": "water", "grams": 4350},
        {"name": "Salt", "kind": "salt"}
    ],
    "stages": [
        {"title": "Autolyse", "minutes": 40},
        {"title": "Proof", "minutes": 240, "folds": [30, 60, 90]},
        {"title": "Bake", "minutes": 45}
    ]
}"#;

/// A definition of which the form has a finding with this message.
fn definition(test: &str, message: &str) -> String {
    let constraint = serde_json::json!({"constraint": [{"test": test, "message": message}]});
    format!(
        r#"{{"type": "object", "x-ricordo": {constraint}, "properties": {{
            "loaves": {{"type": "integer"}}, "flour": {{"type": "number"}}, "name": {{"type": "string"}},
            "notes": {{"type": "string"}}, "bake_date": {{"type": "string", "format": "date"}},
            "start": {{"type": "string", "format": "time"}}, "on_sale": {{"type": "boolean"}},
            "oven": {{"type": "object", "properties": {{"deck": {{"type": "integer"}}}}}},
            "ingredients": {{"type": "array", "items": {{"type": "object", "properties": {{
                "name": {{"type": "string"}}, "kind": {{"enum": ["flour", "water", "salt"]}}, "grams": {{"type": "number"}}}}}}}},
            "stages": {{"type": "array", "items": {{"type": "object", "properties": {{
                "title": {{"type": "string"}}, "minutes": {{"type": "integer"}},
                "folds": {{"type": "array", "items": {{"type": "integer"}}}}}}}}}}
        }}}}"#
    )
}

/// What a formula gives, as `string` has it.
fn value(formula: &str) -> String {
    let message = format!("{{if ({formula}\n) = null then \"null\" else string({formula}\n)}}");
    match Form::from_definition(&definition("loaves = -1", &message), Some(DATA)) {
        Ok(form) => form.findings().remove(0).message,
        Err(error) => error.to_string(),
    }
}

/// The rows of two cells of the tables under a heading of these cells.
fn tables(heading: &str) -> Vec<(String, String)> {
    let mut rows = Vec::new();
    for section in DOCS.split(heading).skip(1) {
        for line in section.lines().skip(1).take_while(|line| line.starts_with("| ")) {
            // A formula stands between backquotes, and has none of its own.
            let mut cells = line.split('`');
            let formula = cells.nth(1).unwrap_or_else(|| panic!("no formula in {line}"));
            let rest: Vec<&str> = cells.collect();
            let result = match &rest[..] {
                [_, result, _] => (*result).to_owned(),
                [why] => why.trim_matches(['|', ' ']).to_owned(),
                _ => panic!("too many cells in {line}"),
            };
            rows.push((formula.to_owned(), result));
        }
    }
    rows
}

#[test]
fn every_example_of_the_docs_gives_what_they_say() {
    let rows = tables("| formula | gives |\n");
    assert!(rows.len() > 150, "the tables were found");
    let wrong: Vec<String> = rows
        .into_iter()
        .filter_map(|(formula, expected)| {
            let given = value(&formula);
            (given != expected).then(|| format!("{formula}\n  gives {given}, not {expected}"))
        })
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn every_function_has_an_example() {
    let examples = tables("| formula | gives |\n");
    for function in ricordo::formula::functions() {
        let call = format!("{}(", function.name());
        assert!(examples.iter().any(|(formula, _)| formula.contains(&call)), "{call}");
    }
}

#[test]
fn what_the_docs_say_is_refused_is_refused_in_these_words() {
    let rows = tables("| text | why |\n");
    assert!(rows.len() > 10);
    for (formula, why) in rows {
        let error = read_definition(&definition(&format!("({formula}) = null"), "")).expect_err(&formula);
        let said = error.to_string();
        let said = said.split_once(": ").map_or(&*said, |(_, said)| said);
        assert_eq!(said, why, "{formula}");
        let location = error.location().expect("it has a place in the file");
        assert!(location.span.len() <= formula.len() * 2 + 2, "{formula}: {location:?}");
    }
}
