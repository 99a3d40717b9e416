//! Moments, as seconds since the first of 1970 in UTC.

use std::time::{SystemTime, UNIX_EPOCH};

/// The moment that this machine's clock shows.
pub fn now() -> u64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs())
}

/// How long ago a moment was, in words; what lies in the future is taken to.
pub fn age(moment: u64, now: u64) -> String {
    let Some(seconds) = now.checked_sub(moment) else {
        return "in the future, by the clock of this machine".to_owned();
    };
    let (count, unit) = match seconds {
        0..60 => (seconds, "second"),
        60..3_600 => (seconds / 60, "minute"),
        3_600..86_400 => (seconds / 3_600, "hour"),
        _ => (seconds / 86_400, "day"),
    };
    let s = if count == 1 { "" } else { "s" };
    format!("{count} {unit}{s} ago")
}

/// A moment as RFC 3339 writes it.
pub fn rfc3339(moment: u64) -> String {
    let (date, second) = (justwhy_project::date_of_day(moment / 86_400), moment % 86_400);
    let (hour, minute, second) = (second / 3_600, second / 60 % 60, second % 60);
    format!("{date}T{hour:02}:{minute:02}:{second:02}Z")
}
