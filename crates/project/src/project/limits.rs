//! `[secrets]` and `[limits]`.

use super::fields::{Fields, Sink};
use crate::error::Error;
use justwhy_core::Span;
use justwhy_formats::{Limits, Tree};

/// For whom values are encrypted.
pub(super) fn recipients(sink: &mut Sink<'_>) -> Vec<(String, justwhy_core::Position)> {
    const FIELDS: Fields = Fields { of: "[secrets]", known: &["recipients"] };
    let mut recipients: Vec<(String, Span)> = Vec::new();
    let Some(table) = sink.table(Tree::ROOT, "secrets") else { return Vec::new() };
    sink.check_names(table, &FIELDS);
    for item in sink.list(table, "recipients").unwrap_or_default() {
        let Some((recipient, at)) = sink.text_of(item) else { continue };
        // Who puts an identity here by mistake has made a secret public.
        let error = |message: &str| Error::new("bad-project", message);
        let how = "justwhy identity new FILE prints a recipient: age1 and 58 lower-case letters and \
                   digits";
        if recipient.trim_start().to_ascii_uppercase().starts_with("AGE-SECRET-KEY-") {
            let error = error("this is an identity, which must stay secret, not a recipient");
            let help = "remove it and make a new one: everybody who has read this file can decrypt \
                        with it";
            sink.error(error.help(help).help(how), at);
        } else if !is_recipient(&recipient) {
            sink.error(error("invalid recipient: not of the age format").help(how), at);
        } else if let Some((_, first)) = recipients.iter().find(|(other, _)| *other == recipient) {
            let first = sink.position(*first);
            let error = error("duplicate recipient").also("first at", sink.file(), Some(first));
            sink.error(error.help("remove one of the two"), at);
        } else {
            recipients.push((recipient, at));
        }
    }
    recipients.into_iter().map(|(recipient, at)| (recipient, sink.position(at))).collect()
}

/// Whether a text looks like a recipient; its checksum is looked at when something is encrypted for it.
fn is_recipient(text: &str) -> bool {
    let is_digit = |c: u8| b"qpzry9x8gf2tvdw0s3jn54khce6mua7l".contains(&c);
    text.strip_prefix("age1").is_some_and(|rest| rest.len() == 58 && rest.bytes().all(is_digit))
}

/// How large files may be, and which folders references may read.
pub(super) fn limits(sink: &mut Sink<'_>) -> (Limits, Vec<String>) {
    const FIELDS: Fields =
        Fields { of: "[limits]", known: &["file_bytes", "depth", "nodes", "read_folders"] };
    let mut limits = Limits::default();
    let Some(table) = sink.table(Tree::ROOT, "limits") else {
        return (limits, Vec::new());
    };
    sink.check_names(table, &FIELDS);
    let most = i64::try_from(Limits::MOST_FILE_BYTES).unwrap_or(i64::MAX);
    if let Some(bytes) = sink.integer_within(table, "file_bytes", most) {
        limits.file_bytes = bytes.unsigned_abs();
    }
    let to_usize = |value: i64| usize::try_from(value).unwrap_or(usize::MAX);
    let most_depth = i64::try_from(Limits::MOST_DEPTH).unwrap_or(i64::MAX);
    if let Some(depth) = sink.integer_within(table, "depth", most_depth) {
        limits.depth = to_usize(depth);
    }
    if let Some(nodes) = sink.integer_within(table, "nodes", i64::from(u32::MAX) - 1) {
        limits.nodes = to_usize(nodes);
    }
    let folders = sink.list(table, "read_folders").unwrap_or_default();
    let folders = folders.into_iter().filter_map(|item| sink.text_of(item)).map(|(path, _)| path);
    (limits, folders.collect())
}
