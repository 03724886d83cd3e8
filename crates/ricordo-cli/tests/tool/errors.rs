//! Input that the tool cannot read: one clear message, and exit status 2.

use std::fmt::Write;
use std::fs;

use insta::assert_snapshot;

use crate::{project, run, run_in};

const FORM: &str =
    r#"{"type": "object", "properties": {"loaves": {"type": "integer"}, "name": {"type": "string"}}}"#;

const LOCAL: &str = r#"{"type": "object", "properties": {"name": {"type": "string"},
  "look_up": {"type": "string", "x-ricordo": {"local": true}}}}"#;

/// Runs the tool on files of these contents, and collects what it says.
fn said(cases: &[(&str, &str, &str, &str)]) -> String {
    let mut said = String::new();
    for (what, form, data, journal) in cases {
        let folder = tempfile::tempdir().unwrap();
        for (name, text) in
            [("sheet.form.json", form), ("sheet.data.json", data), ("morning.journal", journal)]
        {
            fs::write(folder.path().join(name), text).unwrap();
        }
        let arguments = ["replay", "sheet.form.json", "morning.journal", "--data", "sheet.data.json"];
        let run = run_in(folder.path(), &arguments, "");
        assert_eq!((run.status, run.out.as_str()), (2, ""), "{what}: {}", run.err);
        writeln!(said, "## {what}\n{}", run.err).unwrap();
    }
    said
}

#[test]
fn of_definitions() {
    let form =
        |properties: &str| format!("{{\n  \"type\": \"object\",\n  \"properties\": {{{properties}}}\n}}");
    let cases = [
        ("no JSON", "{\"type\": \"object\",\n \"properties\": {,}}".to_owned()),
        ("no form", "{\"type\": \"string\"}".to_owned()),
        ("no type", form("\"name\": {}")),
        ("an unknown type", form("\"name\": {\"type\": \"strng\"}")),
        ("a misspelt keyword", form("\"name\": {\"type\": \"string\", \"maxLenght\": 4}")),
        (
            "a keyword that is not supported",
            form("\"name\": {\"type\": \"string\", \"contentEncoding\": \"base64\"}"),
        ),
        (
            "a formula",
            form("\"name\": {\"type\": \"integer\", \"x-ricordo\": {\"calculate\": \"nam + \\\"1\\\"\"}}"),
        ),
        (
            "a misspelt key of ours",
            form("\"name\": {\"type\": \"string\", \"x-ricordo\": {\"revael\": \"always\"}}"),
        ),
        (
            "a message for constraints",
            form("\"name\": {\"type\": \"string\", \"x-ricordo\": {\"messages\": {\"custom_error\": \"\"}}}"),
        ),
        (
            "a misspelt finding",
            form("\"name\": {\"type\": \"string\", \"x-ricordo\": {\"messages\": {\"to_long\": \"\"}}}"),
        ),
        ("a keyword that says nothing", form("\"name\": {\"type\": \"integer\", \"maxLength\": 4}")),
        ("a keyword of the wrong sort", form("\"name\": {\"type\": \"string\", \"maxLength\": \"4\"}")),
        (
            "a format that is not supported",
            form("\"site\": {\"type\": \"string\", \"format\": \"hostname\"}"),
        ),
        ("a wrong default", form("\"loaves\": {\"type\": \"integer\", \"default\": \"many\"}")),
        ("a wrong choice", form("\"loaves\": {\"type\": \"integer\", \"enum\": [1, \"two\"]}")),
        (
            "a misspelt reference",
            form("\"a\": {\"$ref\": \"#/$defs/overn\"}}, \"$defs\": {\"oven\": {\"type\": \"string\"}"),
        ),
        ("a reference to another file", form("\"a\": {\"$ref\": \"oven.json\"}")),
        ("a record within itself", form("\"a\": {\"$ref\": \"#\"}")),
        (
            "a required field that is none",
            form("\"name\": {\"type\": \"string\"}}, \"required\": [\"nam\"], \"$defs\": {"),
        ),
        ("a name twice", form("\"a\": {\"type\": \"string\"}, \"a\": {\"type\": \"integer\"}")),
        ("a list without items", form("\"a\": {\"type\": \"array\"}")),
        (
            "decimals for a text",
            form("\"a\": {\"type\": \"string\", \"x-ricordo\": {\"display\": {\"decimals\": 2}}}"),
        ),
        (
            "a pattern that a date does not have",
            form(
                "\"a\": {\"type\": \"string\", \"format\": \"date\", \"x-ricordo\": {\"display\": {\"pattern\": \"%H:%M\"}}}",
            ),
        ),
        (
            "a misspelt part of a display format",
            form("\"a\": {\"type\": \"number\", \"x-ricordo\": {\"display\": {\"decimal\": 2}}}"),
        ),
        (
            "a commit that is none",
            form("\"a\": {\"type\": \"string\", \"x-ricordo\": {\"commit\": \"blur\"}}"),
        ),
        (
            "a commit for what is not typed",
            form("\"a\": {\"type\": \"boolean\", \"x-ricordo\": {\"commit\": \"leave\"}}"),
        ),
        (
            "a local item",
            form(
                "\"a\": {\"type\": \"array\", \"items\": {\"type\": \"string\", \"x-ricordo\": {\"local\": true}}}",
            ),
        ),
    ];
    let cases: Vec<_> = cases.iter().map(|(what, form)| (*what, form.as_str(), "{}", "")).collect();
    let said = said(&cases);
    assert_snapshot!(said);
}

