//! The references between the functions and constants of a module, as its linker describes them.
//!
//! `wasm-opt` keeps every function that stands in the table, and all data, since it cannot know which number is an address. The
//! linker does: with `--emit-relocs` a module says where each address comes from
//! (<https://github.com/WebAssembly/tool-conventions/blob/main/Linking.md>).

use std::collections::HashSet;
use std::error::Error;
use std::ops::Range;

use wasmparser::{
    DataKind, FunctionBody, KnownCustom, Linking, LinkingSectionReader, Operator, Parser, Payload,
    RelocSectionReader, RelocationType, SymbolInfo,
};

/// The size of a position in a source file, in bytes.
const LOCATION: usize = 16;

/// A function or a constant.
#[derive(Clone, Copy, PartialEq, Eq, Hash)]
pub(crate) enum Item {
    Function(usize),
    Constant(usize),
}

/// A reference in a module: its position, and its symbol.
struct Reference {
    at: usize,
    symbol: usize,
}

/// A module as the linker describes it.
#[derive(Default)]
pub(crate) struct Linked {
    /// The positions of the code of the functions that the module defines, in their order.
    pub(crate) code: Vec<Range<usize>>,
    /// The stretches of code that only lead to a trap.
    last_words: Vec<Range<usize>>,
    pub(crate) imported: usize,
    pub(crate) exported: Vec<usize>,
    symbols: Vec<Option<Item>>,
    /// The positions of the constants in the module.
    pub(crate) constants: Vec<Range<usize>>,
    /// The addresses of the constants in memory.
    pub(crate) addresses: Vec<u32>,
    in_code: Vec<Reference>,
    in_data: Vec<Reference>,
}

/// The references in a stretch of a module; they come in the order in which they stand.
fn within<'a>(references: &'a [Reference], stretch: &Range<usize>) -> &'a [Reference] {
    let first = references.partition_point(|reference| reference.at < stretch.start);
    let end = references.partition_point(|reference| reference.at < stretch.end);
    &references[first..end]
}

/// Returns whether a position is in one of these stretches, which come in order.
fn is_within(stretches: &[Range<usize>], at: usize) -> bool {
    let next = stretches.partition_point(|stretch| stretch.end <= at);
    stretches.get(next).is_some_and(|stretch| stretch.contains(&at))
}

/// Finds the instructions that only prepare the call of a function that traps: the straight line of code before the call. Nobody
/// reads what they leave behind.
fn last_words(body: &FunctionBody<'_>, ended: &HashSet<usize>) -> wasmparser::Result<Vec<Range<usize>>> {
    let mut stretches = Vec::new();
    let mut start = None;
    for operator in body.get_operators_reader()?.into_iter_with_offsets() {
        let (operator, at) = operator?;
        match operator {
            Operator::Call { function_index } => {
                if ended.contains(&(function_index as usize)) {
                    stretches.extend(start.map(|start| start..at));
                }
                start = None;
            }
            Operator::Block { .. }
            | Operator::Loop { .. }
            | Operator::If { .. }
            | Operator::Else
            | Operator::End
            | Operator::Br { .. }
            | Operator::BrIf { .. }
            | Operator::BrTable { .. }
            | Operator::Return
            | Operator::Unreachable
            | Operator::CallIndirect { .. } => start = None,
            _ => start = start.or(Some(at)),
        }
    }
    Ok(stretches)
}

impl Linked {
    /// Returns whether an item is a position in a source file, which only panics read: the name of the file, a line and a column.
    fn is_location(&self, module: &[u8], item: Item) -> bool {
        let Item::Constant(index) = item else { return false };
        let stretch = &self.constants[index];
        let [name] = within(&self.in_data, stretch) else { return false };
        let Some(Item::Constant(name)) = self.symbols[name.symbol] else { return false };
        // Some compilers end the name with a zero.
        let name = &module[self.constants[name].clone()];
        stretch.len() == LOCATION && (name.ends_with(b".rs") || name.ends_with(b".rs\0"))
    }

    /// Returns whether the linker has described the module.
    pub(crate) fn is_described(&self) -> bool {
        !self.symbols.is_empty()
    }

    /// Collects the functions and constants that the exports reach without going through a function of `cut`.
    pub(crate) fn reach(&self, module: &[u8], ended: &HashSet<usize>, cut: &HashSet<usize>) -> HashSet<Item> {
        let roots = self.exported.iter().filter(|index| !cut.contains(index));
        let mut reached: HashSet<Item> = roots.map(|index| Item::Function(*index)).collect();
        let mut rest: Vec<Item> = reached.iter().copied().collect();
        while let Some(item) = rest.pop() {
            let references = match item {
                Item::Function(index) if ended.contains(&index) => continue,
                Item::Function(index) => match index.checked_sub(self.imported) {
                    Some(defined) => within(&self.in_code, &self.code[defined]),
                    None => continue,
                },
                Item::Constant(index) => within(&self.in_data, &self.constants[index]),
            };
            for reference in references.iter().filter(|reference| !is_within(&self.last_words, reference.at))
            {
                let Some(item) = self.symbols[reference.symbol] else { continue };
                let is_cut = matches!(item, Item::Function(index) if cut.contains(&index));
                if !is_cut && !self.is_location(module, item) && reached.insert(item) {
                    rest.push(item);
                }
            }
        }
        reached
    }

