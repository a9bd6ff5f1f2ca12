//! The path of a URL as segments (RFC 3986, section 3.3), and its normal form (section 6.2.2).

use std::borrow::Cow;

use smallvec::SmallVec;

use crate::template::bytes::first_of;
use crate::template::percent::{Undecodable, decode, kinds, normalise_into};

/// The greatest length of a URL, in bytes. Places in it are kept in 16 bits.
pub(crate) const MOST_BYTES: usize = 8192;
/// The greatest number of segments of a path.
pub(crate) const MOST_SEGMENTS: usize = 128;

/// Why a path is no path at all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum BadPath {
    /// It does not start with a slash.
    NoSlash,
    /// Too many bytes.
    Long,
    /// Too many segments.
    Deep,
    /// A segment that cannot be decoded.
    Undecodable(Undecodable),
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
/// empty ones; escapes are written in one way. The slash at its end is returned separately. Segments are counted from a place on.
pub(crate) fn normal_path(path: &str, from: usize) -> Result<(String, bool), BadPath> {
    let counted = &path[from..];
    if counted.strip_suffix('/').unwrap_or(counted).bytes().filter(|&byte| byte == b'/').count() > MOST_SEGMENTS {
        return Err(BadPath::Deep);
    }
    let kinds = kinds(path.as_bytes());
    if kinds.has_control() {
        return Err(BadPath::Undecodable(Undecodable::Control));
    }
    let mut kept: SmallVec<[&str; 16]> = SmallVec::new();
    let mut ends_with_slash = false;
    for raw in path.strip_prefix('/').unwrap_or(path).split('/') {
        let text = if kinds.has_escape() { decode(raw).map_err(BadPath::Undecodable)? } else { Cow::Borrowed(raw) };
        ends_with_slash = matches!(&*text, "" | "." | "..");
        match &*text {
            "." => {}
            ".." => drop(kept.pop()),
            _ => kept.push(raw),
        }
    }
    // What has to be escaped takes three bytes.
    let mut out = String::with_capacity(if kinds.has_unescaped() { 3 * path.len() } else { path.len() } + 1);
    for raw in kept.into_iter().filter(|raw| !raw.is_empty()) {
        out.push('/');
        if kinds.is_plain() { out.push_str(raw) } else { normalise_into(&mut out, raw) }
    }
    Ok((out, ends_with_slash))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::end_of_path;

    proptest! {
        /// Eight bytes at a time or one: the same place.
        #[test]
        fn a_path_ends_where_it_does(text in "[/?#a/é.]{0,40}") {
            prop_assert_eq!(end_of_path(&text), text.find(['?', '#']).unwrap_or(text.len()));
        }
    }
}
