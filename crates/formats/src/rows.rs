//! Files of rows: CSV with a header, a JSON array, JSON lines. One row is read at a time.

use crate::Limits;
use crate::fault::Fault;
use crate::json::{self, Dialect};
use crate::lowering::Lowering;
use crate::manner::Manner;
use crate::paths::Paths;
use crate::tree::Tree;
use csv::{ReaderBuilder, StringRecord};
use justwhy_core::{Document, KeyPath, Keys, Span};
use std::borrow::Cow;

/// A format of files of rows.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum RowFormat {
    /// RFC 4180, the first record names the columns.
    Csv,
    /// One array, whose items are objects.
    Json,
    /// An object on each line that is not blank.
    JsonLines,
}

impl RowFormat {
    /// The format that a file's name shows.
    pub fn of_path(path: &str) -> Option<RowFormat> {
        match path.rsplit('/').next()?.rsplit_once('.')?.1 {
            "csv" => Some(RowFormat::Csv),
            "json" => Some(RowFormat::Json),
            "jsonl" | "ndjson" => Some(RowFormat::JsonLines),
            _ => None,
        }
    }

    /// Whether everything in it is a text.
    pub fn is_untyped(self) -> bool {
        self == RowFormat::Csv
    }

    /// How many rows there are; none in a text that cannot be read.
    pub fn count(self, text: &str, limits: Limits) -> usize {
        match self {
            RowFormat::Csv => {
                let reader = ReaderBuilder::new().flexible(true).from_reader(text.as_bytes());
                reader.into_records().map_while(Result::ok).count()
            }
            RowFormat::Json => json::parse_rows(text, limits).map_or(0, |(_, rows)| rows.len()),
            RowFormat::JsonLines => text.lines().filter(|line| !line.trim().is_empty()).count(),
        }
    }

    /// Row `wanted` (from 1) of the text.
    pub fn row(
        self,
        text: &str,
        wanted: usize,
        keys: &mut Keys,
        limits: Limits,
    ) -> Result<Document, Fault> {
        match self {
            RowFormat::Csv => csv_row(text, wanted, keys, limits),
            RowFormat::Json => {
                let (tree, rows) = json::parse_rows(text, limits)?;
                let row = rows.get(wanted.wrapping_sub(1)).copied();
                let row = row.ok_or_else(|| past_end(text, wanted, rows.len()))?;
                Lowering::new(&tree, keys, limits).lower(row)
            }
            RowFormat::JsonLines => json_line(text, wanted, keys, limits),
        }
    }
}

fn past_end(text: &str, wanted: usize, count: usize) -> Fault {
    let rows = match count {
        1 => "1 row".to_owned(),
        count => format!("{count} rows"),
    };
    Fault::new(
        Span::new(text.len(), text.len()),
        format!("row {wanted} not found: the file has {rows}"),
    )
    .help("row numbers begin with 1")
}

/// The same document so many bytes further on.
fn shifted(mut document: Document, by: usize) -> Document {
    let shift = |span: &mut Span| *span = moved(*span, by);
    for leaf in &mut document.leaves {
        leaf.at.iter_mut().for_each(shift);
        leaf.value = leaf.value.clone().with_places(&|span| moved(span, by));
    }
    let tables = document.tables.iter_mut().chain(&mut document.empty_tables);
    tables.chain(&mut document.left_out).for_each(|(_, place)| shift(place));
    document
}

fn moved(span: Span, by: usize) -> Span {
    Span::new(span.start as usize + by, span.end as usize + by)
}

fn json_line(
    text: &str,
    wanted: usize,
    keys: &mut Keys,
    limits: Limits,
) -> Result<Document, Fault> {
    let mut start = 0;
    let mut count = 0;
    for line in text.split('\n') {
        let at = start;
        start += line.len() + 1;
        if line.trim().is_empty() {
            continue;
        }
        count += 1;
        if count < wanted {
            continue;
        }
        let shift = |fault: Fault| Fault {
            at: moved(fault.at, at),
            also: fault.also.map(|(what, also)| (what, moved(also, at))),
            ..fault
        };
        let tree = json::parse(line, limits, Dialect::Strict, Manner::default()).map_err(shift)?;
        let document = Lowering::new(&tree, keys, limits).lower(Tree::ROOT).map_err(shift)?;
        return Ok(shifted(document, at));
    }
    Err(past_end(text, wanted, count))
}

