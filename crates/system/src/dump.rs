//! Dumps of a process environment.

use std::ffi::OsString;

/// Reads a dump of a process environment: `NAME=VALUE` records that end in NUL (as `env -0` and
/// `/proc/PID/environ` have them) or, if there is no NUL, in line ends (as `env` has them, where a
/// line that begins with no name goes on with the value before).
pub fn read_dump(bytes: &[u8]) -> Vec<(OsString, OsString)> {
    let by_lines = !bytes.contains(&0);
    let mut records: Vec<Vec<u8>> = Vec::new();
    for record in bytes.split(|&byte| byte == if by_lines { b'\n' } else { 0 }) {
        match records.last_mut() {
            Some(last) if by_lines && !begins_with_name(record) => {
                last.push(b'\n');
                last.extend_from_slice(record);
            }
            _ => records.push(record.to_vec()),
        }
    }
    // What follows the last line end is no record.
    if let Some(last) = records.last_mut().filter(|last| by_lines && last.ends_with(b"\n")) {
        last.pop();
    }
    let pairs = records.iter().filter_map(|record| {
        // A name may begin with `=` on some systems; it never is empty.
        let at = 1 + record.iter().skip(1).position(|&byte| byte == b'=')?;
        Some((os_string(&record[..at]), os_string(&record[at + 1..])))
    });
    pairs.collect()
}

fn begins_with_name(line: &[u8]) -> bool {
    let name = line.split(|&byte| byte == b'=').next().unwrap_or_default();
    name.len() < line.len()
        && name.first().is_some_and(|byte| byte.is_ascii_alphabetic() || *byte == b'_')
        && name.iter().all(|byte| byte.is_ascii_alphanumeric() || *byte == b'_')
}

#[cfg(unix)]
fn os_string(bytes: &[u8]) -> OsString {
    use std::os::unix::ffi::OsStringExt as _;
    OsString::from_vec(bytes.to_vec())
}

#[cfg(not(unix))]
fn os_string(bytes: &[u8]) -> OsString {
    String::from_utf8_lossy(bytes).into_owned().into()
}
