//! Compile errors of wrong models and paths: messages that a newcomer understands.
#![allow(missing_docs)]

#[test]
fn mistakes_are_explained_by_the_compiler() {
    let cases = trybuild::TestCases::new();
    cases.compile_fail("tests/ui/*.rs");
}
