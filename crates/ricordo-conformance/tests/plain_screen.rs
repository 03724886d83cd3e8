//! The reference adapter beside the checks that it passes.

use ricordo::{Form, Model, Pointer};
use ricordo_conformance::{Adapter, Gesture, PlainScreen, check};

#[derive(Clone, Debug, Model)]
struct Batch {
    leaven: Leaven,
}

#[derive(Clone, Debug, Model)]
#[serde(tag = "kind", rename_all = "snake_case")]
enum Leaven {
    #[model(label = "Baker's yeast")]
    Yeast {
        grams: u32,
    },
    Sourdough {
        name: String,
        grams: u32,
    },
    None,
}

#[test]
fn the_reference_adapter_passes_the_checks() {
    let report = check(&mut PlainScreen::default());
    assert!(report.is_passed(), "{report}");
}

#[test]
fn a_screen_has_the_widgets_of_the_chosen_variant() {
    let form = Form::new(&Batch { leaven: Leaven::None }).unwrap();
    let mut screen = PlainScreen::default();
    screen.show(form.untyped());
    let pointer = |text: &str| text.parse::<Pointer>().unwrap();
    let (kind, grams, name) = (pointer("/leaven/kind"), pointer("/leaven/grams"), pointer("/leaven/name"));
    assert!(screen.see(&kind).is_some() && screen.see(&grams).is_none());
    assert!(screen.act(&kind, &Gesture::Pick("Baker's yeast".to_owned())));
    assert!(screen.act(&grams, &Gesture::Type("900".to_owned())));
    assert_eq!(screen.see(&grams).unwrap().text, "900");
    assert!(screen.act(&kind, &Gesture::Pick("sourdough".to_owned())));
    assert_eq!(screen.see(&grams).unwrap().text, "", "another field of the same name");
    assert!(screen.act(&name, &Gesture::Type("Old Tom".to_owned())));
    assert!(screen.act(&kind, &Gesture::Pick("none".to_owned())));
    assert!(screen.see(&name).is_none());
}
