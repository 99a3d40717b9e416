//! Texts of values, and secret ones.

use std::cell::Cell;
use std::fmt;
use std::ops::Deref;
use std::sync::Arc;
use zeroize::{Zeroize as _, Zeroizing};

#[cfg(test)]
mod tests;

/// The text of a value, shared, so that a clone costs a count.
///
/// What was decrypted, and every text that a secret has flowed into, is a secret text: its memory is
/// wiped when nobody has it any more, and its `Debug` shows only that it is one. There is no `Display`:
/// who prints a text takes it as a `&str` on purpose.
#[derive(Clone)]
pub struct Text(Kept);

#[derive(Clone)]
enum Kept {
    Plain(Arc<str>),
    Secret(Arc<Zeroizing<String>>),
}

impl Text {
    /// A secret one. What `text` was read from is not wiped.
    pub fn secret(text: String) -> Text {
        Text(Kept::Secret(Arc::new(Zeroizing::new(text))))
    }

    /// Whether it is a secret one.
    pub fn is_secret(&self) -> bool {
        matches!(self.0, Kept::Secret(_))
    }

    /// The same text as a secret one.
    #[must_use]
    pub fn hidden(self) -> Text {
        match self.0 {
            Kept::Plain(text) => Text::secret(text.as_ref().to_owned()),
            Kept::Secret(_) => self,
        }
    }
}

impl Deref for Text {
    type Target = str;

    fn deref(&self) -> &str {
        match &self.0 {
            Kept::Plain(text) => text,
            Kept::Secret(text) => text,
        }
    }
}

impl AsRef<str> for Text {
    fn as_ref(&self) -> &str {
        self
    }
}

impl<T> From<T> for Text
where
    Arc<str>: From<T>,
{
    fn from(text: T) -> Text {
        Text(Kept::Plain(text.into()))
    }
}

impl PartialEq for Text {
    fn eq(&self, other: &Text) -> bool {
        **self == **other
    }
}

impl Eq for Text {}

impl fmt::Debug for Text {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.0 {
            Kept::Plain(text) => text.fmt(f),
            Kept::Secret(_) => f.write_str("(secret)"),
        }
    }
}

/// A text that is being put together, perhaps of secrets: nothing of it stays behind where it was when
/// it grows.
pub(crate) struct Growing {
    text: String,
    is_secret: bool,
}

impl Growing {
    pub(crate) fn new() -> Growing {
        Growing { text: SPARE.take(), is_secret: false }
    }

    pub(crate) fn len(&self) -> usize {
        self.text.len()
    }

    pub(crate) fn push(&mut self, text: &str) {
        if self.is_secret && self.text.capacity() - self.text.len() < text.len() {
            let wanted = (self.text.len() + text.len()).max(2 * self.text.len());
            let larger = String::with_capacity(wanted);
            let mut old = std::mem::replace(&mut self.text, larger);
            self.text.push_str(&old);
            old.zeroize();
        }
        self.text.push_str(text);
    }

    /// Adds what is secret: from here on the whole of it is.
    pub(crate) fn push_secret(&mut self, text: &str) {
        self.is_secret = true;
        self.push(text);
    }

    pub(crate) fn done(mut self) -> Text {
        if self.is_secret {
            return Text::secret(std::mem::take(&mut self.text));
        }
        self.text.as_str().into()
    }
}

/// Longer memory is not kept for the next text.
const KEPT_BYTES: usize = 4096;

thread_local! {
    /// The memory of the last text of this thread, in which nothing is.
    static SPARE: Cell<String> = const { Cell::new(String::new()) };
}

impl Drop for Growing {
    fn drop(&mut self) {
        if self.is_secret {
            self.text.zeroize();
        }
        if self.text.capacity() <= KEPT_BYTES {
            self.text.clear();
            SPARE.set(std::mem::take(&mut self.text));
        }
    }
}
