//! The habits of a page: submitting, resetting, keyboard, messages, and reloading.

use serde_json::{Value, json};

use crate::browser::{Browser, CONTROL, Done, ENTER, SHIFT, TAB};

crate::tests!(
    enter_submits_and_the_page_stays,
    a_refused_submit_leads_to_the_first_finding,
    the_answer_of_a_server_lands_on_its_fields,
    a_reset_button_resets,
    a_message_does_not_move_the_page_under_a_click,
    undo_and_redo_by_keyboard,
    marks_and_roles_follow_the_form,
    findings_are_announced_without_chatter,
    messages_without_an_element_are_in_the_summary,
    a_dirty_page_asks_before_it_is_left,
    what_was_typed_survives_a_reload,
    a_draft_of_another_version_is_restored_as_far_as_it_fits,
    storage_that_is_refused_is_spoken_of,
    unbinding_removes_every_listener_and_subscription,
    handles_may_be_forgotten,
    two_forms_on_one_page_are_two_forms,
    a_form_in_a_part_that_comes_and_goes,
);

const SHEET: &str = r#"<form id="sheet">
    <div data-findings-of=""></div>
    <label for="name">Name</label><input id="name" name="/name"><p data-findings-of="/name"></p>
    <label for="loaves">Loaves</label><input id="loaves" name="/loaves"><p data-findings-of="/loaves"></p>
    <button id="save">Save</button><button id="reset" type="reset">Reset</button>
</form>"#;

fn definition() -> Value {
    json!({
        "type": "object",
        "required": ["name", "loaves"],
        "properties": {
            "name": {"type": "string", "title": "Name", "minLength": 3},
            "loaves": {"type": "integer", "title": "Loaves", "minimum": 1, "maximum": 500},
            "notes": {"type": "string", "title": "Notes", "maxLength": 5},
        },
    })
}

fn data() -> Value {
    json!({"name": "Rye", "loaves": 12})
}

async fn enter_submits_and_the_page_stays(page: &Browser) -> Done {
    let binding = "{ submit: { send: 'dirty' }, onSubmit: (submission) => { window.sent = submission.payload; submission.accept(); } }";
    page.show_with(SHEET, definition(), data(), "{}", binding).await?;
    page.js("window.here = true").await?;
    page.retype("#loaves", "24").await?;
    page.keys(ENTER).await?;
    assert_eq!(
        page.eval("[window.here, window.sent, form.state().status]").await?,
        json!([true, {"loaves": 24}, "accepted"])
    );
    assert_eq!(page.eval("sheet.dataset.status").await?, json!("accepted"));
    assert_eq!(page.eval("form.state().isDirty").await?, json!(false));
    Ok(())
}

async fn a_refused_submit_leads_to_the_first_finding(page: &Browser) -> Done {
    let binding = "{ onSubmit: () => { window.sent = true; } }";
    page.show_with(
        SHEET,
        definition(),
        json!({"name": "", "loaves": 900, "notes": "much too long"}),
        "{}",
        binding,
    )
    .await?;
    assert_eq!(page.text("p").await?, "");
    page.click("#save").await?;
    assert_eq!(page.eval("window.sent ?? false").await?, json!(false));
    assert_eq!(page.focused().await?, "loaves");
    assert_eq!(page.text("#name + p").await?, "Needs a value.");
    assert_eq!(page.text("#loaves + p").await?, "Must be at most 500.");
    // Findings without a place in the page are in the summary.
    assert_eq!(page.text("#sheet > div").await?, "Notes: Use at most 5 characters (now 13).");
    page.js("form.set('/notes', 'ok')").await?;
    assert_eq!(page.text("#sheet > div").await?, "");
    Ok(())
}

