//! Bindings: what a widget shows and reports, and what becomes of wrong reports.

use std::cell::{Cell, RefCell};
use std::rc::Rc;
use std::time::Duration;

use ricordo::form::{WidgetKind, WidgetState};
use ricordo::{Binding, Decimal, ErrorKind, Form, Model, Subscription, WidgetEvent, at};

#[derive(Clone, Debug, PartialEq, Model)]
struct Sheet {
    #[model(label = "Name", description = "As on the label.", required)]
    name: String,
    #[model(decimals = 2, grouping)]
    price: Decimal,
    #[model(commit = "leave")]
    notes: String,
    #[model(local, pause_ms = 300)]
    search: String,
    #[model(readonly)]
    number: u32,
    #[model(secret)]
    code: String,
    on_sale: bool,
    allergens: Vec<Allergen>,
    stages: Vec<Stage>,
}

#[derive(Clone, Debug, PartialEq, Model)]
#[serde(rename_all = "lowercase")]
enum Allergen {
    Gluten,
    Milk,
    #[model(label = "Tree nuts")]
    Nuts,
}

#[derive(Clone, Debug, PartialEq, Model)]
struct Stage {
    #[model(default = "Prove".to_owned())]
    title: String,
    oven: String,
}

fn form() -> Form<Sheet> {
    let sheet = Sheet {
        name: "Field loaf".to_owned(),
        price: Decimal::new(1_234_500, 3),
        notes: "Cool".to_owned(),
        search: "what the program put here is no part of the record".to_owned(),
        number: 41,
        code: "4711".to_owned(),
        on_sale: true,
        allergens: vec![Allergen::Gluten],
        stages: vec![Stage { title: "Mix".to_owned(), oven: "a".to_owned() }],
    };
    Form::new(&sheet).unwrap()
}

/// A widget that takes down every state it was drawn in.
fn draw(binding: &Binding) -> (Rc<RefCell<Vec<WidgetState>>>, Subscription) {
    let drawn: Rc<RefCell<Vec<WidgetState>>> = Rc::default();
    let log = drawn.clone();
    let guard = binding.subscribe(move |state| log.borrow_mut().push(state.clone())).unwrap();
    (drawn, guard)
}

fn texts(drawn: &RefCell<Vec<WidgetState>>) -> Vec<String> {
    drawn.borrow().iter().map(|state| state.text.clone()).collect()
}

#[test]
fn several_widgets_and_a_view_show_one_field() {
    let form = form();
    let (one, other) = (form.bind(at::<Sheet>().price()).unwrap(), form.bind("/price").unwrap());
    let view = one.one_way();
    let ((first, _first), (second, _second), (third, _third)) = (draw(&one), draw(&other), draw(&view));
    one.handle(WidgetEvent::Focus).unwrap();
    one.handle(WidgetEvent::Input("1,999.995".into())).unwrap();
    one.handle(WidgetEvent::Leave).unwrap();
    assert_eq!(texts(&first), ["1,234.50", "1234.5", "1,999.995", "2,000.00"]);
    assert_eq!(texts(&second), ["1,234.50", "2,000.00", "2,000.00"], "nobody types here");
    assert_eq!(texts(&third), texts(&second), "a view shows values");
    assert!(view.state().is_readonly);
    assert_eq!(view.handle(WidgetEvent::Input("1".into())).unwrap_err().kind(), ErrorKind::Readonly);
    assert_eq!(form.get(at::<Sheet>().price()).unwrap(), Some(Decimal::new(1_999_995, 3)));
}

#[test]
fn a_widget_says_all_that_there_is_to_be_said() {
    let form = form();
    let name = form.bind(at::<Sheet>().name()).unwrap();
    let state = name.state();
    assert_eq!((state.label.as_str(), state.description.as_deref()), ("Name", Some("As on the label.")));
    assert!(state.is_required && !state.is_readonly && state.kind == WidgetKind::Text);
    name.handle(WidgetEvent::Clear).unwrap();
    assert!(name.state().findings.is_empty() && !name.state().is_valid, "not before it is left");
    name.handle(WidgetEvent::Leave).unwrap();
    assert_eq!(name.state().findings[0].message, "Needs a value.");
    let epoch = name.state().epoch;
    form.reset().unwrap();
    assert!(name.state().epoch > epoch);

    let allergens = form.bind(at::<Sheet>().allergens()).unwrap();
    assert_eq!(allergens.state().kind, WidgetKind::Choices);
    let milk = allergens.state().choices[1].value.clone();
    allergens.handle(WidgetEvent::Include(milk.clone(), true)).unwrap();
    allergens.handle(WidgetEvent::Include(milk, true)).unwrap();
    let chosen: Vec<_> =
        allergens.state().choices.iter().map(|choice| (choice.label.clone(), choice.is_chosen)).collect();
    assert_eq!(chosen, [("gluten".into(), true), ("milk".into(), true), ("Tree nuts".into(), false)]);
    let code = form.bind(at::<Sheet>().code()).unwrap();
    assert_eq!((code.state().text.as_str(), code.state().is_secret), ("•••", true));
}

