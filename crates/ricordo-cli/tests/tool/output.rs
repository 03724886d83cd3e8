//! The output of the commands.

use insta::assert_snapshot;

use crate::{project, run, run_in, shown};

const FORM: &str = "demo/batch-sheet.form.json";
const DATA: &str = "demo/batch-sheet.data.json";
const BUSY: &str = "demo/busy-morning.journal";

#[test]
fn the_tool_is_called_by_the_name_of_its_command() {
    let run = run(&["--version"]);
    assert_eq!(run.out, format!("ricordo {}\n", env!("CARGO_PKG_VERSION")));
}

#[test]
fn demo() {
    let run = run(&["demo"]);
    assert_eq!(run.status, 0);
    assert_snapshot!(shown(&run));

    let elsewhere = tempfile::tempdir().unwrap();
    assert_eq!(run_in(elsewhere.path(), &["demo"], "").out, run.out, "the demo runs from any folder");
}

#[test]
fn check_shows_what_a_form_is_made_of() {
    assert_snapshot!(shown(&run(&["check", FORM])));
}

#[test]
fn check_finds_nothing_in_good_data() {
    let run = run(&["check", FORM, "--data", DATA]);
    assert_eq!(run.status, 0);
    assert!(run.out.ends_with("✓ Nothing is wrong with demo/batch-sheet.data.json.\n"), "{}", run.out);
}

#[test]
fn check_tells_of_values_that_are_calculated_otherwise() {
    let folder = tempfile::tempdir().unwrap();
    let data = std::fs::read_to_string(project().join(DATA)).unwrap();
    let stale = data.replace("\"loaves\": 12,", "\"loaves\": 12, \"surplus\": 99, \"dough_weight\": 10836,");
    let stale = stale.replace("\"grams\": 5000,", "\"grams\": 5000, \"cost\": 5.5,");
    std::fs::write(folder.path().join("stale.json"), stale).unwrap();
    let run =
        run_in(folder.path(), &["check", project().join(FORM).to_str().unwrap(), "--data", "stale.json"], "");
    assert_eq!(run.status, 1);
    let (_, said) = run.out.split_once("✗").unwrap();
    assert_snapshot!(said);
}

#[test]
fn check_names_the_lines_of_what_is_wrong() {
    let run = run(&["check", FORM, "--data", "demo/batch-sheet-with-faults.data.json"]);
    assert_eq!(run.status, 1);
    let (_, findings) = run.out.split_once("✗").unwrap();
    assert_snapshot!(findings);
}

#[test]
fn replay_shows_the_state() {
    let run = run(&["replay", FORM, "demo/price-change.patch.json", "--data", DATA]);
    assert_eq!(run.status, 0);
    assert_snapshot!(shown(&run));
}

#[test]
fn replay_shows_every_action() {
    let run = run(&["replay", "--steps", FORM, BUSY, "--data", DATA]);
    assert_eq!(run.status, 0);
    assert_snapshot!(shown(&run));
}

#[test]
fn replay_prints_the_whole_state_as_json() {
    let run = run(&["replay", "--json", FORM, "demo/first-steps.journal", "--data", DATA]);
    assert_eq!(run.status, 0);
    assert_snapshot!(shown(&run));
}

#[test]
fn a_state_with_rows_and_findings_stays_readable() {
    let run = run(&["replay", FORM, "demo/half-done.journal", "--data", DATA]);
    assert_eq!(run.status, 0);
    assert!(run.out.lines().all(|line| line.chars().count() <= 100), "{}", run.out);
    assert_snapshot!(shown(&run));
}

/// One expected figure is changed: the replay ends with 1 and points at the line.
#[test]
fn a_failed_expectation_is_pointed_at() {
    let journal = std::fs::read_to_string(project().join(BUSY)).unwrap();
    let actions =
        journal.lines().filter(|line| line.starts_with('{') && !line.contains("\"expect\"")).count();
    assert!(actions >= 25, "{actions} actions");
    let changed = journal.replace("\"value\":501,", "\"value\":502,");
    assert_ne!(changed, journal);
    let line = changed.lines().position(|line| line.contains("502")).unwrap() + 1;

    let run = run_in(&project(), &["replay", FORM, "-", "--data", DATA], &changed);
    assert_eq!(run.status, 1);
    let said = format!("standard input:{line}: expected value 502 at /loaves, found 501");
    assert!(run.out.contains(&said), "{}", run.out);
    assert!(run.out.contains("1 not met."), "{}", run.out);

    let run = run_in(&project(), &["replay", "--json", FORM, "-", "--data", DATA], &changed);
    assert_eq!(run.status, 1);
    assert!(run.err.contains(&said), "{}", run.err);
    assert!(
        serde_json::from_str::<serde_json::Value>(&run.out).is_ok(),
        "nothing but JSON on standard output"
    );
}

