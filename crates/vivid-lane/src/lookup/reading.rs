//! Where the values of a URL stand, and what they are.

use std::borrow::Cow;

use smallvec::SmallVec;

use super::ask::{Parts, Target, raw_pairs};
use super::conditions::{FEW, QueryParam, items_of, noted};
use super::path::{MOST_FEW, Segments, Spans, end_of_segments};
use super::pattern::{Pattern, Split};
use super::route::{Param, ParamKind, Route, RouteId};
use super::slot::LeafId;
use super::table::Frozen;
use super::tree::{Capture, Leaf, SegmentStep};
use crate::rule::{Shape, marked};
use crate::template::bytes::first_of;
use crate::template::percent::{decode, decode_form, triplet};
use crate::template::{Value, Values};

/// A URL as a route reads it. Nothing is worked out before it is asked for: where a value stands follows from
/// the ends of the segments and from the leaf.
#[derive(Debug)]
pub(crate) struct Reading<'t, 'u> {
    frozen: &'t Frozen,
    leaf: LeafId,
    pub(crate) target: Target<'u>,
    spans: Spans,
    /// Whether nothing in the path is escaped.
    is_plain: bool,
    /// Whether it was noted where the values in the query stand, behind those of the path.
    is_noted: bool,
}

/// Where a value stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Slot<'u> {
    Absent,
    /// In the path, undecoded.
    Path(&'u str),
    /// Segments of the path, undecoded.
    Items(&'u str),
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
    pub(crate) fn new(frozen: &'t Frozen, id: LeafId, parts: &Parts<'u>) -> Self {
        let is_plain = !parts.segments.is_escaped();
        let spans = spans(frozen, id, &parts.segments);
        let mut reading = Self::of_parts(frozen, id, parts.target, spans, is_plain, false);
        reading.find_query_values();
        reading
    }

    /// A reading by its parts: is nothing in the path escaped, and was it noted where the values in the query stand?
    #[inline(always)]
    pub(super) fn of_parts(
        frozen: &'t Frozen,
        leaf: LeafId,
        target: Target<'u>,
        spans: Spans,
        is_plain: bool,
        is_noted: bool,
    ) -> Self {
        Self { frozen, leaf, target, spans, is_plain, is_noted }
    }

    /// Works out where in the query the values begin that the route reads there, in one pass, where there are more than
    /// a few. Fewer are looked for when they are asked for.
    #[inline(never)]
    fn find_query_values(&mut self) {
        if let Some(query) = self.target.query
            && self.leaf().reads_much
        {
            self.spans.keep_places(self.route().extras.query.places(names(query)));
        }
    }

    /// By which leaf the path is read, where its values stand, whether nothing in it is escaped, and whether the values in the query
    /// are noted.
    pub(super) fn parts(&self) -> (LeafId, &Spans, bool, bool) {
        (self.leaf, &self.spans, self.is_plain, self.is_noted)
    }

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

    /// What stands in the path for a parameter, as it was sent.
    #[inline]
    fn captured(&self, index: usize) -> Option<&'u str> {
        let leaf = self.leaf();
        let captures = self.frozen.tree.captures(leaf);
        let is_it = |capture: &&Capture| usize::from(capture.param) == index;
        // Most routes capture their parameters in order, each in its place.
        let capture = captures.get(index).filter(is_it).or_else(|| captures.iter().find(is_it))?;
        self.target.path.get(self.spans.bounds(usize::from(capture.value))?)
    }

    /// The segments that the tail takes.
    fn tail(&self) -> Option<&'u str> {
        let leaf = self.leaf();
        leaf.tail?;
        // It is the last of the values.
        let last = self.spans.bounds(usize::from(leaf.values.saturating_sub(1)))?;
        self.target.path.get(last.start..)
    }

    /// Where a piece of a segment begins in the path.
    fn start_of_piece(&self, segment: usize, piece: usize) -> Option<usize> {
        let path = self.target.path;
        let (start, end) = (end_of_segments(path, segment) + 1, end_of_segments(path, segment + 1));
        let Some(SegmentStep::Pattern(pattern)) = self.frozen.tree.steps(self.leaf()).get(segment) else {
            return Some(start);
        };
        let raw = path.get(start..end)?;
        let places = places(self.frozen.tree.pattern(*pattern), raw);
        Some(start + places.and_then(|places| places.get(piece).copied()).map_or(0, |(start, _)| start))
    }

    fn in_query(&self, index: usize) -> Option<Slot<'u>> {
        let (param, raw) = self.query_text(index)?;
        (!param.counts_as_absent(raw)).then_some(Slot::Query(raw))
    }

    /// What stands in the query for a parameter, as it was sent.
    fn query_text(&self, index: usize) -> Option<(&'t QueryParam, &'u str)> {
        let query = self.target.query?;
        let (number, param) = self.route().extras.query.param(index)?;
        if self.is_noted {
            let place = self.spans.place(usize::from(self.leaf().values) + number)?;
            return Some((param, noted(query, place)?));
        }
        if self.route().extras.query.params.len() <= FEW {
            let pair = raw_pairs(query).find(|pair| pair.is_named(&param.name))?;
            return Some((param, pair.value));
        }
        Some((param, value_from(query, (*self.spans.places().get(number)?)?)))
    }

    fn in_host(&self, index: usize) -> Option<String> {
        self.route().extras.host.as_ref()?.value(self.target.host?, index)
    }

    /// The part of the path that the level's own template stands for, as it was sent.
    pub(crate) fn covered(&self, level: usize) -> &'u str {
        let start = level.checked_sub(1).map_or(0, |above| self.covered_to(above));
        &self.target.path[start..self.covered_to(level)]
    }

    /// Where the part of the path ends that a level and those above it stand for.
    fn covered_to(&self, level: usize) -> usize {
        let leaf = self.leaf();
        let cover = self.frozen.tree.covers(leaf)[level];
        if cover.has_tail {
            return self.target.path.len();
        }
        let segments = usize::from(cover.segments);
        let of_pieces = cover.pieces.zip(segments.checked_sub(1));
        let of_pieces = of_pieces.and_then(|(pieces, last)| self.start_of_piece(last, usize::from(pieces)));
        of_pieces.unwrap_or_else(|| end_of_segments(self.target.path, segments))
    }

    /// How many values the URL spells out that it could leave out: those that their rules would give by default, and those
    /// of the query that are empty and so count as absent.
    pub(crate) fn needless_values(&self) -> usize {
        let route = self.route();
        let has_empty = self.target.query.is_some_and(has_empty_value);
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
        // What could not be decoded was refused when the URL was split, so nothing is lost here.
        match self.slot(index) {
            Slot::Path(raw) if self.is_plain => Some(Cow::Borrowed(raw)),
            Slot::Path(raw) => decode(raw).ok(),
            Slot::Query(raw) => Some(decode_form(raw)),
            Slot::Host => self.in_host(index).map(Cow::Owned),
            Slot::Absent => self.route().params[index].check.default_text().map(Cow::Borrowed),
            Slot::Items(_) | Slot::Each | Slot::Pairs => None,
        }
        .filter(|_| self.route().params[index].check.shape() == Shape::One)
    }

    /// The values of a name in the query, undecoded.
    fn raws(&self, wanted: &str) -> impl Iterator<Item = &'u str> {
        let query = self.target.query.unwrap_or_default();
        names(query).filter(move |(name, _)| **name == *wanted).map(move |(_, start)| value_from(query, start))
    }

    /// Names and decoded values of the parameters that are one text.
    #[inline]
    pub(crate) fn texts(&self) -> Texts<'_, 't, 'u> {
        let leaf = self.leaf();
        let is_few = self.is_plain && !self.spans.has_many();
        let simple = usize::from(leaf.simple);
        let all = &*self.frozen.route(leaf.route).params;
        let params = if is_few && leaf.has_only_simple { all.get(..simple).unwrap_or_default() } else { all };
        Texts { reading: self, params: params.iter(), index: 0, simple: if is_few { simple } else { 0 } }
    }

    /// The items of a list; of one that is absent those of its default.
    pub(crate) fn items(&self, index: usize) -> Vec<Cow<'u, str>> {
        let param = &self.route().params[index];
        if param.check.shape() != Shape::List {
            return Vec::new();
        }
        let sent: Vec<Cow<'u, str>> = match self.slot(index) {
            Slot::Items(raw) => raw.split('/').filter_map(|raw| decode(raw).ok()).collect(),
            Slot::Each => match self.route().extras.query.param(index) {
                Some((_, param)) => self.raws(&param.name).filter(|raw| param.is_item(raw)).map(decode_form).collect(),
                None => Vec::new(),
            },
            Slot::Query(raw) => items_of(raw).collect(),
            Slot::Path(raw) => self.joined(param, raw).into_iter().map(Cow::Owned).collect(),
            Slot::Absent | Slot::Host | Slot::Pairs => Vec::new(),
        };
        match &param.check.default {
            Some(Value::List(items)) if sent.is_empty() => items.iter().map(|item| Cow::Owned(item.clone())).collect(),
            _ => sent,
        }
    }

    /// The items of what stands in the path, or names and values in turn.
    fn joined(&self, param: &Param, raw: &str) -> Vec<String> {
        // What could not be decoded was refused when the URL was split.
        let text = marked(raw).unwrap_or_default();
        param.texts.join.as_ref().map_or_else(Vec::new, |join| join.items(&text))
    }

    /// The names and values of pairs, as they were sent.
    fn pairs(&self, index: usize) -> Vec<(String, String)> {
        let param = &self.route().params[index];
        let in_turn: Vec<String> = match self.slot(index) {
            Slot::Pairs => return self.rest(),
            Slot::Items(raw) => raw.split('/').flat_map(|raw| self.joined(param, raw)).collect(),
            Slot::Query(raw) => items_of(raw).map(Cow::into_owned).collect(),
            Slot::Path(raw) => self.joined(param, raw),
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
        self.target.query.unwrap_or_default().split('&').filter(is_unknown)
    }

    /// The pairs of the query that no other parameter takes.
    fn rest(&self) -> Vec<(String, String)> {
        let (demand, query) = (&self.route().extras.query, self.target.query.unwrap_or_default());
        let free = names(query).filter(|(name, _)| !demand.names(name));
        free.map(|(name, start)| (name.into_owned(), decode_form(value_from(query, start)).into_owned())).collect()
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
    /// How many come first that are a segment each, as it stands, in their order.
    simple: usize,
}

impl<'a, 't, 'u: 'a> Iterator for Texts<'a, 't, 'u> {
    type Item = (&'t str, Cow<'a, str>);

    #[inline]
    fn next(&mut self) -> Option<Self::Item> {
        loop {
            let (index, param) = (self.index, self.params.next()?);
            self.index += 1;
            let text = match self.reading.spans.place(index) {
                Some(place) if index < self.simple => self.reading.target.path.get(place.range()).map(Cow::Borrowed),
                _ => self.reading.text(index),
            };
            if let Some(text) = text {
                return Some((&*param.name, text));
            }
        }
    }
}

