//! Passwords inside of strings: in addresses, queries and connection strings, however carelessly they
//! are written. What is no valid address is read by some program all the same, so that nothing here
//! asks whether one is valid: in doubt more is hidden than need be.

use super::is_secret_name;
use std::ops::Range;

/// What is in place of a password.
const HIDDEN: &str = "***";

/// Schemes whose part before `@` is no user with a password.
const WITHOUT_PASSWORD: [&str; 12] = [
    "acct",
    "data",
    "docker",
    "file",
    "im",
    "link",
    "mailto",
    "npm",
    "sip",
    "sips",
    "workspace",
    "xmpp",
];
/// Schemes in which a user alone is mostly a token.
const WEB: [&str; 6] = ["http", "https", "git+http", "git+https", "ws", "wss"];
/// Names of parameters that hold a secret, besides those that [`is_secret_name`] knows.
const PARAMETERS: [&str; 6] =
    ["access_key", "apikey", "pass", "pwd", "shared_access_key", "signature"];
/// The same, but only in the query of an address, as elsewhere they mean much else.
const QUERY_PARAMETERS: [&str; 5] = ["auth", "jwt", "key", "sas", "sig"];
/// A user of more characters is taken for a token in any scheme.
const LONGEST_USER: usize = 20;

/// The text with every password in it replaced; `None` if there is none.
pub(super) fn hide(text: &str) -> Option<String> {
    // Nearly no text has one of these.
    memchr::memchr2(b'@', b'=', text.as_bytes())?;
    let mut found = in_addresses(text);
    found.extend(in_parameters(text));
    if found.is_empty() {
        return None;
    }
    found.sort_by_key(|range| (range.start, std::cmp::Reverse(range.end)));
    let (mut out, mut done) = (String::with_capacity(text.len()), 0);
    for range in found {
        if range.start >= done {
            out.push_str(&text[done..range.start]);
            out.push_str(HIDDEN);
            done = range.end;
        } else if range.end > done {
            done = range.end;
        }
    }
    out.push_str(&text[done..]);
    (out != text).then_some(out)
}

/// Whether a line of a file may hold a part of a password: one that [`hide`] would find, or the
/// beginning of an address whose user part goes on in the next line.
pub(super) fn may_hold(line: &str) -> bool {
    hide(line).is_some()
        || schemes(line).any(|(_, start)| {
            let rest = &line[start..];
            let authority = rest.split(['/', '\\', '?', '#']).next().unwrap_or(rest);
            let Some((host, port)) = authority.split_once(':') else { return false };
            let port = port.trim_end_matches(|c: char| !c.is_alphanumeric());
            !host.starts_with('[') && !port.bytes().all(|byte| byte.is_ascii_digit())
        })
}

fn is_scheme_byte(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || b"+.-".contains(&byte)
}

fn is_slash(byte: u8) -> bool {
    matches!(byte, b'/' | b'\\' | b'\t' | b'\n' | b'\r')
}

/// Where a scheme with slashes after it begins, and where what follows the slashes does. Of a web scheme
/// the slashes may be missing.
fn schemes(text: &str) -> impl Iterator<Item = (&str, usize)> {
    let bytes = text.as_bytes();
    memchr::memchr_iter(b':', bytes).filter_map(move |colon| {
        let start = bytes[..colon].iter().rposition(|byte| !is_scheme_byte(*byte));
        let start = start.map_or(0, |at| at + 1);
        let slashes = bytes[colon + 1..].iter().take_while(|byte| is_slash(**byte)).count();
        let has_slash =
            bytes[colon + 1..colon + 1 + slashes].iter().any(|b| matches!(b, b'/' | b'\\'));
        let scheme = &text[start..colon];
        let is_one = !scheme.is_empty() && (has_slash || is_web(scheme));
        is_one.then_some((scheme, colon + 1 + slashes))
    })
}

fn is_web(scheme: &str) -> bool {
    WEB.iter().any(|web| scheme.eq_ignore_ascii_case(web))
}

fn has_no_password(scheme: &str) -> bool {
    WITHOUT_PASSWORD.iter().any(|other| scheme.eq_ignore_ascii_case(other))
}

/// The user parts of addresses.
fn in_addresses(text: &str) -> Vec<Range<usize>> {
    if memchr::memchr(b'@', text.as_bytes()).is_none() {
        return Vec::new();
    }
    let mut found = Vec::new();
    let starts: Vec<(&str, usize)> = schemes(text).collect();
    for (number, (scheme, start)) in starts.iter().enumerate() {
        if has_no_password(scheme) {
            continue;
        }
        // A password may hold a comma or a blank, so only another address ends this one.
        let next = starts.get(number + 1).map(|(scheme, _)| scheme.as_ptr() as usize);
        let end = next.map_or(text.len(), |next| next - text.as_ptr() as usize);
        let is_whole = text.trim_start().starts_with(scheme);
        found.extend(
            user_part(scheme, &text[*start..end.max(*start)], is_whole)
                .map(|range| start + range.start..start + range.end),
        );
    }
    found.extend(without_slashes(text));
    found
}

