//! Buttons, pickers and the keyboard: the page offers what is possible, and moves the focus with the person.

use serde_json::{Value, json};

use crate::browser::{Browser, Done, TAB};

crate::tests!(
    buttons_that_cannot_act_are_disabled_and_the_focus_follows,
    native_controls_offer_what_the_form_takes,
    a_selection_made_before_the_focus_stays,
    the_summary_speaks_of_lists_and_of_whatever_has_no_element,
    what_a_server_says_is_shown_like_any_other_error,
    a_page_with_a_draft_does_not_ask,
    a_variant_that_is_chosen_again_has_its_text,
);

const SHEET: &str = r#"<form>
    <div id="summary" data-findings-of=""></div>
    <input id="name" name="/name"><p data-findings-of="/name"></p>
    <ul id="list">
        <template data-rows-of="/rows">
            <li><input class="n" name="/n">
                <button type="button" name="" value="up">Up</button> <button type="button" name="" value="down">Down</button>
                <button type="button" name="" value="duplicate">Copy</button> <button type="button" name="" value="remove">Remove</button></li>
        </template>
    </ul>
    <button id="add" type="button" name="/rows" value="add">Add</button>
    <button id="open" type="button" name="/note" value="add">Add a note</button>
    <template data-content-of="/note"><p><input id="text" name="/text"> <button id="close" type="button" name="" value="remove">Remove</button></p></template>
    <button id="save">Save</button>
</form>"#;

fn definition() -> Value {
    json!({
        "type": "object",
        "properties": {
            "name": {"type": "string", "title": "Name"},
            "rows": {
                "type": "array", "title": "Rows", "minItems": 1, "maxItems": 3,
                "x-ricordo": {"readonly": "name = \"locked\""},
                "items": {"type": "object", "properties": {"n": {"type": "integer", "title": "Number", "maximum": 9}}},
            },
            "note": {"oneOf": [{"type": "null"}, {"type": "object", "properties": {"text": {"type": "string"}}}]},
        },
    })
}

/// The values of the buttons that can act, by row.
const CAN_ACT: &str = "[...document.querySelectorAll('li')].map((row) => [...row.querySelectorAll('button:enabled')].map((button) => button.value).join(' '))";

async fn buttons_that_cannot_act_are_disabled_and_the_focus_follows(page: &Browser) -> Done {
    page.show(SHEET, definition(), json!({"rows": [{"n": 1}, {"n": 2}]})).await?;
    assert_eq!(page.eval(CAN_ACT).await?, json!(["down duplicate remove", "up duplicate remove"]));
    page.click("#add").await?;
    assert_eq!(page.eval(CAN_ACT).await?, json!(["down remove", "up down remove", "up remove"]));
    assert_eq!(page.eval("document.querySelector('#add').disabled").await?, json!(true));
    assert_eq!(page.eval("document.activeElement.className").await?, json!("n"));

    // A row that has reached the end cannot go on: the focus is on the button that takes it back.
    page.click("li:nth-of-type(2) [value=up]").await?;
    assert_eq!(page.eval(CAN_ACT).await?, json!(["down remove", "up down remove", "up remove"]));
    assert_eq!(page.eval("[document.activeElement.value, document.activeElement.closest('li').querySelector('input').value]").await?, json!(["down", "2"]));
    page.click("li:nth-of-type(3) [value=remove]").await?;
    assert_eq!(page.eval("document.querySelector('#add').disabled").await?, json!(false));
    assert_eq!(page.eval(CAN_ACT).await?, json!(["down duplicate remove", "up duplicate remove"]));

    page.js("form.set('/name', 'locked')").await?;
    assert_eq!(page.eval(CAN_ACT).await?, json!(["", ""]));
    assert_eq!(page.eval("document.querySelector('#add').disabled").await?, json!(true));
    page.js("form.set('/name', '')").await?;
    assert_eq!(page.eval(CAN_ACT).await?, json!(["down duplicate remove", "up duplicate remove"]));

    // An optional record has one button at a time.
    let state = "[document.querySelector('#open').disabled, document.querySelector('#open').hidden, document.querySelector('#close') !== null]";
    assert_eq!(page.eval(state).await?, json!([false, false, false]));
    page.click("#open").await?;
    assert_eq!(
        (page.eval(state).await?, page.focused().await?),
        (json!([true, true, true]), "text".to_owned())
    );
    page.click("#close").await?;
    assert_eq!(
        (page.eval(state).await?, page.focused().await?),
        (json!([false, false, false]), "open".to_owned())
    );
    Ok(())
}

