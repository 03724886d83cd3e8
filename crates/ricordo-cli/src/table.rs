//! Tables: the state of a form, and the places that it has.

use comfy_table::{
    Attribute, Cell, CellAlignment, Color, ColumnConstraint, ContentArrangement, LineStyle, Table,
    TableStyle, Width,
};
use ricordo::engine::{CompiledSchema, Conflict, Engine, FormulaInfo, PlaceView};
use ricordo::schema::{Commit, DisplayFormat, Kind, NumberFormat, Part, PartId, Reveal};
use ricordo::{Pointer, Value};

use crate::graph::GraphNode;
use crate::screen::plain;
use crate::{describe, screen};

/// A line under the headings, and no other.
const LIGHT: TableStyle = TableStyle::new().header_separator(LineStyle::none().fill('─').junction('─'));

fn table(headings: &[&str]) -> Table {
    let mut table = Table::new();
    table
        .load_style(LIGHT)
        .set_content_arrangement(ContentArrangement::Dynamic)
        .set_width(u16::try_from(screen::width()).unwrap_or(100))
        .set_header(headings.iter().map(|heading| Cell::new(heading).add_attribute(Attribute::Bold)));
    if screen::in_colour() {
        table.enforce_styling();
    } else {
        table.force_no_tty();
    }
    table
}

/// A table as text, without blanks at the ends of lines.
fn drawn(table: &Table) -> String {
    table.lines().map(|line| line.trim_end().to_owned()).collect::<Vec<_>>().join("\n")
}

/// A cell with a text that is safe to show.
fn cell(text: &str) -> Cell {
    lines([text])
}

/// A cell with texts that are safe to show, each from a new line. A very long one is cut: a table is for reading, and
/// laying out a long word takes the square of its length.
fn lines<T: AsRef<str>>(texts: impl IntoIterator<Item = T>) -> Cell {
    const LONGEST: usize = 240;
    let shown = |text: T| {
        let text = text.as_ref();
        let cut = text.char_indices().nth(LONGEST).map(|(end, _)| format!("{}…", &text[..end]));
        plain(cut.as_deref().unwrap_or(text)).into_owned()
    };
    Cell::new(texts.into_iter().map(shown).collect::<Vec<_>>().join("\n"))
}

/// The way values are shown.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Values {
    /// In their display formats.
    #[default]
    Displayed,
    /// With all digits, and the entries beside them.
    Exact,
}

/// The state of every place of a form.
pub(crate) fn state(engine: &Engine, values: Values) -> String {
    let headings: &[&str] = match values {
        Values::Displayed => &["Place", "Value", "Baseline", "Marks", "Findings"],
        Values::Exact => &["Place", "Entry", "Value", "Baseline", "Marks", "Findings"],
    };
    let mut table = table(headings);
    add_state(&mut table, engine.view(engine.root()), 0, values);
    // Places are not broken where that can be helped, and marks stand one below the other before findings
    // become too narrow to read.
    let longest = table.column_max_content_widths().first().copied().unwrap_or_default();
    let place = if longest <= 34 { ColumnConstraint::ContentWidth } else { most(34) };
    let last = headings.len() - 2;
    let mut constraints = vec![(0, place), (last - 1, most(16)), (last, most(13))];
    if values == Values::Exact {
        constraints.push((2, most(12)));
    }
    for (column, constraint) in constraints {
        if let Some(column) = table.column_mut(column) {
            column.set_constraint(constraint);
        }
    }
    let same = if values == Values::Exact { "= same as the entry   " } else { "" };
    let legend = format!("{same}(…) found, but not shown to the user yet");
    format!("{}\n{}", drawn(&table), screen::Line::of(screen::FAINT, legend))
}

