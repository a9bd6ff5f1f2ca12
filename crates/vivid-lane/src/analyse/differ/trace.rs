//! Where the addresses of each route lead, in the other table.

use std::collections::HashSet;
use std::sync::Arc;

use super::NotCompared;
use crate::analyse::ways::{Way, Ways, path_of, split_by};
use crate::compile::query_texts;
use crate::decide::{Decision, Request};
use crate::lookup::{Route, RouteId, RouteRef, Table};
use crate::rule::{Dfa, TEXT, TooLarge, encode_marked};
use crate::template::Value;
use crate::template::percent::encode_unreserved;

/// How many redirects are followed.
const MOST_HOPS: usize = 5;
/// How many parts of a route that lead nowhere are kept.
const MOST_BROKEN: usize = 32;

/// What has become of the routes of two tables.
#[derive(Debug, Default)]
pub(super) struct Traced {
    pub(super) old: Vec<RouteTrace>,
    /// Pages of the new table with addresses that the old one did not answer.
    pub(super) added: Vec<(RouteId, String)>,
    pub(super) not_compared: Vec<NotCompared>,
}

/// What has become of a route of the old table.
#[derive(Debug)]
pub(super) struct RouteTrace {
    pub(super) route: RouteId,
    /// The route of the new table that shows its page.
    pub(super) counterpart: Option<RouteId>,
    /// Addresses that lead nowhere now.
    pub(super) broken: Vec<Broken>,
    /// Addresses that other pages answer now, one for each page.
    pub(super) other: Vec<(String, String)>,
}

#[derive(Debug)]
pub(super) struct Broken {
    pub(super) url: String,
    /// The address of the page in the new table.
    pub(super) now: Option<String>,
}

/// Where a request ends.
pub(super) enum End {
    /// At a page, perhaps after redirects that the table declares.
    Page {
        route: RouteId,
        page: String,
        is_redirected: bool,
    },
    /// At another site.
    Elsewhere,
    Nowhere,
}

/// Follows all addresses of both tables; `None` where a table is too large to be looked at as a whole.
pub(super) fn trace(before: &Table, after: &Table) -> Option<Traced> {
    let (old, new) = (Ways::of(before.frozen()).ok()?, Ways::of(after.frozen()).ok()?);
    let mut traced = Traced::default();
    for route in before.routes().filter(|route| answers(*route)) {
        let mut trace = RouteTrace {
            route: route.id(),
            counterpart: counterpart(route, before, after),
            broken: Vec::new(),
            other: Vec::new(),
        };
        let coarse = for_each_part(&old, route.id(), &[&old, &new], &mut |url| trace.part(url, route, before, after));
        traced.note(coarse, route);
        traced.old.push(trace);
    }
    let moved: HashSet<RouteId> =
        traced.old.iter().filter(|trace| !trace.broken.is_empty()).filter_map(|trace| trace.counterpart).collect();
    for route in after.routes().filter(|route| route.page().is_some() && !moved.contains(&route.id())) {
        let mut found = None;
        let coarse = for_each_part(&new, route.id(), &[&new, &old], &mut |url| {
            let is_own =
                matches!(end(after, route, url), End::Page { route: id, is_redirected: false, .. } if id == route.id());
            let is_new = is_own && matches!(end(before, route, url), End::Nowhere);
            if is_new {
                found = Some(url.to_owned());
            }
            !is_new
        });
        if found.is_none() {
            traced.note(coarse, route);
        }
        traced.added.extend(found.map(|url| (route.id(), url)));
    }
    Some(traced)
}

impl Traced {
    /// Notes a route that was compared by one address for many.
    fn note(&mut self, coarse: Option<String>, route: RouteRef<'_>) {
        let is_known = |one: &NotCompared| one.route.as_deref() == Some(route.name());
        if coarse.is_some() && !self.not_compared.iter().any(is_known) {
            self.not_compared.push(NotCompared { route: Some(route.name().to_owned()), witness: coarse });
        }
    }
}

fn answers(route: RouteRef<'_>) -> bool {
    route.page().is_some() || route.redirect_status().is_some()
}