async fn the_answer_of_a_server_lands_on_its_fields(page: &Browser) -> Done {
    let binding = "{ onSubmit: async (submission) => {
        await new Promise((done) => { window.answer = done; });
        if (window.problem) submission.reject(window.problem);
    } }";
    page.show_with(SHEET, definition(), data(), "{}", binding).await?;
    page.retype("#name", "Spelt").await?;
    page.click("#save").await?;
    assert_eq!(
        page.eval("[sheet.dataset.status, sheet.getAttribute('aria-busy')]").await?,
        json!(["submitting", "true"])
    );
    // A second press sends nothing, and is nothing to speak of.
    page.click("#save").await?;
    page.js(
        "window.problem = { title: 'Not saved', errors: [{ pointer: '#/name', detail: 'Taken' }] }; answer()",
    )
    .await?;
    page.until("sheet.dataset.status === 'rejected'").await?;
    assert_eq!(
        (page.text("#name + p").await?, page.text("#sheet > div").await?),
        ("Taken".into(), "Not saved".into())
    );
    // The promise alone answers, too: kept is accepted, broken is rejected.
    page.retype("#name", "Spelt loaf").await?;
    page.click("#save").await?;
    page.js("window.problem = null; answer()").await?;
    page.until("sheet.dataset.status === 'accepted'").await?;
    let failing = "{ onSubmit: async () => { throw new Error('No connection'); } }";
    page.show_with(SHEET, definition(), data(), "{}", failing).await?;
    page.click("#save").await?;
    page.until("sheet.dataset.status === 'rejected'").await?;
    assert_eq!(page.text("#sheet > div").await?, "No connection");
    Ok(())
}

async fn a_reset_button_resets(page: &Browser) -> Done {
    page.show(SHEET, definition(), data()).await?;
    page.retype("#loaves", "9oo").await?;
    page.keys(TAB).await?;
    assert_eq!(page.text("#loaves + p").await?, "“9oo” is not a whole number.");
    page.click("#reset").await?;
    assert_eq!((page.value("#loaves").await?, page.text("#loaves + p").await?), ("12".into(), String::new()));
    assert_eq!(
        page.eval("[...sheet.querySelectorAll('[data-dirty],[data-touched]')].length").await?,
        json!(0)
    );
    Ok(())
}

async fn a_message_does_not_move_the_page_under_a_click(page: &Browser) -> Done {
    let html = r#"<form><input id="loaves" name="/loaves"><p data-findings-of="/loaves"></p>
        <div><button id="clear" type="button" name="/name" value="clear">Clear</button></div></form>"#;
    page.show(html, definition(), data()).await?;
    page.retype("#loaves", "900").await?;
    let before = page.eval("document.getElementById('clear').getBoundingClientRect().top").await?;
    page.click("#clear").await?;
    assert_eq!(page.eval("form.value('/name')").await?, json!(""), "the click has not missed");
    assert_eq!(page.text("p").await?, "Must be at most 500.");
    assert_ne!(page.eval("document.getElementById('clear').getBoundingClientRect().top").await?, before);
    // Without a click, as when the pointer is dragged away, the control is left all the same.
    page.js("form.reset(); loaves.focus()").await?;
    page.js("document.dispatchEvent(new PointerEvent('pointerdown')); loaves.blur()").await?;
    assert_eq!(page.eval("form.inspect('/loaves').isTouched").await?, json!(false));
    page.js("document.dispatchEvent(new PointerEvent('pointerup'))").await?;
    page.until("form.inspect('/loaves').isTouched").await?;
    // The end of a press may be reported to nobody, as where the list of a select is open. The next key ends it.
    page.js("form.reset(); loaves.focus(); document.dispatchEvent(new PointerEvent('pointerdown'))").await?;
    page.keys(TAB).await?;
    assert_eq!(page.eval("form.inspect('/loaves').isTouched").await?, json!(true));
    Ok(())
}

async fn undo_and_redo_by_keyboard(page: &Browser) -> Done {
    page.show(SHEET, definition(), data()).await?;
    page.retype("#name", "Spelt").await?;
    page.retype("#loaves", "24").await?;
    page.chord(CONTROL, 'z').await?;
    assert_eq!((page.value("#name").await?, page.value("#loaves").await?), ("Spelt".into(), "12".into()));
    page.chord(CONTROL, 'z').await?;
    assert_eq!((page.value("#name").await?, page.value("#loaves").await?), ("Rye".into(), "12".into()));
    page.chord(CONTROL, 'y').await?;
    assert_eq!(page.value("#name").await?, "Spelt");
    page.js("document.activeElement.dispatchEvent(new InputEvent('beforeinput', { inputType: 'historyRedo', bubbles: true, cancelable: true }))").await?;
    assert_eq!(page.value("#loaves").await?, "24");
    // With nothing to redo, nothing happens.
    page.chord(CONTROL, 'y').await?;
    assert_eq!(page.logged().await?, [""; 0]);
    Ok(())
}