/// A payload beside the baseline of a form, with the differences marked, indented by so many columns. Secrets are hidden.
pub(crate) fn payload(engine: &Engine, payload: &Value, indent: usize, values: Values) -> String {
    let root = engine.view(engine.root());
    let schema = engine.schema();
    let sent = schema.masked_value(schema.root(), payload);
    let baseline = root.masked_baseline();
    let mut leaves = Vec::new();
    add_leaves(&mut leaves, &mut String::new(), [Some(&baseline), Some(&sent)]);
    let mut table = table(&["", "Place", "Baseline", "Sent"]);
    table.set_width(u16::try_from(screen::width().saturating_sub(indent)).unwrap_or(100));
    let (mut same, mut unsent) = (0, 0);
    for (place, leaf) in &leaves {
        let (mark, baseline, sent) = match *leaf {
            [Some(baseline), Some(sent)] if baseline == sent => {
                same += 1;
                continue;
            }
            [Some(baseline), Some(sent)] => {
                let [baseline, sent] = side_by_side(engine, place, [baseline, sent], values);
                ("≠", baseline, sent)
            }
            [None, Some(sent)] => ("+", String::new(), written(engine, place, sent, values)),
            [_, None] => {
                unsent += 1;
                continue;
            }
        };
        table.add_row([cell(mark), cell(place), cell(&baseline), cell(&sent)]);
    }
    let more = [(same, "sent as in the baseline"), (unsent, "not sent")];
    let more = more.into_iter().filter(|(count, _)| *count > 0);
    let more: Vec<String> =
        more.map(|(count, words)| format!("{} {words}", describe::counted(count, "place"))).collect();
    let legend = screen::Line::of(screen::FAINT, more.join("; "));
    let shown = if table.is_empty() { legend.to_string() } else { format!("{}\n{legend}", drawn(&table)) };
    let lines: Vec<String> = shown.lines().map(|line| format!("{:indent$}{line}", "")).collect();
    lines.join("\n")
}

/// Conflicts that there were, and how they were resolved.
pub(crate) fn conflicts(engine: &Engine, conflicts: &[Conflict], values: Values) -> String {
    let mut table = table(&["Changed by both", "Before", "Mine", "Theirs", "Resolved to"]);
    for conflict in conflicts {
        let (at, view) = (conflict.place.into(), engine.view(conflict.place));
        let is_row = conflict.removed_row.is_some() || view.row_key().is_some();
        let now = if view.is_there() { view.value() } else { Value::Blank };
        let shown = engine.masked_at(&at, &now);
        let [base, mine, theirs] = conflict.masked_values();
        let row = if conflict.removed_row.is_some() { words_of_row(base) } else { String::new() };
        let sides = [base, mine, theirs, &shown];
        let texts = side_by_side(engine, conflict.pointer.as_str(), sides, values);
        let mut words = sides.iter().zip(texts).map(|(value, text)| match value {
            Value::Blank if is_row => "removed".to_owned(),
            _ => text,
        });
        let [base, mine, theirs, resolved] = std::array::from_fn(|_| words.next().unwrap_or_default());
        let resolved = match &now {
            _ if view.conflict().is_some() => "open".to_owned(),
            now if *now == conflict.theirs => format!("theirs: {resolved}"),
            now if *now == conflict.mine => format!("mine: {resolved}"),
            _ => resolved,
        };
        let place = format!("{}\n{row}", describe::place(conflict.pointer.as_str()));
        let place = lines(place.trim_end().lines());
        table.add_row([place, cell(&base), cell(&mine), cell(&theirs), cell(&resolved)]);
    }
    drawn(&table)
}

/// The first text in a row, by which people know it.
fn words_of_row(row: &Value) -> String {
    let texts = row.as_record().into_iter().flat_map(ricordo::Record::iter);
    texts.into_iter().find_map(|(_, value)| value.as_text()).map(describe::quoted).unwrap_or_default()
}

