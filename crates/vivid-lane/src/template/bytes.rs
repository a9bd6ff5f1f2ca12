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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::first_of;

    proptest! {
        /// Eight bytes at a time or one: the same place.
        #[test]
        fn bytes_are_found_where_they_are(text in "[/?#a/é.]{0,40}") {
            for from in 0..=text.len() {
                let wanted = text.as_bytes()[from..].iter().position(|&byte| byte == b'/' || byte == b'.');
                prop_assert_eq!(first_of(text.as_bytes(), from, [b'/', b'.']), wanted.map_or(text.len(), |at| from + at));
            }
        }
    }
}
