//! The path of a URL as segments (RFC 3986, section 3.3).

use std::borrow::Cow;

use smallvec::SmallVec;

use crate::template::percent::{Undecodable, decode};

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
    pub(crate) path: &'u str,
    pub(crate) list: SmallVec<[Segment<'u>; 16]>,
}

impl<'u> Segments<'u> {
    /// Splits at the slashes, then decodes, so that an escaped slash stays inside its segment. `/` has no
    /// segments.
    pub(crate) fn split(path: &'u str, limits: Limits) -> Result<Self, BadPath> {
        if path.len() > limits.bytes {
            return Err(BadPath::Long { limit: limits.bytes });
        }
        let inside = path.strip_prefix('/').ok_or(BadPath::NoSlash)?;
        let mut list = SmallVec::new();
        if inside.is_empty() {
            return Ok(Self { path, list });
        }
        let mut start = 1;
        for raw in inside.split('/') {
            if list.len() == limits.segments {
                return Err(BadPath::Deep { limit: limits.segments });
            }
            let text = decode(raw).map_err(BadPath::Undecodable)?;
            list.push(Segment { start, raw, text });
            start += raw.len() + 1;
        }
        Ok(Self { path, list })
    }
}
