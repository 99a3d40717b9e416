//! What is known about a value besides it.

use super::fact::Fact;
use super::words::layers as words;
use std::sync::Arc;

/// What is known about a value besides it, mostly from a store, as it is in one context.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Note {
    /// Whether it is secret.
    pub secret: bool,
    /// When it was last written, as RFC 3339 has it.
    pub updated: Option<Arc<str>>,
    /// Who wrote it.
    pub by: Option<Arc<str>>,
    /// The number of its revision.
    pub revision: Option<u64>,
    /// Why its value cannot be read, as a clause.
    pub unreadable: Option<Arc<str>>,
    /// Why it is not meant for this context, as a clause.
    pub withheld: Option<Arc<Fact>>,
    /// The encrypted value, as it is written.
    pub encrypted: Option<Arc<str>>,
}

impl Note {
    /// Whether the value was encrypted, and is decrypted.
    pub fn is_decrypted(&self) -> bool {
        self.encrypted.is_some() && self.unreadable.is_none()
    }

    /// `set 3 March 2026 by mara, revision 42`, as far as it is known; `None` if nothing is.
    pub fn history(&self) -> Option<Fact> {
        let form = match (&self.updated, &self.by, self.revision) {
            (Some(_), Some(_), Some(_)) => words::SET_ON_BY_IN,
            (Some(_), Some(_), None) => words::SET_ON_BY,
            (Some(_), None, Some(_)) => words::SET_ON_IN,
            (Some(_), None, None) => words::SET_ON,
            (None, Some(_), Some(_)) => words::SET_BY_IN,
            (None, Some(_), None) => words::SET_BY,
            (None, None, Some(_)) => words::IN_REVISION,
            (None, None, None) => return None,
        };
        let fact = Fact::new(form)
            .with_some("date", self.updated.as_deref().map(show_date))
            .with_some("by", self.by.as_deref());
        Some(fact.with_some("revision", self.revision))
    }
}

/// The day of a time as people write it, `3 March 2026`; what is no time of RFC 3339 stays as it is.
pub fn show_date(time: &str) -> String {
    const MONTHS: [&str; 12] = [
        "January",
        "February",
        "March",
        "April",
        "May",
        "June",
        "July",
        "August",
        "September",
        "October",
        "November",
        "December",
    ];
    let parts = || {
        let mut parts = time.get(..10)?.split('-');
        let (year, month, day) = (parts.next()?, parts.next()?, parts.next()?);
        let month = MONTHS.get(month.parse::<usize>().ok()?.checked_sub(1)?)?;
        Some(format!("{} {month} {year}", day.parse::<u8>().ok()?))
    };
    parts().unwrap_or_else(|| time.to_owned())
}
