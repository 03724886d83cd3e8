//! A page has only the code that it can use: the names of the functions in its module show it.

use std::fs;

use crate::browser::{Browser, Done};
use crate::pages;

crate::tests!(a_page_of_fields_has_no_code_for_what_it_does_not_do);

/// Parts of the names of functions, as compilers write them: each name behind its length.
const UNUSED: &[(&str, &str)] = &[
    ("submissions", "19hand_out_submission"),
    ("answers to submissions", "13report_answer"),
    ("payloads", "9Gathering"),
    ("patches", "11PatchWriter"),
    ("rebases", "12rebase_place"),
    ("comparing rows of two records", "6engine7patches14row_difference"),
    ("drafts", "6engine6drafts"),
    ("rules", "6settle10evaluation"),
    ("the graph of rules", "6settle5graph"),
    ("aggregates", "6settle11accumulator"),
    ("baselines settled by rules", "24settle_baseline_by_rules"),
    ("formulas", "6engine8formulas"),
    ("lists", "list_code..Lists"),
    ("the order of rows", "11RowSequence6insert"),
    ("deferred checks", "17update_all_checks"),
    ("journals", "8exchange7journal"),
    ("definitions", "8exchange10definition"),
];

/// Parts of the names of functions that the page uses.
const USED: &[&str] = &["11take_effect", "7binding7Binding", "6engine7actions"];

async fn a_page_of_fields_has_no_code_for_what_it_does_not_do(_: &Browser) -> Done {
    let has = |module: &[u8], name: &str| module.windows(name.len()).any(|part| part == name.as_bytes());
    let fields = fs::read(pages().join("linked/fields.wasm"))?;
    let module = fs::read(pages().join("linked/module.wasm"))?;
    for name in USED {
        assert!(has(&fields, name), "{name} is in the page");
    }
    for (of_what, name) in UNUSED {
        assert!(has(&module, name), "the module for JavaScript has the code of {of_what}, among it {name}");
        assert!(!has(&fields, name), "the page has code of {of_what}: {name}");
    }
    Ok(())
}
