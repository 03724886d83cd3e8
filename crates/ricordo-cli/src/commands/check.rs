//! `ricordo check`: what a form is made of, and what is wrong with data for it.

use std::path::Path;

use ricordo::exchange::Positions;
use ricordo::shape::Kind;

use crate::files::{File, Problem};
use crate::screen::{BAD, GOOD, STRONG, styled};
use crate::{Ending, describe, table};

pub(crate) fn run(form: &Path, data: Option<&Path>) -> Result<Ending, Problem> {
    let form = File::read(form)?;
    let data = data.map(File::read).transpose()?;
    let engine = form.engine(data.as_ref())?;
    let shape = engine.shape();
    let root = shape.part(shape.root());
    let title = root.label.as_deref().unwrap_or("a form without a title");
    let fields = if let Kind::Record(record) = root.kind { shape.fields(record).len() } else { 0 };
    anstream::println!("{}, {} ({})", styled(STRONG, title), describe::counted(fields, "field"), form.name);
    anstream::println!("{}", table::outline(shape));

    let Some(data) = data else { return Ok(Ending::Well) };
    let findings = engine.view(engine.root()).all_findings();
    if findings.is_empty() {
        anstream::println!("{} Nothing is wrong with {}.", styled(GOOD, "✓"), data.name);
        return Ok(Ending::Well);
    }
    let found = describe::counted(findings.len(), "finding");
    anstream::println!("{} {found} in {}:", styled(BAD, "✗"), data.name);
    let mut positions = Positions::new(&data.text).map_err(|error| data.problem(&error))?;
    for finding in findings {
        let (line, column) = positions.of(&finding.place);
        let at = format!("{line}:{column}");
        let place = describe::place(finding.place.as_str());
        anstream::println!("  {at:>6}  {place}: {} ({})", finding.message, finding.kind);
    }
    Ok(Ending::Findings)
}
