//! Attributes that are unknown, or do not suit the field.

use ricordo::Model;

#[derive(Model)]
struct Unknown {
    #[model(minimun = 1)]
    loaves: u32,
}

#[derive(Model)]
struct Unsuitable {
    #[model(max_length = 40)]
    loaves: u32,
    #[model(minimum = 1)]
    name: String,
    #[model(min_items = 1)]
    notes: Option<String>,
}

#[derive(Model)]
struct NotANumber {
    #[model(maximum = "many")]
    loaves: u32,
}

#[derive(Model)]
struct Inexact {
    #[model(maximum = 1e3)]
    grams: f64,
}

#[derive(Model)]
struct NoFormat {
    #[model(format = "phone")]
    name: String,
}

#[derive(Model)]
#[model(minimum = 1)]
struct OnAType {
    loaves: u32,
}

#[derive(Model)]
#[model(rules = first, rules = second)]
struct RulesTwice {
    loaves: u32,
}

#[derive(Model)]
#[model(rules = rules_of_another_type)]
struct RulesOfAnother {
    loaves: u32,
}

fn rules_of_another_type(_: &mut ricordo::Rules<OnAType>) {}

fn main() {}
