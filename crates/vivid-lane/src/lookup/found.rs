//! What a lookup gives back.

use std::borrow::Cow;
use std::fmt;
use std::ops::{Deref, Range};

use super::reading::Reading;
use super::route::PageId;
use super::table::{RouteRef, Table};
use crate::declare::Data;
use crate::template::Value;

/// The position of a URL in a table: the deepest route that covers it, the routes above, their frames, and the values
/// that were read on the way.
///
/// A [`Match`] is a position with a page. A request that leads to no page has one too
/// ([`NotFound`](crate::decide::NotFound::position), [`Unmet`](crate::decide::Unmet::position), [`WrongMethod`](crate::decide::WrongMethod::position)),
/// so that its answer can be shown inside the frames of its place, in its language, with links that start from there.
/// It borrows from the table and the URL; values are decoded when they are asked for.
pub struct Position<'t, 'u, P = String> {
    table: &'t Table<P>,
    reading: Reading<'t, 'u>,
}

/// A URL that a route answers: its [`Position`], and the page.
///
/// It borrows from the table and the URL; values are decoded when they are asked for.
pub struct Match<'t, 'u, P = String> {
    position: Position<'t, 'u, P>,
    page: PageId,
}

impl<'t, 'u, P> Deref for Match<'t, 'u, P> {
    type Target = Position<'t, 'u, P>;

    fn deref(&self) -> &Self::Target {
        &self.position
    }
}

impl<P> fmt::Debug for Match<'_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Match").field("route", &self.route().name()).field("values", &self.values()).finish()
    }
}

impl<P> fmt::Debug for Position<'_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Position").field("route", &self.route().name()).field("values", &self.values()).finish()
    }
}

impl<'t, 'u, P> Match<'t, 'u, P> {
    /// `None` for a route that shows no page.
    #[inline]
    pub(crate) fn new(table: &'t Table<P>, reading: Reading<'t, 'u>) -> Option<Self> {
        Some(Self::of_page(table, reading.route().page?, reading))
    }

    #[inline]
    pub(crate) fn of_page(table: &'t Table<P>, page: PageId, reading: Reading<'t, 'u>) -> Self {
        Self { position: Position { table, reading }, page }
    }

    pub(super) fn page_id(&self) -> PageId {
        self.page
    }

    /// The page that the route shows.
    #[must_use]
    pub fn page(&self) -> &'t P {
        self.position.table.page(self.page)
    }
}

impl<'t, 'u, P> Position<'t, 'u, P> {
    pub(crate) fn new(table: &'t Table<P>, reading: Reading<'t, 'u>) -> Self {
        Self { table, reading }
    }

    pub(crate) fn reading(&self) -> &Reading<'t, 'u> {
        &self.reading
    }

    /// The table that was searched.
    #[must_use]
    pub fn table(&self) -> &'t Table<P> {
        self.table
    }

    /// The route.
    #[must_use]
    pub fn route(&self) -> RouteRef<'t, P> {
        self.table.route_ref(self.reading.route_id())
    }

    /// The data that the declaration attached to the route.
    #[must_use]
    pub fn data(&self) -> &'t Data {
        self.route().data()
    }

    /// The path as it was requested, below the base of the site and without a slash at its end.
    #[must_use]
    pub fn path(&self) -> &'u str {
        self.reading.sent.path
    }

    /// The decoded value of a parameter, or the default of its rule. `None` if the route does not declare the
    /// parameter, if it is absent, or if it is a list.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.object]\npath = '/objects/{object}{?view}'\npage = 'object'")?;
    /// let found = table.find("/objects/ring%20nebula%2FM57?view=wide").unwrap();
    /// assert_eq!(found.param("object").as_deref(), Some("ring nebula/M57"));
    /// assert_eq!(found.param("view").as_deref(), Some("wide"));
    /// assert_eq!(found.param("planet"), None);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn param(&self, name: &str) -> Option<Cow<'_, str>> {
        self.reading.text(self.reading.index(name)?)
    }

    /// The decoded values of a parameter that is a list of segments; empty for any other parameter.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.file]\npath = '/files{/path*}'\npage = 'file'")?;
    /// assert_eq!(table.find("/files/2031/a%20b").unwrap().list("path"), ["2031", "a b"]);
    /// assert!(table.find("/files").unwrap().list("path").is_empty());
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn list(&self, name: &str) -> Vec<Cow<'_, str>> {
        self.reading.index(name).map_or_else(Vec::new, |index| self.reading.items(index))
    }

    /// The value of a parameter, whatever its form; `None` if the route does not declare the parameter, or if it is
    /// absent.
    #[must_use]
    pub fn value(&self, name: &str) -> Option<Value> {
        self.reading.value_at(self.reading.index(name)?)
    }

    /// Names and decoded values of the parameters that are one text, outermost first. A value is copied only if the URL
    /// has it escaped. Lists are left out.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.night]\npath = '/nights/{date}{/band}'\npage = 'night'")?;
    /// let found = table.find("/nights/2031-04-02").unwrap();
    /// let texts: Vec<_> = found.texts().map(|(name, text)| format!("{name}={text}")).collect();
    /// assert_eq!(texts, ["date=2031-04-02"]);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    pub fn texts(&self) -> impl Iterator<Item = (&'t str, Cow<'_, str>)> {
        self.reading.texts()
    }

    /// Names and decoded values of all parameters that have one, outermost first.
    #[must_use]
    pub fn values(&self) -> FoundValues<'_, 't, 'u, P> {
        FoundValues { found: self, indices: 0..self.reading.len() }
    }

    /// The routes from the outermost ancestor to the route itself.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let nights = RouteSpec::new("nights").path("/nights").page("night-list").frame("with-calendar");
    /// let table = TableSpec::new().route(nights.route(RouteSpec::new("night").path("/{date}").page("night"))).build()?;
    /// let found = table.find("/nights/2031-04-02").unwrap();
    /// let covered: Vec<_> = found.levels().map(|level| (level.route().name(), level.covered())).collect();
    /// assert_eq!(covered, [("nights", "/nights"), ("nights.night", "/2031-04-02")]);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn levels(&self) -> Levels<'_, 't, 'u, P> {
        Levels { found: self, levels: 0..self.reading.levels() }
    }

    /// The frames around the page, outermost first: that of the site, then those of the levels.
    pub fn frames(&self) -> impl Iterator<Item = &'t str> + use<'_, 't, 'u, P> {
        self.table.frame().into_iter().chain(self.levels().filter_map(|level| level.route().frame()))
    }
}