async fn marks_and_roles_follow_the_form(page: &Browser) -> Done {
    let html = r#"<form>
        <label for="code">Code</label><input id="code" name="/code" aria-describedby="hint"><small id="hint">Four digits</small>
        <p id="said" data-findings-of="/code"></p>
        <input id="number" name="/number"><input type="checkbox" id="done" name="/done">
        <label for="hours">Hours</label><input id="hours" name="/hours">
        <button id="undo" type="button" name="" value="undo">Undo</button>
        <button id="release" type="button" name="/price" value="release">Suggest</button><input id="price" name="/price">
    </form>"#;
    let definition = json!({
        "type": "object",
        "required": ["code"],
        "properties": {
            "code": {"type": "string", "minLength": 4},
            "number": {"type": "integer", "readOnly": true},
            "done": {"type": "boolean", "readOnly": true},
            "hours": {"type": "integer", "x-ricordo": {"relevant": "code != null"}},
            "price": {"type": "number", "x-ricordo": {"suggest": "number * 2"}},
        },
    });
    page.show(html, definition, json!({"number": 41})).await?;
    let roles = "['aria-required', 'aria-invalid', 'aria-describedby', 'data-dirty', 'data-touched'].map((name) => code.getAttribute(name))";
    assert_eq!(page.eval(roles).await?, json!(["true", null, "hint", null, null]));
    assert_eq!(
        page.eval("[code.validity.customError, code.matches(':invalid'), code.matches(':user-invalid')]")
            .await?,
        json!([true, true, false])
    );
    assert_eq!(
        page.eval("[number.readOnly, done.disabled, hours.hidden, hours.labels[0].hidden]").await?,
        json!([true, true, true, true])
    );
    assert_eq!(page.eval("[undo.disabled, release.hidden, price.value]").await?, json!([true, true, "82"]));
    page.type_in("#code", "12").await?;
    page.keys(TAB).await?;
    assert_eq!(page.eval(roles).await?, json!(["true", "true", "hint said", "", ""]));
    assert_eq!(page.eval("code.matches(':user-invalid')").await?, json!(true));
    assert_eq!(
        page.eval("[hours.hidden, hours.labels[0].hidden, undo.disabled]").await?,
        json!([false, false, false])
    );
    page.type_in("#code", "34").await?;
    assert_eq!(page.eval(roles).await?, json!(["true", null, "hint", "", ""]));
    assert_eq!(page.eval("code.matches(':valid')").await?, json!(true));
    page.retype("#price", "90").await?;
    assert_eq!(
        page.eval("[release.hidden, price.hasAttribute('data-overridden')]").await?,
        json!([false, true])
    );
    page.click("#release").await?;
    assert_eq!(page.eval("[release.hidden, price.value]").await?, json!([true, "82"]));
    Ok(())
}

async fn findings_are_announced_without_chatter(page: &Browser) -> Done {
    page.show(SHEET, definition(), data()).await?;
    page.js("window.said = []; new MutationObserver(() => said.push(document.querySelector('[role=status]').textContent)).observe(document.querySelector('[role=status]'), { childList: true, characterData: true, subtree: true })").await?;
    page.retype("#loaves", "900").await?;
    page.keys(TAB).await?;
    page.until("said.length === 1").await?;
    assert_eq!(page.eval("said[0]").await?, json!("Loaves: Must be at most 500."));
    // While somebody types, nothing is said; and what is mended is not spoken of.
    page.retype("#loaves", "9").await?;
    page.keys("00").await?;
    page.keys("0").await?;
    tokio::time::sleep(std::time::Duration::from_secs(1)).await;
    assert_eq!(page.eval("said").await?, json!(["Loaves: Must be at most 500."]));
    Ok(())
}

