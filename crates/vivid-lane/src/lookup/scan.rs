//! One look over the bytes of a path, sixteen at a time: where its segments end, and where the first byte is that is not common.

use smallvec::SmallVec;

use super::path::MOST_SEGMENTS;

/// How many bytes are looked at at once.
const CHUNK: usize = 16;
/// How many bytes have a bit each in one word.
const BLOCK: usize = 64;
/// The bit by which a small letter differs from its capital.
const SMALL: u8 = 0x20;

/// Where the segments of a path end. The first entry is where the path begins: the slash before the first segment.
#[derive(Debug)]
pub(super) struct Ends {
    few: [u16; FEW],
    count: usize,
    /// All of them, where they are more than a few.
    more: Option<Box<More>>,
}

type More = SmallVec<[u16; MOST_SEGMENTS + 1]>;

/// So many ends are kept without allocation.
const FEW: usize = 32;

impl Ends {
    pub(super) const NONE: Self = Self { few: [0; FEW], count: 0, more: None };

    #[inline(always)]
    pub(super) fn as_slice(&self) -> &[u16] {
        match &self.more {
            None => self.few.get(..self.count).unwrap_or_default(),
            Some(more) => more,
        }
    }

    #[inline(always)]
    pub(super) fn count(&self) -> usize {
        self.count
    }

    /// Adds an end. `None` where there are too many.
    #[inline(always)]
    pub(super) fn push(&mut self, end: usize) -> Option<()> {
        let end = narrow(end);
        match self.few.get_mut(self.count) {
            Some(free) => *free = end,
            None => self.push_more(end)?,
        }
        self.count += 1;
        Some(())
    }

    #[cold]
    fn push_more(&mut self, end: u16) -> Option<()> {
        if self.count > MOST_SEGMENTS {
            return None;
        }
        self.more.get_or_insert_with(|| Box::new(More::from_slice(&self.few))).push(end);
        Some(())
    }
}

/// A place in a URL; none that is looked up is so long that this would not hold it.
#[inline(always)]
#[allow(clippy::cast_possible_truncation, reason = "longer URLs are refused")]
pub(super) fn narrow(place: usize) -> u16 {
    place as u16
}

/// What a scan has found. The slashes are in the [`Ends`] that it was given.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Scan {
    /// The place of the first byte that is not common in paths, or the end.
    pub(super) stop: usize,
    /// Whether no segment before `stop` is empty or begins with a dot.
    pub(super) is_straight: bool,
    /// Whether the last byte before `stop` is a slash.
    pub(super) ends_with_slash: bool,
    /// Whether there are more than a few segments. Then it stopped.
    pub(super) is_deep: bool,
}

/// Which of up to 64 bytes are what, a bit each.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Bits {
    slash: u64,
    dot: u64,
    common: u64,
}

impl Bits {
    /// The bits of sixteen bytes. Common are letters, digits, `_`, and the marks from `&` to `;`. With `case` zero, capital letters
    /// are not.
    #[cfg(target_arch = "x86_64")]
    #[inline(always)]
    fn of(chunk: &[u8; CHUNK], case: u8) -> Self {
        use safe_arch::{
            cmp_eq_mask_i8_m128i, load_unaligned_m128i, m128i, min_u8_m128i, move_mask_i8_m128i, set_splat_i8_m128i,
            sub_i8_m128i, sub_saturating_u8_m128i,
        };
        let all = |byte: u8| set_splat_i8_m128i(byte.cast_signed());
        let bits = |is_it: m128i| u64::from(move_mask_i8_m128i(is_it).cast_unsigned());
        let bytes = load_unaligned_m128i(chunk);
        let letter = sub_saturating_u8_m128i(sub_i8_m128i(bytes | all(case), all(b'a')), all(b'z' - b'a'));
        let mark = sub_saturating_u8_m128i(sub_i8_m128i(bytes, all(b'&')), all(b';' - b'&'));
        let rare = min_u8_m128i(min_u8_m128i(letter, mark), bytes ^ all(b'_'));
        Self {
            slash: bits(cmp_eq_mask_i8_m128i(bytes, all(b'/'))),
            dot: bits(cmp_eq_mask_i8_m128i(bytes, all(b'.'))),
            common: bits(cmp_eq_mask_i8_m128i(rare, all(0))),
        }
    }