/// What to hide of `user:password@host…`, which follows the slashes of a scheme. A password with an
/// unescaped `/`, `?`, `#` or blank is no proper one, but it is one all the same.
fn user_part(scheme: &str, address: &str, is_whole: bool) -> Option<Range<usize>> {
    let word = address.split(char::is_whitespace).next().unwrap_or(address);
    let ends = ['/', '\\', '?', '#'];
    let authority = word.split(ends).next().unwrap_or(word);
    let wide = match is_whole {
        true => address.split(ends).next().unwrap_or(address),
        false => authority,
    };
    let Some(colon) = wide.find(':') else {
        let end = authority.rfind('@')?;
        let user = &authority[..end];
        let is_name = !is_web(scheme) && user.chars().count() <= LONGEST_USER;
        return (!user.is_empty() && !is_name).then_some(0..end);
    };
    let end = match wide.rfind('@') {
        // A colon after the `@` is that of the port.
        Some(end) if end < colon => {
            let user = &wide[..end];
            let is_name = !is_web(scheme) && user.chars().count() <= LONGEST_USER;
            return (!user.is_empty() && !is_name).then_some(0..end);
        }
        Some(end) => end,
        None => {
            let port = &authority[(colon + 1).min(authority.len())..];
            let is_port = !port.is_empty() && port.bytes().all(|byte| byte.is_ascii_digit());
            if is_port || authority.starts_with('[') {
                return None;
            }
            // Up to the last `@` of the word; over blanks only if the word has none.
            word.rfind('@').or_else(|| address.rfind('@'))?
        }
    };
    let password = &address[colon + 1..end];
    let user = &address[..colon];
    // Some services take a token for the user, and a password of no meaning.
    let is_token = is_web(scheme) && (password.is_empty() || user.chars().count() > LONGEST_USER);
    match (is_token, colon < end) {
        (true, _) if !user.is_empty() => Some(0..end),
        (_, true) if !password.is_empty() => Some(colon + 1..end),
        _ => None,
    }
}

/// The password of `user:password@host` without a scheme, as some database drivers take it.
fn without_slashes(text: &str) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    let mut from = 0;
    for word in text.split_whitespace() {
        let start = from + text[from..].find(word).unwrap_or_default();
        from = start + word.len();
        let inner = word.trim_start_matches(|c: char| !c.is_alphanumeric());
        let start = start + word.len() - inner.len();
        let Some(colon) = inner.find(':') else { continue };
        let Some(end) = inner.rfind('@') else { continue };
        let (user, after) = (&inner[..colon], &inner[end + 1..]);
        let is_user = !user.is_empty()
            && user.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"._%+-".contains(&byte));
        if !is_user
            || end <= colon + 1
            || has_no_password(user)
            || is_web(user)
            || is_digest(after)
            || after.is_empty()
        {
            continue;
        }
        let password = &inner[colon + 1..end];
        // What has slashes after its scheme was looked at; a port or a time is no password.
        let is_number = password.bytes().take_while(u8::is_ascii_digit).count();
        let is_port =
            is_number > 0 && matches!(password.as_bytes().get(is_number), None | Some(b'/'));
        if !password.starts_with(['/', '\\']) && !is_port {
            found.push(start + colon + 1..start + end);
        }
    }
    found
}

/// Whether that is the digest of an image rather than a host.
fn is_digest(text: &str) -> bool {
    text.split_once(':').is_some_and(|(kind, digest)| {
        kind.starts_with("sha") && digest.bytes().all(|byte| byte.is_ascii_hexdigit())
    })
}

/// The values of parameters whose names are those of secrets: `?token=…`, `Password=…;`.
fn in_parameters(text: &str) -> Vec<Range<usize>> {
    let mut found = Vec::new();
    let bytes = text.as_bytes();
    for equals in memchr::memchr_iter(b'=', bytes) {
        let before = text[..equals].trim_end();
        let is_part = |c: char| c.is_alphanumeric() || "_-.".contains(c);
        let (above, name) = before.split_at(before.trim_end_matches(is_part).len());
        if name.is_empty() || !is_parameter(name, above.ends_with(['?', '&'])) {
            continue;
        }
        let rest = &text[equals + 1..];
        let blanks = rest.len() - rest.trim_start().len();
        let value = &rest[blanks..];
        let length = match value.chars().next() {
            None => continue,
            Some(quote @ ('"' | '\'')) => value[1..].find(quote).map_or(value.len(), |end| end + 2),
            Some(_) => end_of_parameter(value),
        };
        let start = equals + 1 + blanks;
        if length > 0 {
            found.push(start..start + length);
        }
    }
    found
}

fn is_parameter(name: &str, is_in_query: bool) -> bool {
    let plain = name.to_ascii_lowercase().replace(['-', '.', '_'], "");
    let is_it = |known: &&str| known.replace('_', "") == plain;
    is_secret_name(name)
        || PARAMETERS.iter().any(&is_it)
        || is_in_query && QUERY_PARAMETERS.iter().any(is_it)
        || plain.ends_with("accesskey")
        || plain.ends_with("signature")
}

/// Where the value of a parameter ends: before `;` or `&`, else before the next parameter.
fn end_of_parameter(value: &str) -> usize {
    if let Some(end) = memchr::memchr2(b';', b'&', value.as_bytes()) {
        return end;
    }
    let mut at = 0;
    for word in value.split_inclusive(char::is_whitespace) {
        let name = word.split('=').next().unwrap_or_default();
        let is_next = at > 0
            && word.contains('=')
            && !name.is_empty()
            && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"_-.".contains(&byte));
        if is_next {
            return value[..at].trim_end().len();
        }
        at += word.len();
    }
    value.find('#').unwrap_or_else(|| value.trim_end().len())
}
