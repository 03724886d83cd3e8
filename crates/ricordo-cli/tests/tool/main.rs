//! The tool as people meet it: run from the project's folder, on the demo's files.
#![allow(missing_docs, unreachable_pub, clippy::pedantic)]

mod drafts;
mod errors;
mod formulas;
mod output;
mod pages;
mod submissions;
mod upstream;

use std::path::{Path, PathBuf};

use assert_cmd::Command;

/// The project's folder.
pub fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

/// The output of a run, and its exit status.
#[derive(Debug)]
pub struct Run {
    pub status: i32,
    pub out: String,
    pub err: String,
}

/// Runs the tool in a folder, with this standard input.
pub fn run_in(folder: &Path, arguments: &[&str], input: &str) -> Run {
    let mut command = Command::cargo_bin("ricordo").unwrap();
    let output = command.current_dir(folder).args(arguments).write_stdin(input).output().unwrap();
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
    Run { status: output.status.code().unwrap(), out: text(output.stdout), err: text(output.stderr) }
}

/// Runs the tool in the project's folder.
pub fn run(arguments: &[&str]) -> Run {
    run_in(&project(), arguments, "")
}

/// A run as a snapshot shows it.
pub fn shown(run: &Run) -> String {
    let err = if run.err.is_empty() { String::new() } else { format!("--- standard error\n{}", run.err) };
    format!("--- exit status {}\n{}{err}", run.status, run.out)
}
