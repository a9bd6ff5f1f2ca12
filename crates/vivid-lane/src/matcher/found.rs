//! What a lookup gives back.

use std::borrow::Cow;
use std::fmt;
use std::ops::Range;

use smallvec::SmallVec;

use super::ask::{Ask, Lists, NoLists, Target, pairs};
use super::path::{Segment, Segments};
use super::route::{PageId, Param, ParamKind, Route, RouteId};
use super::table::{RouteRef, Table};
use super::tree::{Cover, Ending, EndingId, Step};
use crate::table::Data;
use crate::template::Value;
use crate::template::percent::{decode, decode_form, triplet};

/// A URL that a route answers: the route, its page, its ancestors and the values in the URL.
///
/// It borrows from the table and the URL; values are decoded when they are asked for.
pub struct Match<'t, 'u, P = String> {
    table: &'t Table<P>,
    route: RouteId,
    page: PageId,
    target: Target<'u>,
    /// For each parameter of the route, where its value stands.
    slots: SmallVec<[Slot; 16]>,
    /// For each level of the chain, where the part of the path that it covers ends.
    ends: SmallVec<[u32; 8]>,
}

/// Where a value stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Slot {
    Absent,
    /// Absent from the URL, but its rule has a default.
    Default,
    /// These bytes of the path.
    Path(u32, u32),
    /// These bytes of the query.
    Query(u32, u32),
    /// These bytes of the host.
    Host(u32, u32),
    /// All of the query that no other parameter takes.
    Pairs,
}

impl<P> Table<P> {
    /// The route that answers a `GET` of a URL with a page, and the values in the URL.
    ///
    /// `None` also for what is no URL at all; [`decide`](Self::decide) tells the two apart, and knows other
    /// methods and live lists.
    #[must_use]
    pub fn find<'u>(&self, url: &'u str) -> Option<Match<'_, 'u, P>> {
        self.find_with(url, "GET", &NoLists)
    }

    /// The route that answers a method at a URL, as far as these lists go.
    pub(crate) fn find_with<'u>(&self, url: &'u str, method: &str, lists: &dyn Lists) -> Option<Match<'_, 'u, P>> {
        let target = Target::parse(url);
        let segments = Segments::split(target.path, self.frozen().limits).ok()?;
        let query = pairs(target.query.unwrap_or_default()).ok()?;
        let ask = Ask { segments: &segments, query: &query, host: target.host, lists };
        let accepted = self.frozen().tree.find(&ask, &self.frozen().routes);
        let ending = self.frozen().choose(&accepted, method)?;
        Match::new(self, ending, &ask, target)
    }
}

fn narrow(at: usize) -> u32 {
    // A URL has far fewer than 2^32 bytes: longer ones are refused before they get here.
    u32::try_from(at).unwrap_or(u32::MAX)
}

impl<P> fmt::Debug for Match<'_, '_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Match").field("route", &self.route().name()).field("values", &self.values()).finish()
    }
}

impl<'t, 'u, P> Match<'t, 'u, P> {
    pub(crate) fn new(table: &'t Table<P>, id: EndingId, ask: &Ask<'_, 'u>, target: Target<'u>) -> Option<Self> {
        let ending = table.frozen().tree.ending(id);
        let route = table.frozen().route(ending.route);
        let absent = |param: &Param| if param.check.default.is_some() { Slot::Default } else { Slot::Absent };
        let slots = route.params.iter().map(absent).collect();
        let ends = SmallVec::with_capacity(ending.covers.len());
        let mut found = Self { table, route: ending.route, page: route.page?, target, slots, ends };
        found.read_path(ending, ask);
        found.read_query(route, ask);
        found.read_host(route, ask);
        Some(found)
    }

    fn read_path(&mut self, ending: &Ending, ask: &Ask<'_, 'u>) {
        let segments = &ask.segments.list;
        for capture in &ending.captures {
            let at = usize::from(capture.segment);
            let (start, end) = self.piece(ending, at, usize::from(capture.piece), &segments[at]);
            self.slots[usize::from(capture.param)] = Slot::Path(narrow(start), narrow(end));
        }
        if let Some(tail) = &ending.tail {
            let first = &segments[ending.steps.len() - 1];
            self.slots[usize::from(tail.param)] = Slot::Path(narrow(first.start), narrow(ask.segments.path.len()));
        }
        for cover in &ending.covers {
            let end = match (cover, usize::from(cover.segments).checked_sub(1)) {
                (Cover { has_tail: true, .. }, _) => ask.segments.path.len(),
                (_, None) => 0,
                (Cover { pieces: None, .. }, Some(last)) => segments[last].start + segments[last].raw.len(),
                (Cover { pieces: Some(pieces), .. }, Some(last)) => {
                    self.piece(ending, last, usize::from(*pieces), &segments[last]).0
                }
            };
            self.ends.push(narrow(end));
        }
    }

    /// Where a piece of a segment stands in the path.
    fn piece(&self, ending: &Ending, at: usize, piece: usize, segment: &Segment<'_>) -> (usize, usize) {
        let whole = (segment.start, segment.start + segment.raw.len());
        let Some(Step::Pattern(pattern)) = ending.step(at) else { return whole };
        let pattern = self.table.frozen().tree.pattern(pattern);
        if pattern.pieces.len() == 1 {
            return whole;
        }
        let Some(&(start, end)) = pattern.split(&segment.text).as_ref().and_then(|split| split.get(piece)) else {
            return whole;
        };
        (segment.start + raw_offset(segment.raw, start), segment.start + raw_offset(segment.raw, end))
    }

