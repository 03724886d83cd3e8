//! The walk-through of `docs/web.md`: its files are taken as they stand there, and its steps done.

use std::fs;
use std::process::Command;

use serde_json::json;

use crate::browser::{Browser, Done, TAB};
use crate::package::run;
use crate::{pages, root};

crate::tests!(the_walk_through_leads_to_the_page_in_javascript, the_walk_through_leads_to_the_page_in_rust);

/// The blocks of code under a heading: the language of each, and its text.
fn blocks(heading: &str) -> Result<Vec<(String, String)>, Box<dyn std::error::Error>> {
    let page = fs::read_to_string(root().join("docs/web.md"))?;
    let (_, section) = page.split_once(&format!("\n## {heading}\n")).ok_or("there is no such heading")?;
    let section = section.split("\n## ").next().unwrap_or_default();
    let mut blocks = Vec::new();
    for block in section.split("\n```").skip(1).step_by(2) {
        let (language, text) = block.split_once('\n').ok_or("a block has a language")?;
        blocks.push((language.to_owned(), format!("{text}\n")));
    }
    Ok(blocks)
}

/// The block of a language, the last if there are several.
fn block(blocks: &[(String, String)], language: &str) -> Result<String, String> {
    let found = blocks.iter().rev().find(|(of, _)| of == language);
    found.map(|(_, text)| text.clone()).ok_or_else(|| format!("there is no block of {language}"))
}

/// The behaviour of both pages.
async fn order(page: &Browser) -> Done {
    page.js("sessionStorage.clear(); window.onbeforeunload = null").await?;
    page.client.refresh().await?;
    page.until("document.querySelector('li input')?.value === 'Rye loaf'").await?;
    assert_eq!(page.value("[name='/total']").await?, "13.00");
    page.click("#order > button:not([name]):not([type])").await?;
    assert_eq!(page.text("[data-findings-of='/customer']").await?, "Needs a value.");
    page.type_in("[name='/customer']", "Corner café").await?;
    page.click("[value=add]").await?;
    page.keys("Spelt loaf").await?;
    page.keys(TAB).await?;
    page.keys(TAB).await?;
    page.keys("7.2").await?;
    assert_eq!(page.value("[name='/total']").await?, "20.20");
    page.click("#order > button:not([name]):not([type])").await?;
    let answer = page.text("#answer").await?;
    assert!(
        answer.starts_with("Ordered: {\"customer\":\"Corner café\",\"lines\":[{\"article\":\"Rye loaf\""),
        "{answer}"
    );
    assert!(answer.ends_with(",\"total\":20.2}"), "{answer}");
    Ok(())
}

async fn the_walk_through_leads_to_the_page_in_javascript(page: &Browser) -> Done {
    run(Command::new("scripts/web").arg("pack").current_dir(root()))?;
    let folder = pages().join("walk-through");
    drop(fs::remove_dir_all(&folder));
    fs::create_dir_all(&folder)?;
    let packed = root()
        .join("target/web")
        .join(format!("ricordo-{}.tgz", env!("CARGO_PKG_VERSION")))
        .canonicalize()?;
    run(Command::new("npm").args(["init", "--yes", "--silent"]).current_dir(&folder))?;
    run(Command::new("npm")
        .args(["install", "--silent", "--no-audit", "--no-fund"])
        .arg(packed)
        .current_dir(&folder))?;
    let blocks = blocks("In JavaScript")?;
    for (language, file) in [("html", "index.html"), ("json", "order.form.json"), ("js", "order.js")] {
        fs::write(folder.join(file), block(&blocks, language)?)?;
    }
    let mut tool = Command::new(env!("CARGO"));
    tool.args(["run", "--quiet", "--locked", "--package", "ricordo-cli", "--", "scaffold"]);
    let types =
        run(tool.arg(folder.join("order.form.json")).args(["--as", "typescript"]).current_dir(root()))?;
    assert!(types.starts_with("export interface Order {"), "{types}");
    page.client.goto(&format!("{}/walk-through/", page.site)).await?;
    order(page).await?;
    // And the order survives a reload, until it is sent.
    assert_eq!(page.eval("sessionStorage.length").await?, json!(0));
    Ok(())
}

async fn the_walk_through_leads_to_the_page_in_rust(page: &Browser) -> Done {
    let folder = root().join("target/web/walk-through");
    fs::create_dir_all(folder.join("src"))?;
    let in_rust = blocks("In Rust")?;
    // Unpublished crates are taken from here.
    let local =
        |name: &str| format!("{name} = {{ path = \"{}\" }}", root().join("crates").join(name).display());
    let manifest = block(&in_rust, "toml")?;
    let patched = manifest
        .replace("ricordo = \"0.1\"", &local("ricordo"))
        .replace("ricordo-web = \"0.1\"", &local("ricordo-web"));
    assert_ne!(manifest, patched);
    fs::write(folder.join("Cargo.toml"), format!("{patched}\n[workspace]\n"))?;
    fs::write(folder.join("src/lib.rs"), block(&in_rust, "rust")?)?;
    // The versions of the project, among them that of wasm-bindgen.
    fs::copy(root().join("Cargo.lock"), folder.join("Cargo.lock"))?;
    let target = folder.join("target");
    let mut cargo = Command::new(root().join("scripts/rust-for-web"));
    cargo.args(["cargo", "build", "--quiet", "--target", "wasm32-unknown-unknown", "--manifest-path"]);
    cargo.arg(folder.join("Cargo.toml")).arg("--target-dir").arg(&target);
    run(&mut cargo)?;
    let site = pages().join("walk-through-in-rust");
    drop(fs::remove_dir_all(&site));
    let module = target.join("wasm32-unknown-unknown/debug/order.wasm");
    run(Command::new(root().join("target/bindgen/release/bindgen"))
        .arg(module)
        .arg(site.join("pkg"))
        .arg("order"))?;
    // The same form, with the other script.
    let form = block(&blocks("In JavaScript")?, "html")?;
    let form: String =
        form.lines().filter(|line| !line.starts_with("<script")).flat_map(|line| [line, "\n"]).collect();
    fs::write(site.join("index.html"), form.replace("</html>", &block(&in_rust, "html")?))?;
    page.client.goto(&format!("{}/walk-through-in-rust/", page.site)).await?;
    order(page).await
}
