//! A misspelt field.

use ricordo::{Form, Model};

#[derive(Model)]
struct Batch {
    loaves: u32,
    ingredients: Vec<Ingredient>,
}

#[derive(Model)]
struct Ingredient {
    grams: u32,
}

fn main() {
    let form = Form::new(&Batch { loaves: 12, ingredients: vec![] }).unwrap();
    let batch = ricordo::at::<Batch>();
    form.enter(batch.loavs(), "15").unwrap();
    form.enter(batch.ingredients().at(0).gram(), "15").unwrap();
}
