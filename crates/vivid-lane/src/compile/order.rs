//! Which of two is the narrower: patterns, queries, hosts, whole paths.
//!
//! Everything is compared as a set of texts. What no automaton can know is left to three rules: a function
//! of the user's accepts a part of what describes it; a live list counts as narrower than any rule that
//! does not name its values one by one; of two live lists the one that is declared first is asked first.

use std::collections::BTreeSet;
use std::sync::Arc;

use hashbrown::HashMap;

use crate::matcher::{HostDemand, Narrower, Pattern, PatternId, Piece, QueryDemand, Route, TailKind};
use crate::rule::{Atom, Certainty, Check, Comparison, Dfa, SEPARATOR, TEXT, TooLarge, sequence};

/// What two sets have to do with each other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Relation {
    /// No text is in both.
    Disjoint,
    /// A text is in both.
    Shared { narrower: Narrower, witness: String, is_sure: bool },
}

impl Relation {
    fn flipped(self) -> Self {
        match self {
            Self::Disjoint => Self::Disjoint,
            Self::Shared { narrower, witness, is_sure } => {
                Self::Shared { narrower: narrower.flipped(), witness, is_sure }
            }
        }
    }
}

/// A set of texts, and what refuses some of them at request time.
#[derive(Debug, Clone)]
struct Known {
    set: Arc<Dfa>,
    judges: BTreeSet<String>,
    list: Option<String>,
    is_choice: bool,
}

/// Patterns and what is known of their pairs.
#[derive(Debug, Default)]
pub(super) struct Patterns {
    known: Vec<Known>,
    pairs: HashMap<(PatternId, PatternId), Relation>,
}

/// What no segment of a URL is.
const DOTS: &[&str] = &[".", ".."];

/// The set of a sequence of pieces.
pub(super) fn atoms(pieces: &[Piece]) -> Vec<Atom> {
    let mut atoms = Vec::new();
    for piece in pieces {
        match piece {
            Piece::Text(text) => atoms.extend(text.bytes().map(Atom::Byte)),
            Piece::Value(check) => atoms.push(Atom::Value(check.set())),
        }
    }
    atoms
}

fn known(pieces: &[Piece], excluded: &[&str]) -> Result<Known, TooLarge> {
    let checks: Vec<_> = pieces
        .iter()
        .filter_map(|piece| match piece {
            Piece::Text(_) => None,
            Piece::Value(check) => Some(check),
        })
        .collect();
    let all = match pieces {
        [Piece::Value(check)] => check.set(),
        _ => Arc::new(sequence(&[atoms(pieces)])?.minimised()),
    };
    let excluded: Vec<&str> = excluded.iter().copied().filter(|word| all.contains(word.as_bytes())).collect();
    let set = if excluded.is_empty() { all } else { Arc::new(all.without(&Dfa::words(excluded)?)?) };
    Ok(Known {
        set,
        judges: checks.iter().flat_map(|check| check.judges().map(str::to_owned)).collect(),
        list: checks.iter().find_map(|check| check.list.as_deref().map(str::to_owned)),
        is_choice: !checks.is_empty() && checks.iter().all(|check| check.is_choice),
    })
}

impl Patterns {
    /// Notes the pattern whose number is the next one. No URL has a segment of one or two dots.
    pub(super) fn add(&mut self, pattern: &Pattern) -> Result<(), TooLarge> {
        self.known.push(known(&pattern.pieces, DOTS)?);
        Ok(())
    }

    /// Does the pattern accept one text only?
    pub(super) fn sole(&self, pattern: PatternId) -> Option<String> {
        let known = &self.known[pattern.0 as usize];
        let sole = known.set.sole_word().filter(|_| known.judges.is_empty() && known.list.is_none())?;
        String::from_utf8(sole).ok()
    }

    /// Can the pattern accept the text?
    pub(super) fn accepts(&self, pattern: PatternId, text: &str) -> bool {
        self.known[pattern.0 as usize].set.contains(text.as_bytes())
    }

    /// Is it certain that the pattern accepts what its set does?
    pub(super) fn is_sure(&self, pattern: PatternId) -> bool {
        let known = &self.known[pattern.0 as usize];
        known.judges.is_empty() && known.list.is_none()
    }

