//! Draft tree → packed tree.

use hashbrown::HashMap;

use super::tree_builder::{Draft, DraftLeaf, DraftNode, TreeBuilder};
use crate::lookup::{
    Branch, Edge, FEW, Leaf, LeafId, LiteralKey, Node, NodeId, Order, Outcome, ParamKind, Route, Stretch, Tail, Tree,
};
use crate::rule::TooLarge;
use crate::template::percent::kinds;

/// Packs a tree, with all that its proof has found out about pairs of patterns. The nodes are numbered anew: those that a
/// literal leads to by the slot of that literal.
pub(super) fn pack(builder: TreeBuilder, routes: &[Route]) -> Result<Tree, TooLarge> {
    let TreeBuilder { draft, all_patterns: patterns, order, patterns: compared, .. } = builder;
    let order = Order { patterns: compared.into_pairs(), ..order };
    let Draft { nodes, leaves, steps, covers, captures, answering, areas, folds } = draft;
    let literals: usize = nodes.iter().map(|node| node.literals.len()).sum();
    // Half of the slots stay free, so that a search ends soon.
    let slots = 2 * literals + 2;
    let mut packing = Packing {
        tree: Tree {
            patterns,
            order,
            folds,
            answering,
            slots: narrow(slots)?,
            steps: steps.into(),
            covers: covers.into(),
            captures: captures.into(),
            ..Tree::default()
        },
        nodes: vec![Node::EMPTY; slots],
        new_ids: vec![None; nodes.len()],
        text: String::new(),
    };
    packing.number(&nodes)?;
    packing.fill(&nodes)?;
    packing.branches(&nodes)?;
    packing.leaves(leaves, routes)?;
    packing.outcomes(routes);
    for (node, leaves) in areas {
        let node = packing.id(node)?;
        packing.tree.areas.insert(node, leaves.into_boxed_slice());
    }
    let Packing { mut tree, nodes, text, .. } = packing;
    tree.nodes = nodes.into();
    tree.text = text.into();
    Ok(tree)
}

struct Packing {
    tree: Tree,
    nodes: Vec<Node>,
    new_ids: Vec<Option<NodeId>>,
    text: String,
}

fn narrow(at: usize) -> Result<u32, TooLarge> {
    u32::try_from(at).map_err(|_| TooLarge::Numbers)
}

/// Appends to an array, and tells where.
fn append<T>(all: &mut Vec<T>, more: impl IntoIterator<Item = T>) -> Result<Stretch, TooLarge> {
    let start = all.len();
    all.extend(more);
    Stretch::from(start, all)
}

impl Packing {
    /// Gives every node its number, and the numbers of what its literals lead to. A node is numbered after the one before it, whose number its slot hangs on.
    fn number(&mut self, nodes: &[DraftNode]) -> Result<(), TooLarge> {
        // The targets of patterns first, so that they lie together; the root comes last, where it is found.
        let targets = nodes.iter().flat_map(|node| &node.edges).map(|edge| edge.target);
        for target in targets {
            if self.new_ids[target.0 as usize].is_none() {
                self.fresh(target)?;
            }
        }
        self.fresh(NodeId(0))?;
        let mut children = Vec::new();
        // Every node is made after the one that leads to it, so this order knows the one before.
        for (index, node) in nodes.iter().enumerate() {
            let parent = self.id(NodeId(narrow(index)?))?;
            let mut sorted: Vec<(&str, NodeId)> = node.literals.iter().map(|(text, child)| (&**text, *child)).collect();
            sorted.sort_unstable();
            let start = children.len();
            for (text, child) in sorted {
                let key = LiteralKey::of(text.as_bytes());
                let mut slot = key.slot(parent, self.tree.slots);
                while !self.nodes[slot as usize].is_vacant() {
                    slot = (slot + 1) % self.tree.slots;
                }
                let begin = narrow(self.text.len())?;
                self.text.push_str(text);
                let is_usual = kinds(text.as_bytes()).is_plain();
                let mut node = Node::after(parent, key, begin);
                node.is_usual = is_usual;
                self.nodes[slot as usize] = node;
                self.new_ids[child.0 as usize] = Some(NodeId(slot));
                children.push(NodeId(slot));
            }
            self.nodes[parent.0 as usize].children = Stretch::from(start, &children)?;
        }
        self.tree.children = children.into();
        Ok(())
    }

    fn fresh(&mut self, id: NodeId) -> Result<(), TooLarge> {
        self.new_ids[id.0 as usize] = Some(NodeId(narrow(self.nodes.len())?));
        // Whatever stands here was not led to by a literal, so no search finds it.
        self.nodes.push(Node::EMPTY);
        Ok(())
    }

    fn id(&self, old: NodeId) -> Result<NodeId, TooLarge> {
        self.new_ids[old.0 as usize].ok_or(TooLarge::Numbers)
    }

    /// Fills in what else follows each node.
    fn fill(&mut self, nodes: &[DraftNode]) -> Result<(), TooLarge> {
        let (mut edges, mut leaves) = (Vec::new(), Vec::new());
        for (index, node) in nodes.iter().enumerate() {
            let first = edges.len();
            for edge in &node.edges {
                edges.push(Edge { target: self.id(edge.target)?, ..*edge });
            }
            let id = self.id(NodeId(narrow(index)?))?;
            let packed = &mut self.nodes[id.0 as usize];
            packed.edges = Stretch::from(first, &edges)?;
            packed.leaves = append(&mut leaves, node.leaves.iter().copied())?;
            packed.is_ordered = node.is_ordered;
            packed.is_usual &= node.is_ordered;
        }
        self.tree.edges = edges.into();
        self.tree.leaf_ids = leaves.into();
        Ok(())
    }

