//! The page with a typed form of fields, and one thing more that it can do: a feature says which.

#![allow(clippy::unnecessary_wraps, reason = "what a feature does may fail or not")]

#[allow(unused_imports, reason = "not every feature hands something to the page")]
use std::hint::black_box;

use modules::Fields;
use ricordo::Form;

fn main() {
    modules::shown(modules::used_fields().and_then(|form| more(&form)));
}

#[cfg(not(any(
    feature = "submit",
    feature = "patch",
    feature = "rebase",
    feature = "rules",
    feature = "causes",
    feature = "draft",
    feature = "journal",
    feature = "json"
)))]
fn more(_: &Form<Fields>) -> Result<(), ricordo::Error> {
    Ok(())
}

#[cfg(feature = "submit")]
fn more(form: &Form<Fields>) -> Result<(), ricordo::Error> {
    let submission = form.submit(&ricordo::SubmitOptions::new())?;
    black_box(submission.payload());
    if black_box(true) { submission.accept() } else { submission.reject(ricordo::Problem::new("Not saved")) }
}

#[cfg(feature = "patch")]
fn more(form: &Form<Fields>) -> Result<(), ricordo::Error> {
    drop(black_box(form.json_patch()));
    Ok(())
}

#[cfg(feature = "rebase")]
fn more(form: &Form<Fields>) -> Result<(), ricordo::Error> {
    if let Ok(record) = form.parse() {
        form.rebase(&record)?;
    }
    form.resolve_all(ricordo::engine::Side::Mine)
}

#[cfg(feature = "rules")]
fn more(form: &Form<Fields>) -> Result<(), ricordo::Error> {
    let sheet = ricordo::at::<Fields>();
    let guard = form.add_rules(move |rules| {
        rules.calculate(sheet.dough(), move |it| it.number(sheet.loaves()) * it.number(sheet.grams()));
    })?;
    drop(black_box(guard));
    Ok(())
}

#[cfg(feature = "causes")]
fn more(form: &Form<Fields>) -> Result<(), ricordo::Error> {
    let told = form.subscribe("", |notice| drop(black_box(notice.cause().to_string())))?;
    drop(black_box(told));
    Ok(())
}

#[cfg(feature = "draft")]
fn more(form: &Form<Fields>) -> Result<(), ricordo::Error> {
    let draft = form.draft_with_baseline();
    let restored = Form::<Fields>::from_draft(&draft, None)?;
    drop(black_box(restored.form));
    Ok(())
}

#[cfg(feature = "journal")]
fn more(form: &Form<Fields>) -> Result<(), ricordo::Error> {
    form.diagnostics().start_recording(black_box(10_000));
    drop(black_box(form.diagnostics().recording()));
    Ok(())
}

#[cfg(feature = "json")]
fn more(_: &Form<Fields>) -> Result<(), ricordo::Error> {
    let form = Form::<Fields>::from_json(black_box("{}"))?;
    drop(black_box(form.to_json()));
    Ok(())
}
