//! A batch sheet is filled in by steps. Each step owns a part of the form: only that is checked, shown and sent, and only that is saved.

use ricordo::exchange::read_urlencoded;
use ricordo::form::{Keep, schema_of};
use ricordo::{Decimal, Error, Form, Model, SubmitOptions, at};

#[derive(Clone, Debug, Model)]
struct Batch {
    #[model(label = "Name", required)]
    name: String,
    #[model(label = "Baker")]
    baker: String,
    #[model(label = "Loaves", minimum = 1)]
    loaves: Option<u32>,
    #[model(min_items = 1)]
    ingredients: Vec<Ingredient>,
    #[model(label = "Price", minimum = 0.5, step = 0.05)]
    price: Option<Decimal>,
}

#[derive(Clone, Debug, Model)]
struct Ingredient {
    #[model(required)]
    name: String,
    grams: Option<u32>,
}

impl Batch {
    /// The part that the screens share.
    fn saving() -> SubmitOptions<Self> {
        SubmitOptions::new().dirty_only()
    }

    /// The parts of each step.
    fn steps() -> [(&'static str, SubmitOptions<Self>); 3] {
        let batch = at::<Self>();
        [
            ("What", Self::saving().only(batch.name()).only(batch.baker()).only(batch.loaves())),
            ("From what", Self::saving().only(batch.ingredients())),
            ("For how much", Self::saving().only(batch.price())),
        ]
    }
}

fn main() -> Result<(), Error> {
    let batch = at::<Batch>();
    let form = Form::<Batch>::blank()?;
    let [what, from, price] = Batch::steps();

    println!("{}: a name is missing. The other steps are not told off yet.", what.0);
    form.enter(batch.loaves(), "12")?;
    let error = form.submit(&what.1).expect_err("a name is missing");
    println!("  {error}");
    assert_eq!(error.findings().len(), 1);
    assert!(form.findings().iter().filter(|finding| finding.is_shown).count() == 1);

    form.enter(batch.name(), "Rye loaf")?;
    form.enter(batch.baker(), "Rosa Tamm")?;
    let submission = form.submit(&what.1)?;
    println!("  sends {}", submission.to_json());
    submission.accept()?;
    assert!(!form.is_dirty(), "this step is saved");

    println!("{}: a list is sent as a whole.", from.0);
    let row = form.place(batch.ingredients())?.add()?;
    form.enter(batch.ingredients().at(0).name(), "Rye flour")?;
    form.enter(batch.ingredients().at(0).grams(), "5000")?;
    let submission = form.submit(&from.1)?;
    println!("  sends {}", submission.to_json());
    println!("  or {}", submission.to_urlencoded());
    let schema = schema_of::<Batch>()?;
    let read = read_urlencoded(&submission.to_urlencoded(), schema.schema())?;
    assert_eq!(read.to_string(), submission.to_json(), "the other side reads it with the same schema");
    submission.accept()?;
    assert!(!row.is_dirty());

    println!("{}: prices end in 0 or 5.", price.0);
    form.enter(batch.price(), "6.52")?;
    println!("  {}", form.submit(&price.1).expect_err("no such coin"));
    form.enter(batch.price(), "6.5")?;
    form.submit(&price.1)?.accept()?;
    let whole = form.parse()?;
    println!("  all of it: {} {} {}", whole.name, whole.ingredients[0].name, whole.price.unwrap_or_default());

    println!("The next sheet begins with the same baker.");
    let done = SubmitOptions::new().then_clear(Keep::nothing().field(batch.baker()));
    form.submit(&done)?.accept()?;
    println!("  {}", form.to_json());
    assert_eq!(form.to_json(), r#"{"baker":"Rosa Tamm","ingredients":[]}"#);
    Ok(())
}