    /// A text that the pattern can accept.
    pub(super) fn example(&self, pattern: PatternId) -> Option<String> {
        self.known[pattern.0 as usize].set.shortest().and_then(|text| String::from_utf8(text).ok())
    }

    /// What two patterns have to do with each other; worked out once.
    pub(super) fn relation(&mut self, left: PatternId, right: PatternId) -> Result<Relation, TooLarge> {
        if left > right {
            return self.relation(right, left).map(Relation::flipped);
        }
        if let Some(relation) = self.pairs.get(&(left, right)) {
            return Ok(relation.clone());
        }
        let relation = relate(&self.known[left.0 as usize], &self.known[right.0 as usize])?;
        self.pairs.insert((left, right), relation.clone());
        Ok(relation)
    }

    /// All pairs that accept a common text.
    pub(super) fn shared(&self) -> impl Iterator<Item = ((PatternId, PatternId), Narrower)> {
        self.pairs.iter().filter_map(|(pair, relation)| match relation {
            Relation::Disjoint => None,
            Relation::Shared { narrower, .. } => Some((*pair, *narrower)),
        })
    }
}

fn relate(left: &Known, right: &Known) -> Result<Relation, TooLarge> {
    let Comparison { only_left, only_right, both } = left.set.compare(&right.set)?;
    let Some(witness) = both.and_then(|text| String::from_utf8(text).ok()) else { return Ok(Relation::Disjoint) };
    let left_in_right = only_left.is_none() && right.judges.is_subset(&left.judges);
    let right_in_left = only_right.is_none() && left.judges.is_subset(&right.judges);
    let by_sets = match (left_in_right, right_in_left) {
        (true, true) => Narrower::Same,
        (true, false) => Narrower::Left,
        (false, true) => Narrower::Right,
        (false, false) => Narrower::Neither,
    };
    let lists = [left, right].map(|known| (known.list.as_deref(), known.is_choice));
    let narrower = by_lists(lists[0], lists[1], by_sets);
    let is_sure = [left, right].iter().all(|known| known.judges.is_empty() && known.list.is_none());
    Ok(Relation::Shared { narrower, witness, is_sure })
}

/// Which of two is the narrower by the lists that they ask: none, or one, and whether they name their values one by one. A
/// list is narrower than a rule that does not; of two lists the one that is declared first is asked first.
pub(super) fn by_lists(left: (Option<&str>, bool), right: (Option<&str>, bool), by_sets: Narrower) -> Narrower {
    match (left, right) {
        ((None, _), (None, _)) => by_sets,
        ((Some(one), _), (Some(other), _)) if one == other && by_sets != Narrower::Neither => by_sets,
        ((Some(_), _), (Some(_), _)) => Narrower::LeftAsked,
        ((Some(_), _), (None, true)) => Narrower::Right,
        ((Some(_), _), (None, false)) => Narrower::Left,
        ((None, true), (Some(_), _)) => Narrower::Left,
        ((None, false), (Some(_), _)) => Narrower::Right,
    }
}

/// Whether one of two sets holds the other, when all that is known is what each has alone.
fn by_inclusion(left_in_right: bool, right_in_left: bool) -> Narrower {
    match (left_in_right, right_in_left) {
        (true, true) => Narrower::Same,
        (true, false) => Narrower::Left,
        (false, true) => Narrower::Right,
        (false, false) => Narrower::Neither,
    }
}

/// Compares the hosts that two routes demand.
pub(super) fn hosts(left: Option<&HostDemand>, right: Option<&HostDemand>) -> Result<Relation, TooLarge> {
    let shared = |narrower, witness: String| Ok(Relation::Shared { narrower, witness, is_sure: true });
    let set = |host: &HostDemand| known(&host.pattern.pieces, &[]);
    let example = |host: &HostDemand| {
        Ok(set(host)?.set.shortest().and_then(|text| String::from_utf8(text).ok()).unwrap_or_default())
    };
    match (left, right) {
        (None, None) => shared(Narrower::Same, String::new()),
        (Some(host), None) => shared(Narrower::Left, example(host)?),
        (None, Some(host)) => shared(Narrower::Right, example(host)?),
        (Some(left), Some(right)) => relate(&set(left)?, &set(right)?),
    }
}

