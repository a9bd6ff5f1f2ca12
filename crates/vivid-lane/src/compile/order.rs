//! Which of two is the narrower: queries, hosts, whole paths.
//!
//! Each is compared as a [`ValueSet`]: a query name by name, a host as a whole, a path as all its segments.

use std::cell::RefCell;
use std::collections::BTreeSet;
use std::sync::{Arc, OnceLock};

use hashbrown::HashMap;

use super::resolved::met;
use crate::lookup::{HostMatcher, Param, PathVariant, Pattern, Piece, QueryMatcher, QueryParam, Route, TailKind};
use crate::rule::{
    AMPERSAND, ANYTHING, Atom, Check, Dfa, EQUALS, Join, Many, Narrower, Relation, SEPARATOR, Separator, Shape, TEXT,
    TooLarge, ValueSet, encode_marked, plain, sequence, work,
};

/// What no segment of a URL is.
const DOTS: &[&str] = &[".", ".."];

/// A piece of a sequence.
fn atoms(piece: &Piece) -> Vec<Atom> {
    match piece {
        Piece::Text(text) => text.bytes().map(Atom::Byte).collect(),
        Piece::Value(check) => vec![Atom::Value(check.set())],
    }
}

/// What pieces accept that are one after the other.
pub(super) fn pieces_set(pieces: &[Piece]) -> Result<ValueSet, TooLarge> {
    let rules = pieces.iter().filter_map(Piece::value).map(|check| &**check);
    let texts = match pieces {
        [Piece::Value(check)] => check.set(),
        pieces => Arc::new(sequence(&[pieces.iter().flat_map(atoms).collect()])?.minimised()),
    };
    Ok(ValueSet::new(texts, rules))
}

/// What a pattern accepts as a segment of a URL. No URL has a segment of one or two dots.
pub(crate) fn segment_set(pattern: &Pattern) -> Result<ValueSet, TooLarge> {
    let mut set = pieces_set(&pattern.pieces)?;
    let excluded: Vec<&str> = DOTS.iter().copied().filter(|word| set.texts.contains(word.as_bytes())).collect();
    if !excluded.is_empty() {
        set.texts = Arc::new(set.texts.without(&Dfa::words(excluded)?)?);
    }
    Ok(set)
}

/// What routes demand of hosts and queries, as sets; each made once, however many others it is compared with.
#[derive(Default)]
pub(crate) struct Demands<'r> {
    hosts: RefCell<HashMap<*const HostMatcher, Arc<ValueSet>>>,
    asked: RefCell<HashMap<AskedFor<'r>, Arc<Asked>>>,
}

/// A query, a name, and whether its values are looked at as a sequence.
type AskedFor<'r> = (*const QueryMatcher, &'r str, bool);

impl<'r> Demands<'r> {
    /// What a host may be.
    pub(super) fn host(&self, host: &'r HostMatcher) -> Result<Arc<ValueSet>, TooLarge> {
        let key = std::ptr::from_ref(host);
        if let Some(known) = self.hosts.borrow().get(&key) {
            return Ok(Arc::clone(known));
        }
        let set = Arc::new(pieces_set(&host.pattern.pieces)?);
        self.hosts.borrow_mut().insert(key, Arc::clone(&set));
        Ok(set)
    }

    /// What a query says of a name. Where one of two queries takes all values of the name, both are looked at as sequences of values.
    pub(super) fn asked(
        &self,
        query: &'r QueryMatcher,
        name: &'r str,
        in_sequence: bool,
    ) -> Result<Arc<Asked>, TooLarge> {
        let says = |(known, _): &(Box<str>, Box<str>)| **known == *name;
        let is_told = name == ALL_OTHERS
            || query.literals.iter().any(says)
            || query.params.iter().any(|param| *param.name == *name);
        // Whatever says nothing of a name says the same.
        let key = if is_told { (std::ptr::from_ref(query), name) } else { (std::ptr::null(), "") };
        let key = (key.0, key.1, in_sequence);
        if let Some(known) = self.asked.borrow().get(&key) {
            return Ok(Arc::clone(known));
        }
        let asked = Arc::new(Asked::of(query, name, in_sequence)?);
        self.asked.borrow_mut().insert(key, Arc::clone(&asked));
        Ok(asked)
    }
}

