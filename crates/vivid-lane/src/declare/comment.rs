//! Comments of a text in TOML or YAML, by the key that they are about.

use std::collections::HashMap;
use std::sync::Arc;

use super::node::{Node, NodeKind};
use super::source::Origin;

/// The comments of a document. A comment with a line of its own is about the key that comes next; one at the end of a
/// line about the last key that begins on that line.
#[derive(Debug, Clone, Default)]
pub(super) struct Comments {
    /// By the byte at which the key begins.
    by_key: HashMap<u32, KeyComments>,
    at_end: Vec<String>,
}

/// The comments about one key.
#[derive(Debug, Clone, Default)]
pub(super) struct KeyComments {
    pub(super) above: Vec<String>,
    pub(super) beside: Option<String>,
}

impl Comments {
    /// Finds the comments: what begins with `#` outside of keys and values.
    pub(super) fn of(origin: &Arc<Origin>, root: &Node) -> Self {
        let mut words = Vec::new();
        gather(root, &mut words);
        words.sort_unstable();
        let text = origin.text();
        let mut comments = Self::default();
        let mut waiting: Vec<String> = Vec::new();
        let mut at = 0;
        // The keys of the line that is being read.
        let mut last_key = None;
        let mut words = words.into_iter().peekable();
        let mut is_alone = true;
        let mut empty_lines = 0;
        while at < text.len() {
            while words.next_if(|word| word.end <= at).is_some() {}
            if let Some(word) = words.peek().filter(|word| word.start <= at) {
                if word.is_key {
                    // Both fit into 32 bits, as the places of a source do.
                    let start = u32::try_from(word.start).unwrap_or(u32::MAX);
                    if !waiting.is_empty() {
                        comments.by_key.entry(start).or_default().above.append(&mut waiting);
                    }
                    last_key = Some(start);
                }
                is_alone = false;
                at = word.end.max(at + 1);
                words.next();
                continue;
            }
            match text.as_bytes()[at] {
                b'\n' => {
                    empty_lines = if is_alone { empty_lines + 1 } else { 0 };
                    (is_alone, last_key) = (true, None);
                    at += 1;
                }
                b'#' => {
                    let end = text[at..].find('\n').map_or(text.len(), |length| at + length);
                    let line = text[at..end].trim_start_matches('#').trim();
                    match last_key.filter(|_| !is_alone) {
                        Some(key) => comments.by_key.entry(key).or_default().beside = Some(line.to_owned()),
                        None => {
                            if empty_lines > 0 && !waiting.is_empty() {
                                waiting.push(String::new());
                            }
                            waiting.push(line.to_owned());
                        }
                    }
                    // The line has its break still to come, which is not one of an empty line.
                    (is_alone, empty_lines, at) = (false, 0, end);
                }
                byte => {
                    is_alone &= byte.is_ascii_whitespace();
                    at += 1;
                }
            }
        }
        comments.at_end = waiting;
        comments
    }

    pub(super) fn of_key(&self, start: u32) -> Option<&KeyComments> {
        self.by_key.get(&start)
    }

    pub(super) fn at_end(&self) -> &[String] {
        &self.at_end
    }
}

/// A stretch of text that no comment begins in.
#[derive(Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Word {
    start: usize,
    end: usize,
    is_key: bool,
}

fn gather(node: &Node, words: &mut Vec<Word>) {
    match &node.kind {
        NodeKind::List(items) => items.iter().for_each(|item| gather(item, words)),
        NodeKind::Table(entries) => entries.iter().for_each(|entry| {
            let key = entry.span.bytes();
            words.push(Word { start: key.start, end: key.end, is_key: true });
            gather(&entry.value, words);
        }),
        _ => {
            let value = node.span.bytes();
            words.push(Word { start: value.start, end: value.end, is_key: false });
        }
    }
}