    /// Reads a module whose `ended` functions trap at once.
    pub(crate) fn read(module: &[u8], ended: &HashSet<usize>) -> Result<Self, Box<dyn Error>> {
        let mut linked = Linked::default();
        let (mut sections, mut code, mut data) = (0, None, None);
        let mut segments: Vec<(usize, u32)> = Vec::new();
        let mut symbols = Vec::new();
        for payload in Parser::new(0).parse_all(module) {
            let payload = payload?;
            match &payload {
                Payload::ImportSection(imports) => {
                    for import in imports.clone().into_imports() {
                        linked.imported += usize::from(matches!(import?.ty, wasmparser::TypeRef::Func(_)));
                    }
                }
                Payload::ExportSection(exports) => {
                    for export in exports.clone() {
                        let export = export?;
                        if export.kind == wasmparser::ExternalKind::Func {
                            linked.exported.push(export.index as usize);
                        }
                    }
                }
                Payload::StartSection { func, .. } => linked.exported.push(*func as usize),
                Payload::CodeSectionStart { range, .. } => code = Some((sections, range.start)),
                Payload::CodeSectionEntry(body) => {
                    linked.code.push(body.range());
                    linked.last_words.extend(last_words(body, ended)?);
                }
                Payload::DataSection(section) => {
                    data = Some((sections, section.range().start));
                    for segment in section.clone() {
                        let segment = segment?;
                        let address = match &segment.kind {
                            DataKind::Active { offset_expr, .. } => {
                                offset_expr.get_operators_reader().read()?
                            }
                            DataKind::Passive => return Err("the module has data without an address".into()),
                        };
                        let Operator::I32Const { value } = address else {
                            return Err("the address of data is not a number".into());
                        };
                        segments.push((segment.range.end - segment.data.len(), value.cast_unsigned()));
                    }
                }
                Payload::CustomSection(custom) => match custom.as_known() {
                    KnownCustom::Linking(linking) => symbols = symbols_of(&linking)?,
                    KnownCustom::Reloc(relocations) => {
                        let of = |section: Option<(u32, usize)>| {
                            section.filter(|(index, _)| *index == relocations.section_index())
                        };
                        if let Some((_, start)) = of(code) {
                            linked.in_code = references(&relocations, start)?;
                        } else if let Some((_, start)) = of(data) {
                            linked.in_data = references(&relocations, start)?;
                        }
                    }
                    _ => {}
                },
                _ => {}
            }
            sections += u32::from(payload.as_section().is_some());
        }
        for symbol in symbols {
            let item = match symbol {
                Symbol::Function(index) => Some(Item::Function(index)),
                // What is zero at first is not in the module.
                Symbol::Constant { segment, offset, size } => {
                    segments.get(segment).map(|(start, address)| {
                        linked.constants.push(start + offset..start + offset + size);
                        linked.addresses.push(address + u32::try_from(offset).unwrap_or_default());
                        Item::Constant(linked.constants.len() - 1)
                    })
                }
                Symbol::Other => None,
            };
            linked.symbols.push(item);
        }
        Ok(linked)
    }
}

enum Symbol {
    Function(usize),
    Constant { segment: usize, offset: usize, size: usize },
    Other,
}

fn symbols_of(linking: &LinkingSectionReader<'_>) -> Result<Vec<Symbol>, Box<dyn Error>> {
    let mut symbols = Vec::new();
    for subsection in linking.subsections() {
        let Linking::SymbolTable(table) = subsection? else { continue };
        for symbol in table {
            symbols.push(match symbol? {
                SymbolInfo::Func { index, .. } => Symbol::Function(index as usize),
                SymbolInfo::Data { symbol: Some(data), .. } => Symbol::Constant {
                    segment: data.index as usize,
                    offset: data.offset as usize,
                    size: data.size as usize,
                },
                _ => Symbol::Other,
            });
        }
    }
    Ok(symbols)
}

/// The references to symbols in a section that begins at a position.
fn references(relocations: &RelocSectionReader<'_>, start: usize) -> Result<Vec<Reference>, Box<dyn Error>> {
    let mut references = Vec::new();
    for relocation in relocations.entries() {
        let relocation = relocation?;
        // A type has no symbol.
        if relocation.ty != RelocationType::TypeIndexLeb {
            references.push(Reference {
                at: start + relocation.offset as usize,
                symbol: relocation.index as usize,
            });
        }
    }
    references.sort_by_key(|reference| reference.at);
    Ok(references)
}