/// A refused action is a finding; the replay goes on, and the action has changed nothing.
#[test]
fn a_refused_action_does_not_stop_the_replay() {
    let journal = r#"
{"op":"enter","path":"/loavs","text":"15"}
{"op":"group","actions":[{"op":"enter","path":"/loaves","text":"15"},{"op":"test","path":"/name","value":"Rye"}]}
{"op":"expect","path":"/loaves","value":12,"dirty":false}
{"op":"test","path":"/price","value":6.49}
{"op":"expect","path":"/oven","value":1}
"#;
    let run = run_in(&project(), &["replay", "--steps", FORM, "-", "--data", DATA], journal);
    assert_eq!(run.status, 1);
    let every: Vec<&str> = run.out.lines().take_while(|line| !line.is_empty()).collect();
    let (_, summary) = run.out.split_once("✗").unwrap();
    assert_snapshot!(format!("{}\n…\n✗{summary}", every.join("\n")));
}

#[test]
fn colours_are_for_terminals_and_help_is_at_hand() {
    assert!(!run(&["demo"]).out.contains('\u{1b}'));
    assert_snapshot!(shown(&run(&["--help"])));
    assert_snapshot!("help_of_replay", shown(&run(&["replay", "--help"])));
}

#[test]
fn why_tells_what_made_a_place_what_it_is() {
    let why = |pointer: &str| run(&["why", FORM, pointer, "demo/half-done.journal", "--data", DATA]);
    let told: Vec<String> =
        ["/loaves", "/ingredients/0/grams", "/ingredients", "/bake_date", "/sheet_number"]
            .iter()
            .map(|pointer| why(pointer))
            .map(|run| shown(&run))
            .collect();
    assert_snapshot!(told.join("\n"));

    let missing = why("/lovaes");
    assert_eq!(missing.status, 2);
    assert!(missing.err.contains("the nearest is /loaves"), "{}", missing.err);
    assert_eq!(why("loaves").status, 2);
}

#[test]
fn a_secret_is_written_nowhere() {
    let folder = tempfile::tempdir().unwrap();
    let journal = r#"{"op":"enter","path":"/sign_off","text":"hunter2"}
{"op":"test","path":"/sign_off","value":"hunter3"}
{"op":"expect","path":"/sign_off","value":"hunter4","entry":"hunter5","display":"hunter6"}
{"op":"replace","path":"/sign_off","value":["hunter7"]}
{"op":"leave","path":"/sign_off"}
"#;
    std::fs::write(folder.path().join("secret.journal"), journal).unwrap();
    let journal = folder.path().join("secret.journal");
    let journal = journal.to_str().unwrap();
    let runs = [
        run(&["replay", FORM, journal, "--data", DATA, "--json"]),
        run(&["replay", FORM, journal, "--data", DATA, "--steps"]),
        run(&["why", FORM, "/sign_off", journal, "--data", DATA]),
    ];
    for run in &runs {
        let said = format!("{}{}", run.out, run.err);
        assert!(!said.contains("hunter") && said.contains("•••"), "{said}");
    }
}

