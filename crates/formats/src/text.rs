//! From bytes to text.

use crate::fault::Fault;
use justwhy_core::{SourceText, Span};

const BYTE_ORDER_MARK: &str = "\u{feff}";

/// A file's bytes as text without its byte order mark. A text that cannot be read whole comes with
/// the fault, so that its place can be shown all the same.
pub fn decode(bytes: Vec<u8>) -> (SourceText, Result<(), Fault>) {
    let (mut text, fault) = match String::from_utf8(bytes) {
        Ok(text) => (text, None),
        Err(error) => {
            let valid = error.utf8_error().valid_up_to();
            let bytes = error.into_bytes();
            let utf16 = bytes.starts_with(&[0xff, 0xfe]) || bytes.starts_with(&[0xfe, 0xff]);
            let text = String::from_utf8_lossy(&bytes[..valid]).into_owned();
            (text, Some((valid, utf16)))
        }
    };
    let mark = if text.starts_with(BYTE_ORDER_MARK) { BYTE_ORDER_MARK.len() } else { 0 };
    text.drain(..mark);
    let verdict =
        match fault {
            Some((at, utf16)) => {
                let fault = Fault::new(Span::new(at - mark, at - mark), "not UTF-8");
                Err(fault.help(if utf16 {
                    "it looks like UTF-16; save it as UTF-8"
                } else {
                    "save the file as UTF-8"
                }))
            }
            None => match memchr::memchr(0, text.as_bytes()) {
                // Forbidden by every format, and some parsers take it for the end of the text.
                Some(at) => Err(Fault::new(Span::new(at, at), "NUL character")
                    .help("this may be a binary file")),
                None => Ok(()),
            },
        };
    (SourceText::new(text), verdict)
}
