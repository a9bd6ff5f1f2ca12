//! The ways through the paths of a built table, as words and as sets of paths.
//!
//! What is asked of whole tables (is a route ever reached, what has become of an address) is asked of sets: all paths
//! of one way are split by which other ways accept them, and each part is represented by its shortest path.

use std::cell::RefCell;
use std::sync::Arc;

use hashbrown::{HashMap, HashSet};

pub(super) use crate::compile::path_of;
use crate::compile::{demanded, segment_set, way_set};
use crate::lookup::{Affix, Frozen, LeafId, NodeId, Param, Route, RouteId, TailKind};
use crate::rule::{Certainty, Classes, Dfa, MOST_STATES, SEPARATOR, TEXT, TooLarge, ValueSet, way_to, work};

/// What a segment is.
#[derive(Debug, Clone)]
pub(super) enum Word<'t> {
    Literal(&'t str),
    /// The texts that a pattern accepts.
    Set(Arc<Dfa>),
}

/// A way through the path of a route. Where it has a tail, the last word stands for each of its segments.
#[derive(Debug, Clone, Copy)]
pub(super) struct Way<'t> {
    pub(super) leaf: LeafId,
    pub(super) route: RouteId,
    pub(super) words: &'t [Word<'t>],
    tail: Option<(TailKind, &'t Param)>,
    /// How far the set tells what the way accepts.
    pub(super) certainty: Certainty,
}

/// What is noted of a way: where its words stand among those of all.
#[derive(Debug, Clone, Copy)]
struct Note {
    first: u32,
    words: u16,
    certainty: Certainty,
}

/// All ways of a table.
#[derive(Debug)]
pub(super) struct Ways<'t> {
    pub(super) frozen: &'t Frozen,
    /// By the number of their leaf. Those of a route stand together, in the order of the routes.
    all: Vec<Note>,
    words: Vec<Word<'t>>,
    /// What each pattern accepts, whatever functions and live lists refuse.
    sets: Vec<Arc<Dfa>>,
    /// The paths of ways that were asked for not long ago.
    known: RefCell<Known>,
}

/// Sets of paths, and what they take.
#[derive(Debug, Default)]
struct Known {
    sets: HashMap<LeafId, Arc<Dfa>>,
    bytes: usize,
}

/// How many bytes of sets are kept. Neighbours ask for the same ones, but a whole table would be too much.
const MOST_KNOWN: usize = 16 << 20;

/// How many nodes, literals and ways are looked at to find those that share a path with one.
const MOST_STEPS: usize = 20_000;
/// How many ways one way is compared with at once.
const MOST_RIVALS: usize = 400;

impl<'t> Ways<'t> {
    pub(super) fn of(frozen: &'t Frozen) -> Result<Self, TooLarge> {
        let tree = &frozen.tree;
        let mut sets = Vec::with_capacity(tree.patterns.len());
        for pattern in &tree.patterns {
            sets.push(segment_set(pattern)?);
        }
        let mut all: Vec<Option<Note>> = vec![None; tree.answering];
        let mut all_words = Vec::new();
        // The words that lead to the node at hand, and what is to be looked at: a node, the word that leads there from the one
        // before, and how many words are before that.
        let mut words: Vec<Word<'t>> = Vec::new();
        let mut open: Vec<(NodeId, Option<Word<'t>>, usize, Certainty, bool)> =
            vec![(tree.root(), None, 0, Certainty::Exact, false)];
        while let Some((id, word, depth, certainty, in_tail)) = open.pop() {
            words.truncate(depth);
            words.extend(word);
            let node = tree.node(id);
            for leaf in tree.leaves(node) {
                // The rule of a tail speaks of the whole tail, and so is no part of the pattern of its segments.
                let tail = tail_of(frozen, leaf);
                let rules = tail.iter().flat_map(|(_, param)| [&*param.texts, &*param.check]);
                let of_tail = ValueSet::new(Arc::clone(&TEXT), rules).certainty();
                let first = u32::try_from(all_words.len()).map_err(|_| TooLarge::Numbers)?;
                let count = u16::try_from(words.len()).map_err(|_| TooLarge::Numbers)?;
                all[leaf.0 as usize] = Some(Note { first, words: count, certainty: certainty.max(of_tail) });
                all_words.extend_from_slice(&words);
            }
            if in_tail {
                continue;
            }
            let depth = words.len();
            let literals = tree.literals(node);
            open.extend(literals.map(|(text, child)| (child, Some(Word::Literal(text)), depth, certainty, false)));
            open.extend(tree.edges(node).iter().map(|edge| {
                let set = &sets[edge.pattern.0 as usize];
                let word = Word::Set(Arc::clone(&set.texts));
                (edge.target, Some(word), depth, certainty.max(set.certainty()), edge.is_tail)
            }));
        }
        let all: Vec<Note> = all.into_iter().collect::<Option<_>>().ok_or(TooLarge::Numbers)?;
        let sets = sets.into_iter().map(|set| set.texts).collect();
        Ok(Self { frozen, all, words: all_words, sets, known: RefCell::default() })
    }

    pub(super) fn get(&self, leaf: LeafId) -> Way<'_> {
        let note = self.all[leaf.0 as usize];
        let words = &self.words[note.first as usize..][..usize::from(note.words)];
        let route = self.frozen.tree.leaf(leaf).route;
        Way { leaf, route, words, tail: tail_of(self.frozen, leaf), certainty: note.certainty }
    }

