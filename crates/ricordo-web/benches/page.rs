//! A key in a batch sheet of 10 and of 2,000 rows, and binding it, beside the same page written by hand: in Chromium.
//!
//! `cargo bench -p ricordo-web` prints milliseconds and ratios. It needs Chromium, and the pages built by `scripts/web`.

#[allow(dead_code, reason = "shared with the tests")]
#[path = "../tests/browser/browser.rs"]
mod browser;
#[path = "../tests/browser/server.rs"]
mod server;

use std::path::Path;

use browser::{Browser, Driver};
use serde_json::json;

/// The result of one page.
#[derive(Clone, Copy)]
struct Measured {
    bound: f64,
    key: f64,
    nodes: f64,
}

/// The middle of several runs.
async fn measure(page: &Browser, way: &str, rows: u32) -> Result<Measured, Box<dyn std::error::Error>> {
    let mut runs = Vec::new();
    for _ in 0..7 {
        page.js("gc()").await?;
        let found = page
            .client
            .execute("return measure(arguments[0], arguments[1])", vec![json!(way), json!(rows)])
            .await?;
        let number = |name: &str| found[name].as_f64().unwrap_or(f64::NAN);
        runs.push(Measured { bound: number("bound"), key: number("key"), nodes: number("nodes") });
    }
    let middle = |field: fn(&Measured) -> f64| {
        let mut numbers: Vec<f64> = runs.iter().map(field).collect();
        numbers.sort_by(f64::total_cmp);
        numbers[numbers.len() / 2]
    };
    Ok(Measured {
        bound: middle(|run| run.bound),
        key: middle(|run| run.key),
        nodes: middle(|run| run.nodes),
    })
}

async fn compare(page: &Browser) -> Result<(), Box<dyn std::error::Error>> {
    page.open("tests/speed.html").await?;
    let mut keys = Vec::new();
    println!("{:>6}  {:28} {:>10} {:>10} {:>7}", "rows", "", "a key, ms", "bind, ms", "nodes");
    for rows in [10, 2000] {
        let mut of_rows = Vec::new();
        for (way, title) in
            [("ricordo", "Ricordo"), ("hand", "by hand, by difference"), ("plain", "by hand, from all rows")]
        {
            let measured = measure(page, way, rows).await?;
            println!(
                "{rows:>6}  {title:28} {:>10.4} {:>10.1} {:>7}",
                measured.key, measured.bound, measured.nodes
            );
            of_rows.push(measured);
        }
        let [ricordo, hand, plain] = of_rows[..] else { return Err("three ways".into()) };
        println!(
            "        a key: {:.2} × by difference, {:.2} × from all rows; binding: {:.2} ×",
            ricordo.key / hand.key,
            ricordo.key / plain.key,
            ricordo.bound / hand.bound,
        );
        keys.push(ricordo.key);
    }
    println!("        a key among 2,000 rows: {:.2} × that among 10", keys[1] / keys[0]);
    Ok(())
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    // Cargo's test runner runs benches, too, to see whether they work.
    if !std::env::args().any(|argument| argument == "--bench") {
        return Ok(());
    }
    let pages = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target/web/pages");
    if !pages.join("module").exists() {
        return Err("the pages have not been built: run scripts/web".into());
    }
    let site = server::serve(pages)?;
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
    let driver = Driver::start()?;
    runtime.block_on(async { compare(&driver.browser(&site).await?).await })
}
