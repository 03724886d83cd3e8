//! A newer upstream record that is not as it should be, and conflicts that are not there.

use ricordo::engine::Action;
use ricordo::form::Take;
use ricordo::{ErrorKind, Form, Model, Pointer, Value, at};

#[derive(Clone, Debug, Model, PartialEq)]
struct Sheet {
    name: String,
    #[model(key = "id")]
    rows: Vec<Row>,
}

#[derive(Clone, Debug, Model, PartialEq)]
struct Row {
    id: Option<u32>,
    grams: Option<i64>,
}

fn row(id: u32, grams: i64) -> Row {
    Row { id: Some(id), grams: Some(grams) }
}

fn sheet(rows: &[Row]) -> Sheet {
    Sheet { name: "Rye".into(), rows: rows.to_vec() }
}

/// A form of rows 1, 2 and 3, of which a person has changed the second to 25.
fn form() -> Form<Sheet> {
    let form = Form::new(&sheet(&[row(1, 10), row(2, 20), row(3, 30)])).unwrap();
    form.set(at::<Sheet>().rows().at(1).grams(), Some(25)).unwrap();
    form
}

#[test]
fn of_several_rows_with_one_key_the_first_is_the_known_one() {
    let form = form();
    form.rebase(&sheet(&[row(2, 20), row(2, 21), row(1, 10), row(1, 11)])).unwrap();
    assert_eq!(form.parse().unwrap().rows, [row(2, 25), row(2, 21), row(1, 10), row(1, 11)]);
    assert!(form.conflicts().is_empty());
    // The next one finds them again, the first of them by its key and the other by where it stands.
    form.rebase(&sheet(&[row(2, 20), row(2, 22), row(1, 10), row(1, 12)])).unwrap();
    assert_eq!(form.parse().unwrap().rows, [row(2, 25), row(2, 22), row(1, 10), row(1, 12)]);
}

#[test]
fn a_row_whose_key_is_missing_is_found_where_it_stands() {
    let form = form();
    let nameless = |grams| Row { id: None, grams: Some(grams) };
    form.rebase(&sheet(&[row(1, 10), nameless(22), row(3, 33)])).unwrap();
    let rows = form.parse().unwrap().rows;
    assert_eq!(rows, [row(1, 10), nameless(25), row(3, 33)]);
    let conflicts = form.conflicts();
    assert_eq!(conflicts.len(), 1);
    assert_eq!(conflicts[0].pointer.as_str(), "/rows/1/grams");
    assert_eq!((&conflicts[0].base, &conflicts[0].theirs), (&Value::from(20), &Value::from(22)));
}

#[test]
fn a_record_of_another_shape_is_refused_and_changes_nothing() {
    let form = form();
    let before = form.dump().to_string();
    for (upstream, message) in [
        (r#"{"name": "Rye", "rows": {"id": 1}}"#, "/rows"),
        (r#"{"name": "Rye", "rows": [{"id": "one"}]}"#, "/rows/0/id"),
        (r#"{"name": "Rye", "rwos": []}"#, "rows"),
        (r#"{"name": 7, "rows": []}"#, "/name"),
        ("[]", "a record"),
    ] {
        let value: Value = serde_json::from_str(upstream).unwrap();
        let refused = form.apply(Action::Rebase { value }).unwrap_err();
        assert!(refused.to_string().contains(message), "{upstream}: {refused}");
        assert_eq!(form.dump().to_string(), before, "{upstream}");
    }
}

#[test]
fn a_conflict_that_is_not_there_is_resolved_by_nothing_and_one_of_a_row_that_is_not_removed_is_refused() {
    let form = form();
    form.rebase(&sheet(&[row(1, 10), row(2, 22), row(3, 30)])).unwrap();
    let conflict = form.conflicts().remove(0);
    form.resolve(&conflict, Take::Theirs).unwrap();
    assert!(!form.is_dirty());
    // A second time, from an older list of conflicts.
    form.resolve(&conflict, Take::Mine).unwrap();
    assert!(!form.is_dirty());
    form.place(at::<Sheet>().name()).unwrap().resolve(Take::Theirs).unwrap();

    form.place(at::<Sheet>().rows().at(1)).unwrap().remove().unwrap();
    form.rebase(&sheet(&[row(1, 10), row(2, 29), row(3, 30)])).unwrap();
    let conflict = form.conflicts().remove(0);
    assert_eq!(conflict.removed_row, Some(2));
    form.resolve(&conflict, Take::Theirs).unwrap();
    assert_eq!(form.parse().unwrap().rows[1], row(2, 29));
    form.resolve(&conflict, Take::Mine).unwrap();
    assert_eq!(form.parse().unwrap().rows[1], row(2, 29));
    let at = "/rows".parse::<Pointer>().unwrap().into();
    let resolve = Action::Resolve { at, removed_row: Some(2), is_alone: false, take: Take::Mine };
    let refused = form.apply(resolve).unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::NotFound);
    assert!(refused.to_string().contains("no removed row with the key 2 is in conflict"), "{refused}");
}

#[test]
fn a_transaction_resolves_but_does_not_rebase() {
    let form = form();
    form.rebase(&sheet(&[row(1, 10), row(2, 22), row(3, 30)])).unwrap();
    let conflict = form.conflicts().remove(0);
    form.transaction(|| {
        form.set(at::<Sheet>().name(), "Rye loaf".to_owned())?;
        form.resolve(&conflict, Take::Theirs)
    })
    .unwrap();
    assert_eq!(form.parse().unwrap().rows[1], row(2, 22));
    form.undo().unwrap();
    assert_eq!((form.parse().unwrap().name.as_str(), form.conflicts().len()), ("Rye", 1));

    let before = form.dump().to_string();
    let refused = form.transaction(|| {
        form.set(at::<Sheet>().name(), "Rye loaf".to_owned())?;
        form.rebase(&sheet(&[]))
    });
    assert!(refused.is_err(), "{refused:?}");
    assert_eq!(form.dump().to_string(), before);
}
