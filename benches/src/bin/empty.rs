//! The floor of every start-up: a program that does nothing.

fn main() {}
