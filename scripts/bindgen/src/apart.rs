//! Divides a module in two: the first file, which every page loads, and the rest, which a page loads when it needs it.
//!
//! Some functions are named as entries of the rest. The code and data that only these reach move to a second module, which uses the
//! memory, the table and the functions of the first. In the first, an entry calls a slot of the table. Loading the rest fills the
//! slots; until then they throw an error that says so.

use std::collections::{HashMap, HashSet};
use std::error::Error;
use std::ops::Range;

use rustc_demangle::demangle;
use walrus::ir::Value;
use walrus::{
    ConstExpr, DataKind, ElementItems, ElementKind, ExportItem, FunctionBuilder, FunctionId, FunctionKind,
    GlobalKind, ImportedFunction, Module, TableId, passes,
};

use crate::linked::{Item, Linked};
use crate::panics;

/// The name under which the rest imports what the first module exports.
const FIRST: &str = "first";
/// The function that says that the rest is missing.
const MISSING: &str = "restIsMissing";

/// The code and data that move out of a module.
pub(crate) struct Rest {
    /// The names of the functions, which stay when the module is rewritten.
    functions: HashSet<String>,
    /// The constants: their addresses and sizes.
    constants: Vec<(u32, usize)>,
    /// The names of the functions that trap at once: both modules have a copy of them.
    ended: HashSet<String>,
}

/// Finds the code and data that only the entries reach: the functions whose names begin so.
pub(crate) fn find(bytes: &[u8], entries: &[&str], keeps_panics: bool) -> Result<Rest, Box<dyn Error>> {
    let module = panics::parse(bytes)?;
    let names: Vec<String> =
        module.funcs.iter().map(|function| function.name.clone().unwrap_or_default()).collect();
    let ended = if keeps_panics { HashSet::new() } else { panics::functions(&module) };
    let is_entry = |name: &str| {
        let name = format!("{:#}", demangle(name));
        entries.iter().any(|entry| name.starts_with(entry))
    };
    let entries: HashSet<usize> = (0..names.len()).filter(|index| is_entry(&names[*index])).collect();
    let linked = Linked::read(bytes, &ended)?;
    if !linked.is_described() || entries.is_empty() {
        return Err("the module is not linked with --emit-relocs, or has none of the entries".into());
    }
    // wasm-bindgen wraps what is exported, and changes its type.
    if let Some(exported) = linked.exported.iter().find(|index| entries.contains(index)) {
        return Err(format!("{} is exported: name a function that it calls", names[*exported]).into());
    }
    let first = linked.reach(bytes, &ended, &entries);
    let all = linked.reach(bytes, &ended, &HashSet::new());
    let mut is_of_first = vec![false; bytes.len()];
    for item in &first {
        if let Item::Constant(index) = item {
            is_of_first[linked.constants[*index].clone()].fill(true);
        }
    }
    let mut rest = Rest { functions: HashSet::new(), constants: Vec::new(), ended: HashSet::new() };
    rest.ended.extend(ended.iter().map(|index| names[*index].clone()));
    // A name that several functions have tells nothing.
    let mut known: HashMap<&str, usize> = HashMap::new();
    names.iter().for_each(|name| *known.entry(name).or_default() += 1);
    for item in all.difference(&first) {
        match item {
            Item::Function(index) if known[names[*index].as_str()] == 1 && !ended.contains(index) => {
                rest.functions.insert(names[*index].clone());
            }
            Item::Function(_) => {}
            // One constant may lie in another.
            Item::Constant(index) if is_of_first[linked.constants[*index].clone()].contains(&true) => {}
            Item::Constant(index) => {
                rest.constants.push((linked.addresses[*index], linked.constants[*index].len()));
            }
        }
    }
    Ok(rest)
}

