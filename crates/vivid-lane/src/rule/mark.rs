//! Marks: delimiters of a URL that stand for themselves, apart from the same characters as text.
//!
//! In `/compare/a,b%2Cc` the first comma parts two items, and the second is text. Once a segment is decoded they look the
//! same, so where that matters a delimiter that was not escaped becomes a *mark*: a control character, which no segment can
//! hold otherwise. Automata are made over marked text. A set that knows nothing of lists takes a mark for the character itself,
//! which costs no more than an entry in its table of byte classes.

use crate::template::percent::{Undecodable, decode, encode_unreserved};

/// A comma that is not escaped.
pub(crate) const COMMA: u8 = 1;
/// An equals sign that is not escaped.
pub(crate) const EQUALS: u8 = 2;
/// A semicolon that is not escaped.
pub(crate) const SEMICOLON: u8 = 3;
/// What parts two values of one name in a query. It stands in no segment, and is no text anywhere.
pub(crate) const AMPERSAND: u8 = 4;

/// The marks that may be text, each with its character.
pub(crate) const MARKS: [(u8, u8); 3] = [(COMMA, b','), (EQUALS, b'='), (SEMICOLON, b';')];

/// The character of a mark; any other byte as it is.
pub(crate) fn unmarked(byte: u8) -> u8 {
    MARKS.iter().find(|(mark, _)| *mark == byte).map_or(byte, |(_, character)| *character)
}

/// Whether a segment as it was sent holds what becomes a mark.
pub(crate) fn has_delimiters(raw: &str) -> bool {
    raw.bytes().any(|byte| matches!(byte, b',' | b'=' | b';'))
}

/// A segment as it was sent, decoded, with its delimiters as marks.
pub(crate) fn marked(raw: &str) -> Result<String, Undecodable> {
    // What is escaped is no mark, so the pieces between delimiters are decoded one by one.
    let mut out = String::with_capacity(raw.len());
    let mut rest = raw;
    loop {
        let end = rest.find([',', '=', ';']).unwrap_or(rest.len());
        out.push_str(&decode(&rest[..end])?);
        let Some(delimiter) = rest.as_bytes().get(end) else { return Ok(out) };
        let mark = MARKS.iter().find(|(_, character)| character == delimiter).map_or(*delimiter, |(mark, _)| *mark);
        out.push(char::from(mark));
        rest = &rest[end + 1..];
    }
}

/// Appends marked text as a URL has it: the marks as their characters, all else but unreserved characters escaped.
pub(crate) fn encode_marked(out: &mut String, text: &str) {
    for c in text.chars() {
        match u8::try_from(c) {
            Ok(byte) if unmarked(byte) != byte => out.push(char::from(unmarked(byte))),
            _ => encode_unreserved(out, c.encode_utf8(&mut [0; 4])),
        }
    }
}

/// Marked text as plain text.
pub(crate) fn plain(marked: &str) -> String {
    marked.chars().map(|c| u8::try_from(c).map_or(c, |byte| char::from(unmarked(byte)))).collect()
}
