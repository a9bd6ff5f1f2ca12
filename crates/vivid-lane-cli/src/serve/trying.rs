//! `/-/try`: a page to try URLs in, to make links in, and to look at the table as a whole.

use std::iter::Peekable;

use http::{Request as HttpRequest, Response, StatusCode};
use minijinja::value::Serde;
use minijinja::{Value as Shown, context};
use serde::Serialize;
use serde_json::{Map, Value as Json};
use vivid_lane::lookup::Shape;
use vivid_lane::{Decision, Request, RouteRef, Table, Value};
use vivid_lane_http::Body;

use super::{State, form, now, of_type};
use crate::json;

/// How many routes are listed at once.
const MOST_ROUTES: usize = 200;
/// With so many routes or fewer, the whole tree is open.
const FEW_ROUTES: usize = 60;
/// How many names are offered for links.
const MOST_NAMES: usize = 1_000;

/// What the browser does beside showing the page.
pub(super) const SCRIPT: &str = include_str!("pages/try.js");

/// What was asked.
struct Asked {
    pairs: Vec<(String, String)>,
}

impl Asked {
    fn first(&self, name: &str) -> &str {
        form::first(&self.pairs, name).unwrap_or_default()
    }

    /// The values that were typed for a live list.
    fn listed(&self, list: &str) -> &str {
        let is_it = |name: &str| name.strip_prefix("list.") == Some(list);
        self.pairs.iter().find(|(name, _)| is_it(name)).map_or("", |(_, values)| values)
    }

    /// The value that was typed for a parameter of a link.
    fn value(&self, param: &str) -> &str {
        let is_it = |name: &str| name.strip_prefix("p.") == Some(param);
        self.pairs.iter().find(|(name, _)| is_it(name)).map_or("", |(_, value)| value)
    }

    /// The same with another value of a name.
    fn with(&self, name: &str, value: &str) -> String {
        let own = self.pairs.iter().filter(|(known, _)| known != name).cloned();
        form::written(own.chain([(name.to_owned(), value.to_owned())]))
    }
}

pub(super) fn page(state: &State, request: &HttpRequest<impl Sized>) -> Response<Body> {
    let here = request.uri().path_and_query().map_or("/", |target| target.as_str());
    let asked = Asked { pairs: form::pairs(request.uri().query().unwrap_or_default().as_bytes()) };
    let table = now(state);
    let link = Some(asked.first("link")).filter(|name| !name.is_empty()).map(|name| LinkForm::of(&table, name, &asked));
    // A link that was made is tried.
    let url = match asked.first("url") {
        "" => link.as_ref().and_then(|link| link.url.as_deref()).unwrap_or_default(),
        url => url,
    };
    let meets = form::all(&asked.pairs, "meets");
    let is_met = |need: &str| meets.contains(&need);
    let is_listed = |list: &str, value: &str| {
        state.is_listed(list, value) || asked.listed(list).split_whitespace().any(|one| one == value)
    };
    let method = form::first(&asked.pairs, "method").unwrap_or("GET");
    let mut tried = Request::new(method, url).meets(&is_met).lists(&is_listed);
    if !asked.first("host").is_empty() {
        tried = tried.host(asked.first("host"));
    }
    let decision = (!url.is_empty()).then(|| table.decide(&tried));
    let answer =
        decision.as_ref().map(|decision| json::decision(url.as_bytes(), decision, Some(&table.explain(&tried))));
    if let (Some(answer), "json") = (&answer, asked.first("as")) {
        return of_type("application/json", Json::Object(answer.clone()).to_string());
    }
    let then = decision.as_ref().and_then(|decision| there(&table, decision));
    let lit =
        answer.as_ref().and_then(|answer| answer.get("route").or(answer.get("under"))?.as_str()).unwrap_or_default();
    let find = asked.first("find").to_lowercase();
    let (routes, parts) = tree(&table, &asked, &find, lit);
    let all_needs: Vec<Shown> = table.needs().map(|name| context! { name, met => is_met(name) }).collect();
    let all_lists: Vec<Shown> = table.lists().map(|name| context! { name, values => asked.listed(name) }).collect();
    let names: Vec<&str> =
        table.routes().filter(|route| route.page().is_some()).map(RouteRef::name).take(MOST_NAMES).collect();
    let found = state.found();
    let more = context! {
        url, method, methods => vec!["GET", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"],
        as_json => asked.with("as", "json"),
        host => asked.first("host"), has_hosts => table.has_hosts(),
        host_hint => table.routes().find_map(|route| route.host().map(ToString::to_string)),
        met_any => !meets.is_empty(), lists_given => table.lists().any(|list| !asked.listed(list).is_empty()),
        answer => Shown::from(Serde(&answer)), then => Shown::from(Serde(then)), all_needs, all_lists,
        link => Shown::from(Serde(link)), names => Shown::from(Serde(names)), find => asked.first("find"),
        findings => Shown::from(Serde(&found.findings)), more_findings => found.more,
        routes => Shown::from(Serde(routes)), parts,
    };
    drop(found);
    let met = state.session.needs(request.headers());
    state.pages.render(state, "try.html", here, met, StatusCode::OK, more)
}

/// Where a redirect leads: the route, and its values.
fn there(table: &Table, decision: &Decision<'_, '_>) -> Option<Map<String, Json>> {
    let Decision::Redirect(redirect) = decision else { return None };
    let found = table.find(redirect.location()).filter(|_| !redirect.is_external())?;
    let params: Map<String, Json> = found.texts().map(|(name, text)| (name.to_owned(), text.into())).collect();
    Some(Map::from_iter([("route".to_owned(), found.route().name().into()), ("params".to_owned(), params.into())]))
}

/// The form that makes a link: a field for each parameter, and what comes of it.
#[derive(Serialize)]
struct LinkForm<'a> {
    route: &'a str,
    fields: Vec<Field<'a>>,
    url: Option<String>,
    reason: Option<String>,
}

