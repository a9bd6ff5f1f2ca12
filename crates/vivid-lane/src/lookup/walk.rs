//! The walk through the tree, and the choice of the narrowest route.

use super::ask::Ask;
use super::pattern::allows;
use super::route::{Param, Route, RouteId};
use super::slot::{LeafId, NodeId};
use super::tree::{Accepted, Leaf, TailKind, Tree};
use crate::rule::Narrower;
use crate::template::percent::triplet;

impl Tree {
    /// The leaves that answer a URL, each no wider than any other that accepts it. More than one only where
    /// their methods differ or where a priority or the order of declaration decides.
    pub(crate) fn find(&self, ask: &Ask<'_, '_>, routes: &[Route]) -> Accepted {
        let mut accepted = Accepted::new();
        self.collect(self.root(), 0, ask, routes, &mut accepted);
        if accepted.len() > 1 {
            self.retain_narrowest(&mut accepted, ask.segments.len());
        }
        accepted
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

    fn collect(&self, id: NodeId, at: usize, ask: &Ask<'_, '_>, routes: &[Route], accepted: &mut Accepted) {
        let node = self.node(id);
        if at == ask.segments.len() {
            for &stop in self.leaves(node) {
                if self.fits(self.leaf(stop), ask, routes) {
                    accepted.push(stop);
                }
            }
            return;
        }
        let text = ask.segments.text(at);
        let before = accepted.len();
        if let Some(target) = self.literal(node, text) {
            self.collect(target, at + 1, ask, routes, accepted);
        }
        for edge in self.edges(node) {
            if node.is_ordered && accepted.len() > before {
                return;
            }
            if self.pattern(edge.pattern).accepts_segment(text, || ask.segments.raw(at), ask.answers) {
                self.collect(edge.target, at + 1, ask, routes, accepted);
            }
        }
    }

    /// Whether a leaf accepts the host, the query and the tail.
    fn fits(&self, leaf: &Leaf, ask: &Ask<'_, '_>, routes: &[Route]) -> bool {
        if leaf.is_unconditional && (leaf.tail.is_none() || !ask.segments.is_escaped()) {
            return true;
        }
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
                let count = ask.segments.len().saturating_sub(first);
                check.refusal_of_number(count, ask.segments.texts().skip(first)).is_none()
            }
            // What is not escaped is written as it stands.
            TailKind::Rest if texts.is_any() && !ask.segments.is_escaped() => true,
            TailKind::Rest => {
                let value = ask.segments.texts().skip(first).collect::<Vec<_>>().join("/");
                (!ask.segments.is_escaped() || is_writable_tail(&value)) && allows(texts, &value, ask.answers)
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
        search.node(self.root(), 0);
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

impl Covering<'_, '_> {
    fn node(&mut self, id: NodeId, at: usize) {
        let tree = self.tree;
        let node = tree.node(id);
        let areas = tree.areas.get(&id).map_or(&[][..], |area| area);
        for &leaf in tree.leaves(node).iter().chain(areas) {
            self.leaf(leaf, at);
        }
        if at == self.ask.segments.len() {
            return;
        }
        let text = self.ask.segments.text(at);
        if let Some(target) = tree.literal(node, text) {
            self.node(target, at + 1);
        }
        for edge in tree.edges(node).iter().filter(|edge| !edge.is_tail) {
            if tree.pattern(edge.pattern).accepts_segment(text, || self.ask.segments.raw(at), self.ask.answers) {
                self.node(edge.target, at + 1);
            }
        }
    }

    fn leaf(&mut self, leaf: LeafId, at: usize) {
        let id = self.tree.leaf(leaf).route;
        let route = &self.routes[id.index()];
        // A page at the root covers the root alone, unless something is declared below it.
        let is_area = at > 0 || route.is_parent || route.has_own_fallback();
        let host_fits = route.extras.host.as_deref().is_none_or(|host| host.accepts(self.ask.host, self.ask.answers));
        if !is_area || !host_fits || !(self.is_wanted)(id) {
            return;
        }
        let rank = (at, route.methods.allows(self.method) && self.ask.meets(&route.extras.query, None));
        if self.best.is_none_or(|(best, _)| rank > best) {
            self.best = Some((rank, leaf));
        }
    }
}
