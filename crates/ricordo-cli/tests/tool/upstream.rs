//! Records that changed elsewhere: differences, and the conflicts of a rebase.

use insta::assert_snapshot;
use ricordo::Value;
use ricordo::exchange::read_value;

use crate::{run, run_in, shown};

const FORM: &str = "demo/batch-sheet.form.json";
const DATA: &str = "demo/batch-sheet.data.json";
const UPSTREAM: &str = "demo/batch-sheet.upstream.data.json";

#[test]
fn diff_shows_what_changed() {
    let run = run(&["diff", FORM, "--from", DATA, "--to", UPSTREAM]);
    assert_eq!(run.status, 1);
    assert_snapshot!(shown(&run));
}

#[test]
fn diff_writes_patches() {
    let patch = run(&["diff", FORM, "--from", DATA, "--to", UPSTREAM, "--as", "patch"]);
    assert_eq!(patch.status, 1);
    let patch: Vec<String> =
        read_value(&patch.out).unwrap().as_list().unwrap().iter().map(Value::to_string).collect();
    assert_snapshot!(patch.join("\n"));
    let merge = run(&["diff", FORM, "--from", DATA, "--to", UPSTREAM, "--as", "merge"]);
    let merge = read_value(&merge.out).unwrap();
    let names: Vec<&str> = merge.as_record().unwrap().iter().map(|(name, _)| name).collect();
    assert_eq!(
        names,
        ["loaves", "ingredients", "dough_weight", "surplus", "total_cost", "cost_a_loaf", "price", "notes"]
    );
}

#[test]
fn diff_finds_nothing_in_one_record() {
    let table = run(&["diff", FORM, "--from", DATA, "--to", DATA]);
    assert_eq!((table.status, table.out.as_str()), (0, "✓ The two records are the same.\n"));
    let patch = run(&["diff", FORM, "--from", DATA, "--to", DATA, "--as", "patch"]);
    assert_eq!((patch.status, patch.out.as_str()), (0, "[]\n"));
}

#[test]
fn diff_hides_secrets() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    write(
        "form.json",
        r#"{"type": "object", "properties": {"code": {"type": "string", "writeOnly": true}}}"#,
    );
    write("from.json", r#"{"code": "alpha"}"#);
    write("to.json", r#"{"code": "omega"}"#);
    for written_as in ["table", "patch", "merge"] {
        let arguments = ["diff", "form.json", "--from", "from.json", "--to", "to.json", "--as", written_as];
        let run = run_in(folder.path(), &arguments, "");
        assert!(run.out.contains("/code") || run.out.contains("\"code\""), "{}", run.out);
        assert!(!run.out.contains("alpha") && !run.out.contains("omega"), "{}", run.out);
    }
}

#[test]
fn replay_shows_conflicts_and_what_they_were_solved_to() {
    let run = run(&["replay", FORM, "demo/two-bakers.journal", "--data", DATA]);
    assert_eq!(run.status, 0);
    let (_, conflicts) = run.out.split_once("(…) found, but not shown to the user yet\n").unwrap();
    assert_snapshot!(conflicts);
}
