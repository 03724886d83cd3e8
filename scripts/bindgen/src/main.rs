//! Makes the files of a page from a WebAssembly module: `bindgen MODULE.wasm FOLDER NAME [--typescript] [--panics]`, or lets the
//! panics of a module trap at once: `bindgen stub MODULE.wasm STUBBED.wasm`.
//!
//! With `--panics` they keep their messages, for whoever looks for a fault.

mod panics;

use std::error::Error;
use std::process::ExitCode;

use walrus::{Module, ModuleConfig};
use wasm_bindgen_cli_support::Bindgen;

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
    let made = match &arguments[..] {
        ["stub", module, stubbed] => stub(module, stubbed),
        [module, folder, name, options @ ..]
            if options.iter().all(|option| ["--typescript", "--panics"].contains(option)) =>
        {
            generate(module, folder, name, options)
        }
        _ => {
            eprintln!(
                "Usage: bindgen MODULE.wasm FOLDER NAME [--typescript] [--panics]\n       \
                 bindgen stub MODULE.wasm STUBBED.wasm"
            );
            return ExitCode::from(2);
        }
    };
    match made {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("Error: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn stub(module: &str, stubbed: &str) -> Result<(), Box<dyn Error>> {
    let mut module = read(module)?;
    if panics::stub(&mut module) == 0 {
        return Err("the module has no panics, or no names".into());
    }
    module.emit_wasm_file(stubbed)?;
    Ok(())
}

fn generate(module: &str, folder: &str, name: &str, options: &[&str]) -> Result<(), Box<dyn Error>> {
    let mut input = read(module)?;
    if !options.contains(&"--panics") {
        panics::stub(&mut input);
    }
    Bindgen::new()
        .input_module(name, input)
        .typescript(options.contains(&"--typescript"))
        .omit_default_module_path(false)
        .remove_name_section(true)
        .remove_producers_section(true)
        .web(true)?
        .generate(folder)?;
    Ok(())
}

fn read(path: &str) -> Result<Module, Box<dyn Error>> {
    let module = std::fs::read(path).map_err(|error| format!("{path}: {error}"))?;
    Ok(ModuleConfig::new().generate_name_section(true).parse(&module)?)
}
