//! Payloads and submissions in the tool.

use insta::assert_snapshot;

use crate::{project, run, run_in, shown};

const FORM: &str = "demo/batch-sheet.form.json";
const DATA: &str = "demo/batch-sheet.data.json";

#[test]
fn check_prints_what_would_be_sent() {
    let json = run(&["check", FORM, "--data", DATA, "--payload"]);
    assert_eq!((json.status, json.err.as_str()), (0, ""));
    assert_snapshot!(json.out);
    let pairs = run(&["check", FORM, "--data", DATA, "--payload=urlencoded"]);
    assert!(pairs.out.starts_with("%2Fname=Field+loaf&"), "{}", pairs.out);
    assert_eq!(pairs.out.lines().count(), 1);
}

#[test]
fn what_is_wrong_is_said_beside_the_payload() {
    let run = run(&["check", FORM, "--data", "demo/batch-sheet-with-faults.data.json", "--payload"]);
    assert_eq!(run.status, 1);
    assert!(run.out.starts_with("{\n  \"name\": \"Ry\","), "{}", run.out);
    assert_snapshot!(run.err);
}

#[test]
fn replay_shows_a_submit_beside_the_baseline() {
    let journal = project().join("demo/first-steps.journal");
    let text = std::fs::read_to_string(journal).unwrap();
    let (_, saving) = text.split_once("# The sheet is saved.").unwrap();
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("saving.journal"), format!("#{saving}")).unwrap();
    let path = |name: &str| project().join(name).to_str().unwrap().to_owned();
    let (form, data) = (path(FORM), path(DATA));
    let run = run_in(folder.path(), &["replay", "--steps", &form, "saving.journal", "--data", &data], "");
    let (every, _) = run.out.split_once("\n\n").unwrap();
    assert_snapshot!(every);
}

#[test]
fn a_secret_is_in_no_payload_that_is_shown() {
    let form = r#"{"type": "object", "properties": {"user": {"type": "string"}, "word": {"type": "string", "writeOnly": true}}}"#;
    let journal = "{\"op\":\"enter\",\"path\":\"/word\",\"text\":\"hunter2\"}\n{\"op\":\"submit\"}\n\
                   {\"op\":\"reject\",\"problem\":{\"title\":\"No hunter2\",\"errors\":[{\"pointer\":\"/word\",\"detail\":\"“hunter2” is too short.\"}]}}\n\
                   {\"op\":\"submit\"}\n{\"op\":\"accept\",\"value\":{\"word\":\"hunter2\"}}\n";
    let folder = tempfile::tempdir().unwrap();
    for (name, text) in [("f.json", form), ("j.journal", journal), ("d.json", r#"{"word": "hunter2"}"#)] {
        std::fs::write(folder.path().join(name), text).unwrap();
    }
    for arguments in [
        &["replay", "--steps", "f.json", "j.journal"][..],
        &["replay", "--json", "f.json", "j.journal"],
        &["why", "f.json", "/word", "j.journal"],
        &["check", "f.json", "--data", "d.json", "--payload"],
        &["check", "f.json", "--data", "d.json", "--payload=urlencoded"],
    ] {
        let run = run_in(folder.path(), arguments, "");
        assert_eq!(run.status, 0, "{arguments:?} {}", run.err);
        assert!(!shown(&run).contains("hunter2"), "{arguments:?}\n{}", shown(&run));
        assert!(run.out.contains("•••") || run.out.contains("%E2%80%A2"), "{arguments:?}\n{}", run.out);
    }
}
