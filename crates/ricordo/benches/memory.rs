//! The bytes of a form per field, and in the full scene per row with its rules, counted by the allocator.
//!
//! Run with `cargo bench --bench memory`.
#![allow(missing_docs, unreachable_pub, dead_code, clippy::pedantic)]

#[path = "edit/full_scene.rs"]
mod full_scene;
#[path = "edit/scene.rs"]
mod scene;
#[path = "edit/with_ricordo.rs"]
mod with_ricordo;

use std::alloc::System;

use cap::Cap;
use ricordo::Form;
use scene::{SIZES, ingredients};

#[global_allocator]
static ALLOCATOR: Cap<System> = Cap::new(System, usize::MAX);

fn bytes() -> usize {
    ALLOCATOR.allocated()
}

fn main() {
    const FIELDS: usize = 6;
    println!("{:>8}  {:>16}  {:>16}  {:>16}", "rows", "record, a field", "form, a field", "scene, a row");
    for rows in SIZES {
        let data = ingredients(rows);
        let before = bytes();
        let record = with_ricordo::sheet(&data);
        let of_record = bytes() - before;
        let before = bytes();
        let form = Form::new(&record).expect("the scene fits");
        let of_form = bytes() - before;
        drop(form);
        let before = bytes();
        let scene = full_scene::FullScene::new(&data);
        let of_scene = bytes() - before;
        println!(
            "{rows:>8}  {:>16}  {:>16}  {:>16}",
            of_record / rows / FIELDS,
            of_form / rows / FIELDS,
            of_scene / rows
        );
        drop(scene);
    }
}
