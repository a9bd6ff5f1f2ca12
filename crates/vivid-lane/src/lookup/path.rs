//! The path of a URL as segments (RFC 3986, section 3.3), and its normal form (section 6.2.2).

use std::borrow::Cow;
use std::ops::Range;

use smallvec::SmallVec;

use crate::declare::Slash;
use crate::template::bytes::{equal, first_of};
use crate::template::percent::{Undecodable, decode, is_normal, kinds, normalise_into};

/// How long a URL may be. Offsets into it are kept in 16 bits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Limits {
    /// Bytes of the whole URL.
    pub(crate) bytes: usize,
    /// Segments of the path.
    pub(crate) segments: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Self { bytes: 8192, segments: 128 }
    }
}

/// Why a path is no path at all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum BadPath {
    /// It does not start with a slash.
    NoSlash,
    /// Too many bytes.
    Long { limit: usize },
    /// Too many segments.
    Deep { limit: usize },
    /// A segment that cannot be decoded.
    Undecodable(Undecodable),
}

/// Where a value begins and ends, a byte each.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Place(u16);

impl Place {
    /// No value: one that begins at the start of a path or a query begins behind a mark.
    pub(crate) const NONE: Self = Self(0);

    /// The place between two that are below 256.
    #[inline(always)]
    pub(crate) fn new(start: usize, end: usize) -> Self {
        #[allow(clippy::cast_possible_truncation, reason = "both are below 256")]
        let place = (start | end << 8) as u16;
        Self(place)
    }

    #[inline(always)]
    pub(crate) fn range(self) -> Range<usize> {
        usize::from(self.0 & 0xFF)..usize::from(self.0 >> 8)
    }

    /// The place in a text that begins so many bytes later.
    #[inline(always)]
    pub(crate) fn less(self, shift: usize) -> Self {
        Self(self.0.wrapping_sub(Self::new(shift, shift).0))
    }
}

/// How many places of values are kept beside what they belong to.
pub(crate) const MOST_FEW: usize = 8;

/// Where the values of a path begin and end: the segments that are no literal, in their order; a tail is one of them.
#[derive(Debug, Clone)]
pub(crate) struct Spans {
    few: [Place; MOST_FEW],
    /// What few URLs have, behind one pointer, so that a match stays small.
    more: Option<Box<MorePlaces>>,
}

#[derive(Debug, Clone, Default)]
pub(crate) struct MorePlaces {
    /// All places, where they are more than a few, or too far from the start of the path.
    spans: Option<Box<[(u16, u16)]>>,
    /// Where the values of many query parameters begin, in the order of the parameters.
    in_query: Vec<Option<u32>>,
}

impl MorePlaces {
    pub(super) fn of_query(in_query: Vec<Option<u32>>) -> Self {
        Self { spans: None, in_query }
    }
}

impl Spans {
    /// A few.
    #[inline(always)]
    pub(crate) fn few(few: [Place; MOST_FEW], more: Option<Box<MorePlaces>>) -> Self {
        Self { few, more }
    }

    pub(crate) fn of(spans: &[(usize, usize)]) -> Self {
        let mut few = [Place::NONE; MOST_FEW];
        let is_few = spans.len() <= MOST_FEW
            && few.iter_mut().zip(spans).all(|(few, &(start, end))| {
                *few = Place::new(start, end);
                end <= usize::from(u8::MAX)
            });
        let all = || spans.iter().map(|&(start, end)| (narrow(start), narrow(end))).collect();
        let more = (!is_few).then(|| Box::new(MorePlaces { spans: Some(all()), in_query: Vec::new() }));
        Self { few, more }
    }

    /// Whether the values need more room than a few places of a byte each.
    #[inline]
    pub(super) fn has_many(&self) -> bool {
        self.more.as_ref().is_some_and(|more| more.spans.is_some())
    }

    /// The place of that number, where it is one of a few.
    #[inline]
    pub(super) fn place(&self, at: usize) -> Option<Place> {
        self.few.get(at).copied()
    }

