//! Misuse of the module for JavaScript: each call says what it wants.

use serde_json::json;

use crate::browser::{Browser, Done};

crate::tests!(
    a_wrong_argument_is_a_type_error_that_says_what_is_wanted,
    errors_in_a_definition_have_a_place_and_a_way_out,
    every_function_survives_every_argument,
    the_deepest_forms_and_records_fit_the_stack,
    deferred_checks_are_answered_in_javascript,
    a_check_that_nobody_answers_is_spoken_of_when_a_person_saves,
);

const FORM: &str = r#"<form><div id="summary" data-findings-of=""></div>
    <input id="name" name="/name"><p data-findings-of="/name"></p><button id="save">Save</button></form>"#;

fn definition() -> serde_json::Value {
    json!({
        "type": "object",
        "properties": {
            "name": {"type": "string", "title": "Name", "x-ricordo": {"deferred": [{"check": "name_is_free"}]}},
            "loaves": {"type": "integer"},
        },
    })
}

async fn a_wrong_argument_is_a_type_error_that_says_what_is_wanted(page: &Browser) -> Done {
    page.show(FORM, definition(), json!({"name": "Rye"})).await?;
    for (call, message) in [
        ("form.set(1, 2)", "`path` must be a pointer, such as \"/name\", not the number 1"),
        ("form.enter('/name', 5)", "`text` must be a text, not the number 5"),
        ("form.enter('/name')", "`text` must be a text, not nothing"),
        ("form.value({})", "`path` must be a pointer, such as \"/name\", not an object"),
        ("form.subscribe('/name')", "`callback` must be a function, not nothing"),
        ("form.subscribe('/name', () => {}, 7)", "`name` must be a text, not the number 7"),
        ("form.subscribeState('x')", "`callback` must be a function, not the text “x”"),
        ("form.bind(null)", "`element` must be an element of the page, not null"),
        ("form.bind('form')", "`element` must be an element of the page, not the text “form”"),
        (
            "form.bind(document.body, { onsubmit() {} })",
            "`options` has no option `onsubmit`; did you mean `onSubmit`?",
        ),
        ("form.bind(document.body, { onSubmit: 1 })", "`onSubmit` must be a function, not the number 1"),
        (
            "form.bind(document.body, { controls: 1 })",
            "`controls` must be an object of functions, not the number 1",
        ),
        (
            "form.bind(document.body, { controls: { stars: 1 } })",
            "the control “stars” must be a function, not the number 1",
        ),
        (
            "form.bind(document.body, { askBeforeLeaving: 'no' })",
            "`askBeforeLeaving` must be true or false, not the text “no”",
        ),
        ("form.submit({ sends: 'patch' })", "`options` has no option `sends`; did you mean `send`?"),
        (
            "form.submit({ send: 'everything' })",
            "`send` must be “record”, “dirty” or “patch”, not “everything”",
        ),
        ("form.submit({ parts: '/name' })", "`parts` must be a list of pointers, not the text “/name”"),
        ("form.submit([])", "`options` must be an object, not a list"),
        (
            "form.payload({ afterAccept: 'leave' })",
            "`afterAccept` must be “stay”, “reset” or “clear”, not “leave”",
        ),
        ("form.resolve('/name', 'ours')", "`take` must be “mine” or “theirs”, not the text “ours”"),
        ("form.replay()", "`journal` must be a text, not nothing"),
        ("form.apply(undefined)", "`action` must be an object, or JSON text, not nothing"),
        (
            "form.apply({ op: 'expect', path: '/name' })",
            "`action` must be an action; expectations are for `replay`",
        ),
        ("new Form()", "`definition` must be an object, or JSON text, not nothing"),
        (
            "new Form({}, {}, { journalbytes: 1 })",
            "`options` has no option `journalbytes`; did you mean `journalBytes`?",
        ),
        (
            "new Form({}, {}, { journalBytes: -1 })",
            "`journalBytes` must be a whole number, not the number -1",
        ),
        ("new Form({}, {}, { draft: 'x', store: 'disk' })", "`store` must be “tab” or “browser”, not “disk”"),
        ("form.answerChecks('name_is_free')", "`callback` must be a function, not nothing"),
    ] {
        let script = format!(
            "try {{ {call}; return 'it passes' }} catch (error) {{ return `${{error.name}}: ${{error.message}}` }}"
        );
        let said = page.js(&script).await?;
        assert_eq!(said, json!(format!("TypeError: {message}")), "{call}");
    }
    let unknown = page
        .js("try { form.answerChecks('name_is_fre', () => {}) } catch (error) { return error.message }")
        .await?;
    assert_eq!(unknown, json!("there is no deferred check “name_is_fre”; did you mean “name_is_free”?"));
    Ok(())
}

