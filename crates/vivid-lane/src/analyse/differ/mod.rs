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

/// What two tables make of the same addresses.
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

/// A route some of whose addresses were not compared, as its paths are too many, or too entangled with those of others.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NotCompared {
    route: Option<String>,
    witness: Option<String>,
}

impl NotCompared {
    /// The route; `None` for all of both tables.
    #[must_use]
    pub fn route(&self) -> Option<&str> {
        self.route.as_deref()
    }

    /// The one address of the route that was compared.
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

/// What has become of a route's addresses.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
#[non_exhaustive]
pub enum DifferenceKind {
    /// They are answered by nothing any more.
    Removed,
    /// They are answered by nothing any more, but their page is, elsewhere.
    Moved,
    /// They are answered by another page.
    SameUrlOtherPage,
    /// They were answered by nothing before.
    Added,
}

impl DifferenceKind {
    /// The word for it: `removed`, `moved`, `same-url-other-page` or `added`.
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

/// One difference, of a route or of a whole subtree that went the same way.
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
    /// What has become of the addresses.
    #[must_use]
    pub fn kind(&self) -> DifferenceKind {
        self.kind
    }

    /// The route that it began with: of a subtree, the topmost.
    #[must_use]
    pub fn route(&self) -> &str {
        &self.route
    }

    /// All routes that went the same way.
    #[must_use]
    pub fn routes(&self) -> &[String] {
        &self.routes
    }

    /// A URL that shows it.
    #[must_use]
    pub fn witness(&self) -> &str {
        &self.witness
    }

    /// The path before, or the page that answered the URL.
    #[must_use]
    pub fn before(&self) -> Option<&str> {
        self.before.as_deref()
    }

    /// The path after, where the route is still there, or the page that answers the URL now.
    #[must_use]
    pub fn after(&self) -> Option<&str> {
        self.after.as_deref()
    }
}

impl Differences {
    /// Compares two tables. Visitors are taken to meet every need, and lists to have every value.
    ///
    /// # Errors
    /// What keeps one of the tables from being built.
    pub fn between(old: TableSpec, new: TableSpec) -> Result<Self, TableError> {
        Self::since(&old.build()?, new)
    }

    /// Compares a table with what is to take its place. Visitors are taken to meet every need, and lists to have every value.
    ///
    /// # Errors
    /// What keeps the new one from being built.
    pub fn since(before: &Table, new: TableSpec) -> Result<Self, TableError> {
        let after = new.build_from()?;
        let Some(mut traced) = trace::trace(before, &after) else {
            let not_compared = vec![NotCompared { route: None, witness: None }];
            return Ok(Self { all: Vec::new(), redirects: Vec::new(), not_compared });
        };
        let all = group::group(&traced, before, &after);
        let not_compared = std::mem::take(&mut traced.not_compared);
        Ok(Self { all, redirects: redirects::propose(traced, before, &after, new), not_compared })
    }

    /// The differences: first what breaks addresses, in the order of the old table, then what is new.
    #[must_use]
    pub fn all(&self) -> &[Difference] {
        &self.all
    }

    /// The redirects that keep old addresses alive. The new table can be built with all of them.
    #[must_use]
    pub fn redirects(&self) -> &[ProposedRedirect] {
        &self.redirects
    }

    /// What was left out of the comparison; usually nothing.
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
