//! The cost of reading and checking a definition in which every field has a formula, and of making a form of
//! it.
//!
//! Run with `cargo bench --bench definitions`; `docs/performance.md` says how to read it.
#![allow(missing_docs, unreachable_pub, dead_code, clippy::pedantic)]

#[path = "edit/measure.rs"]
mod measure;

use std::hint::black_box;
use std::sync::Arc;

use measure::{nanoseconds, readable};
use ricordo::Form;
use ricordo::exchange::read_definition;

/// So many fields with so many formulas: of other fields in a long chain, of rows, of dates, and in each row.
fn definition(fields: usize, with_formulas: bool) -> String {
    let field = |at: usize| {
        let near = at.saturating_sub(1);
        let formula = match at % 8 {
            0 => "sum(rows.f0) + count(rows)".to_owned(),
            1 => format!("f{near} * 1.5 + 2"),
            2 => format!("if f{near} > 100 then f{near} - 100 else f{near}"),
            3 => format!("round half up(f{near} / 7, 2)"),
            4 => format!("sum(rows[f1 > {at}].f2) / max(f{near}, 1)"),
            5 => format!("count(for i in 1..3 return i * {at}) + f{near}"),
            6 => format!("if f{near} in [1..{at}] and not(f{near} = 2) then f{near} else 0"),
            _ => "string length(name) + day of year(date(2026, 11, 28))".to_owned(),
        };
        let rule = if with_formulas {
            format!(r#", "x-ricordo": {{"calculate": "{formula}"}}"#)
        } else {
            String::new()
        };
        format!(r#""f{at}": {{"type": "number", "title": "Field {at}"{rule}}}"#)
    };
    let all: Vec<String> = (0..fields).map(field).collect();
    format!(
        r#"{{"type": "object", "properties": {{
            "name": {{"type": "string"}},
            "rows": {{"type": "array", "items": {{"type": "object", "properties": {{
                "f0": {{"type": "number"}}, "f1": {{"type": "number"}}, "f2": {{"type": "number"}}}}}}}},
            {}
        }}}}"#,
        all.join(",\n")
    )
}

fn main() {
    println!(
        "{:>8}  {:>11}  {:>13}  {:>13}  {:>11}",
        "fields", "serde_json", "no formulas", "formulas", "a form"
    );
    for fields in [10, 100, 1_000, 10_000] {
        let (plain, text) = (definition(fields, false), definition(fields, true));
        let schema = Arc::new(read_definition(&text).unwrap_or_else(|error| panic!("{error:?}")));
        let [json, without, with, form] = nanoseconds([
            Box::new(|| {
                drop(black_box(serde_json::from_str::<serde_json::Value>(&text).expect("it is JSON")))
            }),
            Box::new(|| drop(black_box(read_definition(&plain).expect("it is right")))),
            Box::new(|| drop(black_box(read_definition(&text).expect("it is right")))),
            Box::new(|| drop(black_box(Form::from_schema(&schema, None).expect("it settles")))),
        ])
        .map(readable);
        println!("{fields:>8}  {json:>11}  {without:>13}  {with:>13}  {form:>11}");
    }
}
