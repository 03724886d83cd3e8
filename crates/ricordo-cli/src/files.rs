//! Reading files, and saying what is wrong with them.

use std::fmt;
use std::io::Read;
use std::path::Path;
use std::sync::Arc;

use ariadne::{Color, Config, IndexType, Label, Report, ReportKind, Source};
use ricordo::Value;
use ricordo::engine::{Engine, Refused};
use ricordo::exchange::{ReadError, read_data, read_definition};

use crate::screen;

/// A text, and the name it goes by in messages.
#[derive(Clone, Debug)]
pub(crate) struct File {
    pub(crate) name: String,
    pub(crate) text: String,
}

/// Why a command could not be carried out, ready to be shown.
#[derive(Debug)]
pub(crate) struct Problem(String);

impl fmt::Display for Problem {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.0)
    }
}

impl Problem {
    /// What is wrong with an argument of the command line.
    pub(crate) fn of_argument(problem: &str) -> Self {
        Problem(format!("Error: {problem}\n"))
    }
}

impl File {
    /// A text that is part of the program.
    pub(crate) fn bundled(name: &str, text: &str) -> Self {
        File { name: name.to_owned(), text: text.to_owned() }
    }

    /// Reads a file; `-` is standard input.
    pub(crate) fn read(path: &Path) -> Result<Self, Problem> {
        let mut bytes = Vec::new();
        let (name, read) = if path.as_os_str() == "-" {
            ("standard input".to_owned(), std::io::stdin().read_to_end(&mut bytes).map(drop))
        } else {
            (path.display().to_string(), std::fs::read(path).map(|read| bytes = read))
        };
        read.map_err(|error| Problem(unreadable(&name, path, &error)))?;
        match String::from_utf8(bytes) {
            Ok(text) => {
                Ok(File { name, text: text.strip_prefix('\u{feff}').map_or(text.clone(), str::to_owned) })
            }
            Err(error) => {
                let at = error.utf8_error().valid_up_to();
                let line = error.as_bytes()[..at].split(|byte| *byte == b'\n').count();
                Err(Problem(format!("Error: {name}, line {line}: this is not UTF-8 text\n")))
            }
        }
    }

    /// What is wrong with the text, with the place in question drawn.
    pub(crate) fn problem(&self, error: &ReadError) -> Problem {
        let place = (self.name.as_str(), error.span());
        let config =
            Config::default().with_index_type(IndexType::Byte).with_color(screen::errors_in_colour());
        let mut report = Report::build(ReportKind::Error, place.clone())
            .with_config(config)
            .with_message(error.message())
            .with_label(Label::new(place).with_message("here").with_color(Color::Red));
        if let Some(help) = error.way_out() {
            report = report.with_help(help);
        }
        let mut drawn = Vec::new();
        match report.finish().write((self.name.as_str(), Source::from(&self.text)), &mut drawn) {
            Ok(()) => Problem(String::from_utf8_lossy(&drawn).into_owned()),
            Err(_) => Problem(format!("Error: {}: {error}\n", self.name)),
        }
    }

    /// What the form that this file defines refuses.
    pub(crate) fn refused(&self, refused: &Refused) -> Problem {
        Problem(format!("Error: {}: {refused}\n", self.name))
    }

    /// The form that this file defines, holding this data.
    pub(crate) fn engine(&self, data: Option<&File>) -> Result<Engine, Problem> {
        let shape = Arc::new(read_definition(&self.text).map_err(|error| self.problem(&error))?);
        let read = |file: &File| read_data(&file.text, &shape).map_err(|error| file.problem(&error));
        let value: Option<Value> = data.map(read).transpose()?;
        Engine::new(shape, value).map_err(|misfit| Problem(format!("Error: {}: {misfit}\n", self.name)))
    }
}

fn unreadable(name: &str, path: &Path, error: &std::io::Error) -> String {
    let mut message = format!("Error: {name} cannot be read: {error}\n");
    if error.kind() == std::io::ErrorKind::NotFound
        && let Some(wanted) = path.file_name().and_then(|name| name.to_str())
    {
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
        let names: Vec<String> = entries.filter_map(|entry| entry.file_name().into_string().ok()).collect();
        if let Some(near) = ricordo::shape::nearest(wanted, names.iter().map(String::as_str)) {
            let near = path.with_file_name(near);
            message = format!("{message}  Help: did you mean {}?\n", near.display());
        }
    }
    message
}
