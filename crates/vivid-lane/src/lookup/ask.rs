//! What a lookup is asked: the parts of a URL, and who answers the questions on the way.

use std::borrow::Cow;

use smallvec::SmallVec;

use super::answers::Answers;
use super::path::Segments;
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
    query.split('&').filter(|piece| !piece.is_empty()).map(|piece| {
        let (name, raw) = piece.split_once('=').unwrap_or((piece, ""));
        Pair { name: decode_form(name), raw }
    })
}

/// Has a query no pairs, so that it says nothing? The address of the page is the one without it.
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
