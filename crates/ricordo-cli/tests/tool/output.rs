//! What the commands print.

use insta::assert_snapshot;

use crate::{project, run, run_in, shown};

const FORM: &str = "demo/batch-sheet.form.json";
const DATA: &str = "demo/batch-sheet.data.json";
const BUSY: &str = "demo/busy-morning.journal";

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
    let run = run(&["replay", "--every", FORM, BUSY, "--data", DATA]);
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
    let run = run_in(&project(), &["replay", "--every", FORM, "-", "--data", DATA], journal);
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
        run(&["replay", FORM, journal, "--data", DATA, "--every"]),
        run(&["why", FORM, "/sign_off", journal, "--data", DATA]),
    ];
    for run in &runs {
        // What failed quotes the reader's own line of the journal, and nothing else does.
        let quoted = |line: &&str| line.trim_start().starts_with("{\"op\":");
        let said: Vec<&str> = run.out.lines().chain(run.err.lines()).filter(|line| !quoted(line)).collect();
        assert!(!said.iter().any(|line| line.contains("hunter")), "{}", said.join("\n"));
        assert!(said.iter().any(|line| line.contains("•••")), "{}", said.join("\n"));
    }
}