#[test]
fn what_another_sort_of_widget_would_report_is_refused_and_changes_nothing() {
    let form = form();
    let before = form.diagnostics().dump();
    let refused =
        |pointer: &str, event: WidgetEvent| form.bind(pointer).unwrap().handle(event).unwrap_err().kind();
    let text = || WidgetEvent::Input("x".into());
    assert_eq!(refused("/name", WidgetEvent::Choose("a".into())), ErrorKind::NotPossible);
    assert_eq!(refused("/name", WidgetEvent::Switch(true)), ErrorKind::NotPossible);
    assert_eq!(refused("/name", WidgetEvent::Include("a".into(), true)), ErrorKind::NotPossible);
    assert_eq!(refused("/allergens", WidgetEvent::Include("sand".into(), true)), ErrorKind::NotPossible);
    assert_eq!(refused("/stages", text()), ErrorKind::NotPossible);
    assert_eq!(refused("/stages", WidgetEvent::Include("a".into(), true)), ErrorKind::NotPossible);
    assert_eq!(refused("", WidgetEvent::Composing("x".into())), ErrorKind::NotPossible);
    assert_eq!(refused("/number", text()), ErrorKind::Readonly);
    assert_eq!(refused("/number", WidgetEvent::Clear), ErrorKind::Readonly);
    assert_eq!(refused("/number", WidgetEvent::Composing("x".into())), ErrorKind::Readonly);
    assert_eq!(form.enter("/number", "1").unwrap_err().kind(), ErrorKind::Readonly);
    assert_eq!(form.diagnostics().dump(), before);
    form.set(at::<Sheet>().number(), 42).unwrap();
    assert_eq!(form.get(at::<Sheet>().number()).unwrap(), Some(42), "a program may set it");

    let row = form.place(at::<Sheet>().stages().at(0).title()).unwrap();
    let binding = row.bind();
    form.place(at::<Sheet>().stages().at(0)).unwrap().remove().unwrap();
    assert!(binding.state().is_gone);
    assert_eq!(binding.handle(text()).unwrap_err().kind(), ErrorKind::Gone);
}

#[test]
fn text_that_an_input_method_composes_is_not_typed_until_it_is_done() {
    let form = form();
    let name = form.bind(at::<Sheet>().name()).unwrap();
    name.handle(WidgetEvent::Composing("Brötchen n".into())).unwrap();
    assert_eq!((name.state().text.as_str(), form.is_dirty()), ("Brötchen n", false));
    form.set(at::<Sheet>().name(), "Rye".to_owned()).unwrap();
    assert_eq!(name.state().text, "Rye", "what is set meanwhile is not overwritten");
    name.handle(WidgetEvent::Leave).unwrap();
    assert_eq!(form.place(at::<Sheet>().name()).unwrap().entry(), "Rye");
    name.handle(WidgetEvent::Composing("Ryé".into())).unwrap();
    name.handle(WidgetEvent::Leave).unwrap();
    assert_eq!(form.place(at::<Sheet>().name()).unwrap().entry(), "Ryé", "nothing that stood there is lost");
}