/// A value as the place at a pointer displays it.
fn displayed(engine: &Engine, pointer: &str, value: &Value) -> String {
    let schema = engine.schema();
    match (part_at(engine, pointer), value) {
        (Some(part), value) if is_formatted(value) => part.displayed(value),
        (Some(part), Value::Record(members)) => {
            // A row that has gone is known by its list.
            let part = match part.kind {
                Kind::List(list) => schema.part(schema.item(list)),
                _ => part,
            };
            let Kind::Record(record) = part.kind else { return describe::value(value) };
            let fields = schema.fields(record).map(|(name, part)| match members.get(name) {
                Some(Value::List(rows)) => describe::counted(rows.len(), "row"),
                Some(value) if !value.is_empty() => schema.part(part).displayed(value),
                Some(_) | None => String::new(),
            });
            fields.filter(|text| !text.is_empty()).collect::<Vec<_>>().join(" · ")
        }
        (_, value) => describe::value(value),
    }
}

/// Returns whether a value is shown in a display format, and not in words.
fn is_formatted(value: &Value) -> bool {
    matches!(value, Value::Number(_) | Value::Date(_) | Value::Time(_) | Value::DateTime(_))
}

fn part_at<'a>(engine: &'a Engine, pointer: &str) -> Option<&'a Part> {
    let part = engine.schema().part_at(&pointer.parse().ok()?)?;
    Some(engine.schema().part(part))
}

/// A value of the place at a pointer, in its display format or with all digits.
fn written(engine: &Engine, pointer: &str, value: &Value, values: Values) -> String {
    match values {
        Values::Displayed => displayed(engine, pointer, value),
        Values::Exact => describe::value(value),
    }
}

/// Values of the place at a pointer that stand side by side. Different ones look different.
fn side_by_side<const N: usize>(
    engine: &Engine,
    pointer: &str,
    sides: [&Value; N],
    values: Values,
) -> [String; N] {
    let mut texts = sides.map(|side| written(engine, pointer, side, values));
    if let (Some(part), Values::Displayed) = (part_at(engine, pointer), values) {
        let apart = part.displayed_apart(sides);
        for ((text, apart), side) in texts.iter_mut().zip(apart).zip(sides) {
            if is_formatted(side) {
                *text = apart;
            }
        }
    }
    texts
}

/// The value that a pointer leads to in a value.
fn found<'a>(value: &'a Value, pointer: &str) -> Option<&'a Value> {
    let pointer: Pointer = pointer.parse().ok()?;
    pointer.tokens().try_fold(value, |value, token| match value {
        Value::Record(members) => members.get(&token),
        Value::List(rows) => rows.get(token.parse::<usize>().ok()?),
        _ => None,
    })
}

/// The baseline of the place that is at a pointer now. A row that has moved stood elsewhere.
fn baseline_at(engine: &Engine, pointer: &str) -> Option<Value> {
    let place = engine.locate(&pointer.parse::<Pointer>().ok()?.into()).ok()?;
    Some(engine.view(place).masked_baseline())
}

/// The value that was at a pointer.
fn held(value: &Value, pointer: &str) -> String {
    found(value, pointer).map(describe::value).unwrap_or_default()
}

/// The first text in the row that a place is or lies in.
fn row_words(value: &Value, pointer: &str) -> String {
    let tokens: Vec<&str> = pointer.split('/').collect();
    let row = tokens.iter().rposition(|token| token.parse::<usize>().is_ok());
    let row = row.and_then(|row| found(value, &tokens[..=row].join("/")));
    row.map(words_of_row).unwrap_or_default()
}

