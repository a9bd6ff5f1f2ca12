//! Where the values of a URL stand, and what they are.

use std::borrow::Cow;

use smallvec::SmallVec;

use super::ask::{Ask, Target, pairs};
use super::path::Segment;
use super::route::{Param, ParamKind, Route, RouteId};
use super::table::Frozen;
use super::tree::{Cover, Ending, EndingId, Step};
use crate::template::percent::{decode, decode_form, triplet};
use crate::template::{Value, Values};

/// A URL as a route reads it. Values are decoded when they are asked for.
#[derive(Debug)]
pub(crate) struct Reading<'t, 'u> {
    frozen: &'t Frozen,
    pub(crate) route: RouteId,
    pub(crate) target: Target<'u>,
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

fn narrow(at: usize) -> u32 {
    // A URL has far fewer than 2^32 bytes: longer ones are refused before they get here.
    u32::try_from(at).unwrap_or(u32::MAX)
}

impl<'t, 'u> Reading<'t, 'u> {
    pub(crate) fn new(frozen: &'t Frozen, id: EndingId, ask: &Ask<'_, 'u>, target: Target<'u>) -> Self {
        let ending = frozen.tree.ending(id);
        let route = frozen.route(ending.route);
        let absent = |param: &Param| if param.check.default.is_some() { Slot::Default } else { Slot::Absent };
        let slots = route.params.iter().map(absent).collect();
        let ends = SmallVec::with_capacity(ending.covers.len());
        let mut reading = Self { frozen, route: ending.route, target, slots, ends };
        reading.read_path(ending, ask);
        reading.read_query(route, ask);
        reading.read_host(route, ask);
        reading
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
        let pattern = self.frozen.tree.pattern(pattern);
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

    pub(crate) fn route(&self) -> &'t Route {
        self.frozen.route(self.route)
    }

    pub(crate) fn len(&self) -> usize {
        self.slots.len()
    }

    pub(crate) fn levels(&self) -> usize {
        self.ends.len()
    }

    /// The part of the path that the level's own template stands for, as it was sent.
    pub(crate) fn covered(&self, level: usize) -> &'u str {
        let start = level.checked_sub(1).map_or(0, |above| self.ends[above]);
        &self.target.path[start as usize..self.ends[level] as usize]
    }

    /// Does the URL spell out a value that it could leave to the default of a rule?
    pub(crate) fn spells_out_a_default(&self) -> bool {
        self.route().params.iter().zip(&self.slots).enumerate().any(|(index, (param, slot))| {
            param.is_optional
                && matches!(slot, Slot::Path(..) | Slot::Query(..))
                && param.check.default.is_some()
                && self.text(index).as_deref() == param.check.default.as_deref()
        })
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
        let param = &self.route().params[index];
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

    pub(crate) fn items(&self, index: usize) -> Vec<Cow<'u, str>> {
        match self.slots[index] {
            Slot::Path(start, end) if self.route().params[index].kind == ParamKind::Items => {
                self.target.path[start as usize..end as usize].split('/').filter_map(|raw| decode(raw).ok()).collect()
            }
            _ => Vec::new(),
        }
    }

    /// The pairs of the query that the route does not know, undecoded.
    pub(crate) fn unknown_pairs(&self) -> impl Iterator<Item = &'u str> {
        let demand = &self.route().query;
        let is_unknown = move |pair: &&str| {
            let name = pair.split('=').next().unwrap_or_default();
            !pair.is_empty() && demand.rest.is_none() && decode_form(name).is_ok_and(|name| !demand.names(&name))
        };
        self.target.query.unwrap_or_default().split('&').filter(is_unknown)
    }

    /// The pairs of the query that no other parameter takes.
    fn rest(&self) -> Vec<(String, String)> {
        let query = &self.route().query;
        let all = pairs(self.target.query.unwrap_or_default()).unwrap_or_default();
        let free = all.into_iter().filter(|pair| !query.names(&pair.name));
        free.filter_map(|pair| Some((pair.name.into_owned(), decode_form(pair.raw).ok()?.into_owned()))).collect()
    }

    pub(crate) fn value_at(&self, index: usize) -> Option<Value> {
        match self.route().params[index].kind {
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
