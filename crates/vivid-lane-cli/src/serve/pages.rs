//! The pages: plain ones for every route, one for what is missing, one to try URLs in.

use std::iter::Peekable;

use http::{Request as HttpRequest, Response, StatusCode};
use minijinja::value::Serde;
use minijinja::{Environment, Value, context};
use serde::Serialize;
use vivid_lane::{Decision, Position, Request, RouteRef, Table};
use vivid_lane_http::{Body, PageName, found, missing};

use super::{State, form, html, now};
use crate::html::environment;
use crate::json;

/// How many links a page shows, and for how many routes one is tried: a large table would make large pages.
const MOST_LINKS: usize = 100;
const MOST_TRIED: usize = 1_000;
/// How many findings are shown.
const MOST_FINDINGS: usize = 100;
/// How many routes are listed at once.
const MOST_ROUTES: usize = 200;

const TEMPLATES: [(&str, &str); 4] = [
    ("base.html", include_str!("pages/base.html")),
    ("page.html", include_str!("pages/page.html")),
    ("missing.html", include_str!("pages/missing.html")),
    ("try.html", include_str!("pages/try.html")),
];

/// The templates.
pub(super) struct Pages {
    templates: Environment<'static>,
}

impl Pages {
    pub(super) fn new() -> Self {
        let mut templates = environment();
        for (name, text) in TEMPLATES {
            // They are part of the program, and a test renders each of them.
            let _ = templates.add_template(name, text);
        }
        Self { templates }
    }

    /// A page; values are escaped by the template.
    fn render(
        &self,
        state: &State,
        name: &str,
        here: &str,
        met: Vec<String>,
        status: StatusCode,
        more: Value,
    ) -> Response<Body> {
        let table = now(state);
        let root = table.find("/").map_or("/-/try", |_| "/");
        let all =
            context! { table => state.name.clone(), root, here, met, broken => state.found().broken.clone(), ..more };
        match self.templates.get_template(name).and_then(|template| template.render(all)) {
            Ok(text) => html(status, text),
            Err(error) => {
                html(StatusCode::INTERNAL_SERVER_ERROR, format!("<!DOCTYPE html>\n<title>Error</title>\n{error}\n"))
            }
        }
    }
}

#[derive(Serialize)]
struct Link {
    what: String,
    url: String,
}

#[derive(Serialize)]
struct Level {
    name: String,
    covered: String,
}

/// The page of a route, or the fallback.
pub(super) fn show(state: &State, request: &HttpRequest<impl Sized>) -> Response<Body> {
    let here = request.uri().path_and_query().map_or("/", |target| target.as_str());
    let PageName(page) = request.extensions().get().cloned().unwrap_or(PageName(String::new()));
    let met = state.session.needs(request.headers());
    let Some(kept) = found(request) else { return show_fallback(state, request, &page, here, met) };
    let found = kept.get();
    let table = now(state);
    let (levels, values) = place(&found);
    // Who is sent here for a need may meet it here.
    let route = found.route().name();
    let is_sign_in = |need: &&str| table.need_otherwise(need).is_some_and(|target| target.name() == route);
    let needs: Vec<&str> = table.needs().filter(is_sign_in).collect();
    let back = found.param("return").map_or_else(|| "/".to_owned(), |back| back.into_owned());
    let mut links: Vec<Link> = found.up().map(|url| Link { what: "up".to_owned(), url }).into_iter().collect();
    let pages = table.routes().filter(|route| route.page().is_some() && route.name() != found.route().name());
    let mut tried = 0;
    let of_routes = pages
        .inspect(|_| tried += 1)
        .take(MOST_TRIED)
        .filter_map(|route| Some(Link { what: route.name().to_owned(), url: found.link(route.name()).to_url().ok()? }));
    let of_routes: Vec<Link> = of_routes.take(MOST_LINKS).collect();
    let has_more = of_routes.len() == MOST_LINKS || tried == MOST_TRIED;
    links.extend(of_routes);
    let more = context! {
        page, route, path => found.route().path().as_str(), frames => Value::from(Serde(found.frames().collect::<Vec<_>>())), levels => Value::from(Serde(levels)), values => Value::from(Serde(values)),
        needs => Value::from(Serde(needs)), back, links => Value::from(Serde(links)), has_more,
    };
    state.pages.render(state, "page.html", here, met, StatusCode::OK, more)
}

/// The page for what is missing, within the frames of its place.
fn show_fallback(
    state: &State,
    request: &HttpRequest<impl Sized>,
    page: &str,
    here: &str,
    met: Vec<String>,
) -> Response<Body> {
    let near = match now(state).decide(&Request::get(here)) {
        Decision::NotFound(missing) => {
            missing.suggestions().iter().map(|one| context! { url => one.url(), reason => one.reason() }).collect()
        }
        _ => Vec::new(),
    };
    let lost = missing(request);
    let frames = lost.map_or_else(Vec::new, |lost| lost.frames());
    let (levels, values) = lost.and_then(|lost| lost.position()).map_or_else(Default::default, |found| place(&found));
    let more = context! {
        page, near, frames => Value::from(Serde(frames)), levels => Value::from(Serde(levels)),
        values => Value::from(Serde(values)),
    };
    state.pages.render(state, "missing.html", here, met, StatusCode::NOT_FOUND, more)
}

