//! The tree while it is being built: what leads from node to node, and what ends where.

use std::hash::{BuildHasher, Hasher};

use hashbrown::{DefaultHashBuilder, HashMap, HashTable};
use smallvec::SmallVec;

use super::Size;
use crate::lookup::{Capture, Cover, LeafId, NodeId, PatternId, RouteId, Stretch, Tail};
use crate::rule::TooLarge;

/// Nodes and leaves, each with what it has.
#[derive(Debug)]
pub(super) struct Draft {
    pub(super) nodes: Vec<DraftNode>,
    /// The texts of all literals, one after the other.
    pub(super) text: String,
    /// The nodes that literals lead to, by the node before and the text.
    by_text: HashTable<NodeId>,
    hashes: DefaultHashBuilder,
    /// The nodes that patterns lead to, by the node before, the pattern, and whether it is that of a tail.
    by_pattern: HashMap<(NodeId, PatternId, bool), NodeId>,
    pub(super) leaves: Vec<DraftLeaf>,
    /// What the leaves have stretches of.
    pub(super) words: Vec<Word>,
    pub(super) covers: Vec<Cover>,
    pub(super) captures: Vec<Capture>,
    /// How many of the leaves answer URLs; the others are those of areas.
    pub(super) answering: usize,
    /// What covers a URL that goes on from a node, beside what ends there.
    pub(super) areas: HashMap<NodeId, Vec<LeafId>>,
    /// Whether letter case is ignored in literals. Then, by leaf and segment, those that a route declares in another one.
    pub(super) folds: bool,
    pub(super) spelling: HashMap<(LeafId, u16), Box<str>>,
}

/// Where a walk stands after some segments.
#[derive(Debug)]
pub(super) struct DraftNode {
    /// The text of the literal that leads to it, if one does.
    pub(super) text: Stretch,
    /// The node before it.
    before: NodeId,
    /// How many literals follow it, and the last of them that was added.
    literals: u32,
    last_literal: NodeId,
    /// The literal that was added before it to the same node.
    sibling: NodeId,
    pub(super) edges: SmallVec<[DraftEdge; 1]>,
    /// The last leaf that was added.
    last_leaf: LeafId,
    pub(super) is_ordered: bool,
}

/// A way on for segments that are no literal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct DraftEdge {
    pub(super) pattern: PatternId,
    pub(super) target: NodeId,
    pub(super) is_tail: bool,
}

/// What a segment is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Word {
    /// The literal that leads to this node.
    Literal(NodeId),
    Pattern(PatternId),
}

/// A way through the path of a route.
#[derive(Debug)]
pub(super) struct DraftLeaf {
    pub(super) route: RouteId,
    pub(super) words: Stretch,
    pub(super) covers: Stretch,
    pub(super) captures: Stretch,
    pub(super) tail: Option<Tail>,
    /// The leaf that was added before it to the same node.
    sibling: LeafId,
}

/// The root of a tree, which follows no node.
pub(super) const ROOT: NodeId = NodeId(0);
/// No leaf.
const NONE: LeafId = LeafId(u32::MAX);

impl DraftNode {
    fn after(before: NodeId) -> Self {
        Self {
            text: Stretch::default(),
            before,
            literals: 0,
            last_literal: ROOT,
            sibling: ROOT,
            edges: SmallVec::new(),
            last_leaf: NONE,
            is_ordered: true,
        }
    }

    /// How many literals follow it?
    pub(super) fn literals(&self) -> usize {
        self.literals as usize
    }

    /// Whether a way ends at it.
    pub(super) fn is_end(&self) -> bool {
        self.last_leaf != NONE
    }
}

impl Draft {
    /// A tree with room for what is declared, so that it need not move while it grows.
    pub(super) fn new(folds: bool, size: Size) -> Self {
        let mut nodes = Vec::with_capacity(size.segments + 1);
        nodes.push(DraftNode::after(ROOT));
        Self {
            nodes,
            text: String::new(),
            // Half of all segments lead to a node that no route before led to.
            by_text: HashTable::with_capacity(size.segments / 2),
            hashes: DefaultHashBuilder::default(),
            by_pattern: HashMap::with_capacity(size.values / 2),
            leaves: Vec::with_capacity(size.routes),
            words: Vec::with_capacity(size.segments),
            covers: Vec::with_capacity(size.routes),
            captures: Vec::with_capacity(size.values),
            answering: 0,
            areas: HashMap::new(),
            folds,
            spelling: HashMap::new(),
        }
    }

    pub(super) fn node(&self, id: NodeId) -> &DraftNode {
        &self.nodes[id.0 as usize]
    }

    pub(super) fn node_mut(&mut self, id: NodeId) -> &mut DraftNode {
        &mut self.nodes[id.0 as usize]
    }

    fn hash(hashes: &DefaultHashBuilder, before: NodeId, text: &str) -> u64 {
        let mut hasher = hashes.build_hasher();
        hasher.write(text.as_bytes());
        hasher.write_u32(before.0);
        hasher.finish()
    }

    /// The text of the literal that leads to a node.
    pub(super) fn text_of(&self, id: NodeId) -> &str {
        self.node(id).text.of_text(&self.text)
    }