/// Compares the hosts that two routes demand.
pub(super) fn hosts<'r>(
    left: Option<&'r HostMatcher>,
    right: Option<&'r HostMatcher>,
    demands: &Demands<'r>,
) -> Result<Relation, TooLarge> {
    let set = |host: &'r HostMatcher| demands.host(host);
    let shared = |narrower, host: Option<&'r HostMatcher>| {
        let witness = host.map(set).transpose()?.map_or_else(Vec::new, |set| set.example());
        Ok(Relation::Shared { narrower, witness, is_exact: true })
    };
    match (left, right) {
        (None, None) => shared(Narrower::Same, None),
        (Some(_), None) => shared(Narrower::Left, left),
        (None, Some(_)) => shared(Narrower::Right, right),
        (Some(left), Some(right)) => set(left)?.compare(&*set(right)?),
    }
}

/// What a query says of one name, or, under [`ALL_OTHERS`], of all names of which it says nothing else.
pub(super) struct Asked {
    pub(super) may_be_absent: bool,
    pub(super) values: ValueSet,
}

/// No parameter has this name.
const ALL_OTHERS: &str = "*";

impl Asked {
    fn of(query: &QueryMatcher, name: &str, in_sequence: bool) -> Result<Self, TooLarge> {
        if name == ALL_OTHERS {
            return Self::of_others(query);
        }
        let any = Arc::clone(&ANYTHING);
        let more = |set: Arc<Dfa>, min, max| repeated(set, AMPERSAND, min, max);
        if let Some((_, value)) = query.literals.iter().find(|(known, _)| **known == *name) {
            let word = ValueSet::word(value)?;
            if !in_sequence {
                return Ok(Self { may_be_absent: false, values: word });
            }
            let others = more(Arc::clone(&any), 0, u16::MAX);
            let first = [Atom::Value(Arc::clone(&word.texts)), others.clone()];
            let later = [Atom::Value(any), others.clone(), Atom::Byte(AMPERSAND), Atom::Value(word.texts), others];
            let texts = Arc::new(sequence(&[first.to_vec(), later.to_vec()])?);
            return Ok(Self { may_be_absent: false, values: ValueSet::new(texts, []) });
        }
        let Some(param) = query.params.iter().find(|param| *param.name == *name) else {
            let texts = if in_sequence {
                Arc::new(sequence(&[vec![Atom::Value(Arc::clone(&any)), more(any, 0, u16::MAX)]])?)
            } else {
                any
            };
            return Ok(Self { may_be_absent: true, values: ValueSet::new(texts, []) });
        };
        let own = match query_texts(param)? {
            // Any value, an empty one too.
            None => Arc::clone(&any),
            // What is left empty counts as absent.
            Some(set) if !param.is_required || param.is_repeated => Arc::new(set.with_empty()?),
            Some(set) => set,
        };
        let (least, most) = if param.is_repeated { param.check.values.count() } else { (1, u16::MAX) };
        let following = if param.is_repeated { Arc::clone(&own) } else { any };
        let most = if most == u16::MAX { most } else { most.saturating_sub(1) };
        let texts = if in_sequence {
            Arc::new(sequence(&[vec![Atom::Value(own), more(following, least.saturating_sub(1), most)]])?.minimised())
        } else {
            own
        };
        Ok(Self {
            may_be_absent: !param.is_required,
            values: ValueSet::new(texts, [&*param.check]).asking(&param.check),
        })
    }

    fn of_others(query: &QueryMatcher) -> Result<Self, TooLarge> {
        let any = Check::any_of(Shape::Pairs);
        let (check, is_required) = query.rest.as_ref().map_or((&any, false), |rest| (&rest.check, rest.is_required));
        let Many::Pairs { names, values, least, most } = &check.values else { return Err(TooLarge::Numbers) };
        let set = |rule: &Check| match rule.ruled_set() {
            Some(_) => Ok(rule.set()),
            None => Ok(Arc::clone(&ANYTHING)),
        };
        let pair =
            [Atom::Value(Arc::new(set(names)?.without_mark(EQUALS))), Atom::Byte(EQUALS), Atom::Value(set(values)?)];
        let pair = Arc::new(sequence(&[pair.to_vec()])?);
        let most = if *most == u16::MAX { *most } else { most.saturating_sub(1) };
        let more = repeated(Arc::clone(&pair), AMPERSAND, least.saturating_sub(1), most);
        let texts = Arc::new(sequence(&[vec![Atom::Value(pair), more]])?.minimised());
        Ok(Self { may_be_absent: !is_required, values: ValueSet::new(texts, [check]).asking(check) })
    }
}

fn repeated(item: Arc<Dfa>, lead: u8, min: u16, max: u16) -> Atom {
    Atom::Repeat { lead, item, min, max }
}

