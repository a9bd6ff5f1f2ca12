//! Where the values of a URL stand, and what they are.

use std::borrow::Cow;

use super::conditions::{QueryParam, items_of};
use super::node::LeafId;
use super::path::end_of_segments;
use super::pattern::Split;
use super::places::{PathValues, pieces_sent};
use super::route::{Param, ParamKind, Route, RouteId};
use super::table::Frozen;
use super::target::{Sent, Target, pairs, raw_pairs, raw_segment, value_from};
use super::tree::{Capture, Leaf, SegmentStep};
use crate::rule::{Shape, marked};
use crate::template::percent::{decode, decode_form};
use crate::template::{Value, Values};

/// A URL as a route reads it. Nothing is worked out before it is asked for but the places of the values in the path.
#[derive(Debug, Clone)]
pub(crate) struct Reading<'t, 'u> {
    frozen: &'t Frozen,
    leaf: LeafId,
    pub(crate) sent: Sent<'u>,
    values: PathValues,
}

/// Where a value is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Slot<'u> {
    Absent,
    /// In the path: the number of its capture.
    Path(usize),
    /// Segments of the path.
    Items(usize),
    /// In the query, undecoded.
    Query(&'u str),
    /// Each value of a name in the query.
    Each,
    /// In the host.
    Host,
    /// All of the query that no other parameter takes.
    Pairs,
}

impl<'t, 'u> Reading<'t, 'u> {
    /// A target as a leaf reads it that it has led to, or on from it. The decoded path is taken out of the target.
    #[inline(always)]
    pub(crate) fn new(frozen: &'t Frozen, id: LeafId, target: &mut Target<'u>) -> Self {
        let values = PathValues::new(frozen, frozen.tree.leaf(id), target);
        Self { frozen, leaf: id, sent: target.sent, values }
    }

    /// A reading by its parts, as [`parts`](Self::parts) gives them.
    pub(super) fn of_parts(frozen: &'t Frozen, leaf: LeafId, sent: Sent<'u>, values: PathValues) -> Self {
        Self { frozen, leaf, sent, values }
    }

    /// By which leaf the path is read, and its values.
    pub(super) fn parts(&self) -> (LeafId, &PathValues) {
        (self.leaf, &self.values)
    }

    /// What the path has for a capture of that number, or for the tail, which comes after them. Decoded.
    #[inline]
    fn in_path(&self, number: usize) -> Option<&str> {
        self.values.get(self.sent.whole, number)
    }

