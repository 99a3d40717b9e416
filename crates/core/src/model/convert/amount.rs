//! Durations and sizes: what a text amounts to.

/// A length of time, in nanoseconds; negative if it goes back.
pub type Nanoseconds = i128;

const SECOND: Nanoseconds = 1_000_000_000;
const MINUTE: Nanoseconds = 60 * SECOND;
const HOUR: Nanoseconds = 60 * MINUTE;
const DAY: Nanoseconds = 24 * HOUR;
const WEEK: Nanoseconds = 7 * DAY;

/// The units of a duration. There are no months and years: how long they are depends on when.
const UNITS: [(&str, Nanoseconds); 9] = [
    ("ns", 1),
    ("us", 1_000),
    ("µs", 1_000),
    ("ms", 1_000_000),
    ("s", SECOND),
    ("m", MINUTE),
    ("h", HOUR),
    ("d", DAY),
    ("w", WEEK),
];

/// Reads `1h30m`, `250ms`, `1.5s` or an ISO 8601 duration of weeks, days, hours, minutes and
/// seconds; `None` if it is none, or longer than 2⁶³ seconds.
pub fn read_duration(text: &str) -> Option<Nanoseconds> {
    let (negative, rest) = match text.strip_prefix('-') {
        Some(rest) => (true, rest),
        None => (false, text.strip_prefix('+').unwrap_or(text)),
    };
    let total = match rest.strip_prefix(['P', 'p']) {
        Some(iso) => read_iso(iso)?,
        None => read_units(rest)?,
    };
    (total <= i128::from(i64::MAX) * SECOND).then_some(if negative { -total } else { total })
}

/// `1h30m`: numbers with units, from large to small, blanks between them allowed.
fn read_units(text: &str) -> Option<Nanoseconds> {
    let mut rest = text;
    let mut total: Nanoseconds = 0;
    let mut last = Nanoseconds::MAX;
    while !rest.is_empty() {
        let (number, after) = split_number(rest)?;
        if number.contains(',') {
            return None;
        }
        let length = after.find(|c: char| !c.is_alphabetic()).unwrap_or(after.len());
        let (unit, following) = after.split_at(length);
        let (_, size) = UNITS.iter().find(|(name, _)| *name == unit)?;
        if *size >= last {
            return None;
        }
        last = *size;
        total = total.checked_add(scaled(number, *size)?.0)?;
        rest = following.trim_start_matches(' ');
        if rest.is_empty() && following.ends_with(' ') {
            return None;
        }
    }
    (last != Nanoseconds::MAX).then_some(total)
}

/// What follows the `P` of an ISO 8601 duration.
fn read_iso(text: &str) -> Option<Nanoseconds> {
    let (date, time) = match text.split_once(['T', 't']) {
        Some((date, time)) if !time.is_empty() => (date, Some(time)),
        Some(_) => return None,
        None => (text, None),
    };
    let mut total: Nanoseconds = 0;
    let mut any = false;
    let mut part = |mut rest: &str, units: &[(char, Nanoseconds)]| -> Option<()> {
        let mut left = units;
        while !rest.is_empty() {
            let (number, after) = split_number(rest)?;
            let unit = after.chars().next()?.to_ascii_uppercase();
            let at = left.iter().position(|(name, _)| *name == unit)?;
            total = total.checked_add(scaled(number, left[at].1)?.0)?;
            any = true;
            left = &left[at + 1..];
            rest = &after[1..];
            // Only the last number may have a fraction.
            if number.contains(['.', ',']) && !rest.is_empty() {
                return None;
            }
        }
        Some(())
    };
    part(date, &[('W', WEEK), ('D', DAY)])?;
    part(time.unwrap_or_default(), &[('H', HOUR), ('M', MINUTE), ('S', SECOND)])?;
    any.then_some(total)
}

/// The digits, with a fraction perhaps, that a text begins with, and what follows them.
fn split_number(text: &str) -> Option<(&str, &str)> {
    let is_part = |c: char| c.is_ascii_digit() || c == '.' || c == ',';
    let end = text.find(|c: char| !is_part(c)).unwrap_or(text.len());
    let number = &text[..end];
    let (whole, fraction) = number.split_once(['.', ',']).unwrap_or((number, "0"));
    let all_digits = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit());
    (all_digits(whole) && all_digits(fraction)).then_some((number, &text[end..]))
}

