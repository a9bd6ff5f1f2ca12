//! Where a request stands in the table that leads to no page.

use std::borrow::Cow;
use std::sync::Arc;

use crate::lookup::{
    Ask, Edge, Frozen, Known, LeafId, NodeId, Piece, Position, Reading, Remembered, RouteId, Table, Target, Visitor,
};

use super::Request;

/// A request without a page, and what must be known to find out where it stands. Nothing is looked up before it is asked
/// for: most misses come from programs that try addresses at random, and must cost as little as can be.
#[derive(Debug)]
pub(super) struct Place<'t, 'u, P> {
    pub(super) table: &'t Table<P>,
    pub(super) request: Request<'u>,
    /// What few requests have.
    aside: Option<Box<Aside>>,
}

/// What few requests have that lead to no page.
#[derive(Debug, Default)]
pub(super) struct Aside {
    /// The address that the request stands for, where that is another than it has.
    address: Option<String>,
    /// The target of a redirect that cannot be linked, and the reason.
    led_nowhere: Option<(RouteId, String)>,
    /// What lists and needs were asked on the way.
    known: Vec<Known>,
}

impl Aside {
    pub(super) fn new(address: Option<String>, led_nowhere: Option<(RouteId, String)>) -> Option<Box<Self>> {
        let is_empty = address.is_none() && led_nowhere.is_none();
        (!is_empty).then(|| Box::new(Self { address, led_nowhere, known: Vec::new() }))
    }
}

impl<'t, 'u, P> Place<'t, 'u, P> {
    pub(super) fn new(table: &'t Table<P>, request: Request<'u>, aside: Option<Box<Aside>>) -> Self {
        Self { table, request, aside }
    }

    /// The same place, with what was asked on the way, so that it need not be asked again.
    pub(super) fn knowing(mut self, answers: Remembered<'_>) -> Self {
        self.aside.get_or_insert_default().known = answers.into_known();
        self
    }

    /// Why a redirect of the table leads nowhere for this request, where one would have had it; else why the rule of a parameter
    /// refused the last segment, where nothing else has it.
    pub(super) fn reason(&self) -> Option<Cow<'_, str>> {
        match self.led_nowhere() {
            Some((_, reason)) => Some(Cow::Borrowed(reason)),
            None => self.refusal().map(Cow::Owned),
        }
    }

    fn refusal(&self) -> Option<String> {
        let frozen = self.table.frozen();
        self.covered(|answers, target| {
            let ask = target.ask(answers);
            let mut search = Refusal { frozen, ask: &ask, left: MOST_LOOKS, found: None };
            frozen.tree.walk(&ask, &mut search);
            search.found
        })
    }

    fn led_nowhere(&self) -> Option<&(RouteId, String)> {
        self.aside.as_ref()?.led_nowhere.as_ref()
    }

    /// The page for what is missing here.
    pub(super) fn fallback(&self) -> Option<&'t P> {
        let frozen = self.table.frozen();
        let own = |id: RouteId| {
            let route = frozen.route(id);
            route.has_own_fallback().then_some(route.extras.fallback)
        };
        let owner = match self.led_nowhere() {
            _ if !frozen.has_fallbacks => None,
            Some((to, _)) => std::iter::successors(Some(*to), |id| frozen.route(*id).parent).find_map(own),
            None => self.covered(|answers, target| self.owner(answers, target).and_then(own)),
        };
        owner.unwrap_or(frozen.fallback).map(|page| self.table.page(page))
    }

    /// The deepest route that covers the URL; `None` where none does. Where a subtree has a page of its own for what is
    /// missing, only routes of that subtree count, so that the page stands within its own frames.
    pub(super) fn position(&self) -> Option<Position<'t, '_, P>> {
        let frozen = self.table.frozen();
        self.covered(|answers, target| {
            let ask = target.ask(answers);
            let accepted = frozen.tree.find(&ask, &frozen.routes);
            let whole = frozen.choose(&accepted, self.request.method).or_else(|| accepted.first().copied());
            let leaf = whole.or_else(|| {
                let owner = if frozen.has_fallbacks { self.owner(answers, target) } else { None };
                let is_wanted = |id| owner.is_none_or(|owner| frozen.is_below(id, owner));
                frozen.tree.covering(&ask, self.request.method, &frozen.routes, &is_wanted)
            })?;
            Some(Position::new(self.table, Reading::new(frozen, leaf, target)))
        })
    }

    /// The deepest route that covers the URL and says what is shown where something is missing.
    fn owner(&self, answers: &Remembered<'_>, target: &Target<'_>) -> Option<RouteId> {
        let frozen = self.table.frozen();
        let says = |id: RouteId| frozen.route(id).has_own_fallback();
        let leaf = frozen.tree.covering(&target.ask(answers), self.request.method, &frozen.routes, &says)?;
        Some(frozen.tree.leaf(leaf).route)
    }

    /// Works something out from the parts of the URL, and from what is known of lists already.
    fn covered<'a, T>(&'a self, work_out: impl FnOnce(&Remembered<'_>, &mut Target<'a>) -> Option<T>) -> Option<T> {
        let aside = self.aside.as_deref();
        let address = aside.and_then(|aside| aside.address.as_deref());
        let url = address.map_or_else(|| self.request.url.ok(), Some)?;
        let mut target = Target::default();
        let parsed = self.table.frozen().parse(url, self.request.host, &mut target);
        parsed.ok()?;
        let answers = Remembered::knowing(aside.map_or_else(Vec::new, |aside| aside.known.clone()));
        work_out(&answers, &mut target)
    }
}

