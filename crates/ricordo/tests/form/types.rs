//! Types of one's own, constraints on texts and times, and models in other formats.

use ricordo::civil::{Date, date};
use ricordo::exchange::{Command, read_definition, read_journal, write_definition};
use ricordo::form::{Comparison, Condition, schema_of};
use ricordo::model::Scalar;
use ricordo::{Decimal, Error, FindingKind, Form, Model, Record, Rules, Value, at};

#[derive(Clone, Copy, Debug, PartialEq, Model)]
struct Grams(#[model(minimum = 0, maximum = 50000, label = "Grams")] Decimal);

#[derive(Clone, Debug, PartialEq, Model)]
struct Code(
    #[model(pattern = "[A-Z]{2}-[0-9]+", trim, messages(pattern_mismatch = "Write it like AB-12."))] String,
);

#[derive(Clone, Debug, PartialEq, Model)]
struct Tags(#[model(max_items = 2)] Vec<Code>);

/// A ratio such as 3:2, which is shown in words.
#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[model(scalar)]
struct Ratio {
    flour: u32,
    water: u32,
}

impl Scalar for Ratio {
    const EXPECTED: &'static str = "a ratio like 3:2";

    fn parse(text: &str) -> Option<Self> {
        let (flour, water) = text.split_once(':')?;
        Some(Ratio { flour: flour.trim().parse().ok()?, water: water.trim().parse().ok()? })
    }

    fn write(&self) -> String {
        format!("{}:{}", self.flour, self.water)
    }

    fn display(&self) -> String {
        format!("{} to {}", self.flour, self.water)
    }
}

/// A type whose text is not parsed to itself: every reading adds one.
#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[model(scalar)]
enum Drifting {
    By(u32),
}

impl Scalar for Drifting {
    const EXPECTED: &'static str = "a number that stays";

    fn parse(text: &str) -> Option<Self> {
        Some(Drifting::By(text.parse::<u32>().ok()? + 1))
    }

    fn write(&self) -> String {
        let Drifting::By(number) = self;
        number.to_string()
    }
}

#[derive(Clone, Debug, PartialEq, Model)]
#[model(rules = Order::rules)]
struct Order {
    #[model(trim, required, max_length = 10)]
    name: String,
    code: Code,
    tags: Tags,
    grams: Grams,
    twice: Option<Grams>,
    ratio: Option<Ratio>,
    #[model(minimum = "2026-11-02", maximum = "2026-11-30")]
    day: Option<Date>,
    #[model(maximum = "18:00")]
    time: Option<ricordo::civil::Time>,
    parts: Vec<Part>,
    spare: Option<Part>,
}

#[derive(Clone, Debug, PartialEq, Model)]
struct Part {
    grams: Grams,
    inner: Vec<Part>,
}

impl Order {
    fn rules(rules: &mut Rules<Self>) {
        let order = at::<Self>();
        rules.calculate(order.twice(), move |it| it.number(order.grams()) * 2);
    }
}

fn order() -> Order {
    let part = |grams: i64, inner| Part { grams: Grams(grams.into()), inner };
    Order {
        name: "Rye".into(),
        code: Code("AB-1".into()),
        tags: Tags(vec![Code("XY-9".into())]),
        grams: Grams(100.into()),
        twice: None,
        ratio: Some(Ratio { flour: 3, water: 2 }),
        day: Some(date(2026, 11, 5)),
        time: None,
        parts: vec![part(1, vec![part(2, Vec::new())])],
        spare: None,
    }
}

fn messages<M: 'static>(form: &Form<M>) -> Vec<String> {
    form.findings().into_iter().map(|finding| format!("{} {}", finding.place, finding.message)).collect()
}

#[test]
fn newtypes_are_what_they_wrap() {
    let (form, paths) = (Form::new(&order()).unwrap(), at::<Order>());
    assert_eq!(form.get(paths.grams()).unwrap(), Some(Grams(100.into())));
    assert_eq!(form.get(paths.twice()).unwrap(), Some(Grams(200.into())), "a rule gives them a number");
    assert_eq!(form.place(paths.grams()).unwrap().label(), "Grams");
    form.enter(paths.grams(), "50001").unwrap();
    form.enter(paths.code(), "ab").unwrap();
    let tags = form.place(paths.tags()).unwrap();
    assert_eq!(tags.children().len(), 1);
    assert_eq!(
        messages(&form),
        ["/code Write it like AB-12.", "/grams Must be at most 50000.", "/twice Must be at most 50000."]
    );
    form.enter(paths.code(), "  AB-77 ").unwrap();
    form.enter(paths.grams(), "7").unwrap();
    let parsed = form.parse().unwrap();
    assert_eq!(
        (parsed.code, parsed.grams, parsed.tags),
        (Code("AB-77".into()), Grams(7.into()), order().tags)
    );
}

#[test]
fn a_scalar_of_ones_own_is_parsed_written_and_shown() {
    let (form, paths) = (Form::new(&order()).unwrap(), at::<Order>());
    let ratio = form.place(paths.ratio()).unwrap();
    assert_eq!((ratio.entry(), ratio.display()), ("3:2".into(), "3 to 2".into()));
    ratio.enter(" 5 : 4").unwrap();
    assert_eq!((ratio.get(), ratio.value()), (Some(Ratio { flour: 5, water: 4 }), "5:4".into()));
    ratio.enter("03:2").unwrap();
    assert!(!ratio.is_dirty(), "the canonical text is compared");
    ratio.enter("half and half").unwrap();
    assert_eq!(messages(&form), ["/ratio “half and half” is not a ratio like 3:2."]);
    assert_eq!(ratio.get(), None);
    let error = Form::<Order>::from_json(r#"{"ratio":"many"}"#).unwrap_err();
    assert!(
        error.to_string().contains("expects a ratio like 3:2 or null, but is given a text, “many”"),
        "{error}"
    );

    #[derive(Model)]
    struct Adrift {
        number: Option<Drifting>,
    }
    let form = Form::new(&Adrift { number: None }).unwrap();
    form.enter(at::<Adrift>().number(), "1").unwrap();
    assert_eq!(
        messages(&form),
        ["/number “1” is not a number that stays."],
        "a text that does not parse back"
    );
}

/// Written with a space in front, which its own `parse` takes only without.
#[derive(Clone, Debug, PartialEq, Model)]
#[model(scalar)]
struct Indented(u32);

impl Scalar for Indented {
    const EXPECTED: &'static str = "a number of steps";

    fn parse(text: &str) -> Option<Self> {
        text.parse().ok().map(Indented)
    }

    fn write(&self) -> String {
        format!(" {}", self.0)
    }
}

#[test]
fn a_scalar_whose_text_does_not_parse_back_is_refused_wherever_it_comes_from() {
    #[derive(Debug, Model)]
    struct Stage {
        steps: Option<Indented>,
    }
    let stage = at::<Stage>();
    let form = Form::new(&Stage { steps: None }).unwrap();
    form.enter(stage.steps(), "3").unwrap();
    assert_eq!(messages(&form), ["/steps “3” is not a number of steps."]);
    assert!(form.parse().unwrap_err().is_invalid());
    assert!(form.set(stage.steps(), Some(Indented(3))).unwrap_err().is_mismatch());
    assert!(Form::new(&Stage { steps: Some(Indented(3)) }).unwrap_err().is_mismatch());
}

#[test]
fn references_name_definitions_whatever_characters_are_in_the_name() {
    #[derive(Model)]
    struct Oven {
        degrees: u16,
    }
    #[derive(Model)]
    #[allow(dead_code)]
    struct Bakery {
        #[serde(rename = "left/right ~ 50%")]
        first: Oven,
        second: Oven,
    }
    let schema = schema_of::<Bakery>().unwrap();
    let definition = write_definition(schema.schema());
    let text = definition.to_string();
    assert!(text.contains("#/$defs/left~1right%20~0%2050%25"), "{text}");
    let read = read_definition(&text).unwrap();
    assert_eq!(write_definition(read.schema()), definition);
}

#[test]
fn dates_and_times_have_bounds() {
    let (form, paths) = (Form::new(&order()).unwrap(), at::<Order>());
    form.enter(paths.day(), "2026-11-01").unwrap();
    form.enter(paths.time(), "18:01").unwrap();
    assert_eq!(messages(&form), ["/day Must be 2026-11-02 or later.", "/time Must be 18:00 or earlier."]);
    assert_eq!(form.findings()[0].limit, Some(Value::Date(date(2026, 11, 2))));
    form.enter(paths.day(), "2026-11-30").unwrap();
    form.enter(paths.time(), "18:00").unwrap();
    assert!(form.is_valid());

    let refused = |field: &str| {
        let text = format!(r#"{{"type":"object","properties":{{"f":{{{field}}}}}}}"#);
        read_definition(&text).unwrap_err().message().into_owned()
    };
    let date = r#""type":"string","format":"date","x-ricordo""#;
    assert_eq!(
        refused(&format!(r#"{date}:{{"minimum":"2026-12-01","maximum":"2026-11-01"}}"#)),
        "“f”: nothing is at least 2026-12-01 and at most 2026-11-01"
    );
    assert_eq!(
        refused(&format!(r#"{date}:{{"minimum":"28.11.2026"}}"#)),
        "“28.11.2026” is not a date like 2026-11-23"
    );
    assert_eq!(
        refused(r#""type":"integer","x-ricordo":{"minimum":"2026-12-01"}"#),
        "“minimum” is for dates and times here; for numbers, write “minimum” beside “type”"
    );
    assert_eq!(refused(r#""type":"integer","x-ricordo":{"trim":true}"#), "“trim” is for texts");
    assert!(refused(r#""type":"string","pattern":"(""#).contains("is not a regular expression"));

    #[derive(Debug, Model)]
    struct Wrong {
        #[model(minimum = "tomorrow")]
        _day: Option<Date>,
    }
    if cfg!(debug_assertions) {
        let error = Form::<Wrong>::blank().unwrap_err().to_string();
        assert_eq!(error, "“_day”: “tomorrow” is not a date like 2026-11-23, and cannot bound one");
    } else {
        let form = Form::<Wrong>::blank().unwrap();
        form.enter("/_day", "2026-11-02").unwrap();
        assert!(form.is_valid(), "a bound that is none bounds nothing");
    }
}

#[test]
fn patterns_in_definitions_match_anywhere() {
    let form = Form::from_definition(
        r#"{"type":"object","properties":{"code":{"type":"string","pattern":"[0-9]","x-ricordo":{"trim":true}}}}"#,
        Some(r#"{"code":"a1b"}"#),
    );
    let form = form.unwrap();
    assert!(form.is_valid());
    form.enter("/code", " ab ").unwrap();
    assert_eq!(form.value().to_string(), r#"{"code":"ab"}"#, "white space around it is left out");
    assert_eq!(form.place("/code").unwrap().entry(), " ab ", "but stays in the widget");
    let finding = &form.findings()[0];
    assert_eq!(
        (finding.kind, &*finding.message),
        (FindingKind::PatternMismatch, "“ ab ” does not have the required format.")
    );
}

#[test]
fn a_typed_model_is_exported_as_a_definition_that_its_recordings_replay_on() {
    let schema = schema_of::<Order>().unwrap();
    let definition = write_definition(schema.schema());
    insta::assert_snapshot!(format!("{definition:#}"));
    let read = read_definition(&definition.to_string()).unwrap();
    assert_eq!(write_definition(read.schema()), definition, "what was exported says the same again");

    let (form, paths) = (Form::new(&order()).unwrap(), at::<Order>());
    form.diagnostics().start_recording(10_000);
    let before = form.to_json();
    form.enter(paths.name(), " Spelt ").unwrap();
    form.enter(paths.ratio(), "1:1").unwrap();
    let inner = form.place(paths.parts().at(0).inner()).unwrap();
    inner.push(Part { grams: Grams(9.into()), inner: Vec::new() }).unwrap();
    form.apply(ricordo::engine::Edit::add("/spare".parse().unwrap(), None)).unwrap();
    form.undo().unwrap();
    let replayed = Form::from_definition(&definition.to_string(), Some(&before)).unwrap();
    for entry in read_journal(&form.diagnostics().recording().unwrap()).unwrap() {
        if let Command::Apply(action) = entry.command {
            replayed.apply(action).unwrap();
        }
    }
    assert_eq!(replayed.value(), form.value());
}

#[test]
fn definitions_of_a_common_generator_are_read() {
    #[derive(schemars::JsonSchema)]
    #[allow(dead_code)]
    struct Sheet {
        /// Its name.
        name: String,
        loaves: u16,
        hydration: Option<f64>,
        method: Method,
        spare: Option<Row>,
        rows: Vec<Row>,
        notes: Option<String>,
        on_sale: bool,
    }
    #[derive(schemars::JsonSchema)]
    #[allow(dead_code)]
    enum Method {
        /// In one go.
        Straight,
        Sourdough,
    }
    #[derive(schemars::JsonSchema)]
    #[allow(dead_code)]
    struct Row {
        grams: i64,
        parts: Vec<Row>,
    }
    let definition = serde_json::to_string(&schemars::schema_for!(Sheet)).unwrap();
    let form = Form::from_definition(&definition, Some(r#"{"spare": null, "method": "Sourdough"}"#)).unwrap();
    form.enter("/loaves", "70000").unwrap();
    form.enter("/hydration", "0.7").unwrap();
    form.enter("/method", "Overnight").unwrap();
    form.apply(ricordo::engine::Edit::add("/spare".parse().unwrap(), None)).unwrap();
    form.enter("/spare/grams", "1.5").unwrap();
    insta::assert_snapshot!(messages(&form).join("\n"));
    let refused = read_definition(
        r#"{"type":"object","properties":{"a":{"anyOf":[{"type":"string"},{"type":"integer"}]}}}"#,
    );
    assert_eq!(refused.unwrap_err().message(), "“anyOf” is only for one definition and null");
}

#[test]
fn values_serialize_and_deserialize() {
    let text = r#"{"name":"Rye","price":12.3,"exact":0.1234567890123456789012345678,"whole":-7,"rows":[1,null,{"on":true}]}"#;
    let value = ricordo::exchange::read_value(text).unwrap();
    assert_eq!(serde_json::to_string(&value).unwrap(), text);
    let plain: Value = serde_json::from_str(r#"{"a":[1,2.5,"x",null,true],"b":{}}"#).unwrap();
    assert_eq!(plain.to_string(), r#"{"a":[1,2.5,"x",null,true],"b":{}}"#);
    let tree = serde_json::to_value(plain.as_record().unwrap()).unwrap();
    assert_eq!(serde_json::from_value::<Record>(tree).unwrap(), plain.as_record().unwrap().clone());
    assert!(serde_json::from_str::<Record>("[1]").is_err());
    // A payload of the program's own carries values along.
    #[derive(serde::Serialize)]
    struct Payload {
        order: Value,
        version: u32,
    }
    let form = Form::new(&order()).unwrap();
    let payload = serde_json::to_string(&Payload { order: form.value(), version: 2 }).unwrap();
    assert!(
        payload
            .starts_with(r#"{"order":{"name":"Rye","code":"AB-1","tags":["XY-9"],"grams":100,"twice":200"#),
        "{payload}"
    );
}

#[test]
fn a_second_language_words_what_it_knows() {
    let form = Form::<Order>::blank().unwrap();
    form.set_wording(|finding| match finding.kind {
        FindingKind::ValueMissing => Some(format!("{}: bitte ausfüllen.", finding.label)),
        _ => None,
    });
    let paths = at::<Order>();
    form.enter(paths.name(), "Viel zu langer Name").unwrap();
    assert_eq!(
        messages(&form),
        ["/name Use at most 10 characters (now 19).", "/grams Grams: bitte ausfüllen."],
        "what the language lacks stays as it is"
    );
    let error: Error = form.parse().unwrap_err();
    assert_eq!(
        error.to_string(),
        "the form has 2 errors, the first at /name: Use at most 10 characters (now 19)."
    );
    let _ = (Comparison::Equals, Condition::<Order>::new("/name", Comparison::Equals, Value::Null));
}

#[test]
fn the_edit_format_is_what_a_person_types() {
    #[derive(Clone, Debug, PartialEq, Model)]
    struct Price {
        #[model(decimals = 2, decimal_comma)]
        net: Decimal,
        #[model(display = "%d/%m/%Y")]
        day: Date,
        #[model(display = "%Y-%d-%m")]
        swapped: Date,
        /// A pattern that leaves the seconds out is not for editing.
        #[model(display = "%H:%M")]
        time: ricordo::civil::Time,
    }
    let price = Price {
        net: "1234.5".parse().unwrap(),
        day: date(2026, 11, 3),
        swapped: date(2026, 11, 3),
        time: ricordo::civil::time(4, 30, 15, 0),
    };
    let (form, paths) = (Form::new(&price).unwrap(), at::<Price>());
    let entry = |pointer: &str| form.place(pointer).unwrap().entry();
    assert_eq!(
        ["/net", "/day", "/swapped", "/time"].map(entry),
        ["1234,5", "03/11/2026", "2026-03-11", "04:30:15"]
    );
    assert_eq!(form.place(paths.net()).unwrap().display(), "1234,50");

    // The comma is the decimal sign, and a point stands between groups.
    for (typed, net) in
        [("7,25", Some("7.25")), ("1.234,5", Some("1234.5")), ("1.500", Some("1500")), ("1.5", None)]
    {
        form.enter(paths.net(), typed).unwrap();
        assert_eq!(form.get(paths.net()).unwrap(), net.map(|net| net.parse().unwrap()), "{typed}");
        assert_eq!(entry("/net"), typed, "what was typed stays");
    }
    form.enter(paths.net(), "1234,5").unwrap();
    assert!(!form.is_dirty());
    form.set(paths.net(), "0.5".parse().unwrap()).unwrap();
    assert_eq!(entry("/net"), "0,5", "programs give values, and the widget shows them in its format");

    // A pattern comes before the canonical text, which is understood where it means nothing else.
    form.enter(paths.day(), "2026-11-04").unwrap();
    assert_eq!(form.get(paths.day()).unwrap(), Some(date(2026, 11, 4)));
    form.enter(paths.swapped(), "2026-04-11").unwrap();
    assert_eq!(form.get(paths.swapped()).unwrap(), Some(date(2026, 11, 4)));
    form.enter(paths.day(), "4/11/26").unwrap();
    assert_eq!(form.get(paths.day()).unwrap(), None, "years have four digits");
    form.reset().unwrap();

    // A native input speaks canonical text.
    let native = form.bind(paths.net()).unwrap().native();
    assert_eq!(native.state().text, "1234.5");
    native.handle(ricordo::WidgetEvent::Input("8.75".into())).unwrap();
    assert_eq!((entry("/net"), native.state().text), ("8,75".into(), "8.75".into()));
    form.undo().unwrap();
    assert_eq!((entry("/net"), form.is_dirty()), ("1234,5".into(), false));
}