    #[inline]
    fn leaf(&self) -> &'t Leaf {
        self.frozen.tree.leaf(self.leaf)
    }

    pub(crate) fn route(&self) -> &'t Route {
        self.frozen.route(self.route_id())
    }

    pub(crate) fn route_id(&self) -> RouteId {
        self.leaf().route
    }

    pub(crate) fn len(&self) -> usize {
        self.route().params.len()
    }

    pub(crate) fn levels(&self) -> usize {
        self.leaf().covers.count as usize
    }

    /// Where the value of a parameter stands.
    #[inline]
    fn slot(&self, index: usize) -> Slot<'u> {
        let param = &self.route().params[index];
        let found = match param.kind {
            ParamKind::Segment => self.captured(index).map(Slot::Path),
            ParamKind::Items => self.tail().map(Slot::Items),
            ParamKind::Rest => self.tail().map(Slot::Path),
            ParamKind::Query if param.is_exploded => Some(Slot::Each),
            ParamKind::Query => self.in_query(index),
            ParamKind::Host => Some(Slot::Host),
            ParamKind::Pairs => Some(Slot::Pairs),
            ParamKind::Fragment => None,
        };
        found.unwrap_or(Slot::Absent)
    }

    /// The number of the capture of a parameter in the path.
    #[inline]
    fn captured(&self, index: usize) -> Option<usize> {
        let captures = self.frozen.tree.captures(self.leaf());
        let is_it = |capture: &Capture| usize::from(capture.param) == index;
        // Most routes capture their parameters in order.
        if captures.get(index).is_some_and(is_it) { Some(index) } else { captures.iter().position(is_it) }
    }

    /// The number of the tail, which comes after all captures.
    fn tail(&self) -> Option<usize> {
        let leaf = self.leaf();
        leaf.tail.map(|_| leaf.captures.count as usize)
    }

    /// What was sent of the path for a capture.
    fn raw(&self, number: usize) -> Option<&'u str> {
        let leaf = self.leaf();
        let Some(capture) = self.frozen.tree.captures(leaf).get(number) else {
            // The tail.
            let first = (leaf.steps.count as usize).saturating_sub(1);
            return self.sent.path.get(end_of_segments(self.sent.path, first) + 1..);
        };
        let raw = raw_segment(self.sent.path, usize::from(capture.segment));
        if capture.is_whole {
            return Some(raw);
        }
        let (start, end) = *self.pieces_of(usize::from(capture.segment), raw)?.get(usize::from(capture.piece))?;
        raw.get(start..end)
    }

    /// Where the pieces of a segment are, which is given as it was sent.
    fn pieces_of(&self, segment: usize, raw: &str) -> Option<Split> {
        let SegmentStep::Pattern(pattern) = self.frozen.tree.steps(self.leaf()).get(segment)? else { return None };
        pieces_sent(self.frozen.tree.pattern(*pattern), raw)
    }

    /// Where a piece of a segment begins in the path.
    fn start_of_piece(&self, segment: usize, piece: usize) -> Option<usize> {
        let start = end_of_segments(self.sent.path, segment) + 1;
        let pieces = self.pieces_of(segment, raw_segment(self.sent.path, segment));
        Some(start + pieces.and_then(|pieces| pieces.get(piece).copied()).map_or(0, |(start, _)| start))
    }

    fn in_query(&self, index: usize) -> Option<Slot<'u>> {
        let (param, raw) = self.query_text(index)?;
        (!param.counts_as_absent(raw)).then_some(Slot::Query(raw))
    }

    /// What stands in the query for a parameter, as it was sent.
    fn query_text(&self, index: usize) -> Option<(&'t QueryParam, &'u str)> {
        let query = self.sent.query?;
        let (number, param) = self.route().extras.query.param(index)?;
        Some((param, value_from(query, self.values.in_query(number))?))
    }

    fn in_host(&self, index: usize) -> Option<String> {
        self.route().extras.host.as_ref()?.value(self.sent.host?, index)
    }

    /// The part of the path that the level's own template stands for, as it was sent.
    pub(crate) fn covered(&self, level: usize) -> &'u str {
        let start = level.checked_sub(1).map_or(0, |above| self.covered_to(above));
        &self.sent.path[start..self.covered_to(level)]
    }

    /// Where the part of the path ends that a level and those above it stand for.
    fn covered_to(&self, level: usize) -> usize {
        let leaf = self.leaf();
        let cover = self.frozen.tree.covers(leaf)[level];
        if cover.has_tail {
            return self.sent.path.len();
        }
        let segments = usize::from(cover.segments);
        let of_pieces = cover.pieces.zip(segments.checked_sub(1));
        let of_pieces = of_pieces.and_then(|(pieces, last)| self.start_of_piece(last, usize::from(pieces)));
        of_pieces.unwrap_or_else(|| end_of_segments(self.sent.path, segments))
    }

    /// How many values the URL spells out that it could leave out: those that their rules would give by default, and those
    /// of the query that are empty and so count as absent.
    pub(crate) fn needless_values(&self) -> usize {
        let route = self.route();
        let has_empty = !self.leaf().ignores_query && self.sent.query.is_some_and(has_empty_value);
        if !route.has_defaults && !has_empty {
            return 0;
        }
        let is_spelt = |index: usize| {
            let param = &route.params[index];
            param.is_optional
                && param.check.default.is_some()
                && !matches!(self.slot(index), Slot::Absent)
                && self.sent(index) == param.check.default
        };
        let is_unfilled = |index: usize| {
            has_empty
                && match self.route().extras.query.param(index) {
                    Some((_, param)) if param.is_repeated => {
                        self.raws(&param.name).any(|raw| param.counts_as_absent(raw))
                    }
                    _ => self.query_text(index).is_some_and(|(param, raw)| param.counts_as_absent(raw)),
                }
        };
        (0..route.params.len()).filter(|&index| is_unfilled(index) || is_spelt(index)).count()
    }

    /// The values in the URL, by name; with the defaults of absent ones.
    pub(crate) fn values(&self) -> Values {
        let mut values = Values::new();
        for (index, param) in self.route().params.iter().enumerate() {
            if let Some(value) = self.value_at(index) {
                values.insert(&*param.name, value);
            }
        }
        values
    }

    pub(crate) fn index(&self, name: &str) -> Option<usize> {
        self.route().params.iter().position(|param| *param.name == *name)
    }

    pub(crate) fn text(&self, index: usize) -> Option<Cow<'_, str>> {
        match self.slot(index) {
            Slot::Path(place) => self.in_path(place).map(Cow::Borrowed),
            Slot::Query(raw) => Some(decode_form(raw)),
            Slot::Host => self.in_host(index).map(Cow::Owned),
            Slot::Absent => self.route().params[index].check.default_text().map(Cow::Borrowed),
            Slot::Items(_) | Slot::Each | Slot::Pairs => None,
        }
        .filter(|_| self.route().params[index].check.shape() == Shape::One)
    }

    /// The values of a name in the query, undecoded.
    fn raws(&self, wanted: &str) -> impl Iterator<Item = &'u str> {
        let query = self.sent.query.unwrap_or_default();
        raw_pairs(query).filter(move |pair| pair.is_named(wanted)).map(|pair| pair.value)
    }

    /// Names and decoded values of the parameters that are one text.
    #[inline]
    pub(crate) fn texts(&self) -> Texts<'_, 't, 'u> {
        let leaf = self.leaf();
        let simple = usize::from(leaf.simple);
        let all = &*self.frozen.route(leaf.route).params;
        let params = if leaf.has_only_simple { all.get(..simple).unwrap_or_default() } else { all };
        Texts { reading: self, params: params.iter(), index: 0, simple }
    }

    /// The items of a list; of one that is absent those of its default.
    pub(crate) fn items(&self, index: usize) -> Vec<Cow<'_, str>> {
        let param = &self.route().params[index];
        if param.check.shape() != Shape::List {
            return Vec::new();
        }
        let sent: Vec<Cow<'_, str>> = match self.slot(index) {
            // A slash in an item is escaped.
            Slot::Items(place) => match (self.values.is_decoded(), self.in_path(place)) {
                (false, Some(items)) => items.split('/').map(Cow::Borrowed).collect(),
                _ => self.raw(place).unwrap_or_default().split('/').filter_map(|raw| decode(raw).ok()).collect(),
            },
            Slot::Each => match self.route().extras.query.param(index) {
                Some((_, param)) => self.raws(&param.name).filter(|raw| param.is_item(raw)).map(decode_form).collect(),
                None => Vec::new(),
            },
            Slot::Query(raw) => items_of(raw).collect(),
            Slot::Path(place) => self.joined(param, self.raw(place)).into_iter().map(Cow::Owned).collect(),
            Slot::Absent | Slot::Host | Slot::Pairs => Vec::new(),
        };
        match &param.check.default {
            Some(Value::List(items)) if sent.is_empty() => items.iter().map(|item| Cow::Owned(item.clone())).collect(),
            _ => sent,
        }
    }

    /// The items of what stands in the path, or names and values in turn.
    fn joined(&self, param: &Param, raw: Option<&str>) -> Vec<String> {
        // What could not be decoded was refused when the URL was taken apart.
        let text = marked(raw.unwrap_or_default()).unwrap_or_default();
        param.texts.join.as_ref().map_or_else(Vec::new, |join| join.items(&text))
    }

    /// The names and values of pairs, as they were sent.
    fn pairs(&self, index: usize) -> Vec<(String, String)> {
        let param = &self.route().params[index];
        let in_turn: Vec<String> = match self.slot(index) {
            Slot::Pairs => return self.rest(),
            Slot::Items(place) => {
                let raws = self.raw(place).unwrap_or_default().split('/');
                raws.flat_map(|raw| self.joined(param, Some(raw))).collect()
            }
            Slot::Query(raw) => items_of(raw).map(Cow::into_owned).collect(),
            Slot::Path(place) => self.joined(param, self.raw(place)),
            Slot::Absent | Slot::Each | Slot::Host => Vec::new(),
        };
        let mut in_turn = in_turn.into_iter();
        std::iter::from_fn(|| Some((in_turn.next()?, in_turn.next()?))).collect()
    }

    /// The value of a parameter in the URL, without the default of an absent one.
    fn sent(&self, index: usize) -> Option<Value> {
        if matches!(self.slot(index), Slot::Absent) { None } else { self.value_at(index) }
    }

    /// The pairs of the query that the route does not know, undecoded.
    pub(crate) fn unknown_pairs(&self) -> impl Iterator<Item = &'u str> {
        let demand = &self.route().extras.query;
        let is_unknown = move |pair: &&str| {
            let name = pair.split('=').next().unwrap_or_default();
            !pair.is_empty() && demand.rest.is_none() && !demand.names(&decode_form(name))
        };
        self.sent.query.unwrap_or_default().split('&').filter(is_unknown)
    }

    /// The pairs of the query that no other parameter takes.
    fn rest(&self) -> Vec<(String, String)> {
        let (demand, query) = (&self.route().extras.query, self.sent.query.unwrap_or_default());
        let free = pairs(query).filter(|pair| !demand.names(&pair.name));
        free.map(|pair| (pair.name.into_owned(), decode_form(pair.raw).into_owned())).collect()
    }

    pub(crate) fn value_at(&self, index: usize) -> Option<Value> {
        let check = &self.route().params[index].check;
        match check.shape() {
            Shape::One => self.text(index).map(|text| Value::Text(text.into_owned())),
            Shape::List => {
                let items = self.items(index);
                (!items.is_empty()).then(|| Value::from(items))
            }
            Shape::Pairs => match self.pairs(index) {
                pairs if pairs.is_empty() => check.default.clone(),
                pairs => Some(Value::Pairs(pairs)),
            },
        }
    }
}

/// Names and decoded values of the parameters that are one text.
pub(crate) struct Texts<'a, 't, 'u> {
    reading: &'a Reading<'t, 'u>,
    params: std::slice::Iter<'t, Param>,
    index: usize,
    /// How many come first that are captured in their order.
    simple: usize,
}

impl<'a, 't, 'u: 'a> Iterator for Texts<'a, 't, 'u> {
    type Item = (&'t str, Cow<'a, str>);

    #[inline]
    fn next(&mut self) -> Option<Self::Item> {
        loop {
            let (index, param) = (self.index, self.params.next()?);
            self.index += 1;
            let text = if index < self.simple {
                self.reading.in_path(index).map(Cow::Borrowed)
            } else {
                self.reading.text(index)
            };
            if let Some(text) = text {
                return Some((&*param.name, text));
            }
        }
    }
}

/// Whether there is a pair in a query whose value is empty.
fn has_empty_value(query: &str) -> bool {
    raw_pairs(query).any(|pair| pair.value.is_empty())
}
