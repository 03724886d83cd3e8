//! Makes the files of a page from a WebAssembly module: `bindgen MODULE.wasm FOLDER NAME [--typescript] [--panics]
//! [--apart=FUNCTION]…`, or lets the panics of a module trap at once: `bindgen stub MODULE.wasm STUBBED.wasm`.
//!
//! With `--panics` they keep their messages, for whoever looks for a fault. `--apart` names the beginning of functions whose code,
//! with all that only they reach, goes to a file of its own, `NAME_rest.wasm`.

mod apart;
mod linked;
mod panics;
mod unused;

use std::error::Error;
use std::process::ExitCode;

use wasm_bindgen_cli_support::Bindgen;

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
    let made = match &arguments[..] {
        ["stub", module, stubbed] => stub(module, stubbed),
        [module, folder, name, options @ ..]
            if options.iter().all(|option| {
                ["--typescript", "--panics"].contains(option) || option.starts_with("--apart=")
            }) =>
        {
            generate(module, folder, name, options)
        }
        _ => {
            eprintln!(
                "Usage: bindgen MODULE.wasm FOLDER NAME [--typescript] [--panics] [--apart=FUNCTION]...\n       \
                 bindgen stub MODULE.wasm STUBBED.wasm"
            );
            return ExitCode::from(2);
        }
    };
    match made {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("Error: {error}");
            let causes = std::iter::successors(error.source(), |cause| (*cause).source());
            causes.for_each(|cause| eprintln!("  because {cause}"));
            ExitCode::FAILURE
        }
    }
}

fn stub(module: &str, stubbed: &str) -> Result<(), Box<dyn Error>> {
    panics::without(&mut read(module)?)?.emit_wasm_file(stubbed)?;
    Ok(())
}

fn generate(module: &str, folder: &str, name: &str, options: &[&str]) -> Result<(), Box<dyn Error>> {
    let keeps_panics = options.contains(&"--panics");
    let entries: Vec<&str> = options.iter().filter_map(|option| option.strip_prefix("--apart=")).collect();
    let mut bytes = read(module)?;
    let rest = if entries.is_empty() { None } else { Some(apart::find(&bytes, &entries, keeps_panics)?) };
    let input = if keeps_panics { panics::parse(&bytes)? } else { panics::without(&mut bytes)? };
    Bindgen::new()
        .input_module(name, input)
        .typescript(options.contains(&"--typescript"))
        .omit_default_module_path(false)
        .demangle(rest.is_none())
        .remove_name_section(rest.is_none() && !keeps_panics)
        .remove_producers_section(true)
        .web(true)?
        .generate(folder)?;
    if let Some(rest) = rest {
        let path = format!("{folder}/{name}_bg.wasm");
        let (mut first, mut second) = apart::divide(&read(&path)?, &rest)?;
        first.emit_wasm_file(path)?;
        second.emit_wasm_file(format!("{folder}/{name}_rest.wasm"))?;
    }
    Ok(())
}

fn read(path: &str) -> Result<Vec<u8>, String> {
    std::fs::read(path).map_err(|error| format!("{path}: {error}"))
}
