//! Mistakes of a developer: each is said once, with what would be right, and the rest works.

use serde_json::{Value, json};

use crate::browser::{Browser, Done};

crate::tests!(
    what_does_not_fit_is_said_and_the_rest_works,
    data_of_the_wrong_shape_is_refused_with_its_place
);

fn definition() -> Value {
    json!({
        "type": "object",
        "properties": {
            "loaves": {"type": "integer"},
            "name": {"type": "string"},
            "on_sale": {"type": "boolean"},
            "day": {"type": "string", "format": "date"},
            "method": {"enum": ["straight", "poolish"]},
            "allergens": {"type": "array", "uniqueItems": true, "items": {"enum": ["gluten", "milk"]}},
            "ingredients": {"type": "array", "items": {"type": "object", "properties": {"grams": {"type": "number"}}}},
        },
    })
}

#[allow(clippy::too_many_lines, reason = "a table")]
async fn what_does_not_fit_is_said_and_the_rest_works(page: &Browser) -> Done {
    let cases = [
        (r#"<input name="/loavs">"#, "“/loavs”: the form has no field “loavs”; the nearest is /loaves"),
        (r#"<input name="loaves">"#, "“loaves” is not a pointer; did you mean “/loaves”?"),
        (
            r#"<input name="token">"#,
            "“token” is not a pointer to a place in the form, such as “/name”; mark the element with `data-unbound` if it does not belong to the form",
        ),
        (
            r#"<input name="/on_sale">"#,
            "an input of type “text” cannot show “/on_sale”, a flag; use a check box",
        ),
        (
            r#"<input type="date" name="/loaves">"#,
            "an input of type “date” cannot show “/loaves”, a number; it is for dates",
        ),
        (
            r#"<input type="number" name="/name">"#,
            "an input of type “number” cannot show “/name”, a text; it is for numbers",
        ),
        (
            r#"<input type="checkbox" name="/name">"#,
            "a check box cannot show “/name”, a text; it shows a flag, or is one of the boxes of a set of choices",
        ),
        (
            r#"<input type="file" name="/name">"#,
            "no place holds what an input of type “file” gives; register a control of your own (`data-control`)",
        ),
        (
            r#"<input name="/ingredients">"#,
            "an input of type “text” cannot show “/ingredients”, a list; use a <template data-rows-of>",
        ),
        (
            r#"<select name="/allergens"></select>"#,
            "a <select> cannot show “/allergens”, a set of choices; add `multiple`",
        ),
        (
            r#"<select multiple name="/method"></select>"#,
            "a <select multiple> cannot show “/method”, a choice; `multiple` is for a set of choices",
        ),
        (
            r#"<input type="radio" name="/method" value="straight"><input type="radio" name="/method" value="straight">"#,
            "two radio buttons named “/method” have the value “straight”: a name stands for one group in a page, so a second group needs another control, such as a <select>",
        ),
        (
            r#"<input type="radio" name="/method" value="sourdough">"#,
            "“/method” does not offer the value “sourdough”; it offers straight, poolish",
        ),
        (
            r#"<template data-rows-of="/loaves"><p></p></template>"#,
            "“/loaves” is a number, not a list of rows",
        ),
        (
            r#"<template data-rows-of="/ingredient"><p></p></template>"#,
            "“/ingredient”: the form has no field “ingredient”; the nearest is /ingredients",
        ),
        (
            r#"<div data-rows-of="/ingredients"></div>"#,
            "`data-rows-of` belongs on a <template>, which holds one row",
        ),
        (
            r#"<template data-rows-of="/ingredients"><input name="/gram"></template>"#,
            "“/gram”: /ingredients/0 has no field “gram”; the nearest is /ingredients/0/grams",
        ),
        (r#"<template data-content-of="/loaves"></template>"#, "“/loaves” is a number, not a record"),
        (
            r#"<button name="/ingredients" value="ad">+</button>"#,
            "a button with a `name` needs a `value` that says what it does: add, remove, duplicate, up, down, clear, reset, release, undo, redo",
        ),
        (r#"<button name="/loaves" value="up">+</button>"#, "“up” does not suit “/loaves”, a number"),
        (r#"<b data-shown-when="/loaves"></b>"#, "`data-shown-when` needs a flag, and “/loaves” is a number"),
        (
            r#"<output name="/ingredients"></output>"#,
            "only a field has a text to show, and “/ingredients” is a list",
        ),
        (
            r#"<p data-findings-of="/name"></p><p data-findings-of="/name"></p>"#,
            "the findings of “/name” have an element already, which comes first",
        ),
        (
            r#"<star-rating name="/loaves"></star-rating>"#,
            "<star-rating> has a `name`, but no `data-control` that says how to bind it",
        ),
        (r#"<b data-control="stars"></b>"#, "a control needs a `name`: the pointer of its place"),
    ];
    page.open("tests/blank.html").await?;
    for (html, message) in cases {
        let html = format!("<form>{html}<input id=\"fine\" name=\"/name\"></form>");
        page.js("window.bound?.end(); logged.length = 0").await?;
        let mistakes = page
            .show_again(
                &html,
                definition(),
                json!({"name": "Rye", "ingredients": [{"grams": 1}, {"grams": 2}]}),
                "{}",
                "{}",
            )
            .await?;
        assert_eq!(mistakes, [message], "{html}");
        assert_eq!(page.value("#fine").await?, "Rye");
        let logged = page.logged().await?;
        assert!(
            logged.len() == 1 && logged[0].starts_with(&format!("ricordo: {message} [object ")),
            "{logged:?}"
        );
    }
    // Elements outside the form are found, too.
    let html = r#"<form id="sheet"></form><input form="sheet" name="/name">"#;
    let mistakes = page.show(html, definition(), json!({})).await?;
    assert_eq!(mistakes, ["lies outside its form (`form=…`), so it is not bound; move it inside"]);
    // And what is not meant for the form is left alone.
    let html = r#"<form><div data-unbound><input name="token"></div></form>"#;
    assert_eq!(page.show(html, definition(), json!({})).await?, [""; 0]);
    Ok(())
}

async fn data_of_the_wrong_shape_is_refused_with_its_place(page: &Browser) -> Done {
    page.open("tests/blank.html").await?;
    let definition = definition();
    for (script, message) in [
        (
            "new Form(d, { loaves: 'twelve' })",
            "/loaves expects a whole number, but is given a text, “twelve”",
        ),
        ("new Form(d, 12)", ""),
        ("new Form(d, () => 1)", "`data` must be an object, or JSON text, not a function"),
        ("new Form('{')", ""),
        ("new Form(undefined)", "`definition` must be an object, or JSON text, not nothing"),
        ("(() => { const data = {}; data.self = data; return new Form(d, data); })()", ""),
        ("new Form(d).set('/loavs', 1)", "the form has no field “loavs”; the nearest is /loaves"),
        ("new Form(d).set('/loaves', 1n)", ""),
        ("new Form(d).apply({ op: 'ad', path: '/x' })", ""),
        ("new Form(d).resolve('', 'ours')", "`take` must be “mine” or “theirs”, not the text “ours”"),
        (
            "new Form(d, {}, { draft: 'x', store: 'cloud' })",
            "`store` must be “tab” or “browser”, not “cloud”",
        ),
        ("new Form(d).submit({ send: 'all' })", "`send` must be “record”, “dirty” or “patch”, not “all”"),
        ("new Form(d).subscribe('/nowhere', () => {})", "the form has no field “nowhere”"),
    ] {
        let script = format!(
            "const d = arguments[0]; try {{ {script}; return null }} catch (error) {{ return error instanceof Error ? error.message : 'no error' }}"
        );
        let thrown = page.client.execute(&script, vec![definition.clone()]).await?;
        let Value::String(thrown) = thrown else {
            return Err(format!("nothing was thrown: {script}").into());
        };
        assert!(
            !thrown.is_empty() && (message.is_empty() || thrown.starts_with(message)),
            "{script}: {thrown}"
        );
    }
    Ok(())
}