/// Calls `visit` with an address of each part of a route, as the ways of the tables cut it, until it has seen enough. Where a
/// way is too much to be cut, one address speaks for it, and is given back.
pub(super) fn for_each_part(
    own: &Ways<'_>,
    route: RouteId,
    tables: &[&Ways<'_>],
    visit: &mut dyn FnMut(&str) -> bool,
) -> Option<String> {
    let mut coarse = None;
    let declared = own.frozen.route(route);
    for way in own.of_route(route) {
        // The ways of each table that may share a path with this one, where they are not too many.
        let sharing: Option<Vec<Vec<Way<'_>>>> = tables
            .iter()
            .map(|table| Some(table.sharing(way)?.into_iter().map(|leaf| table.get(leaf)).collect()))
            .collect();
        let rivals = tables.iter().zip(sharing.iter().flatten());
        let rivals = rivals.flat_map(|(table, ways)| ways.iter().map(|other| table.frozen.route(other.route)));
        let probes = probes(declared, rivals);
        let mut goes_on = true;
        let mut part = |word: &[u8], _: &[usize]| {
            if let Some(url) = own.address(declared, &path_of(word)) {
                goes_on = visit(&url);
                for (name, pair) in probes.iter().filter(|_| !url.contains('#')) {
                    goes_on = goes_on && visit(&with_pair(&url, name, pair));
                }
            }
            Ok(goes_on)
        };
        let sets = sharing.map(|sharing| {
            let of_table = |(table, ways): (&&Ways<'_>, Vec<Way<'_>>)| -> Result<Vec<Arc<Dfa>>, TooLarge> {
                // What accepts the very same paths cuts none of them off.
                ways.into_iter().filter(|other| !other.is_alike(&way)).map(|other| table.set(other)).collect()
            };
            tables.iter().zip(sharing).map(of_table).collect::<Result<Vec<_>, _>>()
        });
        let is_split = match (&sets, way.shortest()) {
            // Nothing cuts it: one path speaks for all of it.
            (Some(Ok(sets)), Some(word)) if sets.iter().all(Vec::is_empty) => part(&word, &[]).is_ok(),
            (Some(Ok(sets)), _) => own.set(way).and_then(|set| split_by(&set, &sets.concat(), &mut part)).is_ok(),
            _ => false,
        };
        if !is_split && let Some(word) = own.set(way).ok().and_then(|set| set.shortest()) {
            let _ = part(&word, &[]);
            coarse = coarse.or_else(|| own.address(declared, &path_of(&word)));
        }
        if !goes_on {
            break;
        }
    }
    coarse
}

/// The most pairs of a query that are tried beside what a route demands.
const MOST_PROBES: usize = 16;

/// Pairs of a query that a route takes, but need not have, and on which another route hangs: one that it refuses, or that it
/// cannot do without. With such a pair a URL may lead where it would not lead without it.
fn probes<'r>(route: &Route, rivals: impl Iterator<Item = &'r Route>) -> Vec<(String, String)> {
    let mut probes: Vec<(String, String)> = Vec::new();
    let mut add = |name: &str, value: Option<Vec<u8>>| {
        let Some(value) = value.filter(|_| probes.len() < MOST_PROBES) else { return };
        let mut start = String::new();
        encode_unreserved(&mut start, name);
        start.push('=');
        let mut pair = start.clone();
        encode_marked(&mut pair, &String::from_utf8_lossy(&value));
        if !probes.iter().any(|(_, known)| *known == pair) {
            probes.push((start, pair));
        }
    };
    let demands = |name: &str| {
        route.extras.query.literals.iter().any(|(known, _)| **known == *name)
            || route.extras.query.params.iter().any(|param| param.is_required && param.name == name)
    };
    for other in rivals.filter(|other| !std::ptr::eq(*other, route)) {
        for (name, value) in other.extras.query.literals.iter().filter(|(name, _)| !demands(name)) {
            let own = route.extras.query.params.iter().find(|param| *param.name == **name);
            let takes = |own| query_texts(own).is_ok_and(|set| set.is_none_or(|set| set.contains(value.as_bytes())));
            let is_taken = own.is_none_or(takes);
            add(name, is_taken.then(|| value.as_bytes().to_vec()));
        }
        for param in &other.extras.query.params {
            let own = route.extras.query.params.iter().find(|own| own.name == param.name);
            if own.is_none() && demands(&param.name) {
                continue;
            }
            let texts = |param| query_texts(param).ok().map(|set| set.unwrap_or_else(|| Arc::clone(&TEXT)));
            let (Some(theirs), ours) = (texts(param), own.and_then(texts)) else { continue };
            if let Some(ours) = &ours {
                add(&param.name, ours.without(&theirs).ok().and_then(|set| set.shortest()));
            }
            if param.is_required {
                let both = ours.map_or(Ok(Arc::clone(&theirs)), |ours| ours.and(&theirs).map(Arc::new));
                add(&param.name, both.ok().and_then(|set| set.shortest()));
            }
        }
    }
    probes
}

