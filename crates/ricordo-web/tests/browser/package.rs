//! The package for npm as it is packed: installed, checked by the compiler of TypeScript, and run.

use std::fs;
use std::path::Path;
use std::process::Command;

use serde_json::json;

use crate::browser::{Browser, Done};
use crate::{pages, root};

crate::tests!(the_packed_module_is_installed_checked_and_run);

/// A program in TypeScript that uses the package, and the types that the tool has written.
const PROGRAM: &str = r#"
import load, { Form, type BindOptions, type Change, type FormState, type Submission } from "ricordo";
import type { BatchSheet } from "./batch-sheet";

// A file that is not there is an error, and the next call tries again.
const failed: string = await load(null, { core: "nothing.wasm" }).then(() => "", (error: unknown) => String(error));
await load(null, {
  core: new URL("node_modules/ricordo/ricordo_core.wasm", location.href),
  rest: () => fetch("node_modules/ricordo/ricordo_rest.wasm"),
});
const read = (name: string): Promise<string> => fetch(name).then((answer) => answer.text());
const given: BatchSheet = JSON.parse(await read("data.json"));
const form = new Form(await read("form.json"), given);
form.set("/ingredients/0", given.ingredients[0]);

const seen: number[] = [];
form.subscribe("/loaves", (change: Change) => { seen.push(change.value as number); });
let state: FormState = form.state();
form.subscribeState((now) => { state = now; });

const sent: unknown[] = [];
const options: BindOptions = {
  submit: { send: "patch" },
  onSubmit: async (submission: Submission) => { sent.push(submission.payload); },
};
const bound = form.bind(document.querySelector("form")!, options);

const sheet = form.value() as unknown as BatchSheet;
const dough: number | null | undefined = sheet.dough_weight;
const names: string[] = sheet.ingredients.map((ingredient) => ingredient.name);
form.set("/loaves", sheet.loaves + 1);
form.apply({ op: "add", path: "/ingredients/-", value: { name: "Caraway", kind: "other", grams: 20 } });

Object.assign(window, { failed, form, bound, seen, sent, dough, names, stateNow: () => state });
document.body.dataset.ready = "";
"#;

/// The programs that the types must refuse, a line each.
const WRONG: &[&str] = &[
    "form.set(1, 2);",
    "form.submit({ send: \"everything\" });",
    "new Form(12);",
    "form.answerChecks(\"name_is_free\", (value) => 12);",
    "form.resolve(\"\", \"ours\");",
    "sheet.loavs;",
    "sheet.method = \"overnight\";",
    "load({}, { core: 12 });",
];

/// A program for Node, which says what it has computed.
const IN_NODE: &str = r#"
import load, { Form } from "ricordo";

let early;
try { new Form({ type: "object", properties: {} }); } catch (error) { early = error.message; }
const plain = { type: "object", properties: { n: { type: "number", title: "N" } } };
await load([plain, plain]);
const first = new Form(plain, { n: 2 });
first.enter("/n", "x");
let missing;
try { first.explain("/n"); } catch (error) { missing = error.message; }
const definition = { type: "object", properties: { n: { type: "number" }, twice: { type: "number", "x-ricordo": { calculate: "n * 2" } } } };
let needed;
try { new Form(definition); } catch (error) { needed = error.message; }
await load(definition);
const form = new Form(definition, { n: 2 });
form.enter("/n", "21");
first.enter("/n", "3");
const later = [first.value("/n"), first.explain("/n"), form.explain("/twice"), form.journal().includes("enter")];
let misused;
try { form.bind(null); } catch (error) { misused = `${error.name}: ${error.message}`; }
console.log(JSON.stringify([early, form.value("/twice"), misused, missing, needed, later]));
"#;

const MISSING: &str = "this needs a part of the WebAssembly that is not loaded: `await load()` loads all of it, and `await load(definition)` what a definition needs";

const PAGE: &str = r#"<!doctype html>
<html lang="en"><meta charset="utf-8"><title>A page of somebody's</title><link rel="icon" href="data:,">
<script type="importmap">{"imports": {"ricordo": "./node_modules/ricordo/ricordo.js"}}</script>
<form><input id="loaves" name="/loaves"><button>Save</button></form>
<script type="module" src="program.js"></script></html>
"#;

