//! The first form: a record goes in, a person types, a record comes out.
//!
//! Run with `cargo run --example first_form`.

use ricordo::{Form, Model};

#[derive(Debug, Model)]
struct Batch {
    #[model(label = "Name", required, max_length = 40)]
    name: String,
    #[model(label = "Loaves", minimum = 1, maximum = 500)]
    loaves: u32,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let form = Form::new(&Batch { name: "Field loaf".into(), loaves: 12 })?;
    let batch = ricordo::at::<Batch>();

    // A letter O is not a zero: the field has no value now, but keeps the typed text.
    form.enter(batch.loaves(), "15O")?;
    println!("typed “{}”, value {:?}", form.place(batch.loaves())?.entry(), form.get(batch.loaves())?);

    // Findings are shown once the field has been left.
    form.place(batch.loaves())?.leave()?;
    for finding in form.findings() {
        println!("{}: {} (shown: {})", finding.place, finding.message, finding.is_shown);
    }

    form.enter(batch.loaves(), "150")?;
    println!("dirty: {}, finished record: {:?}", form.is_dirty(), form.parse());

    form.reset()?;
    println!("dirty: {}, after a reset: {:?}", form.is_dirty(), form.parse());
    Ok(())
}
