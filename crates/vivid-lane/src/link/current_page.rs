//! Links from the page that is shown.

use std::borrow::Cow;

use super::{Link, LinkError};
use crate::compile::RETURN;
use crate::lookup::{Param, ParamKind, Position, Route};
use crate::template::{Expression, Part, Template, Value, Values};

/// Whether a link leads to the current page.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Active {
    /// The link leads to the current page.
    Exactly,
    /// The link leads to an ancestor of the current page, with the same values.
    Ancestor,
    /// The link leads elsewhere.
    No,
}

impl<'t, P> Position<'t, '_, P> {
    /// Starts a link to the route of that full name. It inherits what the two addresses share: the values of
    /// parameters that stand in a common beginning of the two paths, and those that the other route cannot do
    /// without and this one has under the same name. What is [set](Link::set) goes before what is inherited;
    /// [`without`](Link::without) takes it back.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml(r#"
    ///     [routes.night]
    ///     path = "{/lang}/nights/{date}"
    ///     page = "night"
    ///     [routes.night.report]
    ///     path = "/report{.format}"
    ///     page = "report"
    ///     [routes.about]
    ///     path = "{/lang}/about"
    ///     page = "about"
    ///     [params]
    ///     lang = ["en", "cy"]
    /// "#)?;
    /// let found = table.find("/cy/nights/2031-04-02").unwrap();
    /// assert_eq!(found.link("about").to_url()?, "/cy/about");
    /// assert_eq!(found.link("night.report").set("format", "csv").to_url()?, "/cy/nights/2031-04-02/report.csv");
    /// assert_eq!(found.link("about").without("lang").to_url()?, "/about");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn link(&self, name: impl Into<String>) -> Link<'t, P> {
        let (name, reading) = (name.into(), self.reading());
        let table = self.table();
        let link = table.link(name);
        let mut inherited = Values::new();
        if let Some(target) = table.route(link.name()) {
            let (own, target) = (reading.route(), table.frozen().route(target.id()));
            let shared = common_beginning(&own.path, &target.path);
            let is_shared = |param: &Param| {
                is_needed(param) || shared.contains(&&*param.name) || is_of_common_ancestor(own, target, param)
            };
            for param in target.params.iter().filter(|param| is_shared(param)) {
                let known = reading.index(&param.name).filter(|&index| own.params[index].kind != ParamKind::Query);
                if let Some(value) = known.and_then(|index| reading.value_at(index)) {
                    inherited.insert(&*param.name, value);
                }
            }
        }
        link.on_page(inherited, self.param(RETURN).map(Cow::into_owned), self.address())
    }

    /// Starts a link to the current page with all its values, so that you can change one of them. Values of the query that their rules
    /// refuse, because of which the address has no page, are left out.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.plates]\npath = '/{survey}/plates{?band,page}'\npage = 'plates'")?;
    /// let found = table.find("/north/plates?band=B&page=2").unwrap();
    /// assert_eq!(found.link_here().set("page", 3).to_url()?, "/north/plates?band=B&page=3");
    /// assert_eq!(found.link_here().without("page").to_url()?, "/north/plates?band=B");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn link_here(&self) -> Link<'t, P> {
        let (table, id, route) = (self.table(), self.route().id(), self.reading().route());
        let bare = table.link_to(id, Values::new());
        let is_fine = |name: &str, value: &Value| {
            let param = route.params.iter().find(|param| *param.name == *name);
            param.is_some_and(|param| bare.check(param, value).is_ok())
        };
        let own = self.values().filter(|(name, value)| is_fine(name, value));
        table.link_to(id, own.map(|(name, value)| (name.to_owned(), value)).collect())
    }

    /// The address of the page: path and query as requested, without scheme and host.
    #[must_use]
    pub fn address(&self) -> String {
        self.table().frozen().site.address_of(&self.reading().sent)
    }

    /// The URL of the nearest ancestor with a page, with the same values; `None` if there is none.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let night = RouteSpec::new("night").path("/{date}").page("night");
    /// let table = TableSpec::new().route(RouteSpec::new("nights").path("/nights").page("nights").route(night)).build()?;
    /// assert_eq!(table.find("/nights/2031-04-02").unwrap().up().as_deref(), Some("/nights"));
    /// assert_eq!(table.find("/nights").unwrap().up(), None);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn up(&self) -> Option<String> {
        let above = std::iter::successors(self.route().parent(), |route| route.parent());
        above.filter(|route| route.page().is_some()).find_map(|route| self.link(route.name()).to_url().ok())
    }
}

