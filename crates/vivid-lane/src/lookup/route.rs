//! The routes of a built table.

use std::hash::Hash;
use std::num::NonZeroU32;
use std::sync::Arc;

use smol_str::SmolStr;

use super::conditions::{HostMatcher, Methods, QueryMatcher};
use crate::declare::Data;
use crate::rule::Check;
use crate::template::Template;
use crate::template::bytes::Brief;

/// Makes the type of an index. It is kept as one more than it is, so that none takes no room. No table has so many entries that the
/// number of one does not fit.
macro_rules! index {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub(crate) struct $name(NonZeroU32);

        impl $name {
            pub(crate) fn of(index: usize) -> Self {
                Self(u32::try_from(index).map_or(NonZeroU32::MAX, |index| NonZeroU32::MIN.saturating_add(index)))
            }

            pub(crate) fn index(self) -> usize {
                self.0.get() as usize - 1
            }
        }
    };
}

index! {
    /// The index of a route, in the order of the table file.
    RouteId
}

index! {
    /// The index of a page; routes that name the same page share it.
    PageId
}

/// A route of a built table.
#[derive(Debug)]
pub(crate) struct Route {
    pub(crate) name: SmolStr,
    pub(crate) parent: Option<RouteId>,
    /// The path as the route itself declares it.
    pub(crate) own_path: OwnPath,
    /// The path from the root.
    pub(crate) path: Template,
    pub(crate) page: Option<PageId>,
    pub(crate) methods: Methods,
    /// The parameters of the whole path, outermost first; shared by all routes that have the same.
    pub(crate) params: Arc<[Param]>,
    /// What most routes have nothing of; these share it.
    pub(crate) extras: Arc<Extras>,
    /// How many ancestors the route has.
    pub(crate) level: u16,
    /// Whether other routes are below it.
    pub(crate) is_parent: bool,
    /// Whether there is an optional parameter whose rule has a default.
    pub(crate) has_defaults: bool,
    /// Whether links need nothing but their values: no defaults, no values that are filled from left to right, none of another form
    /// than they are given in.
    pub(crate) takes_values_as_they_are: bool,
    /// Whether every link, once its values are checked, is certain to be read back as this route with those values. Its expansion
    /// is its address: literals as they are, and each parameter as one segment, in their order.
    pub(crate) has_safe_links: bool,
    /// Whether the page is shown to everyone, with nothing to examine but the normal URL.
    pub(crate) is_unguarded: bool,
}

/// What few routes have.
#[derive(Debug, Default)]
pub(crate) struct Extras {
    pub(crate) query: QueryMatcher,
    pub(crate) host: Option<Box<HostMatcher>>,
    /// Where the route sends its visitors on to, instead of showing a page.
    pub(crate) onward: Option<RedirectRule>,
    /// What visitors must meet, the outermost first.
    pub(crate) needs: Box<[NeedId]>,
    pub(crate) frame: Option<Box<str>>,
    /// The page for what is missing under the route.
    pub(crate) fallback: Option<PageId>,
    /// Whether there is none, whatever an ancestor or the site says.
    pub(crate) no_fallback: bool,
    pub(crate) data: Data,
    pub(crate) priority: i64,
}

impl Extras {
    /// Whether there is nothing that sets the route apart from most.
    pub(crate) fn is_empty(&self) -> bool {
        let Self { query, host, onward, needs, frame, fallback, no_fallback, data, priority } = self;
        let is_told = frame.is_some() || fallback.is_some() || *no_fallback || *priority != 0 || !data.is_empty();
        let is_asked = !query.is_unasked() || host.is_some() || !needs.is_empty();
        !is_told && !is_asked && onward.is_none()
    }
}

/// The path as a route itself declares it.
#[derive(Debug)]
pub(crate) enum OwnPath {
    /// The end of the path from the root, from that byte on.
    End(u32),
    Text(Box<str>),
}

impl OwnPath {
    pub(crate) fn new(own: &str, path: &Template) -> Self {
        let start = path.as_str().len().checked_sub(own.len());
        match start.and_then(|start| u32::try_from(start).ok()) {
            Some(start) if path.as_str().ends_with(own) => Self::End(start),
            _ => Self::Text(own.into()),
        }
    }
}

impl Route {
    /// Whether the route itself says what is shown where something is missing under it: a page, or none.
    pub(crate) fn has_own_fallback(&self) -> bool {
        self.extras.fallback.is_some() || self.extras.no_fallback
    }

    /// The path as the route itself declares it.
    pub(crate) fn own_path(&self) -> &str {
        match &self.own_path {
            OwnPath::End(start) => self.path.as_str().get(*start as usize..).unwrap_or_default(),
            OwnPath::Text(own) => own,
        }
    }

    /// Whether the route answers URLs.
    pub(crate) fn answers(&self) -> bool {
        self.page.is_some() || self.extras.onward.is_some()
    }
}

/// Where a redirect leads.
#[derive(Debug)]
pub(crate) struct RedirectRule {
    pub(crate) status: u16,
    pub(crate) aim: Destination,
}

/// What a redirect leads to.
#[derive(Debug)]
pub(crate) enum Destination {
    /// A route of this table with a page, and what its parameters are given.
    Route { to: RouteId, values: Vec<(SmolStr, Filling)> },
    /// Another site.
    Url(Template),
}

/// What a parameter of a target is given: texts and values of the source, by their index, in turn.
pub(crate) type Filling = Vec<Result<Box<str>, u16>>;

/// The index of a need.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct NeedId(pub(crate) u16);

/// A condition that visitors must meet.
#[derive(Debug)]
pub(crate) struct NeedEntry {
    pub(crate) name: Box<str>,
    pub(crate) otherwise: Option<RouteId>,
}

/// A parameter of a route.
#[derive(Debug, Clone)]
pub(crate) struct Param {
    pub(crate) name: SmolStr,
    pub(crate) brief_name: Brief,
    /// The level of the chain whose path declares it.
    pub(crate) level: u16,
    pub(crate) kind: ParamKind,
    /// Whether a URL of the route may lack it.
    pub(crate) is_optional: bool,
    pub(crate) check: Arc<Check>,
    /// The rule of the texts that stand in the URL for it: that of an item for the segments of a tail, and for what is joined that
    /// of the whole. For one value it is the same.
    pub(crate) texts: Arc<Check>,
    /// Whether it is written with a star.
    pub(crate) is_exploded: bool,
}

impl Param {
    /// What tells it from another one. Rules that say the same are one, so that their addresses tell.
    pub(crate) fn key(&self) -> impl Hash + PartialEq {
        let Self { name, brief_name: _, level, kind, is_optional, check, texts, is_exploded } = self;
        let rules = [check, texts].map(|rule| Arc::as_ptr(rule).addr());
        (name.as_str(), *level, *kind, *is_optional, rules, *is_exploded)
    }
}

/// Where in the URL a parameter stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum ParamKind {
    /// In a segment.
    Segment,
    /// Segments: a list of texts, or of names with values.
    Items,
    /// One value that may hold slashes.
    Rest,
    /// In the query.
    Query,
    /// All of the query that no other parameter takes: a list of pairs.
    Pairs,
    /// In the host.
    Host,
    /// In the fragment, which is never sent.
    Fragment,
}
