//! Bytes that are sought, eight of them at a time.

/// One in each byte of a word.
const ONES: u64 = 0x0101_0101_0101_0101;
/// All but the high bit of each byte of a word.
const LOW_BITS: u64 = 0x7f * ONES;

/// The high bit of each byte of a word that is zero.
#[inline]
fn zero_bytes(word: u64) -> u64 {
    !(((word & LOW_BITS) + LOW_BITS) | word | LOW_BITS)
}

/// The high bit of each byte of a word that equals one byte.
pub(crate) fn equal(word: u64, byte: u8) -> u64 {
    zero_bytes(word ^ (ONES * u64::from(byte)))
}

/// Where the first of two bytes stands, from a place on; the end, if neither is there. Eight bytes are looked at at a time.
#[inline]
pub(crate) fn first_of(bytes: &[u8], from: usize, wanted: [u8; 2]) -> usize {
    let found = |word: u64| equal(word, wanted[0]) | equal(word, wanted[1]);
    let mut at = from;
    while let Some(word) = bytes.get(at..).and_then(<[u8]>::first_chunk::<8>) {
        let found = found(u64::from_le_bytes(*word));
        if found != 0 {
            return at + found.trailing_zeros() as usize / 8;
        }
        at += 8;
    }
    let rest = bytes.get(at..).unwrap_or_default();
    let word = match bytes.last_chunk::<8>() {
        // Without those before the place.
        Some(last) if !rest.is_empty() => u64::from_le_bytes(*last) >> ((64 - 8 * rest.len()) & 63),
        _ => rest.iter().rev().fold(0, |word, &byte| word << 8 | u64::from(byte)),
    };
    // What follows the end is zero, and no byte that is wanted.
    let found = found(word);
    if found == 0 { bytes.len() } else { at + found.trailing_zeros() as usize / 8 }
}

/// What tells short texts apart, and most of the longer ones: their length, and sixteen bytes of them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Brief {
    first: u64,
    last: u64,
    length: usize,
}

impl Brief {
    #[inline]
    pub(crate) fn of(text: &str) -> Self {
        let bytes = text.as_bytes();
        let length = bytes.len();
        if let (Some(first), Some(last)) = (bytes.first_chunk(), bytes.last_chunk()) {
            return Self { first: u64::from_le_bytes(*first), last: u64::from_le_bytes(*last), length };
        }
        if let (Some(first), Some(last)) = (bytes.first_chunk(), bytes.last_chunk()) {
            return Self { first: u32::from_le_bytes(*first).into(), last: u32::from_le_bytes(*last).into(), length };
        }
        // Of three bytes and fewer these are all.
        let byte = |at: usize| bytes.get(at).map_or(0, |byte| u64::from(*byte));
        Self { first: byte(0), last: byte(1) << 8 | byte(2), length }
    }

    /// Whether it says all of the text.
    #[inline]
    pub(crate) fn is_whole(self) -> bool {
        self.length <= 16
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::{Brief, first_of};

    proptest! {
        /// Eight bytes at a time or one: the same place.
        #[test]
        fn bytes_are_found_where_they_are(text in "[/?#a/é.]{0,40}") {
            for from in 0..=text.len() {
                let wanted = text.as_bytes()[from..].iter().position(|&byte| byte == b'/' || byte == b'.');
                prop_assert_eq!(first_of(text.as_bytes(), from, [b'/', b'.']), wanted.map_or(text.len(), |at| from + at));
            }
        }

        /// Of two short texts it is the same only where they are.
        #[test]
        fn short_texts_are_told_apart(one in "[ab\\x00]{0,17}", other in "[ab\\x00]{0,17}") {
            let (brief, of_other) = (Brief::of(&one), Brief::of(&other));
            prop_assert_eq!(brief, Brief::of(&one.clone()));
            if brief.is_whole() {
                prop_assert_eq!(brief == of_other, one == other, "{} {}", one, other);
            }
        }
    }
}
