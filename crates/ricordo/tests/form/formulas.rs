//! Formulas: the tables of `docs/formulas.md`, run.

use ricordo::engine::{CompiledSchema, Edit};
use ricordo::exchange::{read_definition, write_definition};
use ricordo::schema::FindingKind;
use ricordo::value::DateTime;
use ricordo::{Form, Value};

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

/// The result of a formula, as `string` writes it.
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

/// A form of these properties and definitions, with this data.
fn form(properties: &str, defs: &str, data: &str) -> Form {
    let definition = format!(r#"{{"type": "object", "properties": {{{properties}}}, "$defs": {{{defs}}}}}"#);
    Form::from_definition(&definition, Some(data)).unwrap_or_else(|error| panic!("{error:?}\n{definition}"))
}

fn value_at(form: &Form, pointer: &str) -> Value {
    form.place(pointer).unwrap().value()
}

fn number(text: &str) -> Value {
    Value::Number(text.parse().unwrap())
}

fn messages(form: &Form) -> Vec<String> {
    form.findings().into_iter().map(|finding| format!("{}: {}", finding.place, finding.message)).collect()
}

fn now(text: &str) -> DateTime {
    ricordo::value::read_date_time(text).unwrap()
}

#[test]
fn formulas_that_read_the_time_are_computed_again_when_the_form_is_told_another() {
    let form = form(
        r#""due": {"type": "string", "format": "date", "x-ricordo": {"minimum": "today()"}},
           "left": {"type": "number", "x-ricordo": {"calculate": "(due - today()) / @\"P1D\""}},
           "printed": {"type": "string", "format": "date-time", "x-ricordo": {"suggest": "now()"}},
           "name": {"type": "string"}"#,
        "",
        r#"{"due": "2026-11-28"}"#,
    );
    assert_eq!(value_at(&form, "/left"), Value::Blank);
    form.set_now(now("2026-11-26T04:30")).unwrap();
    assert_eq!(value_at(&form, "/left"), number("2"));
    assert!(!form.is_dirty(), "that time goes by changes nothing");
    assert!(form.is_valid());

    form.enter("/name", "Field loaf").unwrap();
    form.set_now(now("2026-11-30T04:30")).unwrap();
    assert_eq!(value_at(&form, "/left"), number("-2"));
    assert_eq!(messages(&form), ["/due: Must be 2026-11-30 or later."]);
    assert!(!form.place("/left").unwrap().is_dirty() && form.place("/name").unwrap().is_dirty());

    // It is not a step: undo reverts the name.
    form.undo().unwrap();
    assert!(!form.is_dirty());
    assert_eq!(value_at(&form, "/left"), number("-2"));
    form.reset().unwrap();
    assert_eq!(value_at(&form, "/printed"), Value::DateTime(now("2026-11-30T04:30")));
}

#[test]
fn rules_of_a_shared_record_hold_wherever_it_stands() {
    let form = form(
        r##""rate": {"type": "number"},
           "first": {"$ref": "#/$defs/mix"},
           "others": {"type": "array", "items": {"$ref": "#/$defs/mix"}}"##,
        r#""mix": {
            "type": "object",
            "x-ricordo": {"constraint": [{"test": "water <= flour", "message": "Too wet: {water} in {flour}."}]},
            "properties": {
                "flour": {"type": "number"}, "water": {"type": "number"},
                "cost": {"type": "number", "x-ricordo": {"calculate": "(flour + water) * rate"}}
            }}"#,
        r#"{"rate": 2, "first": {"flour": 5, "water": 3}, "others": [{"flour": 1, "water": 1}, {"flour": 2, "water": 4}]}"#,
    );
    let costs = || ["/first/cost", "/others/0/cost", "/others/1/cost"].map(|at| value_at(&form, at));
    assert_eq!(costs(), ["16", "4", "12"].map(number));
    assert_eq!(messages(&form), ["/others/1: Too wet: 4 in 2."]);
    form.enter("/rate", "0.5").unwrap();
    assert_eq!(costs(), ["4", "1", "3"].map(number));
    form.enter("/first/water", "6").unwrap();
    assert_eq!(messages(&form), ["/first: Too wet: 6 in 5.", "/others/1: Too wet: 4 in 2."]);
}

