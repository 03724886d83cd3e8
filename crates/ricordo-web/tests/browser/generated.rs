//! Pages that the tool writes.

use std::fs;
use std::path::PathBuf;
use std::process::Command;

use serde_json::json;

use crate::browser::{Browser, Done};
use crate::{pages, root};

crate::tests!(a_page_from_a_definition_works);

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
    println!("{}", page.js("return [bound.mistakes, form.value().ingredients.length, form.leftOut]").await?);
    assert_eq!(page.eval("document.querySelectorAll('tbody tr').length").await?, json!(4));
    Ok(())
}
