//! Draft tree → packed tree.

use std::hash::BuildHasher;

use hashbrown::{DefaultHashBuilder, HashTable};
use smallvec::SmallVec;

use super::draft::{Draft, Texts, Word};
use super::tree_builder::TreeBuilder;
use crate::lookup::{
    Branch, Capture, Cover, Edge, FEW, LONGEST_LITERAL, Leaf, LeafId, Node, NodeId, NodeRef, Order, Outcome, Param,
    ParamKind, QueryRole, Route, SegmentStep, Slots, Spread, Stretch, Tail, TailKind, Tree,
};
use crate::rule::{Shape, TooLarge};

/// Packs a tree, with all that its proof has found out about pairs of patterns. The nodes keep their numbers.
pub(super) fn pack(builder: TreeBuilder, routes: &[Route]) -> Result<Tree, TooLarge> {
    let TreeBuilder { draft, all_patterns: patterns, order, patterns: compared, .. } = builder;
    let order = Order { patterns: compared.into_pairs(), ..order };
    let mut draft = draft;
    let mut packing = Packing {
        tree: Tree {
            patterns,
            order,
            folds: draft.folds,
            answering: draft.answering,
            areas: std::mem::take(&mut draft.areas)
                .into_iter()
                .map(|(node, leaves)| (node, leaves.into_boxed_slice()))
                .collect(),
            spelling: std::mem::take(&mut draft.spelling),
            ..Tree::default()
        },
        nodes: Vec::with_capacity(draft.nodes.len() + 1),
        edges: Vec::with_capacity(draft.nodes.iter().map(|node| node.edges.len()).sum()),
        children: Vec::with_capacity(draft.nodes.len()),
    };
    packing.fill(&draft)?;
    packing.branches(&draft)?;
    packing.leaves(&draft, routes)?;
    let texts = draft.into_texts();
    packing.slots(&texts, routes)?;
    let Packing { mut tree, nodes, edges, children } = packing;
    tree.nodes = nodes.into();
    tree.edges = edges.into();
    tree.children = children.into();
    tree.text = texts.all.into();
    Ok(tree)
}

struct Packing {
    tree: Tree,
    nodes: Vec<Node>,
    edges: Vec<Edge>,
    children: Vec<NodeId>,
}

fn narrow(at: usize) -> Result<u32, TooLarge> {
    u32::try_from(at).map_err(|_| TooLarge::Numbers)
}

/// An array whose stretches are kept once.
struct Once<T> {
    all: Vec<T>,
    known: HashTable<Stretch>,
    /// Another one for each table, so that nobody can make stretches that meet.
    seed: u64,
}

impl<T: Copy + Eq + Number> Once<T> {
    fn new() -> Self {
        Self { all: Vec::new(), known: HashTable::new(), seed: DefaultHashBuilder::default().hash_one(0) }
    }

    /// Where these items stand, which are added where they do not.
    fn put(&mut self, items: &[T]) -> Result<Stretch, TooLarge> {
        let Self { all, known, seed } = self;
        let hash = hash_of(*seed, items);
        if let Some(&stretch) = known.find(hash, |stretch| stretch.of(all) == items) {
            return Ok(stretch);
        }
        let start = all.len();
        all.extend_from_slice(items);
        let stretch = Stretch::from(start, all)?;
        known.insert_unique(hash, stretch, |stretch| hash_of(*seed, stretch.of(all)));
        Ok(stretch)
    }
}

fn hash_of<T: Number>(seed: u64, items: &[T]) -> u64 {
    items.iter().fold(seed ^ items.len() as u64, |hash, item| {
        let product = u128::from(hash ^ item.number()) * u128::from(seed | 1);
        #[allow(clippy::cast_possible_truncation, reason = "both halves are taken")]
        let halves = (product >> 64) as u64 ^ product as u64;
        halves
    })
}

/// What is told apart by a number: equal ones have the same.
trait Number {
    fn number(&self) -> u64;
}

impl Number for SegmentStep {
    fn number(&self) -> u64 {
        match self {
            Self::Literal => u64::MAX,
            Self::Pattern(pattern) => u64::from(pattern.0),
        }
    }
}

impl Number for Cover {
    fn number(&self) -> u64 {
        u64::from(self.segments) | u64::from(self.pieces.unwrap_or(u16::MAX)) << 16
    }
}

impl Number for Capture {
    fn number(&self) -> u64 {
        let Self { param, segment, piece, value, .. } = *self;
        [param, segment, piece, value].iter().fold(0, |all, &one| all << 16 | u64::from(one))
    }
}

