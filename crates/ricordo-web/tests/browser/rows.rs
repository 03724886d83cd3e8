//! Lists, optional records and variants: parts of the page that come and go.

use serde_json::{Value, json};

use crate::browser::{Browser, Done, TAB};

crate::tests!(
    rows_come_go_and_move_with_their_elements,
    a_moved_row_keeps_its_focus_and_its_caret,
    the_focus_follows_rows_that_come_and_go,
    rows_in_rows_have_names_and_ids_of_their_own,
    optional_records_come_and_go,
    variants_come_and_go,
    only_the_affected_nodes_change,
);

const SHEET: &str = r#"<form>
    <ol>
        <template data-rows-of="/ingredients">
            <li>
                <label for="grams">Grams</label> <input id="grams" name="/grams"> <span data-findings-of="/grams"></span>
                <output name="/cost"></output>
                <button type="button" name="" value="up">Up</button><button type="button" name="" value="down">Down</button>
                <button type="button" name="" value="duplicate">Copy</button>
                <button type="button" name="" value="remove">Remove</button>
            </li>
        </template>
    </ol>
    <button id="add" type="button" name="/ingredients" value="add">Add</button>
    <button id="undo" type="button" name="" value="undo">Undo</button>
    <button id="redo" type="button" name="" value="redo">Redo</button>
    <output id="total" name="/total"></output>
</form>"#;

fn definition() -> Value {
    json!({
        "type": "object",
        "properties": {
            "ingredients": {
                "type": "array",
                "items": {
                    "type": "object",
                    "properties": {
                        "grams": {"type": ["integer", "null"], "maximum": 1000},
                        "cost": {"type": ["number", "null"], "x-ricordo": {"calculate": "grams * 0.002"}},
                    },
                },
            },
            "total": {"type": ["number", "null"], "x-ricordo": {"calculate": "sum(ingredients.cost)"}},
        },
    })
}

async fn show_sheet(page: &Browser, grams: &[u32]) -> Done {
    let rows: Vec<Value> = grams.iter().map(|grams| json!({"grams": grams})).collect();
    let mistakes = page.show(SHEET, definition(), json!({"ingredients": rows})).await?;
    assert_eq!(mistakes, [""; 0]);
    Ok(())
}

/// The content of the rows, in the order of the page.
async fn grams(page: &Browser) -> Result<Vec<String>, Box<dyn std::error::Error>> {
    let shown = page.eval("[...document.querySelectorAll('li input')].map((input) => input.value)").await?;
    Ok(serde_json::from_value(shown)?)
}

/// A control in a row.
fn in_row(row: usize, control: &str) -> String {
    format!("li:nth-of-type({}) {control}", row + 1)
}

async fn rows_come_go_and_move_with_their_elements(page: &Browser) -> Done {
    show_sheet(page, &[100, 200, 300]).await?;
    assert_eq!(
        (grams(page).await?, page.value("#total").await?),
        (vec!["100".into(), "200".into(), "300".into()], "1.2".into())
    );
    page.js("document.querySelectorAll('li').forEach((row, index) => (row.mark = index))").await?;
    let marks = "[...document.querySelectorAll('li')].map((row) => row.mark ?? null)";
    page.click(&in_row(2, "[value=up]")).await?;
    assert_eq!(page.eval(marks).await?, json!([0, 2, 1]));
    page.click(&in_row(0, "[value=down]")).await?;
    assert_eq!(page.eval(marks).await?, json!([2, 0, 1]));
    assert_eq!(
        page.eval("form.value('/ingredients').map((row) => row.grams)").await?,
        json!([300, 100, 200])
    );
    // At the ends there is nowhere to go.
    page.click(&in_row(0, "[value=up]")).await?;
    page.click(&in_row(2, "[value=down]")).await?;
    assert_eq!(page.eval(marks).await?, json!([2, 0, 1]));
    page.click(&in_row(0, "[value=duplicate]")).await?;
    assert_eq!(grams(page).await?, ["300", "300", "100", "200"]);
    page.click(&in_row(2, "[value=remove]")).await?;
    assert_eq!(page.eval(marks).await?, json!([2, null, 1]));
    page.click("#undo").await?;
    assert_eq!(grams(page).await?, ["300", "300", "100", "200"]);
    page.js("form.reset()").await?;
    assert_eq!(grams(page).await?, ["100", "200", "300"]);
    page.js("form.set('/ingredients', [{ grams: 1 }])").await?;
    assert_eq!(grams(page).await?, ["1"]);
    assert_eq!(page.logged().await?, [""; 0]);
    Ok(())
}

