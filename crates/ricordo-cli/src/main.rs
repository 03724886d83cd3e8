//! The command-line tool of Ricordo.

fn main() {}