    /// The node that a literal leads to.
    pub(super) fn literal(&self, at: NodeId, text: &str) -> Option<NodeId> {
        self.hashed_literal(Self::hash(&self.hashes, at, text), at, text)
    }

    fn hashed_literal(&self, hash: u64, at: NodeId, text: &str) -> Option<NodeId> {
        self.by_text.find(hash, |&id| self.node(id).before == at && self.text_of(id) == text).copied()
    }

    /// The literals that follow a node, and where they lead.
    pub(super) fn literals(&self, at: NodeId) -> impl Iterator<Item = (&str, NodeId)> + Clone {
        self.children(at).map(|id| (self.text_of(id), id))
    }

    /// Where the literals lead that follow a node.
    pub(super) fn children(&self, at: NodeId) -> impl Iterator<Item = NodeId> + Clone {
        let some = |id: NodeId| (id != ROOT).then_some(id);
        std::iter::successors(some(self.node(at).last_literal), move |&id| some(self.node(id).sibling))
    }

    /// Whether several ways end at a node.
    pub(super) fn has_several_leaves(&self, at: NodeId) -> bool {
        let last = self.node(at).last_leaf;
        last != NONE && self.leaves[last.0 as usize].sibling != NONE
    }

    /// The leaves of a node, in the order in which they were added.
    pub(super) fn leaves(&self, at: NodeId) -> SmallVec<[LeafId; 2]> {
        let mut leaves = SmallVec::new();
        let mut last = self.node(at).last_leaf;
        while last != NONE {
            leaves.push(last);
            last = self.leaves[last.0 as usize].sibling;
        }
        leaves.reverse();
        leaves
    }

    /// A leaf of a route, with the stretches of what was noted of it from these places on.
    pub(super) fn add_leaf(
        &mut self,
        at: NodeId,
        route: RouteId,
        (words, covers, captures): (usize, usize, usize),
        tail: Option<Tail>,
    ) -> Result<(), TooLarge> {
        let id = self.next_leaf()?;
        let sibling = std::mem::replace(&mut self.node_mut(at).last_leaf, id);
        self.leaves.push(DraftLeaf {
            route,
            words: Stretch::from(words, &self.words)?,
            covers: Stretch::from(covers, &self.covers)?,
            captures: Stretch::from(captures, &self.captures)?,
            tail,
            sibling,
        });
        Ok(())
    }

    /// The number of the leaf that is added next.
    pub(super) fn next_leaf(&self) -> Result<LeafId, TooLarge> {
        let id = u32::try_from(self.leaves.len()).map(LeafId).map_err(|_| TooLarge::Numbers)?;
        if id == NONE { Err(TooLarge::Numbers) } else { Ok(id) }
    }

    /// Makes the leaf that was added last that of an area: it is there for what goes on from its node, and does not end there.
    pub(super) fn last_is_area(&mut self, at: NodeId) {
        let node = &mut self.nodes[at.0 as usize];
        let leaf = std::mem::replace(&mut node.last_leaf, NONE);
        if let Some(draft) = self.leaves.get_mut(leaf.0 as usize) {
            node.last_leaf = std::mem::replace(&mut draft.sibling, NONE);
            self.areas.entry(at).or_default().push(leaf);
        }
    }

    fn fresh(&mut self, before: NodeId) -> Result<NodeId, TooLarge> {
        self.nodes.push(DraftNode::after(before));
        u32::try_from(self.nodes.len() - 1).map(NodeId).map_err(|_| TooLarge::Numbers)
    }

    /// The node that a literal leads to, which is added where there is none.
    pub(super) fn add_literal(&mut self, at: NodeId, text: &str) -> Result<NodeId, TooLarge> {
        let hash = Self::hash(&self.hashes, at, text);
        if let Some(known) = self.hashed_literal(hash, at, text) {
            return Ok(known);
        }
        let id = self.fresh(at)?;
        let start = self.text.len();
        self.text.push_str(text);
        let before = self.node_mut(at);
        before.literals += 1;
        let sibling = std::mem::replace(&mut before.last_literal, id);
        let text = Stretch::from(start, self.text.as_bytes())?;
        let node = self.node_mut(id);
        (node.text, node.sibling) = (text, sibling);
        let Self { nodes, text: all, by_text, hashes, .. } = self;
        by_text.insert_unique(hash, id, |id| {
            let node = &nodes[id.0 as usize];
            Self::hash(hashes, node.before, node.text.of_text(all))
        });
        Ok(id)
    }

    /// The node that a pattern leads to.
    pub(super) fn edge(&self, at: NodeId, pattern: PatternId, is_tail: bool) -> Option<NodeId> {
        self.by_pattern.get(&(at, pattern, is_tail)).copied()
    }

    /// The node that a pattern leads to, which is added where there is none. The node of a tail leads to itself, and no other way
    /// leads there.
    pub(super) fn add_edge(&mut self, at: NodeId, pattern: PatternId, is_tail: bool) -> Result<NodeId, TooLarge> {
        if let Some(known) = self.edge(at, pattern, is_tail) {
            return Ok(known);
        }
        let target = self.fresh(at)?;
        self.by_pattern.insert((at, pattern, is_tail), target);
        let edge = DraftEdge { pattern, target, is_tail };
        self.node_mut(at).edges.push(edge);
        if is_tail {
            self.node_mut(target).edges.push(edge);
        }
        Ok(target)
    }
}
