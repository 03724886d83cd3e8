//! Drafts that `ricordo replay` saves, and starts from.

use insta::assert_snapshot;

use crate::{project, run, run_in, shown};

const FORM: &str = "demo/batch-sheet.form.json";
const DATA: &str = "demo/batch-sheet.data.json";
const UPSTREAM: &str = "demo/batch-sheet.upstream.data.json";
const JOURNAL: &str = "demo/half-done.journal";

/// Saves the draft of a replay of the demo, and returns where it is.
fn saved(folder: &tempfile::TempDir) -> String {
    let draft = folder.path().join("draft.json").to_str().unwrap().to_owned();
    run(&["replay", FORM, JOURNAL, "--data", DATA, "--save-draft", &draft]);
    draft
}

#[test]
fn a_draft_goes_on_where_the_journal_ended() {
    let folder = tempfile::tempdir().unwrap();
    let draft = saved(&folder);
    let [before, after] = [
        vec!["replay", FORM, JOURNAL, "--data", DATA, "--json"],
        vec!["replay", FORM, "--from-draft", &draft, "--json"],
    ]
    .map(|arguments| run(&arguments).out);
    assert_eq!(after, before);
    let again = folder.path().join("again.json").to_str().unwrap().to_owned();
    run(&["replay", FORM, "--from-draft", &draft, "--save-draft", &again]);
    assert_eq!(std::fs::read_to_string(again).unwrap(), std::fs::read_to_string(draft).unwrap());
}

#[test]
fn a_draft_meets_what_has_changed_since() {
    let folder = tempfile::tempdir().unwrap();
    let draft = folder.path().join("draft.json").to_str().unwrap().to_owned();
    let journal = folder.path().join("typed.journal");
    std::fs::write(&journal, "{\"op\":\"enter\",\"path\":\"/price\",\"text\":\"7.20\"}\n").unwrap();
    run(&["replay", FORM, journal.to_str().unwrap(), "--data", DATA, "--save-draft", &draft]);
    let run = run(&["replay", FORM, "--from-draft", &draft, "--data", UPSTREAM]);
    assert_eq!(run.status, 0);
    let (_, conflicts) = run.out.split_once("not shown to the user yet\n").unwrap();
    assert_snapshot!(conflicts);
}

#[test]
fn what_does_not_fit_a_draft_any_longer_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let in_folder = |arguments: &[&str]| run_in(folder.path(), arguments, "");
    write(
        "old.json",
        r#"{"type": "object", "properties": {"name": {"type": "string"}, "loaves": {"type": "string"}, "gone": {"type": "string"}}}"#,
    );
    write(
        "new.json",
        r#"{"type": "object", "properties": {"name": {"type": "string"}, "loaves": {"type": "integer"}}}"#,
    );
    write("data.json", r#"{"name": "Rye", "loaves": "few"}"#);
    write(
        "typed.journal",
        "{\"op\":\"enter\",\"path\":\"/name\",\"text\":\"Spelt\"}\n{\"op\":\"enter\",\"path\":\"/loaves\",\"text\":\"many\"}\n{\"op\":\"enter\",\"path\":\"/gone\",\"text\":\"lost\"}\n",
    );
    in_folder(&["replay", "old.json", "typed.journal", "--data", "data.json", "--save-draft", "draft.json"]);
    assert_snapshot!(shown(&in_folder(&["replay", "new.json", "--from-draft", "draft.json"])));
}

#[test]
fn drafts_that_are_none_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let draft = saved(&folder);
    let text = std::fs::read_to_string(&draft).unwrap();
    let form = project().join(FORM).to_str().unwrap().to_owned();
    let refused = |text: &str| {
        std::fs::write(folder.path().join("broken.json"), text).unwrap();
        let run = run_in(folder.path(), &["replay", &form, "--from-draft", "broken.json"], "");
        assert_eq!((run.status, run.out.as_str()), (2, ""), "{}", run.err);
        run.err
    };
    let errors = [
        refused("[]"),
        refused("{}"),
        refused(&text[..text.len() / 2]),
        refused(&text.replace("ricordo draft 1", "ricordo draft 2")),
        run_in(folder.path(), &["replay", &form, "--from-draft", "nowhere.json"], "").err,
    ];
    assert_snapshot!(errors.join("\n"));
    // A problem in one place loses nothing elsewhere.
    let reported = |text: &str| {
        std::fs::write(folder.path().join("broken.json"), text).unwrap();
        let run = run_in(folder.path(), &["replay", &form, "--from-draft", "broken.json"], "");
        assert_eq!(run.status, 1);
        run.err
    };
    let said = reported(&text.replacen("\"touched\":true", "\"touched\":7", 1));
    assert!(said.starts_with("1 value of the draft was left out:") && said.contains("“touched”"), "{said}");
}

#[test]
fn a_draft_that_cannot_be_written_leaves_the_old_one() {
    let folder = tempfile::tempdir().unwrap();
    let form = project().join("demo/batch-sheet.form.json");
    let draft = folder.path().join("draft.json");
    std::fs::write(&draft, "the old one").unwrap();
    // A folder with the temporary name makes the write fail.
    std::fs::create_dir(folder.path().join("draft.json.partial")).unwrap();
    let arguments = ["replay", form.to_str().unwrap(), "--save-draft", "draft.json"];
    let run = run_in(folder.path(), &arguments, "");
    assert_eq!(run.status, 2);
    assert!(run.err.contains("the draft cannot be written to draft.json"), "{}", run.err);
    assert_eq!(std::fs::read_to_string(&draft).unwrap(), "the old one");
    std::fs::remove_dir(folder.path().join("draft.json.partial")).unwrap();
    assert_eq!(run_in(folder.path(), &arguments, "").status, 0);
    assert!(std::fs::read_to_string(&draft).unwrap().starts_with('{'));
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
}