/// The operations that lead from the baseline of a form to its value, each in words. Secrets are hidden in them already.
pub(crate) fn differences(engine: &Engine, operations: &[Value]) -> String {
    let mut table = table(&["", "Place", "From", "To"]);
    let root = engine.view(engine.root());
    let (baseline, now) = (root.masked_baseline(), root.masked_value());
    for operation in operations {
        let text = |name: &str| operation.as_record()?.get(name)?.as_text().map(str::to_owned);
        let (Some(op), Some(path)) = (text("op"), text("path")) else { continue };
        let value = operation.as_record().and_then(|operation| operation.get("value"));
        let at = describe::place(&path);
        let (mark, [from, to]) = match (op.as_str(), value) {
            ("remove", _) => ("−", [held(&baseline, &path), String::new()]),
            ("move", _) => ("↕", [text("from").unwrap_or_default(), path.clone()]),
            ("add", Some(value)) => ("+", [String::new(), displayed(engine, &path, value)]),
            (_, Some(value)) => {
                let before = baseline_at(engine, &path).unwrap_or_default();
                ("≠", side_by_side(engine, &path, [&before, value], Values::Displayed))
            }
            (_, None) => continue,
        };
        // A row is known by what is in it.
        let row = row_words(if op == "remove" { &baseline } else { &now }, &path);
        let place = if row.is_empty() { at.to_owned() } else { format!("{at}\n{row}") };
        table.add_row([cell(mark), lines(place.lines()), cell(&from), cell(&to)]);
    }
    drawn(&table)
}

