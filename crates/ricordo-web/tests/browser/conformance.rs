//! The kit for adapters, in the page.

use serde_json::Value;

use crate::browser::{Browser, Done};

crate::tests!(the_adapter_passes_the_kit);

async fn the_adapter_passes_the_kit(page: &Browser) -> Done {
    page.open("tests/checks.html").await?;
    let report = page.eval("checks.conformance(document.querySelector('main'))").await?;
    let Value::String(report) = report else { return Err("there is no report".into()) };
    assert!(report.starts_with('✓'), "{report}");
    Ok(())
}
