//! Tests of single checks.
