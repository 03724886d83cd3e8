//! The HTML of a form: sensible controls for each place of a definition.

use std::fmt::Write;

use ricordo::Pointer;
use ricordo::engine::CompiledSchema;
use ricordo::schema::{Choices, Format, Kind, OffsetRule, Part, PartId, RecordId, Schema};

use crate::describe;

/// The greatest depth of records that contain their own type: there the page ends.
const DEEPEST_RECURSION: usize = 2;
/// Lists whose rows have more fields are not tables.
const MOST_COLUMNS: usize = 7;
/// Choices of which there are more are offered by a select.
const MOST_RADIOS: usize = 4;
/// Texts that may be longer have several lines.
const LONG_TEXT: u64 = 80;

/// The HTML of the fields of a form.
pub(crate) fn fields(compiled: &CompiledSchema) -> String {
    let schema = compiled.schema();
    let mut writer = MarkupWriter { compiled, schema, html: String::new(), around: Vec::new() };
    match &schema.part(schema.root()).kind {
        Kind::Record(record) => writer.record(*record, &Pointer::root(), ""),
        _ => writer.place(schema.root(), &Pointer::root(), "value", "value"),
    }
    writer.html
}

/// A text as HTML has it, also in attributes.
pub(crate) fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

struct MarkupWriter<'a> {
    compiled: &'a CompiledSchema,
    schema: &'a Schema,
    html: String,
    /// The record types that are being written, from the outermost.
    around: Vec<RecordId>,
}