/// What a query says of one name.
#[derive(Debug, Clone)]
struct Asked {
    may_be_absent: bool,
    /// `None` for any value, an empty one too.
    set: Option<Arc<Dfa>>,
    check: Option<Arc<Check>>,
}

impl Asked {
    /// A name that the route does not ask for.
    const FREE: Self = Self { may_be_absent: true, set: None, check: None };

    fn of(query: &QueryDemand, name: &str) -> Result<Self, TooLarge> {
        if let Some((_, value)) = query.literals.iter().find(|(known, _)| **known == *name) {
            let set = Dfa::words([&**value])?;
            return Ok(Self { may_be_absent: false, set: Some(Arc::new(set)), check: None });
        }
        let Some(param) = query.params.iter().find(|param| *param.name == *name) else { return Ok(Self::FREE) };
        let check = &param.check;
        let set = match check.ruled_set() {
            None => None,
            // An optional value that is left empty counts as absent.
            Some(set) if !param.is_required => Some(Arc::new(set.with_empty()?)),
            Some(_) => Some(check.set()),
        };
        Ok(Self { may_be_absent: !param.is_required, set, check: Some(Arc::clone(check)) })
    }

    fn list(&self) -> Option<&str> {
        self.check.as_ref()?.list.as_deref()
    }

    /// Are its values named one by one?
    fn is_choice(&self) -> bool {
        self.check.as_ref().map_or(self.set.is_some(), |check| check.is_choice)
    }

    fn is_sure(&self) -> bool {
        self.check.as_ref().is_none_or(|check| check.certainty() == Certainty::Exact)
    }
}

/// What two demanded queries have to do with each other as sets.
struct Shared {
    left_in_right: bool,
    right_in_left: bool,
    /// Do both ask a live list for one name, and not the same?
    is_asked: bool,
    is_sure: bool,
    /// A query that both accept, by names and values.
    witness: Vec<(String, Vec<u8>)>,
}

/// Compares the queries that two routes demand, name by name; `None` where no query meets both.
fn share(left: &QueryDemand, right: &QueryDemand) -> Result<Option<Shared>, TooLarge> {
    let names: BTreeSet<&str> = [left, right]
        .into_iter()
        .flat_map(|query| {
            query.literals.iter().map(|(name, _)| &**name).chain(query.params.iter().map(|param| &*param.name))
        })
        .collect();
    let (mut left_in_right, mut right_in_left, mut is_asked, mut all_sure) = (true, true, false, true);
    let mut witness = Vec::new();
    for name in names {
        let (a, b) = (Asked::of(left, name)?, Asked::of(right, name)?);
        let values = match (&a.set, &b.set) {
            (None, None) => Comparison { only_left: None, only_right: None, both: Some(b"x".to_vec()) },
            // Any value, also an empty one, is more than any rule accepts.
            (Some(set), None) => Comparison { only_left: None, only_right: Some(Vec::new()), both: set.shortest() },
            (None, Some(set)) => Comparison { only_left: Some(Vec::new()), only_right: None, both: set.shortest() },
            (Some(a), Some(b)) => a.compare(b)?,
        };
        let can_be_absent = a.may_be_absent && b.may_be_absent;
        if values.both.is_none() && !can_be_absent {
            return Ok(None);
        }
        let by_sets = by_inclusion(values.only_left.is_none(), values.only_right.is_none());
        let narrower = by_lists((a.list(), a.is_choice()), (b.list(), b.is_choice()), by_sets);
        left_in_right &= matches!(narrower, Narrower::Left | Narrower::Same) && (b.may_be_absent || !a.may_be_absent);
        right_in_left &= matches!(narrower, Narrower::Right | Narrower::Same) && (a.may_be_absent || !b.may_be_absent);
        is_asked |= narrower == Narrower::LeftAsked;
        all_sure &= a.is_sure() && b.is_sure();
        if !can_be_absent {
            witness.push((name.to_owned(), values.both.unwrap_or_default()));
        }
    }
    Ok(Some(Shared { left_in_right, right_in_left, is_asked, is_sure: all_sure, witness }))
}

