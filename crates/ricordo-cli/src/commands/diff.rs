//! `ricordo diff`: what changed from one record of a form to another.

use std::path::Path;

use ricordo::engine::Engine;
use ricordo::exchange::read_data;

use crate::files::{File, Problem, refuse_two_standard_inputs};
use crate::screen::{self, FAINT, GOOD, Line, Output};
use crate::{DiffAs, Ending, describe, table};

pub(crate) fn run(
    out: &mut Output,
    form: &Path,
    from: &Path,
    to: &Path,
    written_as: DiffAs,
) -> Result<Ending, Problem> {
    refuse_two_standard_inputs([form, from, to])?;
    let (form, from, to) = (File::read(form)?, File::read(from)?, File::read(to)?);
    let schema = form.schema()?;
    let hides = schema.schema().has_secrets();
    let read =
        |file: &File| read_data(&file.text, schema.schema()).map_err(|error| file.problem(&error, hides));
    let between =
        Engine::between(&schema, read(&from)?, read(&to)?).map_err(|refused| form.refused(&refused))?;
    let patch = between.masked_patch(&between.json_patch());
    match written_as {
        DiffAs::Patch => out.block(screen::plain_json(&format!("{patch:#}")))?,
        DiffAs::Merge => {
            let root = schema.schema().root();
            let merge = schema.schema().masked_value(root, &between.merge_patch());
            out.block(screen::plain_json(&format!("{merge:#}")))?;
        }
        DiffAs::Table => {
            let operations = patch.as_list().unwrap_or_default();
            if operations.is_empty() {
                out.line(&Line::of(GOOD, "✓").text(" The two records are the same."))?;
            } else {
                out.block(table::differences(&between, operations))?;
                let count = describe::counted(operations.len(), "difference");
                out.line(&Line::of(
                    FAINT,
                    format_args!("{count}   + added   − removed   ≠ changed   ↕ moved"),
                ))?;
            }
        }
    }
    Ok(if between.view(between.root()).is_dirty() { Ending::Findings } else { Ending::Well })
}
