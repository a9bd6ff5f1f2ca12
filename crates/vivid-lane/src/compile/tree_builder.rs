//! ResolvedParam routes → tree.

use std::borrow::Cow;
use std::cmp::Reverse;
use std::collections::BTreeSet;
use std::sync::Arc;

use hashbrown::HashMap;

use super::Size;
use super::choice::FEWEST;
use super::draft::{Draft, DraftEdge, DraftLeaf, DraftNode, ROOT, Word};
use super::patterns::{Patterns, address};
use super::resolved::{ResolvedRoute, met};
use crate::lookup::{
    Affix, Capture, Cover, LeafId, NodeId, Order, Param, PathVariant, Pattern, PatternId, Piece, RouteId, Segment,
    Tail, TailKind, folded,
};
use crate::rule::{Check, Narrower, TooLarge};

/// A tree that is being built, with what its analysis needs and its lookup does not.
#[derive(Debug)]
pub(super) struct TreeBuilder {
    pub(super) draft: Draft,
    pub(super) order: Order,
    pub(super) patterns: Patterns,
    /// The patterns that are one value, by its rule.
    values: HashMap<usize, PatternId>,
    /// What a tail of one value lets through, segment by segment.
    any: Arc<Check>,
    /// The patterns that are not one value.
    ids: HashMap<Vec<PatternKey>, PatternId>,
}

/// A segment as it is read: its text, or its pattern.
enum Sort<'s> {
    Literal(Cow<'s, str>),
    Pattern(PatternId),
}

/// What makes two patterns the same one. Rules that say the same are one, so their address tells.
type PatternKey = Piece<usize>;

impl TreeBuilder {
    pub(super) fn new(folds: bool, size: Size) -> Self {
        Self {
            draft: Draft::new(folds, size),
            order: Order::default(),
            patterns: Patterns::default(),
            values: HashMap::new(),
            any: Arc::new(Check::any()),
            ids: HashMap::new(),
        }
    }

    /// Adds a route that answers URLs: every way through its path.
    pub(super) fn add(&mut self, params: &[Param], variants: &[PathVariant], id: RouteId) -> Result<(), TooLarge> {
        for variant in met(variants, params) {
            self.way(params, id, variant)?;
        }
        self.draft.answering = self.draft.leaves.len();
        Ok(())
    }

    /// Notes where the paths of a route end that is not met there: that of a group, and what stands before a tail. A
    /// URL that leads to no page is covered by it. All routes that answer are in the tree already; a place that none of
    /// them passes is left out.
    pub(super) fn add_area(&mut self, known: &ResolvedRoute, params: &[Param], id: RouteId) -> Result<(), TooLarge> {
        let is_end = |variant: &&PathVariant| known.answers && variant.tail.is_none();
        let met: Vec<&PathVariant> = met(&known.variants, params).filter(is_end).collect();
        for variant in &known.variants {
            if met.iter().any(|known| known.segments == variant.segments) {
                continue;
            }
            let covers = variant.covers.iter().map(|cover| Cover { has_tail: false, ..*cover }).collect();
            let area = PathVariant { segments: variant.segments.clone(), tail: None, covers };
            self.area(params, id, &area)?;
        }
        Ok(())
    }

    fn area(&mut self, params: &[Param], id: RouteId, variant: &PathVariant) -> Result<(), TooLarge> {
        let mut at = ROOT;
        for segment in &variant.segments {
            let next = match self.sort_of(segment, params)? {
                Sort::Literal(text) if self.draft.folds => self.draft.literal(at, &folded(&text)),
                Sort::Literal(text) => self.draft.literal(at, &text),
                Sort::Pattern(pattern) => self.draft.edge(at, pattern, false),
            };
            let Some(next) = next else { return Ok(()) };
            at = next;
        }
        let is_noted = |leaf: &LeafId| self.leaf(*leaf).route == id;
        if self.draft.areas.get(&at).is_some_and(|known| known.iter().any(is_noted)) {
            return Ok(());
        }
        self.way(params, id, variant)?;
        self.draft.last_is_area(at);
        Ok(())
    }

