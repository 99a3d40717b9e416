//! What the parsers alone need for a generated project: `parse-only FOLDER…` parses its files with
//! the very parsers that justwhy uses, one after the other, and throws the results away. The env
//! file is only read, as its parser is justwhy's own. Several folders are parsed at once, on a thread
//! each.

use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut folders = std::env::args_os().skip(1);
    let first = folders.next().ok_or("name the folder of a generated project")?;
    std::thread::scope(|scope| {
        let others: Vec<_> = folders
            .map(|folder| {
                scope.spawn(move || parse(Path::new(&folder)).map_err(|it| it.to_string()))
            })
            .collect();
        parse(Path::new(&first))?;
        for other in others {
            other.join().map_err(|_| "a thread has panicked")??;
        }
        Ok(())
    })
}

fn parse(folder: &Path) -> Result<(), Box<dyn std::error::Error>> {
    for file in justwhy_benches::LAYERS {
        let text = std::fs::read_to_string(folder.join(file))?;
        match file.rsplit('.').next() {
            Some("toml") => toml(&text)?,
            Some("json") => json(&text)?,
            Some("yaml") => yaml(&text)?,
            _ => {}
        }
    }
    Ok(())
}

/// Lexes and parses, and decodes every scalar and key, without building anything.
fn toml(text: &str) -> Result<(), String> {
    let source = toml_parser::Source::new(text);
    let tokens = source.lex().into_vec();
    let mut events: Vec<toml_parser::parser::Event> = Vec::with_capacity(tokens.len());
    let mut error: Option<toml_parser::ParseError> = None;
    toml_parser::parser::parse_document(&tokens, &mut events, &mut error);
    for event in &events {
        let Some(raw) = source.get(event) else { continue };
        let mut decoded = std::borrow::Cow::Borrowed("");
        match event.kind() {
            toml_parser::parser::EventKind::SimpleKey => raw.decode_key(&mut decoded, &mut error),
            toml_parser::parser::EventKind::Scalar => {
                std::hint::black_box(raw.decode_scalar(&mut decoded, &mut error));
            }
            _ => {}
        }
        std::hint::black_box(decoded);
    }
    error.map_or(Ok(()), |error| Err(error.description().to_owned()))
}

fn json(text: &str) -> Result<(), jsonc_parser::errors::ParseError> {
    let parsed = jsonc_parser::parse_to_ast(text, &Default::default(), &Default::default())?;
    std::hint::black_box(parsed.value);
    Ok(())
}

fn yaml(text: &str) -> Result<(), granit_parser::ScanError> {
    for event in granit_parser::Parser::new_from_str(text) {
        std::hint::black_box(event?);
    }
    Ok(())
}