async fn native_controls_offer_what_the_form_takes(page: &Browser) -> Done {
    let definition = json!({
        "type": "object",
        "properties": {
            "loaves": {"type": "integer", "minimum": 1, "exclusiveMaximum": 500},
            "price": {"type": "number", "minimum": 0, "multipleOf": 0.05},
            "free": {"type": "number"},
            "odd": {"type": "integer", "minimum": 1, "multipleOf": 5},
            "from": {"type": "string", "format": "date"},
            "to": {"type": "string", "format": "date", "x-ricordo": {"minimum": "from", "maximum": "2026-12-31"}},
        },
    });
    let html = r#"<form><input id="loaves" type="number" name="/loaves"><input id="price" type="number" name="/price">
        <input id="free" type="number" name="/free"><input id="odd" type="number" name="/odd"><input id="own" type="number" name="/loaves" min="10" step="2">
        <input id="from" type="date" name="/from"><input id="to" type="date" name="/to"></form>"#;
    page.show(html, definition, json!({"from": "2026-12-01"})).await?;
    let limits = "[...document.querySelectorAll('input')].map((input) => [input.id, input.min, input.max, input.step])";
    assert_eq!(
        page.eval(limits).await?,
        json!([
            ["loaves", "1", "499", "1"],
            ["price", "0", "", "0.05"],
            ["free", "", "", "any"],
            ["odd", "1", "", "any"],
            ["own", "10", "499", "2"],
            ["from", "", "", ""],
            ["to", "2026-12-01", "2026-12-31", ""],
        ])
    );
    page.js("form.enter('/from', '2026-12-10')").await?;
    assert_eq!(page.eval("document.querySelector('#to').min").await?, json!("2026-12-10"));
    Ok(())
}

async fn a_selection_made_before_the_focus_stays(page: &Browser) -> Done {
    let definition = json!({"type": "object", "properties": {"price": {"type": "number", "x-ricordo": {"display": {"decimals": 2}}}}});
    let html = r#"<form><input id="price" name="/price"><button id="b" type="button">b</button></form>"#;
    let orders = [
        "price.select(); price.focus()",
        "price.focus(); price.select()",
        "price.setSelectionRange(0, 4); price.focus()",
    ];
    for order in orders {
        page.show(html, definition.clone(), json!({"price": 3.5})).await?;
        assert_eq!(page.value("#price").await?, "3.50");
        page.js(&format!("const price = document.querySelector('#price'); {order}")).await?;
        page.keys("7").await?;
        assert_eq!(page.value("#price").await?, "7", "{order}");
    }
    // By keyboard, too.
    page.show(html, definition, json!({"price": 3.5})).await?;
    page.click("#b").await?;
    page.chord(crate::browser::SHIFT, '\u{e004}').await?;
    page.keys("8").await?;
    assert_eq!(page.value("#price").await?, "8");
    Ok(())
}

async fn the_summary_speaks_of_lists_and_of_whatever_has_no_element(page: &Browser) -> Done {
    page.show_with(SHEET, definition(), json!({"rows": [{"n": 1}]}), "{}", "{ onSubmit: () => {} }").await?;
    page.click("li [value=remove]").await?;
    page.js("form.apply({ op: 'leave', path: '/rows' })").await?;
    assert_eq!(page.text("#summary").await?, "Rows: Add rows: at least 1 (now 0).");
    assert_eq!(page.eval("'invalid' in document.querySelector('#list').dataset").await?, json!(true));
    // A refused save leads to the button that helps.
    page.click("#save").await?;
    assert_eq!(page.focused().await?, "add");
    page.click("#add").await?;
    assert_eq!(page.text("#summary").await?, "");
    assert_eq!(page.eval("'invalid' in document.querySelector('#list').dataset").await?, json!(false));
    page.keys("12").await?;
    page.keys(TAB).await?;
    assert_eq!(page.text("#summary").await?, "Number: Must be at most 9.");
    Ok(())
}

