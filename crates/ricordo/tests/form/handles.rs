//! Handles: they stay with their places.

use ricordo::ErrorKind;
use ricordo::Pointer;
use ricordo::Value;
use ricordo::at;
use ricordo::engine::Edit;

use crate::batch::{Batch, Ingredient, form, ingredient};

#[test]
fn a_handle_follows_its_row() {
    let form = form();
    let list = form.place(at::<Batch>().ingredients()).unwrap();
    let water = list.row(1).unwrap();
    let grams = water.place(at::<Ingredient>().grams()).unwrap();
    grams.enter("35oo").unwrap();
    grams.leave().unwrap();

    list.insert(0, ingredient("Salt", 100)).unwrap();
    assert_eq!(grams.pointer().as_str(), "/ingredients/2/grams");
    water.move_to(0).unwrap();
    assert_eq!(grams.pointer().as_str(), "/ingredients/0/grams");
    assert_eq!((grams.entry().as_str(), grams.is_touched(), grams.is_valid()), ("35oo", true, false));
    assert_eq!(list.rows()[0], water);
    assert_eq!(water.place("/grams").unwrap().value(), grams.value());
}

#[test]
fn a_handle_to_a_removed_row_says_so_and_works_again_when_it_is_back() {
    let form = form();
    let list = form.place(at::<Batch>().ingredients()).unwrap();
    let water = list.row(1).unwrap();
    let name = water.place(at::<Ingredient>().name()).unwrap();
    water.remove().unwrap();
    assert!(water.is_gone() && name.is_gone());
    assert_eq!((name.entry().as_str(), name.pointer().as_str()), ("Water", "/ingredients"));
    let refused = name.enter("Milk").unwrap_err();
    assert_eq!(refused.kind(), ErrorKind::Gone);
    assert_eq!(refused.to_string(), "the place is gone: it was removed from /ingredients");

    list.reset().unwrap();
    assert!(!water.is_gone());
    name.enter("Milk").unwrap();
    assert_eq!(list.len(), 2);
    assert_eq!(form.parse().unwrap().ingredients[1].name, "Milk");
}

#[test]
fn rows_bear_marks_until_a_reset() {
    let form = form();
    let list = form.place(at::<Batch>().ingredients()).unwrap();
    let (wheat, water) = (list.row(0).unwrap(), list.row(1).unwrap());
    let salt = list.push(ingredient("Salt", 120)).unwrap();
    assert!(list.is_dirty() && !salt.is_dirty() && !wheat.is_dirty());
    salt.place(at::<Ingredient>().grams()).unwrap().set(130.into()).unwrap();
    assert!(salt.is_dirty());
    salt.reset().unwrap();
    assert_eq!(salt.get(), Some(ingredient("Salt", 120)));
    salt.remove().unwrap();
    assert!(!list.is_dirty());

    wheat.move_to(1).unwrap();
    assert!(list.is_dirty() && !wheat.is_dirty() && !water.is_dirty());
    wheat.move_to(0).unwrap();
    assert!(!list.is_dirty());
    let before = (list.epoch(), wheat.epoch());
    list.reset().unwrap();
    assert!(list.epoch() > before.0 && wheat.epoch() > before.1);
    assert_eq!(form.place(at::<Batch>().name()).unwrap().epoch().get(), 0);
}