#[test]
fn a_record_that_lies_in_itself_has_rules_about_what_is_in_it() {
    let form = form(
        r##""cake": {"$ref": "#/$defs/part"}"##,
        r##""part": {"type": "object", "properties": {
            "own": {"type": "number"},
            "parts": {"type": "array", "items": {"$ref": "#/$defs/part"}},
            "grams": {"type": "number", "x-ricordo": {"calculate": "own + sum(parts.grams)"}}
        }}"##,
        r#"{"cake": {"own": 1, "parts": [{"own": 10, "parts": [{"own": 100}, {"own": 200}]}, {"own": 20}]}}"#,
    );
    assert_eq!(value_at(&form, "/cake/grams"), number("331"));
    form.enter("/cake/parts/0/parts/1/own", "300").unwrap();
    assert_eq!(value_at(&form, "/cake/parts/0/grams"), number("410"));
    assert_eq!(value_at(&form, "/cake/grams"), number("431"));
}

#[test]
fn formulas_read_the_fields_of_the_variant_that_is_chosen() {
    let form = form(
        r#""payment": {"type": "object", "oneOf": [
            {"type": "object", "properties": {"by": {"const": "cash"}, "given": {"type": "number"}}, "required": ["by"]},
            {"type": "object", "properties": {
                "by": {"const": "transfer"}, "days": {"type": "integer"},
                "note": {"type": "string", "x-ricordo": {"relevant": "days > 14"}}}, "required": ["by"]}
        ]},
        "due": {"type": "number", "x-ricordo": {"calculate": "if payment.by = \"cash\" then payment.given else payment.days * 10"}}"#,
        "",
        r#"{"payment": {"by": "transfer", "days": 30, "note": "in two parts"}}"#,
    );
    assert_eq!(value_at(&form, "/due"), number("300"));
    assert!(form.place("/payment/note").unwrap().is_relevant());
    form.enter("/payment/days", "7").unwrap();
    assert!(!form.place("/payment/note").unwrap().is_relevant());
    form.enter("/payment/by", "cash").unwrap();
    assert_eq!(value_at(&form, "/due"), Value::Blank);
    form.enter("/payment/given", "12.5").unwrap();
    assert_eq!(value_at(&form, "/due"), number("12.5"));
    form.undo().unwrap();
    form.undo().unwrap();
    assert_eq!(value_at(&form, "/due"), number("70"));
}

#[test]
fn choices_come_from_a_formula_or_from_a_list_of_the_form() {
    let form = form(
        r#""ovens": {"type": "array", "items": {"type": "object", "properties": {
               "value": {"type": "string"}, "label": {"type": "string"}, "heated": {"type": "boolean"}}}},
           "oven": {"type": "string", "x-ricordo": {"choices": "/ovens"}},
           "heated": {"type": "string", "x-ricordo": {"choices": "ovens[heated]"}},
           "decks": {"type": "array", "items": {"type": "integer", "x-ricordo": {"choices": "for i in 1..count(ovens) return i"}}}"#,
        "",
        r#"{"ovens": [{"value": "s", "label": "Stone", "heated": true}, {"value": "d", "label": "Deck"}], "oven": "d", "heated": "d", "decks": [2, 3]}"#,
    );
    assert_eq!(
        messages(&form),
        ["/heated: “d” is not one of: Stone.", "/decks/1: “3” is not one of: 1, 2."].map(str::to_owned)
    );
    form.enter("/heated", "Stone").unwrap();
    assert_eq!(value_at(&form, "/heated"), Value::from("s"));
    form.enter("/ovens/1/heated", "true").unwrap();
    form.enter("/ovens/1/label", "Deck, lower").unwrap();
    form.enter("/heated", "Deck, lower").unwrap();
    assert_eq!(value_at(&form, "/heated"), Value::from("d"));
    form.place("/ovens/0").unwrap().duplicate().unwrap();
    assert_eq!(messages(&form), Vec::<String>::new(), "there is a third one now");
}

