//! The path of a URL as segments (RFC 3986, section 3.3), and its normal form (section 6.2.2).

use std::borrow::Cow;

use smallvec::SmallVec;

use crate::table::Slash;
use crate::template::percent::{Undecodable, decode, is_normal, normalise_into};

/// How long a URL may be.
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

/// One segment: where it starts in the URL, as it was sent, and decoded.
#[derive(Debug, Clone)]
pub(crate) struct Segment<'u> {
    pub(crate) start: usize,
    pub(crate) raw: &'u str,
    pub(crate) text: Cow<'u, str>,
}

/// The segments of a path, which has no query and no fragment any more.
#[derive(Debug, Clone)]
pub(crate) struct Segments<'u> {
    /// The path without a slash at its end.
    pub(crate) path: &'u str,
    pub(crate) list: SmallVec<[Segment<'u>; 16]>,
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
        let mut list = SmallVec::new();
        if path.len() < 2 {
            return if path.is_empty() || path == "/" {
                Ok((Self { path: "", list }, true))
            } else {
                Err(BadPath::NoSlash)
            };
        }
        let trimmed = path.strip_suffix('/');
        let mut is_plain = match slash {
            Slash::Never => trimmed.is_none(),
            Slash::Always => trimmed.is_some(),
            Slash::Either => true,
        };
        let path = trimmed.unwrap_or(path);
        let inside = path.strip_prefix('/').ok_or(BadPath::NoSlash)?;
        let mut start = 1;
        for raw in inside.split('/') {
            if list.len() == limits.segments {
                return Err(BadPath::Deep { limit: limits.segments });
            }
            let text = decode(raw).map_err(BadPath::Undecodable)?;
            is_plain &= !matches!(&*text, "" | "." | "..") && is_normal(raw);
            list.push(Segment { start, raw, text });
            start += raw.len() + 1;
        }
        Ok((Self { path, list }, is_plain))
    }
}

/// The normal form of a path: dot segments, also escaped ones, are removed (RFC 3986, section 5.2.4), then
/// empty ones; escapes are written in one way. Whether it ended with a slash is told beside it.
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