#[test]
fn refusals_say_what_was_wrong_and_change_nothing() {
    let form = form();
    let before = format!("{form:?}");
    let mut told = Vec::new();
    let mut refuse = |action: Edit| told.push(form.apply(action).unwrap_err().to_string());
    let place = |text: &str| text.parse::<Pointer>().unwrap();
    refuse(Edit::enter(place("/loavs").into(), String::new()));
    refuse(Edit::enter(place("/ingredient/0/name").into(), String::new()));
    refuse(Edit::enter(place("/ingredients/2/name").into(), String::new()));
    refuse(Edit::enter(place("/ingredients/00").into(), String::new()));
    refuse(Edit::enter(place("/ingredients").into(), "salt"));
    refuse(Edit::leave(place("/name/first").into()));
    refuse(Edit::replace(place("/loaves").into(), "many".into()));
    refuse(Edit::replace(place("/loaves").into(), "1.5".parse::<ricordo::Decimal>().unwrap().into()));
    refuse(Edit::replace(place("/ingredients").into(), vec![true.into()].into()));
    refuse(Edit::add(place("/ingredients/9"), None));
    refuse(Edit::add(place("/ingredients/last"), None));
    refuse(Edit::add(
        place("/ingredients/-"),
        Some([("gram", 1.into())].into_iter().collect::<ricordo::Record>().into()),
    ));
    refuse(Edit::remove(place("").into()));
    refuse(Edit::remove(place("/ingredients").into()));
    refuse(Edit::move_to(place("/ingredients/0").into(), place("/ingredients/0/name")));
    refuse(Edit::move_to(place("/ingredients/0").into(), place("/ingredients/2")));
    refuse(Edit::move_to(place("/ingredients/0").into(), place("/name")));
    refuse(Edit::test(place("/loaves").into(), 13.into()));
    assert_eq!(format!("{form:?}"), before);
    // A move to the same place is not an error, and changes nothing either.
    for at in ["", "/ingredients", "/ingredients/0", "/name"] {
        form.apply(Edit::move_to(place(at).into(), place(at))).unwrap();
    }
    assert_eq!(format!("{form:?}"), before);
    assert!(!form.is_dirty());
    insta::assert_snapshot!(told.join("\n"), @r"
    the form has no field “loavs”; the nearest is /loaves
    the form has no field “ingredient”; the nearest is /ingredients/0/name
    /ingredients has 2 rows, numbered 0 to 1; there is no row 2
    /ingredients is a list: “00” is not a row number
    /ingredients is a list, and cannot be typed into
    /name is a field, which has nothing in it, no “first” either
    /loaves expects a whole number, but is given a text, “many”
    /loaves expects a whole number, but is given 1.5
    /ingredients/0 expects a record, but is given a flag, true
    /ingredients has 2 rows, so a row can be inserted at 0 to 2, not at 9
    /ingredients is a list: “last” is not a row number; write a number, or “-” for the end
    /ingredients/2 has no field “gram”; the nearest is “grams”
    the form itself cannot be removed
    /ingredients is a list that is always there; it can be cleared
    /ingredients/0 cannot be moved into itself
    /ingredients has its last row at 1, so none can be moved to 2
    /name expects a text, but is given a record
    /loaves holds 12, not 13
    ");

    let other = crate::batch::form();
    let foreign = other.place(at::<Batch>().ingredients()).unwrap();
    foreign.add().unwrap();
    let stranger = foreign.row(2).unwrap().id();
    assert_eq!(form.apply(Edit::leave(stranger.into())).unwrap_err().kind(), ErrorKind::Gone);
}

#[test]
fn json_patch_operations_mean_what_the_standard_says() {
    let form = form();
    let act = |line: &str| {
        let entries = ricordo::exchange::read_journal(line).unwrap();
        let ricordo::exchange::Command::Apply(action) = entries[0].command.clone() else {
            panic!("an action")
        };
        form.apply(action)
    };
    act(r#"{"op":"copy","from":"/ingredients/0","path":"/ingredients/-"}"#).unwrap();
    act(r#"{"op":"add","path":"/ingredients/1","value":{"name":"Salt","grams":90}}"#).unwrap();
    act(r#"{"op":"move","from":"/ingredients/3","path":"/ingredients/0"}"#).unwrap();
    act(r#"{"op":"remove","path":"/ingredients/1"}"#).unwrap();
    act(r#"{"op":"move","from":"/ingredients/0/name","path":"/name"}"#).unwrap();
    act(r#"{"op":"test","path":"/ingredients","value":[{"grams":5000},{"name":"Salt","grams":90},{"name":"Water","grams":3500.0}]}"#)
        .unwrap();
    act(r#"{"op":"test","path":"/name","value":"Wheat flour"}"#).unwrap();
    act(r#"{"op":"test","path":"/ingredients/0/name","value":null}"#).unwrap();
    let refused = act(r#"{"op":"remove","path":"/ingredients/0/name"}"#).unwrap_err();
    assert_eq!(refused.message(), "/ingredients/0/name is blank, so there is nothing to remove");
    let before = form.value();
    act(r#"[{"op":"replace","path":"/loaves","value":99},{"op":"test","path":"/price","value":1}]"#)
        .unwrap_err();
    assert_eq!(form.value(), before);
}

#[test]
fn rows_are_swapped_and_duplicated() {
    let form = form();
    let list = form.place(at::<Batch>().ingredients()).unwrap();
    let (wheat, water) = (list.row(0).unwrap(), list.row(1).unwrap());
    wheat.place(at::<Ingredient>().grams()).unwrap().enter("5oo").unwrap();
    water.swap_with(&wheat).unwrap();
    assert_eq!((water.position(), wheat.position()), (Some(0), Some(1)));
    let copy = wheat.duplicate().unwrap();
    assert_eq!(copy.position(), Some(2));
    assert_eq!(copy.value().to_string(), "{\"name\":\"Wheat flour\"}");
    wheat.swap_with(&wheat).unwrap();

    let elsewhere = form.place(at::<Batch>().fold_minutes()).unwrap().row(0).unwrap();
    let number = form.place(at::<Batch>().loaves()).unwrap();
    assert_eq!(
        number.duplicate().unwrap_err().to_string(),
        "/loaves is not a row of a list, so it cannot be duplicated"
    );
    let refused = form.apply(Edit::swap(wheat.id().into(), elsewhere.id().into()));
    assert_eq!(
        refused.unwrap_err().message(),
        "/ingredients/1 can only be swapped with a row of the same list"
    );
    let refused = form.apply(Edit::swap(number.id().into(), wheat.id().into()));
    assert_eq!(refused.unwrap_err().message(), "/loaves can only be swapped with another row");
    let other = crate::batch::form();
    let stranger = other.place(at::<Batch>().ingredients()).unwrap().row(0).unwrap();
    assert_eq!(wheat.swap_with(&stranger).unwrap_err().kind(), ErrorKind::Gone);
    wheat.remove().unwrap();
    assert_eq!(wheat.position(), None);
    assert_eq!(wheat.duplicate().unwrap_err().kind(), ErrorKind::Gone);
}

#[test]
fn a_place_says_what_a_picker_offers_and_what_a_button_can_do() {
    let definition = r#"{"type": "object", "properties": {
        "loaves": {"type": "integer", "minimum": 1, "exclusiveMaximum": 500},
        "price": {"type": "number", "exclusiveMinimum": 0, "multipleOf": 0.05},
        "odd": {"type": "integer", "minimum": 1, "multipleOf": 5},
        "from": {"type": "string", "format": "date"},
        "to": {"type": "string", "format": "date", "x-ricordo": {"minimum": "from", "maximum": "2026-12-31"}},
        "pin": {"type": "number", "writeOnly": true},
        "until": {"type": "string", "format": "date", "x-ricordo": {"maximum": "if pin = 1 then from else null"}},
        "rows": {"type": "array", "maxItems": 1, "items": {"type": "integer"}, "x-ricordo": {"readonly": "loaves = 2"}},
        "way": {"oneOf": [{"type": "null"},
            {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "post"}}},
            {"type": "object", "required": ["kind"], "properties": {"kind": {"const": "collect"}}}]}
    }}"#;
    let schema = ricordo::exchange::read_definition(definition).unwrap();
    let form = ricordo::Form::from_schema(&std::sync::Arc::new(schema), None).unwrap();
    form.enter("/from", "2026-12-01").unwrap();
    form.enter("/pin", "1").unwrap();
    let offered = |at: &str| {
        let place = form.place(at).unwrap();
        let (least, greatest) = place.range();
        let text =
            |value: Option<Value>| value.map_or_else(String::new, |value| value.to_text().into_owned());
        (text(least), text(greatest), place.step().map_or_else(String::new, |step| step.to_string()))
    };
    let is =
        |least: &str, greatest: &str, step: &str| (least.to_owned(), greatest.to_owned(), step.to_owned());
    assert_eq!(offered("/loaves"), is("1", "499", "1"));
    // The least number above 0 is not told, and steps are counted from 0.
    assert_eq!(offered("/price"), is("", "", "0.05"));
    assert_eq!(offered("/odd"), is("1", "", ""), "1, 6, 11 would be wrong");
    assert_eq!(offered("/to"), is("2026-12-01", "2026-12-31", ""));
    assert_eq!(offered("/until"), is("", "", ""), "a bound that comes from a secret");

    let can_add = |at: &str| form.place(at).unwrap().can_add();
    assert!(can_add("/rows") && can_add("/way") && !can_add("/loaves"));
    form.enter("/loaves", "2").unwrap();
    assert!(!can_add("/rows"), "it is read-only");
    form.enter("/loaves", "3").unwrap();
    form.apply(Edit::add("/rows/-".parse().unwrap(), None)).unwrap();
    form.apply(Edit::add("/way".parse().unwrap(), None)).unwrap();
    assert!(!can_add("/rows") && !can_add("/way"), "it is full, and open");
    let tags = form.place("/way").unwrap().variants();
    assert_eq!(tags, [Value::from("post"), Value::from("collect")]);
}
