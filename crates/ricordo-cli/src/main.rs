//! The command-line tool of Ricordo: checks form definitions, replays journals, and explains the state of a form.

mod commands;
mod describe;
mod files;
mod graph;
mod markup;
mod screen;
mod table;
mod typescript;
mod watched;

use std::io::ErrorKind;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::{Args, Parser, Subcommand, ValueEnum};

use files::Problem;
use screen::{Output, complain};

/// Checks form definitions and data, replays what was done to a form, and explains its state.
#[derive(Debug, Parser)]
#[command(
    name = "ricordo",
    version,
    after_help = "Exit status: 0 no findings, 1 findings, 2 wrong usage or unreadable input."
)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Replay a short journal on a bakery's batch sheet, and explain each step.
    Demo,
    /// Check a form definition, and data for it; show the fields and the findings.
    Check {
        /// The form definition (a JSON Schema 2020-12 document); `-` is standard input.
        form: PathBuf,
        /// Data for the form (JSON); `-` is standard input.
        #[arg(long, value_name = "FILE")]
        data: Option<PathBuf>,
        /// Show what each place depends on and what depends on it, as a table or in DOT, the language of Graphviz.
        #[arg(long, value_name = "AS", num_args = 0..=1, require_equals = true, default_missing_value = "table")]
        graph: Option<GraphAs>,
        /// Print what would be sent of the data, as JSON or as HTML forms send it, and nothing else. Secrets are hidden.
        #[arg(long, value_name = "AS", num_args = 0..=1, require_equals = true, default_missing_value = "json", conflicts_with = "graph")]
        payload: Option<PayloadAs>,
    },
    /// Replay journals on a form, and show its state at the end.
    Replay(ReplayArguments),
    /// Compare two records of a form: what changed, as a table, a JSON Patch or a merge patch.
    Diff {
        /// The form definition (a JSON Schema 2020-12 document); `-` is standard input.
        form: PathBuf,
        /// The record before (JSON); `-` is standard input.
        #[arg(long, value_name = "FILE")]
        from: PathBuf,
        /// The record after (JSON); `-` is standard input.
        #[arg(long, value_name = "FILE")]
        to: PathBuf,
        /// A table, a JSON Patch (RFC 6902) or a JSON Merge Patch (RFC 7396). Secrets are hidden.
        #[arg(long = "as", value_name = "AS", default_value = "table")]
        written_as: DiffAs,
    },
    /// Write a page with the form, to try a definition in a browser, or as a starting point.
    Page(PageArguments),
    /// Write types for the record of a form, to start a program from.
    Scaffold {
        /// The form definition (a JSON Schema 2020-12 document); `-` is standard input.
        form: PathBuf,
        /// The language.
        #[arg(long = "as", value_name = "LANGUAGE", default_value = "typescript")]
        written_as: ScaffoldAs,
    },
    /// Explain a place of a form: which actions changed it, and what its value and flags depend on.
    Why {
        /// The form definition (a JSON Schema 2020-12 document); `-` is standard input.
        form: PathBuf,
        /// The place, as a JSON Pointer, such as /ingredients/0/grams.
        pointer: String,
        /// Journals (one action a line) or JSON Patches, in this order; `-` is standard input.
        #[arg(value_name = "JOURNAL")]
        journals: Vec<PathBuf>,
        /// The data that the form starts from (JSON); `-` is standard input.
        #[arg(long, value_name = "FILE")]
        data: Option<PathBuf>,
    },
}

#[derive(Debug, Args)]
struct ReplayArguments {
    /// The form definition (a JSON Schema 2020-12 document); `-` is standard input.
    form: PathBuf,
    /// Journals (one action a line) or JSON Patches, in this order; `-` is standard input.
    #[arg(value_name = "JOURNAL")]
    journals: Vec<PathBuf>,
    /// The data that the form starts from (JSON); `-` is standard input.
    #[arg(long, value_name = "FILE")]
    data: Option<PathBuf>,
    /// Start from a draft, as --save-draft writes it. With --data, what has changed in the data since is taken in.
    #[arg(long, value_name = "FILE")]
    from_draft: Option<PathBuf>,
    /// Write the draft of the form at the end into a file.
    #[arg(long, value_name = "FILE")]
    save_draft: Option<PathBuf>,
    /// Print the whole state as JSON, and nothing else.
    #[arg(long)]
    json: bool,
    /// Show what each action changed, and who was notified.
    #[arg(long)]
    steps: bool,
    /// Show values with all digits, and the entries beside them, instead of in their display formats.
    #[arg(long)]
    exact: bool,
}

#[derive(Debug, Args)]
struct PageArguments {
    /// The form definition (a JSON Schema 2020-12 document); `-` is standard input.
    form: PathBuf,
    /// The data that the form starts from (JSON); `-` is standard input.
    #[arg(long, value_name = "FILE")]
    data: Option<PathBuf>,
    /// The folder to write the page into. It is made if it is not there.
    #[arg(long, value_name = "DIR")]
    out: PathBuf,
    /// The folder of the module for JavaScript, if it is not beside the tool.
    #[arg(long, value_name = "DIR")]
    module: Option<PathBuf>,
}

/// The language of what a program is started from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum ScaffoldAs {
    Typescript,
}

/// The format of the dependencies.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum GraphAs {
    Table,
    Dot,
}

/// The format of a difference.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum DiffAs {
    Table,
    Patch,
    Merge,
}

/// The format of a payload.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum PayloadAs {
    Json,
    Urlencoded,
}

/// The result of a command that ran.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Ending {
    Well,
    Findings,
}

fn main() -> ExitCode {
    let arguments = match Arguments::try_parse() {
        Ok(arguments) => arguments,
        // Help is printed, too, and may find no room.
        Err(shown) => {
            let code = u8::try_from(shown.exit_code()).unwrap_or(2);
            return ExitCode::from(if shown.print().is_ok() { code } else { 2 });
        }
    };
    let mut out = Output::new();
    let result = carry_out(&mut out, arguments.command)
        .and_then(|ending| out.flush().map(|()| ending).map_err(Problem::from));
    match result {
        Ok(Ending::Well) => ExitCode::SUCCESS,
        Ok(Ending::Findings) => ExitCode::from(1),
        // Whoever reads has read enough.
        Err(Problem::Output(error)) if error.kind() == ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(Problem::Output(error)) => {
            complain(format_args!("Error: the output cannot be written: {error}\n"));
            ExitCode::from(2)
        }
        Err(Problem::Input(problem)) => {
            complain(problem);
            ExitCode::from(2)
        }
    }
}

fn carry_out(out: &mut Output, command: Command) -> Result<Ending, Problem> {
    match command {
        Command::Demo => commands::demo::run(out),
        Command::Check { form, data, graph: _, payload: Some(payload) } => {
            commands::check::payload(out, &form, data.as_deref(), payload)
        }
        Command::Check { form, data, graph, payload: None } => {
            commands::check::run(out, &form, data.as_deref(), graph)
        }
        Command::Replay(arguments) => commands::replay::run(out, &arguments),
        Command::Diff { form, from, to, written_as } => {
            commands::diff::run(out, &form, &from, &to, written_as)
        }
        Command::Page(arguments) => commands::page::run(out, &arguments),
        Command::Scaffold { form, written_as } => commands::scaffold::run(out, &form, written_as),
        Command::Why { form, pointer, journals, data } => {
            commands::why::run(out, &form, &pointer, &journals, data.as_deref())
        }
    }
}