    pub(super) fn all(&self) -> impl Iterator<Item = Way<'_>> {
        (0..).map(LeafId).take(self.all.len()).map(|leaf| self.get(leaf))
    }

    /// The ways of a route.
    pub(super) fn of_route(&self, route: RouteId) -> impl Iterator<Item = Way<'_>> {
        let leaves = &self.frozen.tree.leaves[..self.all.len()];
        let first = leaves.partition_point(|leaf| leaf.route < route);
        let own = leaves[first..].iter().take_while(move |leaf| leaf.route == route);
        (first..).zip(own).filter_map(|(at, _)| Some(self.get(LeafId(u32::try_from(at).ok()?))))
    }

    /// The ways that may share a path with one, which may be of another table; `None` where they are too many.
    pub(super) fn sharing(&self, way: Way<'_>) -> Option<Vec<LeafId>> {
        let tree = &self.frozen.tree;
        let last = way.words.len();
        let mut left = MOST_STEPS;
        let mut found = Vec::new();
        // A node, how many words were read, and whether the rest of the path may be anything.
        let mut open = vec![(tree.root(), 0, false)];
        while let Some((id, at, is_open)) = open.pop() {
            let node = tree.node(id);
            left = left.checked_sub(1)?;
            let begins_tail = way.tail.is_some() && at + 1 >= last;
            let is_open = is_open || begins_tail;
            if at == last || is_open {
                found.extend(tree.leaves(node));
            }
            if at == last && !is_open {
                continue;
            }
            let word = way.words.get(at);
            let start = match word {
                Some(Word::Set(set)) if !is_open => set.common_start(),
                _ => Vec::new(),
            };
            left = left.checked_sub(node.edge_count as usize / 16)?;
            for edge in tree.edges(node) {
                // The node of a tail leads to itself.
                if edge.target == id {
                    continue;
                }
                let fits = match word {
                    Some(Word::Literal(text)) if !is_open => {
                        self.sets[edge.pattern.0 as usize].contains(text.as_bytes())
                    }
                    // What begins with another text has no segment in common.
                    _ => match tree.pattern(edge.pattern).affix() {
                        Some((Affix::Start, text)) => {
                            start.starts_with(text.as_bytes()) || text.as_bytes().starts_with(&start)
                        }
                        _ => true,
                    },
                };
                if fits && edge.is_tail {
                    found.extend(tree.leaves(tree.node(edge.target)));
                } else if fits {
                    open.push((edge.target, (at + 1).min(last), is_open));
                }
            }
            match word {
                Some(Word::Literal(text)) if !is_open => {
                    open.extend(tree.literal(id, text).map(|child| (child, at + 1, false)));
                }
                Some(Word::Set(set)) if !is_open => {
                    left = left.checked_sub(tree.children(node).len())?;
                    let fitting = tree.literals(node).filter(|(text, _)| set.contains(text.as_bytes()));
                    open.extend(fitting.map(|(_, child)| (child, at + 1, false)));
                }
                _ => {
                    left = left.checked_sub(tree.children(node).len())?;
                    open.extend(tree.literals(node).map(|(_, child)| (child, (at + 1).min(last), true)));
                }
            }
        }
        // A look at a node is less than a step.
        work::spend((MOST_STEPS - left) / 4).ok()?;
        found.sort_unstable();
        found.dedup();
        (found.len() <= MOST_RIVALS).then_some(found)
    }

    /// All paths of a way, each segment after a separator.
    pub(super) fn set(&self, way: Way<'_>) -> Result<Arc<Dfa>, TooLarge> {
        if let Some(known) = self.known.borrow().sets.get(&way.leaf) {
            return Ok(Arc::clone(known));
        }
        let words = match way.tail {
            Some(_) => &way.words[..way.words.len() - 1],
            None => way.words,
        };
        let segment = |word: &Word<'_>| match word {
            Word::Literal(text) => Err(text.to_string()),
            Word::Set(set) => Ok(Arc::clone(set)),
        };
        let segments: Vec<_> = words.iter().map(segment).collect();
        let set = Arc::new(way_set(&segments, way.tail)?);
        let mut known = self.known.borrow_mut();
        if known.bytes > MOST_KNOWN {
            *known = Known::default();
        }
        known.bytes += set.heap();
        known.sets.insert(way.leaf, Arc::clone(&set));
        Ok(set)
    }

    /// The address of a path of a route, with a host and a query that the route demands.
    pub(super) fn address(&self, route: &Route, path: &str) -> Option<String> {
        let (host, query) = demanded(route).ok()?;
        let origin = if host.is_empty() { String::new() } else { format!("https://{host}") };
        Some(format!("{origin}{}", self.frozen.site.address(format!("{path}{query}"))))
    }
}