/// Runs a command, and gives what it says.
pub(crate) fn run(command: &mut Command) -> Result<String, Box<dyn std::error::Error>> {
    let output = command.output()?;
    let said =
        String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
    if output.status.success() { Ok(said) } else { Err(format!("{command:?}: {said}").into()) }
}

/// Checks a program by the compiler, and writes its JavaScript.
fn compile(folder: &Path, program: &str) -> Result<String, Box<dyn std::error::Error>> {
    fs::write(folder.join("program.ts"), program)?;
    let compiler = root().join("target/web/tools/node_modules/.bin/tsc");
    let options = [
        "--strict",
        "--target",
        "es2022",
        "--module",
        "esnext",
        "--moduleResolution",
        "bundler",
        "--lib",
        "dom,es2022",
    ];
    run(Command::new(compiler)
        .args(options)
        .args(["--skipLibCheck", "false", "program.ts"])
        .current_dir(folder))
}

async fn the_packed_module_is_installed_checked_and_run(page: &Browser) -> Done {
    run(Command::new("scripts/web").arg("pack").current_dir(root()))?;
    let folder = pages().join("scratch");
    drop(fs::remove_dir_all(&folder));
    fs::create_dir_all(&folder)?;
    let packed = format!("ricordo-{}.tgz", env!("CARGO_PKG_VERSION"));
    let packed = root().join("target/web").join(packed).canonicalize()?;
    fs::write(folder.join("package.json"), "{\"private\": true, \"type\": \"module\"}")?;
    run(Command::new("npm")
        .args(["install", "--silent", "--no-audit", "--no-fund"])
        .arg(packed)
        .current_dir(&folder))?;
    let installed = folder.join("node_modules/ricordo");
    for file in [
        "package.json",
        "README.md",
        "ricordo.js",
        "node.js",
        "ricordo.d.ts",
        "ricordo_core.js",
        "ricordo_core.d.ts",
        "ricordo_core.wasm",
        "ricordo_rest.wasm",
        "LICENSE-MIT",
        "LICENSE-APACHE",
    ] {
        assert!(installed.join(file).is_file(), "{file} is in the package");
    }

    let demo = root().join("demo");
    fs::copy(demo.join("batch-sheet.form.json"), folder.join("form.json"))?;
    fs::copy(demo.join("batch-sheet.data.json"), folder.join("data.json"))?;
    let mut tool = Command::new(env!("CARGO"));
    tool.args([
        "run",
        "--quiet",
        "--locked",
        "--package",
        "ricordo-cli",
        "--",
        "scaffold",
        "--as",
        "typescript",
    ]);
    let types = run(tool.arg(demo.join("batch-sheet.form.json")).current_dir(root()))?;
    fs::write(folder.join("batch-sheet.d.ts"), types)?;
    for wrong in WRONG {
        let program = PROGRAM.replace("Object.assign", &format!("{wrong}\nObject.assign"));
        let refused = compile(&folder, &program).expect_err(wrong).to_string();
        assert!(refused.contains("error TS"), "{wrong}: {refused}");
    }
    compile(&folder, PROGRAM)?;

    fs::write(folder.join("in-node.js"), IN_NODE)?;
    let said = run(Command::new("node").arg("in-node.js").current_dir(&folder))?;
    assert_eq!(
        serde_json::from_str::<serde_json::Value>(&said)?,
        json!([
            "ricordo is not loaded yet: `await load()` first",
            42,
            "TypeError: `element` must be an element of the page, not null",
            MISSING,
            MISSING,
            [3, "", "/twice is 42, calculated by “n * 2” (21 * 2) from\n  /n is 21", true],
        ])
    );

    fs::write(folder.join("index.html"), PAGE)?;
    page.open("scratch/").await?;
    assert_eq!(page.value("#loaves").await?, "13");
    assert_ne!(page.eval("failed").await?, json!(""));
    page.retype("#loaves", "24").await?;
    page.click("button").await?;
    page.until("stateNow().status === 'accepted'").await?;
    assert_eq!(
        page.eval("[seen.at(-1), dough, names.length, form.state().isDirty]").await?,
        json!([24, 10836, 4, false])
    );
    let sent = page.eval("sent[0].map((operation) => [operation.op, operation.path])").await?;
    assert_eq!(sent[0], json!(["replace", "/loaves"]));
    Ok(())
}
