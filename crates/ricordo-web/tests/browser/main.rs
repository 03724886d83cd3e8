//! The adapter in a real page: a headless Chromium, driven as a person would.
//!
//! Without Chromium, or without a way to build the pages, these tests are listed as ignored, with what to do about it.

mod accessibility;
mod acting;
mod arguments;
mod browser;
#[path = "../../../../corpus/mod.rs"]
mod cases;
mod conformance;
mod constraints;
mod controls;
mod corpus;
mod demo;
mod generated;
mod linked;
mod mistakes;
mod nodes;
mod package;
mod page;
mod rows;
mod server;
mod walk_through;

use std::future::Future;
use std::path::{Path, PathBuf};
use std::pin::Pin;
use std::process::{Command, ExitCode, Stdio};
use std::sync::{Arc, Mutex, PoisonError};

use libtest_mimic::{Arguments, Failed, Trial};

use browser::{Browser, Done, Driver};

/// A test that runs.
type Running = Pin<Box<dyn Future<Output = Done>>>;

/// A test in the browser.
#[derive(Debug)]
pub(crate) struct Test {
    name: &'static str,
    run: fn(Arc<Browser>) -> Running,
}

/// Lists functions of a module as tests.
macro_rules! tests {
    ($($name:ident),* $(,)?) => {
        pub(crate) fn all() -> Vec<$crate::Test> {
            vec![$($crate::Test {
                name: concat!(module_path!(), "::", stringify!($name)),
                run: |browser| Box::pin(async move { $name(&browser).await }),
            }),*]
        }
    };
}

use tests;

fn all() -> Vec<Test> {
    [
        conformance::all(),
        controls::all(),
        rows::all(),
        page::all(),
        mistakes::all(),
        generated::all(),
        demo::all(),
        accessibility::all(),
        corpus::all(),
        constraints::all(),
        package::all(),
        arguments::all(),
        nodes::all(),
        acting::all(),
        walk_through::all(),
        linked::all(),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// The root of the project.
pub(crate) fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The reason why the tests cannot run here; `None` if nothing does.
fn obstacle() -> Option<String> {
    let missing = ["chromium", "chromedriver"].into_iter().find(|tool| {
        let found = Command::new(tool).arg("--version").stdout(Stdio::null()).stderr(Stdio::null()).status();
        !found.is_ok_and(|status| status.success())
    });
    if let Some(missing) = missing {
        return Some(format!("{missing} is not installed"));
    }
    // A build that was made once is kept up to date; the first takes minutes and is asked for.
    let was_built = root().join("target/web/pages/module/ricordo_core.wasm").exists();
    (!was_built).then(|| "the pages have not been built".to_owned())
}

/// The built pages, which are served to the browser.
pub(crate) fn pages() -> PathBuf {
    root().join("target/web/pages")
}

/// One Chromium for all tests in turn.
struct Setup {
    runtime: tokio::runtime::Runtime,
    browser: Arc<Browser>,
    _driver: Driver,
}

impl Setup {
    fn new() -> Result<Self, Box<dyn std::error::Error>> {
        let built = Command::new("scripts/web").arg("pages").current_dir(root()).status()?;
        if !built.success() {
            return Err("scripts/web cannot build the pages".into());
        }
        let site = server::serve(pages())?;
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build()?;
        let driver = Driver::start()?;
        let browser = Arc::new(runtime.block_on(driver.browser(&site))?);
        Ok(Setup { runtime, browser, _driver: driver })
    }

    /// Runs a test in a page of its own.
    fn run(&self, test: &Test) -> Result<(), Failed> {
        self.runtime.block_on(async {
            let done = (test.run)(self.browser.clone()).await;
            let logged = self.browser.eval("window.logged ?? []").await;
            let logged = logged.map(|logged| logged.to_string()).unwrap_or_default();
            done.map_err(|error| Failed::from(format!("{error}\nin the console: {logged}")))
        })
    }
}

fn main() -> ExitCode {
    let mut arguments = Arguments::from_args();
    // They share one driver.
    arguments.test_threads = Some(1);
    let is_asked_for = std::env::var_os("RICORDO_BROWSER").is_some();
    let obstacle = obstacle().filter(|_| !arguments.list);
    let is_ignored = obstacle.is_some() && !is_asked_for;
    if let (true, Some(obstacle)) = (is_ignored, &obstacle) {
        println!("\nThe tests in a browser are NOT run: {obstacle}. Run them by scripts/browser-tests.");
    }
    let setup: Arc<Mutex<Option<Result<Setup, String>>>> = Arc::default();
    let trials = all().into_iter().map(|test| {
        let setup = setup.clone();
        let name = test.name.trim_start_matches("browser::").to_owned();
        let run = move || {
            let mut setup = setup.lock().unwrap_or_else(PoisonError::into_inner);
            let setup = setup.get_or_insert_with(|| Setup::new().map_err(|error| error.to_string()));
            setup.as_ref().map_err(|error| Failed::from(error.clone()))?.run(&test)
        };
        Trial::test(name, run).with_ignored_flag(is_ignored)
    });
    let conclusion = libtest_mimic::run(&arguments, trials.collect());
    // The driver ends with it.
    drop(setup.lock().unwrap_or_else(PoisonError::into_inner).take());
    conclusion.exit_code()
}
