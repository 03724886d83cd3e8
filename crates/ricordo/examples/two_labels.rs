//! Two labels follow two fields, and count how often each was updated: a keystroke in one field wakes one
//! label, not the page.
//!
//! Run with `cargo run --example two_labels`.

use std::cell::Cell;
use std::rc::Rc;

use ricordo::{Form, Model, Place, Subscription};

#[derive(Model)]
struct Batch {
    #[model(label = "Name")]
    name: String,
    #[model(label = "Loaves", minimum = 1)]
    loaves: u32,
}

/// What a screen would draw: a line that follows a field.
struct Label {
    updates: Rc<Cell<u32>>,
    _subscription: Subscription,
}

impl Label {
    fn following<T: 'static>(field: &Place<T>) -> Result<Label, ricordo::engine::Refused> {
        let updates = Rc::new(Cell::new(0));
        let counter = updates.clone();
        let subscription = field.subscribe(move |notice| {
            counter.set(counter.get() + 1);
            println!("  {} is now “{}”", notice.place().label(), notice.place().entry());
        })?;
        Ok(Label { updates, _subscription: subscription })
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let form = Form::new(&Batch { name: "Field loaf".into(), loaves: 12 })?;
    let batch = ricordo::at::<Batch>();
    let name = Label::following(&form.place(batch.name())?)?;
    let loaves = Label::following(&form.place(batch.loaves())?)?;

    println!("Three keystrokes in one field, one in the other:");
    for text in ["1", "15", "150"] {
        form.enter(batch.loaves(), text)?;
    }
    form.enter(batch.name(), "Rye loaf")?;
    println!("The same text again, which is no news to anybody:");
    form.enter(batch.name(), "Rye loaf")?;

    println!("updates: name {}, loaves {}", name.updates.get(), loaves.updates.get());
    Ok(())
}