/// The texts that one value of a parameter of the query may be; `None` where it is any.
pub(crate) fn query_texts(param: &QueryParam) -> Result<Option<Arc<Dfa>>, TooLarge> {
    let ruled = |rule: &Check| rule.ruled_set().map(|_| rule.set());
    match &param.check.values {
        Many::One => Ok(ruled(&param.check)),
        Many::List { items, .. } if param.is_repeated => Ok(ruled(items)),
        _ if param.takes_any() => Ok(None),
        values => {
            let join = Join { separator: Separator::Comma, is_named: false, shape: param.check.shape() };
            join.set(values).map(|set| Some(Arc::new(set)))
        }
    }
}

/// What two demanded queries have to do with each other as sets.
struct Shared {
    left_in_right: bool,
    right_in_left: bool,
    /// Whether both ask a live list for one name, and not the same.
    is_asked: bool,
    is_exact: bool,
    /// A query that both accept, by names and values.
    witness: Vec<(String, String)>,
}

/// The names of which one of two queries says something.
pub(super) fn query_names<'q>(left: &'q QueryMatcher, right: &'q QueryMatcher) -> BTreeSet<&'q str> {
    let of = |query: &'q QueryMatcher| {
        let others = query.rest.iter().filter(|rest| !rest.takes_any()).map(|_| ALL_OTHERS);
        let params = query.params.iter().map(|param| &*param.name);
        query.literals.iter().map(|(name, _)| &**name).chain(params).chain(others)
    };
    of(left).chain(of(right)).collect()
}

/// Whether a query takes all values of a name.
pub(super) fn takes_all(query: &QueryMatcher, name: &str) -> bool {
    query.params.iter().any(|param| param.is_repeated && *param.name == *name)
}

