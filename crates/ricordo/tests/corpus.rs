//! The corpus on this platform. `RICORDO_UPDATE=1` writes what comes of it as what is expected: read the difference.

#[path = "../../../corpus/mod.rs"]
mod corpus;

use std::fs;
use std::path::Path;

#[test]
fn the_corpus_gives_the_same_bytes_as_everywhere() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../corpus");
    let mut differing = Vec::new();
    for case in corpus::CASES {
        let (found, file) = (case.run(), folder.join(format!("{}.expected", case.name)));
        if std::env::var_os("RICORDO_UPDATE").is_some() {
            fs::write(file, &found).unwrap();
            continue;
        }
        let expected = fs::read_to_string(file).unwrap();
        if found != expected {
            let line = found.lines().zip(expected.lines()).position(|(found, expected)| found != expected);
            differing.push(format!("{}, line {}", case.name, line.map_or(0, |line| line + 1)));
        }
    }
    assert!(differing.is_empty(), "other bytes than expected: {}", differing.join("; "));
}
