//! `ricordo check`: what a form is made of, and what is wrong with data for it.

use std::path::Path;

use ricordo::engine::CompiledSchema;
use ricordo::exchange::Positions;
use ricordo::schema::Kind;

use crate::files::{File, Problem, refuse_two_standard_inputs};
use crate::screen::{BAD, FAINT, GOOD, Line, Output, STRONG, complain};
use crate::{Ending, GraphAs, describe, graph, table};

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
    for warning in schema.warnings() {
        complain(form.warning(warning) + "\n");
    }
    match graph {
        Some(GraphAs::Dot) => {
            out.block(graph::dot(&schema))?;
            return Ok(Ending::Well);
        }
        Some(GraphAs::Table) => out.block(table::graph(&graph::nodes(&schema)))?,
        None => show_outline(out, &form.name, &schema)?,
    }

    let Some(data) = data else { return Ok(Ending::Well) };
    let findings = engine.view(engine.root()).all_findings();
    if findings.is_empty() {
        out.line(&Line::of(GOOD, "✓").text(format_args!(" Nothing is wrong with {}.", data.name)))?;
        return Ok(Ending::Well);
    }
    let found = describe::counted(findings.len(), "finding");
    out.line(&Line::of(BAD, "✗").text(format_args!(" {found} in {}:", data.name)))?;
    let hides = schema.schema().has_secrets();
    let mut positions = Positions::new(&data.text).map_err(|error| data.problem(&error, hides))?;
    for finding in findings {
        let (line, column) = positions.of(&finding.place);
        let at = format!("{line}:{column}");
        let place = describe::place(finding.place.as_str());
        out.line(&Line::new(format_args!("  {at:>6}  {place}: {} ({})", finding.message, finding.kind)))?;
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
