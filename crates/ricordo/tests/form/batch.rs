//! The batch sheet as a typed record.

use ricordo::{Decimal, Form, Model};

#[derive(Clone, Debug, PartialEq, Model)]
pub struct Batch {
    #[model(label = "Name", required, min_length = 3, max_length = 40)]
    pub name: String,
    #[model(format = "email")]
    pub email: Option<String>,
    pub method: Method,
    #[model(minimum = 1, maximum = 500)]
    pub loaves: u16,
    pub preferment: Option<Preferment>,
    #[model(min_items = 1, max_items = 3)]
    pub ingredients: Vec<Ingredient>,
    pub fold_minutes: Vec<u8>,
    #[serde(rename = "onSale")]
    pub on_sale: bool,
    #[model(minimum = 0, multiple_of = 0.05)]
    pub price: Option<Decimal>,
    pub hydration: f64,
}

#[derive(Clone, Copy, Debug, PartialEq, Model)]
#[serde(rename_all = "snake_case")]
pub enum Method {
    #[model(label = "Straight dough")]
    Straight,
    Sourdough,
    LongPoolish,
}

#[derive(Clone, Debug, PartialEq, Model)]
pub struct Preferment {
    #[model(minimum = 1, maximum = 48)]
    pub hours: u8,
    pub notes: String,
}

#[derive(Clone, Debug, PartialEq, Model)]
pub struct Ingredient {
    pub name: String,
    #[model(default = Decimal::ONE_HUNDRED)]
    pub grams: Decimal,
}

pub fn ingredient(name: &str, grams: i64) -> Ingredient {
    Ingredient { name: name.to_owned(), grams: grams.into() }
}

pub fn batch() -> Batch {
    Batch {
        name: "Field loaf".to_owned(),
        email: Some("rosa@millstone.example".to_owned()),
        method: Method::LongPoolish,
        loaves: 12,
        preferment: Some(Preferment { hours: 14, notes: "Cool".to_owned() }),
        ingredients: vec![ingredient("Wheat flour", 5000), ingredient("Water", 3500)],
        fold_minutes: vec![30, 60],
        on_sale: true,
        price: Some(Decimal::new(650, 2)),
        hydration: 0.7,
    }
}

pub fn form() -> Form<Batch> {
    Form::new(&batch()).unwrap()
}
