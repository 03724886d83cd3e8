//! `ricordo page`: a page with a form, to try a definition in a browser or to start from.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use ricordo::Error;
use ricordo::exchange::read_data;

use crate::files::{File, Problem, refuse_two_standard_inputs};
use crate::markup::{escaped, fields};
use crate::screen::{GOOD, Line, Output, complain};
use crate::{Ending, PageArguments};

/// The files of the module that a page needs.
const MODULE: [&str; 4] = ["ricordo.js", "ricordo_core.js", "ricordo_core.wasm", "ricordo_rest.wasm"];

pub(crate) fn run(out: &mut Output, arguments: &PageArguments) -> Result<Ending, Problem> {
    let PageArguments { form, data, out: folder, module } = arguments;
    refuse_two_standard_inputs([form.as_path()].into_iter().chain(data.as_deref()))?;
    let form = File::read(form)?;
    let schema = form.schema()?;
    form.warnings(&schema).for_each(|warning| complain(warning + "\n"));
    let data = data.as_deref().map(File::read).transpose()?;
    if let Some(data) = &data {
        let hides = schema.schema().has_secrets();
        read_data(&data.text, schema.schema()).map_err(|error: Error| data.problem(&error, hides))?;
    }
    let module = find_module(module.as_deref())?;

    let root = schema.schema().part(schema.schema().root());
    let title = escaped(root.label.as_deref().unwrap_or("A form"));
    let intro = root.description.as_deref().map(|text| format!("<p class=\"intro\">{}</p>\n", escaped(text)));
    let data_of_page = if data.is_some() { "read(\"data.json\")" } else { "undefined" };
    let page = filled(
        include_str!("../page/page.html"),
        &[
            ("{title}", &title),
            ("{intro}", &intro.unwrap_or_default()),
            ("{data}", data_of_page),
            ("{fields}", &fields(&schema)),
        ],
    );

    let written =
        |error: io::Error| Problem::of_input(&format!("{} cannot be written: {error}", folder.display()));
    fs::create_dir_all(folder.join("ricordo")).map_err(written)?;
    let mut files = vec![
        ("index.html", page.as_str()),
        ("style.css", include_str!("../page/style.css")),
        ("form.json", &form.text),
    ];
    files.extend(data.as_ref().map(|data| ("data.json", data.text.as_str())));
    for (name, text) in files {
        fs::write(folder.join(name), text).map_err(written)?;
    }
    for name in MODULE {
        fs::copy(module.join(name), folder.join("ricordo").join(name)).map_err(written)?;
    }
    let page = folder.join("index.html");
    out.line(
        &Line::of(GOOD, "✓")
            .text(format_args!(" The page is {}. A browser needs a server for it:", page.display())),
    )?;
    out.line(&Line::new(format_args!(
        "  python3 -m http.server --bind 127.0.0.1 --directory {}",
        folder.display()
    )))?;
    Ok(Ending::Well)
}

/// A template with its placeholders filled in. The text filled in is not searched again: a title may contain
/// the text of a placeholder.
fn filled(template: &str, values: &[(&str, &str)]) -> String {
    let (mut page, mut rest) = (String::new(), template);
    let next = |rest: &str| {
        let found = values.iter().filter_map(|(name, value)| Some((rest.find(name)?, *name, *value)));
        found.min_by_key(|(at, ..)| *at).map(|(at, name, value)| (at, name.len(), value.to_owned()))
    };
    while let Some((at, length, value)) = next(rest) {
        page.push_str(&rest[..at]);
        page.push_str(&value);
        rest = &rest[at + length..];
    }
    page + rest
}

/// Finds the module: at the given path, beside the tool, or where the project builds it.
fn find_module(given: Option<&Path>) -> Result<PathBuf, Problem> {
    let has_all = |folder: &Path| MODULE.iter().all(|name| folder.join(name).is_file());
    if let Some(given) = given {
        if has_all(given) {
            return Ok(given.to_owned());
        }
        let missing = MODULE.iter().find(|name| !given.join(name).is_file()).unwrap_or(&MODULE[0]);
        return Err(Problem::of_input(&format!(
            "the module is not in {}: {missing} is missing there",
            given.display()
        )));
    }
    let tool = std::env::current_exe().ok().and_then(|tool| Some(tool.parent()?.to_owned()));
    let near = tool.iter().flat_map(|folder| [folder.join("ricordo-module"), folder.join("../web/module")]);
    let mut near = near.filter(|folder| has_all(folder));
    near.next().ok_or_else(|| {
        Problem::of_input(
            "the module that a page needs is not here: build it by scripts/web module, and name its folder by --module",
        )
    })
}
