//! A match that outlives the request.

use std::fmt;
use std::ops::Range;
use std::sync::Arc;

use super::ask::Target;
use super::found::Match;
use super::path::Ends;
use super::reading::Reading;
use super::route::PageId;
use super::table::Table;
use super::tree::EndingId;

/// A [`Match`] with everything that it borrows, to be kept or handed to another task.
///
/// It holds the table (two pointers) and the parts of the URL; [`get`](Self::get) gives the match back without another
/// lookup.
///
/// # Example
/// ```
/// use vivid_lane::{KeptMatch, Table};
///
/// let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night'")?;
/// let kept: KeptMatch = {
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
pub struct KeptMatch<P = String> {
    table: Table<P>,
    page: PageId,
    ending: EndingId,
    ends: Ends,
    is_plain: bool,
    host: Option<Box<str>>,
    /// The path as it was sent, and the query after it, if there is one.
    url: Box<str>,
    /// Where the path ends.
    sent: usize,
    /// Where the path of the page stands in it.
    path: Range<usize>,
}

impl<P> Clone for KeptMatch<P> {
    fn clone(&self) -> Self {
        Self {
            table: self.table.clone(),
            page: self.page,
            ending: self.ending,
            ends: self.ends.clone(),
            is_plain: self.is_plain,
            host: self.host.clone(),
            url: self.url.clone(),
            sent: self.sent,
            path: self.path.clone(),
        }
    }
}

impl<P> fmt::Debug for KeptMatch<P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.get().fmt(f)
    }
}

impl<P> KeptMatch<P> {
    /// The match.
    #[must_use]
    pub fn get(&self) -> Match<'_, '_, P> {
        let (sent, query) = self.url.split_at(self.sent);
        let target = Target {
            host: self.host.as_deref(),
            path: sent.get(self.path.clone()).unwrap_or_default(),
            sent,
            query: query.strip_prefix('?'),
        };
        let reading = Reading::at(self.table.frozen(), self.ending, target, self.ends.clone());
        Match::of_page(&self.table, self.page, reading.plain(self.is_plain))
    }
}

impl<P> Match<'_, '_, P> {
    /// Keeps the match beyond the URL and the table that it borrows from.
    #[must_use]
    pub fn keep(&self) -> KeptMatch<P> {
        self.kept_with(self.table().clone())
    }

    /// Keeps the match with the pages of another table, which was [bound](Table::bind) from the same one; `None` for
    /// any other.
    #[must_use]
    pub fn keep_in<Q>(&self, table: &Table<Q>) -> Option<KeptMatch<Q>> {
        Arc::ptr_eq(self.table().shared(), table.shared()).then(|| self.kept_with(table.clone()))
    }

    fn kept_with<Q>(&self, table: Table<Q>) -> KeptMatch<Q> {
        let reading = self.reading();
        let (ending, ends, is_plain) = reading.parts();
        let Target { host, path, sent, query } = reading.target;
        let mut url = String::with_capacity(sent.len() + query.map_or(0, |query| query.len() + 1));
        url.push_str(sent);
        if let Some(query) = query {
            url.push('?');
            url.push_str(query);
        }
        // The path of the page is a part of what was sent, unless it is empty.
        let start = if path.is_empty() { 0 } else { path.as_ptr().addr().wrapping_sub(sent.as_ptr().addr()) };
        KeptMatch {
            table,
            page: self.page_id(),
            ending,
            ends: ends.clone(),
            is_plain,
            host: host.map(Into::into),
            url: url.into_boxed_str(),
            sent: sent.len(),
            path: start..start.wrapping_add(path.len()),
        }
    }
}
