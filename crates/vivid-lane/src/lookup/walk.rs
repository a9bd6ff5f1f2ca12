//! The one walk through the tree, what it is made for, and the choice of the narrowest route.

use super::node::{LeafId, NONE, NodeId};
use super::pattern::{Affix, allows};
use super::route::{Param, Route, RouteId};
use super::target::{Ask, Segments};
use super::tree::{Accepted, Choice, Edge, Leaf, TailKind, Tree};
use crate::rule::{Narrower, Simple};
use crate::template::percent::triplet;

/// What a walk is made for.
pub(crate) trait Visitor {
    /// Whether tails are followed.
    const FOLLOWS_TAILS: bool;

    /// The walk comes to a node after so many segments. Whether it goes on.
    #[inline(always)]
    fn passes(&mut self, _id: NodeId, _at: usize) -> bool {
        true
    }

    /// The path ends at a node whose first leaf this is. Whether that is what is looked for.
    fn ends(&mut self, leaf: LeafId) -> bool;
}

impl Tree {
    /// Walks down the tree with the segments of a path: the narrower way first, and where the order of ways does not decide, all of
    /// them.
    #[inline(always)]
    pub(crate) fn walk<V: Visitor>(&self, ask: &Ask<'_, '_>, visitor: &mut V) {
        let Segments { bytes, ends } = ask.target.literals();
        let count = ends.len().saturating_sub(1);
        let mut id = self.root.0;
        let Some(mut node) = self.nodes.get(id) else { return };
        // How many segments are before the node, and where the next one begins.
        let (mut at, mut start) = (0, segment_start(ends, 0));
        // Nodes after fewer segments than these have found something below them.
        let mut found = 0;
        loop {
            if !visitor.passes(NodeId(id), at) {
                return;
            }
            if let Some(&end) = ends.get(at + 1) {
                let end = usize::from(end);
                if node.child_count != 0
                    && let Some(next) = self.nodes.child(id, node, bytes, start..end, &self.text)
                {
                    id = next;
                } else if node.simple == Some(Simple::Any) || is_simple(node.simple, ask, at) {
                    id = node.target;
                } else {
                    id = NONE;
                }
                if let Some(next) = self.nodes.get(id) {
                    (node, at, start) = (next, at + 1, end + 1);
                    continue;
                }
            } else if node.leaf != NONE && visitor.ends(LeafId(node.leaf)) {
                if !node.goes_on {
                    return;
                }
                found = at;
            }
            match self.onward(ask, node.onward, count, &mut found, visitor) {
                Some((next, segments)) => (id, at, start) = (next, segments, segment_start(ends, segments)),
                None => return,
            }
            let Some(next) = self.nodes.get(id) else { return };
            node = next;
        }
    }

    /// The next edge that accepts its segment: the node that it leads to, and how many segments are before that.
    #[inline(never)]
    fn onward<V: Visitor>(
        &self,
        ask: &Ask<'_, '_>,
        mut next: u32,
        count: usize,
        found: &mut usize,
        visitor: &mut V,
    ) -> Option<(u32, usize)> {
        loop {
            let Some(edge) = self.edges.get(next as usize) else {
                let choice = self.choices.get((next as usize).wrapping_sub(self.edges.len()))?;
                next = self.chosen(choice, ask, count).unwrap_or(choice.next);
                continue;
            };
            next = edge.next;
            let at = usize::from(edge.at);
            // There is none after the last segment; and of what is in order, the first is the answer.
            if at >= count || (edge.is_ordered && at < *found) || (edge.is_tail && !V::FOLLOWS_TAILS) {
                continue;
            }
            if !self.accepts(edge, ask, at) {
                continue;
            }
            if !edge.is_tail {
                *found = (*found).min(at + 1);
                return Some((edge.target.0, at + 1));
            }
            let end = self.nodes.get(edge.target.0)?;
            if (at + 1..count).all(|at| self.accepts(edge, ask, at)) && visitor.ends(LeafId(end.leaf)) {
                if !end.goes_on {
                    return None;
                }
                *found = at + 1;
            }
        }
    }

    /// The first of the edges of a choice that the beginning or the end of its segment leaves.
    fn chosen(&self, choice: &Choice, ask: &Ask<'_, '_>, count: usize) -> Option<u32> {
        let at = usize::from(choice.at);
        if at >= count {
            return None;
        }
        let (bytes, node) = (ask.target.text(at).as_bytes(), self.node(choice.node));
        let lengths =
            choice.lengths.iter().map(|&length| usize::from(length)).skip_while(|&length| length > bytes.len());
        let found = lengths.map(|length| match choice.affix {
            Affix::Start => 0..length,
            Affix::End => bytes.len() - length..bytes.len(),
        });
        let mut found = found.filter_map(|place| self.nodes.child(choice.node.0, node, bytes, place, &self.text));
        found.next().and_then(|id| self.nodes.get(id)).map(|node| node.onward)
    }

