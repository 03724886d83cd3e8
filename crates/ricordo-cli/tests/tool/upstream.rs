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
fn a_row_in_conflict_is_not_called_by_its_secret() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    write(
        "form.json",
        r#"{"type": "object", "properties": {"rows": {"type": "array", "items": {"type": "object", "properties": {
            "code": {"type": "string", "writeOnly": true}, "grams": {"type": "integer"}}}}}}"#,
    );
    write("data.json", r#"{"rows": [{"code": "alpha", "grams": 1}]}"#);
    write(
        "journal",
        concat!(
            r#"{"op":"remove","path":"/rows/0"}"#,
            "\n",
            r#"{"op":"rebase","value":{"rows":[{"code":"alpha","grams":2}]}}"#
        ),
    );
    let run = run_in(folder.path(), &["replay", "form.json", "journal", "--data", "data.json"], "");
    assert!(run.out.contains("Changed by both"), "{}", run.out);
    assert!(!run.out.contains("alpha"), "{}", run.out);
}

#[test]
fn replay_shows_conflicts_and_what_they_were_solved_to() {
    let run = run(&["replay", FORM, "demo/two-bakers.journal", "--data", DATA]);
    assert_eq!(run.status, 0);
    let (_, conflicts) = run.out.split_once("(…) found, but not shown to the user yet\n").unwrap();
    assert_snapshot!(conflicts);
}

#[test]
fn values_that_differ_in_hidden_digits_are_told_apart() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let cost = r#"{"type": "number", "x-ricordo": {"display": {"decimals": 2}}}"#;
    write("f.json", &format!(r#"{{"type": "object", "properties": {{"cost": {cost}, "weight": {cost}}}}}"#));
    write("a.json", r#"{"cost": 0.0811, "weight": 1.5}"#);
    write("b.json", r#"{"cost": 0.0822, "weight": 2.5}"#);
    write(
        "j.journal",
        r#"{"op": "replace", "path": "/cost", "value": 0.0833}
{"op": "submit"}
{"op": "abandon"}
{"op": "rebase", "value": {"cost": 0.0822, "weight": 1.5}}
"#,
    );
    let rows = |arguments: &[&str]| -> Vec<String> {
        let run = run_in(folder.path(), arguments, "");
        assert_eq!(run.err, "");
        let rows = run.out.lines().filter(|line| line.contains("/cost") || line.contains("/weight"));
        rows.map(|row| row.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
    };
    let difference = rows(&["diff", "f.json", "--from", "a.json", "--to", "b.json"]);
    assert_eq!(difference, ["≠ /cost 0.081 0.082", "≠ /weight 1.50 2.50"]);

    let replay = rows(&["replay", "--steps", "f.json", "j.journal", "--data", "a.json"]);
    let has = |start: &str| assert!(replay.iter().any(|row| row.starts_with(start)), "{start} {replay:#?}");
    has("≠ /cost 0.081 0.083");
    has("/cost 0.083 0.082 dirty");
    has("/weight 1.50");
    has("/cost 0.081 0.083 0.082 open");
}

#[test]
fn exact_values_are_shown_in_every_table_of_a_replay() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    write(
        "f.json",
        r#"{"type": "object", "properties": {"cost": {"type": "number", "x-ricordo": {"display": {"decimals": 2}}}}}"#,
    );
    write("d.json", r#"{"cost": 1.2345}"#);
    write(
        "j.journal",
        r#"{"op": "replace", "path": "/cost", "value": 2.3456}
{"op": "submit"}
{"op": "abandon"}
{"op": "rebase", "value": {"cost": 3.4567}}
"#,
    );
    let run = run_in(
        folder.path(),
        &["replay", "--steps", "--exact", "f.json", "j.journal", "--data", "d.json"],
        "",
    );
    let (steps, end) = run.out.split_once("abandon").unwrap();
    assert!(
        steps.lines().any(|line| line.split_whitespace().eq(["≠", "/cost", "1.2345", "2.3456"])),
        "{steps}"
    );
    assert!(
        end.lines().any(|line| line.split_whitespace().eq(["/cost", "1.2345", "2.3456", "3.4567", "open"])),
        "{end}"
    );
    assert!(
        !run.out.contains("1.23 ") && !run.out.contains("2.35") && !run.out.contains("3.46"),
        "{}",
        run.out
    );
}
