//! Parses a formula, prints it, and computes it wherever it can stand, while somebody types and when all is loaded again.
#![no_main]

use libfuzzer_sys::fuzz_target;
use ricordo::Form;
use ricordo::formula::Formula;

const DATA: &str = r#"{
    "loaves": 12, "flour": 6300.5, "name": "Field loaf", "bake_date": "2026-11-28", "start": "04:30", "on_sale": true,
    "ingredients": [
        {"name": "Wheat flour", "kind": "flour", "grams": 5000, "folds": [1, 2]},
        {"name": "Water", "kind": "water", "grams": 4350},
        {"name": "Salt", "kind": "salt"}
    ]
}"#;

fuzz_target!(|text: &str| {
    let Ok(formula) = Formula::parse(text) else { return };
    let printed = formula.to_string();
    let again = Formula::parse(&printed).expect("what is printed can be parsed");
    assert_eq!(again, formula, "and says the same: {printed}");

    for kind in [r#""type": "number""#, r#""type": "string""#, r#""type": "boolean""#, r#""type": "string", "format": "date""#] {
        compute(&definition(kind, "calculate", &quoted(text)));
    }
    compute(&definition(r#""type": "string""#, "relevant", &quoted(text)));
    compute(&definition(r#""type": "string""#, "choices", &quoted(text)));
    compute(&definition(r#""type": "string""#, "constraint", &format!(r#"[{{"test": {}, "message": "no"}}]"#, quoted(text))));
});

fn quoted(text: &str) -> String {
    ricordo::Value::from(text).to_string()
}

/// A form with a place that has a rule, and one in each row.
fn definition(kind: &str, key: &str, rule: &str) -> String {
    let place = format!(r#"{{{kind}, "x-ricordo": {{"{key}": {rule}}}}}"#);
    format!(
        r#"{{"type": "object", "properties": {{
            "loaves": {{"type": "integer"}}, "flour": {{"type": "number"}}, "name": {{"type": "string"}},
            "bake_date": {{"type": "string", "format": "date"}}, "start": {{"type": "string", "format": "time"}},
            "on_sale": {{"type": "boolean"}},
            "ingredients": {{"type": "array", "items": {{"type": "object", "properties": {{
                "name": {{"type": "string"}}, "kind": {{"enum": ["flour", "water", "salt"]}}, "grams": {{"type": "number"}},
                "folds": {{"type": "array", "items": {{"type": "integer"}}}}, "of_row": {place}}}}}}},
            "result": {place}
        }}}}"#
    )
}

fn compute(definition: &str) {
    let Ok(form) = Form::from_definition(definition, Some(DATA)) else { return };
    form.set_now(ricordo::value::read_date_time("2026-11-26T04:30").expect("a time")).expect("it can be told");
    for (place, text) in [
        ("/loaves", "0"),
        ("/flour", "0.5"),
        ("/name", "Rye"),
        ("/on_sale", ""),
        ("/bake_date", ""),
        ("/ingredients/1/grams", "7"),
        ("/ingredients/2/kind", "water"),
        ("/ingredients/0/grams", ""),
    ] {
        let _ = form.enter(place, text);
        // Calculated places are not part of what is loaded.
        let Ok(again) = Form::from_definition(definition, Some(&form.to_json())) else { continue };
        again.set_now(ricordo::value::read_date_time("2026-11-26T04:30").expect("a time")).expect("it can be told");
        assert_eq!(again.to_json(), form.to_json(), "all computed again gives the same");
    }
}
