//! What is known about a value besides it.

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
    pub withheld: Option<Arc<str>>,
    /// The encrypted value, as it is written.
    pub encrypted: Option<Arc<str>>,
}

impl Note {
    /// Whether the value was encrypted, and is decrypted.
    pub fn is_decrypted(&self) -> bool {
        self.encrypted.is_some() && self.unreadable.is_none()
    }

    /// `set 3 March 2026 by mara, revision 42`, as far as it is known; `None` if nothing is.
    pub fn history(&self) -> Option<String> {
        let mut said = Vec::new();
        let date = self.updated.as_deref().map(show_date);
        match (date, self.by.as_deref()) {
            (Some(date), Some(by)) => said.push(format!("set {date} by {by}")),
            (Some(date), None) => said.push(format!("set {date}")),
            (None, Some(by)) => said.push(format!("set by {by}")),
            (None, None) => {}
        }
        said.extend(self.revision.map(|revision| format!("revision {revision}")));
        (!said.is_empty()).then(|| said.join(", "))
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
