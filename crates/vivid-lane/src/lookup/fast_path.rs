//! The common case of a lookup, in as few steps as there are: a `GET` of a path that needs no decoding, in a table
//! whose nodes say on the way which branch is the narrower.
//!
//! It gives the same answers as the general path, or none: where anything is out of the ordinary (an escape, an empty
//! segment, a node without an order, a leaf that asks for a host) it says so, and the general path begins anew.

use super::answers::Answers;
use super::ask::{Target, is_vacant_query};
use super::path::{Ends, MOST_FEW, end_of_path};
use super::pattern::{PatternId, Quick};
use super::reading::Reading;
use super::route::PageId;
use super::table::Frozen;
use super::tree::{Edge, LeafId, LiteralKey, Node, NodeId, Outcome, Tree};
use crate::rule::Simple;
use crate::template::percent::kinds;

/// What the fast path finds.
pub(crate) enum FastPath {
    /// A page that is shown to whoever asks.
    Page(Short),
    /// Nothing has this path, and it is in its normal form.
    Miss,
    /// The general path has to be asked.
    Unsure,
}

/// What has to be known of a page that was found, so that its values can be read.
pub(crate) struct Short {
    pub(crate) page: PageId,
    leaf: LeafId,
    ends: [u8; MOST_FEW],
    /// Where the path ends.
    end: usize,
}

/// The longest URL that goes this way: places in it, and the one behind its end, are kept in a byte.
pub(crate) const LONGEST: usize = 254;

impl Frozen {
    /// Looks up a `GET` of a URL that begins with a slash.
    #[inline]
    pub(crate) fn fast_path(&self, url: &str, answers: &dyn Answers) -> FastPath {
        let bytes = url.as_bytes();
        if bytes.len() > self.longest_fast || bytes.first() != Some(&b'/') {
            return FastPath::Unsure;
        }
        let mut path = Path { bytes, ends: [0; BLOCKS] };
        if !path.mark() {
            let Some(end) = end_of_plain(url) else { return FastPath::Unsure };
            path = Path::marked(&bytes[..end]);
        }
        let end = path.bytes.len();
        let has_query = end < bytes.len();
        let mut ends = [0; MOST_FEW];
        let found = match end {
            8.. => self.tree.descend(&path, 1, has_query, answers, &mut ends),
            _ => self.descend_small(path.bytes, has_query, answers, &mut ends),
        };
        match found {
            Descent::Found(leaf) => match self.tree.leaf(leaf).open_page {
                Some(page) if !has_query || has_plain_query(&bytes[end..]) => {
                    FastPath::Page(Short { page, leaf, ends, end })
                }
                _ => FastPath::Unsure,
            },
            Descent::Miss if is_non_canonical(path.bytes) || (has_query && says_nothing(&bytes[end..])) => {
                FastPath::Unsure
            }
            Descent::Miss => FastPath::Miss,
            Descent::Unsure => FastPath::Unsure,
        }
    }

    /// Goes down with a path that has fewer bytes than a word.
    #[inline(never)]
    fn descend_small(&self, path: &[u8], has_query: bool, answers: &dyn Answers, ends: &mut [u8; MOST_FEW]) -> Descent {
        let mut word = [0; 8];
        let before = word.len() - path.len();
        word[before..].copy_from_slice(path);
        #[allow(clippy::cast_possible_truncation, reason = "below eight")]
        let narrow = before as u8;
        let path = Path::marked(&word);
        let found = self.tree.descend(&path, before + 1, has_query, answers, ends);
        ends.iter_mut().for_each(|end| *end = end.saturating_sub(narrow));
        found
    }

    /// How a URL is read whose page was found.
    #[inline(always)]
    pub(crate) fn fast_reading<'t, 'u>(
        &'t self,
        found: &Short,
        url: &'u str,
        host: Option<&'u str>,
    ) -> Reading<'t, 'u> {
        let (path, query) = url.split_at_checked(found.end).unwrap_or_default();
        // What is there begins with a question mark, which was looked at.
        let target = Target { host, path, sent: path, query: query.get(1..) };
        let mut reading = Reading::at(self, found.leaf, target, Ends::few(found.ends));
        if reading.target.query.is_some() {
            reading.find_query_values();
        }
        reading
    }
}

/// Where the path of a URL ends, if nothing in it has to be escaped or is escaped.
#[inline(never)]
fn end_of_plain(url: &str) -> Option<usize> {
    let end = end_of_path(url);
    let path = &url.as_bytes()[..end];
    kinds(path).is_plain().then_some(end)
}