impl MarkupWriter<'_> {
    fn line(&mut self, line: &str) {
        self.html.push_str(line);
        self.html.push('\n');
    }

    /// The fields of a record. Names are relative to `at`, ids unique by `id`.
    fn record(&mut self, record: RecordId, at: &Pointer, id: &str) {
        if self.around.iter().filter(|around| **around == record).count() > DEEPEST_RECURSION {
            self.line("<p class=\"hint\">The record goes on, deeper than this page shows.</p>");
            return;
        }
        self.around.push(record);
        self.line("<div class=\"fields\">");
        let fields: Vec<(String, PartId)> =
            self.schema.fields(record).map(|(name, part)| (name.to_owned(), part)).collect();
        for (name, part) in &fields {
            let (at, id) = (at.join(name), joined(id, name));
            self.place(*part, &at, &id, name);
        }
        self.line("</div>");
        for variant in self.schema.variants(record) {
            let tag = variant.tag().to_text();
            let _ = writeln!(
                self.html,
                "<template data-content-of=\"{}\" data-variant=\"{}\">",
                escaped(at.as_str()),
                escaped(&tag)
            );
            self.line("<div class=\"variant\">");
            self.record(variant.fields(), &Pointer::root(), &joined(id, &tag));
            self.line("</div>\n</template>");
        }
        self.around.pop();
    }

    fn place(&mut self, part: PartId, at: &Pointer, id: &str, name: &str) {
        let description = self.schema.part(part);
        let named = description.label.as_deref().unwrap_or(name);
        let label = escaped(named);
        match description.kind.clone() {
            Kind::Record(record) => self.nested(description, record, at, id, &label),
            Kind::List(list) => {
                let item = self.schema.item(list);
                match &self.schema.part(item).kind {
                    Kind::Choice(choices) if description.constraints.unique_items => {
                        self.group("checkbox", description, choices, at, id, &label);
                    }
                    Kind::Record(record) => self.rows(part, Some(*record), item, at, id, named),
                    _ => self.rows(part, None, item, at, id, named),
                }
            }
            _ => self.field(part, at, id, &label),
        }
    }

    fn nested(&mut self, part: &Part, record: RecordId, at: &Pointer, id: &str, label: &str) {
        let pointer = escaped(at.as_str());
        let _ = writeln!(
            self.html,
            "<fieldset class=\"wide\" data-content-of=\"{pointer}\">\n<legend>{label}</legend>"
        );
        self.hint(part, id);
        if part.nullable {
            let _ = writeln!(self.html, "<template data-content-of=\"{pointer}\">\n<div>");
            self.record(record, &Pointer::root(), id);
            let what = label.to_lowercase();
            let _ = writeln!(
                self.html,
                "<button type=\"button\" class=\"add\" name=\"\" value=\"remove\">Remove {what}</button>\n</div>\n</template>\n\
                 <button type=\"button\" class=\"add\" name=\"{pointer}\" value=\"add\">Add {what}</button>"
            );
        } else {
            self.record(record, at, id);
        }
        self.findings(at);
        self.line("</fieldset>");
    }

    /// A list: a table where its rows are short records, else a part of the page for each row.
    fn rows(
        &mut self,
        list: PartId,
        record: Option<RecordId>,
        item: PartId,
        at: &Pointer,
        id: &str,
        label: &str,
    ) {
        let (part, pointer) = (self.schema.part(list), escaped(at.as_str()));
        let _ = writeln!(
            self.html,
            "<fieldset class=\"wide\" data-content-of=\"{pointer}\">\n<legend>{}</legend>",
            escaped(label)
        );
        self.hint(part, id);
        let one = self
            .schema
            .part(item)
            .label
            .clone()
            .map_or_else(|| describe::singular(label), |own| own.to_string());
        let is_fixed = part.readonly || self.has_rule(list, "calculate");
        match record {
            Some(record) if self.is_table(record) => self.table(record, at, id, &one, is_fixed),
            Some(record) => {
                let _ = writeln!(
                    self.html,
                    "<template data-rows-of=\"{pointer}\">\n<fieldset class=\"row\">\n<legend>{}</legend>",
                    escaped(&one)
                );
                self.record(record, &Pointer::root(), id);
                if !is_fixed {
                    self.line("<p class=\"add\">");
                    self.row_actions(&one);
                    self.line("</p>");
                }
                self.line("</fieldset>\n</template>");
            }
            None => {
                let _ = writeln!(
                    self.html,
                    "<div class=\"items\">\n<template data-rows-of=\"{pointer}\">\n<div class=\"item\">"
                );
                self.place(item, &Pointer::root(), &joined(id, "item"), &one);
                if !is_fixed {
                    self.row_actions(&one);
                }
                self.line("</div>\n</template>\n</div>");
            }
        }
        if !is_fixed {
            let _ = writeln!(
                self.html,
                "<button type=\"button\" class=\"add\" name=\"{pointer}\" value=\"add\">Add {}</button>",
                escaped(&one.to_lowercase())
            );
        }
        self.findings(at);
        self.line("</fieldset>");
    }

    /// Returns whether the rows of a list are short enough for a table.
    fn is_table(&self, record: RecordId) -> bool {
        let is_short = |part: PartId| self.schema.part(part).is_field();
        self.schema.variants(record).is_empty()
            && self.schema.fields(record).len() <= MOST_COLUMNS
            && self.schema.fields(record).all(|(_, part)| is_short(part))
    }

    fn table(&mut self, record: RecordId, at: &Pointer, id: &str, one: &str, is_fixed: bool) {
        let fields: Vec<(String, PartId)> =
            self.schema.fields(record).map(|(name, part)| (name.to_owned(), part)).collect();
        self.line("<table>\n<thead>\n<tr>");
        for (name, part) in &fields {
            let label = escaped(self.schema.part(*part).label.as_deref().unwrap_or(name));
            let class = if self.is_number(*part) { " class=\"number\"" } else { "" };
            let _ = writeln!(self.html, "<th scope=\"col\"{class}>{label}</th>");
        }
        if !is_fixed {
            self.line("<td></td>");
        }
        let _ = writeln!(
            self.html,
            "</tr>\n</thead>\n<tbody>\n<template data-rows-of=\"{}\">\n<tr>",
            escaped(at.as_str())
        );
        for (name, part) in &fields {
            let label = escaped(self.schema.part(*part).label.as_deref().unwrap_or(name));
            let at = Pointer::root().join(name);
            let _ = writeln!(self.html, "<td data-label=\"{label}\">");
            let accessible = format!(" aria-label=\"{label}\"");
            self.control(*part, &at, &joined(id, name), &accessible);
            self.findings(&at);
            self.line("</td>");
        }
        if !is_fixed {
            self.line("<td class=\"row-end\">");
            self.row_actions(one);
            self.line("</td>");
        }
        self.line("</tr>\n</template>\n</tbody>\n</table>");
    }

    fn row_actions(&mut self, one: &str) {
        let one = escaped(&one.to_lowercase());
        self.line("<span class=\"row-actions\">");
        for (verb, sign, words) in
            [("up", "↑", "Move up"), ("down", "↓", "Move down"), ("remove", "✕", "Remove")]
        {
            let _ = writeln!(
                self.html,
                "<button type=\"button\" name=\"\" value=\"{verb}\" aria-label=\"{words}: {one}\" title=\"{words}\">{sign}</button>"
            );
        }
        self.line("</span>");
    }

    fn field(&mut self, id_of_part: PartId, at: &Pointer, id: &str, label: &str) {
        let part = self.schema.part(id_of_part);
        let pointer = escaped(at.as_str());
        if let Kind::Choice(choices) = &part.kind
            && part.is_required()
            && choices.iter().count() <= MOST_RADIOS
            && !self.has_rule(id_of_part, "choices")
        {
            self.group("radio", part, choices, at, id, label);
            return;
        }
        let wide = if is_long(part) { " wide" } else { "" };
        let _ = writeln!(self.html, "<div class=\"field{wide}\" data-content-of=\"{pointer}\">");
        let hint = described_by(part, id);
        if matches!(part.kind, Kind::Flag) && !self.is_computed(id_of_part) {
            let _ = writeln!(
                self.html,
                "<label class=\"tick\"><input type=\"checkbox\" id=\"{id}\" name=\"{pointer}\"{hint}>{label}</label>"
            );
        } else {
            let _ = writeln!(self.html, "<label for=\"{id}\">{label}</label>");
            self.control(id_of_part, at, id, &hint);
        }
        if self.has_rule(id_of_part, "suggest") || self.has_rule(id_of_part, "counterpart") {
            let what = if self.has_rule(id_of_part, "suggest") {
                "Use the suggestion"
            } else {
                "Let the other lead"
            };
            let _ = writeln!(
                self.html,
                "<button type=\"button\" name=\"{pointer}\" value=\"release\" aria-label=\"{what}: {label}\" hidden>{what}</button>"
            );
        }
        self.hint(part, id);
        self.findings(at);
        self.line("</div>");
    }

    /// The control of a field, with further attributes.
    fn control(&mut self, id_of_part: PartId, at: &Pointer, id: &str, more: &str) {
        let part = self.schema.part(id_of_part);
        let pointer = escaped(at.as_str());
        let class = if self.is_number(id_of_part) { " class=\"number\"" } else { "" };
        if self.is_computed(id_of_part) {
            let _ = writeln!(self.html, "<output id=\"{id}\" name=\"{pointer}\"{class}{more}></output>");
            return;
        }
        let named = format!("id=\"{id}\" name=\"{pointer}\"{more}");
        let control = match &part.kind {
            Kind::Choice(_) => format!("<select {named}></select>"),
            _ if self.has_rule(id_of_part, "choices") => format!("<select {named}></select>"),
            Kind::Text if is_long(part) => format!("<textarea {named}></textarea>"),
            Kind::Text if part.secret => format!("<input type=\"password\" autocomplete=\"off\" {named}>"),
            Kind::Text => match part.constraints.format.map(Format::name) {
                Some("email") => format!("<input type=\"email\" {named}>"),
                Some("uri" | "url") => format!("<input type=\"url\" {named}>"),
                Some(_) | None => format!("<input {named}>"),
            },
            Kind::Integer => format!("<input inputmode=\"numeric\"{class} {named}>"),
            Kind::Decimal => format!("<input inputmode=\"decimal\"{class} {named}>"),
            Kind::Date => format!("<input type=\"date\" {named}>"),
            Kind::Time => format!("<input type=\"time\" {named}>"),
            Kind::DateTime(OffsetRule::Never) => format!("<input type=\"datetime-local\" {named}>"),
            Kind::Flag => format!("<input type=\"checkbox\" {named}>"),
            // With an offset, and whatever comes later: as text.
            _ => format!("<input {named}>"),
        };
        self.line(&control);
    }

    /// A button or box for each of several choices.
    fn group(&mut self, kind: &str, part: &Part, choices: &Choices, at: &Pointer, id: &str, label: &str) {
        let pointer = escaped(at.as_str());
        let role = if kind == "radio" { " role=\"radiogroup\"" } else { "" };
        let hint = described_by(part, id);
        let _ = writeln!(
            self.html,
            "<fieldset class=\"field choices\"{role} data-content-of=\"{pointer}\"{hint}>\n<legend>{label}</legend>"
        );
        for choice in choices {
            let (value, shown) = (escaped(&choice.value.to_text()), escaped(&choice.shown()));
            let _ = writeln!(
                self.html,
                "<label class=\"tick\"><input type=\"{kind}\" name=\"{pointer}\" value=\"{value}\">{shown}</label>"
            );
        }
        self.hint(part, id);
        self.findings(at);
        self.line("</fieldset>");
    }

    fn hint(&mut self, part: &Part, id: &str) {
        if let Some(description) = &part.description {
            let _ = writeln!(self.html, "<p class=\"hint\" id=\"{id}-hint\">{}</p>", escaped(description));
        }
    }

    fn findings(&mut self, at: &Pointer) {
        // The form itself has the summary.
        if at.as_str() != "" || !self.around.is_empty() {
            let _ = writeln!(
                self.html,
                "<p class=\"findings\" data-findings-of=\"{}\" hidden></p>",
                escaped(at.as_str())
            );
        }
    }

    fn has_rule(&self, part: PartId, key: &str) -> bool {
        self.compiled.formulas().iter().any(|formula| formula.part() == part && formula.key() == key)
    }

    /// Returns whether nobody can change a field: it is calculated.
    fn is_computed(&self, part: PartId) -> bool {
        self.has_rule(part, "calculate")
    }

    fn is_number(&self, part: PartId) -> bool {
        matches!(self.schema.part(part).kind, Kind::Integer | Kind::Decimal)
    }
}

/// The attribute that names the hint of a field; nothing if it has none.
fn described_by(part: &Part, id: &str) -> String {
    if part.description.is_some() { format!(" aria-describedby=\"{id}-hint\"") } else { String::new() }
}

/// Returns whether a text has several lines.
fn is_long(part: &Part) -> bool {
    let is_plain = part.constraints.format.is_none() && part.constraints.pattern.is_none() && !part.secret;
    matches!(part.kind, Kind::Text)
        && is_plain
        && part.constraints.max_length.is_some_and(|most| most > LONG_TEXT)
}

/// An id: the names that lead to a place. A character that an id cannot have is replaced with its number, so
/// that different names stay different.
fn joined(id: &str, name: &str) -> String {
    let mut joined = if id.is_empty() { String::new() } else { format!("{id}-") };
    for letter in name.chars() {
        if letter.is_alphanumeric() || matches!(letter, '_' | '-') {
            joined.push(letter);
        } else {
            let _ = write!(joined, "_{:x}", u32::from(letter));
        }
    }
    joined
}
