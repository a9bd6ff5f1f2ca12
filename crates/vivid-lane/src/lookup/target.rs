//! What a URL asks for, cut once.
//!
//! ```text
//! https://larkfell.example/app/objects/caf%C3%A9/notes?page=2
//!         └─── host ─────┘└base┘└──── path ──────────┘└query┘
//!                              one scan: where segments end, the first byte that is not common
//!                    all is common: the text is the URL itself
//!                    something is escaped: the text is written once, decoded
//! ```
//!
//! Whatever comes after it sees segments, and does not know which of the two it was.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::ops::Range;

use super::answers::Answers;
use super::scan::{Ends, Scan};
use crate::template::bytes::first_of;
use crate::template::percent::{decode_form, is_plain, is_unreserved};

/// The parts of a URL as they were sent (RFC 3986, section 3).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Sent<'u> {
    pub(crate) host: Option<&'u str>,
    /// The whole path.
    pub(crate) whole: &'u str,
    /// The path of the page: below the base of the site, without a slash at its end.
    pub(crate) path: &'u str,
    pub(crate) query: Option<&'u str>,
}

/// A URL in its canonical form, taken apart.
#[derive(Debug)]
pub(crate) struct Target<'u> {
    pub(crate) sent: Sent<'u>,
    /// The whole path, decoded, where something in it is escaped.
    decoded: Option<String>,
    /// Where the segments end in the text.
    ends: Ends,
    /// Where literals are looked for, where that is not the text.
    keys: Option<Box<Keys>>,
}

impl Default for Target<'_> {
    #[inline(always)]
    fn default() -> Self {
        Self {
            sent: Sent { host: None, whole: "", path: "", query: None },
            decoded: None,
            ends: Ends::NONE,
            keys: None,
        }
    }
}

/// A path in small letters.
#[derive(Debug)]
struct Keys {
    text: String,
    /// Where its segments end, where that is not where they end in the path.
    ends: Option<Vec<u16>>,
}

/// Segments of a text. The segment of an index is after its end, and before the next one.
#[derive(Debug, Clone, Copy)]
pub(super) struct Segments<'a> {
    pub(super) bytes: &'a [u8],
    pub(super) ends: &'a [u16],
}

/// Where the segment of an index is.
#[inline(always)]
fn place(ends: &[u16], at: usize) -> Range<usize> {
    match ends.get(at..at + 2) {
        Some(&[before, end]) => usize::from(before) + 1..usize::from(end),
        _ => 0..0,
    }
}

/// What may be done with a path whose bytes are not all common.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Class {
    /// Stands for itself.
    Plain,
    Slash,
    Percent,
    /// Is not in any canonical path.
    Other,
}

static CLASSES: [Class; 256] = {
    let mut classes = [Class::Other; 256];
    let mut byte = 0;
    while byte < 256 {
        #[allow(clippy::cast_possible_truncation, reason = "below 256")]
        let narrow = byte as u8;
        classes[byte] = match narrow {
            b'/' => Class::Slash,
            b'%' => Class::Percent,
            _ if is_plain(narrow) => Class::Plain,
            _ => Class::Other,
        };
        byte += 1;
    }
    classes
};

/// The values of hexadecimal digits as canonical escapes have them: without small letters.
static DIGITS: [u8; 256] = {
    let mut digits = [NO_DIGIT; 256];
    let mut value = 0;
    while value < 16 {
        digits[b"0123456789ABCDEF"[value as usize] as usize] = value;
        value += 1;
    }
    digits
};
const NO_DIGIT: u8 = 0x80;

impl<'u> Target<'u> {
    /// Where the segments end, for the scan that finds them.
    #[inline(always)]
    pub(super) fn ends_mut(&mut self) -> &mut Ends {
        &mut self.ends
    }

