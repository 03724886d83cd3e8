//! A page with a typed form.

use std::hint::black_box;

fn main() {
    modules::shown(run());
}

fn run() -> Result<(), ricordo::Error> {
    let form = modules::blank()?;
    modules::use_form(&form)?;
    drop(black_box(form.parse()));
    Ok(())
}
