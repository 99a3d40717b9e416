//! Lists of very many items, written by several threads.

use super::text;
use crate::outcome::Pieces;
use serde::Serialize;

/// Items of a list, written out one after the other with commas in between.
pub(crate) struct Items(Vec<u8>);

impl Items {
    /// None yet, with room for so many bytes.
    pub(crate) fn with_room(bytes: usize) -> Items {
        Items(Vec::with_capacity(bytes))
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    pub(crate) fn push(&mut self, item: &impl Serialize) {
        if !self.0.is_empty() {
            self.0.push(b',');
        }
        // Neither writing to memory nor serialising here can fail.
        let _ = serde_json::to_writer(&mut self.0, item);
    }
}

/// An answer that ends with a list of very many items, which several threads write.
pub(crate) struct Listing {
    written: Pieces,
    end: String,
    is_empty: bool,
}

impl Listing {
    /// `answer` must end with the list, empty still.
    pub(crate) fn of(answer: &impl Serialize) -> Listing {
        const END: &str = "]}\n";
        let mut head = text(answer);
        let end = head.split_off(head.len().saturating_sub(END.len()));
        debug_assert!(head.ends_with('[') && end == END);
        Listing { written: head.into(), end, is_empty: true }
    }

    pub(crate) fn push(&mut self, items: Items) {
        if items.is_empty() {
            return;
        }
        if !std::mem::take(&mut self.is_empty) {
            self.written.push(",".to_owned());
        }
        // JSON is UTF-8.
        self.written.push(String::from_utf8(items.0).unwrap_or_default());
    }

    /// The text of the whole answer.
    pub(crate) fn text(mut self) -> Pieces {
        self.written.push(self.end);
        self.written
    }
}
