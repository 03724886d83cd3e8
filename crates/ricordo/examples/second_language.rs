//! Every message of a form in a second language.
//!
//! A form words its findings in English. A program that speaks another language is given each finding with
//! all that its message says, and words it itself. Other messages stay as they are.
//!
//! Run it with `cargo run --example second_language`.

use ricordo::schema::Expected;
use ricordo::{Finding, FindingKind, Form, Model, at};

#[derive(Model)]
struct Order {
    #[model(label = "Name", required, max_length = 12)]
    name: String,
    #[model(label = "Laibe", minimum = 1, maximum = 500)]
    loaves: u32,
    #[model(label = "Abholung", minimum = "2026-11-02", step = 7)]
    day: Option<ricordo::civil::Date>,
    #[model(label = "Zutaten", min_items = 1)]
    ingredients: Vec<String>,
    #[model(label = "Gelesen", required)]
    read: bool,
}

/// The German message of a finding; `None` for what the program has worded itself.
fn german(finding: &Finding) -> Option<String> {
    let text = |value: &Option<ricordo::Value>| {
        value.as_ref().map(|value| value.to_text().into_owned()).unwrap_or_default()
    };
    let (actual, limit) = (text(&finding.actual), text(&finding.limit));
    let strictly = |word: &str, strict: &str| {
        let word = if finding.is_limit_excluded { strict } else { word };
        format!("Muss {word} {limit} sein.")
    };
    Some(match finding.kind {
        FindingKind::ValueMissing if finding.expected == Expected::Flag => "Bitte ankreuzen.".to_owned(),
        FindingKind::ValueMissing => "Bitte ausfüllen.".to_owned(),
        FindingKind::PatternMismatch => format!("„{actual}“ ist nicht so geschrieben, wie es sein muss."),
        FindingKind::TooLong => format!("Höchstens {limit} Zeichen (jetzt {actual})."),
        FindingKind::TooShort => format!("Mindestens {limit} Zeichen (jetzt {actual})."),
        FindingKind::RangeUnderflow | FindingKind::RangeOverflow
            if finding.limit.as_ref().is_some_and(|limit| limit.as_list().is_some()) =>
        {
            let bounds = finding.limit.as_ref().and_then(ricordo::Value::as_list).unwrap_or_default();
            let bounds: Vec<_> = bounds.iter().map(ricordo::Value::to_text).collect();
            format!("Muss von {} am nächsten Tag sein.", bounds.join(" bis "))
        }
        FindingKind::RangeUnderflow => strictly("mindestens", "mehr als"),
        FindingKind::RangeOverflow => strictly("höchstens", "weniger als"),
        FindingKind::StepMismatch if finding.nearest.is_empty() => {
            format!("Muss ein Vielfaches von {limit} sein.")
        }
        FindingKind::StepMismatch => {
            let nearest: Vec<_> = finding.nearest.iter().map(ricordo::Value::to_text).collect();
            format!("Am nächsten liegt {}.", nearest.join(" oder "))
        }
        FindingKind::TypeMismatch | FindingKind::BadInput | FindingKind::NotListed => {
            format!("„{actual}“ ist {}.", not(&finding.expected))
        }
        FindingKind::TooFew => format!("Mindestens {limit} Einträge (jetzt {actual})."),
        FindingKind::TooMany => format!("Höchstens {limit} Einträge (jetzt {actual})."),
        FindingKind::Repeated => match finding.actual.as_ref().and_then(ricordo::Value::as_list) {
            Some([first, second]) => format!("Die Einträge {first} und {second} sind gleich."),
            _ => "Zwei Einträge sind gleich.".to_owned(),
        },
        FindingKind::NotComputable => "Lässt sich nicht berechnen.".to_owned(),
        _ => return None,
    })
}

/// The name of the type that an entry does not have.
fn not(expected: &Expected) -> String {
    match expected {
        Expected::WholeNumber => "keine ganze Zahl".to_owned(),
        Expected::Number => "keine Zahl".to_owned(),
        Expected::Flag => "weder wahr noch falsch".to_owned(),
        Expected::Date => "kein Datum wie 2026-11-23".to_owned(),
        Expected::Time => "keine Uhrzeit wie 04:30".to_owned(),
        Expected::DateTime | Expected::DateTimeWithOffset => "kein Zeitpunkt wie 2026-11-23T04:30".to_owned(),
        Expected::Email => "keine E-Mail-Adresse wie name@example.com".to_owned(),
        Expected::Url | Expected::Uri => "keine Adresse wie https://example.com/seite".to_owned(),
        Expected::Choice(choices) if choices.is_empty() => "nicht im Angebot".to_owned(),
        Expected::Choice(choices) => format!("nichts von: {}", choices.join(", ")),
        _ => "nicht zu verstehen".to_owned(),
    }
}

fn main() -> Result<(), ricordo::Error> {
    let form = Form::<Order>::blank()?;
    form.set_wording(german);
    let order = at::<Order>();
    form.enter(order.name(), "Ein viel zu langer Name")?;
    form.enter(order.loaves(), "900")?;
    form.enter(order.day(), "morgen")?;
    for finding in form.findings() {
        println!("{}: {}", finding.label, finding.message);
    }
    let messages: Vec<String> = form.findings().into_iter().map(|finding| finding.message).collect();
    assert_eq!(
        messages,
        [
            "Höchstens 12 Zeichen (jetzt 23).",
            "Muss höchstens 500 sein.",
            "„morgen“ ist kein Datum wie 2026-11-23.",
            "Mindestens 1 Einträge (jetzt 0).",
            "Bitte ankreuzen."
        ]
    );
    Ok(())
}
