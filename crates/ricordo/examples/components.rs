//! A form cut into components: two components of one kind, each with a part of the form in hand, tell their parent
//! what happens without knowing it; and a third holds a form of its own, and hands its record up.
//!
//! Run with `cargo run --example components`.

use ricordo::Error;
use ricordo::form::Keep;
use ricordo::{Emitter, Event, Form, Model, Place, at};

#[derive(Model)]
struct Batch {
    doughs: Vec<Ingredient>,
    fillings: Vec<Ingredient>,
}

#[derive(Debug, Model)]
struct Ingredient {
    #[model(label = "Name", required)]
    name: String,
    #[model(label = "Kind")]
    kind: String,
    #[model(label = "Grams", minimum = 1)]
    grams: u32,
}

/// The events of an ingredient list.
#[derive(Event)]
enum ListEvent {
    /// A row was removed; the event carries its value.
    Removed(Ingredient),
    Emptied,
}

/// A reusable component: a list of ingredients, in whatever form.
struct IngredientList {
    part: Place<Vec<Ingredient>>,
    out: Emitter<ListEvent>,
}

impl IngredientList {
    fn remove_first(&self) -> Result<(), Error> {
        let Some(row) = self.part.row(0) else { return Ok(()) };
        let removed = row.get();
        row.remove()?;
        if let Some(ingredient) = removed {
            self.out.emit(ListEvent::Removed(ingredient))?;
        }
        if self.part.is_empty() { self.out.emit(ListEvent::Emptied) } else { Ok(()) }
    }
}

/// The events of an ingredient's entry.
#[derive(Event)]
enum EntryEvent {
    Saved(Ingredient),
}

/// A component with a form of its own: for typing in one ingredient after the other.
struct IngredientEntry {
    form: Form<Ingredient>,
    out: Emitter<EntryEvent>,
}

impl IngredientEntry {
    fn press_save(&self) -> Result<(), Error> {
        // The kind is kept: several flours come one after the other.
        match self.form.finish(Keep::nothing().field(at::<Ingredient>().kind())) {
            Ok(ingredient) => self.out.emit(EntryEvent::Saved(ingredient)),
            Err(reason) => {
                println!("  not yet: {reason}");
                Ok(())
            }
        }
    }
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let form = Form::new(&Batch { doughs: vec![], fillings: vec![] })?;
    form.diagnostics().start_recording(4_000);
    let doughs = form.place(at::<Batch>().doughs())?;
    let fillings = form.place(at::<Batch>().fillings())?;

    // The parent listens. It knows its children; they know nothing of it.
    let list = |part: &Place<Vec<Ingredient>>| IngredientList {
        part: part.clone(),
        out: part.emitter(|event, part| {
            match event {
                ListEvent::Removed(ingredient) => {
                    println!("  {} is gone from {}", ingredient.name, part.pointer());
                }
                ListEvent::Emptied => println!("  {} is empty now", part.pointer()),
            }
            Ok(())
        }),
    };
    let (dough_list, filling_list) = (list(&doughs), list(&fillings));
    let entry = IngredientEntry {
        form: Form::blank()?,
        out: form.emitter(move |EntryEvent::Saved(ingredient), _| doughs.push(ingredient).map(drop)),
    };

    println!("Two flours are typed in; the kind stays from one to the next:");
    let ingredient = at::<Ingredient>();
    entry.form.enter(ingredient.kind(), "flour")?;
    for (name, grams) in [("Wheat flour", "5000"), ("", "800"), ("Rye flour", "800")] {
        entry.form.enter(ingredient.name(), name)?;
        entry.form.enter(ingredient.grams(), grams)?;
        entry.press_save()?;
        println!("  the entry holds {}", entry.form.value());
    }
    println!("The two lists, each by itself:");
    fillings.push(Ingredient { name: "Poppy seed".into(), kind: "seed".into(), grams: 300 })?;
    filling_list.remove_first()?;
    dough_list.remove_first()?;
    println!("The parent's form: {}", form.value());
    println!("Its journal:\n{}", form.diagnostics().recording().unwrap_or_default());
    Ok(())
}