    /// Where a value starts and ends in its path.
    #[inline]
    pub(crate) fn bounds(&self, value: usize) -> Option<Range<usize>> {
        match self.more.as_ref().and_then(|more| more.spans.as_deref()) {
            None => self.few.get(value).map(|place| place.range()),
            Some(spans) => spans.get(value).map(|&(start, end)| usize::from(start)..usize::from(end)),
        }
    }

    /// Where the values of query parameters begin; nothing where that was not worked out.
    pub(super) fn places(&self) -> &[Option<u32>] {
        self.more.as_ref().map_or(&[], |more| &more.in_query)
    }

    #[cold]
    pub(super) fn keep_places(&mut self, in_query: Vec<Option<u32>>) {
        self.more.get_or_insert_default().in_query = in_query;
    }
}

/// The segments of a path, which has no query and no fragment any more.
#[derive(Debug, Clone, Default)]
pub(crate) struct Segments<'u> {
    /// The path without a slash at its end.
    pub(crate) path: &'u str,
    ends: SmallVec<[u16; 20]>,
    /// What those segments mean in which something is escaped, by their number.
    decoded: Vec<(u16, String)>,
}

/// Where a segment starts and ends in its path.
#[inline]
fn bounds<T: Copy + Into<usize>>(ends: &[T], at: usize) -> (usize, usize) {
    let start = at.checked_sub(1).map_or(0, |before| ends[before].into()) + 1;
    (start, ends[at].into())
}

impl<'u> Segments<'u> {
    /// Splits at the slashes, then decodes, so that an escaped slash stays inside its segment. `/` and the
    /// empty path have no segments.
    ///
    /// The second result tells whether the path is in its normal form: no empty and no dot segments, no escape
    /// that is not needed, none missing, and a slash at the end as the site has it.
    pub(crate) fn split(path: &'u str, slash: Slash, limits: Limits) -> Result<(Self, bool), BadPath> {
        if path.len() > limits.bytes {
            return Err(BadPath::Long { limit: limits.bytes });
        }
        if path.len() < 2 {
            let is_root = path.is_empty() || path == "/";
            return if is_root { Ok((Self::default(), true)) } else { Err(BadPath::NoSlash) };
        }
        if !path.starts_with('/') {
            return Err(BadPath::NoSlash);
        }
        let trimmed = path.strip_suffix('/');
        let mut is_plain = match slash {
            Slash::Never => trimmed.is_none(),
            Slash::Always => trimmed.is_some(),
            Slash::Either => true,
        };
        let path = trimmed.unwrap_or(path);
        let bytes = path.as_bytes();
        let mut segments = Self { path, ends: SmallVec::new(), decoded: Vec::new() };
        // A slash ends the segment before it, but for the first one.
        each_slash(bytes, |at| {
            if at > 0 {
                segments.ends.push(narrow(at));
            }
        });
        segments.ends.push(narrow(bytes.len()));
        if segments.len() > limits.segments {
            return Err(BadPath::Deep { limit: limits.segments });
        }
        let kinds = kinds(bytes);
        if kinds.has_control() {
            return Err(BadPath::Undecodable(Undecodable::Control));
        }
        is_plain &= !kinds.has_unescaped();
        if kinds.has_escape() {
            is_plain &= segments.decode()?;
        }
        for at in 0..segments.len() {
            is_plain &= !matches!(segments.text(at), "" | "." | "..");
        }
        Ok((segments, is_plain))
    }

    /// Decodes the segments that have escapes, and tells whether all are written in the normal way.
    #[cold]
    fn decode(&mut self) -> Result<bool, BadPath> {
        let mut is_plain = true;
        for at in 0..self.len() {
            let raw = self.raw(at);
            if let Cow::Owned(text) = decode(raw).map_err(BadPath::Undecodable)? {
                self.decoded.push((narrow(at), text));
            }
            is_plain &= is_normal(raw);
        }
        Ok(is_plain)
    }

    pub(crate) fn len(&self) -> usize {
        self.ends.len()
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.ends.is_empty()
    }