#[test]
fn typing_takes_effect_on_leaving_or_after_a_pause() {
    let form = form();
    let (notes, search) = (at::<Sheet>().notes(), at::<Sheet>().search());
    form.enter(notes, "Warm").unwrap();
    assert_eq!(
        (form.place(notes).unwrap().entry(), form.get(notes).unwrap()),
        ("Warm".into(), Some("Cool".into()))
    );
    assert!(form.state().is_uncommitted && !form.is_dirty());
    form.set(notes, "Hot".into()).unwrap();
    assert!(!form.state().is_uncommitted, "a set drops what was typed");
    form.enter(notes, "Warm").unwrap();
    form.place("").unwrap().leave().unwrap();
    assert_eq!(form.get(notes).unwrap(), Some("Warm".into()), "leaving the form leaves all in it");
    form.undo().unwrap();
    assert_eq!(form.get(notes).unwrap(), Some("Hot".into()), "typing and leaving are one step");

    assert_eq!(form.next_deadline(), None);
    form.enter(search, "r").unwrap();
    form.advance(Duration::from_millis(250)).unwrap();
    form.enter(search, "ry").unwrap();
    assert_eq!(form.next_deadline(), Some(Duration::from_millis(300)));
    form.advance(Duration::from_millis(299)).unwrap();
    assert_eq!(
        (form.get(search).unwrap(), form.next_deadline()),
        (Some(String::new()), Some(Duration::from_millis(1)))
    );
    form.advance(Duration::from_millis(1)).unwrap();
    assert_eq!((form.get(search).unwrap(), form.next_deadline()), (Some("ry".into()), None));
    assert!(
        form.transaction(|| form.advance(Duration::from_millis(1))).is_err(),
        "time is no part of a transaction"
    );
}

#[test]
fn what_is_beside_the_record_is_no_part_of_it() {
    let form = form();
    assert_eq!(form.place(at::<Sheet>().search()).unwrap().entry(), "");
    form.set(at::<Sheet>().search(), "rye".into()).unwrap();
    assert!(form.place(at::<Sheet>().search()).unwrap().is_dirty() && !form.is_dirty());
    assert!(form.value().as_record().unwrap().get("search").is_none());
    assert_eq!(form.parse().unwrap().search, "", "the record has its default");
    form.set(at::<Sheet>().name(), "Rye".into()).unwrap();
    form.reset().unwrap();
    assert_eq!(
        form.get(at::<Sheet>().search()).unwrap(),
        Some(String::new()),
        "a reset is for all of the form"
    );
}

#[test]
fn choices_are_offered_at_run_time() {
    let form = form();
    let stage = at::<Stage>();
    let ovens = at::<Sheet>().stages().each_row().oven();
    form.set_choices(ovens, [("a".into(), "Deck"), ("b".into(), "Stone")]).unwrap();
    let refused = form.place(ovens).unwrap_err().to_string();
    assert_eq!(refused, "/stages is a list, and the path names each of its rows where one is needed");
    let stages = form.place(at::<Sheet>().stages()).unwrap();
    let added = stages.add().unwrap();
    let oven = added.place(stage.oven()).unwrap();
    assert_eq!(oven.bind().state().kind, WidgetKind::Choice);
    oven.bind().handle(WidgetEvent::Choose("b".into())).unwrap();
    assert_eq!((oven.get(), oven.display()), (Some("b".into()), "Stone".into()));
    assert!(oven.bind().handle(WidgetEvent::Choose("c".into())).is_err());
    // One row has choices of its own; a value that is not among them stays, and is found.
    form.set_choices(at::<Sheet>().stages().at(1).oven(), [("c".into(), "Wood")]).unwrap();
    assert_eq!(oven.findings()[0].message, "“b” is not one of: Wood.");
    form.set_choices(ovens, []).unwrap();
    assert_eq!(
        stages.row(0).unwrap().all_findings()[0].message,
        "“a” is not one of the choices: there are none."
    );
    form.undo().unwrap();
    assert_eq!(stages.row(0).unwrap().all_findings().len(), 1, "choices are no step that undo takes back");
    let refused = form
        .apply(ricordo::engine::Edit::choices("/stages/-".parse::<ricordo::Pointer>().unwrap().into(), None));
    assert!(refused.is_ok(), "without choices, there are those of the schema");
    for wrong in ["/stages", "/stages/-/ovn", "/stages/0/-"] {
        let at: ricordo::Pointer = wrong.parse().unwrap();
        let choices = Some(ricordo::schema::Choices::new([]));
        form.apply(ricordo::engine::Edit::choices(at.into(), choices)).unwrap_err();
    }
}

