//! The routes of a built table.

use std::sync::Arc;

use smol_str::SmolStr;

use super::conditions::{HostMatcher, Methods, QueryMatcher};
use crate::declare::Data;
use crate::rule::Check;
use crate::template::Template;

/// The index of a route, in the order of the table file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct RouteId(pub(crate) u32);

/// The index of a page; routes that name the same page share it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct PageId(pub(crate) u32);

/// A route of a built table.
#[derive(Debug)]
pub(crate) struct Route {
    /// Shared with the map of names.
    pub(crate) name: Arc<str>,
    pub(crate) parent: Option<RouteId>,
    /// The path as the route itself declares it.
    pub(crate) own_path: Box<str>,
    /// The path from the root.
    pub(crate) path: Template,
    pub(crate) page: Option<PageId>,
    /// Where the route sends its visitors on to, instead of showing a page.
    pub(crate) onward: Option<Box<RedirectRule>>,
    /// What visitors must meet, the outermost first.
    pub(crate) needs: Box<[NeedId]>,
    pub(crate) frame: Option<Box<str>>,
    /// The page for what is missing under the route.
    pub(crate) fallback: Option<PageId>,
    /// Is there none, whatever an ancestor or the site says?
    pub(crate) no_fallback: bool,
    /// Are other routes below it?
    pub(crate) is_parent: bool,
    pub(crate) data: Data,
    pub(crate) methods: Methods,
    pub(crate) priority: i64,
    pub(crate) query: QueryMatcher,
    pub(crate) host: Option<Box<HostMatcher>>,
    /// The parameters of the whole path, outermost first.
    pub(crate) params: Arc<[Param]>,
    /// How many ancestors the route has.
    pub(crate) level: u16,
    /// Is there an optional parameter whose rule has a default?
    pub(crate) has_defaults: bool,
    /// Do links need no more than their values: no defaults, no values that are filled from left to right, none of
    /// another form than they are given in?
    pub(crate) takes_values_as_they_are: bool,
    /// Is every link, once its values are checked, read back as this route with those values, so that nobody needs to
    /// look? Its expansion is its address: literals as they are, and each parameter as one segment, in their order.
    pub(crate) is_direct: bool,
    /// Is a page shown to whoever asks, with no more to look at than the URL in its normal form?
    pub(crate) is_open: bool,
}

impl Route {
    /// Whether the route itself says what is shown where something is missing under it: a page, or none.
    pub(crate) fn has_own_fallback(&self) -> bool {
        self.fallback.is_some() || self.no_fallback
    }

    /// Does the route answer URLs?
    pub(crate) fn answers(&self) -> bool {
        self.page.is_some() || self.onward.is_some()
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
    /// The level of the chain whose path declares it.
    pub(crate) level: u16,
    pub(crate) kind: ParamKind,
    /// May a URL of the route lack it?
    pub(crate) is_optional: bool,
    pub(crate) check: Arc<Check>,
    /// The rule of the texts that stand in the URL for it: that of an item for the segments of a tail, and for what is joined that
    /// of the whole. For one value it is the same.
    pub(crate) texts: Arc<Check>,
    /// Is it written with a star?
    pub(crate) is_exploded: bool,
}

/// Where a parameter stands, and so what its value is.
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
