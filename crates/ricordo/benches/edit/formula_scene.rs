//! Contender (c) in the full scene once more, as a definition: the rules are formulas instead of functions.

use std::hint::black_box;

use ricordo::{Form, Place, Subscription, Value};

use crate::scene;

const DEFINITION: &str = r#"{
    "type": "object",
    "properties": {
        "loaves": {"type": "integer"},
        "ingredients": {"type": "array", "items": {
            "type": "object",
            "properties": {
                "name": {"type": "string"},
                "kind": {"type": "string"},
                "grams": {"type": "number", "minimum": 0},
                "price_per_kilogram": {"type": "number"},
                "cost": {"type": "number", "x-ricordo": {"calculate": "grams * price_per_kilogram / 1000"}}
            },
            "required": ["grams", "price_per_kilogram"]
        }},
        "dough_weight": {"type": "number", "x-ricordo": {"calculate": "sum(ingredients.grams)"}},
        "flour": {"type": "number", "x-ricordo": {"calculate": "sum(ingredients[kind = \"flour\"].grams)"}},
        "water": {"type": "number", "x-ricordo": {"calculate": "sum(ingredients[kind = \"water\"].grams)"}},
        "hydration": {"type": "number", "x-ricordo": {"calculate": "water / flour"}},
        "total_cost": {"type": "number", "x-ricordo": {"calculate": "sum(ingredients.cost)"}},
        "cost_a_loaf": {"type": "number", "x-ricordo": {"calculate": "total_cost / loaves"}}
    },
    "required": ["loaves"]
}"#;

/// A form of the full scene, with three subscribers.
pub struct FormulaScene {
    form: Form,
    grams: Vec<Place<Value>>,
    _subscriptions: Vec<Subscription>,
}

impl FormulaScene {
    pub fn new(data: &[scene::Ingredient]) -> Self {
        let row = |data: &scene::Ingredient| {
            let (grams, price) = (data.grams, data.price_per_kilogram);
            let (name, kind) = (&data.name, &data.kind);
            format!(r#"{{"name":"{name}","kind":"{kind}","grams":{grams},"price_per_kilogram":{price}}}"#)
        };
        let rows: Vec<String> = data.iter().map(row).collect();
        let data = format!(r#"{{"loaves": 12, "ingredients": [{}]}}"#, rows.join(","));
        let form = Form::from_definition(DEFINITION, Some(&data)).expect("the scene fits");
        let list = form.place("/ingredients").expect("there is a list");
        let grams =
            list.children().into_iter().map(|row| row.place("/grams").expect("there are grams")).collect();
        let subscriptions = ["/total_cost", "/hydration", "/cost_a_loaf"];
        let follow =
            |pointer: &str| form.subscribe(pointer, |_| black_box(())).expect("there is such a field");
        let subscriptions = subscriptions.into_iter().map(follow).collect();
        FormulaScene { form, grams, _subscriptions: subscriptions }
    }

    /// Types `text` into the grams of a row.
    pub fn enter_grams(&mut self, index: usize, text: &str) {
        self.grams[index].enter(text).expect("grams can be typed");
        black_box(self.form.is_dirty());
    }
}