#[derive(Serialize)]
struct Field<'a> {
    name: &'a str,
    value: &'a str,
    /// What may stand in it.
    rule: String,
    example: Option<String>,
    /// Whether it holds several values, one a line.
    is_long: bool,
    /// Whether it is the one that keeps the link from being made.
    is_wrong: bool,
}

impl<'a> LinkForm<'a> {
    fn of(table: &'a Table, route: &'a str, asked: &'a Asked) -> Self {
        let params = || table.route(route).into_iter().flat_map(RouteRef::parameters);
        let mut link = table.link(route);
        for param in params() {
            let typed = asked.value(param.name());
            let lines = || typed.lines().filter(|line| !line.is_empty());
            let value = match param.shape() {
                _ if typed.is_empty() => continue,
                Shape::List => Value::List(lines().map(str::to_owned).collect()),
                Shape::Pairs => {
                    let pair = |line: &str| {
                        let (name, value) = line.split_once('=').unwrap_or((line, ""));
                        (name.to_owned(), value.to_owned())
                    };
                    Value::Pairs(lines().map(pair).collect())
                }
                _ => Value::Text(typed.to_owned()),
            };
            link = link.set(param.name(), value);
        }
        let made = link.to_url();
        let wrong = made.as_ref().err().and_then(|error| error.param());
        let fields = params().map(|param| {
            let form = match param.shape() {
                Shape::List => Some("one value a line"),
                Shape::Pairs => Some("one `name=value` a line"),
                _ => None,
            };
            let label = Some(param.label()).filter(|label| !label.is_empty());
            let words = label.into_iter().chain(form).chain(param.is_optional().then_some("may be left out"));
            Field {
                name: param.name(),
                value: asked.value(param.name()),
                rule: words.collect::<Vec<_>>().join(" · "),
                example: match param.example() {
                    Some(Value::Text(text)) => Some(text),
                    _ => None,
                },
                is_long: matches!(param.shape(), Shape::List | Shape::Pairs),
                is_wrong: wrong == Some(param.name()),
            }
        });
        let fields = fields.collect();
        let (url, reason) = match made {
            Ok(url) => (Some(url), None),
            Err(error) => (None, Some(error.to_string())),
        };
        Self { route, fields, url, reason }
    }
}

/// A route in the tree.
#[derive(Serialize)]
struct Node {
    name: String,
    path: String,
    /// Whether it is on the way that was taken.
    lit: bool,
    /// What tries its address, or makes one.
    link: Option<String>,
    /// Whether the routes below it are shown.
    is_open: bool,
    children: Vec<Node>,
}

/// A part of the routes: those that were looked for, or a part that has the route that was found; and where the other parts are.
fn tree(table: &Table, asked: &Asked, find: &str, lit: &str) -> (Vec<Node>, Option<Shown>) {
    let fits = |route: &RouteRef<'_>| {
        let texts = [route.name(), route.path().as_str(), route.page().map_or("", String::as_str)];
        find.is_empty() || texts.iter().any(|text| text.to_lowercase().contains(find))
    };
    let routes: Vec<RouteRef<'_>> = table.routes().filter(fits).collect();
    let count = routes.len();
    let found_at = || routes.iter().position(|route| route.name() == lit).unwrap_or_default();
    let from: usize = asked.first("from").parse().unwrap_or_else(|_| found_at() / MOST_ROUTES * MOST_ROUTES).min(count);
    let to = (from + MOST_ROUTES).min(count);
    let is_open = count <= FEW_ROUTES || !find.is_empty();
    let nodes = nodes(table, &mut routes[from..to].iter().copied().peekable(), None, &Look { lit, is_open });
    let part = |from: usize| asked.with("from", &from.to_string());
    let parts = (count > MOST_ROUTES).then(|| {
        context! {
            first => from + 1, last => to, count,
            earlier => (from > 0).then(|| part(from.saturating_sub(MOST_ROUTES))),
            later => (to < count).then(|| part(to)),
        }
    });
    (nodes, parts)
}

/// How the tree is shown: the route on the way to which all is lit, and whether all of it is open.
struct Look<'a> {
    lit: &'a str,
    is_open: bool,
}

/// The routes as a tree, which stand in the order of the file, parents before their children. Where the list begins or ends in the
/// middle of a subtree, what has no parent in it stands by its full name.
fn nodes<'t>(
    table: &Table,
    routes: &mut Peekable<impl Iterator<Item = RouteRef<'t>>>,
    above: Option<&str>,
    look: &Look<'_>,
) -> Vec<Node> {
    let mut nodes = Vec::new();
    let is_below = |route: &RouteRef<'_>| above.is_none() || route.parent().map(|one| one.name()) == above;
    while let Some(route) = routes.next_if(is_below) {
        let name = route.name();
        let own = if above.is_some() { name.rsplit('.').next().unwrap_or(name) } else { name };
        let lit = look.lit == name || look.lit.strip_prefix(name).is_some_and(|rest| rest.starts_with('.'));
        let pair = |key: &str, value: String| Some(form::written([(key.to_owned(), value)]));
        let link = match table.link(name).to_url() {
            Ok(url) => pair("url", url),
            // One with parameters is made first.
            Err(_) if route.page().is_some() => pair("link", name.to_owned()),
            Err(_) => None,
        };
        let children = self::nodes(table, routes, Some(name), look);
        nodes.push(Node {
            name: own.to_owned(),
            path: route.own_path().to_owned(),
            lit,
            link,
            is_open: lit || look.is_open,
            children,
        });
    }
    nodes
}