async fn a_moved_row_keeps_its_focus_and_its_caret(page: &Browser) -> Done {
    for has_move_before in [true, false] {
        show_sheet(page, &[100, 20_000, 300]).await?;
        if !has_move_before {
            // As in browsers that do not know it.
            page.js("Element.prototype.moveBefore = undefined").await?;
        }
        page.click(&in_row(1, "input")).await?;
        page.js("document.activeElement.setSelectionRange(1, 3)").await?;
        page.js("form.apply({ op: 'move', from: '/ingredients/1', path: '/ingredients/0' })").await?;
        let caret = page.eval("[document.activeElement.value, document.activeElement.selectionStart, document.activeElement.selectionEnd]").await?;
        assert_eq!(caret, json!(["20000", 1, 3]), "{has_move_before}");
        assert_eq!(grams(page).await?, ["20000", "100", "300"]);
        // It was not left, so nothing is said to be wrong.
        assert_eq!(page.eval("form.inspect('/ingredients/0/grams').isTouched").await?, json!(false));
        assert_eq!(page.text(&in_row(0, "span")).await?, "");
        page.keys("5").await?;
        assert_eq!(page.eval("form.value('/ingredients/0/grams')").await?, json!(2500), "{has_move_before}");
    }
    Ok(())
}

async fn the_focus_follows_rows_that_come_and_go(page: &Browser) -> Done {
    show_sheet(page, &[100, 200]).await?;
    page.click("#add").await?;
    page.keys("300").await?;
    assert_eq!(page.eval("form.value('/ingredients/2/grams')").await?, json!(300));
    // The row that takes its place has the focus; at the end, the one before.
    page.click(&in_row(0, "[value=remove]")).await?;
    assert_eq!(page.eval("document.activeElement.value").await?, json!("200"));
    page.click(&in_row(1, "[value=remove]")).await?;
    assert_eq!(page.eval("document.activeElement.value").await?, json!("200"));
    page.click(&in_row(0, "[value=remove]")).await?;
    assert_eq!((grams(page).await?, page.focused().await?), (vec![], "add".into()));
    Ok(())
}

async fn rows_in_rows_have_names_and_ids_of_their_own(page: &Browser) -> Done {
    let html = r#"<form><h2 id="heading">Stages</h2>
        <template data-rows-of="/stages"><section aria-labelledby="heading title">
            <label for="title">Stage</label><input id="title" name="/title" aria-describedby="hint"><p id="hint">Short</p>
            <label><input type="radio" name="/heat" value="low">low</label><label><input type="radio" name="/heat" value="high">high</label>
            <template data-rows-of="/folds"><input id="fold" name=""></template>
            <button type="button" name="/folds" value="add">Fold</button>
        </section></template></form>"#;
    let stage = json!({
        "type": "object",
        "properties": {
            "title": {"type": "string"},
            "heat": {"enum": ["low", "high"]},
            "folds": {"type": "array", "items": {"type": "integer"}},
        },
    });
    let definition = json!({"type": "object", "properties": {"stages": {"type": "array", "items": stage}}});
    let data = json!({"stages": [
        {"title": "Mix", "heat": "low", "folds": []}, {"title": "Prove", "heat": "high", "folds": [30, 60]},
    ]});
    assert_eq!(page.show(html, definition, data).await?, [""; 0]);
    // Radio buttons of different rows are different groups.
    assert_eq!(
        page.eval("[...document.querySelectorAll(':checked')].map((radio) => radio.value)").await?,
        json!(["low", "high"])
    );
    page.click("section:nth-of-type(2) [value=low]").await?;
    assert_eq!(page.eval("form.value('/stages').map((stage) => stage.heat)").await?, json!(["low", "low"]));
    // Ids are unique, and what refers to them follows; what refers to the page around it stays.
    assert_eq!(page.eval("[...document.querySelectorAll('[id]')].length === new Set([...document.querySelectorAll('[id]')].map((at) => at.id)).size").await?, json!(true));
    assert_eq!(page.eval("[...document.querySelectorAll('section')].every((row) => {
        const input = row.querySelector('[name=\"/title\"]');
        return row.querySelector('label').control === input && document.getElementById(input.getAttribute('aria-describedby')) === row.querySelector('p')
            && row.getAttribute('aria-labelledby').startsWith('heading title-');
    })").await?, json!(true));
    page.click("section:nth-of-type(2) [value=add]").await?;
    page.keys("90").await?;
    assert_eq!(page.eval("form.value('/stages/1/folds')").await?, json!([30, 60, 90]));
    page.js("form.apply({ op: 'move', from: '/stages/1', path: '/stages/0' })").await?;
    assert_eq!(page.eval("[...document.querySelectorAll('section')].map((row) => [...row.querySelectorAll('[id^=fold]')].map((input) => input.value))").await?, json!([["30", "60", "90"], []]));
    Ok(())
}

