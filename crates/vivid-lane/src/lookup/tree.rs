//! The tree of segments, packed into a few arrays.
//!
//! All literals of all nodes stand in one hash table: the slot of a literal is found from its text and from
//! the node that it follows, and the slot *is* the node that it leads to. So a literal segment costs one look
//! into one array. Nodes that a pattern leads to stand behind the table, and are known by their index.

use std::borrow::Cow;

use hashbrown::HashMap;
use smallvec::SmallVec;

use super::pattern::{Pattern, PatternId, Quick};
use super::route::{PageId, RouteId};
use crate::rule::{Narrower, TooLarge};

/// The index of a node.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct NodeId(pub(crate) u32);

/// The index of a leaf.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct LeafId(pub(crate) u32);

/// What all routes of a table accept, segment by segment.
///
/// Every node but those of a tail is reached by exactly one way from the root; the node of a tail has one
/// edge, to itself. So a walk meets a node at most once for each segment, and cannot blow up.
#[derive(Debug, Default)]
pub(crate) struct Tree {
    /// First the slots of the hash table, then the nodes that patterns lead to; the root is the last.
    pub(crate) nodes: Box<[Node]>,
    /// The number of slots.
    pub(crate) slots: u32,
    /// The texts of all literals.
    pub(crate) text: Box<str>,
    /// For each node, the nodes that its literals lead to.
    pub(crate) children: Box<[NodeId]>,
    pub(crate) edges: Box<[Edge]>,
    /// What is left to try where a walk has come to nothing.
    pub(crate) branches: Box<[Branch]>,
    /// For each node, what ends there.
    pub(crate) leaf_ids: Box<[LeafId]>,
    /// First those that answer URLs, then those of areas.
    pub(crate) leaves: Box<[Leaf]>,
    /// How many leaves answer URLs.
    pub(crate) answering: usize,
    /// What covers a URL that goes on from a node, beside what ends there: groups, and what stands before a tail.
    pub(crate) areas: HashMap<NodeId, Box<[LeafId]>>,
    pub(crate) steps: Box<[SegmentStep]>,
    pub(crate) captures: Box<[Capture]>,
    pub(crate) covers: Box<[Cover]>,
    /// Where letter case does not count: the literals as routes declare them, by leaf and segment.
    pub(crate) spelling: HashMap<(LeafId, u16), Box<str>>,
    pub(crate) patterns: Vec<Pattern>,
    pub(crate) order: Order,
    /// Does letter case not count in literals? Then their keys are in small letters.
    pub(crate) folds: bool,
}

/// A stretch of one of the arrays of a tree.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Stretch {
    pub(crate) start: u32,
    pub(crate) count: u32,
}

impl Stretch {
    /// All that an array has from a place on.
    pub(crate) fn from<T>(start: usize, all: &[T]) -> Result<Self, TooLarge> {
        let narrow = |number: usize| u32::try_from(number).map_err(|_| TooLarge::Numbers);
        Ok(Self { start: narrow(start)?, count: narrow(all.len() - start)? })
    }

    #[inline]
    pub(crate) fn of<T>(self, all: &[T]) -> &[T] {
        &all[self.start as usize..self.start as usize + self.count as usize]
    }
}

/// Where a walk stands after some segments, and the literal that led there. One line of a cache holds it.
#[derive(Debug, Clone, Copy)]
#[repr(align(64))]
pub(crate) struct Node {
    head: u64,
    tail: u64,
    length: u32,
    /// The node before; no node's number for a slot that is empty.
    parent: NodeId,
    /// Where the text of the literal begins.
    pub(crate) text: u32,
    pub(crate) children: Stretch,
    /// The narrower before the wider.
    pub(crate) edges: Stretch,
    pub(crate) leaves: Stretch,
    /// Of two ways that accept a common segment, is the earlier always the narrower? Then the first way that
    /// leads to a leaf is the right one.
    pub(crate) is_ordered: bool,
    /// Is the node ordered, and does its literal stand in a URL as it is, without an escape?
    pub(crate) is_usual: bool,
    /// Whether a query parameter can affect which route matches here.
    pub(crate) asks_query: bool,
    /// What a `GET` without a query comes to: a leaf, or the sentinel `NOTHING` or `UNSURE`.
    get: u32,
    /// The branch to try next where nothing that follows the node accepts a URL. No branch has the number of none.
    pub(crate) resume: u32,
}

/// What is left to try of a node, once one way on has come to nothing. As every node is reached in one way only, it is
/// known when the tree is packed, and a walk has nothing to remember.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Branch {
    /// The segment.
    pub(crate) at: u32,
    /// The edges to try.
    pub(crate) edges: Stretch,
    /// The branch to try after it.
    pub(crate) next: u32,
}

