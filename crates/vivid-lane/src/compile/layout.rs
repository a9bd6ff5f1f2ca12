//! Draft tree → packed tree.

use std::hash::BuildHasher;

use hashbrown::{DefaultHashBuilder, HashTable};
use smallvec::SmallVec;

use super::choice::Run;
use super::draft::{Draft, ROOT, Word};
use super::tree_builder::TreeBuilder;
use crate::lookup::{
    Capture, Choice, Cover, Edge, Leaf, MOST_PLACES, NONE, NodeId, Nodes, Order, Param, ParamKind, Pattern, Route,
    SegmentStep, Stretch, Tail, TailKind, Tree, folded,
};
use crate::rule::{Shape, TooLarge};

/// Packs a tree, with all that its proof has found out about pairs of patterns.
pub(super) fn pack(builder: TreeBuilder, routes: &[Route]) -> Result<Tree, TooLarge> {
    let TreeBuilder { mut draft, order, patterns, .. } = builder;
    let (patterns, pairs) = patterns.into_pairs();
    let mut tree = {
        let mut packing = Packing::new(&draft, &patterns)?;
        packing.place_all(&draft)?;
        packing.text = std::mem::take(&mut draft.text);
        packing.connect(&draft)?;
        let Packing { nodes, places, edges, children, choices, text, .. } = packing;
        let place = |id: NodeId| NodeId(places[id.0 as usize]);
        let areas = std::mem::take(&mut draft.areas).into_iter();
        Tree {
            root: place(ROOT),
            areas: areas.map(|(node, leaves)| (place(node), leaves.into_boxed_slice())).collect(),
            nodes,
            edges: edges.into(),
            children: children.into(),
            choices: choices.into(),
            text: text.into(),
            order: Order { patterns: pairs, ..order },
            folds: draft.folds,
            answering: draft.answering,
            ..Tree::default()
        }
    };
    tree.patterns = patterns;
    leaves(&mut tree, &draft, routes)?;
    tree.spelling = draft.spelling;
    Ok(tree)
}

struct Packing<'p> {
    patterns: &'p [Pattern],
    /// For each node of the draft that has some, the last first, the edges among which a walk chooses.
    runs: Vec<(usize, Vec<Run<'p>>)>,
    nodes: Nodes,
    /// The texts of all literals.
    text: String,
    /// For each node of the draft, its index in the packed tree.
    places: Vec<u32>,
    edges: Vec<Edge>,
    /// How many edges there will be. Choices are numbered after them.
    edge_count: usize,
    choices: Vec<Choice>,
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
        let Self { param, segment, piece, .. } = *self;
        [param, segment, piece].iter().fold(0, |all, &one| all << 16 | u64::from(one))
    }
}