/// Divides a module: the first, and the rest.
pub(crate) fn divide(bytes: &[u8], rest: &Rest) -> Result<(Module, Module), Box<dyn Error>> {
    let (mut first, mut second) = (panics::parse(bytes)?, panics::parse(bytes)?);
    let is_of_rest = |module: &Module, id: FunctionId| {
        module.funcs.get(id).name.as_ref().is_some_and(|name| rest.functions.contains(name))
    };
    let table = first.tables.main_function_table()?.ok_or("the module has no table")?;

    // The entries are what the first module still names when nothing of the rest is in it.
    let taken: Vec<FunctionId> =
        first.funcs.iter().map(walrus::Function::id).filter(|id| is_of_rest(&first, *id)).collect();
    panics::trap(&mut first, &taken);
    let mut trial = Module::from_buffer(&first.emit_wasm())?;
    passes::gc::run(&mut trial);
    let left: HashSet<String> = trial.funcs.iter().filter_map(|function| function.name.clone()).collect();
    let name = |id: &FunctionId| first.funcs.get(*id).name.clone().unwrap_or_default();
    let entries: Vec<(FunctionId, String)> =
        taken.iter().map(|id| (*id, name(id))).filter(|(_, name)| left.contains(name)).collect();

    let slots = first.tables.get(table).initial;
    fill_rest(&mut second, rest, &entries, slots)?;
    open_slots(&mut first, table, &entries, slots)?;
    for import in second.imports.iter().filter(|import| import.module == FIRST) {
        export(&mut first, &import.name)?;
    }
    for id in first.data.iter().map(walrus::Data::id).collect::<Vec<_>>() {
        let data = first.data.get_mut(id);
        let Some(start) = address(&data.kind) else { continue };
        for (at, size) in &rest.constants {
            if let Some(constant) = within(&data.value, start, *at, *size) {
                data.value[constant].fill(0);
            }
        }
    }
    passes::gc::run(&mut first);
    Ok((first, second))
}

/// Returns the address of data that has a fixed one.
fn address(kind: &DataKind) -> Option<u32> {
    match kind {
        DataKind::Active { offset: ConstExpr::Value(Value::I32(address)), .. } => {
            Some(address.cast_unsigned())
        }
        DataKind::Active { .. } | DataKind::Passive => None,
    }
}

/// Finds a constant in data that begins at an address.
fn within(data: &[u8], start: u32, at: u32, size: usize) -> Option<Range<usize>> {
    let from = at.checked_sub(start)? as usize;
    (from + size <= data.len()).then_some(from..from + size)
}

/// Turns a whole module into the rest, which imports everything else from the first.
fn fill_rest(
    module: &mut Module,
    rest: &Rest,
    entries: &[(FunctionId, String)],
    slots: u64,
) -> Result<(), Box<dyn Error>> {
    let functions: Vec<_> = module.funcs.iter().map(|function| (function.id(), function.ty())).collect();
    for (at, (id, ty)) in functions.into_iter().enumerate() {
        let function = module.funcs.get(id);
        let stays = |name: &String| rest.functions.contains(name) || rest.ended.contains(name);
        if function.name.as_ref().is_some_and(stays) {
            continue;
        }
        if let FunctionKind::Import(known) = &function.kind {
            let import = module.imports.get_mut(known.import);
            (import.module, import.name) = (FIRST.to_owned(), format!("f{at}"));
            continue;
        }
        let import = module.imports.add(FIRST, &format!("f{at}"), id);
        module.funcs.get_mut(id).kind = FunctionKind::Import(ImportedFunction { import, ty });
    }
    module.start = None;
    for id in module.exports.iter().map(walrus::Export::id).collect::<Vec<_>>() {
        module.exports.delete(id);
    }
    for id in module.elements.iter().map(walrus::Element::id).collect::<Vec<_>>() {
        module.elements.delete(id);
    }
    for (at, id) in module.tables.iter().map(walrus::Table::id).collect::<Vec<_>>().into_iter().enumerate() {
        let import = module.imports.add(FIRST, &format!("t{at}"), id);
        let table = module.tables.get_mut(id);
        table.import = Some(import);
        table.elem_segments.clear();
    }
    for (at, id) in module.globals.iter().map(walrus::Global::id).collect::<Vec<_>>().into_iter().enumerate()
    {
        let import = module.imports.add(FIRST, &format!("g{at}"), id);
        module.globals.get_mut(id).kind = GlobalKind::Import(import);
    }
    let memory = module.memories.iter().next().ok_or("the module has no memory")?.id();
    let import = module.imports.add(FIRST, "memory", memory);
    let mut constants = Vec::new();
    for id in module.data.iter().map(walrus::Data::id).collect::<Vec<_>>() {
        let data = module.data.get(id);
        if let Some(start) = address(&data.kind) {
            let found = |(at, size): &(u32, usize)| {
                Some((*at, data.value[within(&data.value, start, *at, *size)?].to_vec()))
            };
            constants.extend(rest.constants.iter().filter_map(found));
        }
        module.data.delete(id);
    }
    let own = module.memories.get_mut(memory);
    own.import = Some(import);
    own.data_segments.clear();
    for (at, value) in joined(constants) {
        let offset = ConstExpr::Value(Value::I32(at.cast_signed()));
        let data = module.data.add(DataKind::Active { memory, offset }, value);
        module.memories.get_mut(memory).data_segments.insert(data);
    }
    let table = module.tables.main_function_table()?.ok_or("the module has no table")?;
    let by_name = |(_, name): &(FunctionId, String)| module.funcs.by_name(name);
    let filled = entries.iter().map(by_name).collect::<Option<Vec<_>>>().ok_or("an entry has no name")?;
    add_slots(module, table, slots, filled);
    passes::gc::run(module);
    Ok(())
}

