//! Matches and positions that outlive the request.

use std::fmt;
use std::ops::Range;
use std::sync::Arc;

use super::found::{Match, Position};
use super::node::LeafId;
use super::places::PathValues;
use super::reading::Reading;
use super::route::PageId;
use super::table::Table;
use super::target::Sent;

/// A [`Match`] that owns its data, so that you can keep it or send it to another task.
///
/// It holds the table (two pointers) and the parts of the URL; [`get`](Self::get) gives the match back without another
/// lookup.
///
/// # Example
/// ```
/// use vivid_lane::{OwnedMatch, Table};
///
/// let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night'")?;
/// let kept: OwnedMatch = {
///     let url = String::from("/nights/2031-04-02?print=1");
///     table.find(&url).unwrap().keep()
/// };
/// assert_eq!(kept.get().param("date").as_deref(), Some("2031-04-02"));
/// assert_eq!(kept.get().address(), "/nights/2031-04-02?print=1");
///
/// // With other pages in the place of its own: here, with none.
/// let bare = table.bind(|_| Some(()))?;
/// assert_eq!(table.find("/nights/2031-04-02").unwrap().keep_in(&bare).unwrap().get().page(), &());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct OwnedMatch<P = String> {
    position: OwnedPosition<P>,
    page: PageId,
}

/// A [`Position`] that owns its data. See [`OwnedMatch`].
pub struct OwnedPosition<P = String> {
    table: Table<P>,
    leaf: LeafId,
    values: PathValues,
    host: Option<Box<str>>,
    /// The path as it was sent, and the query after it, if there is one.
    url: Box<str>,
    /// Where the path ends.
    sent: usize,
    /// Where the path of the page stands in it.
    path: Range<usize>,
}

impl<P> Clone for OwnedMatch<P> {
    fn clone(&self) -> Self {
        Self { position: self.position.clone(), page: self.page }
    }
}

impl<P> Clone for OwnedPosition<P> {
    fn clone(&self) -> Self {
        Self {
            table: self.table.clone(),
            leaf: self.leaf,
            values: self.values.clone(),
            host: self.host.clone(),
            url: self.url.clone(),
            sent: self.sent,
            path: self.path.clone(),
        }
    }
}

impl<P> fmt::Debug for OwnedMatch<P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.get().fmt(f)
    }
}

impl<P> fmt::Debug for OwnedPosition<P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.get().fmt(f)
    }
}

impl<P> OwnedMatch<P> {
    /// The match.
    #[must_use]
    pub fn get(&self) -> Match<'_, '_, P> {
        Match::of_page(&self.position.table, self.page, self.position.reading())
    }

    /// The position of the match.
    #[must_use]
    pub fn position(&self) -> Position<'_, '_, P> {
        self.position.get()
    }
}

impl<P> OwnedPosition<P> {
    /// The position.
    #[must_use]
    pub fn get(&self) -> Position<'_, '_, P> {
        Position::new(&self.table, self.reading())
    }

    fn reading(&self) -> Reading<'_, '_> {
        let (sent, query) = self.url.split_at(self.sent);
        let sent = Sent {
            host: self.host.as_deref(),
            whole: sent,
            path: sent.get(self.path.clone()).unwrap_or_default(),
            query: query.strip_prefix('?'),
        };
        Reading::of_parts(self.table.frozen(), self.leaf, sent, self.values.clone())
    }
}

impl<P> Match<'_, '_, P> {
    /// Makes an owned match, which does not borrow from the URL or the table.
    #[must_use]
    pub fn keep(&self) -> OwnedMatch<P> {
        OwnedMatch { position: self.owned_in(self.table()), page: self.page_id() }
    }

    /// Makes an owned match with the pages of another table, which was [bound](Table::bind) from the same one; `None`
    /// for any other table.
    #[must_use]
    pub fn keep_in<Q>(&self, table: &Table<Q>) -> Option<OwnedMatch<Q>> {
        Some(OwnedMatch { position: self.keep_position_in(table)?, page: self.page_id() })
    }
}

impl<P> Position<'_, '_, P> {
    /// Makes an owned position, which does not borrow from the URL or the table.
    #[must_use]
    pub fn keep_position(&self) -> OwnedPosition<P> {
        self.owned_in(self.table())
    }

    /// Makes an owned position with the pages of another table, which was [bound](Table::bind) from the same one;
    /// `None` for any other table.
    #[must_use]
    pub fn keep_position_in<Q>(&self, table: &Table<Q>) -> Option<OwnedPosition<Q>> {
        Arc::ptr_eq(self.table().shared(), table.shared()).then(|| self.owned_in(table))
    }

    fn owned_in<Q>(&self, table: &Table<Q>) -> OwnedPosition<Q> {
        let reading = self.reading();
        let (leaf, values) = reading.parts();
        let Sent { host, path, whole, query } = reading.sent;
        let mut url = String::with_capacity(whole.len() + query.map_or(0, |query| query.len() + 1));
        url.push_str(whole);
        if let Some(query) = query {
            url.push('?');
            url.push_str(query);
        }
        // The path of the page is a part of what was sent, unless it is empty.
        let start = if path.is_empty() { 0 } else { path.as_ptr().addr().wrapping_sub(whole.as_ptr().addr()) };
        OwnedPosition {
            table: table.clone(),
            leaf,
            values: values.clone(),
            host: host.map(Into::into),
            url: url.into_boxed_str(),
            sent: whole.len(),
            path: start..start.wrapping_add(path.len()),
        }
    }
}
