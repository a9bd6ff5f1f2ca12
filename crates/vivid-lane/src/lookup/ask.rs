//! What a lookup is asked: the parts of a URL, and who answers the questions on the way.

use std::borrow::Cow;
use std::cmp::Ordering;

use smallvec::SmallVec;

use super::answers::Answers;
use super::path::Segments;
use crate::template::bytes::first_of;
use crate::template::percent::decode_form;

/// A URL, cut at its delimiters (RFC 3986, section 3).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Target<'u> {
    pub(crate) host: Option<&'u str>,
    /// The path of the page: below the base of the site, without a slash at its end.
    pub(crate) path: &'u str,
    /// The whole path as it was sent.
    pub(crate) sent: &'u str,
    pub(crate) query: Option<&'u str>,
}

/// A name and a value of a query, the value undecoded.
#[derive(Debug, Clone)]
pub(crate) struct Pair<'u> {
    pub(crate) name: Cow<'u, str>,
    pub(crate) raw: &'u str,
}

/// The pairs of a query (WHATWG, `application/x-www-form-urlencoded`).
pub(crate) type Pairs<'u> = SmallVec<[Pair<'u>; 4]>;

/// Splits a query into its pairs; the values are left as they are.
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
    pub(super) fn value_at(&self) -> Option<u32> {
        u32::try_from(self.start).ok()
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

/// Whether a query has no pairs, so that it says nothing. The address of the page is the one without it.
pub(crate) fn is_vacant_query(query: &[u8]) -> bool {
    query.iter().all(|&byte| byte == b'&')
}

/// Everything that a lookup is asked.
#[derive(Clone, Copy)]
pub(crate) struct Ask<'a, 'u> {
    pub(crate) segments: &'a Segments<'u>,
    pub(crate) query: &'a Pairs<'u>,
    pub(crate) host: Option<&'u str>,
    pub(crate) answers: &'a dyn Answers,
}

/// A URL in its normal form, in its parts.
#[derive(Debug, Default)]
pub(crate) struct Parts<'u> {
    pub(crate) target: Target<'u>,
    pub(crate) segments: Segments<'u>,
    pub(crate) query: Pairs<'u>,
}

impl<'u> Parts<'u> {
    pub(crate) fn ask<'a>(&'a self, answers: &'a dyn Answers) -> Ask<'a, 'u> {
        Ask { segments: &self.segments, query: &self.query, host: self.target.host, answers }
    }
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