    /// Where a segment starts in the path.
    pub(crate) fn start(&self, at: usize) -> usize {
        bounds(&self.ends, at).0
    }

    /// A segment as it was sent.
    pub(crate) fn raw(&self, at: usize) -> &'u str {
        let (start, end) = bounds(&self.ends, at);
        &self.path[start..end]
    }

    /// A segment, decoded.
    pub(crate) fn text(&self, at: usize) -> &str {
        if self.decoded.is_empty() {
            return self.raw(at);
        }
        let known = self.decoded.binary_search_by_key(&at, |(number, _)| usize::from(*number));
        known.map_or_else(|_| self.raw(at), |known| &self.decoded[known].1)
    }

    pub(crate) fn texts(&self) -> impl Iterator<Item = &str> {
        (0..self.len()).map(|at| self.text(at))
    }

    pub(crate) fn raws(&self) -> impl Iterator<Item = &'u str> {
        (0..self.len()).map(|at| self.raw(at))
    }

    /// Whether something in the path is escaped.
    pub(crate) fn is_escaped(&self) -> bool {
        !self.decoded.is_empty()
    }

    /// Where a segment starts and ends in the path.
    pub(crate) fn bounds(&self, at: usize) -> (usize, usize) {
        bounds(&self.ends, at)
    }
}

fn narrow(at: usize) -> u16 {
    // Longer URLs are refused before they get here.
    u16::try_from(at).unwrap_or(u16::MAX)
}

/// Calls a function with the place of each slash. Eight bytes are looked at at a time.
fn each_slash(bytes: &[u8], mut each: impl FnMut(usize)) {
    let (words, rest) = bytes.as_chunks::<8>();
    for (index, word) in words.iter().enumerate() {
        let mut found = equal(u64::from_le_bytes(*word), b'/');
        while found != 0 {
            each(index * 8 + found.trailing_zeros() as usize / 8);
            found &= found - 1;
        }
    }
    for (at, &byte) in rest.iter().enumerate() {
        if byte == b'/' {
            each(words.len() * 8 + at);
        }
    }
}

/// Where so many segments of a path end that begins with a slash.
pub(crate) fn end_of_segments(path: &str, count: usize) -> usize {
    if count == 0 { 0 } else { path.match_indices('/').nth(count).map_or(path.len(), |(at, _)| at) }
}

/// Where the path of a URL ends: before its query or its fragment.
pub(crate) fn end_of_path(url: &str) -> usize {
    first_of(url.as_bytes(), 0, [b'?', b'#'])
}

/// The normal form of a path: dot segments, also escaped ones, are removed (RFC 3986, section 5.2.4), then
/// empty ones; escapes are written in one way. The slash at its end is returned separately.
pub(crate) fn normal_path(path: &str) -> (String, bool) {
    let mut kept: Vec<&str> = Vec::new();
    let mut ends_with_slash = false;
    for raw in path.strip_prefix('/').unwrap_or(path).split('/') {
        let text = decode(raw).unwrap_or(Cow::Borrowed(raw));
        ends_with_slash = matches!(&*text, "" | "." | "..");
        match &*text {
            "." => {}
            ".." => drop(kept.pop()),
            _ => kept.push(raw),
        }
    }
    let mut out = String::with_capacity(path.len() + 1);
    for raw in kept.into_iter().filter(|raw| !raw.is_empty()) {
        out.push('/');
        normalise_into(&mut out, raw);
    }
    (out, ends_with_slash)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::{each_slash, end_of_path};

    proptest! {
        /// Eight bytes at a time or one: the same places.
        #[test]
        fn marks_are_found_where_they_are(text in "[/?#a/é.]{0,40}") {
            let mut slashes = Vec::new();
            each_slash(text.as_bytes(), |at| slashes.push(at));
            let wanted: Vec<usize> = text.match_indices('/').map(|(at, _)| at).collect();
            prop_assert_eq!(slashes, wanted);
            prop_assert_eq!(end_of_path(&text), text.find(['?', '#']).unwrap_or(text.len()));
        }
    }
}
