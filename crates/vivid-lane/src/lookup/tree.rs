//! The tree of segments, packed into a few arrays.
//!
//! A node stands where a walk is after some segments. What it has (literals, patterns, ends) is a stretch of an array that all nodes
//! share. The fast path walks on the [slots](super::slot) beside them, and looks at a node only where a segment is not a literal.

use std::borrow::Cow;
use std::ops::{Deref, Range};

use hashbrown::HashMap;
use smallvec::SmallVec;

use super::pattern::{Pattern, PatternId, Quick};
use super::route::{PageId, RouteId};
use super::slot::{LeafId, NodeId, Slot};
use crate::rule::{Narrower, TooLarge};

/// What all routes of a table accept, segment by segment.
///
/// Every node but those of a tail is reached by exactly one way from the root; the node of a tail has one
/// edge, to itself. So a walk meets a node at most once for each segment, and cannot blow up.
#[derive(Debug, Default)]
pub(crate) struct Tree {
    /// The root first; every other one after the node that leads to it. Behind the last stands one that is none: what a node has
    /// ends where that of the next begins.
    pub(crate) nodes: Box<[Node]>,
    /// What the fast path walks on.
    pub(crate) slots: Vec<Slot>,
    /// The slot of the root.
    pub(crate) root_slot: u32,
    /// The texts of all literals.
    pub(crate) text: Box<str>,
    /// For each node, the nodes that its literals lead to, in the order of these.
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
    /// Whether letter case is ignored in literals. Then their keys are in small letters.
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

    /// The stretch of a text.
    pub(crate) fn of_text(self, all: &str) -> &str {
        &all[self.start as usize..self.start as usize + self.count as usize]
    }

    #[inline]
    pub(crate) fn of<T>(self, all: &[T]) -> &[T] {
        &all[self.start as usize..self.start as usize + self.count as usize]
    }
}

/// Where a walk stands after some segments, and the literal that led there, if one did. Of its text, and of what follows it, is noted
/// where it begins.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Node {
    pub(crate) text: u32,
    pub(crate) children: u32,
    pub(crate) edges: u32,
    pub(crate) leaves: u32,
    /// The branch to try next where nothing that follows the node accepts a URL. No branch has the number of none.
    pub(crate) resume: u32,
    /// Of two ways that accept a common segment, is the earlier always the narrower? Then the first way that
    /// leads to a leaf is the right one.
    pub(crate) is_ordered: bool,
    /// Whether the fast path can follow what comes after it.
    pub(crate) fits_fast_path: bool,
}

/// What is left to try of a node, once one way on has come to nothing. As every node is reached in one way only, it is
/// known when the tree is packed, and a walk has nothing to remember.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Branch {
    /// The segment.
    pub(crate) at: u16,
    /// How many values stand before it.
    pub(crate) values: u16,
    /// The edges to try.
    pub(crate) edges: Stretch,
    /// The branch to try after it.
    pub(crate) next: u32,
}

impl Branch {
    /// No branch.
    pub(crate) const NONE: u32 = u32::MAX;
}

impl Node {
    pub(crate) const EMPTY: Self = Self {
        text: 0,
        children: 0,
        edges: 0,
        leaves: 0,
        resume: Branch::NONE,
        is_ordered: true,
        fits_fast_path: true,
    };
}

/// A node, and the one behind it.
#[derive(Clone, Copy)]
pub(crate) struct NodeRef<'t>(&'t [Node; 2]);

impl Deref for NodeRef<'_> {
    type Target = Node;

    fn deref(&self) -> &Node {
        &self.0[0]
    }
}

impl<'t> NodeRef<'t> {
    /// The node of a number among all of them.
    #[inline]
    pub(crate) fn of(all: &'t [Node], id: NodeId) -> Self {
        static NONE: [Node; 2] = [Node::EMPTY; 2];
        Self(all.get(id.0 as usize..).and_then(<[Node]>::first_chunk).unwrap_or(&NONE))
    }

    fn part<T>(self, all: &[T], begin: impl Fn(&Node) -> u32) -> &[T] {
        let [own, next] = self.0;
        &all[begin(own) as usize..begin(next) as usize]
    }

    /// The bytes of the literal that led to it.
    pub(crate) fn text(self) -> Range<usize> {
        let [own, next] = self.0;
        own.text as usize..next.text as usize
    }

    /// The nodes that its literals lead to.
    pub(crate) fn children(self, all: &[NodeId]) -> &[NodeId] {
        self.part(all, |node| node.children)
    }

