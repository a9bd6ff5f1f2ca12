//! Other forms that a table could be frozen into, to be measured beside the one that was kept. They know literals and
//! plain parameters only, and find the route and the values, no more: no escapes, methods, queries or hosts.

use foldhash::fast::FixedState;
use hashbrown::{HashMap, HashTable};

use crate::tables::{Corpus, Segment};

/// Where the segments of a path begin and end.
type Bounds = [(usize, usize); 16];

/// The route and the places of its values.
pub type Found = (usize, [(usize, usize); 8]);

fn cut(path: &str) -> Option<(Bounds, usize)> {
    let (mut bounds, mut count, mut start) = ([(0, 0); 16], 0, 1);
    for end in memchr::memchr_iter(b'/', path.as_bytes()).skip(1).chain([path.len()]) {
        *bounds.get_mut(count)? = (start, end);
        count += 1;
        start = end + 1;
    }
    Some((bounds, count))
}

/// A map of literals for each node, as one writes it first.
#[derive(Debug, Default)]
pub struct MapPerNode {
    nodes: Vec<MapNode>,
}

#[derive(Debug, Default)]
struct MapNode {
    literals: HashMap<Box<str>, usize, FixedState>,
    param: Option<usize>,
    end: Option<usize>,
}

impl MapPerNode {
    /// Freezes a table.
    #[must_use]
    pub fn new(corpus: &Corpus) -> Self {
        let mut nodes = vec![MapNode::default()];
        for (index, route) in corpus.routes.iter().enumerate() {
            let mut at = 0;
            for segment in route {
                let fresh = nodes.len();
                let next = match segment {
                    Segment::Literal(text) => *nodes[at].literals.entry(text.as_str().into()).or_insert(fresh),
                    Segment::Param(..) => *nodes[at].param.get_or_insert(fresh),
                };
                if next == fresh {
                    nodes.push(MapNode::default());
                }
                at = next;
            }
            nodes[at].end = Some(index);
        }
        Self { nodes }
    }

    /// The narrowest route that answers.
    #[must_use]
    pub fn find(&self, path: &str) -> Option<Found> {
        let (bounds, count) = cut(path)?;
        let mut values = [(0, 0); 8];
        let index = self.below(0, path, &bounds[..count], &mut values, 0)?;
        Some((index, values))
    }

    fn below(
        &self,
        at: usize,
        path: &str,
        bounds: &[(usize, usize)],
        values: &mut [(usize, usize); 8],
        count: usize,
    ) -> Option<usize> {
        let node = &self.nodes[at];
        let Some((&(start, end), rest)) = bounds.split_first() else { return node.end };
        let by_literal = node.literals.get(&path[start..end]);
        if let Some(found) = by_literal.and_then(|&next| self.below(next, path, rest, values, count)) {
            return Some(found);
        }
        let next = node.param.filter(|_| start < end)?;
        *values.get_mut(count)? = (start, end);
        self.below(next, path, rest, values, count + 1)
    }
}

/// One probe for all literals of a path: for each pattern of literals and parameters that routes of so many segments
/// have, the narrower first.
#[derive(Debug, Default)]
pub struct WholeShape {
    /// By the number of segments: which segments are literal, the first one the highest bit.
    shapes: Vec<Vec<u16>>,
    routes: HashTable<ShapedRoute>,
}

#[derive(Debug)]
struct ShapedRoute {
    hash: u64,
    shape: u16,
    index: usize,
    literals: Vec<Option<Box<str>>>,
}

impl WholeShape {
    /// Freezes a table.
    #[must_use]
    pub fn new(corpus: &Corpus) -> Self {
        let mut made = Self { shapes: vec![Vec::new(); 17], routes: HashTable::new() };
        for (index, route) in corpus.routes.iter().enumerate() {
            let literal = |segment: &Segment| match segment {
                Segment::Literal(text) => Some(text.as_str().into()),
                Segment::Param(..) => None,
            };
            let literals: Vec<Option<Box<str>>> = route.iter().map(literal).collect();
            let shape =
                literals.iter().enumerate().fold(0, |shape, (at, text)| shape | (bit(at) * u16::from(text.is_some())));
            let texts = literals.iter().enumerate().filter_map(|(at, text)| Some((at, text.as_deref()?)));
            let hash = texts.fold(seed(shape, route.len()), |hash, (at, text)| hash ^ hash_at(text.as_bytes(), at));
            let known = &mut made.shapes[route.len()];
            if !known.contains(&shape) {
                known.push(shape);
                known.sort_unstable_by(|left, right| right.cmp(left));
            }
            made.routes.insert_unique(hash, ShapedRoute { hash, shape, index, literals }, |route| route.hash);
        }
        made
    }

    /// The narrowest route that answers.
    #[must_use]
    pub fn find(&self, path: &str) -> Option<Found> {
        let (bounds, count) = cut(path)?;
        let mut hashes = [0; 16];
        for (at, &(start, end)) in bounds[..count].iter().enumerate() {
            hashes[at] = hash_at(&path.as_bytes()[start..end], at);
        }
        for &shape in &self.shapes[count] {
            let mut hash = seed(shape, count);
            for (at, one) in hashes[..count].iter().enumerate() {
                if shape & bit(at) != 0 {
                    hash ^= one;
                }
            }
            let is_it = |route: &ShapedRoute| {
                let same = |(text, &(start, end)): (&Option<Box<str>>, &(usize, usize))| match text {
                    Some(text) => **text == path[start..end],
                    None => start < end,
                };
                route.hash == hash
                    && route.shape == shape
                    && route.literals.len() == count
                    && route.literals.iter().zip(&bounds).all(same)
            };
            if let Some(route) = self.routes.find(hash, is_it) {
                let mut values = [(0, 0); 8];
                let params = (0..count).filter(|&at| shape & bit(at) == 0);
                for (value, at) in values.iter_mut().zip(params) {
                    *value = bounds[at];
                }
                return Some((route.index, values));
            }
        }
        None
    }
}

/// What a hash begins with: the shape, and how many segments it has.
fn seed(shape: u16, count: usize) -> u64 {
    u64::from(shape) << 8 | count as u64
}

fn bit(at: usize) -> u16 {
    0x8000 >> at
}

/// The hash of a text at its place in the path: its length and its ends, mixed by one product.
fn hash_at(text: &[u8], at: usize) -> u64 {
    let word = |bytes: &[u8]| bytes.iter().rev().fold(0, |word, &byte| word << 8 | u64::from(byte));
    let (head, tail) = match (text.first_chunk::<8>(), text.last_chunk::<8>()) {
        (Some(first), Some(last)) => (u64::from_le_bytes(*first), u64::from_le_bytes(*last)),
        _ => (word(text), 0),
    };
    let left = head ^ 0x9e37_79b9_7f4a_7c15 ^ (at as u64) << 56;
    let right = tail ^ 0xd6e8_feb8_6659_fd93 ^ (text.len() as u64) << 40;
    let product = u128::from(left) * u128::from(right);
    #[allow(clippy::cast_possible_truncation, reason = "the fold of a hash")]
    let folded = (product >> 64) as u64 ^ product as u64;
    folded
}
