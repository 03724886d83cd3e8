//! Mistakes that a newcomer makes: each is one error with a way out.

use ricordo::{Form, Model, at};

#[derive(Model)]
struct Batch {
    loaves: u32,
    rows: Vec<Row>,
}

#[derive(Model)]
struct Row {
    grams: u32,
}

fn main() {
    let form = Form::<Batch>::blank().unwrap();
    let batch = at::<Batch>();
    let _guard = form.add_rules(|rules| {
        rules.relevant(batch.rows(), move |it| it.number(batch.loaves()) > 5);
        rules.relevant(batch.rows(), move |it| it.number(batch.loaves()) == 5);
    });
    form.enter(batch.rows().grams(), "5").unwrap();
    for row in form.place(batch.rows()).unwrap() {
        row.set(5).unwrap();
    }
}
