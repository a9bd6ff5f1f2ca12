//! The tree of segments, and the choice of the narrowest route.

use std::borrow::Cow;
use std::sync::Arc;

use hashbrown::HashMap;
use smallvec::SmallVec;

use super::ask::Ask;
use super::pattern::{Pattern, PatternId};
use super::route::{Route, RouteId};
use crate::rule::Check;

/// The index of a node; the root is 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct NodeId(pub(crate) u32);

/// The index of an ending.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct EndingId(pub(crate) u32);

/// What all routes of a table accept, segment by segment.
///
/// Every node but those of a tail is reached by exactly one way from the root; the node of a tail has one
/// edge, to itself. So a walk meets a node at most once for each segment, and cannot blow up.
#[derive(Debug, Default)]
pub(crate) struct Tree {
    pub(crate) nodes: Vec<Node>,
    pub(crate) endings: Vec<Ending>,
    pub(crate) patterns: Vec<Pattern>,
    pub(crate) order: Order,
    /// Does letter case not count in literals? Then their keys are in small letters.
    pub(crate) folds: bool,
}

/// Where a walk stands after some segments.
#[derive(Debug, Default)]
pub(crate) struct Node {
    pub(crate) literals: HashMap<Box<str>, NodeId>,
    /// The narrower before the wider.
    pub(crate) edges: Vec<Edge>,
    /// What ends here.
    pub(crate) endings: Vec<EndingId>,
    /// Of two ways that accept a common segment, is the earlier always the narrower? Then the first way that
    /// leads to an ending is the right one.
    pub(crate) is_ordered: bool,
}

/// A way on for segments that are no literal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Edge {
    pub(crate) pattern: PatternId,
    pub(crate) target: NodeId,
    /// Does it lead to a tail, which goes on accepting segments?
    pub(crate) is_tail: bool,
}

/// A way through the path of a route, from its first segment to its last.
#[derive(Debug)]
pub(crate) struct Ending {
    pub(crate) route: RouteId,
    /// What each segment is; a tail is the last.
    pub(crate) steps: Box<[Step]>,
    /// For each level of the route's chain, where the part that it covers ends.
    pub(crate) covers: Box<[Cover]>,
    pub(crate) captures: Box<[Capture]>,
    pub(crate) tail: Option<Tail>,
    /// Where letter case does not count: the literals as the route declares them, by segment.
    pub(crate) spelling: Box<[(u16, Box<str>)]>,
}

/// What a segment must be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Step {
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
}

/// The segments at the end of a path that one parameter takes.
#[derive(Debug)]
pub(crate) struct Tail {
    pub(crate) param: u16,
    pub(crate) kind: TailKind,
    pub(crate) check: Arc<Check>,
}

/// How a tail is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum TailKind {
    /// `{/path*}`: a list, whose rule speaks of each segment.
    Items,
    /// `{+tail}`: one value that may hold slashes, whose rule speaks of the whole.
    Rest,
}

/// Which of two is the narrower.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Narrower {
    Left,
    Right,
    /// Both accept the same.
    Same,
    /// Neither holds the other.
    Neither,
    /// Neither, but the left is asked first: two live lists, whose rules stand in that order in the table.
    LeftAsked,
    /// Neither, but the right is asked first.
    RightAsked,
}

/// What is known of pairs, worked out when the table was built.
#[derive(Debug, Default)]
pub(crate) struct Order {
    /// Pairs of patterns that accept a common segment, the lower number first.
    pub(crate) patterns: HashMap<(PatternId, PatternId), Narrower>,
    /// Pairs of endings whose segments do not decide, the lower number first.
    pub(crate) endings: HashMap<(EndingId, EndingId), Narrower>,
    /// Patterns that accept one text only, and so are no wider than a literal.
    pub(crate) single: Vec<bool>,
}

impl Narrower {
    pub(crate) fn flipped(self) -> Self {
        match self {
            Self::Left => Self::Right,
            Self::Right => Self::Left,
            Self::LeftAsked => Self::RightAsked,
            Self::RightAsked => Self::LeftAsked,
            other => other,
        }
    }
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
    pub(crate) fn steps(&self, left: Step, right: Step) -> Narrower {
        let against_literal = |pattern: PatternId, narrower| {
            if self.single[pattern.0 as usize] { Narrower::Same } else { narrower }
        };
        match (left, right) {
            (Step::Literal, Step::Literal) => Narrower::Same,
            (Step::Literal, Step::Pattern(pattern)) => against_literal(pattern, Narrower::Left),
            (Step::Pattern(pattern), Step::Literal) => against_literal(pattern, Narrower::Right),
            (Step::Pattern(left), Step::Pattern(right)) if left == right => Narrower::Same,
            (Step::Pattern(left), Step::Pattern(right)) => {
                pair(&self.patterns, left, right).unwrap_or(Narrower::Neither)
            }
        }
    }