    fn way(&mut self, params: &[Param], id: RouteId, variant: &PathVariant) -> Result<(), TooLarge> {
        let mut at = ROOT;
        let leaf = self.draft.next_leaf()?;
        let (first_word, first_capture) = (self.draft.words.len(), self.draft.captures.len());
        for (index, segment) in (0..).zip(&variant.segments) {
            let word = match self.sort_of(segment, params)? {
                Sort::Literal(text) => {
                    let key = if self.draft.folds { folded(&text) } else { Cow::Borrowed(&*text) };
                    at = self.draft.add_literal(at, &key)?;
                    if self.draft.folds {
                        self.draft.spelling.insert((leaf, index), Box::from(&*text));
                    }
                    Word::Literal(at)
                }
                Sort::Pattern(pattern) => {
                    let is_whole = segment.len() == 1;
                    let values = (0..).zip(segment).filter_map(|(at, piece)| Some((at, *piece.value()?)));
                    for (piece, param) in values {
                        self.draft.captures.push(Capture { param, segment: index, piece, is_whole });
                    }
                    at = self.draft.add_edge(at, pattern, false)?;
                    Word::Pattern(pattern)
                }
            };
            self.draft.words.push(word);
        }
        let mut tail = None;
        if let Some((param, kind)) = variant.tail {
            let item = match kind {
                TailKind::Items => Arc::clone(&params[usize::from(param)].texts),
                // The rule speaks of the whole tail; each of its segments may be anything.
                TailKind::Rest => Arc::clone(&self.any),
            };
            let pattern = self.value(&item)?;
            at = self.draft.add_edge(at, pattern, true)?;
            self.draft.words.push(Word::Pattern(pattern));
            tail = Some(Tail { param, kind });
        }
        let first_cover = self.draft.covers.len();
        self.draft.covers.extend(variant.covers.iter().map(|cover| whole_where_it_is(*cover, variant)));
        self.draft.add_leaf(at, id, (first_word, first_cover, first_capture), tail)
    }

    /// A segment as literal text, or as a pattern that is noted once.
    fn sort_of<'s>(&mut self, segment: &'s Segment, params: &[Param]) -> Result<Sort<'s>, TooLarge> {
        match segment.as_slice() {
            [] => return Ok(Sort::Literal("".into())),
            [Piece::Text(text)] => return Ok(Sort::Literal(text.as_str().into())),
            [Piece::Value(param)] => {
                return Ok(Sort::Pattern(self.value(&params[usize::from(*param)].texts)?));
            }
            _ => {}
        }
        if segment.iter().all(|piece| piece.value().is_none()) {
            // Text that two levels give to one segment is in two pieces.
            return Ok(Sort::Literal(segment.iter().filter_map(Piece::text).collect()));
        }
        let check = |param: &u16| Arc::clone(&params[usize::from(*param)].texts);
        let pieces: Vec<Piece> = segment.iter().map(|piece| piece.map(check)).collect();
        let key: Vec<PatternKey> = pieces.iter().map(|piece| piece.map(address)).collect();
        if let Some(&known) = self.ids.get(&key) {
            return Ok(Sort::Pattern(known));
        }
        let id = self.patterns.add(Pattern::new(pieces))?;
        self.ids.insert(key, id);
        Ok(Sort::Pattern(id))
    }

    /// The pattern of a segment that is one value.
    fn value(&mut self, check: &Arc<Check>) -> Result<PatternId, TooLarge> {
        if let Some(&known) = self.values.get(&address(check)) {
            return Ok(known);
        }
        let id = self.patterns.add(Pattern::new(vec![Piece::Value(Arc::clone(check))]))?;
        self.values.insert(address(check), id);
        Ok(id)
    }

    /// What the segments of a leaf are.
    pub(super) fn words(&self, id: LeafId) -> &[Word] {
        self.leaf(id).words.of(&self.draft.words)
    }

    /// What the parameters of a leaf capture.
    pub(super) fn captures(&self, id: LeafId) -> &[Capture] {
        self.leaf(id).captures.of(&self.draft.captures)
    }

    /// Puts the narrower edges of every node first, and marks the nodes at which the first way that leads on
    /// is the right one.
    pub(super) fn sort(&mut self) -> Result<(), TooLarge> {
        for id in (0..self.draft.nodes.len()).map(node_id) {
            let id = id?;
            let node = self.node(id);
            let mut is_ordered = true;
            for edge in &node.edges {
                let text = self.patterns.sole(edge.pattern)?;
                is_ordered &= text.is_none_or(|text| self.draft.literal(id, &text).is_none());
            }
            if node.edges.len() > 1 {
                let pairs = self.sharing(id)?;
                let places = order_of(&self.ranks(id), &pairs);
                for (left, right, narrower) in pairs {
                    let first = if places[left] < places[right] { narrower } else { narrower.flipped() };
                    is_ordered &= first.is_left_first();
                }
                let node = self.draft.node_mut(id);
                let declared = node.edges.clone();
                for (place, edge) in places.into_iter().zip(declared) {
                    node.edges[place] = edge;
                }
            }
            self.draft.node_mut(id).is_ordered = is_ordered;
        }
        let count = u32::try_from(self.patterns.all.len()).map_err(|_| TooLarge::Numbers)?;
        self.order.single = (0..count).map(|id| self.patterns.is_sole(PatternId(id))).collect();
        Ok(())
    }

    /// For each edge of a node, the rank that orders edges of which neither has to come first: if there are many, those with a text are grouped,
    /// the longer before the shorter, so that a walk can [choose](super::choice) among them.
    fn ranks(&self, id: NodeId) -> Vec<Rank> {
        let edges = &self.node(id).edges;
        let is_many = edges.len() >= FEWEST;
        let affix = |edge: &DraftEdge| self.patterns.pattern(edge.pattern).affix().filter(|_| is_many);
        let rank = |edge| affix(edge).map_or((true, None), |(affix, text)| (false, Some((affix, Reverse(text.len())))));
        edges.iter().map(rank).collect()
    }

    /// The pairs of edges of a node that accept a common segment, by their places, and which of the two is the narrower.
    pub(super) fn sharing(&mut self, id: NodeId) -> Result<Vec<(usize, usize, Narrower)>, TooLarge> {
        let edges = &self.draft.node(id).edges;
        if edges.len() < 2 {
            return Ok(Vec::new());
        }
        let patterns: Vec<PatternId> = edges.iter().map(|edge| edge.pattern).collect();
        self.patterns.sharing(&patterns)
    }

    pub(super) fn node(&self, id: NodeId) -> &DraftNode {
        self.draft.node(id)
    }

    /// Whether it is the number of a way of that route which answers URLs.
    pub(super) fn is_leaf_of(&self, id: LeafId, route: RouteId) -> bool {
        let at = id.0 as usize;
        at < self.draft.answering && self.draft.leaves[at].route == route
    }

    /// The first way of a route that answers URLs. Ways stand in the order of their routes.
    pub(super) fn first_leaf(&self, route: RouteId) -> Result<LeafId, TooLarge> {
        let at = self.draft.leaves[..self.draft.answering].partition_point(|leaf| leaf.route < route);
        u32::try_from(at).map(LeafId).map_err(|_| TooLarge::Numbers)
    }

    pub(super) fn leaf(&self, id: LeafId) -> &DraftLeaf {
        &self.draft.leaves[id.0 as usize]
    }
}

