//! A path of which nothing is escaped, as the fast path walks it.

use std::cell::Cell;

use super::answers::Answers;
use super::marks::{CHUNK, Marks, first_rare};
use super::path::{MOST_FEW, Place, end_of_path};
use super::pattern::{Pattern, Quick};
use super::slot::Slot;
use super::tree::{Edge, Tree};
use crate::rule::Simple;
use crate::template::percent::kinds;

/// Where the values of a path stand.
pub(super) type Places = [Place; MOST_FEW];

/// The path of a URL, if nothing in it has to be escaped or is escaped. A query with nothing in it has another address, and all
/// that is asked of it is asked there.
pub(super) fn path_of(url: &str) -> Option<&str> {
    // Most that have a rare byte have a query.
    let rare = if url.len() < CHUNK { 0 } else { first_rare(url.as_bytes()) };
    let end = if url.as_bytes().get(rare) == Some(&b'?') { rare } else { end_of_path(url) };
    let (path, rest) = url.split_at_checked(end)?;
    let is_plain = end == rare || kinds(path.as_bytes()).is_plain();
    (is_plain && !says_nothing(rest.as_bytes())).then_some(path)
}

/// A path of fewer bytes than are looked at at once, with letters before it.
#[inline]
pub(super) fn fill_up(path: &str) -> [u8; CHUNK] {
    const FILLER: u64 = u64::from_le_bytes([b'a'; 8]);
    let bytes = path.as_bytes();
    // A word behind so many bits of filler.
    let behind = |bits: usize, word: u64| {
        if bits < 64 { word << (bits & 63) | FILLER >> ((64 - bits) & 63) } else { FILLER }
    };
    let (low, high) = match (bytes.first_chunk::<8>(), bytes.last_chunk::<8>()) {
        (Some(first), Some(last)) => {
            (behind(8 * (CHUNK - bytes.len()), u64::from_le_bytes(*first)), u64::from_le_bytes(*last))
        }
        _ => {
            let word = bytes.iter().rev().fold(0, |word, &byte| word << 8 | u64::from(byte));
            (FILLER, behind(64 - 8 * bytes.len(), word))
        }
    };
    (u128::from(high) << 64 | u128::from(low)).to_le_bytes()
}

/// Whether an empty query follows a path.
#[inline]
fn says_nothing(rest: &[u8]) -> bool {
    let Some((b'?', query)) = rest.split_first() else { return false };
    query.iter().find(|&&byte| byte != b'&').is_none_or(|&byte| byte == b'#')
}

/// Where the values are that a walk has come by.
pub(super) struct Noted<'v> {
    pub(super) places: &'v mut Places,
    pub(super) count: usize,
}

/// A path that is walked.
pub(super) struct Path<'u, M> {
    /// Eight bytes or more.
    pub(super) bytes: &'u [u8],
    /// The same, but for so many bytes that stand before it.
    pub(super) text: &'u str,
    pub(super) shift: usize,
    pub(super) marks: M,
    /// Whether there was something that only the general path may ask.
    pub(super) is_unsure: Cell<bool>,
}

impl<'u, M: Marks> Path<'u, M> {
    #[inline(always)]
    pub(super) fn new(bytes: &'u [u8], text: &'u str, shift: usize, marks: M) -> Self {
        Self { bytes, text, shift, marks, is_unsure: Cell::new(false) }
    }

    #[inline(always)]
    pub(super) fn piece(&self, start: usize, end: usize) -> &'u [u8] {
        self.bytes.get(start..end).unwrap_or_default()
    }

    /// The eight bytes from a place on; of fewer that are left, these and zeros.
    #[inline(always)]
    pub(super) fn word(&self, start: usize) -> u64 {
        match self.bytes.get(start..start + 8).and_then(<[u8]>::first_chunk::<8>) {
            Some(word) => u64::from_le_bytes(*word),
            None => self.last_word(start),
        }
    }

    #[inline(always)]
    pub(super) fn last_word(&self, start: usize) -> u64 {
        let Some(last) = self.bytes.last_chunk::<8>() else { return 0 };
        u64::from_le_bytes(*last) >> ((8 * (start + 8 - self.bytes.len())) & 63)
    }

    /// Whether the segment at a place is this literal.
    #[inline(always)]
    pub(super) fn is_literal(&self, tree: &Tree, slot: &Slot, word: u64, ahead: u64, start: usize) -> bool {
        let length = usize::from(slot.length);
        slot.has_head(word)
            && ahead >> (length & 63) & 1 == 1
            && (length <= 8
                || (self.word(start + length - 8) == slot.tail
                    && (length <= 16 || self.is_text(tree, slot, start, length))))
    }

    #[inline(never)]
    pub(super) fn is_text(&self, tree: &Tree, slot: &Slot, start: usize, length: usize) -> bool {
        let text = tree.text.as_bytes().get(slot.text as usize..slot.text as usize + length);
        text == Some(self.piece(start, start + length))
    }

    /// Where a segment of that number begins.
    pub(super) fn start_of(&self, at: usize) -> usize {
        let mut start = self.shift + 1;
        for _ in 0..at {
            start += self.marks.ahead(start).trailing_zeros() as usize + 1;
        }
        start
    }

    /// Whether a pattern accepts a segment. Then it notes where the values in it stand.
    #[inline(never)]
    pub(super) fn asks(
        &self,
        pattern: &Pattern,
        start: usize,
        end: usize,
        answers: &dyn Answers,
        noted: &mut Noted<'_>,
    ) -> bool {
        if let Some(test) = pattern.sole() {
            return test.accepts(self.piece(start, end)) && self.note(start, end, noted);
        }
        if pattern.asks_lists() && (self.is_unsure.get() || !self.marks.is_normal(self.bytes, 0)) {
            // A list is asked by the general path, or of the address that such a URL leads to.
            self.is_unsure.set(true);
            return false;
        }
        let text = self.text.get(start - self.shift..end - self.shift).unwrap_or_default();
        let values = pattern.values_in(&pattern.readable(text, text), answers);
        values.is_some_and(|values| values.iter().all(|&(from, to)| self.note(start + from, start + to, noted)))
    }

    /// Notes where a value stands; where there is no room, the general path has to be asked.
    #[inline(always)]
    pub(super) fn note(&self, start: usize, end: usize, noted: &mut Noted<'_>) -> bool {
        let Some(value) = noted.places.get_mut(noted.count) else {
            self.is_unsure.set(true);
            return false;
        };
        *value = Place::new(start, end);
        noted.count += 1;
        true
    }

    /// Whether the pattern of an edge accepts a segment. Then it notes where the values in it stand.
    pub(super) fn fits(
        &self,
        tree: &Tree,
        edge: &Edge,
        start: usize,
        end: usize,
        answers: &dyn Answers,
        noted: &mut Noted<'_>,
    ) -> bool {
        let piece = self.piece(start, end);
        let fits = match edge.quick {
            Quick::Any => true,
            Quick::Integer => Simple::Integer.accepts(piece),
            Quick::Date => Simple::Date.accepts(piece),
            Quick::Whole => return self.asks(tree.pattern(edge.pattern), start, end, answers, noted),
        };
        fits && self.note(start, end, noted)
    }

    /// Whether a segment of that length can be a value as it stands. One that is empty, or may be of dots, is for the general path,
    /// and so
    /// is one that ends beyond the marks.
    #[inline(always)]
    pub(super) fn is_value(&self, start: usize, length: usize) -> bool {
        length.wrapping_sub(1) < 63 && self.bytes.get(start) != Some(&b'.')
    }
}
