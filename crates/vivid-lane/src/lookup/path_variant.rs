//! One way to fill the optional parts of a path.
//!
//! `/archive{/year,month}` has three: `/archive`, `/archive/{year}` and `/archive/{year}/{month}`. A route answers the URLs of each. The
//! build makes them of the template, puts each into the tree and forgets it, as a table of many routes has many:
//! [`RouteRef::path_variants`](super::RouteRef::path_variants) makes them again.

use smallvec::SmallVec;

use super::pattern::Piece;
use super::tree::{Cover, TailKind};

/// One way to fill the optional parts of a path: which parameters have a value, and the segments that come of it. Parameters are given
/// by their index in [`RouteRef::parameters`](super::RouteRef::parameters).
///
/// # Example
/// ```
/// use vivid_lane::Table;
///
/// let table = Table::from_toml("[routes.archive]\npath = '/archive{/year,month}'\npage = 'archive'")?;
/// let variants = table.route("archive").unwrap().path_variants();
/// let filled: Vec<Vec<usize>> = variants.iter().map(|one| one.filled().collect()).collect();
/// assert_eq!(filled, [vec![0, 1], vec![0], vec![]]);
/// let segments: Vec<Vec<Result<&str, usize>>> = variants[1].segments().map(Iterator::collect).collect();
/// assert_eq!(segments, [[Ok("archive")], [Err(0)]]);
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct PathVariant {
    pub(crate) segments: Vec<Segment>,
    pub(crate) tail: Option<(u16, TailKind)>,
    pub(crate) covers: SmallVec<[Cover; 2]>,
}

/// The pieces of a segment, whose values are those of the parameters of these indices; most have one.
pub(crate) type Segment = SmallVec<[Piece<u16>; 1]>;

impl PathVariant {
    /// The segments before a tail: decoded texts (`Ok`) and values of parameters (`Err`) in turn.
    pub fn segments(&self) -> impl ExactSizeIterator<Item = impl Iterator<Item = Result<&str, usize>>> {
        self.segments.iter().map(|segment| {
            segment.iter().map(|piece| match piece {
                Piece::Text(text) => Ok(text.as_str()),
                Piece::Value(param) => Err(usize::from(*param)),
            })
        })
    }

    /// The parameter that takes the segments at the end.
    #[must_use]
    pub fn tail(&self) -> Option<usize> {
        self.tail.map(|(param, _)| usize::from(param))
    }

    /// The parameters that have a value, from the left.
    pub fn filled(&self) -> impl Iterator<Item = usize> {
        let values = self.segments.iter().flatten().filter_map(Piece::value).map(|param| usize::from(*param));
        values.chain(self.tail())
    }
}