/// Is what follows a path a query with something in it, and no fragment?
#[inline(never)]
fn has_plain_query(rest: &[u8]) -> bool {
    matches!(rest, [b'?', ..]) && !is_vacant_query(&rest[1..]) && !kinds(rest).has_fragment()
}

/// Is what follows a path a query with nothing in it? Its URL is another one, and what is missing is missing there.
#[inline(never)]
fn says_nothing(rest: &[u8]) -> bool {
    let Some((b'?', query)) = rest.split_first() else { return false };
    query.iter().find(|&&byte| byte != b'&').is_none_or(|&byte| byte == b'#')
}

enum Descent {
    Found(LeafId),
    Miss,
    Unsure,
}

/// How many bytes one word of marks speaks of.
const BLOCK: usize = 64;
/// How many are looked at at once.
const CHUNK: usize = 16;
const BLOCKS: usize = LONGEST / BLOCK + 1;

/// A path of which nothing has to be escaped, and nothing is.
struct Path<'u> {
    /// Eight bytes or more, once it is walked.
    bytes: &'u [u8],
    /// A bit for each place at which a segment ends: where a slash stands, and at the end of the path.
    ends: [u64; BLOCKS],
}

/// Where the ends of segments are that a walk has not come to yet.
struct Ahead {
    block: usize,
    /// Those of the block.
    ends: u64,
}

/// Notes which of sixteen bytes are rare in paths, or may not stand there as they are: zero for letters, digits, `_`, and
/// the marks from `&` to `;`. The compiler makes a handful of vector instructions of this loop.
#[inline]
fn note_rare(rare: &mut [u8; CHUNK], chunk: &[u8; CHUNK]) {
    for (rare, &byte) in rare.iter_mut().zip(chunk) {
        let letter = (byte | 0x20).wrapping_sub(b'a').saturating_sub(b'z' - b'a');
        let mark = byte.wrapping_sub(b'&').saturating_sub(b';' - b'&');
        *rare |= letter.min(mark).min(byte ^ b'_');
    }
}

/// A bit for each slash among sixteen ASCII bytes. Every x86-64 processor has an instruction that makes bits of a
/// comparison, which the compiler does not find by itself.
#[cfg(target_arch = "x86_64")]
#[inline]
fn slashes(chunk: &[u8; CHUNK]) -> u64 {
    use safe_arch::{cmp_eq_mask_i8_m128i, load_unaligned_m128i, move_mask_i8_m128i, set_splat_i8_m128i};
    let is_slash = cmp_eq_mask_i8_m128i(load_unaligned_m128i(chunk), set_splat_i8_m128i(b'/'.cast_signed()));
    u64::from(move_mask_i8_m128i(is_slash).cast_unsigned())
}

/// A bit for each slash among sixteen ASCII bytes, eight of them at a time. What is not ASCII gives bits that mean
/// nothing, but [`note_rare`] then knows of it.
#[cfg(any(not(target_arch = "x86_64"), test))]
#[inline]
fn slashes_of_words(chunk: &[u8; CHUNK]) -> u64 {
    const EACH: u64 = 0x0101_0101_0101_0101;
    let of_word = |word: u64| {
        // The high bit of each byte that is a slash: for these the difference is 0, for all others 1 to 127.
        let high_bits = (0x80 * EACH).wrapping_sub(word ^ (u64::from(b'/') * EACH)) & (0x80 * EACH);
        // The product moves them next to each other.
        high_bits.wrapping_mul(0x0002_0408_1020_4081) >> 56
    };
    let word = u128::from_le_bytes(*chunk);
    #[allow(clippy::cast_possible_truncation, reason = "its two halves")]
    let (low, high) = (word as u64, (word >> 64) as u64);
    of_word(low) | of_word(high) << 8
}

#[cfg(not(target_arch = "x86_64"))]
use slashes_of_words as slashes;

impl<'u> Path<'u> {
    /// A path whose segments are marked; it is known to have no rare bytes, or to be no more than a path.
    #[inline(never)]
    fn marked(bytes: &'u [u8]) -> Self {
        let mut path = Self { bytes, ends: [0; BLOCKS] };
        path.mark();
        path
    }