/// A URL with a pair of the query in place of the one that begins like it, else beside the others.
fn with_pair(url: &str, start: &str, pair: &str) -> String {
    let Some((path, query)) = url.split_once('?') else { return format!("{url}?{pair}") };
    let mut pairs: Vec<&str> = query.split('&').collect();
    match pairs.iter_mut().find(|known| known.starts_with(start)) {
        Some(known) => *known = pair,
        None => pairs.push(pair),
    }
    format!("{path}?{}", pairs.join("&"))
}

impl RouteTrace {
    fn part(&mut self, url: &str, route: RouteRef<'_>, before: &Table, after: &Table) -> bool {
        // Another route of the old table may answer this part, and speaks for it.
        let Some(values) = values(before, route, url) else { return true };
        let now = end(after, route, url);
        match (&now, route.page()) {
            (End::Page { is_redirected: true, .. } | End::Elsewhere, _) => {}
            (End::Page { route: id, page, .. }, Some(own)) => {
                let name = after.route_ref(*id).name();
                let is_same = page == own && (name == route.name() || after.route(route.name()).is_none());
                if !is_same && !self.other.iter().any(|(_, known)| known == page) {
                    self.other.push((url.to_owned(), page.clone()));
                }
            }
            (End::Page { .. }, None) => {}
            (End::Nowhere, _) => {
                let now = self.counterpart.and_then(|id| link(after, id, &values));
                if self.broken.is_empty() {
                    // Most routes have one.
                    self.broken.reserve_exact(1);
                }
                self.broken.push(Broken { url: url.to_owned(), now });
            }
        }
        self.broken.len() < MOST_BROKEN
    }
}

/// The values of an address that a route answers, which a redirect has none of; `None` where another route answers it.
pub(super) fn values(table: &Table, route: RouteRef<'_>, url: &str) -> Option<Vec<(String, Value)>> {
    match &table.decide(&request(route, url)) {
        Decision::Page(found) if found.route() == route => {
            Some(found.values().map(|(name, value)| (name.to_owned(), value)).collect())
        }
        Decision::Redirect(redirect) if redirect.route() == Some(route.name()) => Some(Vec::new()),
        _ => None,
    }
}

/// The address of a route for these values, of which it takes those that it has.
pub(super) fn link(table: &Table, id: RouteId, values: &[(String, Value)]) -> Option<String> {
    let route = table.route_ref(id);
    let known = |name: &str| route.rules().any(|(known, _)| known == name);
    let values = values.iter().filter(|(name, _)| known(name));
    let link = values.fold(table.link(route.name()), |link, (name, value)| link.set(name.as_str(), value.clone()));
    link.to_url().ok()
}

/// A request for an address of a route, as its visitors make it.
pub(super) fn request<'u>(route: RouteRef<'u>, url: &'u str) -> Request<'u> {
    let method = route.methods().next().unwrap_or("GET");
    Request::new(method, url).meets(&|_| true).lists(&|_: &str, _: &str| true)
}

/// Where an address of a route ends.
pub(super) fn end(table: &Table, route: RouteRef<'_>, url: &str) -> End {
    let mut url = url.to_owned();
    let mut is_redirected = false;
    for _ in 0..MOST_HOPS {
        let next = match table.decide(&request(route, &url)) {
            Decision::Page(found) => {
                return End::Page { route: found.route().id(), page: found.page().clone(), is_redirected };
            }
            Decision::Redirect(redirect) if redirect.is_external() => return End::Elsewhere,
            Decision::Redirect(redirect) => {
                is_redirected |= redirect.route().is_some();
                redirect.location().to_owned()
            }
            _ => return End::Nowhere,
        };
        url = next;
    }
    End::Nowhere
}

/// The route of the new table that stands for one of the old: that of its name, else the only new one with its page.
fn counterpart(route: RouteRef<'_>, before: &Table, after: &Table) -> Option<RouteId> {
    let has_page = |found: &RouteRef<'_>| found.page().is_some();
    if let Some(found) = after.route(route.name()).filter(has_page) {
        return Some(found.id());
    }
    let mut same = after
        .routes()
        .filter(|found| route.page().is_some() && found.page() == route.page() && before.route(found.name()).is_none());
    same.next().filter(|_| same.next().is_none()).map(|found| found.id())
}
