//! `ricordo check`: what a form is made of, and what is wrong with data for it.

use std::path::Path;

use ricordo::exchange::Positions;
use ricordo::schema::Kind;

use crate::files::{File, Problem, refuse_two_standard_inputs};
use crate::screen::{BAD, GOOD, Line, Output, STRONG};
use crate::{Ending, describe, table};

pub(crate) fn run(out: &mut Output, form: &Path, data: Option<&Path>) -> Result<Ending, Problem> {
    refuse_two_standard_inputs([form].into_iter().chain(data))?;
    let form = File::read(form)?;
    let data = data.map(File::read).transpose()?;
    let engine = form.engine(data.as_ref())?;
    let schema = engine.schema();
    let root = schema.part(schema.root());
    let title = root.label.as_deref().unwrap_or("a form without a title");
    let fields = if let Kind::Record(record) = root.kind { schema.fields(record).len() } else { 0 };
    let counted = describe::counted(fields, "field");
    out.line(&Line::of(STRONG, title).text(format_args!(", {counted} ({})", form.name)))?;
    out.block(table::outline(schema))?;

    let Some(data) = data else { return Ok(Ending::Well) };
    let findings = engine.view(engine.root()).all_findings();
    if findings.is_empty() {
        out.line(&Line::of(GOOD, "✓").text(format_args!(" Nothing is wrong with {}.", data.name)))?;
        return Ok(Ending::Well);
    }
    let found = describe::counted(findings.len(), "finding");
    out.line(&Line::of(BAD, "✗").text(format_args!(" {found} in {}:", data.name)))?;
    let mut positions =
        Positions::new(&data.text).map_err(|error| data.problem(&error, schema.has_secrets()))?;
    for finding in findings {
        let (line, column) = positions.of(&finding.place);
        let at = format!("{line}:{column}");
        let place = describe::place(finding.place.as_str());
        out.line(&Line::new(format_args!("  {at:>6}  {place}: {} ({})", finding.message, finding.kind)))?;
    }
    Ok(Ending::Findings)
}
