//! Hiding the secrets of a form in what others write about it.

use crate::engine::state::{Engine, Problem, ProblemError};
use crate::schema::MASK;
use crate::settle::PlaceView;

impl Engine {
    /// A problem that others have found, without the secrets of the form.
    pub(crate) fn problem_without_secrets(&self, problem: Problem) -> Problem {
        self.mask().problem(problem)
    }

    /// A text that others have written, without the secrets of the form.
    pub(crate) fn without_secrets(&self, text: String) -> String {
        self.mask().text(text)
    }

    /// Hides the secrets of the form, and of what was submitted of it.
    fn mask(&self) -> Mask {
        let (schema, mut secrets) = (self.schema(), Vec::new());
        if schema.has_secrets() {
            let form = self.view(self.root());
            collect_entries(form, &mut secrets);
            let sent = self.submission().map(|submission| submission.payload().clone());
            for value in [form.value(), form.baseline()].into_iter().chain(sent) {
                schema.secrets_in(schema.root(), &value, &mut secrets);
            }
            // A secret may be a part of another.
            crate::value::sort_by_key(&mut secrets, |secret| std::cmp::Reverse(secret.len()));
            secrets.dedup();
        }
        Mask(secrets)
    }
}

/// Hides the secrets of a form in what others say about it.
struct Mask(Vec<String>);

impl Mask {
    fn text(&self, text: String) -> String {
        self.0.iter().fold(text, |text, secret| text.replace(secret.as_str(), MASK))
    }

    fn problem(&self, problem: Problem) -> Problem {
        if self.0.is_empty() {
            return problem;
        }
        let Problem { kind, title, detail, status, errors } = problem;
        // A pointer says where, and a secret that is a name or a number by chance must not change that.
        let errors = errors
            .into_iter()
            .map(|ProblemError { pointer, detail }| ProblemError { pointer, detail: self.text(detail) });
        Problem {
            kind,
            title: title.map(|text| self.text(text)),
            detail: detail.map(|text| self.text(text)),
            status,
            errors: errors.collect(),
        }
    }
}

/// Collects what was typed into secrets.
fn collect_entries(place: PlaceView<'_>, secrets: &mut Vec<String>) {
    if place.part().secret {
        secrets.extend(Some(place.entry().into_owned()).filter(|text| !text.is_empty()));
    }
    place.children().for_each(|child| collect_entries(child, secrets));
}