/// A decimal number times `size`, exactly: what is there, and whether anything less than one is left over.
fn scaled(number: &str, size: i128) -> Option<(i128, bool)> {
    let (whole, fraction) = number.split_once(['.', ',']).unwrap_or((number, ""));
    let fraction = fraction.trim_end_matches('0');
    // So many digits after the point leave something over of every size.
    const MOST_DIGITS: usize = 18;
    let (fraction, is_cut) = match fraction.get(..MOST_DIGITS) {
        Some(first) => (first, first.len() < fraction.len()),
        None => (fraction, false),
    };
    let total = whole.parse::<i128>().ok()?.checked_mul(size)?;
    let digits: i128 = if fraction.is_empty() { 0 } else { fraction.parse().ok()? };
    let parts = digits.checked_mul(size)?;
    let of = 10_i128.checked_pow(u32::try_from(fraction.len()).ok()?)?;
    Some((total.checked_add(parts / of)?, parts % of != 0 || is_cut))
}

/// Reads a number of bytes: `512`, `4k`, `10 MiB`, `1.5 GB`. With `i` (or a single letter, as in
/// `4k`) a unit is 1024 of the next smaller one, with only a `B` it is 1000. `None` if it is none or
/// does not fit into 63 bits.
pub fn read_size(text: &str) -> Option<u64> {
    let (number, unit) = split_number(text)?;
    let unit = unit.strip_prefix(' ').unwrap_or(unit);
    if number.contains(',') {
        return None;
    }
    let unit = match unit.to_ascii_lowercase().as_str() {
        "" if text.ends_with(' ') => return None,
        "" | "b" => 1,
        unit => {
            let step: i128 = match unit.get(1..)? {
                "" | "i" | "ib" => 1024,
                "b" => 1000,
                _ => return None,
            };
            let power = "kmgtpe".find(unit.get(..1)?)?;
            step.pow(u32::try_from(power + 1).ok()?)
        }
    };
    // Half a byte is no size.
    if unit == 1 && number.contains('.') {
        return None;
    }
    let (bytes, has_rest) = scaled(number, unit)?;
    let bytes = i64::try_from(bytes).ok().filter(|_| !has_rest)?;
    u64::try_from(bytes).ok()
}

/// A duration in its largest unit that is whole, and in words: `90 seconds`, `1.5 milliseconds`.
pub fn show_duration(nanoseconds: Nanoseconds) -> String {
    let (size, unit) = match nanoseconds.unsigned_abs() {
        1..1_000 => (1, "nanosecond"),
        1_000..1_000_000 => (1_000, "microsecond"),
        1_000_000..1_000_000_000 => (1_000_000, "millisecond"),
        _ => (SECOND, "second"),
    };
    show_amount(nanoseconds, size, unit)
}

/// A size in bytes, in words: `10,485,760 bytes`.
pub fn show_size(bytes: u64) -> String {
    show_amount(i128::from(bytes), 1, "byte")
}

/// `amount / size` with its unit, thousands set apart, in the plural unless it is one.
fn show_amount(amount: i128, size: i128, unit: &str) -> String {
    let sign = if amount < 0 { "-" } else { "" };
    let amount = amount.unsigned_abs();
    let size = size.unsigned_abs();
    let mut shown = String::new();
    let whole = (amount / size).to_string();
    for (at, digit) in whole.chars().enumerate() {
        if at > 0 && (whole.len() - at).is_multiple_of(3) {
            shown.push(',');
        }
        shown.push(digit);
    }
    let rest = amount % size;
    if rest != 0 {
        let digits = size.to_string().len() - 1;
        let fraction = format!("{rest:0digits$}");
        shown.push('.');
        shown.push_str(fraction.trim_end_matches('0'));
    }
    let plural = if shown == "1" { "" } else { "s" };
    format!("{sign}{shown} {unit}{plural}")
}
