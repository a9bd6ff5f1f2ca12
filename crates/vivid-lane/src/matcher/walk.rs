//! The walk through the tree, and the choice of the narrowest route.

use super::ask::Ask;
use super::route::Route;
use super::tree::{Accepted, Ending, EndingId, Narrower, NodeId, TailKind, Tree};

impl Tree {
    /// The endings that answer a URL, each no wider than any other that accepts it. More than one only where
    /// their methods differ or where a priority or the order of declaration decides.
    pub(crate) fn find(&self, ask: &Ask<'_, '_>, routes: &[Route]) -> Accepted {
        let mut accepted = Accepted::new();
        self.collect(self.root(), 0, ask, routes, &mut accepted);
        if accepted.len() > 1 {
            self.retain_narrowest(&mut accepted, ask.segments.len());
        }
        accepted
    }

    /// Keeps the endings that no other of them is narrower than, for a path of so many segments.
    #[cold]
    pub(crate) fn retain_narrowest(&self, accepted: &mut Accepted, segments: usize) {
        let all = accepted.clone();
        accepted.retain(|one| !all.iter().any(|other| self.beats(*other, *one, segments)));
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
        if at == ask.segments.len() {
            for &stop in self.stops(node) {
                if self.fits(self.ending(stop), ask, routes) {
                    accepted.push(stop);
                }
            }
            return;
        }
        let text = ask.segments.text(at);
        let before = accepted.len();
        if let Some(target) = self.literal(id, node, text) {
            self.collect(target, at + 1, ask, routes, accepted);
        }
        for edge in self.edges(node) {
            if node.is_ordered && accepted.len() > before {
                return;
            }
            if self.pattern(edge.pattern).accepts(text, ask.lists) {
                self.collect(edge.target, at + 1, ask, routes, accepted);
            }
        }
    }

    /// Does an ending accept what its path does not speak of?
    fn fits(&self, ending: &Ending, ask: &Ask<'_, '_>, routes: &[Route]) -> bool {
        if ending.is_free {
            return true;
        }
        let route = &routes[ending.route.0 as usize];
        ask.meets(&route.query, route.host.as_deref()) && self.tail_fits(ending, ask, routes)
    }

    /// Does the tail have as many segments as its rule wants, and the value that it wants?
    pub(crate) fn tail_fits(&self, ending: &Ending, ask: &Ask<'_, '_>, routes: &[Route]) -> bool {
        let Some(tail) = &ending.tail else { return true };
        let check = &routes[ending.route.0 as usize].params[usize::from(tail.param)].check;
        let first = ending.steps.count as usize - 1;
        match tail.kind {
            TailKind::Items => {
                let count = ask.segments.len().saturating_sub(first);
                (usize::from(check.min_items)..=usize::from(check.max_items)).contains(&count)
            }
            TailKind::Rest if check.is_any() => true,
            TailKind::Rest => {
                let value = ask.segments.texts().skip(first).collect::<Vec<_>>().join("/");
                check.accepts(&value) && check.list.as_ref().is_none_or(|list| ask.lists.contains(list, &value))
            }
        }
    }

    /// The ending whose route covers the most of the path, seen from the root.
    pub(crate) fn covering(&self, ask: &Ask<'_, '_>, routes: &[Route]) -> Option<EndingId> {
        let mut best = None;
        if !self.endings.is_empty() {
            self.cover(self.root(), 0, ask, routes, &mut best);
        }
        best.map(|(_, ending)| ending)
    }

    fn cover(&self, id: NodeId, at: usize, ask: &Ask<'_, '_>, routes: &[Route], best: &mut Option<(usize, EndingId)>) {
        let node = self.node(id);
        let host_fits = |ending: &EndingId| {
            let host = &routes[self.ending(*ending).route.0 as usize].host;
            host.as_ref().is_none_or(|host| host.accepts(ask.host, ask.lists))
        };
        if best.is_none_or(|(most, _)| at > most)
            && let Some(ending) = self.stops(node).iter().copied().find(host_fits)
        {
            // The first of the deepest stays: an earlier way is the narrower one.
            *best = Some((at, ending));
        }
        if at == ask.segments.len() {
            return;
        }
        let text = ask.segments.text(at);
        if let Some(target) = self.literal(id, node, text) {
            self.cover(target, at + 1, ask, routes, best);
        }
        for edge in self.edges(node) {
            if self.pattern(edge.pattern).accepts(text, ask.lists) {
                self.cover(edge.target, at + 1, ask, routes, best);
            }
        }
    }
}
