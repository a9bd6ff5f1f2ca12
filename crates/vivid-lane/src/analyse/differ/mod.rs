//! What becomes of addresses when one table follows another.
//!
//! [`trace`] follows every way of the old table into the new one, part by part, and every new way back into the old;
//! [`group`] makes one difference of a subtree that went the same way; [`redirects`] writes the entries that keep old
//! addresses alive. Nothing here is sampled: a way is split by all ways of both tables that share a path with it, and
//! each part is represented by its shortest path.

mod group;
mod redirects;
mod trace;

use std::fmt;

pub use redirects::ProposedRedirect;

use crate::Table;
use crate::declare::{TableError, TableSpec};

/// The differences between two tables: which addresses break, move or are new.
///
/// # Example
/// ```
/// use vivid_lane::analyse::{DifferenceKind, Differences};
/// use vivid_lane::{RouteSpec, TableSpec};
///
/// let site = |path: &str| {
///     let nights = RouteSpec::new("nights").path(path).page("night-list");
///     TableSpec::new().route(nights.route(RouteSpec::new("night").path("/{date}").page("night")))
/// };
/// let differences = Differences::between(site("/observations"), site("/nights"))?;
/// let [moved] = differences.all() else { panic!() };
/// assert_eq!((moved.kind(), moved.route(), moved.routes().len()), (DifferenceKind::Moved, "nights", 2));
/// assert_eq!((moved.before(), moved.after()), (Some("/observations"), Some("/nights")));
///
/// // The redirects that are proposed mend it.
/// let mended = differences.redirects().iter().fold(site("/nights"), |table, one| table.route(one.spec().clone()));
/// assert!(!Differences::between(site("/observations"), mended)?.breaks_addresses());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug)]
pub struct Differences {
    all: Vec<Difference>,
    redirects: Vec<ProposedRedirect>,
    not_compared: Vec<NotCompared>,
}

/// A route whose addresses were compared only in part: it has too many paths, or they overlap too much with those of
/// other routes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotCompared {
    route: Option<String>,
    witness: Option<String>,
}

impl NotCompared {
    /// The route; `None` where the limit concerns both tables as a whole.
    #[must_use]
    pub fn route(&self) -> Option<&str> {
        self.route.as_deref()
    }

    /// The one address of the route that was compared all the same.
    #[must_use]
    pub fn witness(&self) -> Option<&str> {
        self.witness.as_deref()
    }
}

impl fmt::Display for NotCompared {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.witness {
            Some(witness) => write!(f, "too many paths to follow: only `{witness}` was compared"),
            None => write!(f, "too many paths to follow: nothing was compared"),
        }
    }
}

/// What happened to the addresses of a route.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum DifferenceKind {
    /// No page answers them any more.
    Removed,
    /// No page answers them any more, but their page still exists under another address.
    Moved,
    /// Another page answers them now.
    SameUrlOtherPage,
    /// No page answered them before.
    Added,
}

impl DifferenceKind {
    /// The kind as a word: `removed`, `moved`, `same-url-other-page` or `added`.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Removed => "removed",
            Self::Moved => "moved",
            Self::SameUrlOtherPage => "same-url-other-page",
            Self::Added => "added",
        }
    }

    /// Whether an address that worked no longer leads to its page.
    #[must_use]
    pub fn breaks_addresses(self) -> bool {
        self != Self::Added
    }
}

impl fmt::Display for DifferenceKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// One difference: it concerns a route, or a whole subtree that changed in the same way.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Difference {
    kind: DifferenceKind,
    route: String,
    routes: Vec<String>,
    witness: String,
    before: Option<String>,
    after: Option<String>,
}

impl Difference {
    /// What happened to the addresses.
    #[must_use]
    pub fn kind(&self) -> DifferenceKind {
        self.kind
    }

    /// The route that changed; for a subtree, the topmost one.
    #[must_use]
    pub fn route(&self) -> &str {
        &self.route
    }

    /// All routes that changed in this way together.
    #[must_use]
    pub fn routes(&self) -> &[String] {
        &self.routes
    }

    /// A URL for which the two tables give different answers.
    #[must_use]
    pub fn witness(&self) -> &str {
        &self.witness
    }

    /// The old path of the route, or the page that answered the URL before.
    #[must_use]
    pub fn before(&self) -> Option<&str> {
        self.before.as_deref()
    }

    /// The new path of the route, or the page that answers the URL now.
    #[must_use]
    pub fn after(&self) -> Option<&str> {
        self.after.as_deref()
    }
}

impl Differences {
    /// Compares an old table with a new one. Visitors are assumed to meet every need, and lists to hold every value.
    ///
    /// # Errors
    /// What keeps one of the tables from being built.
    pub fn between(old: TableSpec, new: TableSpec) -> Result<Self, TableError> {
        Self::since(old.build()?, new)
    }

    /// Compares this table with an older one that it replaces. Visitors are assumed to meet every need, and lists to
    /// hold every value.
    ///
    /// # Errors
    /// What keeps the new one from being built.
    pub fn since(before: Table, mut new: TableSpec) -> Result<Self, TableError> {
        let after = new.build_from()?;
        let Some(mut traced) = trace::trace(&before, &after) else {
            let not_compared = vec![NotCompared { route: None, witness: None }];
            return Ok(Self { all: Vec::new(), redirects: Vec::new(), not_compared });
        };
        let all = group::group(&mut traced, &before, &after);
        let not_compared = std::mem::take(&mut traced.not_compared);
        let proposals = redirects::propose(traced, &before, &after, &mut new);
        // What comes is a table with all of the proposals, which takes the room of these two.
        drop((before, after));
        Ok(Self { all, redirects: redirects::fitting(proposals, new), not_compared })
    }

    /// The differences: first what breaks addresses, in the order of the old table, then what is new.
    #[must_use]
    pub fn all(&self) -> &[Difference] {
        &self.all
    }

    /// Redirects that keep the old addresses working. The new table can be built with all of them added.
    #[must_use]
    pub fn redirects(&self) -> &[ProposedRedirect] {
        &self.redirects
    }

    /// Routes that were not compared completely; usually there are none.
    #[must_use]
    pub fn not_compared(&self) -> &[NotCompared] {
        &self.not_compared
    }

    /// Whether there is an address that no longer leads to its page.
    #[must_use]
    pub fn breaks_addresses(&self) -> bool {
        self.all.iter().any(|one| one.kind.breaks_addresses())
    }
}
