//! The pages: plain ones for every route, one for what is missing, one to try URLs in.

use http::{Request as HttpRequest, Response, StatusCode};
use minijinja::value::Serde;
use minijinja::{Environment, Value, context};
use serde::Serialize;
use vivid_lane::{Decision, Position, Request};
use vivid_lane_http::{Body, PageName, found, missing};

use super::{State, html, now};
use crate::html::environment;

/// How many links a page shows, and for how many routes one is tried: a large table would make large pages.
const MOST_LINKS: usize = 100;
const MOST_TRIED: usize = 1_000;

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
    pub(super) fn render(
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
