//! Positions in a text: the protocol counts lines from 0 and UTF-16 code units, we count bytes.

use std::ops::{Deref, Range};
use std::sync::Arc;

use serde_json::{Value as Json, json};

/// The byte at a position; one beyond the end of a line or of the text is the end.
pub(super) fn to_byte(text: &str, position: &Json) -> usize {
    let number = |key: &str| position[key].as_u64().and_then(|number| usize::try_from(number).ok()).unwrap_or(0);
    let (line, column) = (number("line"), number("character"));
    let begin = match line.checked_sub(1) {
        None => 0,
        Some(before) => text.match_indices('\n').nth(before).map_or(text.len(), |(at, _)| at + 1),
    };
    let mut units = 0;
    for (at, c) in text[begin..].char_indices() {
        if units >= column || c == '\n' {
            return begin + at;
        }
        units += c.len_utf16();
    }
    text.len()
}

/// A text, and where its lines begin, so that a position is found without counting from the first line on.
#[derive(Debug, Default)]
pub(super) struct Text {
    text: Arc<str>,
    begins: Vec<usize>,
}

impl Text {
    pub(super) fn new(text: Arc<str>) -> Self {
        let begins = std::iter::once(0).chain(text.match_indices('\n').map(|(at, _)| at + 1)).collect();
        Self { text, begins }
    }

    /// The position of a byte.
    pub(super) fn position(&self, byte: usize) -> Json {
        let byte = (0..=byte.min(self.text.len())).rev().find(|&at| self.text.is_char_boundary(at)).unwrap_or(0);
        let line = self.begins.partition_point(|begin| *begin <= byte).saturating_sub(1);
        let begin = self.begins.get(line).copied().unwrap_or(0);
        json!({ "line": line, "character": self.text[begin..byte].encode_utf16().count() })
    }

    pub(super) fn range(&self, bytes: &Range<usize>) -> Json {
        json!({ "start": self.position(bytes.start), "end": self.position(bytes.end) })
    }
}

impl Deref for Text {
    type Target = str;

    fn deref(&self) -> &str {
        &self.text
    }
}

/// Replaces a range, or all of it.
pub(super) fn edit(text: &mut String, range: &Json, new: &str) {
    if range.is_null() {
        new.clone_into(text);
        return;
    }
    let start = to_byte(text, &range["start"]);
    let end = to_byte(text, &range["end"]).max(start);
    text.replace_range(start..end, new);
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn positions_come_back(text in "[a-z\u{e9}\u{1F52D}\r\n]{0,40}", at in 0usize..60) {
            let byte = (0..=at.min(text.len())).rev().find(|&at| text.is_char_boundary(at)).expect("0 is one");
            prop_assert_eq!(to_byte(&text, &Text::new(text.as_str().into()).position(byte)), byte);
        }

        #[test]
        fn an_edit_is_what_it_says(text in "[a\u{e9}\u{1F52D}\n]{0,20}", from in 0u32..9, to in 0u32..9, line in 0u32..5) {
            let mut edited = text.clone();
            let range = json!({ "start": { "line": line, "character": from }, "end": { "line": line, "character": to } });
            edit(&mut edited, &range, "new");
            let (start, end) = (to_byte(&text, &range["start"]), to_byte(&text, &range["end"]));
            prop_assert_eq!(edited, format!("{}new{}", &text[..start], &text[end.max(start)..]));
        }
    }
}