#[test]
fn of_data() {
    let said = said(&[
        ("no JSON", FORM, "{\n  \"loaves\": 12,\n}", ""),
        ("a wrong sort of value", FORM, "{\n  \"name\": \"Rye\",\n  \"loaves\": \"twelve\"\n}", ""),
        ("a fraction where none is", FORM, "{\"loaves\": 1.5}", ""),
        ("a misspelt field", FORM, "{\n  \"loavs\": 12\n}", ""),
        ("more digits than can be kept", FORM, "{\"loaves\": 1e40}", ""),
        ("a list for a form", FORM, "[]", ""),
        ("data for a local field", LOCAL, "{\n  \"look_up\": \"rye\"\n}", ""),
        ("half a surrogate pair", FORM, "{\"name\": \"\\ud83e\"}", ""),
    ]);
    assert_snapshot!(said);
}

/// Data one level too deep is to blame itself, at the place where it is too deep; of a very long line, only what is near
/// is shown.
#[test]
fn of_what_is_too_deep_or_too_long() {
    let form = r##"{"type":"object","properties":{"a":{"type":["object","null"],"properties":{"a":{"$ref":"#/properties/a"}}}}}"##;
    let nested = |levels: usize| format!("{}null{}", "{\"a\":".repeat(levels), "}".repeat(levels));
    let folder = tempfile::tempdir().unwrap();
    let run = |data: &str| {
        fs::write(folder.path().join("a.form.json"), form).unwrap();
        fs::write(folder.path().join("a.data.json"), data).unwrap();
        run_in(folder.path(), &["check", "a.form.json", "--data", "a.data.json"], "")
    };
    let deepest = (1..200).take_while(|levels| run(&nested(*levels)).status == 0).last().unwrap();
    let said = run(&nested(deepest + 1));
    assert_eq!(said.status, 2);
    assert!(said.err.contains("lies more than 100 places deep"), "{}", said.err);
    assert!(said.err.contains("a.data.json:1:") && said.err.contains("/a/a/a"), "{}", said.err);

    let fields: Vec<String> = (0..20_000).map(|at| format!("\"f{at}\":{{\"type\":\"string\"}}")).collect();
    let form = format!(
        "{{\"type\":\"object\",\"properties\":{{{},\"x\":{{\"type\":\"sting\"}}}}}}",
        fields.join(",")
    );
    fs::write(folder.path().join("long.form.json"), &form).unwrap();
    let run = run_in(folder.path(), &["check", "long.form.json"], "");
    let column = form.find("\"sting\"").unwrap() + 1;
    assert!(run.err.contains(&format!("long.form.json:1:{column}")), "{}", run.err);
    assert!(run.err.len() < 1_000 && run.err.contains("sting"), "{}", run.err);
}

