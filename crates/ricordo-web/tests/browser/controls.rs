//! Controls of every kind: what they show, and what a person does with them.

use serde_json::{Value, json};

use crate::browser::{BACKSPACE, Browser, Done, END, HOME, TAB};

crate::tests!(
    typing_reaches_the_form,
    native_controls_speak_canonical_text,
    what_a_number_input_cannot_read_is_kept_and_said_to_be_wrong,
    a_date_that_was_begun_is_not_lost,
    choices_are_chosen_by_every_kind_of_control,
    a_set_is_one_place_for_all_its_boxes,
    flags_switch_and_show_other_parts_of_the_page,
    several_controls_show_one_place,
    what_only_shows_follows_the_value,
    a_custom_control_shows_reads_and_resets,
    the_text_under_the_caret_is_never_rewritten,
    an_input_method_composes_in_peace,
    a_text_is_pasted_in_one_piece,
    text_that_waits_for_a_pause_is_committed_by_the_clock,
);

async fn typing_reaches_the_form(page: &Browser) -> Done {
    let definition = json!({
        "type": "object",
        "properties": {
            "name": {"type": "string", "minLength": 3},
            "loaves": {"type": "integer", "maximum": 500},
        },
    });
    let html = r#"<form><input name="/name"><input name="/loaves"><p data-findings-of="/loaves"></p></form>"#;
    let mistakes = page.show(html, definition, json!({"name": "Rye", "loaves": 12})).await?;
    assert_eq!(mistakes, [""; 0]);
    assert_eq!(
        (page.value("[name='/name']").await?, page.value("[name='/loaves']").await?),
        ("Rye".into(), "12".into())
    );
    page.retype("[name='/loaves']", "900").await?;
    assert_eq!(page.eval("form.value('/loaves')").await?, json!(900));
    assert_eq!(page.text("p").await?, "");
    page.keys(TAB).await?;
    assert_eq!(page.text("p").await?, "Must be at most 500.");
    assert_eq!(
        page.eval("document.querySelector(\"[name='/loaves']\").matches(':invalid')").await?,
        json!(true)
    );
    Ok(())
}

fn native() -> (&'static str, Value) {
    let html = r#"<form>
        <input type="number" id="weight" name="/weight">
        <input type="range" id="heat" name="/heat" min="0" max="300">
        <input type="date" id="day" name="/day"> <input type="time" id="start" name="/start">
        <input type="datetime-local" id="ready" name="/ready">
        <p data-findings-of="/weight"></p> <b data-findings-of="/day"></b>
    </form>"#;
    let comma = json!({"decimals": 2, "decimal_comma": true});
    let definition = json!({
        "type": "object",
        "properties": {
            "weight": {"type": "number", "x-ricordo": {"display": comma}},
            "heat": {"type": "integer"},
            "day": {"type": "string", "format": "date", "x-ricordo": {"display": {"pattern": "%d/%m/%Y"}}},
            "start": {"type": "string", "format": "time"},
            "ready": {"type": "string", "format": "date-time"},
        },
    });
    (html, definition)
}

async fn native_controls_speak_canonical_text(page: &Browser) -> Done {
    let (html, definition) = native();
    let data = json!({
        "weight": 6.5, "heat": 220, "day": "2026-11-28", "start": "05:30:00", "ready": "2026-11-28T09:15:00",
    });
    assert_eq!(page.show(html, definition, data).await?, [""; 0]);
    for (id, text) in [
        ("weight", "6.5"),
        ("heat", "220"),
        ("day", "2026-11-28"),
        ("start", "05:30"),
        ("ready", "2026-11-28T09:15"),
    ] {
        assert_eq!(page.value(&format!("#{id}")).await?, text, "{id}");
    }
    page.retype("#weight", "7.25").await?;
    assert_eq!(
        page.eval("[form.value('/weight'), form.inspect('/weight').display]").await?,
        json!([7.25, "7,25"])
    );
    // A fraction is not wrong by itself.
    assert_eq!(page.eval("weight.validity.valid").await?, json!(true));
    page.js("heat.value = '180'; heat.dispatchEvent(new InputEvent('input', { bubbles: true }))").await?;
    assert_eq!(page.eval("form.value('/heat')").await?, json!(180));
    page.js("day.value = '2026-12-01'; day.dispatchEvent(new InputEvent('input', { bubbles: true }))")
        .await?;
    assert_eq!(
        page.eval("[form.value('/day'), form.inspect('/day').entry]").await?,
        json!(["2026-12-01", "01/12/2026"])
    );
    Ok(())
}

