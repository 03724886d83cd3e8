//! Pages and types that are written from a definition.

use std::fs;
use std::path::Path;

use insta::assert_snapshot;
use tempfile::{TempDir, tempdir};

use crate::{project, run, run_in, shown};

const FORM: &str = "demo/batch-sheet.form.json";

/// A folder with files, and a stand-in for the module, of which only the names matter here.
fn folder(files: &[(&str, &str)]) -> TempDir {
    let folder = tempdir().unwrap();
    fs::create_dir(folder.path().join("module")).unwrap();
    for name in [
        "module/ricordo.js",
        "module/ricordo_core.js",
        "module/ricordo_core.wasm",
        "module/ricordo_rest.wasm",
    ] {
        fs::write(folder.path().join(name), "").unwrap();
    }
    files.iter().for_each(|(name, text)| fs::write(folder.path().join(name), text).unwrap());
    folder
}

fn fields_of(page: &Path) -> String {
    let page = fs::read_to_string(page.join("index.html")).unwrap();
    let (_, form) = page.split_once("hidden></div>\n").unwrap();
    form.split("<div class=\"actions\">").next().unwrap().to_owned()
}

/// Everything that a definition can ask for.
const EVERYTHING: &str = r##"{
  "title": "All <kinds> & more", "description": "Said \"twice\".", "type": "object", "required": ["flag", "choice", "name"],
  "properties": {
    "name": {"type": "string", "title": "Name", "description": "As on the label", "maxLength": 40},
    "long": {"type": "string", "maxLength": 200},
    "email": {"type": "string", "format": "email"},
    "link": {"type": "string", "format": "url"},
    "secret": {"type": "string", "writeOnly": true},
    "count": {"type": "integer"},
    "flag": {"type": "boolean", "title": "A flag"},
    "day": {"type": "string", "format": "date"},
    "moment": {"type": "string", "format": "date-time"},
    "choice": {"enum": ["a", "b"], "title": "A choice"},
    "one of many": {"enum": ["a", "b", "c", "d", "e"]},
    "set": {"type": "array", "uniqueItems": true, "items": {"enum": ["x", "y"]}},
    "double": {"type": ["integer", "null"], "x-ricordo": {"calculate": "count * 2"}},
    "guess": {"type": ["integer", "null"], "x-ricordo": {"suggest": "count + 1"}},
    "record": {"type": ["object", "null"], "title": "A record", "properties": {"a/b": {"type": "string"}}},
    "texts": {"type": "array", "title": "Texts", "items": {"type": "string"}},
    "leaven": {"oneOf": [
      {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "yeast"}, "grams": {"type": "integer"}}},
      {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "sourdough"}, "hours": {"type": "integer"}}}
    ]},
    "tree": {"$ref": "#/$defs/node"}
  },
  "$defs": {"node": {"type": "object", "properties": {"name": {"type": "string"}, "below": {"type": "array", "items": {"$ref": "#/$defs/node"}}}}}
}"##;

#[test]
fn a_page_has_sensible_controls_for_every_kind_of_place() {
    let folder = folder(&[("everything.form.json", EVERYTHING)]);
    let run =
        run_in(folder.path(), &["page", "everything.form.json", "--out", "page", "--module", "module"], "");
    assert_snapshot!(shown(&run));
    assert_snapshot!(fields_of(&folder.path().join("page")));
    let page = fs::read_to_string(folder.path().join("page/index.html")).unwrap();
    assert!(page.contains("<title>All &lt;kinds&gt; &amp; more</title>"), "{page}");
    assert!(page.contains("<p class=\"intro\">Said &quot;twice&quot;.</p>"), "{page}");
    for file in ["style.css", "form.json", "ricordo/ricordo.js", "ricordo/ricordo_core.wasm"] {
        assert!(folder.path().join("page").join(file).is_file(), "{file}");
    }
    assert!(!folder.path().join("page/data.json").exists());
}

#[test]
fn titles_are_written_as_they_are() {
    let form = r#"{"title": "Prices {data} {fields}", "description": "{title}", "type": "object", "properties": {
        "a & b": {"type": "array", "title": "Salt & {data}", "items": {"type": "object", "title": "Salt & {intro}",
            "properties": {"deep": {"type": "array", "items": {"type": "string"}}}}},
        "c": {"type": "array", "title": "Salt & flour", "items": {"type": "string"}}}}"#;
    let folder = folder(&[("form.json", form)]);
    run_in(folder.path(), &["page", "form.json", "--out", "page", "--module", "module"], "");
    let page = fs::read_to_string(folder.path().join("page/index.html")).unwrap();
    for expected in [
        "<title>Prices {data} {fields}</title>",
        "<p class=\"intro\">{title}</p>",
        "<legend>Salt &amp; {data}</legend>",
        "<legend>Salt &amp; {intro}</legend>",
        ">Add salt &amp; {intro}</button>",
        ">Add salt &amp; flour</button>",
    ] {
        assert!(page.contains(expected), "{expected}: {page}");
    }
    assert!(!page.contains("&amp;amp;"), "{page}");
}

#[test]
fn a_page_that_cannot_be_written_says_why() {
    let folder = folder(&[
        ("wrong.form.json", "{\"type\": \"objekt\"}"),
        ("form.json", "{\"type\": \"object\", \"properties\": {}}"),
        ("data.json", "[1"),
        ("taken", ""),
    ]);
    let page = |arguments: &[&str]| {
        let run = run_in(folder.path(), &[&["page"], arguments].concat(), "");
        assert_eq!(run.status, 2);
        run.err
    };
    let said = [
        page(&["wrong.form.json", "--out", "page", "--module", "module"]),
        page(&["form.json", "--data", "data.json", "--out", "page", "--module", "module"]),
        page(&["form.json", "--out", "page", "--module", "nowhere"]),
        page(&["form.json", "--out", "taken/page", "--module", "module"]),
        page(&["-", "--data", "-", "--out", "page"]),
    ];
    assert_snapshot!(said.join("\n"));
    assert!(!folder.path().join("page").exists(), "nothing was written");
}

#[test]
fn types_of_a_record_are_written_for_typescript() {
    let folder = folder(&[("everything.form.json", EVERYTHING)]);
    assert_snapshot!(shown(&run_in(folder.path(), &["scaffold", "everything.form.json"], "")));
    let types = run(&["scaffold", FORM, "--as", "typescript"]);
    assert_eq!(types.status, 0);
    assert!(
        types.out.starts_with("export interface BatchSheet {\n  /** Name. */\n  name: string;\n"),
        "{}",
        types.out
    );
    assert!(!types.out.contains("sign_off"), "what is beside the record is not in it");
    assert!(project().join(FORM).is_file());
}