/// Joins constants that lie side by side, or in each other.
fn joined(mut constants: Vec<(u32, Vec<u8>)>) -> Vec<(u32, Vec<u8>)> {
    constants.sort_by_key(|(at, value)| (*at, value.len()));
    let mut joined: Vec<(u32, Vec<u8>)> = Vec::new();
    for (at, value) in constants {
        match joined.last_mut() {
            Some((start, known)) if at <= *start + known.len() as u32 => {
                let from = (at - *start) as usize;
                let end = from + value.len();
                if end > known.len() {
                    known.resize(end, 0);
                }
                known[from..end].copy_from_slice(&value);
            }
            _ => joined.push((at, value)),
        }
    }
    joined
}

/// Adds slots to a table, with these functions in them.
fn add_slots(module: &mut Module, table: TableId, slots: u64, functions: Vec<FunctionId>) {
    let own = module.tables.get_mut(table);
    own.initial = slots + functions.len() as u64;
    own.maximum = own.maximum.map(|maximum| maximum.max(own.initial));
    let offset = ConstExpr::Value(Value::I32(i32::try_from(slots).unwrap_or(i32::MAX)));
    let element =
        module.elements.add(ElementKind::Active { table, offset }, ElementItems::Functions(functions));
    module.tables.get_mut(table).elem_segments.insert(element);
}

/// Lets the entries of the first module call slots of its table, which say that the rest is missing.
fn open_slots(
    module: &mut Module,
    table: TableId,
    entries: &[(FunctionId, String)],
    slots: u64,
) -> Result<(), Box<dyn Error>> {
    let missing =
        module.exports.get_func(MISSING).map_err(|_| format!("the module exports no function {MISSING}"))?;
    let mut stubs = HashMap::new();
    let mut stubs_of_slots = Vec::new();
    for (at, (id, _)) in entries.iter().enumerate() {
        let ty = module.funcs.get(*id).ty();
        let (parameters, results) = (module.types.params(ty).to_vec(), module.types.results(ty).to_vec());
        let stub = *stubs.entry(ty).or_insert_with(|| {
            let arguments = parameters.iter().map(|parameter| module.locals.add(*parameter)).collect();
            let mut body = FunctionBuilder::new(&mut module.types, &parameters, &results);
            body.func_body().call(missing).unreachable();
            body.finish(arguments, &mut module.funcs)
        });
        stubs_of_slots.push(stub);
        let arguments: Vec<_> = parameters.iter().map(|parameter| module.locals.add(*parameter)).collect();
        let mut body = FunctionBuilder::new(&mut module.types, &parameters, &results);
        let mut code = body.func_body();
        for argument in &arguments {
            code.local_get(*argument);
        }
        code.i32_const(i32::try_from(slots)? + i32::try_from(at)?).call_indirect(ty, table);
        module.funcs.get_mut(*id).kind = FunctionKind::Local(body.local_func(arguments));
    }
    add_slots(module, table, slots, stubs_of_slots);
    Ok(())
}

/// Exports what the rest imports.
fn export(module: &mut Module, name: &str) -> Result<(), Box<dyn Error>> {
    if name == "memory" {
        // It is exported already.
        return Ok(());
    }
    let (kind, at) = name.split_at(1);
    let at: usize = at.parse()?;
    let item: Option<ExportItem> = match kind {
        "f" => module.funcs.iter().nth(at).map(|function| function.id().into()),
        "t" => module.tables.iter().nth(at).map(|table| table.id().into()),
        "g" => module.globals.iter().nth(at).map(|global| global.id().into()),
        _ => None,
    };
    module.exports.add(name, item.ok_or("the rest imports what is not there")?);
    Ok(())
}
