//! Checks: steps, formats, times past midnight, ids, messages, and what of all that is shown.

use ricordo::civil::{Date, DateTime, Time, date, time};
use ricordo::exchange::{read_definition, write_definition};
use ricordo::{Decimal, FindingKind, Form, Model, Rules, at};

#[derive(Clone, Debug, Model)]
#[model(rules = Entry::rules, messages(value_missing = "{label} is needed.", too_long = "Shorter, please."))]
struct Entry {
    #[model(label = "Name", required, max_length = 10)]
    name: String,
    #[model(max_length = 5, messages(too_long = "At most {limit}, not {actual}."))]
    code: String,
    #[model(minimum = 1, step = 0.25)]
    weight: Option<Decimal>,
    #[model(minimum = "2026-11-02", step = 7)]
    monday: Option<Date>,
    #[model(step = 900)]
    start: Option<Time>,
    #[model(minimum = "22:00", maximum = "04:00")]
    night: Option<Time>,
    #[model(step = 3600)]
    at: Option<DateTime>,
    #[model(format = "url")]
    site: String,
    #[model(format = "uri")]
    link: String,
    #[model(min_length = 3, format = "email", findings = "first", reveal = "submit")]
    email: String,
    inner: Inner,
}

#[derive(Clone, Debug, Model)]
struct Inner {
    #[model(required)]
    town: String,
}

impl Entry {
    fn rules(rules: &mut Rules<Self>) {
        let entry = at::<Self>();
        rules.named("short").warn_unless(entry.name(), "Is that all?", move |it| {
            it.get(entry.name()).filter(|name| !name.is_empty()).map(|name| name.len() > 2)
        });
        rules
            .named("far")
            .constraint(entry.inner(), "Not in Far.", move |it| Some(it.get(entry.inner().town())? != "Far"));
    }
}

fn form() -> Form<Entry> {
    let form = Form::<Entry>::blank().unwrap();
    form.enter(at::<Entry>().name(), "Rye").unwrap();
    form.enter("/inner/town", "Near").unwrap();
    form
}

/// The findings of a place with this entry.
fn said(form: &Form<Entry>, place: &str, text: &str) -> Vec<String> {
    form.enter(place, text).unwrap();
    let findings = form.findings().into_iter().filter(|finding| finding.place.as_str() == place);
    findings.map(|finding| finding.message).collect()
}

#[test]
fn steps_count_from_the_minimum() {
    let form = form();
    assert!(said(&form, "/weight", "1.75").is_empty());
    assert_eq!(said(&form, "/weight", "1.8"), ["The nearest that can be used is 1.75 or 2."]);
    assert_eq!(
        said(&form, "/weight", "0.9"),
        ["Must be at least 1.", "The nearest that can be used is 1."],
        "below the minimum there is none"
    );
    assert!(said(&form, "/monday", "2026-11-23").is_empty());
    assert_eq!(
        said(&form, "/monday", "2026-11-24"),
        ["The nearest that can be used is 2026-11-23 or 2026-11-30."]
    );
    assert!(said(&form, "/start", "04:45").is_empty());
    assert_eq!(said(&form, "/start", "04:40"), ["The nearest that can be used is 04:30 or 04:45."]);
    assert_eq!(said(&form, "/start", "23:50"), ["The nearest that can be used is 23:45."]);
    assert!(said(&form, "/at", "1969-12-31T23:00").is_empty());
    assert_eq!(
        said(&form, "/at", "1969-12-31T23:30"),
        ["The nearest that can be used is 1969-12-31T23:00 or 1970-01-01T00:00."]
    );
    assert!(
        form.set("/monday", date(9999, 12, 31).to_string().as_str().into()).is_ok(),
        "the last day there is"
    );
    assert!(said(&form, "/weight", "79228162514264337593543950335").is_empty(), "the largest number");
}

#[test]
fn times_may_go_past_midnight() {
    let form = form();
    for right in ["22:00", "23:59", "00:00", "04:00"] {
        assert!(said(&form, "/night", right).is_empty(), "{right}");
    }
    let expected = "Must be from 22:00 to 04:00 the next day.";
    assert_eq!(said(&form, "/night", "12:00"), [expected, expected]);
    let kinds: Vec<FindingKind> = form
        .findings()
        .into_iter()
        .filter(|found| found.place.as_str() == "/night")
        .map(|found| found.kind)
        .collect();
    assert_eq!(kinds, [FindingKind::RangeUnderflow, FindingKind::RangeOverflow], "as in HTML");
    assert_eq!(time(4, 0, 0, 0).to_string(), "04:00:00");
}

#[test]
fn addresses_are_checked_by_their_standards() {
    let form = form();
    assert!(said(&form, "/site", "https://münchen.example/brot").is_empty());
    assert_eq!(
        said(&form, "/site", "mill.example"),
        ["“mill.example” is not a web address like https://example.com/page."]
    );
    assert!(said(&form, "/link", "urn:isbn:0451450523").is_empty());
    assert_eq!(said(&form, "/link", "über"), ["“über” is not a URI like https://example.com/page."]);
}

