//! A page with a typed form, and one that is defined in a file.

use std::hint::black_box;

use ricordo::Form;

fn main() {
    modules::shown(run());
}

fn run() -> Result<(), ricordo::Error> {
    let form = modules::blank()?;
    modules::use_form(&form)?;
    drop(black_box(form.parse()));
    let form = Form::from_definition(black_box("{}"), Some(black_box("{}")))?;
    modules::use_form(&form)?;
    drop(black_box((form.to_json(), form.diagnostics().dump())));
    Ok(())
}