    /// Whether the pattern of an edge accepts a segment.
    fn accepts(&self, edge: &Edge, ask: &Ask<'_, '_>, at: usize) -> bool {
        let target = ask.target;
        if let Some(simple) = edge.simple {
            return simple.accepts(target.text(at).as_bytes());
        }
        self.pattern(edge.pattern).accepts_segment(target.text(at), || target.raw(at), ask.answers)
    }

    /// The leaves that answer a URL, each no wider than any other that accepts it. More than one only where
    /// their methods differ or where a priority or the order of declaration decides.
    pub(crate) fn find(&self, ask: &Ask<'_, '_>, routes: &[Route]) -> Accepted {
        let mut search = Answering::new(self, ask, routes);
        self.walk(ask, &mut search);
        search.narrowest()
    }

    /// Keeps the leaves that no other of them is narrower than, for a path of so many segments.
    #[cold]
    pub(crate) fn retain_narrowest(&self, accepted: &mut Accepted, segments: usize) {
        let route = |leaf: LeafId| self.leaf(leaf).route;
        // Each route has its narrowest leaf before routes are compared: another of its leaves must not beat for it.
        for is_own in [true, false] {
            let all = accepted.clone();
            let beaten_by =
                |one: LeafId, other: LeafId| (route(one) == route(other)) == is_own && self.beats(other, one, segments);
            accepted.retain(|one| !all.iter().any(|other| beaten_by(*one, *other)));
        }
    }

    /// Whether `left` is narrower than `right`.
    fn beats(&self, left: LeafId, right: LeafId, segments: usize) -> bool {
        if left == right {
            return false;
        }
        let (a, b) = (self.leaf(left).route, self.leaf(right).route);
        match self.order.compare(self, left, right, segments) {
            Narrower::Left | Narrower::LeftAsked => true,
            Narrower::Right | Narrower::RightAsked => false,
            // Two ways through one route: the one that fills more from the left was made first.
            _ if a == b => left < right,
            Narrower::Same | Narrower::Neither => false,
        }
    }

    /// Whether a leaf accepts the host, the query and the tail.
    #[inline(always)]
    fn fits(&self, leaf: &Leaf, ask: &Ask<'_, '_>, routes: &[Route]) -> bool {
        let is_certain = leaf.is_unconditional && (leaf.tail.is_none() || !ask.target.is_escaped());
        is_certain || self.meets(leaf, ask, routes)
    }

    #[inline(never)]
    fn meets(&self, leaf: &Leaf, ask: &Ask<'_, '_>, routes: &[Route]) -> bool {
        let route = &routes[leaf.route.index()];
        ask.meets(&route.extras.query, route.extras.host.as_deref()) && self.tail_fits(leaf, ask, routes)
    }

    /// Whether the tail has as many segments as its rule wants, and a value that it wants and a link can write.
    pub(crate) fn tail_fits(&self, leaf: &Leaf, ask: &Ask<'_, '_>, routes: &[Route]) -> bool {
        let Some(tail) = &leaf.tail else { return true };
        let Param { check, texts, .. } = &routes[leaf.route.index()].params[usize::from(tail.param)];
        let first = leaf.steps.count as usize - 1;
        match tail.kind {
            TailKind::Items => {
                let count = ask.target.len().saturating_sub(first);
                check.refusal_of_number(count, ask.target.texts().skip(first)).is_none()
            }
            // What is not escaped is written as it stands.
            TailKind::Rest if texts.is_any() && !ask.target.is_escaped() => true,
            TailKind::Rest => {
                let value = ask.target.texts().skip(first).collect::<Vec<_>>().join("/");
                (!ask.target.is_escaped() || is_writable_tail(&value)) && allows(texts, &value, ask.answers)
            }
        }
    }

    /// Of the wanted routes that cover the path, seen from the root, the one that covers the most of it. Of several that
    /// cover as much, one that the query and the method fit goes first, then the narrower.
    pub(crate) fn covering(
        &self,
        ask: &Ask<'_, '_>,
        method: &str,
        routes: &[Route],
        is_wanted: &dyn Fn(RouteId) -> bool,
    ) -> Option<LeafId> {
        let mut search = Covering { tree: self, ask, method, routes, is_wanted, best: None };
        self.walk(ask, &mut search);
        search.best.map(|(_, leaf)| leaf)
    }
}