/// Names and decoded values of the parameters of a match.
pub struct FoundValues<'m, 't, 'u, P> {
    found: &'m Position<'t, 'u, P>,
    indices: Range<usize>,
}

impl<P> Clone for FoundValues<'_, '_, '_, P> {
    fn clone(&self) -> Self {
        Self { found: self.found, indices: self.indices.clone() }
    }
}

impl<P> fmt::Debug for FoundValues<'_, '_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_map().entries(self.clone()).finish()
    }
}

impl<'t, P> Iterator for FoundValues<'_, 't, '_, P> {
    type Item = (&'t str, Value);

    fn next(&mut self) -> Option<Self::Item> {
        let params = &self.found.reading.route().params;
        self.indices.find_map(|index| Some((&*params[index].name, self.found.reading.value_at(index)?)))
    }
}

/// The levels of a match: its chain of routes, from the outermost ancestor to the route itself.
pub struct Levels<'m, 't, 'u, P> {
    found: &'m Position<'t, 'u, P>,
    levels: Range<usize>,
}

impl<P> Clone for Levels<'_, '_, '_, P> {
    fn clone(&self) -> Self {
        Self { found: self.found, levels: self.levels.clone() }
    }
}

impl<P> fmt::Debug for Levels<'_, '_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.clone()).finish()
    }
}

impl<'m, 't, 'u, P> Iterator for Levels<'m, 't, 'u, P> {
    type Item = Level<'m, 't, 'u, P>;

    fn next(&mut self) -> Option<Self::Item> {
        self.levels.next().map(|level| Level { found: self.found, level })
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.levels.size_hint()
    }
}

impl<P> ExactSizeIterator for Levels<'_, '_, '_, P> {}

/// One route in the chain of a match, and its part of the URL.
pub struct Level<'m, 't, 'u, P> {
    found: &'m Position<'t, 'u, P>,
    level: usize,
}

impl<P> fmt::Debug for Level<'_, '_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Level").field("route", &self.route().name()).field("covered", &self.covered()).finish()
    }
}

impl<'t, 'u, P> Level<'_, 't, 'u, P> {
    /// The route.
    #[must_use]
    pub fn route(&self) -> RouteRef<'t, P> {
        let mut route = self.found.route();
        while route.level() > self.level {
            match route.parent() {
                Some(parent) => route = parent,
                None => break,
            }
        }
        route
    }

    /// The part of the path that the route's own template covers, as it was requested.
    #[must_use]
    pub fn covered(&self) -> &'u str {
        self.found.reading.covered(self.level)
    }

    /// Names and decoded values of the parameters that the route itself declares.
    pub fn values(&self) -> impl Iterator<Item = (&'t str, Value)> {
        let (found, level) = (self.found, self.level);
        let own =
            found.reading.route().params.iter().enumerate().filter(move |(_, param)| usize::from(param.level) == level);
        own.filter_map(|(index, param)| Some((&*param.name, found.reading.value_at(index)?)))
    }
}