impl Packing {
    /// Fills in what each node has.
    fn fill(&mut self, draft: &Draft) -> Result<(), TooLarge> {
        let mut leaves = Vec::with_capacity(self.tree.answering);
        let mut text = 0;
        // The first bytes of each, most of which differ, its text, and the node that it leads to.
        let mut literals: Vec<(u64, &str, NodeId)> = Vec::new();
        for (index, node) in draft.nodes.iter().enumerate() {
            let first = self.children.len();
            literals.clear();
            literals
                .extend(draft.literals(NodeId(narrow(index)?)).map(|(text, child)| (first_bytes(text), text, child)));
            literals.sort_unstable();
            let is_short = literals.iter().all(|(_, text, _)| text.len() <= LONGEST_LITERAL);
            self.children.extend(literals.iter().map(|(.., child)| *child));
            self.nodes.push(Node {
                text,
                children: narrow(first)?,
                edges: narrow(self.edges.len())?,
                leaves: narrow(leaves.len())?,
                resume: Branch::NONE,
                is_ordered: node.is_ordered,
                fits_fast_path: node.is_ordered && is_short,
            });
            // The texts of literals stand in the order of their nodes.
            text += node.text.count;
            self.edges.extend(node.edges.iter().copied());
            leaves.extend(draft.leaves(NodeId(narrow(index)?)));
        }
        let (children, edges, leaf_ids) =
            (narrow(self.children.len())?, narrow(self.edges.len())?, narrow(leaves.len())?);
        self.nodes.push(Node { text, children, edges, leaves: leaf_ids, ..Node::EMPTY });
        self.tree.leaf_ids = leaves.into();
        Ok(())
    }

    /// Notes for every node what is left to try where it comes to nothing.
    fn branches(&mut self, draft: &Draft) -> Result<(), TooLarge> {
        let mut branches: Vec<Branch> = Vec::new();
        // How many segments are before each node, and how many of them are values.
        let mut depths: Vec<(u16, u16)> = vec![(0, 0); self.nodes.len()];
        // A node comes after the one that leads to it.
        for (index, node) in draft.nodes.iter().enumerate() {
            let (packed, (first, last)) = (self.nodes[index], (self.nodes[index].edges, self.nodes[index + 1].edges));
            let (at, values) = depths[index];
            let below = |more: u16| (at.saturating_add(1), values.saturating_add(more));
            let mut next = packed.resume;
            // The last edge has nothing after it, the one before has the last, and all literals have all edges. A tail's edge
            // leads back to its own node.
            for (edge, way) in (first..last).zip(&node.edges).rev() {
                if way.target.0 as usize != index {
                    self.nodes[way.target.0 as usize].resume = next;
                    depths[way.target.0 as usize] = below(self.tree.pattern(way.pattern).values());
                }
                if edge > first || node.literals() > 0 {
                    let edges = Stretch { start: edge, count: last - edge };
                    branches.push(Branch { at, values, edges, next: packed.resume });
                    next = narrow(branches.len() - 1)?;
                }
            }
            let children = packed.children as usize..self.nodes[index + 1].children as usize;
            for &target in &self.children[children] {
                self.nodes[target.0 as usize].resume = next;
                depths[target.0 as usize] = below(0);
            }
        }
        self.tree.branches = branches.into();
        Ok(())
    }

    /// Makes the slots of the fast path.
    fn slots(&mut self, texts: &Texts, routes: &[Route]) -> Result<(), TooLarge> {
        let (count, spreads) = self.spreads(texts)?;
        let mut slots = Slots::of(count);
        // For each node its slot; none for one whose way there is a part of the slot before it.
        let mut places = vec![Slots::NONE; self.nodes.len() - 1];
        places[0] = slots.bare()?;
        self.tree.root_slot = places[0];
        let mut literals = Vec::new();
        for index in 0..self.nodes.len() - 1 {
            let (slot, mut id) = (places[index], NodeId(narrow(index)?));
            if slot == Slots::NONE {
                continue;
            }
            let mut node = NodeRef::of(&self.nodes, id);
            if !node.fits_fast_path {
                slots.ends(slot, id, Outcome::Unsure);
                continue;
            }
            slots.ends(slot, id, self.outcome(node, routes));
            if let Some(edge) = self.joined(node) {
                (id, node) = (edge.target, NodeRef::of(&self.nodes, edge.target));
                slots.follows(slot, (edge.pattern, edge.quick), edge.target, self.outcome(node, routes));
            }
            self.plain_literals(node, texts, &mut literals);
            if !literals.is_empty() {
                let known = spreads.binary_search_by_key(&id, |(id, _)| *id).map(|at| &spreads[at].1);
                let places_of = match known {
                    Ok(spread) => slots.literals(slot, &literals, spread)?,
                    Err(_) => slots.literals(slot, &literals, &Spread::of(&literals))?,
                };
                let children = node.children(&self.children).iter().filter(|child| texts.is_plain(**child));
                for (child, place) in children.zip(places_of) {
                    places[child.0 as usize] = place;
                }
            }
            let is_joined = id.0 as usize != index;
            let first = node.edges as usize;
            let edges = first..first + node.edges(&self.edges).len();
            for edge in &mut self.edges[edges.clone()] {
                if edge.target != id {
                    let place = slots.bare()?;
                    (places[edge.target.0 as usize], edge.slot) = (place, place);
                }
            }
            if let ([edge, ..], false) = (&self.edges[edges], is_joined)
                && edge.target != id
            {
                slots.stands_beside(slot, edge.quick, edge.is_tail, edge.slot);
            }
        }
        self.tree.slots = slots.finish();
        Ok(())
    }

