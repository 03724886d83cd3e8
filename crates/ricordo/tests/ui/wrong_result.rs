use ricordo::{Form, Model, at};

#[derive(Model)]
struct Batch {
    loaves: u32,
    name: String,
}

fn main() {
    let form = Form::<Batch>::blank().unwrap();
    let batch = at::<Batch>();
    form.calculate(batch.loaves(), move |it| it.get(batch.name())).unwrap();
    form.calculate(batch.name(), move |it| it.number(batch.loaves())).unwrap();
    form.relevant(batch.name(), move |it| it.number(batch.loaves())).unwrap();
}