impl Branch {
    /// No branch.
    pub(crate) const NONE: u32 = u32::MAX;
}

const NOTHING: u32 = u32::MAX;
const UNSURE: u32 = u32::MAX - 1;

/// What a lookup that ends at a node comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Outcome {
    Ends(LeafId),
    Nothing,
    /// That depends on what else is asked.
    Unsure,
}

impl Node {
    /// The node that a literal leads to.
    pub(crate) fn after(parent: NodeId, key: LiteralKey, text: u32) -> Self {
        Self { head: key.head, tail: key.tail, length: key.length, parent, text, ..Self::EMPTY }
    }

    /// Is this the slot of a literal after a node? Where the key is partial, its text must be compared too.
    #[inline]
    pub(super) fn is_after(&self, parent: NodeId, key: LiteralKey) -> bool {
        self.head == key.head && self.tail == key.tail && self.length == key.length && self.parent == parent
    }

    /// What a `GET` comes to that ends here.
    #[inline]
    pub(crate) fn outcome(&self, has_query: bool) -> Outcome {
        match self.get {
            _ if has_query && self.asks_query => Outcome::Unsure,
            NOTHING => Outcome::Nothing,
            UNSURE => Outcome::Unsure,
            leaf => Outcome::Ends(LeafId(leaf)),
        }
    }

    pub(crate) fn set_outcome(&mut self, get: Outcome) {
        self.get = match get {
            Outcome::Ends(LeafId(leaf)) => leaf,
            Outcome::Nothing => NOTHING,
            Outcome::Unsure => UNSURE,
        };
    }

    /// Is this a slot without a literal?
    pub(crate) fn is_vacant(&self) -> bool {
        self.parent.0 == u32::MAX
    }

    pub(crate) const EMPTY: Self = Self {
        head: 0,
        tail: 0,
        length: 0,
        parent: NodeId(u32::MAX),
        text: 0,
        children: Stretch { start: 0, count: 0 },
        edges: Stretch { start: 0, count: 0 },
        leaves: Stretch { start: 0, count: 0 },
        is_ordered: true,
        is_usual: true,
        asks_query: false,
        get: NOTHING,
        resume: Branch::NONE,
    };
}

/// A text by its ends and its length: all of it, up to 16 bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct LiteralKey {
    head: u64,
    tail: u64,
    length: u32,
    /// A hash of what lies between, where the key does not hold all of its text; else nothing.
    between: u64,
}

impl LiteralKey {
    pub(crate) fn of(text: &[u8]) -> Self {
        let word = |bytes: &[u8]| bytes.iter().rev().fold(0, |word, &byte| word << 8 | u64::from(byte));
        // Texts are far shorter than 2^32 bytes.
        let length = u32::try_from(text.len()).unwrap_or(u32::MAX);
        match text.last_chunk::<8>() {
            Some(last) => Self::new(word(&text[..8]), word(last), length).with_rest(text),
            None => Self::new(word(text), 0, length),
        }
    }

    /// A key by the first eight bytes of a text, its last eight, if it has as many, and its length.
    #[inline]
    pub(super) fn new(head: u64, tail: u64, length: u32) -> Self {
        Self { head, tail, length, between: 0 }
    }

    /// The same key with the hash of what it does not hold of its text, so that long literals with the same ends do not
    /// all ask for one slot.
    #[inline]
    pub(super) fn with_rest(self, text: &[u8]) -> Self {
        if self.is_partial() { Self { between: hashed(text), ..self } } else { self }
    }

    /// Does the key not hold all of its text?
    pub(super) fn is_partial(self) -> bool {
        self.length > 16
    }

    /// The slot in which the search for a literal after a node begins. The product of two words mixes all bits
    /// of both; its halves are folded into one.
    #[inline]
    pub(crate) fn slot(self, parent: NodeId, slots: u32) -> u32 {
        let left = self.head ^ 0x9e37_79b9_7f4a_7c15 ^ u64::from(parent.0);
        let right = self.tail ^ 0xd6e8_feb8_6659_fd93 ^ self.between;
        let product = u128::from(left) * u128::from(right);
        #[allow(clippy::cast_possible_truncation, reason = "the fold of a hash")]
        let folded = (product >> 64) as u64 ^ product as u64;
        // A number below 2^32, brought below the number of slots.
        #[allow(clippy::cast_possible_truncation, reason = "the product is below the number of slots")]
        let slot = (((folded >> 32) * u64::from(slots)) >> 32) as u32;
        slot
    }
}

