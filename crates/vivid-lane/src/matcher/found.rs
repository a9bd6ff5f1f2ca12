//! What a lookup gives back.

use std::borrow::Cow;
use std::fmt;
use std::ops::Range;

use smallvec::SmallVec;

use super::path::Segments;
use super::table::{PageId, RouteId, RouteRef, Table};
use super::tree::Ending;
use crate::table::Data;
use crate::template::percent::decode;

/// A URL that a route answers: the route, its page, its ancestors and the values in the URL.
pub struct Match<'t, 'u, P = String> {
    table: &'t Table<P>,
    route: RouteId,
    page: PageId,
    path: &'u str,
    /// For each parameter of the route, where its value stands in the path.
    values: SmallVec<[Option<(u32, u32)>; 16]>,
    /// For each level of the chain, where the part of the path that it covers ends.
    ends: SmallVec<[u32; 8]>,
}

impl<P> fmt::Debug for Match<'_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Match").field("route", &self.route().name()).field("params", &self.params()).finish()
    }
}

impl<'t, 'u, P> Match<'t, 'u, P> {
    pub(super) fn new(table: &'t Table<P>, ending: &'t Ending, segments: &Segments<'u>) -> Option<Self> {
        let narrow = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        let route = &table.frozen().routes[ending.route.0 as usize];
        let mut values = SmallVec::from_elem(None, route.params.len());
        for capture in &ending.captures {
            let segment = &segments.list[usize::from(capture.segment)];
            values[usize::from(capture.param)] =
                Some((narrow(segment.start), narrow(segment.start + segment.raw.len())));
        }
        let end_of = |count: usize| match count.checked_sub(1).map(|last| &segments.list[last]) {
            Some(segment) => narrow(segment.start + segment.raw.len()),
            None => 0,
        };
        let ends = ending.covers.iter().map(|&count| end_of(usize::from(count))).collect();
        Some(Self { table, route: ending.route, page: route.page?, path: segments.path, values, ends })
    }

    /// The route.
    #[must_use]
    pub fn route(&self) -> RouteRef<'t, P> {
        self.table.route_ref(self.route)
    }

    /// What the route shows.
    #[must_use]
    pub fn page(&self) -> &'t P {
        self.table.page(self.page)
    }

    /// The user's own data of the route.
    #[must_use]
    pub fn data(&self) -> &'t Data {
        self.route().data()
    }

    /// The path of the URL, as it was sent.
    #[must_use]
    pub fn path(&self) -> &'u str {
        self.path
    }

    /// The decoded value of a parameter; `None` for a name that the route does not declare.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.object]\npath = '/objects/{object}'\npage = 'object'")?;
    /// let found = table.find("/objects/ring%20nebula%2FM57").unwrap();
    /// assert_eq!(found.param("object").as_deref(), Some("ring nebula/M57"));
    /// assert_eq!(found.param("planet"), None);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn param(&self, name: &str) -> Option<Cow<'u, str>> {
        let params = &self.table.frozen().routes[self.route.0 as usize].params;
        self.value(params.iter().position(|param| &*param.name == name)?)
    }

    fn value(&self, index: usize) -> Option<Cow<'u, str>> {
        let (start, end) = (*self.values.get(index)?)?;
        // Splitting the path has decoded each segment once already, so this cannot fail.
        decode(&self.path[start as usize..end as usize]).ok()
    }

    /// Names and decoded values of all parameters, outermost first.
    #[must_use]
    pub fn params(&self) -> Params<'_, 't, 'u, P> {
        let count = self.values.len();
        Params { found: self, indices: 0..count }
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
        Levels { found: self, levels: 0..self.ends.len() }
    }

    /// The frames around the page, outermost first.
    pub fn frames(&self) -> impl Iterator<Item = &'t str> + use<'_, 't, 'u, P> {
        self.levels().filter_map(|level| level.route().frame())
    }
}

/// Names and decoded values of the parameters of a match.
pub struct Params<'m, 't, 'u, P> {
    found: &'m Match<'t, 'u, P>,
    indices: Range<usize>,
}

impl<P> Clone for Params<'_, '_, '_, P> {
    fn clone(&self) -> Self {
        Self { found: self.found, indices: self.indices.clone() }
    }
}

impl<P> fmt::Debug for Params<'_, '_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_map().entries(self.clone()).finish()
    }
}

impl<'t, 'u, P> Iterator for Params<'_, 't, 'u, P> {
    type Item = (&'t str, Cow<'u, str>);

    fn next(&mut self) -> Option<Self::Item> {
        let params = &self.found.table.frozen().routes[self.found.route.0 as usize].params;
        self.indices.find_map(|index| Some((&*params[index].name, self.found.value(index)?)))
    }
}

/// The levels of a match, from the outermost ancestor to the route itself.
pub struct Levels<'m, 't, 'u, P> {
    found: &'m Match<'t, 'u, P>,
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

/// One route of the chain of a match, and its share of the URL.
pub struct Level<'m, 't, 'u, P> {
    found: &'m Match<'t, 'u, P>,
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

    /// The part of the path that the route's own template stands for, as it was sent.
    #[must_use]
    pub fn covered(&self) -> &'u str {
        let ends = &self.found.ends;
        let start = self.level.checked_sub(1).map_or(0, |above| ends[above]);
        &self.found.path[start as usize..ends[self.level] as usize]
    }

    /// Names and decoded values of the parameters that the route itself declares.
    pub fn params(&self) -> impl Iterator<Item = (&'t str, Cow<'u, str>)> {
        let (found, level) = (self.found, self.level);
        let params = &found.table.frozen().routes[found.route.0 as usize].params;
        let own = params.iter().enumerate().filter(move |(_, param)| usize::from(param.level) == level);
        own.filter_map(|(index, param)| Some((&*param.name, found.value(index)?)))
    }
}