#[test]
fn rows_share_the_choices_that_a_list_around_them_gives() {
    let form = form(
        r#""ovens": {"type": "array", "items": {"type": "object", "properties": {
               "value": {"type": "string"}, "label": {"type": "string"}, "heated": {"type": "boolean"}}}},
           "shelves": {"type": "array", "items": {"type": "object", "properties": {
               "loaves": {"type": "array", "items": {"type": "object", "properties": {
                   "oven": {"type": "string", "x-ricordo": {"choices": "/ovens"}},
                   "warm": {"type": "string", "x-ricordo": {"choices": "ovens[heated].label"}}}}}}}}"#,
        "",
        r#"{"ovens": [{"value": "s", "label": "Stone", "heated": true}, {"value": "d", "label": "Deck"}],
            "shelves": [{"loaves": [{"oven": "s", "warm": "Stone"}, {"oven": "d"}]}, {"loaves": [{"oven": "x", "warm": "Deck"}]}]}"#,
    );
    let wrong = [
        "/shelves/1/loaves/0/oven: “x” is not one of: Stone, Deck.",
        "/shelves/1/loaves/0/warm: “Deck” is not one of: Stone.",
    ];
    assert_eq!(messages(&form), wrong);
    assert_eq!(form.place("/shelves/0/loaves/0/oven").unwrap().display(), "Stone");
    let before = form.diagnostics().cost();
    form.enter("/ovens/1/value", "x").unwrap();
    // The shared choices, and each of the three fields that read them; the heated ovens are the same.
    assert_eq!((form.diagnostics().cost() - before).calculations, 4);
    assert_eq!(
        messages(&form),
        [
            "/shelves/0/loaves/1/oven: “d” is not one of: Stone, Deck.",
            "/shelves/1/loaves/0/warm: “Deck” is not one of: Stone."
        ]
    );
    form.undo().unwrap();
    assert_eq!(messages(&form), wrong);
    form.place("/shelves/1").unwrap().remove().unwrap();
    form.apply(Edit::insert("/shelves".parse().unwrap(), None, None)).unwrap();
    form.apply(Edit::insert("/shelves/1/loaves".parse().unwrap(), None, None)).unwrap();
    form.enter("/shelves/1/loaves/0/oven", "Deck").unwrap();
    assert_eq!(value_at(&form, "/shelves/1/loaves/0/oven"), Value::from("d"));
}

#[test]
fn a_message_shows_fields_as_they_are_displayed() {
    let form = form(
        r#""price": {"type": "number", "x-ricordo": {"display": {"decimals": 2, "decimal_comma": true}, "constraint": [
               {"test": "price <= limit", "message": "{price} is more than {{limit}: {string(limit)}, by {price - limit}{\"}\"}"}]}},
           "limit": {"type": "number", "x-ricordo": {"display": {"decimals": 2}}}"#,
        "",
        r#"{"price": 6.5, "limit": 6}"#,
    );
    assert_eq!(messages(&form), ["/price: 6,50 is more than {limit}: 6, by 0.5}"]);
    form.enter("/limit", "6.25").unwrap();
    assert_eq!(messages(&form), ["/price: 6,50 is more than {limit}: 6.25, by 0.25}"]);
    form.enter("/limit", "").unwrap();
    assert!(messages(&form).is_empty(), "null passes");
}

/// Returns whether places depend on each other may depend on the data. A refused action changes nothing, not
/// even an aggregate that no field shows.
#[test]
fn a_cycle_that_comes_with_data_is_refused_and_changes_nothing() {
    let form = form(
        r#""add": {"type": "number"},
           "rows": {"type": "array", "items": {"type": "object", "properties": {
               "grams": {"type": "number"},
               "of": {"type": "integer"},
               "share": {"type": "number", "x-ricordo": {"calculate": "if of = null then grams else grams + rows[of].share"}}}}},
           "total": {"type": "number", "x-ricordo": {"calculate": "add + sum(rows.grams) + sum(rows.share)"}}"#,
        "",
        r#"{"add": 1000, "rows": [{"grams": 1}, {"grams": 10, "of": 1}, {"grams": 100, "of": 2}]}"#,
    );
    let total = || value_at(&form, "/total");
    assert_eq!(total(), number("1234"));
    let before = form.diagnostics().dump().to_string();
    let refused = form.transaction(|| {
        form.enter("/rows/1/grams", "20")?;
        form.enter("/rows/0/of", "3")
    });
    let said = refused.unwrap_err().to_string();
    assert!(said.starts_with("places depend on each other in a cycle: /rows/"), "{said}");
    assert_eq!(form.diagnostics().dump().to_string(), before);
    form.enter("/rows/1/grams", "20").unwrap();
    assert_eq!(total(), number("1264"));
    form.enter("/rows/2/of", "9").unwrap();
    assert_eq!(value_at(&form, "/rows/2/share"), Value::Blank, "there is no ninth row");
}

