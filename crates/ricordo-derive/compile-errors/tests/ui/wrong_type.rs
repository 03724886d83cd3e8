//! A value of the wrong type, and a path of another model.

use ricordo::{Form, Model};

#[derive(Model)]
struct Batch {
    loaves: u32,
}

#[derive(Model)]
struct Oven {
    degrees: u16,
}

fn main() {
    let form = Form::new(&Batch { loaves: 12 }).unwrap();
    form.set(ricordo::at::<Batch>().loaves(), "15").unwrap();
    form.enter(ricordo::at::<Oven>().degrees(), "230").unwrap();
}