    fn read_query(&mut self, route: &Route, ask: &Ask<'_, 'u>) {
        for param in &route.query.params {
            if let Ok(Some(index)) = param.read(ask.query, ask.lists) {
                let pair = &ask.query[index];
                self.slots[usize::from(param.param)] =
                    Slot::Query(narrow(pair.start), narrow(pair.start + pair.raw.len()));
            }
        }
        if let Some(rest) = route.query.rest {
            self.slots[usize::from(rest)] = Slot::Pairs;
        }
    }

    fn read_host(&mut self, route: &Route, ask: &Ask<'_, 'u>) {
        let (Some(demand), Some(host)) = (&route.host, ask.host) else { return };
        for (param, (start, end)) in demand.params.iter().zip(demand.split(host).unwrap_or_default()) {
            if let Some(param) = param {
                self.slots[usize::from(*param)] = Slot::Host(narrow(start), narrow(end));
            }
        }
    }

    fn frozen_route(&self) -> &'t Route {
        self.table.frozen().route(self.route)
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
        self.target.path
    }

    /// The decoded value of a parameter, or the default of its rule. `None` for a name that the route does
    /// not declare, for an absent value, and for a list.
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
        self.text(self.index(name)?)
    }

    /// The decoded values of a parameter that is a list of segments; empty for any other.
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
    pub fn list(&self, name: &str) -> Vec<Cow<'u, str>> {
        self.index(name).map_or_else(Vec::new, |index| self.items(index))
    }

    /// The value of a parameter, whatever its form; `None` for a name that the route does not declare and
    /// for an absent value.
    #[must_use]
    pub fn value(&self, name: &str) -> Option<Value> {
        self.value_at(self.index(name)?)
    }

    fn index(&self, name: &str) -> Option<usize> {
        self.frozen_route().params.iter().position(|param| *param.name == *name)
    }

    fn text(&self, index: usize) -> Option<Cow<'_, str>> {
        let param = &self.frozen_route().params[index];
        let slice = |text: &'u str, start: u32, end: u32| &text[start as usize..end as usize];
        // What could not be decoded was refused when the URL was split, so nothing is lost here.
        match self.slots[index] {
            Slot::Path(..) if param.kind == ParamKind::Items => None,
            Slot::Path(start, end) => decode(slice(self.target.path, start, end)).ok(),
            Slot::Query(start, end) => decode_form(slice(self.target.query?, start, end)).ok(),
            Slot::Host(start, end) => Some(Cow::Owned(slice(self.target.host?, start, end).to_ascii_lowercase())),
            Slot::Default => param.check.default.as_deref().map(Cow::Borrowed),
            Slot::Absent | Slot::Pairs => None,
        }
    }

    fn items(&self, index: usize) -> Vec<Cow<'u, str>> {
        match self.slots[index] {
            Slot::Path(start, end) if self.frozen_route().params[index].kind == ParamKind::Items => {
                self.target.path[start as usize..end as usize].split('/').filter_map(|raw| decode(raw).ok()).collect()
            }
            _ => Vec::new(),
        }
    }

    /// The pairs of the query that no other parameter takes.
    fn rest(&self) -> Vec<(String, String)> {
        let query = &self.frozen_route().query;
        let all = pairs(self.target.query.unwrap_or_default()).unwrap_or_default();
        let free = all.into_iter().filter(|pair| !query.names(&pair.name));
        free.filter_map(|pair| Some((pair.name.into_owned(), decode_form(pair.raw).ok()?.into_owned()))).collect()
    }

    fn value_at(&self, index: usize) -> Option<Value> {
        match self.frozen_route().params[index].kind {
            ParamKind::Items => {
                let items = self.items(index);
                (!items.is_empty()).then(|| Value::from(items))
            }
            ParamKind::Pairs => {
                let pairs = self.rest();
                (!pairs.is_empty()).then_some(Value::Pairs(pairs))
            }
            _ => self.text(index).map(|text| Value::Text(text.into_owned())),
        }
    }

    /// Names and decoded values of all parameters that have one, outermost first.
    #[must_use]
    pub fn values(&self) -> FoundValues<'_, 't, 'u, P> {
        FoundValues { found: self, indices: 0..self.slots.len() }
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

/// The offset in the sent form of a segment of an offset in its decoded form.
fn raw_offset(raw: &str, decoded: usize) -> usize {
    let bytes = raw.as_bytes();
    let mut at = 0;
    for _ in 0..decoded {
        at += if bytes.get(at) == Some(&b'%') && triplet(&bytes[at + 1..]).is_some() { 3 } else { 1 };
    }
    at
}

/// Names and decoded values of the parameters of a match.
pub struct FoundValues<'m, 't, 'u, P> {
    found: &'m Match<'t, 'u, P>,
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
        let params = &self.found.frozen_route().params;
        self.indices.find_map(|index| Some((&*params[index].name, self.found.value_at(index)?)))
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
        &self.found.target.path[start as usize..ends[self.level] as usize]
    }

    /// Names and decoded values of the parameters that the route itself declares.
    pub fn values(&self) -> impl Iterator<Item = (&'t str, Value)> {
        let (found, level) = (self.found, self.level);
        let own =
            found.frozen_route().params.iter().enumerate().filter(move |(_, param)| usize::from(param.level) == level);
        own.filter_map(|(index, param)| Some((&*param.name, found.value_at(index)?)))
    }
}