async fn what_a_number_input_cannot_read_is_kept_and_said_to_be_wrong(page: &Browser) -> Done {
    let (html, definition) = native();
    page.show(html, definition, json!({"weight": 6.5})).await?;
    page.retype("#weight", "1-").await?;
    assert_eq!(page.eval("weight.validity.badInput").await?, json!(true));
    assert_eq!(
        page.eval("[form.value('/weight'), form.findings().map((finding) => finding.kind)]").await?,
        json!([null, ["bad_input"]])
    );
    page.keys(TAB).await?;
    // The typed text is still there, and the message says so.
    assert_eq!(page.eval("weight.validity.badInput").await?, json!(true));
    assert_eq!(page.text("p").await?, "“?” is not a number.");
    page.js("form.reset()").await?;
    assert_eq!(
        (page.value("#weight").await?.as_str(), page.eval("weight.validity.badInput").await?),
        ("6.5", json!(false))
    );
    Ok(())
}

async fn a_date_that_was_begun_is_not_lost(page: &Browser) -> Done {
    let (html, definition) = native();
    page.show(html, definition, json!({})).await?;
    page.js("day.focus()").await?;
    page.keys("11").await?;
    page.js("start.focus()").await?;
    assert_eq!(page.eval("[day.value, day.validity.badInput]").await?, json!(["", true]));
    assert_eq!(
        page.eval("form.findings('/day').map((finding) => finding.kind)").await?,
        json!(["bad_input"])
    );
    assert_eq!(page.text("b").await?, "“?” is not a date like 23/11/2026.");
    Ok(())
}

async fn choices_are_chosen_by_every_kind_of_control(page: &Browser) -> Done {
    let html = r#"<form>
        <select id="offered" name="/method"></select>
        <select id="written" name="/method"><option value="straight">S</option><option value="poolish">P</option></select>
        <label>Straight<input type="radio" name="/method" value="straight"></label>
        <label>Poolish<input type="radio" name="/method" value="poolish"></label>
        <select id="oven" name="/oven"></select>
        <select id="count" name="/count"><option>1</option><option>2</option></select>
    </form>"#;
    let method = json!({"oneOf": [{"const": "straight", "title": "Straight dough"}, {"const": "poolish", "title": "Poolish"}]});
    let definition = json!({
        "type": "object",
        "required": ["method"],
        "properties": {"method": method, "oven": {"type": "string"}, "count": {"type": "integer"}},
    });
    assert_eq!(page.show(html, definition, json!({"method": "straight", "count": 2})).await?, [""; 0]);
    let chosen = "[offered.value, written.value, document.querySelector('[type=radio]:checked').value]";
    assert_eq!(page.eval(chosen).await?, json!(["straight", "straight", "straight"]));
    assert_eq!(
        page.eval("[...offered.options].map((option) => option.text)").await?,
        json!(["Straight dough", "Poolish"])
    );
    page.click("[type=radio][value=poolish]").await?;
    assert_eq!(page.eval(chosen).await?, json!(["poolish", "poolish", "poolish"]));
    page.find("#offered").await?.select_by_value("straight").await?;
    assert_eq!(page.eval(chosen).await?, json!(["straight", "straight", "straight"]));
    // Choices that come at run time, and a blank to go back to.
    assert_eq!(page.eval("[oven.options.length, oven.selectedIndex]").await?, json!([1, 0]));
    page.js("form.setChoices('/oven', [{ value: 'a', label: 'Deck' }, { value: 'b', label: 'Stone' }])")
        .await?;
    page.find("#oven").await?.select_by_value("b").await?;
    assert_eq!(
        page.eval("[form.value('/oven'), oven.selectedOptions[0].text]").await?,
        json!(["b", "Stone"])
    );
    page.find("#oven").await?.select_by_value("").await?;
    assert_eq!(page.eval("form.value('/oven')").await?, Value::Null);
    page.find("#count").await?.select_by_label("1").await?;
    assert_eq!(page.eval("form.value('/count')").await?, json!(1));
    Ok(())
}

