//! `ricordo scaffold`: a start in a program, from a form definition.

use std::path::Path;

use crate::files::{File, Problem};
use crate::screen::Output;
use crate::typescript::{type_name, types};
use crate::{Ending, ScaffoldAs};

pub(crate) fn run(out: &mut Output, form: &Path, written_as: ScaffoldAs) -> Result<Ending, Problem> {
    let form = File::read(form)?;
    let schema = form.schema()?;
    let schema = schema.schema();
    match written_as {
        ScaffoldAs::Typescript => {
            let label = schema.part(schema.root()).label.as_deref().unwrap_or("Record");
            out.block(types(schema, &type_name(label)).trim_end())?;
        }
    }
    Ok(Ending::Well)
}
