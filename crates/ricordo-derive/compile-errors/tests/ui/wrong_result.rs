use ricordo::{Form, Model, at};

#[derive(Model)]
struct Batch {
    loaves: u32,
    name: String,
}

fn main() {
    let form = Form::<Batch>::blank().unwrap();
    let batch = at::<Batch>();
    let _rules = form.add_rules(|rules| {
        rules.calculate(batch.loaves(), move |it| it.get(batch.name()));
        rules.calculate(batch.name(), move |it| it.number(batch.loaves()));
        rules.relevant(batch.name(), move |it| it.number(batch.loaves()));
    });
}
