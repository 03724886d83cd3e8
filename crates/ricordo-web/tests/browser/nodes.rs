//! The nodes of a page: what is left behind, what is added later, and what HTML can be that its author did not mean.

use serde_json::{Value, json};

use crate::browser::{Browser, Done, ENTER};

crate::tests!(
    what_comes_and_goes_leaves_no_node_behind,
    the_end_leaves_the_page_as_it_was,
    elements_that_are_added_later_are_bound,
    html_that_its_author_did_not_mean_is_put_right_or_reported,
    a_strict_content_security_policy_is_met,
);

fn definition() -> Value {
    json!({
        "type": "object",
        "required": ["name"],
        "properties": {
            "name": {"type": "string", "title": "Name", "minLength": 3},
            "kind": {"type": "string", "enum": ["bread", "cake"]},
            "loaves": {"type": "integer", "minimum": 1, "maximum": 500},
            "on_sale": {"type": "boolean"},
            "rows": {"type": "array", "minItems": 1, "maxItems": 3, "items": {"type": "object", "properties": {"n": {"type": "integer"}}}},
            "note": {"oneOf": [{"type": "null"}, {"type": "object", "properties": {"text": {"type": "string"}}}]},
            "way": {"oneOf": [
                {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "post"}, "parcels": {"type": "integer"}}},
                {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "collect"}, "at": {"type": "string"}}},
            ]},
        },
    })
}

fn data() -> Value {
    json!({"name": "Rye", "loaves": 12, "rows": [{"n": 1}, {"n": 2}], "way": {"kind": "post"}})
}

const PAGE: &str = r#"<form class="mine" data-status="none">
    <div data-findings-of=""></div>
    <label for="name">Name</label> <input id="name" name="/name" aria-describedby="hint"> <span id="hint">As it is sold.</span>
    <span data-findings-of="/name"></span>
    <select id="kind" name="/kind"><option value="">Choose</option></select>
    <input id="loaves" type="number" name="/loaves" max="100">
    <label><input id="sold" type="checkbox" name="/on_sale"> On sale</label>
    <p data-shown-when="/on_sale">It is sold.</p>
    <ul>
        <template data-rows-of="/rows">
            <li><input name="/n"> <button name="" value="up">Up</button></li>
        </template>
    </ul>
    <button id="add" name="/rows" value="add">Add</button>
    <span data-findings-of="/rows"></span>
    <button id="open" type="button" name="/note" value="add">Add a note</button>
    <template data-content-of="/note"> <p>Note: <input id="text" name="/text"></p> text <button type="button" name="" value="remove">Remove</button> </template>
    <input id="way" name="/way/kind">
    <template data-content-of="/way" data-variant="post"> <input id="parcels" name="/parcels"> </template>
    <template data-content-of="/way" data-variant="collect"> <input id="at" name="/at"> </template>
    <button id="undo" type="button" name="" value="undo">Undo</button>
    <button id="save">Save</button>
</form>"#;

async fn what_comes_and_goes_leaves_no_node_behind(page: &Browser) -> Done {
    assert_eq!(page.show(PAGE, definition(), data()).await?, [""; 0]);
    let script = r#"
        const nodes = () => {
            let count = 0;
            const walk = document.createTreeWalker(document.querySelector("form"), NodeFilter.SHOW_ALL);
            while (walk.nextNode()) count += 1;
            return count;
        };
        const before = [nodes(), Form.listenerCount(), form.subscribers().length];
        for (let time = 0; time < 100; time += 1) {
            form.apply({ op: "add", path: "/rows/-" });
            form.apply({ op: "remove", path: "/rows/2" });
            form.set("/note", { text: "x" });
            form.set("/note", null);
            form.enter("/way/kind", "collect");
            form.enter("/way/kind", "post");
            form.set("/rows", []);
            form.reset();
        }
        return [before, [nodes(), Form.listenerCount(), form.subscribers().length]];
    "#;
    let counts = page.js(script).await?;
    assert_eq!(counts[0], counts[1]);
    Ok(())
}

