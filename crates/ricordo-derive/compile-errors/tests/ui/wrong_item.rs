//! Items that are not models.

use ricordo::Model;

#[derive(Model)]
struct Grams(u32);

#[derive(Model)]
enum Method {
    Straight,
    Poolish { hours: u32 },
}

#[derive(Model)]
struct Row<T> {
    value: T,
}

#[derive(Model)]
struct Twice {
    #[serde(rename = "name")]
    title: String,
    name: String,
}

#[derive(Model)]
enum Nothing {}

fn main() {}
