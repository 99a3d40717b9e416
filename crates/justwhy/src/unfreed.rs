//! What the end of the process frees.

use std::mem::ManuallyDrop;
use std::ops::Deref;

/// A value of very many parts. The end of the process frees them at once, while freeing them one by one
/// takes about as long as printing the answer. If there may be secrets in it that were decrypted, it is
/// dropped all the same, which wipes them.
pub(crate) enum Unfreed<T> {
    Dropped(T),
    Left(ManuallyDrop<T>),
}

impl<T> Unfreed<T> {
    pub(crate) fn new(value: T, is_wiped: bool) -> Unfreed<T> {
        match is_wiped {
            true => Unfreed::Dropped(value),
            false => Unfreed::Left(ManuallyDrop::new(value)),
        }
    }
}

impl<T> Deref for Unfreed<T> {
    type Target = T;

    fn deref(&self) -> &T {
        match self {
            Unfreed::Dropped(value) => value,
            Unfreed::Left(value) => value,
        }
    }
}