async fn messages_without_an_element_are_in_the_summary(page: &Browser) -> Done {
    let html = r#"<form><ul data-findings-of=""></ul><input id="loaves" name="/loaves"></form>"#;
    page.show(html, definition(), data()).await?;
    page.retype("#loaves", "900").await?;
    page.keys(TAB).await?;
    assert_eq!(page.text("ul").await?, "Loaves: Must be at most 500.");
    // Also in a row that came later.
    let html = r#"<form><ul data-findings-of=""></ul><template data-rows-of="/rows"><input name="/pieces"></template>
        <button id="add" type="button" name="/rows" value="add">Add</button></form>"#;
    let row = json!({"type": "object", "properties": {"pieces": {"type": "integer", "title": "Pieces"}}});
    let rows = json!({"type": "object", "properties": {"rows": {"type": "array", "items": row}}});
    page.show(html, rows, json!({})).await?;
    page.click("#add").await?;
    page.keys("1o").await?;
    page.click("#add").await?;
    assert_eq!(page.text("ul").await?, "Pieces: “1o” is not a whole number.");
    // Without a summary, the browser shows the message by the control.
    let binding = "{ onSubmit: () => {} }";
    page.show_with(
        r#"<form><input id="loaves" name="/loaves"><button id="save">Save</button></form>"#,
        definition(),
        json!({"name": "Rye", "loaves": 900}),
        "{}",
        binding,
    )
    .await?;
    page.js("HTMLInputElement.prototype.reportValidity = function () { window.reported = this.id + ': ' + this.validationMessage; }").await?;
    page.click("#save").await?;
    assert_eq!(page.eval("window.reported").await?, json!("loaves: Must be at most 500."));
    Ok(())
}

async fn a_dirty_page_asks_before_it_is_left(page: &Browser) -> Done {
    page.show(SHEET, definition(), data()).await?;
    let asks = "!window.dispatchEvent(new Event('beforeunload', { cancelable: true }))";
    assert_eq!(page.eval(asks).await?, json!(false));
    page.retype("#loaves", "13").await?;
    assert_eq!(page.eval(asks).await?, json!(true));
    page.retype("#loaves", "12").await?;
    assert_eq!(page.eval(asks).await?, json!(false));
    page.show_with(SHEET, definition(), data(), "{}", "{ askBeforeLeaving: false }").await?;
    page.retype("#loaves", "13").await?;
    assert_eq!(page.eval(asks).await?, json!(false));
    Ok(())
}

/// Reloads the page as a person does who is sure.
async fn reload(page: &Browser) -> Done {
    page.client.refresh().await?;
    page.ready().await
}

async fn what_was_typed_survives_a_reload(page: &Browser) -> Done {
    for store in ["tab", "browser"] {
        let options = format!("{{ draft: 'sheet', store: '{store}' }}");
        let binding = "{ askBeforeLeaving: false }";
        page.show_with(SHEET, definition(), data(), &options, binding).await?;
        page.retype("#loaves", "9oo").await?;
        reload(page).await?;
        page.show_again(SHEET, definition(), data(), &options, binding).await?;
        assert_eq!(
            (page.value("#loaves").await?, page.value("#name").await?),
            ("9oo".into(), "Rye".into()),
            "{store}"
        );
        assert_eq!(page.eval("[form.state().isDirty, form.leftOut]").await?, json!([true, []]));
        // Once there is nothing to keep, nothing is kept.
        page.click("#reset").await?;
        page.until("sessionStorage.length + localStorage.length === 0").await?;
    }
    Ok(())
}