    /// The same for other processors, eight bytes at a time. What is not ASCII may pass for a slash or a dot here, but it is not
    /// common either, so nobody looks at it.
    #[cfg(any(not(target_arch = "x86_64"), test))]
    #[inline(always)]
    fn of_words(chunk: &[u8; CHUNK], case: u8) -> Self {
        let mut rare = [0; CHUNK];
        for (rare, &byte) in rare.iter_mut().zip(chunk) {
            let letter = (byte | case).wrapping_sub(b'a').saturating_sub(b'z' - b'a');
            let mark = byte.wrapping_sub(b'&').saturating_sub(b';' - b'&');
            *rare = letter.min(mark).min(byte ^ b'_').min(0x7F);
        }
        let bits = |bytes: &[u8; CHUNK], wanted: u8| {
            const EACH: u64 = 0x0101_0101_0101_0101;
            let of_word = |word: u64| {
                let difference = (word ^ (u64::from(wanted) * EACH)) & (0x7F * EACH);
                // The high bit of each byte without a difference; the product moves these next to each other.
                ((0x80 * EACH - difference) & (0x80 * EACH)).wrapping_mul(0x0002_0408_1020_4081) >> 56
            };
            let word = u128::from_le_bytes(*bytes);
            #[allow(clippy::cast_possible_truncation, reason = "its two halves")]
            let (low, high) = (word as u64, (word >> 64) as u64);
            of_word(low) | of_word(high) << 8
        };
        Self { slash: bits(chunk, b'/'), dot: bits(chunk, b'.'), common: bits(&rare, 0) }
    }

    #[cfg(not(target_arch = "x86_64"))]
    #[inline(always)]
    fn of(chunk: &[u8; CHUNK], case: u8) -> Self {
        Self::of_words(chunk, case)
    }

    /// The bits of up to 64 bytes, with which `all` ends, or of which it has 16 and more.
    #[inline(always)]
    fn of_block(bytes: &[u8], all: &[u8], case: u8) -> Self {
        let length = bytes.len();
        if length < CHUNK {
            let Some(last) = all.last_chunk() else { return Self::of(&filled(bytes), case) };
            let (before, bits) = (CHUNK - length, Self::of(last, case));
            return Self { slash: bits.slash >> before, dot: bits.dot >> before, common: bits.common >> before };
        }
        let mut bits = Self { slash: 0, dot: 0, common: 0 };
        for at in (0..length).step_by(CHUNK) {
            // The last sixteen reach back into those before them, of which they say the same.
            let at = at.min(length - CHUNK);
            let Some(chunk) = bytes.get(at..at + CHUNK).and_then(<[u8]>::first_chunk) else { break };
            let more = Self::of(chunk, case);
            bits.slash |= more.slash << (at & 63);
            bits.dot |= more.dot << (at & 63);
            bits.common |= more.common << (at & 63);
        }
        bits
    }
}

/// Fewer than sixteen bytes, with zeros after them.
#[inline(always)]
fn filled(bytes: &[u8]) -> [u8; CHUNK] {
    let word = match (bytes.first_chunk::<8>(), bytes.last_chunk::<8>()) {
        // Where the two overlap, they are equal.
        (Some(first), Some(last)) => {
            u128::from(u64::from_le_bytes(*first))
                | u128::from(u64::from_le_bytes(*last)) << ((8 * (bytes.len() - 8)) & 127)
        }
        _ => u128::from(small(bytes)),
    };
    word.to_le_bytes()
}

/// Fewer than eight bytes as a number, with zeros after them.
#[inline(always)]
pub(super) fn small(bytes: &[u8]) -> u64 {
    match (bytes.first_chunk::<4>(), bytes.last_chunk::<4>()) {
        (Some(first), Some(last)) => {
            u64::from(u32::from_le_bytes(*first))
                | u64::from(u32::from_le_bytes(*last)) << ((8 * (bytes.len() - 4)) & 63)
        }
        _ => bytes.iter().rev().fold(0, |word, &byte| word << 8 | u64::from(byte)),
    }
}

/// Scans a text from a place on, which is a slash, up to the first byte that is not common. Where a site ignores letter case,
/// capital letters are not common.
#[inline(always)]
pub(super) fn scan(text: &[u8], from: usize, ignores_case: bool, ends: &mut Ends) -> Scan {
    let case = if ignores_case { 0 } else { SMALL };
    let bytes = text.get(from..).unwrap_or_default();
    if bytes.len() > BLOCK {
        return scan_blocks(text, from, case, ends);
    }
    let mut seen = Scan { stop: text.len(), is_straight: true, ends_with_slash: false, is_deep: false };
    if !bytes.is_empty() {
        seen.note(from, bytes.len(), Bits::of_block(bytes, text, case), ends);
    }
    seen
}

