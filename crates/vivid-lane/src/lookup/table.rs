//! The frozen table.

use std::fmt;
use std::sync::Arc;

use super::names::Names;
use super::node::LeafId;
use super::path::MOST_BYTES;
use super::route::{Destination, NeedEntry, PageId, Route, RouteId};
use super::site::Site;
use super::tree::{Accepted, Tree};
use crate::declare::{Data, Finding, Slash};
use crate::template::Template;

/// A route table, built and proven: immutable, `Send + Sync`, and cheap to clone.
///
/// `P` is what a route shows: the name of its page after reading a file, and whatever
/// [`bind`](Self::bind) puts in its place.
///
/// # Example
/// ```
/// use vivid_lane::Table;
///
/// let table = Table::from_toml(r#"
///     [routes.objects]
///     path = "/objects"
///     page = "object-list"
///     [routes.objects.object]
///     path = "/{object}"
///     page = "object"
///     [routes.objects.tonight]
///     path = "/tonight"
///     page = "tonight"
/// "#)?;
/// assert_eq!(table.find("/objects/tonight").unwrap().page(), "tonight");
/// assert_eq!(table.find("/objects/moon").unwrap().param("object").as_deref(), Some("moon"));
/// assert!(table.find("/objects/moon/far-side").is_none());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
pub struct Table<P = String> {
    frozen: Arc<Frozen>,
    pages: Arc<[P]>,
}

/// All of a table but its pages. Frozen behind an [`Arc`] because requests on all threads read it at once.
#[derive(Debug)]
pub(crate) struct Frozen {
    pub(crate) routes: Vec<Route>,
    pub(crate) names: Names,
    pub(crate) tree: Tree,
    /// The page for what is missing where no route says otherwise.
    pub(crate) fallback: Option<PageId>,
    /// Whether a route says otherwise.
    pub(crate) has_fallbacks: bool,
    pub(crate) site: Site,
    /// Whether a route names a host.
    pub(crate) has_hosts: bool,
    pub(crate) needs: Vec<NeedEntry>,
    /// The names of the live lists.
    pub(crate) lists: Vec<Box<str>>,
    /// What was found that does not keep the table from working.
    pub(crate) findings: Vec<Finding>,
}

impl Frozen {
    pub(crate) fn route(&self, id: RouteId) -> &Route {
        &self.routes[id.index()]
    }

    /// The route of that full name.
    pub(crate) fn named(&self, name: &str) -> Option<RouteId> {
        self.names.get(name, |id| &self.route(id).name)
    }

    /// Whether a route is another one, or one of its descendants.
    pub(crate) fn is_below(&self, id: RouteId, above: RouteId) -> bool {
        std::iter::successors(Some(id), |id| self.route(*id).parent).any(|id| id == above)
    }

    /// Of leaves none of which is narrower than another, the one that answers the method: that of the
    /// highest priority, else the first declared.
    pub(crate) fn choose(&self, accepted: &Accepted, method: &str) -> Option<LeafId> {
        let route = |leaf: &LeafId| self.tree.leaf(*leaf).route;
        let able = accepted.iter().copied().filter(|leaf| self.route(route(leaf)).methods.allows(method));
        able.min_by_key(|leaf| (std::cmp::Reverse(self.route(route(leaf)).extras.priority), route(leaf), *leaf))
    }
}

impl<P> Clone for Table<P> {
    fn clone(&self) -> Self {
        Self { frozen: Arc::clone(&self.frozen), pages: Arc::clone(&self.pages) }
    }
}

impl<P> fmt::Debug for Table<P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Table").field("routes", &self.frozen.routes.len()).finish_non_exhaustive()
    }
}

impl<P> Table<P> {
    pub(crate) fn new(frozen: Arc<Frozen>, pages: Arc<[P]>) -> Self {
        Self { frozen, pages }
    }

    pub(super) fn pages(&self) -> &[P] {
        &self.pages
    }

    pub(super) fn with_pages<Q>(&self, pages: Vec<Q>) -> Table<Q> {
        Table { frozen: Arc::clone(&self.frozen), pages: pages.into() }
    }

    pub(super) fn shared(&self) -> &Arc<Frozen> {
        &self.frozen
    }

    pub(crate) fn frozen(&self) -> &Frozen {
        &self.frozen
    }

    pub(crate) fn page(&self, id: PageId) -> &P {
        &self.pages[id.index()]
    }

    /// The path under which the site is mounted, without a slash at the end; empty for the root.
    #[must_use]
    pub fn base(&self) -> &str {
        &self.frozen.site.base
    }

    /// Whether the addresses of pages stand in the fragment.
    #[must_use]
    pub fn is_in_fragment(&self) -> bool {
        self.frozen.site.is_in_fragment
    }

    /// Whether any route names a host. If none does, the host of a request makes no difference.
    #[must_use]
    pub fn has_hosts(&self) -> bool {
        self.frozen.has_hosts
    }

