//! The corpus in WebAssembly: the same bytes as on this machine.

use std::fs;

use crate::browser::{Browser, Done};
use crate::cases::CASES;
use crate::root;

crate::tests!(the_corpus_gives_the_same_bytes_as_everywhere);

async fn the_corpus_gives_the_same_bytes_as_everywhere(page: &Browser) -> Done {
    page.open("tests/checks.html").await?;
    let found: Vec<String> = serde_json::from_value(page.eval("checks.corpus()").await?)?;
    assert_eq!(found.len(), 2 * CASES.len());
    for (case, found) in CASES.iter().zip(found.chunks(2)) {
        assert_eq!(found[0], case.name);
        let expected = fs::read_to_string(root().join("corpus").join(format!("{}.expected", case.name)))?;
        assert!(found[1] == expected, "{} differs:\n{}", case.name, found[1]);
        // And what is expected is what comes of it here.
        assert!(case.run() == expected, "{} differs on this machine", case.name);
    }
    Ok(())
}
