//! Where the segments of a path end, and whether it has bytes that are rare in paths: sixteen of them are looked at at once.

/// How many bytes are looked at at once.
pub(super) const CHUNK: usize = 16;
/// The longest URL that is marked: places in it, and the one behind its end, are kept in a byte.
pub(crate) const LONGEST: usize = 254;

/// A bit for each place at which a segment ends: where a slash stands, and at the end of the path.
pub(super) trait Marks: Copy {
    /// The bits from a place on, the first 64 of them.
    fn ahead(&self, start: usize) -> u64;

    /// Whether no segment of the marked bytes that begins at a place or after it is empty or begins with a dot.
    fn is_normal(&self, bytes: &[u8], from: usize) -> bool;
}

/// Those of at most 62 bytes, so that a bit is left behind the last one.
#[derive(Debug, Clone, Copy)]
pub(super) struct Few(u64);

/// Those of a longer path.
#[derive(Debug, Clone, Copy)]
pub(super) struct Many([u64; 5]);

impl Few {
    pub(super) const LONGEST: usize = 62;

    /// The marks of a URL of 16 to 62 bytes, and whether none of its bytes is rare: else they mean nothing for what
    /// is more than a path.
    #[inline(always)]
    pub(super) fn of(bytes: &[u8]) -> (Self, bool) {
        let (chunks, _) = bytes.as_chunks::<CHUNK>();
        let Some(last) = bytes.last_chunk::<CHUNK>() else { return (Self(0), false) };
        let mut rare = [0; CHUNK];
        note_rare(&mut rare, last);
        // The last chunk reaches back into the one before it.
        let mut marks = bits_of(last, b'/') << ((bytes.len() - CHUNK) & 63) | 1 << (bytes.len() & 63);
        for (at, chunk) in chunks.iter().enumerate() {
            note_rare(&mut rare, chunk);
            marks |= bits_of(chunk, b'/') << ((at * CHUNK) & 63);
        }
        (Self(marks), rare == [0; CHUNK])
    }

    /// The marks of a path that fills up one chunk.
    #[inline]
    pub(super) fn of_chunk(chunk: &[u8; CHUNK]) -> (Self, bool) {
        let mut rare = [0; CHUNK];
        note_rare(&mut rare, chunk);
        (Self(bits_of(chunk, b'/') | 1 << CHUNK), rare == [0; CHUNK])
    }

    /// The marks of a path that is the beginning of what was marked.
    pub(super) fn up_to(self, end: usize) -> Self {
        let end = 1 << (end & 63);
        Self(self.0 & (end - 1) | end)
    }
}

impl Marks for Few {
    #[inline(always)]
    fn ahead(&self, start: usize) -> u64 {
        self.0 >> (start & 63)
    }

    #[inline]
    fn is_normal(&self, bytes: &[u8], from: usize) -> bool {
        let (chunks, _) = bytes.as_chunks::<CHUNK>();
        let Some(last) = bytes.last_chunk::<CHUNK>() else { return false };
        let mut dots = bits_of(last, b'.') << ((bytes.len() - CHUNK) & 63);
        for (at, chunk) in chunks.iter().enumerate() {
            dots |= bits_of(chunk, b'.') << ((at * CHUNK) & 63);
        }
        // An end right behind a slash, or a dot.
        (self.0 << 1 & (self.0 | dots)) >> (from & 63) == 0
    }
}

impl Many {
    /// The marks of a URL of 16 to 254 bytes.
    #[inline]
    pub(super) fn of(bytes: &[u8]) -> (Self, bool) {
        let (chunks, rest) = bytes.as_chunks::<CHUNK>();
        let Some(last) = bytes.last_chunk::<CHUNK>() else { return (Self([0; 5]), false) };
        let mut rare = [0; CHUNK];
        let mut marks = [0; 5];
        for (at, chunk) in chunks.iter().enumerate() {
            note_rare(&mut rare, chunk);
            marks[(at / 4) & 3] |= bits_of(chunk, b'/') << ((at * CHUNK) & 63);
        }
        if !rest.is_empty() {
            note_rare(&mut rare, last);
            marks[(bytes.len() / 64) & 3] |=
                bits_of(last, b'/') >> (CHUNK - rest.len()) << ((chunks.len() * CHUNK) & 63);
        }
        marks[(bytes.len() / 64) & 3] |= 1 << (bytes.len() & 63);
        (Self(marks), rare == [0; CHUNK])
    }