    /// Its patterns, the narrower before the wider.
    #[inline]
    pub(crate) fn edges(self, all: &[Edge]) -> &[Edge] {
        self.part(all, |node| node.edges)
    }

    /// What ends at it.
    pub(crate) fn leaves(self, all: &[LeafId]) -> &[LeafId] {
        self.part(all, |node| node.leaves)
    }
}

/// A way on for segments that are no literal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Edge {
    pub(crate) pattern: PatternId,
    /// How its pattern is asked first.
    pub(crate) quick: Quick,
    /// Whether it leads to a tail, which goes on accepting segments.
    pub(crate) is_tail: bool,
    pub(crate) target: NodeId,
    /// The slot of the target.
    pub(crate) slot: u32,
}

/// A way through the path of a route, from its first segment to its last. Leaves of the same form share their stretches.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Leaf {
    pub(crate) route: RouteId,
    /// What each segment is; a tail is the last.
    pub(crate) steps: Stretch,
    /// For each level of the route's chain, where the part that it covers ends.
    pub(crate) covers: Stretch,
    pub(crate) captures: Stretch,
    pub(crate) tail: Option<Tail>,
    /// Whether it accepts every URL that leads to it, whatever the host, the query and the length of its tail.
    pub(crate) is_unconditional: bool,
    /// How many parameters come first that are a segment each, in their order, with no other parameter's segment between; a tail of
    /// one value is one too.
    pub(crate) simple: u16,
    /// Whether no other parameter has a value here.
    pub(crate) has_only_simple: bool,
    /// Whether the route reads so many query parameters that their places are worked out at once.
    pub(crate) reads_much: bool,
    /// How many values its path has.
    pub(crate) values: u16,
    /// What a query has to do with whether it answers.
    pub(crate) query: QueryRole,
    /// The page, where it is shown to whoever asks, with no more to look at than a URL in its normal form.
    pub(crate) unguarded_page: Option<PageId>,
}

/// What the query of a URL has to do with whether a leaf answers it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum QueryRole {
    /// Nothing.
    None,
    /// It may have a value that the route refuses.
    Judged,
    /// It must have something.
    Required,
    /// It may lead to another leaf of the same node.
    Chooses,
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
    /// Whether the level owns the tail.
    pub(crate) has_tail: bool,
}

/// Where the value of a parameter stands: which piece of which segment.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Capture {
    /// The index of the parameter in its route.
    pub(crate) param: u16,
    pub(crate) segment: u16,
    pub(crate) piece: u16,
    /// Its number among the values of the path.
    pub(crate) value: u16,
    /// Whether the value is the whole segment.
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
        NodeId(0)
    }

    pub(crate) fn node(&self, id: NodeId) -> NodeRef<'_> {
        NodeRef::of(&self.nodes, id)
    }

    pub(crate) fn leaf(&self, id: LeafId) -> &Leaf {
        &self.leaves[id.0 as usize]
    }

    pub(crate) fn pattern(&self, id: PatternId) -> &Pattern {
        &self.patterns[id.0 as usize]
    }

    pub(crate) fn edges(&self, node: NodeRef<'_>) -> &[Edge] {
        node.edges(&self.edges)
    }

    pub(crate) fn leaves(&self, node: NodeRef<'_>) -> &[LeafId] {
        node.leaves(&self.leaf_ids)
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
    pub(crate) fn literals(&self, node: NodeRef<'_>) -> impl ExactSizeIterator<Item = (&str, NodeId)> {
        self.children(node).iter().map(|&child| (self.text_of(self.node(child)), child))
    }

    /// The nodes of the literals after a node, in the order of the bytes of their texts.
    pub(crate) fn children(&self, node: NodeRef<'_>) -> &[NodeId] {
        node.children(&self.children)
    }

    /// A text as literals are stored.
    pub(crate) fn as_stored<'t>(&self, text: &'t str) -> Cow<'t, str> {
        if self.folds { folded(text) } else { Cow::Borrowed(text) }
    }

    pub(crate) fn text_of(&self, node: NodeRef<'_>) -> &str {
        &self.text[node.text()]
    }

    /// The way on for a literal segment.
    pub(crate) fn literal(&self, node: NodeRef<'_>, text: &str) -> Option<NodeId> {
        let (children, wanted) = (self.children(node), self.as_stored(text));
        let by_text = |&child: &NodeId| self.text_of(self.node(child)).cmp(&*wanted);
        children.binary_search_by(by_text).ok().map(|at| children[at])
    }
}