    /// How many slots there will be, and how literals are spread that follow one node.
    fn spreads(&self, texts: &Texts) -> Result<(usize, Vec<(NodeId, Spread)>), TooLarge> {
        // The first is that of the root.
        let (mut count, mut spreads, mut literals) = (1, Vec::new(), Vec::new());
        for index in 0..self.nodes.len() - 1 {
            let id = NodeId(narrow(index)?);
            let node = NodeRef::of(&self.nodes, id);
            if !node.fits_fast_path {
                continue;
            }
            let ahead = node.edges(&self.edges).iter().filter(|edge| edge.target != id).count();
            count += if self.joined(node).is_some() { 0 } else { ahead };
            self.plain_literals(node, texts, &mut literals);
            if literals.len() > 1 {
                let spread = Spread::of(&literals);
                count += spread.taken();
                spreads.push((id, spread));
            } else {
                count += literals.len();
            }
        }
        Ok((count, spreads))
    }

    /// The pattern that follows a node at once, and shares its slot.
    fn joined(&self, node: NodeRef<'_>) -> Option<&Edge> {
        let ([], [edge]) = (node.children(&self.children), node.edges(&self.edges)) else { return None };
        let target = NodeRef::of(&self.nodes, edge.target);
        (!edge.is_tail && target.fits_fast_path && !self.is_fork(target)).then_some(edge)
    }