async fn a_draft_of_another_version_is_restored_as_far_as_it_fits(page: &Browser) -> Done {
    let options = "{ draft: 'sheet' }";
    let binding = "{ askBeforeLeaving: false }";
    page.show_with(SHEET, definition(), data(), options, binding).await?;
    page.retype("#name", "Spelt").await?;
    page.retype("#loaves", "24").await?;
    reload(page).await?;
    let mut newer = definition();
    newer["properties"]["loaves"] = json!({"type": "array", "items": {"type": "string"}});
    let html = r#"<form><div data-findings-of=""></div><input id="name" name="/name"></form>"#;
    page.show_again(html, newer.clone(), json!({"name": "Rye", "loaves": []}), options, binding).await?;
    assert_eq!(page.value("#name").await?, "Spelt");
    let said = page.text("form > div").await?;
    assert!(
        said.starts_with("Not all that was typed could be restored: /loaves was a place of another kind"),
        "{said}"
    );
    // The old draft is kept, whatever is typed then, until a person decides.
    page.retype("#name", "Emmer").await?;
    page.until("sessionStorage.getItem('ricordo draft: sheet').includes('Emmer')").await?;
    let former =
        page.eval("JSON.parse(form.formerDraft).form.fields !== undefined && form.formerDraft").await?;
    assert!(
        former.as_str().is_some_and(|former| former.contains("24") && former.contains("Spelt")),
        "{former}"
    );
    page.js("form.forgetFormerDraft()").await?;
    assert_eq!(page.eval("form.formerDraft ?? null").await?, json!(null));
    // So is a damaged one.
    page.js("sessionStorage.setItem('ricordo draft: sheet', '{')").await?;
    page.show_again(html, newer.clone(), json!({"name": "Rye", "loaves": []}), options, binding).await?;
    let said = page.text("form > div").await?;
    assert!(said.starts_with("Not all that was typed could be restored:"), "{said}");
    assert_eq!(page.eval("form.formerDraft").await?, json!("{"));
    // A draft that is restored as a whole has no former one.
    page.js("form.forgetFormerDraft()").await?;
    page.retype("#name", "Durum").await?;
    reload(page).await?;
    page.show_again(html, newer, json!({"name": "Rye", "loaves": []}), options, binding).await?;
    assert_eq!(page.eval("[form.value('/name'), form.formerDraft ?? null]").await?, json!(["Durum", null]));
    Ok(())
}

async fn storage_that_is_refused_is_spoken_of(page: &Browser) -> Done {
    page.open("tests/blank.html").await?;
    page.js(
        "sessionStorage.clear(); window.store = Storage.prototype.setItem; Storage.prototype.setItem = () => { throw new DOMException('it is full', 'QuotaExceededError'); }",
    )
    .await?;
    page.show_again(SHEET, definition(), data(), "{ draft: 'sheet' }", "{}").await?;
    page.retype("#loaves", "13").await?;
    page.until("sheet.firstElementChild.textContent !== ''").await?;
    assert_eq!(page.text("#sheet > div").await?, "A reload of this page loses your input: it is full");
    let logged = page.logged().await?;
    assert_eq!(logged, ["ricordo: the draft “sheet” is not stored: it is full"]);
    // Nothing is lost on the page.
    assert_eq!(page.eval("form.value('/loaves')").await?, json!(13));
    // The notice is withdrawn once there is nothing to store, and once it can be stored.
    page.click("#reset").await?;
    assert_eq!(page.text("#sheet > div").await?, "");
    page.retype("#loaves", "14").await?;
    page.until("sheet.firstElementChild.textContent !== ''").await?;
    page.js("Storage.prototype.setItem = store").await?;
    page.keys("5").await?;
    page.until("sheet.firstElementChild.textContent === ''").await?;
    assert_eq!(page.eval("sessionStorage.length").await?, json!(1));
    Ok(())
}

