//! Two people edit one batch sheet. Fields that only one of them changed are merged; whoever saves last
//! resolves the others.

use ricordo::engine::Incoming;
use ricordo::form::Side;
use ricordo::model::Data;
use ricordo::{Error, Form, Model, SubmitOptions, Value, at};

#[derive(Clone, Debug, Model)]
struct Batch {
    name: String,
    loaves: u32,
    #[model(key = "id")]
    ingredients: Vec<Ingredient>,
}

#[derive(Clone, Debug, Model)]
struct Ingredient {
    id: u32,
    name: String,
    grams: u32,
}

fn saving() -> SubmitOptions<Batch> {
    SubmitOptions::new().as_json_patch()
}

/// Sends what a form has changed to whoever holds the record. The answer is the record as it is then.
fn save(who: &str, form: &Form<Batch>, held: &mut Value) -> Result<(), Error> {
    let submission = form.submit(&saving())?;
    println!("{who} saves {}", submission.to_json());
    match saving().gate()?.admit(held.clone(), Incoming::JsonPatch(submission.payload().clone())) {
        Ok(taken) => {
            *held = taken.record;
            submission.accept_with(&Batch::from_value(held)?)
        }
        Err(problem) => submission.reject(problem),
    }
}

fn main() -> Result<(), Error> {
    let (sheet, row) = (at::<Batch>(), at::<Ingredient>());
    let ingredient = |id: u32, name: &str, grams: u32| Ingredient { id, name: name.into(), grams };
    let batch = Batch {
        name: "Rye loaf".into(),
        loaves: 12,
        ingredients: vec![
            ingredient(1, "Rye flour", 5000),
            ingredient(2, "Salt", 90),
            ingredient(3, "Caraway", 20),
        ],
    };
    let mut held = Form::new(&batch)?.value();
    let (rosa, tom) = (Form::new(&batch)?, Form::new(&batch)?);

    println!("Rosa bakes more, with less salt, and without caraway.");
    rosa.enter(sheet.loaves(), "16")?;
    rosa.place(sheet.ingredients().at(1))?.place(row.grams())?.enter("80")?;
    rosa.place(sheet.ingredients().at(2))?.remove()?;
    save("Rosa", &rosa, &mut held)?;

    println!(
        "Tom, who opened the sheet before, puts the salt first, wants more of it, and more caraway, too."
    );
    tom.place(sheet.ingredients().at(1))?.move_to(0)?;
    tom.place(sheet.ingredients().at(0))?.place(row.grams())?.enter("100")?;
    tom.place(sheet.ingredients().at(2))?.place(row.grams())?.enter("30")?;
    tom.rebase(&Batch::from_value(&held)?)?;
    println!("The loaves are {}, as Rosa has them. Both have changed:", tom.place(sheet.loaves())?.value());
    for conflict in tom.conflicts() {
        println!(
            "  {}: before {}, mine {}, theirs {}",
            conflict.pointer, conflict.base, conflict.mine, conflict.theirs
        );
    }

    println!("He keeps his salt, and gives up the caraway. That can be undone, like anything.");
    for conflict in tom.conflicts() {
        let is_row = conflict.theirs == Value::Blank;
        tom.resolve(&conflict, if is_row { Side::Theirs } else { Side::Mine })?;
    }
    tom.undo()?;
    assert_eq!(tom.conflicts().len(), 1);
    tom.redo()?;
    save("Tom", &tom, &mut held)?;
    println!("The sheet: {held}");
    assert_eq!(
        held.to_string(),
        r#"{"name":"Rye loaf","loaves":16,"ingredients":[{"id":2,"name":"Salt","grams":100},{"id":1,"name":"Rye flour","grams":5000}]}"#
    );
    Ok(())
}