#[inline(never)]
fn scan_blocks(text: &[u8], mut from: usize, case: u8, ends: &mut Ends) -> Scan {
    let mut seen = Scan { stop: text.len(), is_straight: true, ends_with_slash: false, is_deep: false };
    for bytes in text.get(from..).unwrap_or_default().chunks(BLOCK) {
        if seen.note(from, bytes.len(), Bits::of_block(bytes, text, case), ends) {
            break;
        }
        from += bytes.len();
    }
    seen
}

impl Scan {
    /// Notes what a block has that begins at a place. Whether that was the last one.
    #[inline(always)]
    fn note(&mut self, start: usize, mut width: usize, bits: Bits, ends: &mut Ends) -> bool {
        let Bits { mut slash, mut dot, common } = bits;
        let rare = !common & (u64::MAX >> ((BLOCK - width) & 63));
        if rare != 0 {
            width = rare.trailing_zeros() as usize;
            let before = (1 << width) - 1;
            (slash, dot) = (slash & before, dot & before);
            self.stop = start + width;
        }
        // A slash or a dot right after a slash.
        self.is_straight &= (slash << 1 | u64::from(self.ends_with_slash)) & (slash | dot) == 0;
        if width > 0 {
            self.ends_with_slash = slash >> (width - 1) & 1 == 1;
        }
        let mut count = ends.count;
        while slash != 0 {
            let end = narrow(start + slash.trailing_zeros() as usize);
            match ends.few.get_mut(count) {
                Some(free) => *free = end,
                // It is read in another way.
                None => {
                    self.is_deep = true;
                    break;
                }
            }
            count += 1;
            slash &= slash - 1;
        }
        ends.count = count;
        self.is_deep || rare != 0
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn is_common(byte: u8, ignores_case: bool) -> bool {
        (byte.is_ascii_alphanumeric() && !(ignores_case && byte.is_ascii_uppercase()))
            || byte == b'_'
            || (b'&'..=b';').contains(&byte)
    }

    /// The same, a byte at a time.
    fn scan_bytes(text: &str, from: usize, ignores_case: bool) -> (Scan, Vec<usize>) {
        let rest = &text.as_bytes()[from..];
        let width = rest.iter().position(|&byte| !is_common(byte, ignores_case)).unwrap_or(rest.len());
        let seen = &rest[..width];
        let odd = |pair: &[u8]| pair[0] == b'/' && matches!(pair[1], b'/' | b'.');
        let ends = (0..width).filter(|&at| seen[at] == b'/').map(|at| from + at).collect();
        let scan = Scan {
            stop: from + width,
            is_straight: !seen.windows(2).any(odd),
            ends_with_slash: seen.last() == Some(&b'/'),
            is_deep: false,
        };
        (scan, ends)
    }

    proptest! {
        /// Sixteen bytes at a time or one: the same.
        #[test]
        fn a_scan_finds_what_is_there(
            before in "[a-z/:.]{0,20}",
            path in "/([a-zA-Z0-9_.&;-]{0,9}/?|/){0,24}",
            rest in "[?#%é~ ]?[/a.?=é]{0,80}",
            ignores_case: bool,
        ) {
            let text = format!("{before}{path}{rest}");
            let mut ends = Ends::NONE;
            let found = scan(text.as_bytes(), before.len(), ignores_case, &mut ends);
            let (wanted, places) = scan_bytes(&text, before.len(), ignores_case);
            prop_assert_eq!(found, wanted, "{}", text);
            prop_assert_eq!(ends.as_slice().iter().map(|&end| usize::from(end)).collect::<Vec<_>>(), places, "{}", text);
        }

        /// Every byte is common or not, also where no processor helps.
        #[test]
        fn sixteen_bytes_are_looked_at_at_once(chunk: [u8; CHUNK], case in prop::sample::select(&[0, SMALL][..])) {
            let bits = |is_it: &dyn Fn(u8) -> bool| (0..CHUNK).fold(0, |bits, at| bits | u64::from(is_it(chunk[at])) << at);
            let wanted = Bits {
                slash: bits(&|byte| byte == b'/'),
                dot: bits(&|byte| byte == b'.'),
                common: bits(&|byte| is_common(byte, case == 0)),
            };
            prop_assert_eq!(Bits::of(&chunk, case), wanted);
            let words = Bits::of_words(&chunk, case);
            let seen = Bits { slash: words.slash & wanted.common, dot: words.dot & wanted.common, ..words };
            prop_assert_eq!(seen, wanted);
        }
    }

    #[test]
    fn a_deep_path_is_noticed() {
        let seen = |count| {
            let mut ends = Ends::NONE;
            scan("/a".repeat(count).as_bytes(), 0, false, &mut ends)
        };
        assert!(!seen(FEW).is_deep);
        assert!(seen(FEW + 1).is_deep);
    }
}