async fn a_set_is_one_place_for_all_its_boxes(page: &Browser) -> Done {
    let html = r#"<form>
        <input type="checkbox" name="/allergens" value="gluten"><input type="checkbox" name="/allergens" value="milk">
        <input type="checkbox" name="/allergens" value="nuts">
        <select multiple id="many" name="/allergens"></select>
    </form>"#;
    let definition = json!({
        "type": "object",
        "properties": {"allergens": {"type": "array", "uniqueItems": true, "items": {"enum": ["gluten", "milk", "nuts"]}}},
    });
    assert_eq!(page.show(html, definition, json!({"allergens": ["milk"]})).await?, [""; 0]);
    page.click("[value=nuts]").await?;
    page.click("[value=gluten]").await?;
    assert_eq!(page.eval("form.value('/allergens')").await?, json!(["gluten", "milk", "nuts"]));
    assert_eq!(
        page.eval("[...many.selectedOptions].map((option) => option.value)").await?,
        json!(["gluten", "milk", "nuts"])
    );
    // Some ways to choose report no input, but only a change.
    page.js("[...many.options].forEach((option) => (option.selected = option.value === 'milk')); many.dispatchEvent(new Event('change', { bubbles: true }))").await?;
    assert_eq!(page.eval("[...document.querySelectorAll(':checked')].filter((box) => box.type === 'checkbox').map((box) => box.value)").await?, json!(["milk"]));
    page.js("form.undo()").await?;
    assert_eq!(page.eval("form.value('/allergens')").await?, json!(["gluten", "milk", "nuts"]));
    Ok(())
}

async fn flags_switch_and_show_other_parts_of_the_page(page: &Browser) -> Done {
    let html = r#"<form>
        <input type="checkbox" name="/on_sale">
        <label>Price <input name="/price"></label>
        <p data-content-of="/price">per loaf</p>
        <strong data-shown-when="/on_sale">On sale!</strong>
    </form>"#;
    let definition = json!({
        "type": "object",
        "properties": {
            "on_sale": {"type": "boolean"},
            "price": {"type": "number", "x-ricordo": {"relevant": "on_sale"}},
        },
    });
    page.show(html, definition, json!({"on_sale": false, "price": 6.5})).await?;
    let hidden = "['p', 'strong'].map((tag) => document.querySelector(tag).hidden)";
    assert_eq!(page.eval(hidden).await?, json!([true, true]));
    page.click("[type=checkbox]").await?;
    assert_eq!(page.eval(hidden).await?, json!([false, false]));
    assert_eq!(page.eval("form.value('/on_sale')").await?, json!(true));
    Ok(())
}

async fn several_controls_show_one_place(page: &Browser) -> Done {
    let html = r#"<form><input id="a" name="/name"><input id="b" name="/name"><output name="/name"></output></form>"#;
    page.show(
        html,
        json!({"type": "object", "properties": {"name": {"type": "string"}}}),
        json!({"name": "Rye"}),
    )
    .await?;
    page.retype("#a", "Spelt").await?;
    assert_eq!((page.value("#b").await?, page.value("output").await?), ("Spelt".into(), "Spelt".into()));
    page.retype("#b", "Wheat").await?;
    assert_eq!((page.value("#a").await?, page.value("output").await?), ("Wheat".into(), "Wheat".into()));
    assert_eq!(page.focused().await?, "b");
    Ok(())
}