    /// The marks of a path that is the beginning of what was marked.
    pub(super) fn up_to(mut self, end: usize) -> Self {
        let (word, end) = ((end / 64) & 3, 1 << (end & 63));
        self.0[word] = self.0[word] & (end - 1) | end;
        self.0[word + 1..].fill(0);
        self
    }
}

impl Marks for Many {
    #[inline(always)]
    fn ahead(&self, start: usize) -> u64 {
        let (word, bit) = ((start / 64) & 3, start & 63);
        self.0[word] >> bit | self.0[word + 1] << 1 << (63 - bit)
    }

    fn is_normal(&self, bytes: &[u8], from: usize) -> bool {
        // A segment begins after its slash.
        let bytes = bytes.get(from.saturating_sub(1)..).unwrap_or_default();
        // Without a way out of it, the compiler makes vector instructions of this loop.
        let is_odd = |(&one, &next): (&u8, &u8)| (one == b'/') & ((next == b'/') | (next == b'.'));
        !bytes.ends_with(b"/") && !bytes.iter().zip(bytes.iter().skip(1)).fold(false, |any, pair| any | is_odd(pair))
    }
}

/// Notes which of sixteen bytes are rare in paths, or may not stand there as they are: zero for letters, digits, `_`, and
/// the marks from `&` to `;`. The compiler makes a handful of vector instructions of this loop.
#[inline(always)]
fn note_rare(rare: &mut [u8; CHUNK], chunk: &[u8; CHUNK]) {
    for (rare, &byte) in rare.iter_mut().zip(chunk) {
        let letter = (byte | 0x20).wrapping_sub(b'a').saturating_sub(b'z' - b'a');
        let mark = byte.wrapping_sub(b'&').saturating_sub(b';' - b'&');
        *rare |= letter.min(mark).min(byte ^ b'_');
    }
}

/// Where the first byte is that is rare in paths.
pub(super) fn first_rare(bytes: &[u8]) -> usize {
    let rare_of = |chunk: &[u8; CHUNK]| {
        let mut rare = [0; CHUNK];
        note_rare(&mut rare, chunk);
        rare.iter().position(|&byte| byte != 0)
    };
    let (chunks, _) = bytes.as_chunks::<CHUNK>();
    for (at, chunk) in chunks.iter().enumerate() {
        if let Some(place) = rare_of(chunk) {
            return at * CHUNK + place;
        }
    }
    let Some(last) = bytes.last_chunk::<CHUNK>() else { return 0 };
    rare_of(last).map_or(bytes.len(), |place| bytes.len() - CHUNK + place)
}

/// A bit for each byte of a kind among sixteen ASCII bytes. Every x86-64 processor has an instruction that makes bits of a
/// comparison, which the compiler does not find by itself.
#[cfg(target_arch = "x86_64")]
#[inline]
fn bits_of(chunk: &[u8; CHUNK], byte: u8) -> u64 {
    use safe_arch::{cmp_eq_mask_i8_m128i, load_unaligned_m128i, move_mask_i8_m128i, set_splat_i8_m128i};
    let is_it = cmp_eq_mask_i8_m128i(load_unaligned_m128i(chunk), set_splat_i8_m128i(byte.cast_signed()));
    u64::from(move_mask_i8_m128i(is_it).cast_unsigned())
}

/// A bit for each byte of a kind among sixteen ASCII bytes, eight of them at a time. What is not ASCII gives bits that mean
/// nothing, but [`note_rare`] then knows of it.
#[cfg(any(not(target_arch = "x86_64"), test))]
#[inline]
fn bits_of_words(chunk: &[u8; CHUNK], byte: u8) -> u64 {
    const EACH: u64 = 0x0101_0101_0101_0101;
    let of_word = |word: u64| {
        // The high bit of each byte that is it: for these the difference is 0, for all others 1 to 127.
        let high_bits = (0x80 * EACH).wrapping_sub(word ^ (u64::from(byte) * EACH)) & (0x80 * EACH);
        // The product moves them next to each other.
        high_bits.wrapping_mul(0x0002_0408_1020_4081) >> 56
    };
    let word = u128::from_le_bytes(*chunk);
    #[allow(clippy::cast_possible_truncation, reason = "its two halves")]
    let (low, high) = (word as u64, (word >> 64) as u64);
    of_word(low) | of_word(high) << 8
}

