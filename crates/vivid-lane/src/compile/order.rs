//! Which of two is the narrower: queries, hosts, whole paths.
//!
//! Each is compared as a [`ValueSet`]: a query name by name, a host as a whole, a path as all its segments.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::resolve::ResolvedRoute;
use crate::lookup::{HostMatcher, Pattern, Piece, QueryMatcher, Route, TailKind};
use crate::rule::{Atom, Check, Dfa, Narrower, Relation, SEPARATOR, TEXT, TooLarge, ValueSet, sequence};
use crate::template::percent::encode_unreserved;

/// What no segment of a URL is.
const DOTS: &[&str] = &[".", ".."];

/// A piece of a sequence.
fn atoms(piece: &Piece) -> Vec<Atom> {
    match piece {
        Piece::Text(text) => text.bytes().map(Atom::Byte).collect(),
        Piece::Value(check) => vec![Atom::Value(check.set())],
    }
}

/// What a pattern accepts, but for some words.
fn pattern_set(pattern: &Pattern, excluded: &[&str]) -> Result<ValueSet, TooLarge> {
    let rules = pattern.pieces.iter().filter_map(Piece::value).map(|check| &**check);
    let all = match &*pattern.pieces {
        [Piece::Value(check)] => check.set(),
        pieces => Arc::new(sequence(&[pieces.iter().flat_map(atoms).collect()])?.minimised()),
    };
    let excluded: Vec<&str> = excluded.iter().copied().filter(|word| all.contains(word.as_bytes())).collect();
    let texts = if excluded.is_empty() { all } else { Arc::new(all.without(&Dfa::words(excluded)?)?) };
    Ok(ValueSet::new(texts, rules))
}

/// What a pattern accepts as a segment of a URL. No URL has a segment of one or two dots.
pub(crate) fn segment_set(pattern: &Pattern) -> Result<ValueSet, TooLarge> {
    pattern_set(pattern, DOTS)
}

/// Compares the hosts that two routes demand.
pub(super) fn hosts(left: Option<&HostMatcher>, right: Option<&HostMatcher>) -> Result<Relation, TooLarge> {
    let set = host_set;
    let shared = |narrower, host: Option<&HostMatcher>| {
        let witness = host.map(set).transpose()?.map_or_else(Vec::new, |set| set.example());
        Ok(Relation::Shared { narrower, witness, is_exact: true })
    };
    match (left, right) {
        (None, None) => shared(Narrower::Same, None),
        (Some(_), None) => shared(Narrower::Left, left),
        (None, Some(_)) => shared(Narrower::Right, right),
        (Some(left), Some(right)) => set(left)?.compare(&set(right)?),
    }
}

/// What a host may be.
pub(super) fn host_set(host: &HostMatcher) -> Result<ValueSet, TooLarge> {
    pattern_set(&host.pattern, &[])
}

/// What a query says of one name.
pub(super) struct Asked {
    pub(super) may_be_absent: bool,
    pub(super) values: ValueSet,
}

impl Asked {
    pub(super) fn of(query: &QueryMatcher, name: &str) -> Result<Self, TooLarge> {
        if let Some((_, value)) = query.literals.iter().find(|(known, _)| **known == *name) {
            return Ok(Self { may_be_absent: false, values: ValueSet::word(value)? });
        }
        let param = query.params.iter().find(|param| *param.name == *name);
        let texts = match param.map(|param| (param, param.check.ruled_set())) {
            // Any value, an empty one too.
            None | Some((_, None)) => Arc::new(TEXT.with_empty()?),
            // An optional value that is left empty counts as absent.
            Some((param, Some(set))) if !param.is_required => Arc::new(set.with_empty()?),
            Some((param, Some(_))) => param.check.set(),
        };
        let may_be_absent = param.is_none_or(|param| !param.is_required);
        Ok(Self { may_be_absent, values: ValueSet::new(texts, param.map(|param| &*param.check)) })
    }
}