async fn what_only_shows_follows_the_value(page: &Browser) -> Done {
    let html =
        r#"<form><input name="/loaves"><output name="/cost"></output><b data-value-of="/cost"></b></form>"#;
    let cost = json!({"type": ["number", "null"], "x-ricordo": {"calculate": "loaves * 0.35", "display": {"decimals": 2}}});
    let definition = json!({"type": "object", "properties": {"loaves": {"type": "integer"}, "cost": cost}});
    page.show(html, definition, json!({"loaves": 10})).await?;
    assert_eq!((page.value("output").await?, page.text("b").await?), ("3.50".into(), "3.50".into()));
    page.js("watch()").await?;
    page.retype("input", "12").await?;
    assert_eq!((page.value("output").await?, page.text("b").await?), ("4.20".into(), "4.20".into()));
    let changes = page.eval("changes().sort()").await?;
    assert_eq!(
        changes,
        json!(["/cost", "/loaves", "b", "form"]),
        "the marks of the input and the form, and two results"
    );
    Ok(())
}

async fn a_custom_control_shows_reads_and_resets(page: &Browser) -> Done {
    let html =
        r#"<form><span name="/stars" data-control="stars"><button type="button">★</button></span></form>"#;
    let definition = json!({"type": "object", "properties": {"stars": {"type": "integer", "maximum": 5}}});
    let binding = "{ controls: { stars: (element) => {
        let clicks = 0;
        window.resets = 0;
        element.addEventListener('click', () => { clicks += 1; element.dispatchEvent(new Event('input', { bubbles: true })); });
        return {
            show: (state) => { element.title = `${state.text} ${state.isDirty}`; },
            read: () => String(clicks),
            reset: () => { clicks = 0; window.resets += 1; },
        };
    } } }";
    assert_eq!(page.show_with(html, definition.clone(), json!({"stars": 3}), "{}", binding).await?, [""; 0]);
    assert_eq!(page.eval("document.querySelector('span').title").await?, json!("3 false"));
    page.click("button").await?;
    assert_eq!(
        page.eval("[form.value('/stars'), document.querySelector('span').title]").await?,
        json!([1, "1 true"])
    );
    page.js("form.reset()").await?;
    assert_eq!(page.eval("[resets, document.querySelector('span').title]").await?, json!([1, "3 false"]));
    // A control that nobody has registered is said so.
    let mistakes = page.show(html, definition, json!({"stars": 3})).await?;
    assert_eq!(mistakes, ["no control is registered as “stars” (none is)"]);
    Ok(())
}

async fn the_text_under_the_caret_is_never_rewritten(page: &Browser) -> Done {
    let price = json!({"type": "number", "x-ricordo": {"display": {"decimals": 2, "grouping": true}}});
    let definition = json!({"type": "object", "properties": {"price": price}});
    page.show(
        r#"<form><input id="price" name="/price"><input id="other"></form>"#,
        definition,
        json!({"price": 1234.5}),
    )
    .await?;
    assert_eq!(page.value("#price").await?, "1,234.50");
    // A tab selects all, also where the text changes as it gets the focus.
    page.js("other.focus()").await?;
    page.chord(crate::browser::SHIFT, TAB.chars().next().ok_or("a tab")?).await?;
    assert_eq!(
        page.eval("[price.value, price.selectionStart, price.selectionEnd]").await?,
        json!(["1234.5", 0, 6])
    );
    page.keys(END).await?;
    page.keys(BACKSPACE).await?;
    assert_eq!(page.eval("[price.value, price.selectionStart]").await?, json!(["1234.", 5]));
    page.keys(BACKSPACE).await?;
    page.keys(HOME).await?;
    page.keys("9").await?;
    assert_eq!(
        page.eval("[price.value, price.selectionStart, form.value('/price')]").await?,
        json!(["91234", 1, 91234])
    );
    // A program that sets the place meanwhile is seen, and the caret stays.
    page.js("form.set('/price', 55555)").await?;
    assert_eq!(page.eval("[price.value, price.selectionStart]").await?, json!(["55555", 1]));
    page.js("price.blur()").await?;
    assert_eq!(page.value("#price").await?, "55,555.00");
    Ok(())
}