async fn errors_in_a_definition_have_a_place_and_a_way_out(page: &Browser) -> Done {
    page.show(FORM, definition(), json!({"name": "Rye"})).await?;
    let made = "const made = (definition, data) => { try { new Form(definition, data); return null } catch (error) { return error.message } };";
    let script = r#"
        const definition = { type: "object", properties: { n: { type: "number", minimun: 3 }, l: { type: "array", items: { type: "strin" } } } };
        const right = { type: "object", properties: { loaves: { type: "number" } } };
        return [made(definition), made(JSON.stringify(definition)), made(right, { loavs: 3 })];
    "#;
    let said = page.js(&format!("{made}{script}")).await?;
    assert_eq!(
        said,
        json!([
            "/properties/n/minimun: there is no keyword “minimun”; did you mean “minimum”?\n/properties/l/items/type: there is no type “strin”; there are string, integer, number, boolean, object, array and null; did you mean “string”?",
            "line 1, column 53: there is no keyword “minimun”; did you mean “minimum”?\nline 1, column 102: there is no type “strin”; there are string, integer, number, boolean, object, array and null; did you mean “string”?",
            "/loavs: the form has no field “loavs”; the nearest is “loaves”",
        ])
    );
    Ok(())
}

async fn every_function_survives_every_argument(page: &Browser) -> Done {
    page.show(FORM, definition(), json!({"name": "Rye"})).await?;
    // Whatever is thrown is an error with a message, never a trap of WebAssembly.
    let script = r#"
        const values = [undefined, null, 0, -1.5, NaN, 12n, true, "", "/name", "/nowhere", {}, [], [1], () => {}, Symbol("s"),
            document.body, { toString() { throw new Error("no") } }, new Proxy({}, {}), "\ud800"];
        const wrong = [];
        const names = Object.getOwnPropertyNames(Form.prototype).filter((name) => !/^(constructor|free|__.*)$/.test(name));
        const attempt = (what, run) => {
            try { run()?.end?.(); } catch (error) {
                if (!(error instanceof Error) || error instanceof WebAssembly.RuntimeError || !error.message) {
                    wrong.push(`${what}: ${error}`);
                }
            }
        };
        for (const first of values) {
            for (const second of values) {
                for (const name of names) {
                    if (typeof Object.getOwnPropertyDescriptor(Form.prototype, name).value !== "function") continue;
                    const called = `${name}(${typeof first}, ${typeof second})`;
                    attempt(called, () => form[name](first, second, second));
                    if (name === "bind") continue;
                    // Whatever it has begun is over.
                    attempt("reset", () => form.reset());
                }
                attempt("new", () => new Form(definition, first, second));
            }
            attempt("new", () => new Form(first));
        }
        form.set("/name", "Spelt");
        return [wrong, form.value("/name")];
    "#;
    let script = format!("const definition = {};\n{script}", definition());
    assert_eq!(page.js(&script).await?, json!([[], "Spelt"]));
    Ok(())
}

/// A page has a small stack, and whoever walks a form or a record does so place by place.
async fn the_deepest_forms_and_records_fit_the_stack(page: &Browser) -> Done {
    let script = r#"
        // Lists in records in lists: as many places one in the other as a definition may have, with a rule for the innermost.
        const nested = (levels) => levels === 0
            ? { type: "object", properties: { grams: { type: "integer", minimum: 1 },
                twice: { type: "integer", "x-ricordo": { calculate: "grams * 2" } } } }
            : levels % 2 === 1
                ? { type: "array", items: nested(levels - 1) }
                : { type: "object", properties: { inner: nested(levels - 1) } };
        const data = (levels, innermost) => levels === 0
            ? innermost
            : levels % 2 === 1 ? [data(levels - 1, innermost)] : { inner: data(levels - 1, innermost) };
        const levels = 62;
        const definition = JSON.stringify(nested(levels));
        const form = new Form(definition, JSON.stringify(data(levels, { grams: 20 })));
        const at = "/inner/0".repeat(levels / 2);
        form.enter(`${at}/grams`, "0");
        const findings = form.findings().length;
        form.set("", data(levels, { grams: 7 }));
        form.undo();
        form.enter(`${at}/grams`, "30");
        const twice = form.value(`${at}/twice`);
        const steps = [form.dump(), form.dumpText(), form.journal(), form.explain(`${at}/twice`), form.payload({ send: "patch" })];
        form.rebase(data(levels, { grams: 40 }));
        const conflicts = form.conflicts().length;
        form.reset("");
        // What is deeper than any form is refused.
        let refused = [];
        for (const attempt of [
            () => new Form(JSON.stringify(nested(300)), "{}"),
            () => new Form(definition, JSON.stringify(data(100_000, 1))),
            () => form.set("", data(3_000, 1)),
            () => new Form('{"type": "object", "properties": {"a": {"type": "integer", "x-ricordo": {"calculate": "'
                + "(".repeat(100_000) + '"}}}}', "{}"),
            () => new Form("[".repeat(100_000), "{}"),
        ]) {
            try { attempt(); refused.push("nothing"); } catch (error) {
                refused.push(error instanceof WebAssembly.RuntimeError ? "the stack" : "refused");
            }
        }
        return [findings, twice, steps.every(Boolean), conflicts, form.value(`${at}/grams`), refused];
    "#;
    page.show(FORM, definition(), json!({"name": "Rye"})).await?;
    let refused = ["refused"; 5];
    assert_eq!(page.js(script).await?, json!([1, 60, true, 1, 40, refused]));
    Ok(())
}