/// What two demanded queries have to do with each other as sets.
struct Shared {
    left_in_right: bool,
    right_in_left: bool,
    /// Do both ask a live list for one name, and not the same?
    is_asked: bool,
    is_exact: bool,
    /// A query that both accept, by names and values.
    witness: Vec<(String, String)>,
}

/// The names of which one of two queries says something.
pub(super) fn query_names<'q>(left: &'q QueryMatcher, right: &'q QueryMatcher) -> BTreeSet<&'q str> {
    let of = |query: &'q QueryMatcher| {
        query.literals.iter().map(|(name, _)| &**name).chain(query.params.iter().map(|param| &*param.name))
    };
    of(left).chain(of(right)).collect()
}

/// Compares the queries that two routes demand, name by name; `None` where no query meets both.
fn share(left: &QueryMatcher, right: &QueryMatcher) -> Result<Option<Shared>, TooLarge> {
    let names = query_names(left, right);
    let mut shared =
        Shared { left_in_right: true, right_in_left: true, is_asked: false, is_exact: true, witness: Vec::new() };
    for name in names {
        let (a, b) = (Asked::of(left, name)?, Asked::of(right, name)?);
        let can_be_absent = a.may_be_absent && b.may_be_absent;
        let (narrower, witness) = match a.values.compare(&b.values)? {
            Relation::Disjoint if !can_be_absent => return Ok(None),
            Relation::Disjoint => (Narrower::Neither, Vec::new()),
            Relation::Shared { narrower, witness, .. } => (narrower, witness),
        };
        shared.left_in_right &=
            matches!(narrower, Narrower::Left | Narrower::Same) && (b.may_be_absent || !a.may_be_absent);
        shared.right_in_left &=
            matches!(narrower, Narrower::Right | Narrower::Same) && (a.may_be_absent || !b.may_be_absent);
        shared.is_asked |= narrower == Narrower::LeftAsked;
        shared.is_exact &= a.values.is_exact() && b.values.is_exact();
        if !can_be_absent {
            shared.witness.push((name.to_owned(), text(&witness)));
        }
    }
    Ok(Some(shared))
}

/// Compares the queries that two routes demand; the witness is a query that both accept.
pub(super) fn queries(left: &QueryMatcher, right: &QueryMatcher) -> Result<Relation, TooLarge> {
    let Some(Shared { left_in_right, right_in_left, is_asked, is_exact, witness }) = share(left, right)? else {
        return Ok(Relation::Disjoint);
    };
    // Where neither holds the other, a literal query goes before none, then a required parameter before none.
    let asks = |query: &QueryMatcher| (!query.literals.is_empty(), query.params.iter().any(|param| param.is_required));
    let narrower = match Narrower::by_inclusion(left_in_right, right_in_left) {
        Narrower::Neither => match (asks(left), asks(right)) {
            ((true, _), (false, _)) => Narrower::Left,
            ((false, _), (true, _)) => Narrower::Right,
            ((_, true), (_, false)) => Narrower::Left,
            ((_, false), (_, true)) => Narrower::Right,
            _ if is_asked => Narrower::LeftAsked,
            _ => Narrower::Neither,
        },
        decided => decided,
    };
    let query = query_of(witness.iter().map(|(name, value)| (name.as_str(), value.clone())));
    Ok(Relation::Shared { narrower, witness: query.into_bytes(), is_exact })
}

/// A query of these names and values.
pub(super) fn query_of<'n>(pairs: impl IntoIterator<Item = (&'n str, String)>) -> String {
    let mut query = String::new();
    for (name, value) in pairs {
        query.push(if query.is_empty() { '?' } else { '&' });
        encode_unreserved(&mut query, name);
        query.push('=');
        encode_unreserved(&mut query, &value);
    }
    query
}