async fn the_end_leaves_the_page_as_it_was(page: &Browser) -> Done {
    page.open("tests/blank.html").await?;
    page.js("sessionStorage.clear()").await?;
    let script = format!(
        r#"
        const [html, definition, data] = [{html}, {definition}, {data}];
        const main = document.querySelector("main");
        main.innerHTML = html;
        const before = main.innerHTML;
        const after = [];
        for (let time = 0; time < 3; time += 1) {{
            const form = new Form(definition, data);
            const bound = form.bind(document.querySelector("form"), {{ onSubmit() {{}} }});
            if (bound.mistakes.length) return bound.mistakes[0].message;
            form.apply({{ op: "submit" }});
            form.enter("/name", "x");
            form.set("/note", {{ text: "y" }});
            form.set("/rows", []);
            form.apply({{ op: "leave", path: "/name" }});
            form.set("/name", "Rye");
            form.set("/loaves", 12);
            bound.end();
            after.push(main.innerHTML === before ? "as before" : main.innerHTML);
        }}
        return after;
    "#,
        html = json!(PAGE),
        definition = definition(),
        data = data(),
    );
    assert_eq!(page.js(&script).await?, json!(["as before", "as before", "as before"]));
    Ok(())
}

async fn elements_that_are_added_later_are_bound(page: &Browser) -> Done {
    assert_eq!(page.show(PAGE, definition(), data()).await?, [""; 0]);
    page.js(
        r#"
        const more = document.createElement("div");
        more.id = "more";
        more.innerHTML = `<input id="again" name="/name"><input id="wrong" name="/nam"><ol><template data-rows-of="/rows"><li><output name="/n"></output></li></template></ol>`;
        document.querySelector("form").append(more);
        "#,
    )
    .await?;
    assert_eq!(page.value("#again").await?, "");
    page.js("bound.update(); bound.update()").await?;
    assert_eq!(page.value("#again").await?, "Rye");
    assert_eq!(
        page.eval("[...document.querySelectorAll('ol output')].map((output) => output.value)").await?,
        json!(["1", "2"])
    );
    assert_eq!(page.eval("bound.mistakes.map((mistake) => mistake.element.id)").await?, json!(["wrong"]));
    page.retype("#again", "Spelt").await?;
    assert_eq!(page.value("#name").await?, "Spelt");
    // Elements that are removed again are let go.
    let before = page.eval("form.subscribers().length").await?;
    page.js("document.querySelector('#more').remove(); bound.update()").await?;
    let after = page.eval("form.subscribers().length").await?;
    assert!(after.as_u64() < before.as_u64(), "{before} {after}");
    page.js("bound.end()").await?;
    Ok(())
}

async fn html_that_its_author_did_not_mean_is_put_right_or_reported(page: &Browser) -> Done {
    // Buttons without a type are submit buttons: Enter in a field would press the first of them.
    let binding = "{ onSubmit: (submission) => { window.sent = submission.payload; submission.accept(); } }";
    page.show_with(PAGE, definition(), data(), "{}", binding).await?;
    page.retype("#name", "Spelt").await?;
    page.keys(ENTER).await?;
    assert_eq!(page.eval("[form.value('/rows').length, window.sent?.name]").await?, json!([2, "Spelt"]));

    let mistakes = page
        .show(
            r#"<form><template data-content-of="/way" data-variant="courier"></template><template data-content-of="/note" data-variant="a"></template></form>"#,
            definition(),
            data(),
        )
        .await?;
    assert_eq!(
        mistakes,
        ["“/way” has no variant “courier”; it has post, collect", "“/note” has no variant “a”; it has none",]
    );

    // A script may put the content of a template where nothing shows it.
    page.open("tests/blank.html").await?;
    let script = format!(
        r#"
        document.querySelector("main").innerHTML = "<form><ul></ul></form>";
        const template = document.createElement("template");
        template.dataset.rowsOf = "/rows";
        const row = document.createElement("li");
        row.innerHTML = '<input name="/n">';
        template.append(row);
        document.querySelector("ul").append(template);
        window.form = new Form({}, {});
        form.bind(document.querySelector("form"));
        return [...document.querySelectorAll("ul > li > input")].map((input) => input.value);
    "#,
        definition(),
        data()
    );
    assert_eq!(page.js(&script).await?, json!(["1", "2"]));
    Ok(())
}

async fn a_strict_content_security_policy_is_met(page: &Browser) -> Done {
    page.open("tests/strict.html").await?;
    page.retype("#name", "x").await?;
    page.click("#add").await?;
    page.click("#save").await?;
    assert_eq!(page.eval("window.violations").await?, json!([]));
    assert_eq!(page.text("#messages").await?, "Use at least 3 characters (now 1).");
    // The region for announcements is hidden from sight.
    assert_eq!(
        page.eval("document.querySelector('[role=status]').getBoundingClientRect().width").await?,
        json!(1)
    );
    Ok(())
}