#[test]
fn the_focus_is_known_and_hinted_at() {
    let form = form();
    let name = form.place(at::<Sheet>().name()).unwrap();
    name.focus().unwrap();
    assert_eq!(form.focused().unwrap().pointer().as_str(), "/name");
    let added = form.place(at::<Sheet>().stages()).unwrap().add().unwrap();
    let hint = form.focus_hint().unwrap();
    assert_eq!(hint.pointer().as_str(), "/stages/1/title", "a row that was added wants to be filled");
    assert_eq!(form.get("/stages/1/title").unwrap(), Some("Prove".into()));
    hint.focus().unwrap();
    assert!(form.focus_hint().is_none() && hint.has_focus());
    assert!(
        form.transaction(|| {
            name.focus()?;
            form.enter("/no", "")
        })
        .is_err()
    );
    assert!(hint.has_focus(), "a transaction that is taken back moves no focus");
    added.remove().unwrap();
    assert!(form.focused().is_none());
    form.undo().unwrap();
    assert!(hint.has_focus());
    form.enter(at::<Sheet>().name(), "").unwrap();
    assert_eq!(form.first_finding().unwrap().pointer().as_str(), "/name");
}

#[test]
fn two_widgets_of_one_place_have_the_focus_one_after_the_other() {
    #[derive(Model)]
    struct Sheet {
        #[model(decimals = 2)]
        price: Decimal,
    }
    let form = Form::new(&Sheet { price: 6.into() }).unwrap();
    let first = form.bind(at::<Sheet>().price()).unwrap();
    let second = first.place().bind();
    let drawn: Rc<RefCell<Vec<String>>> = Rc::default();
    let draw = |name: &'static str, binding: &Binding| {
        let log = drawn.clone();
        binding
            .subscribe(move |state| {
                let focus = if state.has_focus { " focus" } else { "" };
                log.borrow_mut().push(format!("{name}: {}{focus}", state.text));
            })
            .unwrap()
    };
    let _guards = [draw("first", &first), draw("second", &second)];
    let heard = Rc::new(Cell::new(0));
    let count = heard.clone();
    let _place = form.subscribe(at::<Sheet>().price(), move |_| count.set(count.get() + 1)).unwrap();
    assert_eq!(drawn.take(), ["first: 6.00", "second: 6.00"]);

    first.handle(WidgetEvent::Focus).unwrap();
    assert_eq!(drawn.take(), ["first: 6 focus"]);
    // Some user interfaces report what gets the focus before what loses it, some after.
    second.handle(WidgetEvent::Focus).unwrap();
    assert_eq!(drawn.take(), ["first: 6.00", "second: 6 focus"]);
    assert_eq!(heard.take(), 1, "the place has had the focus all the time");
    first.handle(WidgetEvent::Leave).unwrap();
    assert!(form.place(at::<Sheet>().price()).unwrap().has_focus() && second.state().has_focus);
    drawn.take();
    first.handle(WidgetEvent::Input("6.5".into())).unwrap();
    assert_eq!(drawn.take(), ["first: 6 focus", "second: 6.00", "first: 6.5 focus", "second: 6.50"]);
    first.handle(WidgetEvent::Leave).unwrap();
    assert!(form.focused().is_none());

    // A program does not say by which widget.
    form.place(at::<Sheet>().price()).unwrap().focus().unwrap();
    assert!(first.state().has_focus && second.state().has_focus);
    second.handle(WidgetEvent::Focus).unwrap();
    assert!(!first.state().has_focus && second.state().has_focus);
    form.place(at::<Sheet>().price()).unwrap().leave().unwrap();
    assert!(form.focused().is_none());
}

#[test]
fn a_widget_that_acts_while_it_is_first_drawn_shows_what_comes_of_it() {
    let form = Form::from_definition(r#"{"type": "object", "properties": {"a": {"type": "integer"}}}"#, None)
        .unwrap();
    let binding = form.bind("/a").unwrap();
    let (shown, acting) = (Rc::new(RefCell::new(Vec::new())), binding.clone());
    let screen = shown.clone();
    let _widget = binding
        .subscribe(move |state| {
            screen.borrow_mut().push(state.text.clone());
            if state.text.is_empty() {
                acting.handle(WidgetEvent::Input("1".into())).unwrap();
            }
        })
        .unwrap();
    assert_eq!(*shown.borrow(), ["", "1"]);
    form.enter("/a", "2").unwrap();
    assert_eq!(*shown.borrow(), ["", "1", "2"]);
}