    /// Notes for every node what is left to try where it comes to nothing.
    fn branches(&mut self, nodes: &[DraftNode]) -> Result<(), TooLarge> {
        let mut branches: Vec<Branch> = Vec::new();
        // By the old numbers: how many segments are before each node.
        let mut depths: Vec<u32> = vec![0; nodes.len()];
        // A node comes after the one that leads to it.
        for (index, node) in nodes.iter().enumerate() {
            let old = NodeId(narrow(index)?);
            let packed = self.nodes[self.id(old)?.0 as usize];
            let (at, last) = (depths[index], packed.edges.start + packed.edges.count);
            let mut next = packed.resume;
            // The last edge has nothing after it, the one before has the last, and all literals have all edges. A tail's edge
            // leads back to its own node.
            for (edge, draft) in (packed.edges.start..last).zip(&node.edges).rev() {
                if draft.target != old {
                    self.resume(draft.target, next)?;
                    depths[draft.target.0 as usize] = at + 1;
                }
                if edge > packed.edges.start || !node.literals.is_empty() {
                    let edges = Stretch { start: edge, count: last - edge };
                    branches.push(Branch { at, edges, next: packed.resume });
                    next = narrow(branches.len() - 1)?;
                }
            }
            for &target in node.literals.values() {
                self.resume(target, next)?;
                depths[target.0 as usize] = at + 1;
            }
        }
        self.tree.branches = branches.into();
        Ok(())
    }

    fn resume(&mut self, node: NodeId, branch: u32) -> Result<(), TooLarge> {
        let id = self.id(node)?;
        self.nodes[id.0 as usize].resume = branch;
        Ok(())
    }

    /// Works out what a `GET` without a query comes to that ends at each node.
    fn outcomes(&mut self, routes: &[Route]) {
        for index in 0..self.nodes.len() {
            let leaves = self.nodes[index].leaves;
            let leaves = &self.tree.leaf_ids[leaves.start as usize..][..leaves.count as usize];
            let route = |id: &LeafId| &routes[self.tree.leaves[id.0 as usize].route.0 as usize];
            let wants_query = |id: &LeafId| {
                let demand = &route(id).query;
                !demand.literals.is_empty()
                    || demand.params.iter().any(|param| param.is_required)
                    || demand.rest.as_ref().is_some_and(|rest| rest.is_required)
            };
            let is_certain = |id: &LeafId| {
                let tail = self.tree.leaves[id.0 as usize].tail;
                route(id).host.is_none() && tail.is_none_or(|tail| takes_any(tail, route(id)))
            };
            let asks_query = leaves.iter().any(|id| asks_query(route(id)));
            let able: Vec<LeafId> = leaves.iter().copied().filter(|id| !wants_query(id)).collect();
            let get = match able.as_slice() {
                _ if !leaves.iter().all(is_certain) => Outcome::Unsure,
                [] => Outcome::Nothing,
                [one] if route(one).methods.allows("GET") => Outcome::Ends(*one),
                _ => Outcome::Unsure,
            };
            self.nodes[index].asks_query = asks_query;
            self.nodes[index].set_outcome(get);
        }
    }

    fn leaves(&mut self, leaves: Vec<DraftLeaf>, routes: &[Route]) -> Result<(), TooLarge> {
        let mut packed = Vec::with_capacity(leaves.len());
        let mut spelling = HashMap::new();
        for (id, leaf) in (0..).map(LeafId).zip(leaves) {
            let route = &routes[leaf.route.0 as usize];
            let is_free =
                route.host.is_none() && route.query.is_empty() && leaf.tail.is_none_or(|tail| takes_any(tail, route));
            // With as many captures as parameters, none of these stands anywhere else.
            let captures = leaf.captures.of(&self.tree.captures);
            let is_simple = captures.len() == route.params.len()
                && captures.iter().enumerate().all(|(at, one)| one.is_whole && usize::from(one.param) == at);
            packed.push(Leaf {
                route: leaf.route,
                steps: leaf.steps,
                covers: leaf.covers,
                captures: leaf.captures,
                tail: leaf.tail,
                is_free,
                is_simple,
                reads_much: route.query.params.len() > FEW,
                open_page: route.page.filter(|_| route.is_open),
            });
            spelling.extend(leaf.spelling.into_iter().map(|(at, text)| ((id, at), text)));
        }
        self.tree.leaves = packed.into();
        self.tree.spelling = spelling;
        Ok(())
    }
}

/// May a query keep a route from answering, or have it answered by another?
fn asks_query(route: &Route) -> bool {
    let demand = &route.query;
    demand.asks()
}

/// Does a tail take whatever its segments let through?
fn takes_any(tail: Tail, route: &Route) -> bool {
    let param = &route.params[usize::from(tail.param)];
    match param.kind {
        // Each item is looked at as a segment; what is left is their number, and whether one is there twice.
        ParamKind::Items => {
            let (least, most) = param.check.values.count();
            least <= 1 && most == u16::MAX && !param.check.wants_each_once()
        }
        _ => param.texts.is_any(),
    }
}
