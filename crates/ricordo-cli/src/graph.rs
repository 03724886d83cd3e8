//! What depends on what in a form, by the formulas of its definition.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::fmt::Write;

use ricordo::engine::CompiledSchema;
use ricordo::schema::{Kind, PartId};

/// The formulas of a place, what they read, and what reads the place.
#[derive(Debug, Default)]
pub(crate) struct Node {
    pub(crate) formulas: Vec<String>,
    pub(crate) reads: BTreeSet<String>,
    pub(crate) read_by: BTreeSet<String>,
}

/// The places that a formula is about, or that one reads, in the order of the form.
pub(crate) fn nodes(schema: &CompiledSchema) -> Vec<(String, Node)> {
    let pointers = schema.schema().pointers();
    let name = |part| pointers.get(&part).map(ToString::to_string).unwrap_or_default();
    let mut nodes: HashMap<String, Node> = HashMap::new();
    for formula in schema.formulas() {
        let place = name(formula.part());
        let all: BTreeSet<String> = formula.reads().map(name).collect();
        // Of a list or record, only what is read in it is listed.
        let lies_in =
            |inner: &str, outer: &str| inner.strip_prefix(outer).is_some_and(|rest| rest.starts_with('/'));
        let is_around = |read: &String| all.iter().any(|inner| lies_in(inner, read));
        let node = nodes.entry(place.clone()).or_default();
        node.formulas.push(format!("{}: {}", formula.key(), formula.text()));
        for read in all.iter().filter(|read| !is_around(read)) {
            nodes.entry(place.clone()).or_default().reads.insert(read.clone());
            nodes.entry(read.clone()).or_default().read_by.insert(place.clone());
        }
    }
    let ordered = in_order(schema).into_iter().map(name);
    ordered.filter_map(|name| Some((name.clone(), nodes.remove(&name)?))).collect()
}

/// The fields that no formula reads, and that have no label by which a screen could show them.
pub(crate) fn unused(schema: &CompiledSchema) -> Vec<String> {
    let pointers = schema.schema().pointers();
    let read: HashSet<PartId> = schema.formulas().iter().flat_map(|formula| formula.reads()).collect();
    let is_unused = |part: &PartId| {
        let of = schema.schema().part(*part);
        of.is_field() && of.label.is_none() && !read.contains(part) && !is_item(schema, *part)
    };
    let unused = in_order(schema).into_iter().filter(is_unused);
    unused.filter_map(|part| pointers.get(&part).map(ToString::to_string)).collect()
}

/// Whether a part is that of the rows of a list, which are shown with the list.
fn is_item(schema: &CompiledSchema, part: PartId) -> bool {
    let pointers = schema.schema().pointers();
    pointers.get(&part).is_some_and(|pointer| pointer.as_str().ends_with("/-"))
}

/// All parts, each after what it lies in and what stands before it.
fn in_order(schema: &CompiledSchema) -> Vec<PartId> {
    let schema = schema.schema();
    let (mut order, mut seen, mut rest) = (Vec::new(), HashSet::new(), vec![schema.root()]);
    while let Some(part) = rest.pop() {
        if !seen.insert(part) {
            continue;
        }
        order.push(part);
        match schema.part(part).kind {
            Kind::Record(record) => {
                let variants = schema.variants(record).iter().map(|variant| schema.fields(variant.fields()));
                let fields = schema.fields(record).chain(variants.flatten()).map(|(_, field)| field);
                let fields: Vec<PartId> = fields.collect();
                rest.extend(fields.into_iter().rev());
            }
            Kind::List(list) => rest.push(schema.item(list)),
            _ => {}
        }
    }
    order
}

/// The graph in DOT: an arrow leads from what is read to what reads it.
pub(crate) fn dot(schema: &CompiledSchema) -> String {
    let quoted = |text: &str| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
    let mut dot = "digraph form {\n  rankdir=LR;\n  node [shape=box];\n".to_owned();
    for (name, node) in nodes(schema) {
        // Writing to a string does not fail.
        if let [first, ..] = &node.formulas[..] {
            let _ = writeln!(dot, "  {} [tooltip={}];", quoted(&name), quoted(first));
        }
        for reader in &node.read_by {
            let _ = writeln!(dot, "  {} -> {};", quoted(&name), quoted(reader));
        }
    }
    dot + "}"
}