/// Whether a link can write a tail of this value. `{+tail}` keeps reserved characters and escapes (RFC 6570, section 3.2.3), so a
/// mark
/// that ends a path, an escape within the value, and a segment that is removed from a URL cannot be written. What cannot
/// be written is not accepted: whoever joins a tail to the name of a folder must not be led out of it.
pub(crate) fn is_writable_tail(value: &str) -> bool {
    let bytes = value.as_bytes();
    let is_odd = |(at, byte): (usize, &u8)| match byte {
        b'?' | b'#' => true,
        b'%' => triplet(&bytes[at + 1..]).is_some(),
        _ => false,
    };
    value.split('/').all(|segment| !matches!(segment, "" | "." | "..")) && !bytes.iter().enumerate().any(is_odd)
}

/// The search for what answers a path.
pub(super) struct Answering<'a, 'u> {
    tree: &'a Tree,
    ask: &'a Ask<'a, 'u>,
    routes: &'a [Route],
    /// What accepts it: the first that was found, and all others.
    pub(super) first: Option<LeafId>,
    pub(super) others: Vec<LeafId>,
}

impl<'a, 'u> Answering<'a, 'u> {
    #[inline(always)]
    pub(super) fn new(tree: &'a Tree, ask: &'a Ask<'a, 'u>, routes: &'a [Route]) -> Self {
        Self { tree, ask, routes, first: None, others: Vec::new() }
    }

    /// What was found, each no wider than any other.
    pub(super) fn narrowest(&self) -> Accepted {
        let mut accepted: Accepted = self.first.iter().chain(&self.others).copied().collect();
        if accepted.len() > 1 {
            self.tree.retain_narrowest(&mut accepted, self.ask.target.len());
        }
        accepted
    }
}

impl Visitor for Answering<'_, '_> {
    const FOLLOWS_TAILS: bool = true;

    #[inline(always)]
    fn ends(&mut self, mut id: LeafId) -> bool {
        let mut is_accepted = false;
        while let Some(leaf) = self.tree.leaves.get(id.0 as usize) {
            if self.tree.fits(leaf, self.ask, self.routes) {
                is_accepted = true;
                match self.first {
                    None => self.first = Some(id),
                    Some(_) => self.others.push(id),
                }
            }
            id = LeafId(leaf.next);
        }
        is_accepted
    }
}

/// Where the segment of an index begins.
#[inline(always)]
fn segment_start(ends: &[u16], at: usize) -> usize {
    ends.get(at).map_or(0, |&end| usize::from(end)) + 1
}

/// Whether there is code for a rule, and it accepts a segment.
#[inline(never)]
fn is_simple(simple: Option<Simple>, ask: &Ask<'_, '_>, at: usize) -> bool {
    simple.is_some_and(|simple| simple.accepts(ask.target.text(at).as_bytes()))
}

/// The search for what covers a path. It follows the same edges as the search for what answers it.
struct Covering<'a, 'u> {
    tree: &'a Tree,
    ask: &'a Ask<'a, 'u>,
    method: &'a str,
    routes: &'a [Route],
    is_wanted: &'a dyn Fn(RouteId) -> bool,
    /// The best leaf so far, with how many segments it covers and whether query and method fit.
    best: Option<((usize, bool), LeafId)>,
}

impl Visitor for Covering<'_, '_> {
    const FOLLOWS_TAILS: bool = false;

    fn passes(&mut self, id: NodeId, at: usize) -> bool {
        let tree = self.tree;
        let areas = tree.areas.get(&id).map_or(&[][..], |area| area);
        for leaf in tree.leaves(tree.node(id)).chain(areas.iter().copied()) {
            self.leaf(leaf, at);
        }
        true
    }

    fn ends(&mut self, _: LeafId) -> bool {
        false
    }
}

impl Covering<'_, '_> {
    fn leaf(&mut self, leaf: LeafId, at: usize) {
        let id = self.tree.leaf(leaf).route;
        let route = &self.routes[id.index()];
        // A page at the root covers the root alone, unless something is declared below it.
        let is_area = at > 0 || route.is_parent || route.has_own_fallback();
        let host_fits =
            route.extras.host.as_deref().is_none_or(|host| host.accepts(self.ask.target.sent.host, self.ask.answers));
        if !is_area || !host_fits || !(self.is_wanted)(id) {
            return;
        }
        let rank = (at, route.methods.allows(self.method) && self.ask.meets(&route.extras.query, None));
        if self.best.is_none_or(|(best, _)| rank > best) {
            self.best = Some((rank, leaf));
        }
    }
}