    /// Reads the segments of a path in which not all is common, from the place on where the scan stopped. `None` where it is not in its
    /// canonical form but for a slash at its end; else whether it has one.
    pub(super) fn read(&mut self, whole: &'u str, base: usize, seen: Scan) -> Option<bool> {
        let bytes = whole.as_bytes();
        let mut at = seen.stop;
        if seen.is_deep || !seen.is_straight || self.ends.count() == 0 {
            self.ends = Ends::NONE;
            self.ends.push(base)?;
            at = base + 1;
        }
        // What was written, from the first escape on; before it, what was written is what was sent.
        let mut written: Vec<u8> = Vec::new();
        let mut begin = self.ends.as_slice().last().map_or(0, |&end| usize::from(end)) + 1;
        loop {
            let run = bytes[at..].iter().position(|&byte| CLASSES[usize::from(byte)] != Class::Plain);
            let end = run.map_or(bytes.len(), |run| at + run);
            if !written.is_empty() {
                written.extend_from_slice(&bytes[at..end]);
            }
            at = end;
            match bytes.get(at).map(|&byte| CLASSES[usize::from(byte)]) {
                Some(Class::Percent) => {
                    if written.is_empty() {
                        written.reserve(bytes.len());
                        written.extend_from_slice(&bytes[..at]);
                    }
                    while let Some(&[b'%', high, low]) = bytes.get(at..at + 3) {
                        let (high, low) = (DIGITS[usize::from(high)], DIGITS[usize::from(low)]);
                        let byte = high << 4 | low & 15;
                        if (high | low) & NO_DIGIT != 0 || is_unreserved(byte) || byte.is_ascii_control() {
                            return None;
                        }
                        written.push(byte);
                        at += 3;
                    }
                    if bytes.get(at) == Some(&b'%') {
                        return None;
                    }
                }
                Some(Class::Slash) | None => {
                    let (text, end) = if written.is_empty() { (bytes, at) } else { (&*written, written.len()) };
                    match text.get(begin..end)? {
                        // A slash at the end ends no segment.
                        b"" if at == bytes.len() => break,
                        b"" | b"." | b".." => return None,
                        _ => self.ends.push(end)?,
                    }
                    if at == bytes.len() {
                        break;
                    }
                    if !written.is_empty() {
                        written.push(b'/');
                    }
                    begin = end + 1;
                    at += 1;
                }
                Some(Class::Plain | Class::Other) => return None,
            }
        }
        if !written.is_empty() {
            self.decoded = Some(String::from_utf8(written).ok()?);
        }
        Some(bytes.last() == Some(&b'/'))
    }

    /// Notes the whole path in small letters, in which literals are looked for.
    pub(super) fn ignore_case(&mut self) {
        let text = self.decoded.as_deref().unwrap_or(self.sent.whole);
        if text.is_ascii() {
            if text.bytes().any(|byte| byte.is_ascii_uppercase()) {
                self.keys = Some(Box::new(Keys { text: text.to_ascii_lowercase(), ends: None }));
            }
            return;
        }
        // Small letters may have another length.
        let mut keys = String::with_capacity(text.len());
        let mut ends = vec![0];
        for at in 0..self.len() {
            keys.push('/');
            keys.push_str(&text[place(self.ends.as_slice(), at)].to_lowercase());
            ends.push(u16::try_from(keys.len()).unwrap_or(u16::MAX));
        }
        self.keys = Some(Box::new(Keys { text: keys, ends: Some(ends) }));
    }

    /// How many segments there are.
    #[inline]
    pub(crate) fn len(&self) -> usize {
        self.ends.count().saturating_sub(1)
    }

    /// Whether something in the path is escaped.
    #[inline]
    pub(crate) fn is_escaped(&self) -> bool {
        self.decoded.is_some()
    }

    /// Whether literals are looked for in another text than that of the path.
    pub(super) fn has_other_keys(&self) -> bool {
        self.keys.is_some()
    }

    /// The whole path, decoded.
    #[inline]
    fn all(&self) -> &str {
        self.decoded.as_deref().unwrap_or(self.sent.whole)
    }

    /// What values are in.
    #[inline]
    pub(super) fn values(&self) -> Segments<'_> {
        Segments { bytes: self.all().as_bytes(), ends: self.ends.as_slice() }
    }

    /// What literals are looked for in.
    #[inline]
    pub(super) fn literals(&self) -> Segments<'_> {
        let Some(Keys { text, ends }) = self.keys.as_deref() else { return self.values() };
        Segments { bytes: text.as_bytes(), ends: ends.as_deref().unwrap_or(self.ends.as_slice()) }
    }

    /// The place of a segment in its text.
    #[inline(always)]
    pub(super) fn place(&self, at: usize) -> Range<usize> {
        place(self.ends.as_slice(), at)
    }

    /// A segment, decoded.
    #[inline]
    pub(crate) fn text(&self, at: usize) -> &str {
        self.all().get(self.place(at)).unwrap_or_default()
    }

    pub(crate) fn texts(&self) -> impl Iterator<Item = &str> {
        (0..self.len()).map(|at| self.text(at))
    }

    /// A segment as it was sent.
    pub(crate) fn raw(&self, at: usize) -> &'u str {
        if self.is_escaped() {
            return raw_segment(self.sent.path, at);
        }
        self.sent.whole.get(self.place(at)).unwrap_or_default()
    }

    pub(crate) fn raws(&self) -> impl Iterator<Item = &'u str> {
        self.sent.path.split('/').skip(1)
    }

    /// Takes the decoded path out.
    #[inline(always)]
    pub(super) fn take_decoded(&mut self) -> Option<String> {
        self.decoded.take()
    }

    pub(crate) fn ask<'a>(&'a self, answers: &'a dyn Answers) -> Ask<'a, 'u> {
        Ask { target: self, answers }
    }
}