async fn optional_records_come_and_go(page: &Browser) -> Done {
    let html = r#"<form>
        <template data-content-of="/preferment"><fieldset><input name="/hours"><button id="drop" type="button" name="" value="remove">Drop</button></fieldset></template>
        <button id="open" type="button" name="/preferment" value="add">Preferment</button></form>"#;
    let preferment =
        json!({"type": ["object", "null"], "properties": {"hours": {"type": "integer", "default": 12}}});
    let definition = json!({"type": "object", "properties": {"preferment": preferment}});
    assert_eq!(page.show(html, definition, json!({"preferment": null})).await?, [""; 0]);
    let count = "document.querySelectorAll('fieldset').length";
    assert_eq!(page.eval(count).await?, json!(0));
    page.click("#open").await?;
    assert_eq!((page.eval(count).await?, page.value("input").await?), (json!(1), "12".into()));
    page.retype("input", "16").await?;
    assert_eq!(page.eval("form.value()").await?, json!({"preferment": {"hours": 16}}));
    page.click("#drop").await?;
    assert_eq!(
        (page.eval(count).await?, page.eval("form.value('/preferment')").await?),
        (json!(0), Value::Null)
    );
    page.js("form.undo()").await?;
    assert_eq!((page.eval(count).await?, page.value("input").await?), (json!(1), "16".into()));
    Ok(())
}

async fn variants_come_and_go(page: &Browser) -> Done {
    let html = r#"<form><select name="/leaven/kind"></select>
        <template data-content-of="/leaven" data-variant="yeast"><input id="grams" name="/grams"></template>
        <template data-content-of="/leaven" data-variant="sourdough"><input id="hours" name="/hours"></template></form>"#;
    let variant = |kind: &str, field: &str| json!({"type": "object", "required": ["kind"], "properties": {"kind": {"const": kind}, field: {"type": "integer"}}});
    let leaven = json!({"oneOf": [variant("yeast", "grams"), variant("sourdough", "hours")]});
    let definition = json!({"type": "object", "properties": {"leaven": leaven}});
    assert_eq!(
        page.show(html, definition, json!({"leaven": {"kind": "yeast", "grams": 20}})).await?,
        [""; 0]
    );
    let inputs =
        "[...document.querySelectorAll('input')].map((input) => [input.id.split('-')[0], input.value])";
    assert_eq!(page.eval(inputs).await?, json!([["grams", "20"]]));
    page.find("select").await?.select_by_value("sourdough").await?;
    assert_eq!(page.eval(inputs).await?, json!([["hours", ""]]));
    page.type_in("input", "16").await?;
    assert_eq!(page.eval("form.value()").await?, json!({"leaven": {"kind": "sourdough", "hours": 16}}));
    page.js("form.reset()").await?;
    assert_eq!(page.eval(inputs).await?, json!([["grams", "20"]]));
    Ok(())
}

async fn only_the_affected_nodes_change(page: &Browser) -> Done {
    show_sheet(page, &[100, 200, 300, 400]).await?;
    page.click(&in_row(1, "input")).await?;
    page.keys("0").await?;
    page.js("document.querySelectorAll('li').forEach((row, index) => row.querySelector('output').id = `cost${index}`)").await?;
    page.js("watch()").await?;
    page.keys("1").await?;
    // The row's cost and the total. The input's text does not change a node.
    assert_eq!(page.eval("changes().sort()").await?, json!(["cost1", "total"]));
    page.js("watch()").await?;
    page.keys(TAB).await?;
    let changes = page.eval("changes()").await?;
    assert_eq!(
        changes.as_array().map_or(0, Vec::len),
        3,
        "the input, its message, and the form are marked: {changes}"
    );
    Ok(())
}
