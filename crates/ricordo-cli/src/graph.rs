//! The dependencies between the places of a form, from the formulas of its definition.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::fmt::Write;

use ricordo::engine::{CompiledSchema, FormulaInfo};
use ricordo::schema::{Kind, PartId};

use crate::screen::plain;

/// The formulas of a place, what they read, and what reads the place.
#[derive(Debug, Default)]
pub(crate) struct GraphNode {
    pub(crate) formulas: Vec<String>,
    pub(crate) reads: BTreeSet<String>,
    pub(crate) read_by: BTreeSet<String>,
    /// Those of them that take a value from it; the others only check or decide.
    computed_from_it: BTreeSet<String>,
}

/// The places that a formula is about, or that one reads, in the order of the form.
pub(crate) fn nodes(schema: &CompiledSchema) -> Vec<(String, GraphNode)> {
    let names = names(schema);
    let of_part: HashMap<PartId, &str> = names.iter().map(|(part, name)| (*part, &**name)).collect();
    let name = |part| of_part.get(&part).copied().unwrap_or_default().to_owned();
    let mut nodes: HashMap<String, GraphNode> = HashMap::new();
    for formula in schema.formulas() {
        let place = name(formula.part());
        let all: BTreeSet<String> = formula.reads().map(name).collect();
        // Of a list or record, only what is read in it is listed.
        let lies_in =
            |inner: &str, outer: &str| inner.strip_prefix(outer).is_some_and(|rest| rest.starts_with('/'));
        let is_around = |read: &String| all.iter().any(|inner| lies_in(inner, read));
        let node = nodes.entry(place.clone()).or_default();
        node.formulas.push(format!("{}: {}", formula.key(), formula.text()));
        let computes = matches!(formula.key(), "calculate" | "suggest" | "counterpart");
        // That a constraint reads the place that it is about goes without saying.
        for read in all.iter().filter(|read| !is_around(read) && **read != place) {
            nodes.entry(place.clone()).or_default().reads.insert(read.clone());
            let node = nodes.entry(read.clone()).or_default();
            node.read_by.insert(place.clone());
            if computes {
                node.computed_from_it.insert(place.clone());
            }
        }
    }
    names.into_iter().filter_map(|(_, name)| nodes.remove(&name).map(|node| (name, node))).collect()
}

/// The fields that no formula reads, and that have no label by which a screen could show them.
pub(crate) fn unused(schema: &CompiledSchema) -> Vec<String> {
    let read: HashSet<PartId> = schema.formulas().iter().flat_map(FormulaInfo::reads).collect();
    let is_unused = |part: PartId, name: &str| {
        let of = schema.schema().part(part);
        // The rows of a list are shown with the list.
        of.is_field() && of.label.is_none() && !read.contains(&part) && !name.ends_with("/*")
    };
    let names = names(schema).into_iter().filter(|(part, name)| is_unused(*part, name));
    names.map(|(_, name)| name).collect()
}

/// All parts with a pointer to them, in which `*` is any row, each after what it lies in and what stands
/// before it. A record that contains its own type is listed once.
fn names(schema: &CompiledSchema) -> Vec<(PartId, String)> {
    let schema = schema.schema();
    let (mut names, mut seen, mut rest) = (Vec::new(), HashSet::new(), vec![(schema.root(), String::new())]);
    while let Some((part, name)) = rest.pop() {
        if !seen.insert(part) {
            continue;
        }
        match schema.part(part).kind {
            Kind::Record(record) => {
                let variants = schema.variants(record).iter().map(|variant| schema.fields(variant.fields()));
                let fields = schema.fields(record).chain(variants.flatten());
                let fields: Vec<_> = fields.map(|(field, part)| (part, format!("{name}/{field}"))).collect();
                rest.extend(fields.into_iter().rev());
            }
            Kind::List(list) => rest.push((schema.item(list), format!("{name}/*"))),
            _ => {}
        }
        names.push((part, name));
    }
    names
}

/// The graph in DOT: an arrow leads from what is read to what reads it, dashed where that only checks or decides.
pub(crate) fn dot(schema: &CompiledSchema) -> String {
    let quoted = |text: &str| format!("\"{}\"", plain(text).replace('\\', "\\\\").replace('"', "\\\""));
    let mut dot = "digraph form {\n  rankdir=LR;\n  node [shape=box];\n".to_owned();
    for (name, node) in nodes(schema) {
        // Writing to a string does not fail.
        if !node.formulas.is_empty() {
            let _ = writeln!(dot, "  {} [tooltip={}];", quoted(&name), quoted(&node.formulas.join("; ")));
        }
        for reader in &node.read_by {
            let style = if node.computed_from_it.contains(reader) { "" } else { " [style=dashed]" };
            let _ = writeln!(dot, "  {} -> {}{style};", quoted(&name), quoted(reader));
        }
    }
    dot + "}"
}