#[test]
fn messages_are_said_of_a_field_a_record_or_a_form() {
    let form = form();
    form.place(at::<Entry>().name()).unwrap().clear().unwrap();
    form.place("/inner/town").unwrap().clear().unwrap();
    let messages: Vec<String> = form.findings().into_iter().map(|finding| finding.message).collect();
    assert_eq!(messages, ["Name is needed.", "town is needed."], "what the type says is for all in it");
    assert_eq!(said(&form, "/name", "a long long name"), ["Shorter, please."]);
    assert_eq!(said(&form, "/code", "1234567"), ["At most 5, not 7."]);
    form.set_wording(|finding| {
        (finding.id.as_deref() == Some("short")).then(|| format!("{}?", finding.label))
    });
    assert_eq!(said(&form, "/name", "ab"), ["Name?"]);
    assert_eq!(form.findings()[0].labelled(), "Name: Name?");
}

#[test]
fn a_constraint_can_be_suppressed_by_its_id() {
    let form = form();
    form.diagnostics().start_recording(10_000);
    form.enter("/inner/town", "Far").unwrap();
    assert_eq!(form.findings()[0].id.as_deref(), Some("far"));
    assert!(!form.is_valid());
    form.suppress("far").unwrap();
    assert!(form.is_valid() && form.parse().is_ok());
    form.undo().unwrap();
    form.redo().unwrap();
    assert!(form.is_valid(), "undo does not revert it");
    form.unsuppress("far").unwrap();
    assert!(!form.is_valid());
    let error = form.suppress("fra").unwrap_err();
    assert_eq!(error.to_string(), "there is no constraint “fra”; did you mean “far”?");
    let journal = form.diagnostics().recording().unwrap();
    assert!(journal.contains(r#"{"op":"suppress","id":"far"}"#), "{journal}");
    assert!(journal.contains(r#"{"op":"suppress","id":"far","on":false}"#), "{journal}");
}

#[test]
fn a_field_may_give_its_first_finding_alone_and_show_it_after_a_submit() {
    let form = form();
    assert_eq!(said(&form, "/email", "a"), ["Use at least 3 characters (now 1)."]);
    assert_eq!(said(&form, "/email", "abc"), ["“abc” is not an email address like name@example.com."]);
    form.place("/email").unwrap().leave().unwrap();
    assert!(!form.findings()[0].is_shown, "leaving does not show it");
    let widget = form.bind("/email").unwrap();
    let draws = std::rc::Rc::new(std::cell::Cell::new(0));
    let count = draws.clone();
    let _drawing =
        widget.subscribe(move |state| count.set(count.get() + 1 + 10 * state.findings.len())).unwrap();
    assert_eq!(draws.get(), 1);
    assert!(form.submit(&ricordo::SubmitOptions::new()).is_err());
    assert!(form.findings()[0].is_shown);
    assert_eq!(draws.get(), 12, "the widget is drawn with the finding");
    form.reset().unwrap();
    form.enter("/email", "abc").unwrap();
    form.place("/email").unwrap().leave().unwrap();
    assert!(!form.findings()[0].is_shown);
}

#[test]
fn a_definition_says_all_of_it_too() {
    let definition = write_definition(ricordo::form::schema_of::<Entry>().unwrap().schema());
    insta::assert_snapshot!(format!("{definition:#}"));
    let read = read_definition(&definition.to_string()).unwrap();
    assert_eq!(write_definition(read.schema()).to_string(), definition.to_string());
    let again = Form::from_schema(&read.into(), None).unwrap();
    again.enter("/weight", "1.8").unwrap();
    assert_eq!(again.findings().last().unwrap().message, "town is needed.");
    let refused = |x_ricordo: &str, ty: &str| {
        let text = format!(
            r#"{{"type": "object", "properties": {{"a": {{"type": "{ty}", "x-ricordo": {x_ricordo}}}}}}}"#
        );
        read_definition(&text).unwrap_err().message().into_owned()
    };
    assert_eq!(refused(r#"{"step": 0}"#, "number"), "“step” is a number greater than zero");
    assert_eq!(refused(r#"{"step": 1}"#, "string"), "“step” is for numbers, dates and times");
    assert_eq!(refused(r#"{"findings": "some"}"#, "string"), "“findings” is “all” or “first”");
    assert_eq!(refused(r#"{"reveal": "never"}"#, "string"), "“reveal” is “touched”, “always” or “submit”");
    assert_eq!(
        refused(r#"{"deferred": ["x"]}"#, "string"),
        "deferred checks are a list of {\"check\": NAME}, each of which can have a \"pause_ms\""
    );
    assert_eq!(
        refused(r#"{"deferred": [{"check": "x", "pause": 3}]}"#, "string"),
        "“deferred” has no “pause”; it has check, pause_ms"
    );
}

mod everywhere {
    use super::*;

    #[derive(Clone, Debug, Default, Model)]
    #[model(rules = Sheet::rules)]
    struct Sheet {
        loaves: Option<u32>,
        rows: Vec<Row>,
        other: Option<Row>,
    }

    #[derive(Clone, Debug, Default, Model)]
    #[model(rules = Row::rules)]
    struct Row {
        name: String,
        grams: Option<u32>,
    }

    impl Sheet {
        fn rules(rules: &mut Rules<Self>) {
            let (sheet, row) = (at::<Self>(), at::<Row>());
            rules
                .named("form")
                .constraint(sheet, "Too much in all.", move |it| it.number(sheet.loaves()).at_most(9));
            rules.named("list").constraint(sheet.rows(), "Flour first.", move |it| {
                Some(it.rows(sheet.rows()).first()?.get(row.name())? == "flour")
            });
            rules.each(sheet.rows(), |rules| {
                rules.named("row").constraint(row, "More than loaves.", move |it| {
                    it.number(row.grams()).at_most(it.form().number(sheet.loaves()))
                });
            });
        }
    }

    impl Row {
        fn rules(rules: &mut Rules<Self>) {
            let row = at::<Self>();
            rules
                .named("record")
                .warn_unless(row, "Is that right?", move |it| it.number(row.grams()).at_most(100));
            rules
                .named("field")
                .constraint(row.name(), "No fish.", move |it| Some(it.get(row.name())? != "fish"));
        }
    }

    fn found<M: 'static>(form: &Form<M>) -> Vec<(String, String)> {
        let findings = form.findings().into_iter();
        findings.map(|finding| (finding.id.unwrap_or_default(), finding.place.to_string())).collect()
    }

    fn expected(list: &[(&str, &str)]) -> Vec<(String, String)> {
        list.iter().map(|(id, place)| ((*id).to_owned(), (*place).to_owned())).collect()
    }

    const FOUND: [(&str, &str); 7] = [
        ("form", ""),
        ("list", "/rows"),
        ("row", "/rows/0"),
        ("record", "/rows/0"),
        ("field", "/rows/1/name"),
        ("record", "/other"),
        ("field", "/other/name"),
    ];

    #[test]
    fn a_form_a_list_a_row_a_record_and_a_field_are_checked() {
        let row = |name: &str, grams| Row { name: name.into(), grams: Some(grams) };
        let rows = vec![row("salt", 200), row("fish", 1)];
        let form = Form::new(&Sheet { loaves: Some(10), rows, other: Some(row("fish", 101)) }).unwrap();
        let mut found_first = found(&form);
        found_first.sort();
        let mut wanted = expected(&FOUND);
        wanted.sort();
        assert_eq!(found_first, wanted);

        // A change that none of them reads runs none of them.
        let cost = form.diagnostics().cost();
        form.enter("/rows/0/name", "flour").unwrap();
        let ran = form.diagnostics().cost().calculations - cost.calculations;
        assert_eq!(ran, 2, "the list's, and the name's own");
        assert!(!found(&form).contains(&("list".into(), "/rows".into())));
    }

    #[test]
    fn a_definition_checks_them_by_formulas() {
        let row = r#"{"type": "object", "properties": {
            "name": {"type": "string", "x-ricordo": {"constraint": [{"id": "field", "test": "name != \"fish\"", "message": "No fish."}]}},
            "grams": {"type": "integer"}
        }}"#;
        let definition = format!(
            r##"{{"type": "object", "$defs": {{"row": {row}}}, "properties": {{
                "loaves": {{"type": "integer"}},
                "rows": {{"type": "array", "items": {{"$ref": "#/$defs/row", "x-ricordo": {{"constraint": [
                    {{"id": "row", "test": "grams <= loaves", "message": "More than {{loaves}}."}},
                    {{"id": "record", "test": "grams <= 100", "message": "Is that right?", "warning": true}}]}}}},
                    "x-ricordo": {{"constraint": [{{"id": "list", "test": "rows[1].name = \"flour\"", "message": "Flour first."}}]}}}},
                "other": {{"$ref": "#/$defs/row", "x-ricordo": {{"constraint": [
                    {{"id": "record", "test": "grams <= 100", "message": "Is that right?", "warning": true}}]}}}}
            }}, "x-ricordo": {{"constraint": [{{"id": "form", "test": "loaves <= 9", "message": "Too much in all."}}]}}}}"##
        );
        let data = r#"{"loaves": 10, "rows": [{"name": "salt", "grams": 200}, {"name": "fish", "grams": 1}], "other": {"name": "fish", "grams": 101}}"#;
        let form = Form::from_definition(&definition, Some(data)).unwrap();
        let mut found_first = found(&form);
        found_first.sort();
        let mut wanted = expected(&FOUND);
        wanted.sort();
        assert_eq!(found_first, wanted);
        assert_eq!(
            form.findings().iter().find(|finding| finding.id.as_deref() == Some("row")).unwrap().message,
            "More than 10."
        );
        form.suppress("field").unwrap();
        form.suppress("form").unwrap();
        assert_eq!(found(&form).len(), 4);
    }
}