/// A segment of a path that begins with a slash, as it was sent.
pub(super) fn raw_segment(path: &str, at: usize) -> &str {
    path.split('/').nth(at + 1).unwrap_or_default()
}

/// Everything that a lookup is asked.
#[derive(Clone, Copy)]
pub(crate) struct Ask<'a, 'u> {
    pub(crate) target: &'a Target<'u>,
    pub(crate) answers: &'a dyn Answers,
}

impl<'u> Ask<'_, 'u> {
    /// The query; an absent one has no pairs, as an empty one.
    pub(crate) fn query(&self) -> &'u str {
        self.target.sent.query.unwrap_or_default()
    }
}

/// A name and a value of a query, the value undecoded.
#[derive(Debug, Clone)]
pub(crate) struct Pair<'u> {
    pub(crate) name: Cow<'u, str>,
    pub(crate) raw: &'u str,
}

/// The pairs of a query (WHATWG, `application/x-www-form-urlencoded`); the values are left as they are.
pub(crate) fn pairs(query: &str) -> impl Iterator<Item = Pair<'_>> {
    raw_pairs(query).map(|pair| Pair { name: decode_form(pair.name), raw: pair.value })
}

/// A pair of a query as it was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct RawPair<'u> {
    pub(super) name: &'u str,
    pub(super) value: &'u str,
    /// Where in the query the value begins.
    pub(super) start: usize,
}

impl RawPair<'_> {
    /// Where in the query the value begins. No URL that is looked up is so long that a place in it does not fit.
    pub(super) fn value_at(&self) -> u32 {
        u32::try_from(self.start).unwrap_or(u32::MAX)
    }

    /// Whether it has that name. What is escaped is longer than what it stands for, or a plus sign.
    pub(super) fn is_named(&self, name: &str) -> bool {
        match self.name.len().cmp(&name.len()) {
            Ordering::Less => false,
            Ordering::Equal if !self.name.bytes().any(|byte| matches!(byte, b'+' | b'%')) => *self.name == *name,
            // What is escaped is as long as what it stands for, or longer.
            _ => *decode_form(self.name) == *name,
        }
    }
}

/// The pairs of a query as they were sent, but for empty ones.
pub(super) fn raw_pairs(query: &str) -> impl Iterator<Item = RawPair<'_>> {
    let mut at = 0;
    std::iter::from_fn(move || {
        let bytes = query.as_bytes();
        while bytes.get(at) == Some(&b'&') {
            at += 1;
        }
        let begin = at;
        let name_end = first_of(bytes, begin, [b'&', b'=']);
        let has_value = bytes.get(name_end) == Some(&b'=');
        let start = name_end + usize::from(has_value);
        at = if has_value { first_of(bytes, start, [b'&', b'&']) } else { name_end };
        (begin < at).then(|| RawPair { name: &query[begin..name_end], value: &query[start..at], start })
    })
}

/// The value that begins at a place of a query, undecoded; `None` beyond its end.
pub(super) fn value_from(query: &str, start: u32) -> Option<&str> {
    let start = start as usize;
    if start > query.len() {
        return None;
    }
    query.get(start..first_of(query.as_bytes(), start, [b'&', b'&']))
}

/// Whether a query has no pairs, so that it says nothing. The address of the page is the one without it.
pub(crate) fn is_vacant_query(query: &[u8]) -> bool {
    query.iter().all(|&byte| byte == b'&')
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// As the standard says it: pieces between ampersands, cut at their first equals sign.
        #[test]
        fn pairs_are_cut_where_the_standard_cuts_them(query in "[&=a%é+]{0,24}") {
            let expected: Vec<(&str, &str)> =
                query.split('&').filter(|piece| !piece.is_empty()).map(|piece| piece.split_once('=').unwrap_or((piece, ""))).collect();
            let found: Vec<RawPair<'_>> = raw_pairs(&query).collect();
            prop_assert_eq!(found.iter().map(|pair| (pair.name, pair.value)).collect::<Vec<_>>(), expected);
            prop_assert!(found.iter().all(|pair| query[pair.start..].starts_with(pair.value)));
            prop_assert!(found.iter().all(|pair| pair.is_named(&decode_form(pair.name)) && !pair.is_named("b")));
        }
    }
}