/// Excerpts of files, defaults, and what is refused would tell secrets as well.
#[test]
fn a_secret_is_in_no_excerpt_and_no_outline() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let form = r#"{"type": "object", "properties": {
        "user": {"type": "string"},
        "word": {"type": "string", "writeOnly": true, "default": "hunter1"},
        "pin": {"type": "integer", "writeOnly": true},
        "one": {"enum": ["hunter2", "hunter3"], "writeOnly": true},
        "deep": {"type": "object", "properties": {"word": {"type": "string", "writeOnly": true}}}}}"#;
    write("a.form.json", form);
    write("wrong.form.json", &form.replace("\"type\": \"integer\"", "\"type\": \"intger\""));
    write("bad-default.form.json", &form.replace("\"hunter1\"", "\"hunter1\", \"maxLength\": 2"));
    let lines = [
        r#"{"op":"test","path":"/deep","value":{"word":"hunter4"}}"#,
        r#"{"op":"expect","path":"","value":{"word":"hunter5","pin":7731}}"#,
        r#"{"op":"enter","path":"/wrod","text":"hunter6"}"#,
        r#"{"op":"replace","path":"/pin","value":7731.5}"#,
        r#"{"op":"replace","path":"/pin","value":"hunter7"}"#,
        r#"{"op":"replace","path":"/deep","value":"hunter8"}"#,
        r#"{"op":"event","path":"/nowhere","name":"saved","value":{"word":"hunter9"}}"#,
        r#"{"op":"choices","path":"/nowhere","choices":["hunter9"]}"#,
        r#"{"op":"enter","path":"/one","text":"hunter9"}"#,
    ];
    write("a.journal", &lines.join("\n"));
    write("broken.journal", "{\"op\":\"enter\",\"path\":\"/word\",\"txt\":\"hunter9\"}\n");
    write("patch.journal", "[{\"op\":\"enter\",\"path\":\"/word\",\"text\":\"hunter9\"}]");
    write(
        "a.data.json",
        r#"{"word": "hunter1", "pin": 7731, "one": "hunter2", "deep": {"word": "hunter3"}}"#,
    );
    write("wrong.data.json", r#"{"word": "hunter1", "pin": 7731.5, "usr": "hunter2"}"#);
    write("no-json.data.json", r#"{"word": "hunter1",, }"#);
    let cases: [(&[&str], i32); 11] = [
        (&["check", "a.form.json"], 0),
        (&["check", "a.form.json", "--data", "a.data.json"], 0),
        (&["check", "wrong.form.json"], 2),
        (&["check", "bad-default.form.json"], 2),
        (&["check", "a.form.json", "--data", "wrong.data.json"], 2),
        (&["check", "a.form.json", "--data", "no-json.data.json"], 2),
        (&["replay", "a.form.json", "a.journal", "--steps", "--data", "a.data.json"], 1),
        (&["replay", "a.form.json", "a.journal", "--json", "--data", "a.data.json"], 1),
        (&["replay", "a.form.json", "broken.journal"], 2),
        (&["replay", "a.form.json", "patch.journal"], 2),
        (&["why", "a.form.json", "/one", "a.journal", "--data", "a.data.json"], 1),
    ];
    let mut shown = String::new();
    for (arguments, status) in cases {
        let run = run_in(folder.path(), arguments, "");
        let said = format!("{}{}", run.out, run.err);
        assert_eq!(run.status, status, "{arguments:?}: {said}");
        assert!(!said.contains("hunter") && !said.contains("7731"), "{arguments:?}: {said}");
        if status == 2 {
            shown += &format!("$ ricordo {}\n{}", arguments.join(" "), run.err);
        }
    }
    assert_snapshot!(shown);
}

#[test]
fn output_that_is_closed_or_full_is_no_panic() {
    use std::fs::OpenOptions;
    use std::process::{Command, Stdio};

    let tool = assert_cmd::cargo::cargo_bin("ricordo");
    let commands: [&[&str]; 4] = [
        &["demo"],
        &["check", FORM, "--data", DATA],
        &["replay", FORM, BUSY, "--data", DATA, "--steps"],
        &["replay", FORM, BUSY, "--data", DATA, "--json"],
    ];
    for arguments in commands {
        let mut child = Command::new(&tool)
            .current_dir(project())
            .args(arguments)
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        // Whoever reads leaves at once.
        drop(child.stdout.take());
        let ended = child.wait_with_output().unwrap();
        assert!(ended.status.success(), "{arguments:?}: {ended:?}");
        assert!(ended.stderr.is_empty(), "{arguments:?}: {ended:?}");

        if let Ok(full) = OpenOptions::new().write(true).open("/dev/full") {
            let output =
                Command::new(&tool).current_dir(project()).args(arguments).stdout(full).output().unwrap();
            assert_eq!(output.status.code(), Some(2), "{arguments:?}");
            let said = String::from_utf8(output.stderr).unwrap();
            assert!(said.starts_with("Error: the output cannot be written: "), "{said}");
            assert_eq!(said.lines().count(), 1, "{said}");
        }
    }
}

/// A journal is carried out while it is written: nothing waits for its end.
#[test]
fn a_journal_is_read_as_a_stream() {
    use std::io::{BufRead, BufReader, Write};
    use std::process::{Command, Stdio};

    let mut child = Command::new(assert_cmd::cargo::cargo_bin("ricordo"))
        .current_dir(project())
        .args(["replay", FORM, "-", "--data", DATA, "--steps"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut input = child.stdin.take().unwrap();
    let mut output = BufReader::new(child.stdout.take().unwrap()).lines();
    let mut next = || output.next().unwrap().unwrap();
    assert_eq!(next(), "standard input");
    for loaves in 1..4 {
        writeln!(input, "{{\"op\":\"enter\",\"path\":\"/loaves\",\"text\":\"{loaves}\"}}").unwrap();
        input.flush().unwrap();
        assert_eq!(next(), format!("{loaves:>4} enter “{loaves}” in /loaves"));
        while !next().contains("notified:") {}
    }
    // A line that is not an action stops the replay: earlier lines are shown, and no state follows.
    writeln!(input, "{{\"op\":\"entr\"}}").unwrap();
    drop(input);
    assert!(output.next().is_none());
    assert_eq!(child.wait().unwrap().code(), Some(2));
}

#[test]
fn control_characters_are_escaped_wherever_they_come_from() {
    let folder = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| std::fs::write(folder.path().join(name), text).unwrap();
    let form = r#"{"type": "object", "title": "clear\u001b[2J", "properties": {
        "na\u001bme": {"type": "string", "title": "bell\u0007", "maxLength": 1,
            "x-ricordo": {"messages": {"too_long": "Too\u001b[31m long."}}},
        "right": {"type": "string", "default": "\u202eabc"},
        "one": {"oneOf": [{"const": "a", "title": "A\u001b[5m"}]}}}"#;
    write("a.form.json", form);
    write(
        "a.data.json",
        r#"{"na\u001bme": "a\u001b]0;title\u0007\r\nb", "one": "x\u009b", "right": "\u202eabc"}"#,
    );
    write(
        "a.journal",
        "# A step\u{1b}[2J. It clears.\n{\"op\":\"enter\",\"path\":\"/na\\u001bme\",\"text\":\"\\u001b[1mbold\"}\n\
         {\"op\":\"leave\",\"path\":\"/na\\u001bme\"}\n{\"op\":\"enter\",\"path\":\"/\\u001bc\",\"text\":\"\"}\n\
         {\"op\":\"expect\",\"path\":\"/right\",\"value\":\"\\u001b[8m\"}\n",
    );
    write("broken.journal", "{\"op\":\"\u{1b}[2J\"}\n");
    write("wrong.data.json", r#"{"na\u001bme": {"\u001b[2J": 1}}"#);
    let cases: [&[&str]; 8] = [
        &["check", "a.form.json"],
        &["check", "a.form.json", "--data", "a.data.json"],
        &["check", "a.form.json", "--data", "wrong.data.json"],
        &["check", "\u{1b}[2J.json"],
        &["replay", "a.form.json", "a.journal", "--data", "a.data.json", "--steps"],
        &["replay", "a.form.json", "a.journal", "--data", "a.data.json", "--json"],
        &["replay", "a.form.json", "broken.journal"],
        &["why", "a.form.json", "/na\u{1b}me", "a.journal", "--data", "a.data.json"],
    ];
    for arguments in cases {
        let run = run_in(folder.path(), arguments, "");
        let is_control = |sign: char| (sign.is_control() && sign != '\n') || sign == '\u{202e}';
        for said in [&run.out, &run.err] {
            assert!(!said.contains(is_control), "{arguments:?}: {said:?}");
        }
        assert!(run.status < 3 && !(run.out.is_empty() && run.err.is_empty()));
    }
    let run = run_in(
        folder.path(),
        &["replay", "a.form.json", "a.journal", "--steps", "--data", "a.data.json"],
        "",
    );
    assert!(run.out.contains(r"“\u{1b}[1mbold”"), "{}", run.out);
    assert!(run.out.contains(r"\u{202e}abc"), "{}", run.out);
}

const CONSTRAINED: &str = r#"{"type": "object", "properties": {
    "mail": {"type": "string", "format": "email", "maxLength": 1},
    "page": {"type": "string", "format": "uri", "pattern": "^https:"},
    "code": {"type": "string", "minLength": 3, "maxLength": 3, "x-ricordo": {"trim": true, "reveal": "always", "deferred": [{"check": "code_is_known"}]}},
    "day": {"type": "string", "format": "date", "x-ricordo": {"minimum": "2026-11-01", "maximum": "2026-11-30", "reveal": "submit"}},
    "rows": {"type": "array", "minItems": 1, "items": {"type": "integer", "minimum": 1}}}}"#;

#[test]
fn check_shows_every_constraint() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("form.json"), CONSTRAINED).unwrap();
    assert_snapshot!(shown(&run_in(folder.path(), &["check", "form.json"], "")));
}

#[test]
fn types_tell_no_secret_and_are_numbered_where_titles_are_the_same() {
    let folder = tempfile::tempdir().unwrap();
    let form = r#"{"type": "object", "properties": {
        "word": {"enum": ["open sesame", "abracadabra"], "writeOnly": true},
        "a": {"type": "object", "title": "Line", "properties": {"n": {"type": "integer"}}},
        "b": {"type": "object", "title": "Line", "properties": {"n": {"type": "integer"}}},
        "c": {"type": "object", "title": "Line", "properties": {"n": {"type": "integer"}}}}}"#;
    std::fs::write(folder.path().join("form.json"), form).unwrap();
    let run = run_in(folder.path(), &["scaffold", "form.json", "--as", "typescript"], "");
    assert!(!run.out.contains("sesame") && run.out.contains("word?: string;"), "{}", run.out);
    for name in ["interface Line {", "interface Line2 {", "interface Line3 {"] {
        assert!(run.out.contains(name), "{}", run.out);
    }
}