/// A hash of a long text.
#[inline(never)]
fn hashed(text: &[u8]) -> u64 {
    let mix = |hash: u64, word: u64| (hash ^ word).wrapping_mul(0x9e37_79b9_7f4a_7c15).rotate_left(29);
    let (words, rest) = text.as_chunks::<8>();
    let hash = words.iter().fold(text.len() as u64, |hash, word| mix(hash, u64::from_le_bytes(*word)));
    rest.iter().fold(hash, |hash, &byte| mix(hash, u64::from(byte)))
}

/// A way on for segments that are no literal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Edge {
    pub(crate) pattern: PatternId,
    /// How its pattern is asked first.
    pub(crate) quick: Quick,
    pub(crate) target: NodeId,
    /// Does it lead to a tail, which goes on accepting segments?
    pub(crate) is_tail: bool,
}

/// A way through the path of a route, from its first segment to its last.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Leaf {
    pub(crate) route: RouteId,
    /// What each segment is; a tail is the last.
    pub(crate) steps: Stretch,
    /// For each level of the route's chain, where the part that it covers ends.
    pub(crate) covers: Stretch,
    pub(crate) captures: Stretch,
    pub(crate) tail: Option<Tail>,
    /// Does it accept every URL that leads to it, whatever the host, the query and the length of its tail?
    pub(crate) is_free: bool,
    /// Has the route no parameters but some of the path's segments, as a whole and in their order?
    pub(crate) is_simple: bool,
    /// Does the route read so many query parameters that their places are worked out at once?
    pub(crate) reads_much: bool,
    /// The page, where it is shown to whoever asks, with no more to look at than a URL in its normal form.
    pub(crate) open_page: Option<PageId>,
}

/// What a segment must be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum SegmentStep {
    Literal,
    Pattern(PatternId),
}

/// The end of a level: so many segments, and of the last one so many pieces (`None` for all of it).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Cover {
    pub(crate) segments: u16,
    pub(crate) pieces: Option<u16>,
    /// Does the level own the tail?
    pub(crate) has_tail: bool,
}

/// Where the value of a parameter stands: which piece of which segment.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Capture {
    /// The index of the parameter in its route.
    pub(crate) param: u16,
    pub(crate) segment: u16,
    pub(crate) piece: u16,
    /// Is the value the whole segment?
    pub(crate) is_whole: bool,
}

/// The segments at the end of a path that one parameter takes.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Tail {
    /// The index of the parameter in its route, which has the rule.
    pub(crate) param: u16,
    pub(crate) kind: TailKind,
}

/// How a tail is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum TailKind {
    /// `{/path*}`: a list, whose rule speaks of each segment.
    Items,
    /// `{+tail}`: one value that may hold slashes, whose rule speaks of the whole.
    Rest,
}

/// What is known of pairs, worked out when the table was built.
#[derive(Debug, Default)]
pub(crate) struct Order {
    /// Pairs of patterns that accept a common segment, the lower number first.
    pub(crate) patterns: HashMap<(PatternId, PatternId), Narrower>,
    /// Pairs of leaves whose segments do not decide, the lower number first.
    pub(crate) leaves: HashMap<(LeafId, LeafId), Narrower>,
    /// Patterns that accept one text only, and so are no wider than a literal.
    pub(crate) single: Vec<bool>,
}

/// Looks up a symmetric pair.
fn pair<K: Ord + Copy + std::hash::Hash>(map: &HashMap<(K, K), Narrower>, left: K, right: K) -> Option<Narrower> {
    if left <= right {
        map.get(&(left, right)).copied()
    } else {
        map.get(&(right, left)).copied().map(Narrower::flipped)
    }
}

impl Order {
    pub(crate) fn steps(&self, left: SegmentStep, right: SegmentStep) -> Narrower {
        let against_literal = |pattern: PatternId, narrower| {
            if self.single[pattern.0 as usize] { Narrower::Same } else { narrower }
        };
        match (left, right) {
            (SegmentStep::Literal, SegmentStep::Literal) => Narrower::Same,
            (SegmentStep::Literal, SegmentStep::Pattern(pattern)) => against_literal(pattern, Narrower::Left),
            (SegmentStep::Pattern(pattern), SegmentStep::Literal) => against_literal(pattern, Narrower::Right),
            (SegmentStep::Pattern(left), SegmentStep::Pattern(right)) if left == right => Narrower::Same,
            (SegmentStep::Pattern(left), SegmentStep::Pattern(right)) => {
                pair(&self.patterns, left, right).unwrap_or(Narrower::Neither)
            }
        }
    }

    /// The first segment where two ways differ decides; where none does, what was worked out for the pair.
    pub(crate) fn compare(&self, tree: &Tree, left: LeafId, right: LeafId, segments: usize) -> Narrower {
        for at in 0..segments {
            let (Some(left), Some(right)) = (tree.step(left, at), tree.step(right, at)) else { break };
            match self.steps(left, right) {
                Narrower::Same => {}
                decided => return decided,
            }
        }
        pair(&self.leaves, left, right).unwrap_or(Narrower::Neither)
    }
}