/// Where the pieces of a segment stand that a pattern reads, which is given as it was sent.
fn places(pattern: &Pattern, raw: &str) -> Option<Split> {
    // What could not be decoded was refused before the lookup.
    let decoded = decode(raw).unwrap_or_default();
    let mut split = pattern.split(&pattern.readable(&decoded, raw))?;
    if decoded.len() < raw.len() {
        // The ends of pieces in the order in which they come, each from the one before on.
        let (mut sent, mut read) = (0, 0);
        for (start, end) in &mut split {
            sent += raw_offset(&raw[sent..], *start - read);
            let begin = sent;
            sent += raw_offset(&raw[sent..], *end - *start);
            read = *end;
            (*start, *end) = (begin, sent);
        }
    }
    Some(split)
}

/// Where the values of a path stand that leads to a leaf, or on from it.
fn spans(frozen: &Frozen, id: LeafId, segments: &Segments<'_>) -> Spans {
    let leaf = frozen.tree.leaf(id);
    let mut spans: SmallVec<[(usize, usize); MOST_FEW]> = SmallVec::new();
    for (at, step) in frozen.tree.steps(leaf).iter().enumerate().take(segments.len()) {
        let SegmentStep::Pattern(pattern) = step else { continue };
        let pattern = frozen.tree.pattern(*pattern);
        let (start, end) = segments.bounds(at);
        if pattern.pieces.len() == 1 {
            spans.push((start, end));
        } else if let Some(mut split) = places(pattern, segments.raw(at)) {
            pattern.retain_values(&mut split);
            spans.extend(split.into_iter().map(|(from, to)| (start + from, start + to)));
        }
    }
    if let (Some(last), Some(_)) = (spans.last_mut(), leaf.tail) {
        last.1 = segments.path.len();
    }
    Spans::of(&spans)
}

/// The decoded names of a query, each with the place at which its value begins.
pub(super) fn names(query: &str) -> impl Iterator<Item = (Cow<'_, str>, u32)> {
    raw_pairs(query).filter_map(|pair| Some((decode_form(pair.name), pair.value_at()?)))
}

/// Whether there is a pair in a query whose value is empty.
fn has_empty_value(query: &str) -> bool {
    raw_pairs(query).any(|pair| pair.value.is_empty())
}

/// The value that begins at a place of a query, undecoded.
fn value_from(query: &str, start: u32) -> &str {
    let start = start as usize;
    query.get(start..first_of(query.as_bytes(), start, [b'&', b'&'])).unwrap_or_default()
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
