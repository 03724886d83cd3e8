//! Field types that a form cannot hold.

use std::collections::HashMap;
use std::time::Duration;

use ricordo::Model;

#[derive(Model)]
struct Batch {
    proving: Duration,
    prices: HashMap<String, u32>,
    oven: Oven,
}

struct Oven {
    degrees: u16,
}

fn main() {}