fn node_id(index: usize) -> Result<NodeId, TooLarge> {
    u32::try_from(index).map(NodeId).map_err(|_| TooLarge::Numbers)
}

/// Edges without a text come last.
type Rank = (bool, Option<(Affix, Reverse<usize>)>);

/// For each of some edges its place in an order in which the narrower of two that share a segment comes first, else the one of the lower
/// rank, and else the one that was declared first. Pairs that run in a circle, as lists may, stay as they were declared.
fn order_of(ranks: &[Rank], pairs: &[(usize, usize, Narrower)]) -> Vec<usize> {
    let count = ranks.len();
    let mut wider: Vec<Vec<usize>> = vec![Vec::new(); count];
    let mut narrower_ones = vec![0_usize; count];
    for &(left, right, narrower) in pairs {
        let (first, second) = match narrower {
            Narrower::Left | Narrower::LeftAsked => (left, right),
            Narrower::Right | Narrower::RightAsked => (right, left),
            Narrower::Same | Narrower::Neither => continue,
        };
        wider[first].push(second);
        narrower_ones[second] += 1;
    }
    let ranked = |at: usize| (ranks[at], at);
    let mut ready: BTreeSet<(Rank, usize)> = (0..count).filter(|&at| narrower_ones[at] == 0).map(ranked).collect();
    let mut left: BTreeSet<usize> = (0..count).collect();
    let mut places = vec![0; count];
    for place in 0..count {
        let Some(next) = ready.pop_first().map(|(_, at)| at).or_else(|| left.first().copied()) else { break };
        left.remove(&next);
        places[next] = place;
        for &other in &wider[next] {
            narrower_ones[other] = narrower_ones[other].saturating_sub(1);
            if narrower_ones[other] == 0 && left.contains(&other) {
                ready.insert(ranked(other));
            }
        }
    }
    places
}

/// A level that ends with its segment covers all of it.
fn whole_where_it_is(cover: Cover, variant: &PathVariant) -> Cover {
    let last = usize::from(cover.segments).checked_sub(1).and_then(|last| variant.segments.get(last));
    let is_whole = last.is_none_or(|pieces| cover.pieces.map(usize::from) == Some(pieces.len()));
    Cover { pieces: cover.pieces.filter(|_| !is_whole), ..cover }
}