/// The chain of routes at a place of the table, and the values that were read on the way.
fn place<'t, P>(found: &Position<'t, '_, P>) -> (Vec<Level>, Vec<(&'t str, String)>) {
    let level = |name: &str, covered: &str| Level { name: name.to_owned(), covered: covered.to_owned() };
    let levels = found.levels().map(|one| level(one.route().name(), one.covered())).collect();
    (levels, found.values().map(|(name, value)| (name, text_of(&value))).collect())
}

fn text_of(value: &vivid_lane::Value) -> String {
    match value {
        vivid_lane::Value::Text(text) => text.clone(),
        vivid_lane::Value::List(items) => items.join(" / "),
        vivid_lane::Value::Pairs(pairs) => {
            pairs.iter().map(|(name, text)| format!("{name}={text}")).collect::<Vec<_>>().join(" & ")
        }
    }
}

/// A route in the tree.
#[derive(Serialize)]
struct Node {
    name: String,
    path: String,
    /// Is it on the way that was taken?
    lit: bool,
    /// Its address, where it has one without values.
    url: Option<String>,
    children: Vec<Node>,
}

/// The routes as a tree, which stand in the order of the file, parents before their children. Where the list begins or ends in the
/// middle of a subtree, what has no parent in it stands by its full name.
fn nodes<'t>(
    table: &Table,
    routes: &mut Peekable<impl Iterator<Item = RouteRef<'t>>>,
    above: Option<&str>,
    lit: &str,
) -> Vec<Node> {
    let mut nodes = Vec::new();
    let is_below = |route: &RouteRef<'_>| above.is_none() || route.parent().map(|one| one.name()) == above;
    while let Some(route) = routes.next_if(is_below) {
        let name = route.name();
        let own = if above.is_some() { name.rsplit('.').next().unwrap_or(name) } else { name };
        nodes.push(Node {
            name: own.to_owned(),
            path: route.own_path().to_owned(),
            // Is it on the way that was taken?
            lit: lit == name || lit.strip_prefix(name).is_some_and(|rest| rest.starts_with('.')),
            url: table.link(name).to_url().ok(),
            children: self::nodes(table, routes, Some(name), lit),
        });
    }
    nodes
}

/// The page to try URLs in.
pub(super) fn try_url(state: &State, request: &HttpRequest<impl Sized>) -> Response<Body> {
    let here = request.uri().path_and_query().map_or("/", |target| target.as_str());
    let asked = form::pairs(request.uri().query().unwrap_or_default().as_bytes());
    let (url, method) =
        (form::first(&asked, "url").unwrap_or_default(), form::first(&asked, "method").unwrap_or("GET"));
    let met = state.session.needs(request.headers());
    let meets = form::all(&asked, "meets");
    let table = now(state);
    let is_met = |need: &str| meets.contains(&need);
    let lists = |list: &str, value: &str| state.is_listed(list, value);
    let answer = (!url.is_empty()).then(|| {
        let request = Request::new(method, url).meets(&is_met).lists(&lists);
        json::decision(url.as_bytes(), &table.decide(&request), Some(&table.explain(&request)))
    });
    let lit = answer.as_ref().and_then(|answer| answer.get("route")?.as_str()).unwrap_or_default().to_owned();
    let found = state.found();
    let more_findings = found.findings.len().saturating_sub(MOST_FINDINGS);
    let findings: Vec<Value> = found
        .findings
        .iter()
        .take(MOST_FINDINGS)
        .map(|one| {
            let place = one.place().map_or_else(String::new, |place| format!("line {}", place.line()));
            context! { severity => one.severity().as_str(), message => one.message(), place }
        })
        .collect();
    drop(found);
    // The part of the routes that is asked for, or the one with the route that was found.
    let asked_from = form::first(&asked, "from").and_then(|from| from.parse().ok());
    let found_at = || table.routes().position(|route| route.name() == lit).unwrap_or_default();
    let count = table.routes().count();
    let from: usize = asked_from.unwrap_or_else(|| found_at() / MOST_ROUTES * MOST_ROUTES).min(count);
    let routes = nodes(&table, &mut table.routes().skip(from).take(MOST_ROUTES).peekable(), None, &lit);
    let to = (from + MOST_ROUTES).min(count);
    let part = |from: usize| {
        let own = asked.iter().filter(|(name, _)| name != "from").cloned();
        form::written(own.chain([("from".to_owned(), from.to_string())]))
    };
    let parts = (count > MOST_ROUTES).then(|| {
        context! {
            first => from + 1, last => to, count, earlier => (from > 0).then(|| part(from.saturating_sub(MOST_ROUTES))),
            later => (to < count).then(|| part(to)),
        }
    });
    let all_needs: Vec<Value> = table.needs().map(|name| context! { name, met => is_met(name) }).collect();
    let more = context! {
        url, method, methods => vec!["GET", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"], answer => Value::from(Serde(answer)), all_needs, findings, more_findings,
        routes => Value::from(Serde(routes)), parts,
    };
    state.pages.render(state, "try.html", here, met, StatusCode::OK, more)
}