async fn an_input_method_composes_in_peace(page: &Browser) -> Done {
    let name = json!({"type": "string", "minLength": 3});
    let definition = json!({"type": "object", "properties": {"name": name}});
    page.show(r#"<form><input id="name" name="/name"></form>"#, definition, json!({"name": "Rye"})).await?;
    page.js(
        "document.getElementById('name').focus(); document.getElementById('name').setSelectionRange(3, 3)",
    )
    .await?;
    page.compose("ñ").await?;
    assert_eq!(
        page.eval("[document.getElementById('name').value, form.value('/name')]").await?,
        json!(["Ryeñ", "Rye"])
    );
    // Something else changes, and what is being composed is not disturbed.
    page.js("form.enter('/name', 'Rye')").await?;
    page.compose("ña").await?;
    assert_eq!(page.value("#name").await?, "Ryeña");
    page.insert("ñam").await?;
    assert_eq!(
        page.eval("[document.getElementById('name').value, form.value('/name')]").await?,
        json!(["Ryeñam", "Ryeñam"])
    );
    // If the place is set meanwhile, that stands, once the composition is over.
    page.compose("x").await?;
    page.js("form.set('/name', 'Spelt')").await?;
    assert_eq!(page.value("#name").await?, "Ryeñamx");
    page.js("document.getElementById('name').blur()").await?;
    page.until("document.getElementById('name').value === 'Spelt'").await?;
    assert_eq!(page.eval("form.value('/name')").await?, json!("Spelt"));
    Ok(())
}

async fn a_text_is_pasted_in_one_piece(page: &Browser) -> Done {
    let definition = json!({"type": "object", "properties": {"notes": {"type": "string", "maxLength": 5}}});
    page.show(r#"<form><textarea id="notes" name="/notes"></textarea></form>"#, definition, json!({}))
        .await?;
    page.js("notes.focus()").await?;
    page.insert("Warm\nand moist").await?;
    assert_eq!(page.eval("form.value('/notes')").await?, json!("Warm\nand moist"));
    assert_eq!(page.eval("form.findings().map((finding) => finding.kind)").await?, json!(["too_long"]));
    assert_eq!(
        page.eval("form.journal().trim().split('\\n').filter((line) => line.includes('enter')).length")
            .await?,
        json!(1)
    );
    Ok(())
}

async fn text_that_waits_for_a_pause_is_committed_by_the_clock(page: &Browser) -> Done {
    let search = json!({"type": "string", "x-ricordo": {"commit": {"pause_ms": 150}}});
    let leave = json!({"type": "string", "x-ricordo": {"commit": "leave"}});
    let definition = json!({"type": "object", "properties": {"search": search, "notes": leave}});
    page.show(
        r#"<form><input id="search" name="/search"><input id="notes" name="/notes"></form>"#,
        definition,
        json!({}),
    )
    .await?;
    page.type_in("#search", "rye").await?;
    page.until("form.value('/search') === 'rye'").await?;
    page.type_in("#notes", "Warm").await?;
    assert_eq!(
        page.eval("[form.value('/notes'), notes.hasAttribute('data-uncommitted')]").await?,
        json!([null, true])
    );
    page.keys(TAB).await?;
    assert_eq!(
        page.eval("[form.value('/notes'), notes.hasAttribute('data-uncommitted')]").await?,
        json!(["Warm", false])
    );
    Ok(())
}
