//! Where the values of a path are.

use std::ops::Range;

use smallvec::SmallVec;

use super::conditions::{ABSENT, FEW, QueryMatcher};
use super::pattern::{Pattern, Split};
use super::scan;
use super::table::Frozen;
use super::target::Target;
use super::tree::{Leaf, SegmentStep};
use crate::template::percent::{decode, triplet};

/// The values of a path.
#[derive(Debug, Clone)]
pub(super) struct PathValues {
    /// The whole path, decoded, where something in it is escaped.
    decoded: Option<String>,
    /// Where they begin and end in the whole path: those of the captures of the leaf, in their order, and then the tail.
    places: [Place; MOST],
    /// Where in the query the values begin that the route reads there, by the numbers of their parameters.
    in_query: [u32; FEW],
    /// What few URLs have.
    more: Option<Box<More>>,
}

/// Where a value begins and ends.
type Place = (u16, u16);
/// So many places are kept without allocation.
pub(crate) const MOST: usize = 8;

#[derive(Debug, Clone, Default)]
struct More {
    /// All places, where they are more than a few.
    places: Vec<Place>,
    /// Where in the query all values begin, where they are more than a few.
    in_query: Vec<u32>,
}

impl PathValues {
    /// The values of a target that a leaf reads. The decoded path is taken out of the target.
    #[inline(always)]
    pub(super) fn new(frozen: &Frozen, leaf: &Leaf, target: &mut Target<'_>) -> Self {
        let mut places = [(0, 0); MOST];
        let mut more = None;
        if leaf.has_whole_values {
            let captures = frozen.tree.captures(leaf);
            for (place, capture) in places.iter_mut().zip(captures) {
                *place = narrow(target.place(usize::from(capture.segment)));
            }
            if leaf.tail.is_some()
                && let Some(place) = places.get_mut(captures.len())
            {
                *place = narrow(tail_place(leaf, target));
            }
        } else {
            more = other_places(frozen, leaf, target, &mut places);
        }
        let mut in_query = [ABSENT; FEW];
        if !leaf.ignores_query
            && let Some(query) = target.sent.query
        {
            query_places(&frozen.route(leaf.route).extras.query, query, &mut in_query, &mut more);
        }
        Self { decoded: target.take_decoded(), places, in_query, more }
    }

    /// Whether something in the path is escaped.
    pub(super) fn is_decoded(&self) -> bool {
        self.decoded.is_some()
    }

    /// The value of a number, decoded; the whole path is given as it was sent.
    #[inline]
    pub(super) fn get<'a>(&'a self, whole: &'a str, number: usize) -> Option<&'a str> {
        let &(start, end) = match &self.more {
            Some(more) if !more.places.is_empty() => more.places.get(number)?,
            _ => self.places.get(number)?,
        };
        self.decoded.as_deref().unwrap_or(whole).get(usize::from(start)..usize::from(end))
    }

    /// Where in the query the value of the parameter of a number begins.
    #[inline]
    pub(super) fn in_query(&self, number: usize) -> u32 {
        let places = match &self.more {
            Some(more) if !more.in_query.is_empty() => more.in_query.as_slice(),
            _ => &self.in_query,
        };
        places.get(number).copied().unwrap_or(ABSENT)
    }
}

/// Where the pieces of a segment are that a pattern reads, which is given as it was sent.
pub(super) fn pieces_sent(pattern: &Pattern, raw: &str) -> Option<Split> {
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

/// The places of values where not all are whole segments, or too many for the room that is given; and what else few URLs have.
#[inline(never)]
fn other_places(frozen: &Frozen, leaf: &Leaf, target: &Target<'_>, few: &mut [Place; MOST]) -> Option<Box<More>> {
    let mut all: SmallVec<[Place; MOST]> = SmallVec::new();
    let mut split: (u16, Split) = (u16::MAX, Split::new());
    for capture in frozen.tree.captures(leaf) {
        let segment = usize::from(capture.segment);
        let whole = target.place(segment);
        if capture.is_whole {
            all.push(narrow(whole));
            continue;
        }
        if split.0 != capture.segment {
            let step = frozen.tree.steps(leaf).get(segment);
            let pattern = step.and_then(|step| match step {
                SegmentStep::Pattern(pattern) => Some(frozen.tree.pattern(*pattern)),
                SegmentStep::Literal => None,
            });
            let read = |pattern: &Pattern| pattern.split(&pattern.readable(target.text(segment), target.raw(segment)));
            split = (capture.segment, pattern.and_then(read).unwrap_or_default());
        }
        let (start, end) = split.1.get(usize::from(capture.piece)).copied().unwrap_or_default();
        all.push(narrow(whole.start + start..whole.start + end));
    }
    if leaf.tail.is_some() {
        all.push(narrow(tail_place(leaf, target)));
    }
    let mut more = More::default();
    match few.get_mut(..all.len()) {
        Some(few) => few.copy_from_slice(&all),
        None => more.places = all.into_vec(),
    }
    (!more.places.is_empty()).then(|| Box::new(more))
}

/// The places of values in the query; more than a few need room of their own.
#[inline(never)]
fn query_places(matcher: &QueryMatcher, query: &str, few: &mut [u32; FEW], more: &mut Option<Box<More>>) {
    let places = matcher.places(query);
    match few.get_mut(..places.len()) {
        Some(few) => few.copy_from_slice(&places),
        None => more.get_or_insert_default().in_query = places.into_vec(),
    }
}

/// The segments that the tail of a leaf takes.
fn tail_place(leaf: &Leaf, target: &Target<'_>) -> Range<usize> {
    let first = target.place((leaf.steps.count as usize).saturating_sub(1));
    first.start..target.place(target.len().saturating_sub(1)).end
}

#[inline(always)]
fn narrow(place: Range<usize>) -> Place {
    (scan::narrow(place.start), scan::narrow(place.end))
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
