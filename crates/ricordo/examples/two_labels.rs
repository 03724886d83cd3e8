//! Two labels follow two fields, a line follows what both come to, a button follows the form's flags, and a panel
//! follows everything. The counts prove it: a keystroke wakes one label, not the page.
//!
//! Run with `cargo run --example two_labels`.

use ricordo::{Form, Model};

#[derive(Model)]
struct Batch {
    #[model(label = "Name", required)]
    name: String,
    #[model(label = "Loaves", minimum = 1)]
    loaves: u32,
    #[model(label = "Grams a loaf")]
    grams: u32,
    notes: String,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let form = Form::new(&Batch { name: "Field loaf".into(), loaves: 12, grams: 900, notes: String::new() })?;
    let batch = ricordo::at::<Batch>();

    let name = form.subscribe(batch.name(), |notice| println!("  name label: {}", notice.place().entry()))?;
    let loaves = form.subscribe_value(batch.loaves(), |update| {
        println!("  loaves label: {:?}, before that {:?}", update.now(), update.before());
    })?;
    let dough = form.subscribe_selector(
        |view| {
            let batch = ricordo::at::<Batch>();
            Some(view.get(batch.loaves())? * view.get(batch.grams())?)
        },
        |update| println!("  dough line: {:?} grams", update.now()),
    )?;
    let button = form.subscribe_state(|update| {
        let flags = update.now();
        println!("  save button: {}", if flags.is_dirty && flags.is_valid { "on" } else { "off" });
    })?;
    let panel = form.subscribe("", |notice| println!("  panel: {}", notice.cause().action()))?;
    let everybody =
        [("name", name), ("loaves", loaves), ("dough", dough), ("button", button), ("panel", panel)];
    let everybody = everybody.map(|(label, subscription)| subscription.named(label));

    println!("Three keystrokes in one field:");
    for text in ["1", "15", "150"] {
        form.enter(batch.loaves(), text)?;
    }
    println!("One in another, then the same text again, which is no news to anybody:");
    form.enter(batch.name(), "Rye loaf")?;
    form.enter(batch.name(), "Rye loaf")?;
    println!("Notes, which only the panel shows:");
    form.enter(batch.notes(), "Score twice.")?;
    println!("The same dough from other loaves, in one transaction:");
    form.transaction(|| {
        form.set(batch.loaves(), 300)?;
        form.set(batch.grams(), 450)
    })?;

    println!("{:<8}{:>12}{:>8}", "", "considered", "called");
    for subscriber in form.diagnostics().subscribers() {
        let name = subscriber.name.unwrap_or_default();
        println!("{name:<8}{:>12}{:>8}", subscriber.counts.considered, subscriber.counts.called);
    }
    drop(everybody);
    Ok(())
}