#[test]
fn of_journals() {
    let said = said(&[
        (
            "no JSON",
            FORM,
            "{}",
            "# a comment\n\n{\"op\":\"reset\"}\n  {\"op\":\"enter\" \"path\":\"/name\"}\n",
        ),
        ("no op", FORM, "{}", "{\"path\":\"/name\"}"),
        ("an unknown op", FORM, "{}", "{\"op\":\"entr\",\"path\":\"/name\",\"text\":\"\"}"),
        ("a side that there is not", FORM, "{}", "{\"op\":\"resolve\",\"take\":\"yours\"}"),
        ("a missing member", FORM, "{}", "{\"op\":\"reset\"}\n{\"op\":\"enter\",\"path\":\"/name\"}"),
        ("a misspelt member", FORM, "{}", "{\"op\":\"enter\",\"path\":\"/name\",\"txt\":\"\",\"text\":\"\"}"),
        ("no pointer", FORM, "{}", "{\"op\":\"leave\",\"path\":\"name\"}"),
        ("a text of the wrong sort", FORM, "{}", "{\"op\":\"enter\",\"path\":\"/name\",\"text\":12}"),
        (
            "an unknown finding",
            FORM,
            "{}",
            "{\"op\":\"expect\",\"path\":\"/name\",\"findings\":[\"too_lon\"]}",
        ),
        ("an unknown status", FORM, "{}", "{\"op\":\"expect\",\"status\":\"editting\"}"),
        ("a status of a field", FORM, "{}", "{\"op\":\"expect\",\"path\":\"/name\",\"status\":\"editing\"}"),
        (
            "a choice without a value",
            FORM,
            "{}",
            "{\"op\":\"choices\",\"path\":\"/name\",\"choices\":[{\"label\":\"Deck A\"}]}",
        ),
        (
            "a misspelt member of a choice",
            FORM,
            "{}",
            "{\"op\":\"choices\",\"path\":\"/name\",\"choices\":[{\"valeu\":\"a\"}]}",
        ),
        ("an expectation in a group", FORM, "{}", "{\"op\":\"group\",\"actions\":[{\"op\":\"expect\"}]}"),
        (
            "an op that is no JSON Patch's",
            FORM,
            "{}",
            "[\n  {\"op\":\"enter\",\"path\":\"/name\",\"text\":\"\"}\n]",
        ),
        ("a patch without a value", FORM, "{}", "[\n  {\"op\":\"add\",\"path\":\"/name\"}\n]"),
    ]);
    assert_snapshot!(said);
}

#[test]
fn of_files_and_arguments() {
    let folder = project();
    let mut said = String::new();
    let cases: [&[&str]; 11] = [
        &["check", "demo/batch-shet.form.json"],
        &["check", "demo/batch-sheet.form.json", "--data", "nowhere/batch.json"],
        &["check", "demo"],
        &["check", "crates/ricordo-cli/tests/tool/not-utf-8.form.json"],
        &["chek", "demo/batch-sheet.form.json"],
        &["replay"],
        &["replay", "demo/batch-sheet.form.json", "--stps"],
        &["replay", "-", "-"],
        &["replay", "demo/batch-sheet.form.json", "-", "--data", "-"],
        &["check", "-", "--data", "-"],
        &["why", "demo/batch-sheet.form.json", "/loaves", "-", "-"],
    ];
    for arguments in cases {
        let run = run_in(&folder, arguments, "");
        assert_eq!((run.status, run.out.as_str()), (2, ""), "{arguments:?}");
        writeln!(said, "$ ricordo {}\n{}", arguments.join(" "), run.err).unwrap();
    }
    assert_snapshot!(said);
}

#[test]
fn excerpts_are_hidden_by_what_a_definition_says_and_cut_where_lines_are_long() {
    let folder = tempfile::tempdir().unwrap();
    let check = |form: &str| {
        fs::write(folder.path().join("form.json"), form).unwrap();
        run_in(folder.path(), &["check", "form.json"], "").err
    };
    let secret = r#"{"type": "object", "properties": {"pin": {"type": "string", "write\u004fnly": true, "defalt": "1234"}}}"#;
    assert!(!check(secret).contains("1234"), "{}", check(secret));
    let named = r#"{"type": "object", "description": "nothing is \"writeOnly\" here", "properties": {"pin": {"type": "strng"}}}"#;
    assert!(check(named).contains("strng\""), "{}", check(named));
    let long = format!(
        r#"{{"type": "object", "description": "{}", "properties": {{"pin": {{"type": "strng"}}}}}}"#,
        "x".repeat(100_000)
    );
    assert!(check(&long).len() < 4_000 && check(&long).contains("strng"), "{}", check(&long));
    assert!(!check(&long).contains(":::"), "{}", check(&long));
}

#[test]
fn what_is_endless_is_refused() {
    let form = project().join("demo/batch-sheet.form.json");
    let form = form.to_str().unwrap();
    for arguments in [
        vec!["check", "/dev/zero"],
        vec!["check", form, "--data", "/dev/zero"],
        vec!["replay", form, "/dev/zero"],
    ] {
        let run = run(&arguments);
        assert_eq!(run.status, 2, "{arguments:?}");
        assert!(run.err.contains("the most that is read"), "{}", run.err);
    }
}

#[test]
fn help_that_finds_no_room_ends_with_status_2() {
    let full = fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    let tool = assert_cmd::cargo::cargo_bin("ricordo");
    let status = std::process::Command::new(tool).arg("--help").stdout(full).status().unwrap();
    assert_eq!(status.code(), Some(2));
}