async fn what_a_server_says_is_shown_like_any_other_error(page: &Browser) -> Done {
    let binding = "{ onSubmit: (submission) => { window.submission = submission; } }";
    page.show_with(SHEET, definition(), json!({"name": "Rye", "rows": [{"n": 1}]}), "{}", binding).await?;
    page.click("#save").await?;
    let reject = r##"submission.reject({ title: "Not saved", errors: [{ pointer: "#/rows/0/n", detail: "Taken." }, { pointer: "#/name", detail: "Unknown." }] })"##;
    page.js(reject).await?;
    // The first of them has the focus, in the order of the form.
    assert_eq!(page.focused().await?, "name");
    let marks = "[...document.querySelectorAll('#name, .n')].map((input) => [input.getAttribute('aria-invalid'), input.matches(':invalid'), input.validationMessage])";
    assert_eq!(page.eval(marks).await?, json!([["true", true, "Unknown."], ["true", true, "Taken."]]));
    assert_eq!(page.text("#name + p").await?, "Unknown.");
    assert_eq!(page.text("#summary").await?, "Not savedNumber: Taken.");
    // Whoever works on something else by now is left alone.
    page.click("#save").await?;
    page.click(".n").await?;
    page.js(reject).await?;
    assert_eq!(page.eval("document.activeElement.className").await?, json!("n"));
    page.keys("7").await?;
    assert_eq!(
        page.eval("document.querySelector('.n').matches(':invalid')").await?,
        json!(true),
        "17 is too much"
    );
    Ok(())
}

async fn a_page_with_a_draft_does_not_ask(page: &Browser) -> Done {
    let asks = "(() => { const event = new Event('beforeunload', { cancelable: true }); window.dispatchEvent(event); return event.defaultPrevented; })()";
    for (options, expected) in [("{}", true), ("{ draft: 'sheet' }", false)] {
        page.show_with(SHEET, definition(), json!({"rows": [{"n": 1}]}), options, "{}").await?;
        assert_eq!(page.eval(asks).await?, json!(false));
        page.retype("#name", "Rye").await?;
        assert_eq!(page.eval(asks).await?, json!(expected), "{options}");
        page.js("bound.end()").await?;
    }
    // A draft that cannot be stored keeps nothing.
    page.show_with(SHEET, definition(), json!({"rows": [{"n": 1}]}), "{ draft: 'sheet' }", "{}").await?;
    page.js("Storage.prototype.setItem = () => { throw new Error('full'); }").await?;
    page.retype("#name", "Rye").await?;
    page.until("document.querySelector('#summary').textContent.includes('full')").await?;
    assert_eq!(page.eval(asks).await?, json!(true));
    page.js("bound.end()").await?;
    Ok(())
}

async fn a_variant_that_is_chosen_again_has_its_text(page: &Browser) -> Done {
    let definition = json!({"type": "object", "properties": {"way": {"oneOf": [
        {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "post"}, "parcels": {"type": "integer"}}},
        {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "collect"}}},
    ]}}});
    let html = r#"<form><input id="post" type="radio" name="/way/kind" value="post"><input id="collect" type="radio" name="/way/kind" value="collect">
        <template data-content-of="/way" data-variant="post"><input id="parcels" name="/parcels"></template></form>"#;
    page.show(html, definition, json!({"way": {"kind": "post"}})).await?;
    page.retype("#parcels", "three").await?;
    page.click("#collect").await?;
    assert_eq!(
        page.eval("[document.querySelector('#parcels'), form.value('/way')]").await?,
        json!([null, {"kind": "collect"}])
    );
    page.click("#post").await?;
    assert_eq!(page.value("#parcels").await?, "three");
    Ok(())
}
