//! Pages that the tool writes, and the page from Rust.

use std::fs;
use std::path::PathBuf;
use std::process::Command;

use serde_json::{Value, json};

use crate::browser::{Browser, Done};
use crate::{pages, root};

crate::tests!(a_page_from_a_definition_works, a_page_from_rust_works);

/// Writes a page of a definition by the tool, and gives its address on the site.
pub(crate) fn write(
    name: &str,
    definition: PathBuf,
    data: Option<PathBuf>,
) -> Result<String, Box<dyn std::error::Error>> {
    let folder = pages().join("generated").join(name);
    drop(fs::remove_dir_all(&folder));
    let mut tool = Command::new(env!("CARGO"));
    tool.args(["run", "--quiet", "--locked", "--package", "ricordo-cli", "--", "page"]).arg(definition);
    if let Some(data) = data {
        tool.arg("--data").arg(data);
    }
    tool.arg("--out").arg(&folder).arg("--module").arg(pages().join("module"));
    let output = tool.current_dir(root()).output()?;
    if !output.status.success() {
        return Err(String::from_utf8_lossy(&output.stderr).into_owned().into());
    }
    Ok(format!("generated/{name}/"))
}

async fn a_page_from_a_definition_works(page: &Browser) -> Done {
    let demo = root().join("demo");
    let address =
        write("batch", demo.join("batch-sheet.form.json"), Some(demo.join("batch-sheet.data.json")))?;
    page.open("tests/blank.html").await?;
    page.js("sessionStorage.clear()").await?;
    page.open(&address).await?;
    assert_eq!(
        page.eval("[bound.mistakes, document.querySelectorAll('tbody tr').length]").await?,
        json!([[], 4])
    );
    page.retype("#loaves", "900").await?;
    page.click("button.main").await?;
    assert_eq!(
        page.text("[data-findings-of='/loaves']").await?,
        "Must be at most 500.799,164 g more dough needed for this many loaves."
    );
    page.retype("#loaves", "10").await?;
    page.click("button.main").await?;
    page.until("document.getElementById('answer').textContent !== ''").await?;
    let sent: Value = serde_json::from_str(&page.text("#payload").await?)?;
    assert_eq!(sent["loaves"], json!(10));
    Ok(())
}

async fn a_page_from_rust_works(page: &Browser) -> Done {
    page.open("batch_sheet/").await?;
    page.js("sessionStorage.clear(); window.onbeforeunload = null").await?;
    page.open("batch_sheet/").await?;
    assert_eq!(page.text("#cost").await?, "5.83");
    page.retype("tr:nth-of-type(2) [name='/grams']", "1000").await?;
    assert_eq!(page.text("#cost").await?, "6.35");
    page.click("[type=checkbox]").await?;
    page.click("button.main").await?;
    assert_eq!(
        (page.focused().await?, page.text("[data-findings-of='/price']").await?),
        ("price".into(), "Needs a value.".into())
    );
    page.keys("6.5").await?;
    page.client.refresh().await?;
    page.ready().await?;
    assert_eq!((page.value("#price").await?, page.text("#cost").await?), ("6.50".into(), "6.35".into()));
    page.click("button.main").await?;
    let sent = page.text("#answer").await?;
    assert!(sent.starts_with("Saved: {\"on_sale\":true,\"price\":6.5,\"ingredients\":["), "{sent}");
    page.until("sessionStorage.length === 0").await?;
    Ok(())
}
