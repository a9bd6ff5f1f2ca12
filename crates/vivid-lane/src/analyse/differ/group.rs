//! One difference for a subtree that went the same way.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use super::trace::{RouteTrace, Traced};
use super::{Difference, DifferenceKind};
use crate::lookup::{RouteRef, Table};

/// The differences. They take over the addresses of what was traced.
pub(super) fn group(traced: &mut Traced, before: &Table, after: &Table) -> Vec<Difference> {
    let mut all = Grouped::default();
    for trace in &mut traced.old {
        let route = before.route_ref(trace.route);
        let is_moved = trace.broken.iter().all(|broken| broken.now.is_some());
        trace.broken.iter_mut().for_each(|broken| broken.now = None);
        let witness = trace.broken.first().map(|broken| broken.url.clone());
        if let Some(witness) = witness {
            let kind = if is_moved { DifferenceKind::Moved } else { DifferenceKind::Removed };
            let cause = cause(route, after);
            // Of a route that is still there, some addresses are gone.
            let target = if is_moved { target_of(cause, trace, after) } else { after.route(cause.name()) };
            all.add(Difference {
                kind,
                route: cause.name().to_owned(),
                routes: vec![route.name().to_owned()],
                witness,
                before: Some(shown(cause)),
                after: target.map(shown),
            });
        }
        for (url, page) in std::mem::take(&mut trace.other) {
            all.add(Difference {
                kind: DifferenceKind::SameUrlOtherPage,
                route: cause(route, after).name().to_owned(),
                routes: vec![route.name().to_owned()],
                witness: url,
                before: route.page().cloned(),
                after: Some(page),
            });
        }
    }
    for (id, url) in std::mem::take(&mut traced.added) {
        let route = after.route_ref(id);
        let cause = cause(route, before);
        all.add(Difference {
            kind: DifferenceKind::Added,
            route: cause.name().to_owned(),
            routes: vec![route.name().to_owned()],
            witness: url,
            before: None,
            after: Some(shown(cause)),
        });
    }
    all.all.shrink_to_fit();
    all.all
}

/// What stands as one difference: its kind, the route that it began with, and what it came to.
type Key = (DifferenceKind, String, Option<String>);

#[derive(Default)]
struct Grouped {
    all: Vec<Difference>,
    positions: HashMap<Key, usize>,
}

impl Grouped {
    fn add(&mut self, one: Difference) {
        match self.positions.entry((one.kind, one.route.clone(), one.after.clone())) {
            Entry::Occupied(known) => self.all[*known.get()].routes.extend(one.routes),
            Entry::Vacant(free) => {
                free.insert(self.all.len());
                self.all.push(one);
            }
        }
    }
}

/// The topmost of a route and its ancestors that the other table has not, or has under another path; else the route.
fn cause<'t>(route: RouteRef<'t>, other: &Table) -> RouteRef<'t> {
    // The query of a page is no matter of the routes below it.
    let path = |one: RouteRef<'_>| match one.own_path().find(['?', '#', '&']) {
        Some(end) if one.page().is_some() => one.own_path()[..end].trim_end_matches('{').to_owned(),
        _ => one.own_path().to_owned(),
    };
    let is_other = |one: &RouteRef<'_>| other.route(one.name()).is_none_or(|known| path(known) != path(*one));
    chain(route).filter(is_other).last().unwrap_or(route)
}

/// A route and its ancestors, outwards.
fn chain(route: RouteRef<'_>) -> impl Iterator<Item = RouteRef<'_>> {
    std::iter::successors(Some(route), |route| route.parent())
}

/// What stands for the topmost route in the new table: that of its name, or the ancestor of the counterpart that is as
/// many levels up.
fn target_of<'t>(cause: RouteRef<'_>, trace: &RouteTrace, after: &'t Table) -> Option<RouteRef<'t>> {
    after.route(cause.name()).or_else(|| {
        let counterpart = after.route_ref(trace.counterpart?);
        chain(counterpart).find(|route| route.level() == cause.level()).or(Some(counterpart))
    })
}

fn shown(route: RouteRef<'_>) -> String {
    let path = route.path().as_str();
    if path.is_empty() { "/".to_owned() } else { path.to_owned() }
}