    /// The first segment where two ways differ decides; where none does, what was worked out for the pair.
    pub(crate) fn compare(&self, tree: &Tree, left: EndingId, right: EndingId, segments: usize) -> Narrower {
        let (a, b) = (tree.ending(left), tree.ending(right));
        for at in 0..segments {
            let (Some(left), Some(right)) = (a.step(at), b.step(at)) else { break };
            match self.steps(left, right) {
                Narrower::Same => {}
                decided => return decided,
            }
        }
        pair(&self.endings, left, right).unwrap_or(Narrower::Neither)
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
pub(crate) type Accepted = SmallVec<[EndingId; 4]>;

impl NodeId {
    pub(crate) const ROOT: Self = Self(0);
}

impl Ending {
    /// What the segment of that index must be; past the last, what the tail goes on accepting.
    pub(crate) fn step(&self, at: usize) -> Option<Step> {
        self.steps.get(at).or(self.steps.last().filter(|_| self.tail.is_some())).copied()
    }
}

impl Tree {
    pub(crate) fn node(&self, id: NodeId) -> &Node {
        &self.nodes[id.0 as usize]
    }

    pub(crate) fn ending(&self, id: EndingId) -> &Ending {
        &self.endings[id.0 as usize]
    }

    pub(crate) fn pattern(&self, id: PatternId) -> &Pattern {
        &self.patterns[id.0 as usize]
    }

    /// The way on for a literal segment.
    pub(crate) fn literal(&self, node: &Node, text: &str) -> Option<NodeId> {
        let key = if self.folds { folded(text) } else { Cow::Borrowed(text) };
        node.literals.get(&*key).copied()
    }

    /// The endings that answer a URL, each no wider than any other that accepts it. More than one only where
    /// their methods differ or where a priority or the order of declaration decides.
    pub(crate) fn find(&self, ask: &Ask<'_, '_>, routes: &[Route]) -> Accepted {
        let mut accepted = Accepted::new();
        self.collect(NodeId::ROOT, 0, ask, routes, &mut accepted);
        if accepted.len() > 1 {
            let all = accepted.clone();
            accepted.retain(|one| !all.iter().any(|other| self.beats(*other, *one, ask.segments.list.len())));
        }
        accepted
    }

    /// Is `left` narrower than `right`?
    fn beats(&self, left: EndingId, right: EndingId, segments: usize) -> bool {
        if left == right {
            return false;
        }
        let (a, b) = (self.ending(left).route, self.ending(right).route);
        match self.order.compare(self, left, right, segments) {
            Narrower::Left | Narrower::LeftAsked => true,
            Narrower::Right | Narrower::RightAsked => false,
            // Two ways through one route: the one that fills more from the left was made first.
            _ if a == b => left < right,
            Narrower::Same | Narrower::Neither => false,
        }
    }

    fn collect(&self, id: NodeId, at: usize, ask: &Ask<'_, '_>, routes: &[Route], accepted: &mut Accepted) {
        let node = self.node(id);
        let Some(segment) = ask.segments.list.get(at) else {
            let meets = |ending: &EndingId| {
                let ending = self.ending(*ending);
                let route = &routes[ending.route.0 as usize];
                ask.meets(&route.query, route.host.as_ref()) && ending.tail_fits(ask)
            };
            accepted.extend(node.endings.iter().copied().filter(meets));
            return;
        };
        let before = accepted.len();
        let is_done = |accepted: &Accepted| node.is_ordered && accepted.len() > before;
        if let Some(target) = self.literal(node, &segment.text) {
            self.collect(target, at + 1, ask, routes, accepted);
        }
        for edge in &node.edges {
            if is_done(accepted) {
                return;
            }
            if self.pattern(edge.pattern).accepts(&segment.text, ask.lists) {
                self.collect(edge.target, at + 1, ask, routes, accepted);
            }
        }
    }

    /// The ending whose route covers the most of the path, seen from the root.
    pub(crate) fn covering(&self, ask: &Ask<'_, '_>, routes: &[Route]) -> Option<EndingId> {
        let mut best = None;
        self.cover(NodeId::ROOT, 0, ask, routes, &mut best);
        best.map(|(_, ending)| ending)
    }

    fn cover(&self, id: NodeId, at: usize, ask: &Ask<'_, '_>, routes: &[Route], best: &mut Option<(usize, EndingId)>) {
        let node = self.node(id);
        let host_fits = |ending: &EndingId| {
            routes[self.ending(*ending).route.0 as usize]
                .host
                .as_ref()
                .is_none_or(|host| host.accepts(ask.host, ask.lists))
        };
        if best.is_none_or(|(most, _)| at > most)
            && let Some(ending) = node.endings.iter().copied().find(host_fits)
        {
            // The first of the deepest stays: an earlier way is the narrower one.
            *best = Some((at, ending));
        }
        let Some(segment) = ask.segments.list.get(at) else { return };
        if let Some(target) = self.literal(node, &segment.text) {
            self.cover(target, at + 1, ask, routes, best);
        }
        for edge in &node.edges {
            if self.pattern(edge.pattern).accepts(&segment.text, ask.lists) {
                self.cover(edge.target, at + 1, ask, routes, best);
            }
        }
    }
}

impl Ending {
    /// Does the tail have as many segments as its rule wants, and the value that it wants?
    pub(crate) fn tail_fits(&self, ask: &Ask<'_, '_>) -> bool {
        let Some(tail) = &self.tail else { return true };
        let Some(segments) = ask.segments.list.get(self.steps.len() - 1..) else { return false };
        match tail.kind {
            TailKind::Items => {
                (usize::from(tail.check.min_items)..=usize::from(tail.check.max_items)).contains(&segments.len())
            }
            TailKind::Rest if tail.check.is_any() => true,
            TailKind::Rest => {
                let value = segments.iter().map(|segment| &*segment.text).collect::<Vec<_>>().join("/");
                tail.check.accepts(&value)
                    && tail.check.list.as_ref().is_none_or(|list| ask.lists.contains(list, &value))
            }
        }
    }
}