/// The least query that meets what is demanded; empty where nothing is.
pub(super) fn least_query(query: &QueryMatcher) -> Result<String, TooLarge> {
    Ok(match queries(query, query)? {
        Relation::Disjoint => String::new(),
        Relation::Shared { witness, .. } => text(&witness),
    })
}

/// The set of whole paths of a route, their segments each after a [`SEPARATOR`].
pub(super) fn paths(route: &ResolvedRoute) -> Result<Dfa, TooLarge> {
    let rule = |param: u16| &route.params[usize::from(param)].check;
    let mut alternatives = Vec::new();
    for variant in route.variants() {
        let mut path = Vec::new();
        for segment in &variant.segments {
            path.push(Atom::Byte(SEPARATOR));
            path.extend(segment.iter().flat_map(|piece| atoms(&piece.map(|param| Arc::clone(rule(*param))))));
        }
        if let Some((param, kind)) = variant.tail {
            path.extend(tail(kind, rule(param))?);
        }
        alternatives.push(path);
    }
    sequence(&alternatives)
}

/// The segments of a tail.
fn tail(kind: TailKind, check: &Check) -> Result<Vec<Atom>, TooLarge> {
    Ok(match kind {
        TailKind::Items => {
            vec![Atom::Repeat { item: check.set(), min: check.min_items.max(1), max: check.max_items }]
        }
        TailKind::Rest if check.is_any() => {
            vec![Atom::Repeat { item: Arc::clone(&TEXT), min: 1, max: u16::MAX }]
        }
        TailKind::Rest => vec![Atom::Byte(SEPARATOR), Atom::Value(Arc::new(check.set().cut_at_slashes()?))],
    })
}

/// The paths of one way: segments that are sets or literal, and perhaps a tail.
pub(crate) fn way_set(
    segments: &[Result<Arc<Dfa>, Box<str>>],
    rest: Option<&(TailKind, Arc<Check>)>,
) -> Result<Dfa, TooLarge> {
    let mut path = Vec::new();
    for segment in segments {
        path.push(Atom::Byte(SEPARATOR));
        match segment {
            Ok(set) => path.push(Atom::Value(Arc::clone(set))),
            Err(text) => path.extend(text.bytes().map(Atom::Byte)),
        }
    }
    if let Some((kind, check)) = rest {
        path.extend(tail(*kind, check)?);
    }
    sequence(&[path])
}

/// Does one route accept every host and query that another does?
pub(crate) fn is_within(inner: &Route, outer: &Route) -> Result<bool, TooLarge> {
    let holds = |relation: Relation| match relation {
        Relation::Disjoint => false,
        Relation::Shared { narrower, is_exact, .. } => is_exact && matches!(narrower, Narrower::Left | Narrower::Same),
    };
    let by_host = outer.host.is_none() || holds(hosts(inner.host.as_deref(), outer.host.as_deref())?);
    if !by_host || outer.query.is_empty() {
        return Ok(by_host);
    }
    Ok(share(&inner.query, &outer.query)?.is_some_and(|shared| shared.left_in_right && shared.is_exact))
}

/// A host and a query that a route accepts: the least that it demands, empty where it demands none.
pub(crate) fn demanded(route: &Route) -> Result<(String, String), TooLarge> {
    let witness = |relation| match relation {
        Relation::Disjoint => String::new(),
        Relation::Shared { witness, .. } => text(&witness),
    };
    Ok((witness(hosts(route.host.as_deref(), None)?), least_query(&route.query)?))
}

/// A witness as text. Rules let nothing through that is not UTF-8.
pub(super) fn text(witness: &[u8]) -> String {
    String::from_utf8_lossy(witness).into_owned()
}

/// A path of a set of whole paths, as a URL has it.
pub(crate) fn path_of(word: &[u8]) -> String {
    let mut path = String::new();
    for segment in word.split(|&byte| byte == SEPARATOR).skip(1) {
        path.push('/');
        encode_unreserved(&mut path, &text(segment));
    }
    if path.is_empty() { "/".to_owned() } else { path }
}