async fn deferred_checks_are_answered_in_javascript(page: &Browser) -> Done {
    let binding = "{ onSubmit: (submission) => { window.sent = submission.payload; } }";
    page.show_with(FORM, definition(), json!({"name": "Rye"}), "{}", binding).await?;
    page.js("window.asked = [];
         window.checking = form.answerChecks('name_is_free', (value, at) => new Promise((answer, fail) => {
             asked.push({ value, at, answer, fail });
         }))")
        .await?;
    page.js("document.querySelector('#name').select()").await?;
    page.insert("Spelt").await?;
    let state = "[asked.map(({ value, at }) => [value, at]), form.state().isPending, form.inspect('/name').isPending, 'pending' in document.querySelector('#name').dataset]";
    assert_eq!(page.eval(state).await?, json!([[["Spelt", "/name"]], true, true, true]));
    page.js("asked[0].answer('There is a batch of this name.')").await?;
    page.until("!form.state().isPending").await?;
    page.keys(crate::browser::TAB).await?;
    assert_eq!(page.text("#name + p").await?, "There is a batch of this name.");

    // A submit waits for the answer.
    page.js("document.querySelector('#name').select()").await?;
    page.insert("Emmer").await?;
    page.click("#save").await?;
    assert_eq!(page.eval("[form.state().status, window.sent ?? null]").await?, json!(["submitting", null]));
    page.js("asked[1].answer()").await?;
    page.until("window.sent !== undefined").await?;
    assert_eq!(page.eval("sent.name").await?, json!("Emmer"));

    // A handler that fails, or answers with something else, leaves the check unknown, and the console says so.
    page.show_with(FORM, definition(), json!({"name": "Rye"}), "{}", binding).await?;
    page.js("form.answerChecks('name_is_free', (value) => { if (value === 'Spelt') throw new Error('offline'); return 12; })").await?;
    for name in ["Spelt", "Emmer"] {
        page.retype("#name", name).await?;
        assert_eq!(
            page.eval("[form.state().isPending, form.state().isValid]").await?,
            json!([false, true]),
            "{name}"
        );
    }
    let logged = page.logged().await?;
    assert!(logged.iter().any(|line| line == "offline"), "{logged:?}");
    let wanted = "the answer to the check “name_is_free” must be a message, or nothing if the value is right, not the number 12";
    assert!(logged.iter().any(|line| line == wanted), "{logged:?}");
    Ok(())
}

async fn a_check_that_nobody_answers_is_spoken_of_when_a_person_saves(page: &Browser) -> Done {
    let binding = "{ onSubmit: () => { window.sent = true; } }";
    page.show_with(FORM, definition(), json!({"name": "Rye"}), "{}", binding).await?;
    page.retype("#name", "Spelt").await?;
    page.click("#save").await?;
    assert_eq!(page.eval("window.sent ?? false").await?, json!(false));
    assert_eq!(page.text("#summary").await?, "This cannot be sent: nothing answers the check name_is_free.");
    let logged = page.logged().await?;
    assert!(
        logged.iter().any(|line| line.contains("nothing answers these deferred checks: name_is_free")),
        "{logged:?}"
    );
    // Somebody does: it is sent.
    page.js("form.answerChecks('name_is_free', () => {})").await?;
    page.until("window.sent").await?;
    Ok(())
}