impl<P> Link<'_, P> {
    /// Whether the link leads to the current page, or to an ancestor of it. Values count, except those of the query
    /// that the link does not set.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::link::Active;
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let night = RouteSpec::new("night").path("/{date}").page("night");
    /// let table = TableSpec::new().route(RouteSpec::new("nights").path("/nights{?year}").page("nights").route(night)).build()?;
    /// let found = table.find("/nights/2031-04-02").unwrap();
    /// assert_eq!(table.link("nights").active(&found), Active::Ancestor);
    /// assert_eq!(table.link("nights.night").set("date", "2031-04-02").active(&found), Active::Exactly);
    /// assert_eq!(table.link("nights.night").set("date", "2031-04-03").active(&found), Active::No);
    /// assert_eq!(table.link("nights").active(&table.find("/nights?year=2031").unwrap()), Active::Exactly);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn active<Q>(&self, found: &Position<'_, '_, Q>) -> Active {
        let Some(route) = self.table().route(self.name()) else { return Active::No };
        let Some(level) = found.levels().find(|level| level.route().name() == route.name()) else { return Active::No };
        let is_exact = level.route() == found.route();
        let route = self.table().frozen().route(route.id());
        let is_same = |param: &Param| match param.kind {
            ParamKind::Fragment => true,
            ParamKind::Query | ParamKind::Pairs if !self.sets(&param.name) => true,
            // The query of an ancestor is not in the URL of its descendants.
            ParamKind::Query | ParamKind::Pairs if !is_exact => false,
            _ => self.given(param) == found.value(&param.name),
        };
        match (route.params.iter().all(is_same), is_exact) {
            (true, true) => Active::Exactly,
            (true, false) => Active::Ancestor,
            (false, _) => Active::No,
        }
    }

    /// The URL relative to the current page (RFC 3986, section 4.2), so that a copy of the site works under any path.
    /// It is absolute if it leads to another host.
    ///
    /// # Errors
    /// Those of [`to_url`](Self::to_url).
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let night = RouteSpec::new("night").path("/{date}").page("night");
    /// let table = TableSpec::new().route(RouteSpec::new("nights").path("/nights").page("nights").route(night)).build()?;
    /// let found = table.find("/nights/2031-04-02").unwrap();
    /// assert_eq!(found.link("nights.night").set("date", "2031-04-03").to_relative_url(&found).unwrap(), "2031-04-03");
    /// assert_eq!(found.link("nights").to_relative_url(&found).unwrap(), "../nights");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    pub fn to_relative_url<Q>(&self, found: &Position<'_, '_, Q>) -> Result<String, LinkError> {
        let url = self.to_url()?;
        Ok(relative(&found.address(), &url))
    }
}

/// Whether no link can be made without it.
fn is_needed(param: &Param) -> bool {
    !param.is_optional && param.check.default.is_none()
}

/// Whether the parameter is declared by a route that is an ancestor of both, or one of the two.
fn is_of_common_ancestor(own: &Route, target: &Route, param: &Param) -> bool {
    let same_start = own.name.split('.').zip(target.name.split('.')).take_while(|(a, b)| a == b).count();
    usize::from(param.level) < same_start && param.kind != ParamKind::Query
}

/// The variables in the parts with which both templates begin.
fn common_beginning<'t>(own: &'t Template, target: &'t Template) -> Vec<&'t str> {
    let is_same = |own: &Part<'t>, target: &Part<'t>| match (own, target) {
        (Part::Literal(own), Part::Literal(target)) => own == target,
        (Part::Expression(own), Part::Expression(target)) => {
            let names = |one: Expression<'t>| one.variables().map(|variable| variable.name());
            own.operator() == target.operator() && names(*own).eq(names(*target))
        }
        _ => false,
    };
    let same = own.parts().zip(target.parts()).take_while(|(own, target)| is_same(own, target));
    let expressions = same.filter_map(|(_, part)| match part {
        Part::Expression(expression) => Some(expression),
        Part::Literal(_) => None,
    });
    expressions.flat_map(|expression| expression.variables().map(|variable| variable.name())).collect()
}

/// A URL as seen from another one. Both start with `/`, or the result is the URL itself.
fn relative(from: &str, to: &str) -> String {
    let cut = |url: &str| url.find(['?', '#']).unwrap_or(url.len());
    let (from_path, to_path) = (&from[..cut(from)], &to[..cut(to)]);
    if !to.starts_with('/') || !from.starts_with('/') {
        return to.to_owned();
    }
    let rest = &to[to_path.len()..];
    if from_path == to_path && !rest.is_empty() && (rest.starts_with('?') || !from[from_path.len()..].starts_with('?'))
    {
        return rest.to_owned();
    }
    let folders = |path: &str| path.rfind('/').map_or(0, |last| last + 1);
    let (from_folder, to_folder) = (&from_path[..folders(from_path)], &to_path[..folders(to_path)]);
    let shared = from_folder
        .match_indices('/')
        .map(|(at, _)| at + 1)
        .take_while(|&end| to_folder.get(..end) == from_folder.get(..end))
        .last()
        .unwrap_or(0);
    let up = from_folder[shared..].matches('/').count();
    let below = &to_path[shared..];
    let mut out = "../".repeat(up);
    // An empty reference would be the page itself, and a colon would make a scheme of what stands before it.
    if up == 0 && (below.is_empty() || below.split('/').next().is_some_and(|first| first.contains(':'))) {
        out.push_str("./");
    }
    out.push_str(below);
    out.push_str(rest);
    out
}
