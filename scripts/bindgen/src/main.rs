//! Makes the files of a page from a WebAssembly module: `bindgen MODULE.wasm FOLDER NAME [--typescript]`.

use std::process::ExitCode;

use wasm_bindgen_cli_support::Bindgen;

fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let (module, folder, name, has_types) = match &arguments[..] {
        [module, folder, name] => (module, folder, name, false),
        [module, folder, name, types] if types == "--typescript" => (module, folder, name, true),
        _ => {
            eprintln!("Usage: bindgen MODULE.wasm FOLDER NAME [--typescript]");
            return ExitCode::from(2);
        }
    };
    let mut bindgen = Bindgen::new();
    let made = bindgen
        .input_path(module)
        .out_name(name)
        .typescript(has_types)
        .omit_default_module_path(false)
        .remove_name_section(true)
        .remove_producers_section(true)
        .web(true)
        .and_then(|bindgen| bindgen.generate(folder));
    match made {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("Error: {module}: {error:#}");
            ExitCode::FAILURE
        }
    }
}