async fn unbinding_removes_every_listener_and_subscription(page: &Browser) -> Done {
    page.open("tests/blank.html").await?;
    page.js("
        window.count = 0;
        const add = EventTarget.prototype.addEventListener, remove = EventTarget.prototype.removeEventListener;
        EventTarget.prototype.addEventListener = function (...given) { count += 1; return add.apply(this, given); };
        EventTarget.prototype.removeEventListener = function (...given) { count -= 1; return remove.apply(this, given); };
    ").await?;
    page.show_again(SHEET, definition(), data(), "{ draft: 'sheet' }", "{}").await?;
    page.retype("#loaves", "900").await?;
    page.keys(TAB).await?;
    let counts = "[count > 10, count === Form.listenerCount(), form.subscribers().length >= 4]";
    assert_eq!(page.eval(counts).await?, json!([true, true, true]));
    let before = page.eval("sheet.outerHTML.length").await?;
    page.js("bound.end()").await?;
    assert_eq!(
        page.eval("[count, Form.listenerCount(), form.subscribers().length]").await?,
        json!([0, 0, 0])
    );
    // The form is as it was; the page keeps what stands in it, without marks.
    assert_eq!(
        page.eval("[form.value('/loaves'), loaves.value, loaves.validity.valid]").await?,
        json!([900, "900", true])
    );
    assert_eq!(
        page.eval(
            "document.querySelectorAll('[data-dirty],[data-touched],[aria-invalid],[role=status]').length"
        )
        .await?,
        json!(0)
    );
    assert_ne!(page.eval("sheet.outerHTML.length").await?, before);
    // It can be bound again, and not twice.
    page.js("window.bound = form.bind(sheet)").await?;
    let twice = page.js("try { form.bind(sheet) } catch (error) { return error.message }").await?;
    assert_eq!(twice, json!("the element is bound already; end that binding first"));
    page.retype("#loaves", "13").await?;
    assert_eq!(page.eval("form.value('/loaves')").await?, json!(13));
    Ok(())
}

async fn handles_may_be_forgotten(page: &Browser) -> Done {
    page.open("tests/blank.html").await?;
    let script = "
        document.querySelector('main').innerHTML = arguments[0];
        const form = new Form(arguments[1], arguments[2]);
        form.bind(document.getElementById('sheet'));
        form.subscribe('/loaves', (change) => { window.seen = change.value; });
    ";
    page.client.execute(script, vec![SHEET.into(), definition(), data()]).await?;
    // Objects that nobody holds are collected, and their finalizers run.
    for _ in 0..3 {
        page.js("gc()").await?;
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    page.retype("#loaves", "24").await?;
    assert_eq!(page.eval("window.seen").await?, json!(24));
    page.click("#reset").await?;
    assert_eq!((page.value("#loaves").await?, page.eval("window.seen").await?), ("12".into(), json!(12)));
    Ok(())
}

async fn two_forms_on_one_page_are_two_forms(page: &Browser) -> Done {
    page.show(&format!("{SHEET}<form id=\"other\"><input name=\"/loaves\"></form>"), definition(), data())
        .await?;
    page.js("window.second = new Form(arguments[0] ?? form.definition ?? { type: 'object', properties: { loaves: { type: 'integer' } } }, { loaves: 7 }); window.also = second.bind(other)").await?;
    page.retype("#other input", "8").await?;
    page.retype("#loaves", "13").await?;
    assert_eq!(page.eval("[form.value('/loaves'), second.value('/loaves')]").await?, json!([13, 8]));
    page.chord(CONTROL, 'z').await?;
    assert_eq!(page.eval("[form.value('/loaves'), second.value('/loaves')]").await?, json!([12, 8]));
    page.js("also.end()").await?;
    page.retype("#loaves", "14").await?;
    assert_eq!(page.eval("form.value('/loaves')").await?, json!(14));
    Ok(())
}

async fn a_form_in_a_part_that_comes_and_goes(page: &Browser) -> Done {
    page.show(SHEET, definition(), data()).await?;
    page.retype("#loaves", "9oo").await?;
    // The part goes with its elements, and comes back with new ones.
    page.js("bound.end(); window.markup = sheet.outerHTML; sheet.remove(); document.querySelector('main').innerHTML = markup; window.bound = form.bind(sheet)").await?;
    assert_eq!(page.value("#loaves").await?, "9oo");
    page.chord(SHIFT, TAB.chars().next().ok_or("a tab")?).await?;
    page.retype("#loaves", "24").await?;
    assert_eq!(
        page.eval("[form.value('/loaves'), Form.listenerCount() > 0, bound.mistakes.length]").await?,
        json!([24, true, 0])
    );
    Ok(())
}