#[test]
fn what_takes_too_long_or_too_much_is_null() {
    let calculated = |formula: &str| {
        let formula = serde_json::json!({"calculate": formula});
        let properties = format!(
            r#""a": {{"type": "number"}}, "rows": {{"type": "array", "items": {{"type": "object", "properties": {{"n": {{"type": "number"}}}}}}}},
               "result": {{"type": "number", "x-ricordo": {formula}}}"#
        );
        let rows = vec![r#"{"n": 1}"#; 300].join(",");
        let form = form(&properties, "", &format!(r#"{{"a": 1000000000, "rows": [{rows}]}}"#));
        form.enter("/a", "1000000001").unwrap();
        value_at(&form, "/result")
    };
    for formula in [
        "count(for i in 1..a return i)",
        "if some i in (for j in 1..a return j) satisfies i < 0 then 1 else 0",
        "count(for x in rows, y in rows, z in rows, u in rows return x.n)",
        "count(rows[count(rows[count(rows[n >= 0]) > 0]) > 0])",
        "sum(for i in 1..1000000 return sum(rows.n))",
        "string length(string join(for i in 1..1000000 return \"0123456789\"))",
        "9 ** a",
        "a ** a ** a",
        "2 ** -a",
    ] {
        assert_eq!(calculated(formula), Value::Blank, "{formula}");
    }
    // Large but bearable formulas are computed.
    assert_eq!(calculated("count(for i in 1..100000 return i)"), number("100000"));
    assert_eq!(calculated("count(for x in rows, y in rows return 1)"), number("90000"));
}

#[test]
fn a_pattern_takes_time_in_proportion_to_its_text() {
    let text = "a".repeat(20_000) + "b";
    let form = form(
        r#""text": {"type": "string"}, "fits": {"type": "boolean", "x-ricordo": {"calculate": "matches(text, \"^(a+)+$\")"}}"#,
        "",
        &serde_json::json!({"text": text}).to_string(),
    );
    assert_eq!(value_at(&form, "/fits"), Value::Flag(false));
}

/// An edit of one row costs the same however many rows there are, also where an aggregate is part of a larger formula, and
/// where it is filtered by what only a formula can say.
#[test]
fn aggregates_in_formulas_are_kept_up_to_date_by_differences() {
    let cost = |rows: usize| {
        let rows = vec![r#"{"kind": "flour", "grams": 2}"#; rows].join(",");
        let form = form(
            r#""rows": {"type": "array", "items": {"type": "object", "properties": {
                   "kind": {"enum": ["flour", "water"]}, "grams": {"type": "number"}, "percent": {"type": "number"},
                   "cost": {"type": "number", "x-ricordo": {"calculate": "grams * rate"}}}}},
               "rate": {"type": "number"},
               "plain": {"type": "number", "x-ricordo": {"calculate": "sum(rows.grams)"}},
               "share": {"type": "number", "x-ricordo": {"calculate": "sum(rows[kind = \"water\"].grams) * 100 / sum(rows.grams)"}},
               "odd": {"type": "number", "x-ricordo": {"calculate": "1 + count(rows[odd(grams) or kind = \"water\"])"}},
               "mean": {"type": "number", "x-ricordo": {"calculate": "if count(rows) > 1 then mean(rows.cost) else null"}},
               "most": {"type": "string", "x-ricordo": {"calculate": "string(max(rows.grams)) + \" to \" + string(min(rows.grams))"}}"#,
            "",
            &format!(r#"{{"rate": 2, "rows": [{rows}]}}"#),
        );
        let costs =
            [("grams", "3"), ("kind", "water"), ("grams", "7"), ("grams", "")].map(|(field, text)| {
                let before = form.diagnostics().cost();
                form.enter(&*format!("/rows/41/{field}"), text).unwrap();
                let cost = form.diagnostics().cost() - before;
                (cost.places, cost.checks, cost.calculations, cost.aggregated)
            });
        let shown = ["/plain", "/share", "/odd", "/mean", "/most"]
            .map(|at| form.place(at).unwrap().value().to_text().into_owned());
        (costs, shown)
    };
    let (small, of_small) = cost(100);
    let (large, of_large) = cost(5_000);
    assert_eq!(small, large);
    assert_eq!(of_small, ["198", "0", "2", "4", "2 to 2"]);
    assert_eq!(of_large, ["9998", "0", "2", "4", "2 to 2"]);
}

#[test]
fn a_definition_with_formulas_is_written_as_it_was_read() {
    let definition = include_str!("../../../ricordo-cli/demo/batch-sheet.form.json");
    let read = read_definition(definition).unwrap();
    let written = write_definition(read.schema());
    let again = read_definition(&format!("{written:#}")).unwrap();
    assert_eq!(write_definition(again.schema()), written);
    let rules = |schema: &CompiledSchema| -> Vec<String> {
        let formulas = schema.formulas().iter();
        formulas.map(|formula| format!("{}: {}", formula.key(), formula.text())).collect()
    };
    let (before, mut after) = (rules(&read), rules(&again));
    assert!(before.len() > 10);
    after.sort();
    let mut sorted = before;
    sorted.sort();
    assert_eq!(after, sorted);
}

#[test]
fn the_longest_and_the_deepest_formulas_are_computed() {
    let calculated = |formula: &str| {
        let formula = serde_json::json!({"calculate": formula});
        let properties = format!(
            r#""a": {{"type": "number"}}, "result": {{"type": "number", "x-ricordo": {formula}}}, "other": {{"type": "number", "x-ricordo": {formula}}}"#
        );
        let form = form(&properties, "", r#"{"a": 1}"#);
        form.enter("/a", "2").unwrap();
        assert!(!form.place("/result").unwrap().explain().is_empty());
        value_at(&form, "/result")
    };
    assert_eq!(calculated(&format!("a{}", " + a".repeat(199))), number("400"));
    assert_eq!(calculated(&format!("{}a{}", "(a + ".repeat(29), ")".repeat(29))), number("60"));
    assert_eq!(calculated(&format!("{}a{}", "if a = 1 then 0 else ".repeat(29), " + 1")), number("3"));
    assert_eq!(calculated(&format!("sum([a{}])", ", a".repeat(15_000))), number("30002"));
}

/// The number of rows with a finding in the field `x`, given its formula.
fn not_computed(formula: &str, rows: usize) -> usize {
    let definition = format!(
        r#"{{"type": "object", "properties": {{"small": {{"type": "integer", "x-ricordo": {{"calculate": "1 + 1"}}}},
            "l": {{"type": "array", "items": {{"type": "object", "properties": {{
                "n": {{"type": "integer"}}, "x": {{"type": "integer", "x-ricordo": {{"calculate": "{formula}"}}}}}}}}}}}}}}"#
    );
    let data = format!(r#"{{"l": [{}]}}"#, vec![r#"{"n": 1}"#; rows].join(","));
    let form: Form = Form::from_definition(&definition, Some(&data)).unwrap();
    assert_eq!(form.get("/small").unwrap(), Some(Value::from(2)));
    let findings = form.findings();
    assert!(findings.iter().all(|finding| finding.kind == FindingKind::NotComputable), "{findings:?}");
    findings.len()
}

#[test]
fn formulas_that_take_too_many_steps_are_not_computable_one_by_one_and_together() {
    assert_eq!(not_computed("count(for i in 1..1000 return n)", 200), 0);
    assert_eq!(not_computed("count(for i in 1..1000000000 return n)", 1), 1);
    // Each of them could be computed alone.
    let left_out = not_computed("count(for i in 1..200000 return n)", 60);
    assert!((1..60).contains(&left_out), "{left_out}");
}
