//! The demo page: the batch sheet, and the panel that shows what the form knows.

use serde_json::{Value, json};

use crate::browser::{Browser, Done, TAB};

crate::tests!(
    the_sheet_computes_as_a_person_types,
    the_panel_shows_what_happened_and_who_was_notified,
    the_slider_goes_back_and_forth,
    a_value_is_set_from_the_panel,
    the_page_is_used_by_keyboard_alone,
    the_page_fits_every_width,
);

async fn open(page: &Browser) -> Done {
    page.resize(1280, 800).await?;
    page.open("demo/").await?;
    page.js("window.onbeforeunload = null").await?;
    Ok(())
}

async fn the_sheet_computes_as_a_person_types(page: &Browser) -> Done {
    open(page).await?;
    assert_eq!(page.eval("bound.mistakes.length").await?, json!(0));
    assert_eq!(page.text("[data-value-of='/dough_weight']").await?, "10,836");
    page.retype("tbody tr:nth-of-type(1) [name='/grams']", "6000").await?;
    assert_eq!(page.text("[data-value-of='/dough_weight']").await?, "11,836");
    assert_eq!(page.value("tbody tr:nth-of-type(1) [name='/percentage']").await?, "95.2");
    // The percentage leads once it is typed.
    page.retype("tbody tr:nth-of-type(1) [name='/percentage']", "100").await?;
    page.keys(TAB).await?;
    assert_eq!(page.value("tbody tr:nth-of-type(1) [name='/grams']").await?, "6,300");
    page.click("[value=straight]").await?;
    assert_eq!(page.eval("document.querySelector('[data-content-of]').hidden").await?, json!(true));
    page.retype("#name", "taken").await?;
    page.click("button.main").await?;
    page.until("document.querySelector('#name + p').textContent === 'Another sheet has this name.'").await?;
    assert_eq!(page.text("#sheet > .summary").await?, "Not saved");
    page.retype("#name", "Field loaf").await?;
    page.click("button.main").await?;
    page.until("document.getElementById('answer').textContent === 'Saved.'").await?;
    assert_eq!(page.eval("form.state().isDirty").await?, json!(false));
    Ok(())
}

async fn the_panel_shows_what_happened_and_who_was_notified(page: &Browser) -> Done {
    open(page).await?;
    page.retype("#loaves", "24").await?;
    let top = page.text("#timeline > li").await?;
    assert!(top.starts_with("enter /loaves “24”/loaves: value 2 → 24"), "{top}");
    assert!(top.contains("/surplus: value") && top.contains("notified: timeline"), "{top}");
    assert!(!top.contains("a label for the ingredients"), "{top}");
    let payload: Value = serde_json::from_str(&page.text("#payload").await?)?;
    assert_eq!(payload[0], json!({"op": "replace", "path": "/loaves", "value": 24}));
    page.find("#shape").await?.select_by_value("dirty").await?;
    let payload: Value = serde_json::from_str(&page.text("#payload").await?)?;
    assert_eq!(payload["loaves"], json!(24));
    page.click("#print").await?;
    let top = page.text("#timeline > li").await?;
    assert_eq!(top, "event “labels printed” {\"name\":\"Field loaf\",\"loaves\":24}");
    assert_eq!(page.text("#flags").await?, "dirtytouchedvalidediting");
    Ok(())
}

async fn the_slider_goes_back_and_forth(page: &Browser) -> Done {
    open(page).await?;
    page.retype("#loaves", "24").await?;
    page.click("tbody tr:nth-of-type(2) [value=remove]").await?;
    page.retype("#name", "Rye").await?;
    let all = page.eval("Number(document.getElementById('when').max)").await?;
    let state = "[loaves.value, document.querySelectorAll('#sheet tbody tr').length, document.getElementById('name').value]";
    let now = page.eval(state).await?;
    assert_eq!(now, json!(["24", 3, "Rye"]));
    let go = |to: &str| {
        format!(
            "const at = document.getElementById('when'); at.value = {to}; at.dispatchEvent(new Event('input', {{ bubbles: true }}))"
        )
    };
    page.js(&go("0")).await?;
    assert_eq!(page.eval(state).await?, json!(["12", 4, "Field loaf"]));
    assert_eq!(
        page.eval(
            "[Number(document.getElementById('when').max), document.querySelectorAll('[data-ahead]').length]"
        )
        .await?,
        json!([all, all])
    );
    page.js(&go("at.max")).await?;
    assert_eq!(page.eval(state).await?, now);
    // Acting in the past discards the actions ahead.
    page.js(&go("2")).await?;
    page.retype("#baker", "Ada").await?;
    assert_eq!(page.eval("document.querySelectorAll('[data-ahead]').length").await?, json!(0));
    assert_eq!(page.eval("form.value('/name')").await?, json!("Field loaf"));
    Ok(())
}

async fn a_value_is_set_from_the_panel(page: &Browser) -> Done {
    open(page).await?;
    page.resize(1280, 1200).await?;
    page.click("#setter button").await?;
    assert_eq!(page.value("#loaves").await?, "24");
    page.retype("#pointer", "/loavs").await?;
    page.click("#setter button").await?;
    assert_eq!(page.text("#refusal").await?, "the form has no field “loavs”; the nearest is /loaves");
    Ok(())
}

async fn the_page_is_used_by_keyboard_alone(page: &Browser) -> Done {
    open(page).await?;
    let mut reached = Vec::new();
    for _ in 0..120 {
        page.keys(TAB).await?;
        let at = page.eval("(() => { const at = document.activeElement; return [at.tagName, at.id || at.getAttribute('name') + (at.value ?? '')].join(' ') })()").await?;
        let at = at.as_str().unwrap_or_default().to_owned();
        if at.starts_with("BODY") {
            break;
        }
        reached.push(at);
    }
    for wanted in [
        "INPUT name",
        "SELECT oven",
        "INPUT /methodsourdough",
        "BUTTON /ingredientsadd",
        "BUTTON print",
        "INPUT when",
        "INPUT json",
    ] {
        assert!(reached.iter().any(|at| at == wanted), "{wanted} is not among {reached:?}");
    }
    // Everything with the focus is seen to have it.
    page.js("document.getElementById('name').focus()").await?;
    page.keys(TAB).await?;
    assert_eq!(page.eval("getComputedStyle(document.activeElement).outlineStyle").await?, json!("solid"));
    Ok(())
}

async fn the_page_fits_every_width(page: &Browser) -> Done {
    for width in [400, 700, 1000, 1280] {
        open(page).await?;
        page.resize(width, 800).await?;
        let wide = "[...document.querySelectorAll('body *')].filter((at) => at.getBoundingClientRect().right > innerWidth + 1 && !at.closest('.scroll, pre, .timeline, thead, [role=status]')).map((at) => at.outerHTML.slice(0, 80))";
        assert_eq!(page.eval(wide).await?, json!([]), "at {width}");
        assert_eq!(
            page.eval("document.documentElement.scrollWidth <= innerWidth").await?,
            json!(true),
            "at {width}"
        );
    }
    page.resize(1280, 800).await?;
    Ok(())
}