/// How many nodes are looked at to find the rule that refused a segment.
const MOST_LOOKS: usize = 64;

/// The search for the rule that refused the last segment of a path.
struct Refusal<'a, 'u> {
    frozen: &'a Frozen,
    ask: &'a Ask<'a, 'u>,
    left: usize,
    found: Option<String>,
}

impl Visitor for Refusal<'_, '_> {
    const FOLLOWS_TAILS: bool = false;

    fn passes(&mut self, id: NodeId, at: usize) -> bool {
        let count = self.ask.target.len();
        if at == count {
            return true;
        }
        let Some(left) = self.left.checked_sub(1) else { return false };
        self.left = left;
        if at + 1 == count {
            self.found = self.after(id, at);
        }
        self.found.is_none()
    }

    fn ends(&mut self, _: LeafId) -> bool {
        false
    }
}

impl Refusal<'_, '_> {
    /// The rule after a node that refused the last segment, where nothing that follows the node accepts it.
    fn after(&self, id: NodeId, at: usize) -> Option<String> {
        let (tree, target) = (&self.frozen.tree, self.ask.target);
        let node = tree.node(id);
        let text = target.text(at);
        let accepts =
            |edge: &Edge| tree.pattern(edge.pattern).accepts_segment(text, || target.raw(at), self.ask.answers);
        // What has the segment lacks something else.
        if tree.literal(id, text).is_some() || tree.edges(node).iter().any(accepts) {
            return None;
        }
        tree.edges(node).iter().find_map(|edge| {
            let [Piece::Value(check)] = &*tree.pattern(edge.pattern).pieces else { return None };
            let leaves = tree.leaves(tree.node(edge.target)).map(|leaf| tree.leaf(leaf));
            let leaf = leaves.min_by_key(|leaf| leaf.route.index())?;
            let route = self.frozen.route(leaf.route);
            let capture = tree.captures(leaf).iter().find(|capture| usize::from(capture.segment) == at)?;
            let param = &route.params[usize::from(capture.param)];
            // A first segment that may be left out is a language, say, and hardly what was meant.
            if at == 0 && param.is_optional {
                return None;
            }
            // Of what is a list only a part would be refused.
            if !Arc::ptr_eq(&param.texts, check) || !Arc::ptr_eq(&param.texts, &param.check) {
                return None;
            }
            let why = check.refusal(text)?;
            Some(format!("`{}` of `{}` refused `{}`: {why}", param.name, route.name, text.escape_debug()))
        })
    }
}
