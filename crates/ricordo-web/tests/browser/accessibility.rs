//! An audit of accessibility by axe-core: of the demo page and of generated pages, in the light and in the dark, wide and narrow.

use std::fs;

use serde_json::{Value, json};

use crate::browser::{Browser, Done};
use crate::{generated, root};

crate::tests!(the_demo_page_has_no_violation, generated_pages_have_no_violation);

/// The violations that the audit finds, a line each.
async fn violations(page: &Browser) -> Result<Vec<String>, Box<dyn std::error::Error>> {
    let file = root().join("target/web/tools/node_modules/axe-core/axe.min.js");
    let axe = fs::read_to_string(&file)
        .map_err(|error| format!("{}: {error}; scripts/web installs it", file.display()))?;
    page.js(&format!("if (!window.axe) {{ {axe} }}")).await?;
    let script = "const done = arguments[arguments.length - 1]; axe.run().then((found) => done(found.violations), (error) => done(String(error)))";
    let found = page.client.execute_async(script, Vec::new()).await?;
    let Value::Array(found) = found else { return Err(found.to_string().into()) };
    let nodes = |violation: &Value| {
        violation["nodes"]
            .as_array()
            .into_iter()
            .flatten()
            .map(|node| node["html"].to_string())
            .collect::<Vec<_>>()
    };
    Ok(found
        .iter()
        .map(|violation| format!("{}: {} {:?}", violation["id"], violation["help"], nodes(violation)))
        .collect())
}

/// Audits the page that is open as it is, and with everything wrong in it shown.
async fn audit(page: &Browser, save: &str) -> Done {
    for scheme in ["light", "dark"] {
        page.prefer(scheme).await?;
        for width in [1280, 400] {
            page.resize(width, 800).await?;
            assert_eq!(violations(page).await?, [""; 0], "{scheme}, {width} wide");
        }
    }
    page.click(save).await?;
    assert_eq!(violations(page).await?, [""; 0], "with findings");
    page.prefer("light").await?;
    page.resize(1280, 800).await
}

async fn the_demo_page_has_no_violation(page: &Browser) -> Done {
    page.open("demo/").await?;
    page.js("form.set('/loaves', 900); form.set('/name', ''); form.set('/ingredients/0/grams', -1)").await?;
    audit(page, "button.main").await
}

async fn generated_pages_have_no_violation(page: &Browser) -> Done {
    let demo = root().join("demo");
    let batch = generated::write(
        "batch",
        demo.join("batch-sheet.form.json"),
        Some(demo.join("batch-sheet.data.json")),
    )?;
    let blank = generated::write("blank", demo.join("batch-sheet.form.json"), None)?;
    for address in [batch, blank] {
        page.open(&address).await?;
        page.js("form.set('/loaves', 900)").await?;
        audit(page, "button.main").await?;
    }
    // One with everything that a definition can say.
    let variant = |kind: &str, field: &str| json!({"type": "object", "required": ["kind"], "properties": {"kind": {"const": kind, "title": "Kind"}, field: {"type": "integer", "title": field}}});
    let definition = json!({
        "title": "Everything <b>at once</b> & more",
        "type": "object",
        "required": ["flag", "choice"],
        "properties": {
            "flag": {"type": "boolean", "title": "A \"flag\"", "description": "Ticked or not"},
            "choice": {"enum": ["a", "b"], "title": "A choice", "description": "One of two"},
            "many": {"enum": ["a", "b", "c", "d", "e", "f"], "title": "One of many"},
            "moment": {"type": "string", "format": "date-time", "title": "A moment"},
            "link": {"type": "string", "format": "uri", "title": "A link"},
            "secret": {"type": "string", "writeOnly": true, "title": "A secret"},
            "fixed": {"type": "integer", "readOnly": true, "title": "Fixed"},
            "long": {"type": "string", "maxLength": 500, "title": "A long text"},
            "record": {"type": ["object", "null"], "title": "A record", "properties": {"inner": {"type": "number", "title": "Inner"}}},
            "variants": {"title": "Variants", "oneOf": [variant("yeast", "grams"), variant("sourdough", "hours")]},
            "texts": {"type": "array", "title": "Texts", "items": {"type": "string"}},
            "tree": {"$ref": "#/$defs/node"},
        },
        "$defs": {"node": {"type": "object", "title": "Node", "properties": {
            "name": {"type": "string", "title": "Name"},
            "below": {"type": "array", "title": "Below", "items": {"$ref": "#/$defs/node"}},
        }}},
    });
    let folder = tempfile::tempdir()?;
    let (form, data) =
        (folder.path().join("everything.form.json"), folder.path().join("everything.data.json"));
    fs::write(&form, definition.to_string())?;
    let rows = json!({"flag": true, "choice": "a", "record": {"inner": 1}, "variants": {"kind": "yeast", "grams": 2}, "texts": ["x", "y"],
        "tree": {"name": "1", "below": [{"name": "1.1", "below": [{"name": "1.1.1", "below": []}]}]}});
    fs::write(&data, rows.to_string())?;
    let everything = generated::write("everything", form, Some(data))?;
    page.open(&everything).await?;
    assert_eq!(page.eval("bound.mistakes").await?, json!([]));
    assert_eq!(page.text("h1").await?, "Everything <b>at once</b> & more");
    audit(page, "button.main").await
}
