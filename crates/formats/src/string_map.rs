//! Where the bytes of a string are in the text that has it.

use justwhy_core::Span;

/// From places in a string to places in the file that has it.
pub(crate) struct Map {
    at: Span,
    /// For each line of the string: its first byte, and that byte in the file. Empty where the string is
    /// written with escapes: then everything is where the string begins.
    pub(crate) lines: Vec<(usize, usize)>,
    end: usize,
}

impl Map {
    pub(crate) fn of(inner: &str, text: &str, at: Span) -> Map {
        let (start, end) = (at.start as usize, (at.end as usize).min(text.len()));
        let raw = text.get(start..end).unwrap_or_default();
        let lines = [0, 1, 2].into_iter().find_map(|head| aligned(inner, raw, start, head));
        Map { at, lines: lines.unwrap_or_default(), end }
    }

    pub(crate) fn span(&self, span: Span) -> Span {
        if self.lines.is_empty() {
            return Span::new(self.at.start as usize, self.at.start as usize);
        }
        let (start, end) = (self.place(span.start as usize), self.place(span.end as usize));
        Span::new(start.min(self.end), end.max(start).min(self.end.max(start)))
    }

    pub(crate) fn place(&self, byte: usize) -> usize {
        let line = self.lines.partition_point(|(first, _)| *first <= byte).saturating_sub(1);
        let (first, outer) = self.lines.get(line).copied().unwrap_or_default();
        outer + byte.saturating_sub(first)
    }
}

/// The lines of a string that stand as they are in the lines of `raw`, from its line `head` on.
fn aligned(inner: &str, raw: &str, start: usize, head: usize) -> Option<Vec<(usize, usize)>> {
    let mut raw_lines = Vec::new();
    let mut at = start;
    for line in raw.split('\n') {
        raw_lines.push((at, line.strip_suffix('\r').unwrap_or(line)));
        at += line.len() + 1;
    }
    let mut lines = Vec::new();
    let mut first = 0;
    let inner_lines: Vec<&str> = inner.split('\n').collect();
    for (number, line) in inner_lines.iter().enumerate() {
        let own = line.strip_suffix('\r').unwrap_or(line);
        let place = match raw_lines.get(head + number) {
            Some((at, raw)) if raw.ends_with(own) => at + raw.len() - own.len(),
            // The first line after an opening quote, or the last before the closing one.
            Some((at, raw)) if number == 0 || number + 1 == inner_lines.len() => {
                at + raw.find(own)?
            }
            None if own.is_empty() => at.min(start + raw.len()),
            _ => return None,
        };
        lines.push((first, place));
        first += line.len() + 1;
    }
    Some(lines)
}
