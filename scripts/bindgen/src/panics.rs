//! Panics without messages.
//!
//! A panic ends a module with a trap. Before that it formats a message, which nobody reads in a page that its users see, and the
//! code for all messages is a thirtieth of the page. Here the functions that begin a panic trap at once; what only they
//! reached is [unused], and `wasm-opt` removes it.

use std::collections::HashSet;
use std::error::Error;

use rustc_demangle::demangle;
use walrus::{FunctionBuilder, FunctionId, FunctionKind, Module, ModuleConfig};

use crate::unused;

/// The beginnings of the names of functions of the standard library that never return. Others of `std::panicking` do: those that
/// catch a panic are called on the way of a program that goes on.
const FUNCTIONS: [&str; 21] = [
    "core::panicking::",
    "core::option::unwrap_failed",
    "core::option::expect_failed",
    "core::result::unwrap_failed",
    "core::slice::index::slice_index_fail",
    "core::slice::index::slice_start_index_len_fail",
    "core::slice::index::slice_end_index_len_fail",
    "core::slice::index::slice_index_order_fail",
    "core::str::slice_error_fail",
    "core::cell::panic_already_borrowed",
    "core::cell::panic_already_mutably_borrowed",
    "core::alloc::layout::Layout::is_size_align_valid::panic",
    "alloc::alloc::handle_alloc_error",
    "alloc::raw_vec::handle_error",
    "alloc::raw_vec::capacity_overflow",
    "alloc::vec::Vec<T,A>::remove::assert_failed",
    "alloc::vec::Vec<T,A>::insert::assert_failed",
    "std::panicking::begin_panic",
    "std::panicking::panic_handler",
    "std::panicking::panic_with_hook",
    "std::panicking::rust_panic",
];

/// Parses a module, and lets its panics trap at once.
///
/// # Errors
///
/// Fails if there are none, or if the module has no names.
pub(crate) fn without(bytes: &mut [u8]) -> Result<Module, Box<dyn Error>> {
    let begin_panics = functions(&parse(bytes)?);
    if begin_panics.is_empty() {
        return Err("the module has no panics, or no names".into());
    }
    let unused = unused::find(bytes, &begin_panics)?;
    // Memory is zero before the data is put in, so zeros need not be kept.
    unused.bytes.iter().for_each(|at| bytes[*at] = 0);
    let mut module = parse(bytes)?;
    let ended = &begin_panics | &unused.functions;
    let functions = module.funcs.iter().zip(0..).filter(|(_, index)| ended.contains(index));
    let functions: Vec<FunctionId> = functions.map(|(function, _)| function.id()).collect();
    trap(&mut module, &functions);
    Ok(module)
}

/// The functions of a module that begin a panic, by their indexes.
pub(crate) fn functions(module: &Module) -> HashSet<usize> {
    let functions = module.funcs.iter().zip(0..);
    functions
        .filter(|(function, _)| matches!(function.kind, FunctionKind::Local(_)))
        .filter(|(function, _)| function.name.as_deref().is_some_and(begins_panic))
        .map(|(_, index)| index)
        .collect()
}

/// Lets functions trap at once.
pub(crate) fn trap(module: &mut Module, functions: &[FunctionId]) {
    for id in functions {
        let ty = module.funcs.get(*id).ty();
        let (parameters, results) = (module.types.params(ty).to_vec(), module.types.results(ty).to_vec());
        let arguments = parameters.iter().map(|parameter| module.locals.add(*parameter)).collect();
        let mut body = FunctionBuilder::new(&mut module.types, &parameters, &results);
        body.func_body().unreachable();
        module.funcs.get_mut(*id).kind = FunctionKind::Local(body.local_func(arguments));
    }
}

/// Parses a module, without the sections of the linker, which no longer hold once it changes.
pub(crate) fn parse(bytes: &[u8]) -> Result<Module, Box<dyn Error>> {
    let mut module = ModuleConfig::new().generate_name_section(true).parse(bytes)?;
    let of_linker = |name: &str| name == "linking" || name.starts_with("reloc.");
    let ids: Vec<_> =
        module.customs.iter().filter(|(_, custom)| of_linker(custom.name())).map(|(id, _)| id).collect();
    ids.into_iter().for_each(|id| drop(module.customs.delete(id)));
    Ok(module)
}

fn begins_panic(name: &str) -> bool {
    let name = format!("{:#}", demangle(name));
    FUNCTIONS.iter().any(|function| name.starts_with(function))
}