/// Compares the queries that two routes demand, name by name; `None` where no query meets both.
fn share<'r>(
    left: &'r QueryMatcher,
    right: &'r QueryMatcher,
    demands: &Demands<'r>,
) -> Result<Option<Shared>, TooLarge> {
    let names = query_names(left, right);
    let mut shared =
        Shared { left_in_right: true, right_in_left: true, is_asked: false, is_exact: true, witness: Vec::new() };
    for name in names {
        let in_sequence = takes_all(left, name) || takes_all(right, name);
        let (a, b) = (demands.asked(left, name, in_sequence)?, demands.asked(right, name, in_sequence)?);
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
pub(super) fn queries<'r>(
    left: &'r QueryMatcher,
    right: &'r QueryMatcher,
    demands: &Demands<'r>,
) -> Result<Relation, TooLarge> {
    let shared = share(left, right, demands)?;
    let Some(Shared { left_in_right, right_in_left, is_asked, is_exact, witness }) = shared else {
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
    let mut add = |name: &str, value: &str| {
        query.push(if query.is_empty() { '?' } else { '&' });
        encode_marked(&mut query, name);
        query.push('=');
        encode_marked(&mut query, value);
    };
    for (name, values) in pairs {
        for value in values.split(char::from(AMPERSAND)) {
            match value.split_once(char::from(EQUALS)).filter(|_| name == ALL_OTHERS) {
                Some((name, value)) => add(name, value),
                None => add(name, value),
            }
        }
    }
    query
}

/// The least query that meets what is demanded; empty where nothing is.
pub(super) fn least_query(query: &QueryMatcher) -> Result<String, TooLarge> {
    Ok(match queries(query, query, &Demands::default())? {
        Relation::Disjoint => String::new(),
        Relation::Shared { witness, .. } => text(&witness),
    })
}

/// The set of whole paths of a route, their segments each after a [`SEPARATOR`].
pub(super) fn paths(variants: &[PathVariant], params: &[Param]) -> Result<Dfa, TooLarge> {
    let rule = |param: u16| &params[usize::from(param)].texts;
    let mut alternatives = Vec::new();
    for variant in met(variants, params) {
        let mut path = Vec::new();
        for segment in &variant.segments {
            path.push(Atom::Byte(SEPARATOR));
            path.extend(segment.iter().flat_map(|piece| atoms(&piece.map(|param| Arc::clone(rule(*param))))));
        }
        if let Some((param, kind)) = variant.tail {
            path.extend(tail(kind, &params[usize::from(param)])?);
        }
        alternatives.push(path);
    }
    sequence(&alternatives)
}

/// The set of whole paths of a route whose only way has these segments, which are patterns or literals.
pub(super) fn plain_paths<'s>(segments: impl Iterator<Item = Result<&'s Pattern, &'s str>>) -> Result<Dfa, TooLarge> {
    let mut path = Vec::new();
    for segment in segments {
        path.push(Atom::Byte(SEPARATOR));
        match segment {
            Ok(pattern) => path.extend(pattern.pieces.iter().flat_map(atoms)),
            Err(text) => path.extend(text.bytes().map(Atom::Byte)),
        }
    }
    sequence(&[path])
}

/// The segments of a tail.
fn tail(kind: TailKind, param: &Param) -> Result<Vec<Atom>, TooLarge> {
    Ok(match kind {
        TailKind::Items => {
            let (least, most) = param.check.values.count();
            vec![repeated(param.texts.set(), SEPARATOR, least.max(1), most)]
        }
        TailKind::Rest if param.texts.is_any() => vec![repeated(Arc::clone(&TEXT), SEPARATOR, 1, u16::MAX)],
        TailKind::Rest => vec![Atom::Byte(SEPARATOR), Atom::Value(Arc::new(param.texts.set().cut_at_slashes()?))],
    })
}

/// The segments of a tail that a link can write, which are those that it accepts. Which route is the narrower is a matter of
/// what their rules say, not of this: `/x/{id}` goes before `/x/{+tail}`, though an id may hold an escaped slash.
fn writable_tail(kind: TailKind, param: &Param) -> Result<Vec<Atom>, TooLarge> {
    if kind == TailKind::Items {
        return tail(kind, param);
    }
    let any = repeated(writable_segment()?, SEPARATOR, 1, u16::MAX);
    if param.texts.is_any() {
        return Ok(vec![any]);
    }
    let ruled = sequence(&[tail(kind, param)?])?;
    Ok(vec![Atom::Value(Arc::new(ruled.and(&sequence(&[vec![any]])?)?))])
}

/// What a segment of `{+tail}` can be: nothing that ends a path, no escape, no dots.
fn writable_segment() -> Result<Arc<Dfa>, TooLarge> {
    static SEGMENT: OnceLock<Arc<Dfa>> = OnceLock::new();
    if let Some(known) = SEGMENT.get() {
        return Ok(Arc::clone(known));
    }
    let made = work::for_all(|| {
        let marks = Dfa::holding("[/?#]|%[0-9a-fA-F]{2}")?;
        TEXT.without(&marks)?.without(&Dfa::words(DOTS.iter().copied())?).map(Dfa::minimised)
    })?;
    Ok(Arc::clone(SEGMENT.get_or_init(|| Arc::new(made))))
}

/// The paths of one way: segments that are sets or literal, and perhaps a tail.
pub(crate) fn way_set(
    segments: &[Result<Arc<Dfa>, String>],
    rest: Option<(TailKind, &Param)>,
) -> Result<Dfa, TooLarge> {
    let mut path = Vec::new();
    for segment in segments {
        path.push(Atom::Byte(SEPARATOR));
        match segment {
            Ok(set) => path.push(Atom::Value(Arc::clone(set))),
            Err(text) => path.extend(text.bytes().map(Atom::Byte)),
        }
    }
    if let Some((kind, param)) = rest {
        path.extend(writable_tail(kind, param)?);
    }
    sequence(&[path])
}

/// Whether one route accepts every host and query that another does.
pub(crate) fn is_within<'r>(inner: &'r Route, outer: &'r Route, demands: &Demands<'r>) -> Result<bool, TooLarge> {
    let holds = |relation: Relation| match relation {
        Relation::Disjoint => false,
        Relation::Shared { narrower, is_exact, .. } => is_exact && matches!(narrower, Narrower::Left | Narrower::Same),
    };
    let (own, other) = (inner.extras.host.as_deref(), outer.extras.host.as_deref());
    let by_host = other.is_none() || holds(hosts(own, other, demands)?);
    if !by_host || outer.extras.query.is_empty() {
        return Ok(by_host);
    }
    let shared = share(&inner.extras.query, &outer.extras.query, demands)?;
    Ok(shared.is_some_and(|shared| shared.left_in_right && shared.is_exact))
}

/// A host and a query that a route accepts: the least that it demands, empty where it demands none.
pub(crate) fn demanded(route: &Route) -> Result<(String, String), TooLarge> {
    let witness = |relation| match relation {
        Relation::Disjoint => String::new(),
        Relation::Shared { witness, .. } => text(&witness),
    };
    Ok((witness(hosts(route.extras.host.as_deref(), None, &Demands::default())?), least_query(&route.extras.query)?))
}

/// A witness as it is shown.
pub(super) fn shown(witness: &[u8]) -> String {
    plain(&text(witness))
}

/// A witness as text, in which there may be marks. Rules let nothing through that is not UTF-8.
pub(super) fn text(witness: &[u8]) -> String {
    String::from_utf8_lossy(witness).into_owned()
}

/// A path of a set of whole paths, as a URL has it.
pub(crate) fn path_of(word: &[u8]) -> String {
    let mut path = String::new();
    for segment in word.split(|&byte| byte == SEPARATOR).skip(1) {
        path.push('/');
        encode_marked(&mut path, &text(segment));
    }
    if path.is_empty() { "/".to_owned() } else { path }
}
