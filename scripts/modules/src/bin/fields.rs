//! A page with a typed form that has fields alone.

use std::hint::black_box;

use modules::Fields;
use ricordo::Form;

fn main() {
    modules::shown(run());
}

fn run() -> Result<(), ricordo::Error> {
    let form: Form<Fields> = Form::blank()?;
    modules::use_fields(&form)?;
    drop(black_box(form.parse()));
    Ok(())
}
