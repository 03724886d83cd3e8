//! Panics without messages.
//!
//! A panic ends a module with a trap. Before that it formats a message, which nobody reads in a page that its users see, and the
//! code for all messages is a thirtieth of the page. Here the functions that begin a panic trap at once; what only they
//! reached is then removed by `wasm-opt`.

use rustc_demangle::demangle;
use walrus::{FunctionBuilder, FunctionKind, Module};

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

/// Lets panics trap at once. Returns how many functions were replaced; none if the module has no names.
pub(crate) fn stub(module: &mut Module) -> usize {
    let begin_panics: Vec<_> = module
        .funcs
        .iter()
        .filter(|function| matches!(function.kind, FunctionKind::Local(_)))
        .filter(|function| function.name.as_deref().is_some_and(begins_panic))
        .map(|function| (function.id(), function.ty()))
        .collect();
    for (id, ty) in &begin_panics {
        let (parameters, results) = (module.types.params(*ty).to_vec(), module.types.results(*ty).to_vec());
        let arguments = parameters.iter().map(|parameter| module.locals.add(*parameter)).collect();
        let mut body = FunctionBuilder::new(&mut module.types, &parameters, &results);
        body.func_body().unreachable();
        module.funcs.get_mut(*id).kind = FunctionKind::Local(body.local_func(arguments));
    }
    begin_panics.len()
}

fn begins_panic(name: &str) -> bool {
    let name = format!("{:#}", demangle(name));
    FUNCTIONS.iter().any(|function| name.starts_with(function))
}
