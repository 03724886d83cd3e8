//! `ricordo check`: what a form is made of, and what is wrong with data for it.

use std::path::Path;

use ricordo::engine::{CompiledSchema, SubmitRequest};
use ricordo::exchange::{Positions, read_data, write_urlencoded};
use ricordo::schema::Kind;
use ricordo::{Finding, Pointer};

use crate::files::{File, Problem, refuse_two_standard_inputs};
use crate::screen::{self, BAD, FAINT, GOOD, Line, Output, STRONG, complain};
use crate::{Ending, GraphAs, PayloadAs, describe, graph, table};

pub(crate) fn run(
    out: &mut Output,
    form: &Path,
    data: Option<&Path>,
    graph: Option<GraphAs>,
) -> Result<Ending, Problem> {
    refuse_two_standard_inputs([form].into_iter().chain(data))?;
    let form = File::read(form)?;
    let data = data.map(File::read).transpose()?;
    let schema = form.schema()?;
    let engine = form.engine_of(&schema, data.as_ref())?;
    form.warnings(&schema).for_each(|warning| complain(warning + "\n"));
    match graph {
        Some(GraphAs::Dot) => {
            out.block(graph::dot(&schema))?;
            return Ok(Ending::Well);
        }
        Some(GraphAs::Table) => out.block(table::graph(&graph::nodes(&schema)))?,
        None => show_outline(out, &form.name, &schema)?,
    }

    let Some(data) = data else { return Ok(Ending::Well) };
    let root = engine.view(engine.root());
    let findings = root.all_findings().into_iter();
    let findings: Vec<(Pointer, String)> =
        findings.map(|finding| (finding.place, format!("{} ({})", finding.message, finding.kind))).collect();
    let hides = schema.schema().has_secrets();
    let given = read_data(&data.text, schema.schema()).map_err(|error| data.problem(&error, hides))?;
    let replaced = root.computed_otherwise(&given).into_iter().map(|(place, given)| {
        let (given, held) = (describe::value(given), describe::value(&place.value()));
        (place.pointer(), format!("{given}, but calculated as {held}"))
    });
    let replaced: Vec<(Pointer, String)> = replaced.collect();
    if findings.is_empty() && replaced.is_empty() {
        out.line(&Line::of(GOOD, "✓").text(format_args!(" Nothing is wrong with {}.", data.name)))?;
        return Ok(Ending::Well);
    }
    let mut positions = Positions::new(&data.text).map_err(|error| data.problem(&error, hides))?;
    for (found, what, words) in
        [(findings, "finding", ""), (replaced, "value", ", which the form calculates otherwise")]
    {
        if found.is_empty() {
            continue;
        }
        let count = describe::counted(found.len(), what);
        out.line(&Line::of(BAD, "✗").text(format_args!(" {count} in {}{words}:", data.name)))?;
        for (place, words) in found {
            let (line, column) = positions.of(&place);
            let at = format!("{line}:{column}");
            let place = describe::place(place.as_str());
            out.line(&Line::new(format_args!("  {at:>6}  {place}: {words}")))?;
        }
    }
    Ok(Ending::Findings)
}

/// Prints the payload that a form with this data would submit, and the findings on standard error.
pub(crate) fn payload(
    out: &mut Output,
    form: &Path,
    data: Option<&Path>,
    written_as: PayloadAs,
) -> Result<Ending, Problem> {
    refuse_two_standard_inputs([form].into_iter().chain(data))?;
    let form = File::read(form)?;
    let data = data.map(File::read).transpose()?;
    let engine = form.engine(data.as_ref())?;
    let schema = engine.schema();
    let payload = engine.payload(&SubmitRequest::default()).map_err(|refused| form.refused(&refused))?;
    let payload = schema.masked_value(schema.root(), &payload);
    match written_as {
        PayloadAs::Json => out.block(screen::plain_json(&format!("{payload:#}")))?,
        PayloadAs::Urlencoded => out.block(write_urlencoded(&payload))?,
    }
    let findings = engine.view(engine.root()).all_findings().into_iter();
    let errors: Vec<Finding> = findings.filter(Finding::is_error).collect();
    if errors.is_empty() {
        return Ok(Ending::Well);
    }
    let count = describe::counted(errors.len(), "error");
    complain(format_args!(
        "It would not be sent: there {} {count}.\n",
        if errors.len() == 1 { "is" } else { "are" }
    ));
    for error in errors {
        complain(Line::new(format_args!("  {}: {}", describe::place(error.place.as_str()), error.message)));
        complain("\n");
    }
    Ok(Ending::Findings)
}

fn show_outline(out: &mut Output, name: &str, compiled: &CompiledSchema) -> Result<(), Problem> {
    const MOST: usize = 8;
    let schema = compiled.schema();
    let root = schema.part(schema.root());
    let title = root.label.as_deref().unwrap_or("a form without a title");
    let fields = if let Kind::Record(record) = root.kind { schema.fields(record).len() } else { 0 };
    let counted = describe::counted(fields, "field");
    out.line(&Line::of(STRONG, title).text(format_args!(", {counted} ({name})")))?;
    out.block(table::outline(compiled))?;
    let unused = graph::unused(compiled);
    if !unused.is_empty() {
        let mut names = unused.iter().take(MOST).cloned().collect::<Vec<_>>().join(", ");
        if unused.len() > MOST {
            names = format!("{names} and {} more", unused.len() - MOST);
        }
        out.line(&Line::of(FAINT, format_args!("No formula reads {names}, and no label says what it is.")))?;
    }
    Ok(())
}
