//! JSON Schemas of every output, made from the very types that are printed.

mod tests;
