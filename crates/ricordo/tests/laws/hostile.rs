//! Hostile input.
