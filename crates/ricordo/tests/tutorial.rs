//! The tutorial, followed word for word: its commands are run in an empty folder, its programs are compiled, and what they print is
//! compared with what it shows.

use std::fs;
use std::path::Path;
use std::process::Command;

/// A block of code in the tutorial: its language with what is added to it, and its text.
fn blocks(text: &str) -> Vec<(&str, &str)> {
    let parts: Vec<&str> = text.split("\n```").collect();
    parts.chunks(2).filter_map(|pair| pair.get(1)?.split_once('\n')).collect()
}

fn cargo(folder: &Path, arguments: &[&str]) -> String {
    let mut command = Command::new(env!("CARGO"));
    // Cargo's variables for a test are not for another program.
    for name in ["CARGO_MANIFEST_DIR", "CARGO_PKG_NAME", "RUSTFLAGS", "CARGO_ENCODED_RUSTFLAGS"] {
        command.env_remove(name);
    }
    command.env("CARGO_PROFILE_DEV_DEBUG", "0");
    let done = command.args(arguments).current_dir(folder).output().unwrap();
    let said = String::from_utf8_lossy(&done.stderr);
    assert!(done.status.success(), "cargo {}: {said}", arguments.join(" "));
    String::from_utf8(done.stdout).unwrap()
}

#[test]
fn the_tutorial_leads_to_a_saved_form() {
    let library = Path::new(env!("CARGO_MANIFEST_DIR"));
    let root = library.parent().and_then(Path::parent).unwrap();
    // The dependencies of the library are built there already.
    let target = Path::new(env!("CARGO_TARGET_TMPDIR")).parent().unwrap();
    // Outside the workspace, which a new project would join.
    let tutorial = fs::read_to_string(root.join("docs/tutorial.md")).unwrap();

    let empty = tempfile::tempdir().unwrap();
    let empty = empty.path();
    let project = empty.join("batch-sheet");
    let mut programs = 0;
    for (language, text) in blocks(&tutorial) {
        let main = project.join("src/main.rs");
        match language {
            "sh" => {
                assert_eq!(
                    text.trim(),
                    "cargo new batch-sheet\ncd batch-sheet\ncargo add ricordo --path ../ricordo/crates/ricordo"
                );
                cargo(empty, &["new", "--vcs", "none", "batch-sheet"]);
                // The versions that are known to work.
                fs::copy(root.join("Cargo.lock"), project.join("Cargo.lock")).unwrap();
                cargo(&project, &["add", "--quiet", "ricordo", "--path", library.to_str().unwrap()]);
            }
            "rust,main" => fs::write(main, text).unwrap(),
            "rust,insert" => {
                let program = fs::read_to_string(&main).unwrap();
                let end = program.rfind("    Ok(())\n}").expect("main ends so");
                fs::write(main, format!("{}{text}{}", &program[..end], &program[end..])).unwrap();
            }
            "text" => {
                let printed = cargo(&project, &["run", "--quiet", "--target-dir", target.to_str().unwrap()]);
                assert_eq!(printed.trim_end(), text.trim_end());
                programs += 1;
            }
            other => panic!("the tutorial has a block in “{other}”"),
        }
    }
    assert_eq!(programs, 4);
}