/// Compares the queries that two routes demand; the witness is a query that both accept.
pub(super) fn queries(left: &QueryDemand, right: &QueryDemand) -> Result<Relation, TooLarge> {
    let Some(Shared { left_in_right, right_in_left, is_asked, is_sure, witness }) = share(left, right)? else {
        return Ok(Relation::Disjoint);
    };
    // Where neither holds the other, a literal query goes before none, then a required parameter before none.
    let asks = |query: &QueryDemand| (!query.literals.is_empty(), query.params.iter().any(|param| param.is_required));
    let narrower = match by_inclusion(left_in_right, right_in_left) {
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
    let mut query = String::new();
    for (name, value) in witness {
        query.push(if query.is_empty() { '?' } else { '&' });
        crate::template::percent::encode_unreserved(&mut query, &name);
        query.push('=');
        crate::template::percent::encode_unreserved(&mut query, &String::from_utf8_lossy(&value));
    }
    Ok(Relation::Shared { narrower, witness: query, is_sure })
}

/// A way through a path, for the comparison of whole paths.
#[derive(Debug, Clone)]
pub(super) struct Way {
    pub(super) segments: Vec<Vec<Piece>>,
    /// The tail, and what one of its segments is.
    pub(super) tail: Option<(TailKind, Arc<Check>)>,
}

/// The set of whole paths, their segments each after a [`SEPARATOR`].
pub(super) fn paths(ways: &[Way]) -> Result<Dfa, TooLarge> {
    let mut alternatives = Vec::new();
    for way in ways {
        let mut path = Vec::new();
        for segment in &way.segments {
            path.push(Atom::Byte(SEPARATOR));
            path.extend(atoms(segment));
        }
        path.extend(way.tail.as_ref().map(tail).transpose()?.into_iter().flatten());
        alternatives.push(path);
    }
    sequence(&alternatives)
}

/// The segments of a tail.
fn tail((kind, check): &(TailKind, Arc<Check>)) -> Result<Vec<Atom>, TooLarge> {
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

/// What a pattern accepts as a segment of a URL.
pub(crate) fn segment_set(pattern: &Pattern) -> Result<Arc<Dfa>, TooLarge> {
    Ok(known(&pattern.pieces, DOTS)?.set)
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
    path.extend(rest.map(tail).transpose()?.into_iter().flatten());
    sequence(&[path])
}

/// Does one route accept every host and query that another does?
pub(crate) fn is_within(inner: &Route, outer: &Route) -> Result<bool, TooLarge> {
    let holds = |relation: Relation| match relation {
        Relation::Disjoint => false,
        Relation::Shared { narrower, is_sure, .. } => is_sure && matches!(narrower, Narrower::Left | Narrower::Same),
    };
    let by_host = outer.host.is_none() || holds(hosts(inner.host.as_deref(), outer.host.as_deref())?);
    if !by_host || outer.query.is_empty() {
        return Ok(by_host);
    }
    Ok(share(&inner.query, &outer.query)?.is_some_and(|shared| shared.left_in_right && shared.is_sure))
}

/// A host and a query that a route accepts: the least that it demands, empty where it demands none.
pub(crate) fn demanded(route: &Route) -> Result<(String, String), TooLarge> {
    let witness = |relation| match relation {
        Relation::Disjoint => String::new(),
        Relation::Shared { witness, .. } => witness,
    };
    Ok((witness(hosts(route.host.as_deref(), None)?), witness(queries(&route.query, &route.query)?)))
}

/// Compares two sets of whole paths; the witness is a path that both accept.
pub(super) fn compare_paths(left: &Dfa, right: &Dfa) -> Result<Relation, TooLarge> {
    let Comparison { only_left, only_right, both } = left.compare(right)?;
    let Some(both) = both else { return Ok(Relation::Disjoint) };
    let mut witness = String::new();
    for segment in both.split(|&byte| byte == SEPARATOR).skip(1) {
        witness.push('/');
        crate::template::percent::encode_unreserved(&mut witness, &String::from_utf8_lossy(segment));
    }
    let narrower = by_inclusion(only_left.is_none(), only_right.is_none());
    Ok(Relation::Shared { narrower, witness: if witness.is_empty() { "/".to_owned() } else { witness }, is_sure: true })
}
