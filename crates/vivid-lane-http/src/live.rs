//! A table that can be exchanged while requests run.

use std::fmt;
use std::sync::{Arc, OnceLock};

use arc_swap::{ArcSwap, Guard};
use vivid_lane::Table;

use crate::routing::{Labels, labels};

/// A table that can be replaced while requests run. Clones share it. A request keeps the table that it started with.
///
/// # Example
/// ```
/// use vivid_lane::Table;
/// use vivid_lane_http::LiveTable;
///
/// let table = |text: &str| Table::from_toml(text);
/// let live = LiveTable::new(table("[routes.nights]\npath = '/nights'\npage = 'nights'").unwrap());
/// // A new file is broken: the old table stays, and the errors are given back.
/// assert!(live.replace_with(|| table("[routes.nights]\npth = '/nights'")).is_err());
/// assert!(live.load().find("/nights").is_some());
/// live.replace_with(|| table("[routes.talks]\npath = '/talks'\npage = 'talks'")).unwrap();
/// assert!(live.load().find("/nights").is_none());
/// ```
pub struct LiveTable<P> {
    now: Arc<ArcSwap<Loaded<P>>>,
}

/// A table, and the same without its pages, which matches are kept with.
pub(crate) struct Loaded<P> {
    pub(crate) table: Table<P>,
    pub(crate) bare: Table<()>,
    /// The labels of its routes, made at the first use.
    labels: OnceLock<Labels>,
}

impl<P> Loaded<P> {
    fn new(table: Table<P>) -> Self {
        Self { bare: table.map_pages(|_| ()), table, labels: OnceLock::new() }
    }

    pub(crate) fn labels(&self) -> &Labels {
        self.labels.get_or_init(|| labels(&self.bare))
    }
}

impl<P> Clone for LiveTable<P> {
    fn clone(&self) -> Self {
        Self { now: Arc::clone(&self.now) }
    }
}

impl<P> fmt::Debug for LiveTable<P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("LiveTable").field(&self.now.load().table).finish()
    }
}

impl<P> LiveTable<P> {
    /// A table that can be replaced.
    #[must_use]
    pub fn new(table: Table<P>) -> Self {
        Self { now: Arc::new(ArcSwap::from_pointee(Loaded::new(table))) }
    }

    /// The current table.
    #[must_use]
    pub fn load(&self) -> Table<P> {
        self.now.load().table.clone()
    }

    /// Replaces the table.
    pub fn replace(&self, table: Table<P>) {
        self.now.store(Arc::new(Loaded::new(table)));
    }

    /// Replaces the table by one that the function makes. If the function fails, the old table stays.
    ///
    /// # Errors
    /// What the function gives.
    pub fn replace_with<E>(&self, make: impl FnOnce() -> Result<Table<P>, E>) -> Result<(), E> {
        make().map(|table| self.replace(table))
    }

    /// The table of this moment, for a short look.
    pub(crate) fn guard(&self) -> Guard<Arc<Loaded<P>>> {
        self.now.load()
    }

    pub(crate) fn loaded(&self) -> Arc<Loaded<P>> {
        self.now.load_full()
    }
}

impl<P> From<Table<P>> for LiveTable<P> {
    fn from(table: Table<P>) -> Self {
        Self::new(table)
    }
}