    /// Marks the ends of the segments, and tells whether there are no rare bytes: else the marks mean
    /// nothing for a URL that is more than a path.
    #[inline(always)]
    fn mark(&mut self) -> bool {
        let end = self.bytes.len();
        let (chunks, rest) = self.bytes.as_chunks::<CHUNK>();
        let mut rare = [0; CHUNK];
        for (at, chunk) in chunks.iter().enumerate() {
            note_rare(&mut rare, chunk);
            self.ends[at * CHUNK / BLOCK % BLOCKS] |= slashes(chunk) << (at * CHUNK % BLOCK);
        }
        let last = &mut self.ends[end / BLOCK % BLOCKS];
        if !rest.is_empty() {
            // The last chunk reaches back into the one before it; a path that has none is filled up.
            let (chunk, before) = match self.bytes.last_chunk::<CHUNK>() {
                Some(chunk) => (*chunk, CHUNK - rest.len()),
                None => {
                    let mut filled = [b'a'; CHUNK];
                    filled[..end].copy_from_slice(self.bytes);
                    (filled, 0)
                }
            };
            note_rare(&mut rare, &chunk);
            *last |= slashes(&chunk) >> before << (chunks.len() * CHUNK % BLOCK);
        }
        *last |= 1 << (end % BLOCK);
        rare == [0; CHUNK]
    }

    /// The segment between two places.
    #[inline]
    fn text(&self, start: usize, end: usize) -> &'u [u8] {
        self.bytes.get(start..end).unwrap_or_default()
    }

    /// The key of a segment.
    #[inline]
    fn key(&self, start: usize, end: usize) -> LiteralKey {
        let text = self.text(start, end);
        #[allow(clippy::cast_possible_truncation, reason = "no longer URL goes this way")]
        let length = text.len() as u32;
        if let (Some(head), Some(tail)) = (text.first_chunk::<8>(), text.last_chunk::<8>()) {
            return LiteralKey::new(u64::from_le_bytes(*head), u64::from_le_bytes(*tail), length).with_rest(text);
        }
        // The eight bytes that end with it, and of them only its own.
        let before = match self.bytes.get(..end).and_then(<[u8]>::last_chunk::<8>) {
            Some(word) => u64::from_le_bytes(*word),
            None => self.bytes.first_chunk::<8>().map_or(0, |word| u64::from_le_bytes(*word) << ((64 - 8 * end) % 64)),
        };
        LiteralKey::new(before >> ((64 - 8 * length) % 64), 0, length)
    }

    /// Can a segment be a value as it stands: is it neither empty nor dots?
    #[inline]
    fn is_value(&self, start: usize, end: usize) -> bool {
        start < end && (self.bytes.get(start) != Some(&b'.') || !self.is_dots(start, end))
    }

    #[inline(never)]
    fn is_of(&self, code: Simple, start: usize, end: usize) -> bool {
        code.accepts(self.text(start, end))
    }

    #[inline(never)]
    fn is_dots(&self, start: usize, end: usize) -> bool {
        matches!(self.text(start, end), b"." | b"..")
    }
}

/// May there be an empty segment in a path, or one of dots?
#[inline(never)]
fn is_non_canonical(path: &[u8]) -> bool {
    let is_odd = |(&one, &next): (&u8, &u8)| (one == b'/') & ((next == b'/') | (next == b'.'));
    path.ends_with(b"/") || path.iter().zip(path.iter().skip(1)).fold(false, |any, pair| any | is_odd(pair))
}

impl Ahead {
    /// All that is ahead of a place.
    #[inline]
    fn of(path: &Path<'_>, start: usize) -> Self {
        let block = start / BLOCK;
        Self { block, ends: path.ends[block % BLOCKS] & !0 << (start % BLOCK) }
    }

    /// The next end.
    #[inline]
    fn next(&mut self, path: &Path<'_>) -> Option<usize> {
        if self.ends == 0 && !self.go_on(path) {
            return None;
        }
        let end = self.block * BLOCK + self.ends.trailing_zeros() as usize;
        self.ends &= self.ends.wrapping_sub(1);
        Some(end)
    }

    /// Goes on to the next block in which a segment ends.
    #[inline(never)]
    fn go_on(&mut self, path: &Path<'_>) -> bool {
        let next = (self.block + 1..path.bytes.len() / BLOCK + 1).find(|&block| path.ends[block % BLOCKS] != 0);
        let Some(block) = next else { return false };
        *self = Self { block, ends: path.ends[block % BLOCKS] };
        true
    }
}

