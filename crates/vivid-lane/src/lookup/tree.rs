//! The tree of segments, packed into a few arrays.
//!
//! What a [node](super::node) has (literals, patterns, ends) is a range of an array that all nodes share.

use std::borrow::Cow;

use hashbrown::HashMap;
use smallvec::SmallVec;

use super::node::{LeafId, NONE, Node, NodeId, Nodes};
use super::pattern::{Affix, Pattern, PatternId};
use super::route::{PageId, RouteId};
use crate::rule::{Narrower, Simple, TooLarge};

/// What all routes of a table accept, segment by segment.
///
/// Every node but those of a tail is reached by exactly one way from the root; the node of a tail has one
/// edge, to itself. So a walk meets a node at most once for each segment, and cannot blow up.
#[derive(Debug, Default)]
pub(crate) struct Tree {
    pub(crate) nodes: Nodes,
    pub(crate) root: NodeId,
    /// The texts of all literals.
    pub(crate) text: Box<str>,
    /// For each node, the nodes that its literals lead to, in the order of these.
    pub(crate) children: Box<[NodeId]>,
    /// Those of each node one after the other, the narrower first.
    pub(crate) edges: Box<[Edge]>,
    /// What is chosen from by the beginning or the end of a segment. They are numbered after the edges.
    pub(crate) choices: Box<[Choice]>,
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

/// A way on for segments that are no literal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Edge {
    pub(crate) pattern: PatternId,
    pub(crate) target: NodeId,
    /// The edge or choice to try after it: the next of the same node, else one that a node before it has left. As every node is reached in
    /// one way only, this is known when the tree is packed, and a walk has nothing to remember.
    pub(crate) next: u32,
    /// The segment that it takes.
    pub(crate) at: u16,
    /// The code for its rule, where it takes one value and there is code for it.
    pub(crate) simple: Option<Simple>,
    /// Whether it leads to a tail, which goes on accepting segments.
    pub(crate) is_tail: bool,
    /// Whether what its node has found before is narrower than what it leads to.
    pub(crate) is_ordered: bool,
}

/// Several edges of a node whose segments all begin with a text, or all end with one. Those that the segment may have come after each
/// other, first those of the longest text.
#[derive(Debug)]
pub(crate) struct Choice {
    /// The node whose literals are these texts. Each leads to a node that goes on with the first edge of its text.
    pub(crate) node: NodeId,
    /// How long the texts are, in bytes: the longest first.
    pub(crate) lengths: Box<[u16]>,
    pub(crate) affix: Affix,
    /// The edge or choice to try after all of them.
    pub(crate) next: u32,
    /// The segment that they take.
    pub(crate) at: u16,
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
    /// The next leaf of the same node.
    pub(crate) next: u32,
    /// Whether it accepts every URL that leads to it, whatever the host, the query and the length of its tail.
    pub(crate) is_unconditional: bool,
    /// Whether all its values are whole segments or the tail, and few.
    pub(crate) has_whole_values: bool,
    /// How many parameters come first that are captured in their order; a tail of one value is one too.
    pub(crate) simple: u16,
    /// Whether no other parameter has a value here.
    pub(crate) has_only_simple: bool,
    /// The page, where a `GET` without a query shows it to whoever asks; and whether one with a query does too.
    pub(crate) open_page: Option<PageId>,
    pub(crate) ignores_query: bool,
    /// Whether the route declares a literal in other letters than small ones, where letter case does not count.
    pub(crate) is_respelt: bool,
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
        self.root
    }

    pub(crate) fn node(&self, id: NodeId) -> &Node {
        static NONE: Node = Node::VACANT;
        self.nodes.get(id.0).unwrap_or(&NONE)
    }

    pub(crate) fn leaf(&self, id: LeafId) -> &Leaf {
        &self.leaves[id.0 as usize]
    }

    pub(crate) fn pattern(&self, id: PatternId) -> &Pattern {
        &self.patterns[id.0 as usize]
    }

    /// The patterns that follow a node, the narrower before the wider.
    pub(crate) fn edges(&self, node: &Node) -> &[Edge] {
        let first = node.first_edge as usize;
        self.edges.get(first..first + node.edge_count as usize).unwrap_or_default()
    }

    /// What ends at a node.
    pub(crate) fn leaves(&self, node: &Node) -> impl Iterator<Item = LeafId> + use<'_> {
        let some = |id: u32| (id != NONE).then_some(LeafId(id));
        std::iter::successors(some(node.leaf), move |id| some(self.leaf(*id).next))
    }

    pub(crate) fn steps(&self, leaf: &Leaf) -> &[SegmentStep] {
        leaf.steps.of(&self.steps)
    }

    #[inline]
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
        self.children(node).iter().map(|&child| (self.text_of(child), child))
    }

    /// The nodes of the literals after a node, in the order of the bytes of their texts.
    pub(crate) fn children(&self, node: &Node) -> &[NodeId] {
        let first = node.children as usize;
        &self.children[first..first + node.child_count as usize]
    }

    /// A text as literals are stored.
    pub(crate) fn as_stored<'t>(&self, text: &'t str) -> Cow<'t, str> {
        if self.folds { folded(text) } else { Cow::Borrowed(text) }
    }

    /// The literal that leads to a node.
    pub(crate) fn text_of(&self, id: NodeId) -> &str {
        &self.text[self.node(id).text()]
    }

    /// The way on for a literal segment.
    pub(crate) fn literal(&self, id: NodeId, text: &str) -> Option<NodeId> {
        let wanted = self.as_stored(text);
        let node = self.node(id);
        if node.child_count == 0 {
            return None;
        }
        self.nodes.child(id.0, node, wanted.as_bytes(), 0..wanted.len(), &self.text).map(NodeId)
    }
}