fn csv_row(text: &str, wanted: usize, keys: &mut Keys, limits: Limits) -> Result<Document, Fault> {
    let mut reader =
        ReaderBuilder::new().has_headers(false).flexible(true).from_reader(text.as_bytes());
    let mut header: Option<(StringRecord, Vec<Span>)> = None;
    let mut record = StringRecord::new();
    let mut count = 0;
    loop {
        let before = offset(reader.position().byte());
        let is_there = reader
            .read_record(&mut record)
            .map_err(|_| Fault::new(Span::new(before, before), "this row cannot be read"))?;
        let end = offset(reader.position().byte()).min(text.len());
        if !is_there {
            break;
        }
        let start = record.position().map_or(before, |position| offset(position.byte()));
        let start = start + blank_lines(&text[start..end]);
        check_quotes(&text[start..end], start)?;
        let Some((names, name_places)) = &header else {
            header = Some((record.clone(), fields(&text[start..end], start)));
            continue;
        };
        count += 1;
        if record.len() != names.len() {
            let message =
                format!("this row has {} fields, the header {}", record.len(), names.len());
            return Err(Fault::new(Span::new(start, start), message)
                .help("give every column a field; quote a field with a comma"));
        }
        if count == wanted {
            let places = fields(&text[start..end], start);
            let tree = row_tree((names, name_places), (&record, &places))?;
            return Lowering::new(&tree, keys, limits).lower(Tree::ROOT);
        }
    }
    if header.is_none() {
        let fault = Fault::new(Span::new(0, 0), "no header with the names of the columns");
        return Err(fault.help("the first line of a CSV file has the names of its columns"));
    }
    Err(past_end(text, wanted, count))
}

fn offset(byte: u64) -> usize {
    usize::try_from(byte).unwrap_or(usize::MAX)
}

/// How many bytes of blank lines, which are no rows, are before a record.
fn blank_lines(text: &str) -> usize {
    text.len() - text.trim_start_matches(['\r', '\n']).len()
}

/// A field that begins with a quote and never ends would take in all rows after it, in silence.
fn check_quotes(record: &str, start: usize) -> Result<(), Fault> {
    if record.bytes().filter(|byte| *byte == b'"').count() % 2 == 0 {
        return Ok(());
    }
    let at = start + record.find('"').unwrap_or_default();
    Err(Fault::new(Span::new(at, at), "unterminated quote in this row")
        .help("quote the whole field, and double each quote in it: \"5\"\" pipe\""))
}

/// Where each field of a record is, an opening quote included.
fn fields(record: &str, start: usize) -> Vec<Span> {
    let mut places = Vec::new();
    let (mut begin, mut is_quoted) = (0, false);
    for (at, byte) in record.bytes().enumerate() {
        match byte {
            // Two of them in a row end and begin again, so that nothing changes.
            b'"' if is_quoted || at == begin => is_quoted = !is_quoted,
            b'"' => is_quoted = record[begin..].starts_with('"') && !is_quoted,
            b',' if !is_quoted => {
                places.push(Span::new(start + begin, start + at));
                begin = at + 1;
            }
            _ => {}
        }
    }
    let end = record.trim_end_matches(['\r', '\n']).len().max(begin);
    places.push(Span::new(start + begin, start + end));
    places
}

fn row_tree(
    (names, name_places): (&StringRecord, &[Span]),
    (record, places): (&StringRecord, &[Span]),
) -> Result<Tree<'static>, Fault> {
    let mut paths = Paths::for_text(record.as_slice().len());
    let place = |places: &[Span], number: usize| places.get(number).copied().unwrap_or_default();
    for (number, (name, value)) in names.iter().zip(record).enumerate() {
        let (name_at, at) = (place(name_places, number), place(places, number));
        let name = name.trim();
        if name.is_empty() {
            return Err(Fault::new(name_at, "a column has no name")
                .help("the first line of a CSV file has the names of its columns"));
        }
        let path = KeyPath::parse(name).unwrap_or_else(|_| KeyPath::single(name));
        let segments: Vec<&str> = path.segments().collect();
        let (last, above) = segments.split_last().unwrap_or((&name, &[]));
        let mut table = Tree::ROOT;
        for segment in above {
            table = paths.table(table, segment, name_at)?;
        }
        paths.value(table, last, name_at, at, Cow::Owned(value.to_owned()))?;
    }
    Ok(paths.tree)
}
