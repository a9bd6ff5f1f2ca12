//! The tree of segments.

use hashbrown::HashMap;

use super::path::Segments;
use super::table::RouteId;

/// The index of a node; the root is 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct NodeId(pub(crate) u32);

/// What all routes of a table accept, segment by segment.
///
/// Every node but those of a tail is reached by exactly one way from the root; the node of a tail has one
/// edge, to itself. So a walk meets a node at most once for each segment, and cannot blow up.
#[derive(Debug, Default)]
pub(crate) struct Tree {
    pub(crate) nodes: Vec<Node>,
}

/// Where a walk stands after some segments.
#[derive(Debug, Default)]
pub(crate) struct Node {
    pub(crate) literals: HashMap<Box<str>, NodeId>,
    /// In the order in which they are tried: the narrower first.
    pub(crate) edges: Vec<Edge>,
    /// What ends here.
    pub(crate) endings: Vec<Ending>,
}

/// A way on for segments that are no literal.
#[derive(Debug)]
pub(crate) struct Edge {
    pub(crate) target: NodeId,
}

/// A route that ends at a node, with what it says of the segments on the way there.
#[derive(Debug)]
pub(crate) struct Ending {
    pub(crate) route: RouteId,
    /// For each level of the route's chain, how many segments it and the levels above it cover.
    pub(crate) covers: Box<[u16]>,
    pub(crate) captures: Box<[Capture]>,
}

/// Where the value of a parameter stands.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Capture {
    /// The index of the parameter in its route.
    pub(crate) param: u16,
    /// The index of the segment.
    pub(crate) segment: u16,
}

impl Tree {
    /// The ending that answers the path.
    pub(crate) fn find(&self, segments: &Segments<'_>) -> Option<&Ending> {
        self.walk(NodeId::ROOT, segments, 0)
    }

    fn walk(&self, node: NodeId, segments: &Segments<'_>, at: usize) -> Option<&Ending> {
        let node = self.node(node);
        let Some(segment) = segments.list.get(at) else { return node.endings.first() };
        node.ways(&segment.text).find_map(|next| self.walk(next, segments, at + 1))
    }

    /// The ending whose route covers the most of the path, seen from the root.
    pub(crate) fn covering(&self, segments: &Segments<'_>) -> Option<&Ending> {
        self.cover(NodeId::ROOT, segments, 0).map(|(_, ending)| ending)
    }

    fn cover(&self, node: NodeId, segments: &Segments<'_>, at: usize) -> Option<(usize, &Ending)> {
        let node = self.node(node);
        let here = node.endings.first().map(|ending| (at, ending));
        let Some(segment) = segments.list.get(at) else { return here };
        let below = node.ways(&segment.text).filter_map(|next| self.cover(next, segments, at + 1));
        // The first of the deepest: an earlier way is the narrower one.
        below.fold(here, |best, next| if best.is_none_or(|best| next.0 > best.0) { Some(next) } else { best })
    }

    fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }
}

impl NodeId {
    pub(crate) const ROOT: Self = Self(0);
}

impl Node {
    /// The ways on for a segment, the narrower first.
    fn ways(&self, text: &str) -> impl Iterator<Item = NodeId> {
        let others = if text.is_empty() { &[][..] } else { &self.edges[..] };
        self.literals.get(text).copied().into_iter().chain(others.iter().map(|edge| edge.target))
    }
}