/// What takes the segments at the end of a way.
fn tail_of(frozen: &Frozen, leaf: LeafId) -> Option<(TailKind, &Param)> {
    let leaf = frozen.tree.leaf(leaf);
    let params = &frozen.route(leaf.route).params;
    leaf.tail.map(|tail| (tail.kind, &params[usize::from(tail.param)]))
}

impl Way<'_> {
    /// Whether the other accepts the very same paths, as all its segments are the same.
    pub(super) fn is_alike(&self, other: &Way<'_>) -> bool {
        self.tail.is_none()
            && other.tail.is_none()
            && self.words.len() == other.words.len()
            && self.words.iter().zip(other.words).all(|(one, other)| match (one, other) {
                (Word::Literal(one), Word::Literal(other)) => one == other,
                (Word::Set(one), Word::Set(other)) => Arc::ptr_eq(one, other) || one == other,
                _ => false,
            })
    }

    /// A shortest path, each segment after a separator, where the way has no tail.
    pub(super) fn shortest(&self) -> Option<Vec<u8>> {
        let mut path = Vec::new();
        for word in self.words.iter().filter(|_| self.tail.is_none()) {
            path.push(SEPARATOR);
            match word {
                Word::Literal(text) => path.extend_from_slice(text.as_bytes()),
                Word::Set(set) => path.extend(set.shortest()?),
            }
        }
        self.tail.is_none().then_some(path)
    }
}

/// Is given a shortest text of a part and the others that accept it; says whether it wants more.
pub(super) type Visit<'v> = dyn FnMut(&[u8], &[usize]) -> Result<bool, TooLarge> + 'v;

/// Splits a set by which of the others accept its texts: calls `visit` once for each part, with a shortest text of it
/// and the others that accept it, until it says that it has seen enough.
pub(super) fn split_by(one: &Dfa, others: &[Arc<Dfa>], visit: &mut Visit<'_>) -> Result<(), TooLarge> {
    // Which bytes matter is found out automaton by automaton.
    work::spend(16 * (1 + others.len()))?;
    let classes = Classes::of_all(std::iter::once(one).chain(others.iter().map(|other| &**other)));
    let start: (u32, Box<[u32]>) = (one.start(), others.iter().map(|other| other.start()).collect());
    let mut seen: HashSet<(u32, Box<[u32]>)> = HashSet::from([start.clone()]);
    let mut parts: HashSet<Vec<usize>> = HashSet::new();
    // Each state with the one before it and the byte between.
    let mut states = vec![(start, 0, 0)];
    let mut at = 0;
    while at < states.len() {
        let (state, theirs) = states[at].0.clone();
        if one.is_final(state) {
            let accepting: Vec<usize> =
                (0..others.len()).filter(|&other| others[other].is_final(theirs[other])).collect();
            if !parts.contains(&accepting) {
                let text = way_to(at, &states);
                if !visit(&text, &accepting)? {
                    return Ok(());
                }
                parts.insert(accepting);
            }
        }
        for byte in classes.representatives() {
            let next = one.step(state, byte);
            if Dfa::is_dead(next) {
                continue;
            }
            work::spend(1 + others.len() / 2)?;
            let target = (next, others.iter().zip(&theirs).map(|(other, &state)| other.step(state, byte)).collect());
            if !seen.contains(&target) {
                seen.insert(target.clone());
                states.push((target, at, byte));
            }
        }
        if states.len() > MOST_STATES || states.len() * (others.len() + 1) > 1 << 23 {
            return Err(TooLarge::States);
        }
        at += 1;
    }
    Ok(())
}
