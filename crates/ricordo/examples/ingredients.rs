//! A form with a list: rows are added, moved, removed and brought back, and a screen follows step by step.
//!
//! Run with `cargo run --example ingredients`.

use std::cell::RefCell;
use std::rc::Rc;

use ricordo::engine::{RowEdit, RowKey};
use ricordo::{Form, Model, Place};

#[derive(Debug, Model)]
struct Batch {
    #[model(min_items = 1, unique_items)]
    ingredients: Vec<Ingredient>,
}

#[derive(Debug, Model)]
struct Ingredient {
    #[model(required)]
    name: String,
    #[model(minimum = 0, default = 100)]
    grams: u32,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let ingredient = |name: &str, grams| Ingredient { name: name.into(), grams };
    let form = Form::new(&Batch { ingredients: vec![ingredient("Flour", 1000), ingredient("Water", 700)] })?;
    let list = form.place(ricordo::at::<Batch>().ingredients())?;

    // A screen that draws one widget a row needs no comparing: it is told the steps, by the keys of the rows.
    let screen: Rc<RefCell<Vec<RowKey>>> =
        Rc::new(RefCell::new(list.rows().iter().filter_map(Place::row_key).collect()));
    let drawn = screen.clone();
    let _subscription = list.subscribe(move |notice| {
        for edit in notice.row_edits() {
            edit.apply(&mut drawn.borrow_mut());
            match edit {
                RowEdit::Inserted { key, position } => println!("  draw row {key} at {position}"),
                RowEdit::Removed { key, .. } => println!("  take row {key} away"),
                RowEdit::Moved { key, to, .. } => println!("  move row {key} to {to}"),
            }
        }
    })?;

    println!("A blank row, ready to fill:");
    let salt = list.add()?;
    salt.place(ricordo::at::<Ingredient>().name())?.enter("Salt")?;

    println!("It moves to the front, with what was typed in it:");
    let grams = salt.place(ricordo::at::<Ingredient>().grams())?;
    grams.enter("2o")?;
    salt.move_to(0)?;
    println!("  {} is “{}”", grams.pointer(), grams.entry());

    println!("It is removed, and brought back:");
    salt.remove()?;
    println!("  gone: {}", grams.is_gone());
    form.undo()?;
    println!("  gone: {}, “{}”", grams.is_gone(), grams.entry());

    println!("Two things as one, which the second spoils:");
    let refused = form.transaction(|| {
        salt.duplicate()?;
        form.enter("/ingredients/7/name", "Malt")
    });
    println!("  {}", refused.unwrap_err());

    println!("Everything goes back:");
    form.reset()?;
    println!("  {:?}", form.parse().map(|batch| batch.ingredients.len()));
    assert_eq!(screen.borrow().len(), 2);
    Ok(())
}