/// A literal without its letter case.
pub(crate) fn folded(text: &str) -> Cow<'_, str> {
    if text.bytes().any(|byte| byte.is_ascii_uppercase() || !byte.is_ascii()) {
        Cow::Owned(text.to_lowercase())
    } else {
        Cow::Borrowed(text)
    }
}

/// Endings that accept a URL; a set that is hardly ever larger than one.
pub(crate) type Accepted = SmallVec<[LeafId; 4]>;

impl Tree {
    pub(crate) fn root(&self) -> NodeId {
        // A tree has at least its root, and fewer than 2^32 nodes.
        NodeId(u32::try_from(self.nodes.len()).unwrap_or(u32::MAX).saturating_sub(1))
    }

    pub(crate) fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }

    pub(crate) fn leaf(&self, id: LeafId) -> &Leaf {
        &self.leaves[id.0 as usize]
    }

    pub(crate) fn pattern(&self, id: PatternId) -> &Pattern {
        &self.patterns[id.0 as usize]
    }

    pub(crate) fn edges(&self, node: &Node) -> &[Edge] {
        node.edges.of(&self.edges)
    }

    pub(crate) fn leaves(&self, node: &Node) -> &[LeafId] {
        node.leaves.of(&self.leaf_ids)
    }

    pub(crate) fn steps(&self, leaf: &Leaf) -> &[SegmentStep] {
        leaf.steps.of(&self.steps)
    }

    pub(crate) fn captures(&self, leaf: &Leaf) -> &[Capture] {
        leaf.captures.of(&self.captures)
    }

    pub(crate) fn covers(&self, leaf: &Leaf) -> &[Cover] {
        leaf.covers.of(&self.covers)
    }

    /// What the segment of that index must be; past the last, what the tail goes on accepting.
    pub(crate) fn step(&self, id: LeafId, at: usize) -> Option<SegmentStep> {
        let leaf = self.leaf(id);
        let steps = self.steps(leaf);
        steps.get(at).or(steps.last().filter(|_| leaf.tail.is_some())).copied()
    }

    /// The literal of a leaf as its route declares it.
    pub(crate) fn spelling(&self, id: LeafId, segment: usize) -> Option<&str> {
        let segment = u16::try_from(segment).ok()?;
        self.spelling.get(&(id, segment)).map(|text| &**text)
    }

    /// The literals that follow a node, in the order of the alphabet, and where they lead.
    pub(crate) fn literals(&self, node: &Node) -> impl ExactSizeIterator<Item = (&str, NodeId)> {
        node.children.of(&self.children).iter().map(|&child| (self.text_of(self.node(child)), child))
    }

    pub(super) fn text_of(&self, node: &Node) -> &str {
        &self.text[node.text as usize..node.text as usize + node.length as usize]
    }

    /// The way on for a literal segment.
    pub(crate) fn literal(&self, id: NodeId, node: &Node, text: &str) -> Option<NodeId> {
        if node.children.count == 0 {
            return None;
        }
        if self.folds { self.slot_of(id, &folded(text)) } else { self.slot_of(id, text) }
    }

    #[inline]
    pub(super) fn next_slot(&self, slot: u32) -> u32 {
        if slot + 1 == self.slots { 0 } else { slot + 1 }
    }

    fn slot_of(&self, parent: NodeId, text: &str) -> Option<NodeId> {
        let key = LiteralKey::of(text.as_bytes());
        let mut slot = key.slot(parent, self.slots);
        loop {
            let node = &self.nodes[slot as usize];
            if node.is_after(parent, key) && (!key.is_partial() || self.text_of(node) == text) {
                return Some(NodeId(slot));
            }
            if node.is_vacant() {
                return None;
            }
            slot = self.next_slot(slot);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use proptest::prelude::*;

    use super::{LiteralKey, NodeId};

    proptest! {
        /// Literals ask for slots of their own, wherever they differ: a table of many that begin and end alike is no slower.
        #[test]
        fn literals_that_begin_and_end_alike_stand_apart(before in "[a-z]{8}", after in "[a-z]{8,20}", parent in 0_u32..9) {
            const SLOTS: u32 = 1 << 20;
            let slot = |number: u32| LiteralKey::of(format!("{before}{number}{after}").as_bytes()).slot(NodeId(parent), SLOTS);
            let taken: HashSet<u32> = (0..1000).map(slot).collect();
            prop_assert!(taken.len() > 980, "{} slots", taken.len());
        }
    }
}