/// Adds the scalars at each place in two values, of which either may be missing.
fn add_leaves<'a>(
    leaves: &mut Vec<(String, [Option<&'a Value>; 2])>,
    place: &mut String,
    values: [Option<&'a Value>; 2],
) {
    let names: Vec<String> = match values {
        [Some(Value::Record(one)), Some(Value::Record(other))] => {
            let more = other.iter().filter(|(name, _)| one.get(name).is_none());
            one.iter().chain(more).map(|(name, _)| name.to_owned()).collect()
        }
        [Some(Value::Record(members)), None] | [None, Some(Value::Record(members))] => {
            members.iter().map(|(name, _)| name.to_owned()).collect()
        }
        [Some(Value::List(one)), Some(Value::List(other))] => {
            (0..one.len().max(other.len())).map(|at| at.to_string()).collect()
        }
        [Some(Value::List(rows)), None] | [None, Some(Value::List(rows))] => {
            (0..rows.len()).map(|at| at.to_string()).collect()
        }
        scalars => {
            leaves.push((place.clone(), scalars));
            return;
        }
    };
    for name in names {
        let member = |value: &'a Value| match value {
            Value::Record(members) => members.get(&name),
            Value::List(rows) => name.parse::<usize>().ok().and_then(|at| rows.get(at)),
            _ => None,
        };
        let members = values.map(|value| value.and_then(member));
        let length = place.len();
        place.push('/');
        place.push_str(&name.replace('~', "~0").replace('/', "~1"));
        add_leaves(leaves, place, members);
        place.truncate(length);
    }
}

fn most(columns: u16) -> ColumnConstraint {
    ColumnConstraint::UpperBoundary(Width::Fixed(columns))
}

/// Adds a line for each place in a place; inner places stand under what they lie in, by their last step.
fn add_state(table: &mut Table, place: PlaceView<'_>, depth: usize, values: Values) {
    for child in place.children() {
        let is_field = child.part().is_field();
        let (held, baseline) = (child.masked_value(), child.masked_baseline());
        let is_folded = !is_field && is_unchanged(child) && (depth > 0 || has_only_fields(child));
        let entry = match child.part().kind {
            _ if is_field => child.masked_entry().into_owned(),
            _ if is_folded => folded(child, values),
            _ => String::new(),
        };
        let differs = if is_field { child.baseline() != child.value() } else { child.is_dirty() };
        let texts = match values {
            Values::Displayed => {
                let value = match child.part().kind {
                    // The value is not that of the text.
                    _ if is_field && (child.is_unreadable() || child.is_uncommitted()) => {
                        describe::quoted(&entry)
                    }
                    _ if is_field => child.display(),
                    _ if is_folded => entry,
                    Kind::Record(_) if !child.is_absent() => String::new(),
                    _ => describe::value(&held),
                };
                let before = match child.part().kind {
                    Kind::Record(_) => String::new(),
                    _ if differs && is_field && !baseline.is_empty() => child.display_of(&child.baseline()),
                    _ if differs => scalar(&baseline),
                    _ => String::new(),
                };
                if is_field && value == before && is_formatted(&held) && is_formatted(&baseline) {
                    child.part().displayed_apart([&held, &baseline]).to_vec()
                } else {
                    vec![value, before]
                }
            }
            Values::Exact => {
                let value = match child.part().kind {
                    Kind::Record(_) if !child.is_absent() => String::new(),
                    // The entry says the same.
                    _ if is_field && !held.is_empty() && *child.part().edit_text(&held) == *entry => {
                        "=".to_owned()
                    }
                    _ => describe::value(&held),
                };
                let baseline = match child.part().kind {
                    Kind::Record(_) => String::new(),
                    _ if differs => scalar(&baseline),
                    _ => String::new(),
                };
                vec![entry, value, baseline]
            }
        };
        let marks = describe::marks(child);
        let (findings, hidden): (Vec<_>, Vec<_>) =
            child.findings().into_iter().partition(|finding| finding.is_shown);
        let messages = findings.into_iter().map(|finding| finding.message);
        let messages = messages.chain(hidden.into_iter().map(|finding| format!("({})", finding.message)));
        let pointer = child.pointer();
        let last = pointer.as_str().rfind('/').map_or("", |at| &pointer.as_str()[at..]);
        let name = format!("{:1$}{last}", "", depth * 2);
        let name = cell(&name);
        let mut row = vec![if is_field { name } else { name.add_attribute(Attribute::Bold) }];
        row.extend(texts.iter().map(|text| cell(text)));
        row.push(cell(&marks.join(" ")));
        let findings = cell(&messages.collect::<Vec<_>>().join(" "));
        row.push(if child.is_valid() { findings } else { findings.fg(Color::Red) });
        table.add_row(row);
        if !is_folded {
            add_state(table, child, depth + 1, values);
        }
    }
}

/// Returns whether nothing is remarkable about a place or anything in it.
fn is_unchanged(place: PlaceView<'_>) -> bool {
    describe::marks(place).is_empty()
        && place.is_valid()
        && (!place.part().is_field() || *place.entry() == *place.value().to_text())
        && place.children().all(is_unchanged)
}

fn has_only_fields(place: PlaceView<'_>) -> bool {
    place.children().all(|child| child.part().is_field())
}

/// The values in a place, on one line.
fn folded(place: PlaceView<'_>, values: Values) -> String {
    let texts = place.children().map(|child| match values {
        _ if !child.part().is_field() => folded(child, values),
        Values::Displayed => child.display(),
        Values::Exact => child.masked_entry().into_owned(),
    });
    let texts: Vec<String> = texts.filter(|text| !text.is_empty()).collect();
    texts.join(" · ")
}

fn scalar(value: &Value) -> String {
    match value {
        Value::Text(text) if !text.is_empty() => text.to_string(),
        other => describe::value(other),
    }
}

/// The places of a form, with their labels, types, constraints and rules.
pub(crate) fn outline(compiled: &CompiledSchema) -> String {
    let mut table = table(&["Place", "Label", "Type", "Constraints, rules and format"]);
    let mut open = Vec::new();
    add_outline(&mut table, compiled, compiled.schema().root(), "", &mut open);
    // Formulas need the room.
    for (column, widest) in [(0, 36), (1, 20), (2, 17)] {
        if let Some(column) = table.column_mut(column) {
            column.set_constraint(most(widest));
        }
    }
    drawn(&table)
}

/// The dependencies of each place, and the places that depend on it.
pub(crate) fn graph(nodes: &[(String, GraphNode)]) -> String {
    let mut table = table(&["Place", "Formulas", "Depends on", "Read by"]);
    for (name, node) in nodes {
        let name = cell(describe::place(name));
        table.add_row(vec![name, lines(&node.formulas), lines(&node.reads), lines(&node.read_by)]);
    }
    drawn(&table)
}

/// A formula as it is shown beside its place.
fn rule(formula: &FormulaInfo) -> String {
    let text = formula.text();
    match formula.key() {
        "calculate" => format!("= {text}"),
        "suggest" => format!("suggested: {text}"),
        "counterpart" => format!("or = {text}"),
        "constraint" => format!("must hold: {text}"),
        "relevant" => format!("relevant if {text}"),
        "required" => format!("required if {text}"),
        "readonly" => format!("read-only if {text}"),
        "minimum" => format!("at least {text}"),
        "maximum" => format!("at most {text}"),
        _ => format!("one of {text}"),
    }
}

/// Adds a row for everything in a part. A record that contains its own type is reported once.
fn add_outline(
    table: &mut Table,
    compiled: &CompiledSchema,
    id: PartId,
    pointer: &str,
    open: &mut Vec<String>,
) {
    let schema = compiled.schema();
    match schema.part(id).kind {
        Kind::Record(record) => {
            let this = format!("{record:?}");
            if open.contains(&this) {
                table.add_row(vec![cell(&format!("{pointer}/…")), cell(""), cell("the same again")]);
                return;
            }
            open.push(this);
            for (name, field) in schema.fields(record) {
                add_part(table, compiled, field, &format!("{pointer}/{name}"), None, open);
            }
            let tag = schema.fields(record).next().map(|(name, _)| name).unwrap_or_default();
            for variant in schema.variants(record) {
                let while_chosen = format!("only if {tag} is {}", variant.tag().to_text());
                for (name, field) in schema.fields(variant.fields()) {
                    add_part(table, compiled, field, &format!("{pointer}/{name}"), Some(&while_chosen), open);
                }
            }
            open.pop();
        }
        Kind::List(list) => add_part(table, compiled, schema.item(list), &format!("{pointer}/*"), None, open),
        _ => {}
    }
}

fn add_part(
    table: &mut Table,
    compiled: &CompiledSchema,
    id: PartId,
    pointer: &str,
    condition: Option<&str>,
    open: &mut Vec<String>,
) {
    const DEEPEST: usize = 12;
    let schema = compiled.schema();
    let part = schema.part(id);
    let name = cell(pointer);
    table.add_row(vec![
        if part.is_field() { name } else { name.add_attribute(Attribute::Bold) },
        cell(part.label.as_deref().unwrap_or_default()),
        cell(&what(part)),
        lines(keeps_to(compiled, id, condition)).set_alignment(CellAlignment::Left),
    ]);
    // Lists of lists of themselves have no record to know them by.
    if pointer.matches('/').count() < DEEPEST {
        add_outline(table, compiled, id, pointer, open);
    }
}

fn what(part: &Part) -> String {
    let kind = match &part.kind {
        Kind::Text => "text",
        Kind::Integer => "integer",
        Kind::Decimal => "decimal",
        Kind::Flag => "flag",
        Kind::Date => "date",
        Kind::Time => "time",
        Kind::DateTime(_) => "date and time",
        Kind::Choice(_) => "choice",
        Kind::Record(_) => "record",
        Kind::List(_) => "list",
        _ => "other",
    };
    if part.nullable { format!("{kind} or null") } else { kind.to_owned() }
}

/// The constraints of a place on one line, and a line for each of its rules.
fn keeps_to(compiled: &CompiledSchema, id: PartId, condition: Option<&str>) -> Vec<String> {
    let schema = compiled.schema();
    let part = schema.part(id);
    let constraints = &part.constraints;
    let mut words: Vec<String> = condition.map(str::to_owned).into_iter().collect();
    if part.is_required() {
        let is_flag = matches!(part.kind, Kind::Flag);
        words.push(if is_flag { "must be ticked" } else { "required" }.to_owned());
    }
    if let Kind::Choice(choices) = &part.kind {
        // The choices would reveal the secret.
        let count = describe::counted(choices.iter().len(), "choice");
        words.push(if part.secret { format!("one of {count}") } else { format!("one of {choices}") });
    }
    let counted =
        |count: u64, noun: &str| describe::counted(usize::try_from(count).unwrap_or(usize::MAX), noun);
    let length = |least: Option<u64>, most: Option<u64>, noun: &str| match (least, most) {
        (Some(least), Some(most)) if least == most => Some(counted(least, noun)),
        (Some(least), Some(most)) => Some(format!("{least} to {}", counted(most, noun))),
        (Some(least), None) => Some(format!("at least {}", counted(least, noun))),
        (None, Some(most)) => Some(format!("at most {}", counted(most, noun))),
        (None, None) => None,
    };
    words.extend(length(constraints.min_length, constraints.max_length, "character"));
    words.extend(length(constraints.min_items, constraints.max_items, "row"));
    if constraints.unique_items {
        words.push("no two rows the same".to_owned());
    }
    let bounds = [
        ("at least", constraints.minimum),
        ("more than", constraints.exclusive_minimum),
        ("at most", constraints.maximum),
        ("less than", constraints.exclusive_maximum),
        ("a multiple of", constraints.multiple_of),
    ];
    for (word, bound) in bounds {
        words.extend(bound.map(|bound| format!("{word} {}", ricordo::value::write_number(bound))));
    }
    words.extend(
        constraints.step.map(|step| format!("in steps of {}", ricordo::value::write_number(step.get()))),
    );
    for (word, bound) in [("from", &constraints.earliest), ("until", &constraints.latest)] {
        words.extend(bound.as_ref().map(|bound| format!("{word} {}", bound.to_text())));
    }
    words.extend(constraints.format.map(|format| {
        match format.name() {
            "email" => "an email address",
            "url" => "a web address",
            "uri" => "a URI",
            _ => "a text of a certain format",
        }
        .to_owned()
    }));
    words.extend(constraints.pattern.as_ref().map(|pattern| format!("matches {}", pattern.as_str())));
    let said = [
        (part.readonly, "read-only"),
        (part.secret, "a secret"),
        (part.local, "beside the record"),
        (part.trim, "white space around it is trimmed"),
        (part.commit == Commit::Leave, "committed on leaving"),
        (part.reveal == Reveal::Always, "findings shown at once"),
        (part.reveal == Reveal::Submit, "findings shown once a submit was tried"),
    ];
    words.extend(said.into_iter().filter(|(is_so, _)| *is_so).map(|(_, word)| word.to_owned()));
    if let Commit::Pause(pause) = part.commit {
        words.push(format!("committed after a pause of {} ms", pause.as_millis()));
    }
    words.extend(part.deferred.iter().map(|deferred| format!("checked by {}", deferred.check)));
    words.extend(part.display.as_ref().map(shown_as));
    if let Some(default) = &part.default {
        words.push(format!("new: {}", describe::value(&schema.masked_value(id, default))));
    }
    let rules = compiled.formulas().iter().filter(|formula| formula.part() == id).map(rule);
    let words = if words.is_empty() { Vec::new() } else { vec![words.join(", ")] };
    words.into_iter().chain(rules).collect()
}

fn shown_as(format: &DisplayFormat) -> String {
    let NumberFormat { decimals, grouping, decimal_comma, .. } = match format {
        DisplayFormat::Number(format) => *format,
        DisplayFormat::Pattern(pattern) => return format!("shown as {pattern}"),
        _ => return String::new(),
    };
    let mut words = Vec::new();
    words.extend(decimals.map(|decimals| describe::counted(decimals as usize, "decimal")));
    words.extend(grouping.then(|| "groups of three digits".to_owned()));
    words.extend(decimal_comma.then(|| "a decimal comma".to_owned()));
    format!("shown with {}", words.join(" and "))
}
