//! How many bytes a form takes for a field, counted by the allocator.
//!
//! Run with `cargo bench --bench memory`.
#![allow(missing_docs, unreachable_pub, dead_code, clippy::pedantic)]

#[path = "edit/scene.rs"]
mod scene;
#[path = "edit/with_ricordo.rs"]
mod with_ricordo;

use ricordo::Form;
use scene::{SIZES, ingredients};

#[global_allocator]
static ALLOCATOR: dhat::Alloc = dhat::Alloc;

fn bytes() -> usize {
    dhat::HeapStats::get().curr_bytes
}

fn main() {
    const FIELDS: usize = 6;
    let _profiler = dhat::Profiler::builder().testing().build();
    println!("{:>8}  {:>16}  {:>16}", "rows", "record, a field", "form, a field");
    for rows in SIZES {
        let data = ingredients(rows);
        let before = bytes();
        let record = with_ricordo::sheet(&data);
        let of_record = bytes() - before;
        let before = bytes();
        let form = Form::new(&record).expect("the scene fits");
        let of_form = bytes() - before;
        println!("{rows:>8}  {:>16}  {:>16}", of_record / rows / FIELDS, of_form / rows / FIELDS);
        drop(form);
    }
}