    /// The greatest length of a URL, in bytes.
    #[must_use]
    pub fn longest_url(&self) -> usize {
        MOST_BYTES
    }

    /// What the table says of the site: the keys of a table file that have a value, where it is one of a few words also by default.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("site.case = 'fold'\n[routes.home]\npath = '/'\npage = 'home'")?;
    /// let site: Vec<_> = table.site_keys().collect();
    /// assert_eq!(site, [("slash", "never"), ("case", "fold"), ("location", "path"), ("overlaps", "refused")]);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    pub fn site_keys(&self) -> impl Iterator<Item = (&'static str, &str)> {
        self.frozen.site.keys.iter().map(|key| (key.name, key.value.as_str()))
    }

    /// Whether the path of a page ends with a slash.
    #[must_use]
    pub fn slash(&self) -> Slash {
        self.frozen.site.slash
    }

    /// The frame around every page, if the site has one.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let nights = RouteSpec::new("nights").path("/nights").page("nights").frame("calendar");
    /// let table = TableSpec::new().frame("site").route(nights).build()?;
    /// assert_eq!(table.frame(), Some("site"));
    /// assert_eq!(table.find("/nights").unwrap().frames().collect::<Vec<_>>(), ["site", "calendar"]);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn frame(&self) -> Option<&str> {
        self.frozen.site.frame.as_deref()
    }

    /// The fallback page of the site.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("site.fallback = 'lost'\n[routes.home]\npath = '/'\npage = 'home'")?;
    /// assert_eq!(table.fallback().map(String::as_str), Some("lost"));
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn fallback(&self) -> Option<&P> {
        self.frozen.fallback.map(|page| self.page(page))
    }

    /// The names of the live lists that the table declares.
    pub fn lists(&self) -> impl ExactSizeIterator<Item = &str> {
        self.frozen.lists.iter().map(|list| &**list)
    }

    /// The scheme and host of the site, if the table declares them.
    #[must_use]
    pub fn origin(&self) -> Option<&str> {
        self.frozen.site.origin.as_deref()
    }

    /// The same table with each page replaced by what the function makes of it.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
    /// assert_eq!(table.map_pages(|page| page.len()).find("/").unwrap().page(), &4);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn map_pages<Q>(&self, page: impl FnMut(&P) -> Q) -> Table<Q> {
        self.with_pages(self.pages.iter().map(page).collect())
    }

    /// The route with a full name.
    #[must_use]
    pub fn route(&self, name: &str) -> Option<RouteRef<'_, P>> {
        self.frozen.named(name).map(|id| RouteRef { table: self, id })
    }

    /// All routes in the order of the table file, parents before their children.
    #[must_use]
    pub fn routes(&self) -> Routes<'_, P> {
        Routes { table: self, ids: 0..self.frozen.routes.len() }
    }

    /// The names of the needs that the table declares.
    pub fn needs(&self) -> impl ExactSizeIterator<Item = &str> {
        self.frozen.needs.iter().map(|need| &*need.name)
    }

    /// The route to which visitors are redirected who do not meet a need; `None` for an undeclared need, and for one
    /// without such a route.
    #[must_use]
    pub fn need_otherwise(&self, need: &str) -> Option<RouteRef<'_, P>> {
        let declared = self.frozen.needs.iter().find(|declared| *declared.name == *need)?;
        declared.otherwise.map(|id| self.route_ref(id))
    }

    /// Warnings and notes about the table.
    #[must_use]
    pub fn findings(&self) -> &[Finding] {
        &self.frozen.findings
    }

    pub(crate) fn route_ref(&self, id: RouteId) -> RouteRef<'_, P> {
        RouteRef { table: self, id }
    }
}

/// The routes of a table.
#[derive(Debug, Clone)]
pub struct Routes<'t, P> {
    table: &'t Table<P>,
    ids: std::ops::Range<usize>,
}

impl<'t, P> Iterator for Routes<'t, P> {
    type Item = RouteRef<'t, P>;

    fn next(&mut self) -> Option<Self::Item> {
        self.ids.next().map(|id| RouteRef { table: self.table, id: RouteId::of(id) })
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.ids.size_hint()
    }
}

impl<P> ExactSizeIterator for Routes<'_, P> {}

/// A route of a table.
pub struct RouteRef<'t, P = String> {
    table: &'t Table<P>,
    id: RouteId,
}

impl<P> Copy for RouteRef<'_, P> {}

impl<P> Clone for RouteRef<'_, P> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<P> PartialEq for RouteRef<'_, P> {
    /// The same route of the same table.
    fn eq(&self, other: &Self) -> bool {
        self.id == other.id && Arc::ptr_eq(&self.table.frozen, &other.table.frozen)
    }
}

impl<P> Eq for RouteRef<'_, P> {}

impl<P> fmt::Debug for RouteRef<'_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("RouteRef").field("name", &self.name()).field("path", &self.path().as_str()).finish()
    }
}