#[cfg(not(target_arch = "x86_64"))]
use bits_of_words as bits_of;

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Where segments end, a byte at a time.
    fn ends(path: &str) -> Vec<usize> {
        path.match_indices('/').map(|(at, _)| at).chain([path.len()]).collect()
    }

    fn marked(marks: impl Marks, length: usize) -> Vec<usize> {
        (0..=length).filter(|&at| marks.ahead(at) & 1 == 1).collect()
    }

    proptest! {
        /// Whichever way they are found on a processor.
        #[test]
        fn each_slash_has_its_bit(bytes: [u8; CHUNK], at_slash: [bool; CHUNK]) {
            let bytes: [u8; CHUNK] = std::array::from_fn(|at| if at_slash[at] { b'/' } else { bytes[at] & 0x7F });
            let expected = (0..CHUNK).filter(|&at| bytes[at] == b'/').fold(0, |bits, at| bits | 1 << at);
            prop_assert_eq!(bits_of(&bytes, b'/'), expected);
            prop_assert_eq!(bits_of_words(&bytes, b'/'), expected);
        }

        /// Sixteen bytes at a time or one, and for any beginning of what was marked.
        #[test]
        fn segments_end_where_they_are_marked(path in "[/a-z0-9._]{16,254}", part in 0_usize..=254) {
            let (many, is_plain) = Many::of(path.as_bytes());
            prop_assert!(is_plain);
            prop_assert_eq!(marked(many, path.len()), ends(&path));
            let part = part.min(path.len());
            prop_assert_eq!(marked(many.up_to(part), path.len()), ends(&path[..part]));
            let short = &path[..path.len().min(Few::LONGEST)];
            let (few, is_plain) = Few::of(short.as_bytes());
            prop_assert!(is_plain);
            prop_assert_eq!(marked(few, short.len()), ends(short));
            let part = part.min(short.len());
            prop_assert_eq!(marked(few.up_to(part), short.len()), ends(&short[..part]));
        }

        /// A path is in its normal form if no segment is empty, and none is to be looked at for dots; and so is what follows a
        /// place of it.
        #[test]
        fn normal_paths_are_told(path in "(/[a-z.]{0,3}){1,20}") {
            let path = format!("/aaaaaaaaaaaaaaaa{path}");
            let segments: Vec<&str> = path.split('/').skip(1).collect();
            let mut from = 1;
            for at in 0..segments.len() {
                let wanted = segments[at..].iter().all(|segment| !segment.is_empty() && !segment.starts_with('.'));
                prop_assert_eq!(Many::of(path.as_bytes()).0.is_normal(path.as_bytes(), from), wanted);
                if path.len() <= Few::LONGEST {
                    prop_assert_eq!(Few::of(path.as_bytes()).0.is_normal(path.as_bytes(), from), wanted);
                }
                from += segments[at].len() + 1;
            }
        }

        /// The first rare byte is found where it is.
        #[test]
        fn the_first_rare_byte_is_found(path in "[a-z/]{16,60}", query in "[a-z?=%]{0,60}") {
            let text = path + &query;
            let wanted = text.find(['?', '=', '%']).unwrap_or(text.len());
            prop_assert_eq!(first_rare(text.as_bytes()), wanted);
        }

        /// A byte that may not stand in a path as it is never passes for a common one.
        #[test]
        fn rare_bytes_are_noted(path in "[a-z/]{15,200}", byte: u8, at in 0_usize..200) {
            let mut bytes = path.into_bytes();
            bytes.insert(at.min(bytes.len()), byte);
            let is_common = byte.is_ascii_alphanumeric() || (b'&'..=b';').contains(&byte) || byte == b'_';
            prop_assert_eq!(Many::of(&bytes).1, is_common);
            bytes.truncate(Few::LONGEST);
            prop_assert_eq!(Few::of(&bytes).1, bytes.iter().all(|&byte| byte.is_ascii_alphanumeric() || (b'&'..=b';').contains(&byte) || byte == b'_'));
        }
    }
}