impl Tree {
    /// Goes down the tree, the narrower branch first, and notes where segments end. The first begins at a place in the
    /// first word.
    #[inline(never)]
    fn descend(
        &self,
        path: &Path<'_>,
        first: usize,
        has_query: bool,
        answers: &dyn Answers,
        ends: &mut [u8; MOST_FEW],
    ) -> Descent {
        let mut ahead = Ahead::of(path, first);
        let mut id = self.root();
        let Some(mut node) = self.nodes.get(id.0 as usize) else { return Descent::Unsure };
        let (mut at, mut start) = (0, first);
        'down: loop {
            if !node.is_usual {
                return Descent::Unsure;
            }
            let (mut edges, mut end, mut next): (&[Edge], _, _) = (&[], start, node.resume);
            match ahead.next(path) {
                Some(to) => {
                    end = to;
                    #[allow(clippy::cast_possible_truncation, reason = "no longer URL goes this way")]
                    match ends.get_mut(at) {
                        Some(place) => *place = end as u8,
                        None => return Descent::Unsure,
                    }
                    if node.children.count > 0
                        && let Some((target, slot)) = self.probe(id, path, start, end)
                    {
                        (id, node, at, start) = (slot, target, at + 1, end + 1);
                        continue;
                    }
                    edges = self.edges(node);
                }
                None => match node.outcome(has_query) {
                    Outcome::Ends(leaf) => return Descent::Found(leaf),
                    Outcome::Unsure => return Descent::Unsure,
                    Outcome::Nothing => {}
                },
            }
            // The edges of this node, and where none leads on, those of the last branch that is left.
            loop {
                while let Some((one, others)) = edges.split_first() {
                    edges = others;
                    let leads_on = match one.quick {
                        Quick::Any => path.is_value(start, end).then_some(true),
                        Quick::Integer => Some(path.is_of(Simple::Integer, start, end)),
                        Quick::Date => Some(path.is_of(Simple::Date, start, end)),
                        Quick::Whole => self.ask(one.pattern, path, start, end, answers),
                    };
                    match leads_on {
                        Some(false) => {}
                        Some(true) => {
                            let Some(target) = self.nodes.get(one.target.0 as usize) else { return Descent::Unsure };
                            (id, node, at, start) = (one.target, target, at + 1, end + 1);
                            continue 'down;
                        }
                        None => return Descent::Unsure,
                    }
                }
                let Some(branch) = self.branches.get(next as usize) else { return Descent::Miss };
                (edges, next) = (branch.edges.of(&self.edges), branch.next);
                at = branch.at as usize;
                start = if at == 0 { first } else { usize::from(ends[(at - 1) % MOST_FEW]) + 1 };
                end = usize::from(ends[at % MOST_FEW]);
                ahead = Ahead::of(path, end + 1);
            }
        }
    }

    /// Does a whole pattern accept a segment? `None` where that is no value.
    #[inline(never)]
    fn ask(
        &self,
        pattern: PatternId,
        path: &Path<'_>,
        start: usize,
        end: usize,
        answers: &dyn Answers,
    ) -> Option<bool> {
        if !path.is_value(start, end) {
            return None;
        }
        let text = std::str::from_utf8(path.text(start, end)).ok()?;
        Some(self.pattern(pattern).accepts_segment(text, || text, answers))
    }

    /// The node that a literal leads to, and its number.
    #[inline]
    fn probe(&self, parent: NodeId, path: &Path<'_>, start: usize, end: usize) -> Option<(&Node, NodeId)> {
        let key = path.key(start, end);
        let mut slot = key.slot(parent, self.slots);
        loop {
            let node = self.nodes.get(slot as usize)?;
            if node.is_after(parent, key) && (!key.is_partial() || self.is_text(node, path.text(start, end))) {
                return Some((node, NodeId(slot)));
            }
            if node.is_vacant() {
                return None;
            }
            slot = self.next_slot(slot);
        }
    }

    #[inline(never)]
    fn is_text(&self, node: &Node, text: &[u8]) -> bool {
        self.text_of(node).as_bytes() == text
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// Whichever way they are found on a processor.
        #[test]
        fn each_slash_has_its_bit(bytes: [u8; CHUNK], at_slash: [bool; CHUNK]) {
            let bytes: [u8; CHUNK] = std::array::from_fn(|at| if at_slash[at] { b'/' } else { bytes[at] & 0x7F });
            let expected = (0..CHUNK).filter(|&at| bytes[at] == b'/').fold(0, |bits, at| bits | 1 << at);
            prop_assert_eq!(slashes(&bytes), expected);
            prop_assert_eq!(slashes_of_words(&bytes), expected);
        }
    }
}