impl<'p> Packing<'p> {
    fn new(draft: &Draft, patterns: &'p [Pattern]) -> Result<Self, TooLarge> {
        let runs = draft.nodes.iter().map(|node| Run::all(&node.edges, patterns)).enumerate().rev();
        let runs: Vec<(usize, Vec<Run<'_>>)> = runs.filter(|(_, runs)| !runs.is_empty()).collect();
        let literals = draft.nodes.iter().map(|node| node.literals()).sum();
        let others = draft.nodes.len() - literals;
        let seed = DefaultHashBuilder::default().hash_one(draft.nodes.len());
        let texts: usize = runs.iter().flat_map(|(_, runs)| runs).map(|run| run.texts.len()).sum();
        let choices = runs.iter().map(|(_, runs)| runs.len()).sum();
        let edge_count = draft.nodes.iter().map(|node| node.edges.len()).sum();
        Ok(Self {
            patterns,
            runs,
            nodes: Nodes::new(literals + texts, others + choices, seed).ok_or(TooLarge::Numbers)?,
            text: String::new(),
            places: vec![NONE; draft.nodes.len()],
            edges: Vec::with_capacity(edge_count),
            edge_count,
            choices: Vec::with_capacity(choices),
            children: Vec::with_capacity(literals),
        })
    }

    /// Gives every node its place. A node comes after the one that leads to it.
    fn place_all(&mut self, draft: &Draft) -> Result<(), TooLarge> {
        let mut sorted: Vec<(u64, &str, NodeId)> = Vec::new();
        let (mut literals, mut entries) = (Vec::new(), Vec::new());
        self.places[ROOT.0 as usize] = self.nodes.bare().ok_or(TooLarge::Numbers)?;
        for index in 0..draft.nodes.len() {
            let (id, place) = (NodeId(narrow(index)?), self.places[index]);
            sorted.clear();
            // The first bytes of each, most of which differ, its text, and the node that it leads to.
            sorted.extend(draft.literals(id).map(|(text, child)| (first_bytes(text), text, child)));
            sorted.sort_unstable();
            literals.clear();
            literals.extend(sorted.iter().map(|&(_, text, child)| (text, draft.node(child).text.start)));
            self.nodes.literals(place, &literals, &mut entries);
            let first = narrow(self.children.len())?;
            for (&(.., child), &entry) in sorted.iter().zip(&entries) {
                self.places[child.0 as usize] = entry;
                self.children.push(NodeId(entry));
            }
            let node = self.nodes.of(place);
            (node.children, node.child_count) = (first, narrow(entries.len())?);
            for edge in draft.node(id).edges.iter().filter(|edge| edge.target != id) {
                self.places[edge.target.0 as usize] = self.nodes.bare().ok_or(TooLarge::Numbers)?;
            }
        }
        Ok(())
    }

    /// Fills in the edges of all nodes, and what is left to try after each.
    fn connect(&mut self, draft: &Draft) -> Result<(), TooLarge> {
        // For each node of the draft: how many segments are before it, what it leaves to try, and whether some of that is not in order.
        let mut known: Vec<(u16, u32, bool)> = vec![(0, NONE, false); draft.nodes.len()];
        for index in 0..draft.nodes.len() {
            let (at, resume, goes_on) = known[index];
            let (own, id) = (&draft.nodes[index], NodeId(narrow(index)?));
            let first = self.edges.len();
            let below = at.saturating_add(1);
            let (onward, following) = self.following(index, own.edges.len(), at, resume)?;
            for (edge, next) in own.edges.iter().zip(following) {
                let target = NodeId(self.places[edge.target.0 as usize]);
                let (pattern, is_tail, is_ordered) = (edge.pattern, edge.is_tail, own.is_ordered);
                let simple = self.patterns[pattern.0 as usize].simple();
                self.edges.push(Edge { pattern, target, next, at, simple, is_tail, is_ordered });
                if edge.target != id {
                    known[edge.target.0 as usize] = (below, next, goes_on || (next != resume && !is_ordered));
                }
            }
            for child in draft.children(id) {
                known[child.0 as usize] = (below, onward, goes_on || (!own.edges.is_empty() && !own.is_ordered));
            }
            let node = self.nodes.of(self.places[index]);
            (node.onward, node.first_edge, node.edge_count) = (onward, narrow(first)?, narrow(own.edges.len())?);
            (node.is_ordered, node.goes_on) = (own.is_ordered, goes_on);
            if let Some(edge) = self.edges.get(onward as usize).filter(|edge| onward != resume && !edge.is_tail) {
                (node.simple, node.target) = (edge.simple, edge.target.0);
            }
            let leaves = draft.leaves(id);
            node.leaf = leaves.first().map_or(NONE, |leaf| leaf.0);
        }
        Ok(())
    }

    /// What a node tries first of its edges and choices, and what after each of its edges; after the last, what is left from before.
    fn following(
        &mut self,
        index: usize,
        count: usize,
        at: u16,
        resume: u32,
    ) -> Result<(u32, SmallVec<[u32; 4]>), TooLarge> {
        let first = self.edges.len();
        let mut following = SmallVec::from_elem(resume, count);
        let mut next = resume;
        let mut runs = self.runs.pop_if(|(node, _)| *node == index).map(|(_, runs)| runs).unwrap_or_default();
        let mut place = count;
        while place > 0 {
            if let Some(run) = runs.pop_if(|run| run.end == place) {
                for (text, edges) in &run.texts {
                    let after = run.after(text).map_or(Ok(next), |at| narrow(first + at))?;
                    for pair in edges.windows(2) {
                        following[pair[0]] = narrow(first + pair[1])?;
                    }
                    edges.last().into_iter().for_each(|&last| following[last] = after);
                }
                place = run.start;
                next = self.choice(run, (first, at, next))?;
            } else {
                place -= 1;
                following[place] = next;
                next = narrow(first + place)?;
            }
        }
        Ok((next, following))
    }

    /// Adds the choice among some edges of a node, of which the number of the first is given, the segment that they take, and what is
    /// tried after them. Its number.
    fn choice(&mut self, run: Run<'p>, (first, at, next): (usize, u16, u32)) -> Result<u32, TooLarge> {
        let node = self.nodes.bare().ok_or(TooLarge::Numbers)?;
        let mut literals = Vec::with_capacity(run.texts.len());
        for &text in run.texts.keys() {
            literals.push((text, narrow(self.text.len())?));
            self.text.push_str(text);
        }
        let mut entries = Vec::new();
        self.nodes.literals(node, &literals, &mut entries);
        for (edges, entry) in run.texts.values().zip(entries) {
            self.nodes.of(entry).onward = narrow(first + edges[0])?;
        }
        let lengths = run.lengths.iter().rev().map(|&length| u16::try_from(length).map_err(|_| TooLarge::Numbers));
        let (lengths, affix) = (lengths.collect::<Result<_, _>>()?, run.affix);
        self.choices.push(Choice { node: NodeId(node), lengths, affix, next, at });
        narrow(self.edge_count + self.choices.len() - 1)
    }
}

/// Packs the leaves, each with what can be computed about it beforehand.
fn leaves(tree: &mut Tree, draft: &Draft, routes: &[Route]) -> Result<(), TooLarge> {
    let mut packed = Vec::with_capacity(draft.leaves.len());
    let (mut all_steps, mut all_covers, mut all_captures) = (Once::new(), Once::new(), Once::new());
    for leaf in &draft.leaves {
        let route = &routes[leaf.route.index()];
        let is_unconditional = route.extras.host.is_none()
            && !route.extras.query.asks
            && leaf.tail.is_none_or(|tail| takes_any(tail, route));
        let captures = leaf.captures.of(&draft.captures);
        let steps: SmallVec<[SegmentStep; 8]> = leaf.words.of(&draft.words).iter().map(step).collect();
        let mut simple = captures.iter().zip(0..).take_while(|(one, at)| one.param == *at).count();
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
            has_whole_values: captures.len() < MOST_PLACES && captures.iter().all(|one| one.is_whole),
            simple: u16::try_from(simple).unwrap_or(u16::MAX),
            has_only_simple: route.params.iter().enumerate().skip(simple).all(is_absent),
            open_page: route.page.filter(|_| route.is_unguarded && route.methods.allows("GET")),
            ignores_query: route.extras.query.is_unasked(),
            is_respelt: false,
            next: NONE,
        });
    }
    for id in (0..draft.nodes.len()).map(|index| narrow(index).map(NodeId)) {
        for pair in draft.leaves(id?).windows(2) {
            packed[pair[0].0 as usize].next = pair[1].0;
        }
    }
    for ((leaf, _), text) in &draft.spelling {
        packed[leaf.0 as usize].is_respelt |= *folded(text) != **text;
    }
    (tree.steps, tree.covers, tree.captures) = (all_steps.all.into(), all_covers.all.into(), all_captures.all.into());
    tree.leaves = packed.into();
    Ok(())
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