impl<'t, P> RouteRef<'t, P> {
    pub(crate) fn frozen_route(self) -> &'t Route {
        self.table.frozen.route(self.id)
    }

    pub(crate) fn id(self) -> RouteId {
        self.id
    }

    /// The full name, such as `nights.night`.
    #[must_use]
    pub fn name(self) -> &'t str {
        &self.frozen_route().name
    }

    /// The path from the root.
    #[must_use]
    pub fn path(self) -> &'t Template {
        &self.frozen_route().path
    }

    /// The path as the route itself declares it, without its ancestors'; empty for one that declares none.
    #[must_use]
    pub fn own_path(self) -> &'t str {
        self.frozen_route().own_path()
    }

    /// The page of the route; `None` for a route that only groups others.
    #[must_use]
    pub fn page(self) -> Option<&'t P> {
        self.frozen_route().page.map(|page| self.table.page(page))
    }

    /// The frame around the route and its descendants.
    #[must_use]
    pub fn frame(self) -> Option<&'t str> {
        self.frozen_route().extras.frame.as_deref()
    }

    /// The fallback page for URLs under this route, if it has one of its own.
    #[must_use]
    pub fn fallback(self) -> Option<&'t P> {
        self.frozen_route().extras.fallback.map(|page| self.table.page(page))
    }

    /// Whether the route switches off fallback pages for URLs under it.
    #[must_use]
    pub fn has_no_fallback(self) -> bool {
        self.frozen_route().extras.no_fallback
    }

    /// The needs that visitors must meet, those of the outermost ancestor first.
    pub fn needs(self) -> impl ExactSizeIterator<Item = &'t str> {
        self.frozen_route().extras.needs.iter().map(move |need| &*self.table.frozen.needs[usize::from(need.0)].name)
    }

    /// The route that this route redirects to; `None` if it is no redirect, or leads to another site.
    #[must_use]
    pub fn redirects_to(self) -> Option<Self> {
        match &self.frozen_route().extras.onward.as_ref()?.aim {
            Destination::Route { to, .. } => Some(self.table.route_ref(*to)),
            Destination::Url(_) => None,
        }
    }

    /// The template of the address on another site that this route redirects to.
    #[must_use]
    pub fn redirects_to_url(self) -> Option<&'t Template> {
        match &self.frozen_route().extras.onward.as_ref()?.aim {
            Destination::Route { .. } => None,
            Destination::Url(url) => Some(url),
        }
    }

    /// What a redirect passes to each parameter of its target: a text over the parameters of this route, as in
    /// `{year}-{month}`. Parameters that are passed on by name are included.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("
    ///     [routes.night]
    ///     path = '/nights/{date}'
    ///     page = 'night'
    ///     [routes.old]
    ///     path = '/old/{d}'
    ///     redirect = { to = 'night', params = { date = '{d}' } }
    /// ")?;
    /// let old = table.route("old").unwrap();
    /// assert_eq!(old.redirect_params().collect::<Vec<_>>(), [("date", "{d}".to_owned())]);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    pub fn redirect_params(self) -> impl Iterator<Item = (&'t str, String)> {
        let route = self.frozen_route();
        let values = match route.extras.onward.as_ref().map(|onward| &onward.aim) {
            Some(Destination::Route { values, .. }) => values.as_slice(),
            _ => &[],
        };
        let text = |piece: &Result<Box<str>, u16>| match piece {
            Ok(text) => text.to_string(),
            Err(param) => format!("{{{}}}", route.params[usize::from(*param)].name),
        };
        values.iter().map(move |(name, filling)| (name.as_str(), filling.iter().map(text).collect()))
    }

    /// The status of a redirect.
    #[must_use]
    pub fn redirect_status(self) -> Option<u16> {
        self.frozen_route().extras.onward.as_ref().map(|onward| onward.status)
    }

    /// The methods that the route accepts; `GET` includes `HEAD`.
    pub fn methods(self) -> impl ExactSizeIterator<Item = &'t str> {
        self.frozen_route().methods.0.iter().map(|method| &**method)
    }

    /// The host of the route, if it or an ancestor names one.
    #[must_use]
    pub fn host(self) -> Option<&'t Template> {
        self.frozen_route().extras.host.as_ref().map(|host| &host.template)
    }

    /// The names of the parameters, each with its rule in a few words; the words are empty for a parameter without a
    /// rule.
    pub fn rules(self) -> impl ExactSizeIterator<Item = (&'t str, &'t str)> {
        self.frozen_route().params.iter().map(|param| (&*param.name, param.check.label()))
    }

    /// The data that the declaration attached to the route.
    #[must_use]
    pub fn data(self) -> &'t Data {
        &self.frozen_route().extras.data
    }

    /// The parent route.
    #[must_use]
    pub fn parent(self) -> Option<Self> {
        self.frozen_route().parent.map(|id| self.table.route_ref(id))
    }

    /// The number of ancestors.
    #[must_use]
    pub fn level(self) -> usize {
        usize::from(self.frozen_route().level)
    }
}
