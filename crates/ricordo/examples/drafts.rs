//! A batch sheet survives a restart of the program while somebody types. The draft is small however large the sheet is, and meets what has
//! changed in the record meanwhile.

use std::time::Duration;

use ricordo::exchange::read_draft;
use ricordo::form::{Autosave, AutosavePolicy, AutosaveStep, Side};
use ricordo::{Error, Form, Model, at};

#[derive(Clone, Debug, Model)]
struct Batch {
    name: String,
    loaves: u32,
    #[model(key = "id")]
    ingredients: Vec<Ingredient>,
}

#[derive(Clone, Debug, Model)]
struct Ingredient {
    id: Option<u32>,
    name: String,
    grams: Option<u32>,
}

/// Storage that survives the program: a file, or the storage of a browser.
#[derive(Default)]
struct Storage {
    draft: Option<String>,
}

impl Storage {
    /// Asks whether something is to be done at this time, and does it.
    fn look(&mut self, drafting: &mut Autosave, form: &Form<Batch>, second: u64) {
        match drafting.poll(form, Duration::from_secs(second)) {
            AutosaveStep::Save => {
                let draft = form.draft_with_baseline().to_string();
                println!("{second:>4} s  a draft of {} bytes is written", draft.len());
                self.draft = Some(draft);
            }
            AutosaveStep::Discard => {
                println!("{second:>4} s  the draft is removed");
                self.draft = None;
            }
            AutosaveStep::Wait(wait) => println!("{second:>4} s  waits for {} s", wait.as_secs()),
            AutosaveStep::Idle | _ => {}
        }
    }
}

fn main() -> Result<(), Error> {
    let (sheet, row) = (at::<Batch>(), at::<Ingredient>());
    let ingredient =
        |id: u32, name: &str, grams: u32| Ingredient { id: Some(id), name: name.into(), grams: Some(grams) };
    let batch = Batch {
        name: "Rye loaf".into(),
        loaves: 12,
        ingredients: vec![ingredient(1, "Rye flour", 5000), ingredient(2, "Salt", 90)],
    };
    let (mut storage, mut drafting) = (
        Storage::default(),
        Autosave::for_drafts(
            AutosavePolicy::after(Duration::from_secs(2)).at_most_every(Duration::from_secs(10)),
        ),
    );

    println!("Somebody types, moves the salt to the front, and adds what is not finished yet:");
    let form = Form::new(&batch)?;
    form.enter(sheet.loaves(), "2o")?;
    storage.look(&mut drafting, &form, 1);
    form.place(sheet.ingredients().at(1))?.move_to(0)?;
    let seeds = form.place(sheet.ingredients())?.add()?;
    seeds.place(row.name())?.enter("Seeds")?;
    storage.look(&mut drafting, &form, 2);
    storage.look(&mut drafting, &form, 4);
    drop(form);

    println!("The program ends. When it begins again, the record has changed:");
    let upstream = Batch {
        name: "Rye loaf, dark".into(),
        loaves: 16,
        ingredients: vec![
            ingredient(1, "Rye flour", 5200),
            ingredient(2, "Salt", 90),
            ingredient(3, "Malt", 40),
        ],
    };
    let draft = storage.draft.as_deref().map(read_draft).transpose()?;
    let form = match &draft {
        Some(draft) => Form::from_draft(draft, Some(&upstream))?.form,
        None => Form::new(&upstream)?,
    };
    println!("  name         {}", form.place(sheet.name())?.entry());
    println!(
        "  loaves       {}, where the record has {}",
        form.place(sheet.loaves())?.entry(),
        form.place(sheet.loaves())?.baseline()
    );
    for place in form.place(sheet.ingredients())?.rows() {
        let mark = if place.is_dirty() { ", changed here" } else { "" };
        println!("  ingredient   {}{mark}", place.place(row.name())?.entry());
    }
    for conflict in form.conflicts() {
        println!("  in conflict  {}: it was {}, and is {}", conflict.pointer, conflict.base, conflict.theirs);
    }

    println!("All is given up, so nothing is left to keep:");
    form.resolve_all(Side::Theirs)?;
    form.reset()?;
    storage.look(&mut drafting, &form, 9);
    assert!(storage.draft.is_none());
    Ok(())
}