    /// The literals that follow a node, with the places of their texts: those that a path may have that needs no escape.
    fn plain_literals<'t>(&self, node: NodeRef<'_>, texts: &'t Texts, literals: &mut Vec<(&'t str, u32)>) {
        literals.clear();
        let children = node.children(&self.children).iter().filter(|child| texts.is_plain(**child));
        literals.extend(children.map(|child| (texts.of(*child), texts.place(*child).start)));
    }

    /// Whether literals and patterns follow a node. Then it is better off with a slot of its own.
    fn is_fork(&self, node: NodeRef<'_>) -> bool {
        !node.children(&self.children).is_empty() && !node.edges(&self.edges).is_empty()
    }

    /// What a `GET` comes to that ends at a node, as far as its path tells.
    fn outcome(&self, node: NodeRef<'_>, routes: &[Route]) -> Outcome {
        let leaves = node.leaves(&self.tree.leaf_ids);
        let leaf = |id: &LeafId| &self.tree.leaves[id.0 as usize];
        let route = |id: &LeafId| &routes[leaf(id).route.index()];
        let is_certain = |id: &LeafId| {
            route(id).extras.host.is_none() && leaf(id).tail.is_none_or(|tail| takes_any(tail, route(id)))
        };
        let is_able = |id: &&LeafId| leaves.len() == 1 || leaf(id).query != QueryRole::Required;
        let mut able = leaves.iter().filter(is_able);
        match (able.next(), able.next()) {
            (None, _) if leaves.is_empty() => Outcome::Nothing,
            (Some(one), None) if leaves.iter().all(is_certain) && route(one).methods.allows("GET") => {
                Outcome::Ends(*one)
            }
            _ => Outcome::Unsure,
        }
    }

    /// How many values the segments of a path have.
    fn values(&self, steps: &[SegmentStep]) -> u16 {
        let count = |step: &SegmentStep| match step {
            SegmentStep::Literal => 0,
            SegmentStep::Pattern(pattern) => self.tree.pattern(*pattern).values(),
        };
        steps.iter().map(count).fold(0, u16::saturating_add)
    }

    /// Packs the leaves, each with what can be computed about it beforehand.
    fn leaves(&mut self, draft: &Draft, routes: &[Route]) -> Result<(), TooLarge> {
        let mut packed = Vec::with_capacity(draft.leaves.len());
        let (mut all_steps, mut all_covers, mut all_captures) = (Once::new(), Once::new(), Once::new());
        for leaf in &draft.leaves {
            let route = &routes[leaf.route.index()];
            let is_unconditional = route.extras.host.is_none()
                && route.extras.query.is_empty()
                && leaf.tail.is_none_or(|tail| takes_any(tail, route));
            let captures = leaf.captures.of(&draft.captures);
            let steps: SmallVec<[SegmentStep; 8]> = leaf.words.of(&draft.words).iter().map(step).collect();
            let in_order = captures
                .iter()
                .enumerate()
                .take_while(|(at, one)| usize::from(one.param) == *at && usize::from(one.value) == *at);
            let mut simple = in_order.count();
            // A tail comes after all segments.
            let is_text = leaf.tail.is_some_and(|tail| {
                tail.kind == TailKind::Rest
                    && usize::from(tail.param) == simple
                    && route.params[simple].check.shape() == Shape::One
            });
            if is_text && simple == captures.len() {
                simple += 1;
            }
            let is_one = |param: &Param| param.check.shape() == Shape::One;
            let simple = simple.min(route.params.iter().take_while(|param| is_one(param)).count());
            let is_absent = |(index, param): (usize, &Param)| {
                let is_here = match param.kind {
                    ParamKind::Segment => captures.iter().any(|one| usize::from(one.param) == index),
                    ParamKind::Items | ParamKind::Rest => leaf.tail.is_some(),
                    _ => true,
                };
                !is_here && param.check.default.is_none()
            };
            packed.push(Leaf {
                route: leaf.route,
                steps: all_steps.put(&steps)?,
                covers: all_covers.put(leaf.covers.of(&draft.covers))?,
                captures: all_captures.put(captures)?,
                tail: leaf.tail,
                is_unconditional,
                simple: u16::try_from(simple).unwrap_or(u16::MAX),
                has_only_simple: route.params.iter().enumerate().skip(simple).all(is_absent),
                reads_much: route.extras.query.params.len() > FEW,
                values: self.values(&steps),
                query: role_of_query(route),
                unguarded_page: route.page.filter(|_| route.is_unguarded),
            });
        }
        // Where several end at one node, a query may choose among them.
        for index in 0..draft.nodes.len() {
            let ids = NodeRef::of(&self.nodes, NodeId(narrow(index)?)).leaves(&self.tree.leaf_ids);
            let is_asked = |id: &LeafId| packed[id.0 as usize].query != QueryRole::None;
            if ids.len() > 1 && ids.iter().any(is_asked) {
                for id in ids.iter().map(|id| id.0 as usize) {
                    let leaf = &mut packed[id];
                    leaf.query = if leaf.query == QueryRole::Required { leaf.query } else { QueryRole::Chooses };
                }
            }
        }
        (self.tree.steps, self.tree.covers, self.tree.captures) =
            (all_steps.all.into(), all_covers.all.into(), all_captures.all.into());
        self.tree.leaves = packed.into();
        Ok(())
    }
}

/// The first eight bytes of a text, in the order of texts.
fn first_bytes(text: &str) -> u64 {
    let first = text.as_bytes().first_chunk::<8>().map(|first| u64::from_be_bytes(*first));
    first.unwrap_or_else(|| {
        (0..8).fold(0, |word, at| word << 8 | text.as_bytes().get(at).map_or(0, |byte| u64::from(*byte)))
    })
}

fn step(word: &Word) -> SegmentStep {
    match word {
        Word::Literal(_) => SegmentStep::Literal,
        Word::Pattern(pattern) => SegmentStep::Pattern(*pattern),
    }
}

/// What a query has to do with whether a route answers, where no other is met at the same place.
fn role_of_query(route: &Route) -> QueryRole {
    let query = &route.extras.query;
    let is_required = !query.literals.is_empty()
        || query.params.iter().any(|param| param.is_required)
        || query.rest.as_ref().is_some_and(|rest| rest.is_required);
    match (is_required, query.asks()) {
        (true, _) => QueryRole::Required,
        (false, true) => QueryRole::Judged,
        (false, false) if route.has_defaults => QueryRole::Judged,
        (false, false) => QueryRole::None,
    }
}

/// Whether a tail takes whatever its segments let through.
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
