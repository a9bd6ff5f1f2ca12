//! The site of Larkfell Observatory over HTTP: nested frames, typed parameters, sign-in and back, old addresses, and
//! observers that are kept in a database. `cargo run -p example-server --features database`

use std::collections::HashMap;
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use cookie::{Cookie, SameSite};
use http::header::{COOKIE, SET_COOKIE};
use http::{HeaderMap, Method, Response, StatusCode};
use rusqlite::Connection;
use serde::Deserialize;
use tower::timeout::TimeoutLayer;
use tower_http::catch_panic::CatchPanicLayer;
use vivid_lane::{Source, Table, TableSpec};
use vivid_lane_http::{Body, BoxError, Counts, Failure, Handler, Pages, Routed, Visit, Visitor, html, layered};

/// What all pages share.
struct Observatory {
    sessions: Arc<Sessions>,
}

type Shown = Result<Response<Body>, Failure>;

/// The table of the demo, with the file that it includes.
fn table() -> Result<Table, BoxError> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/larkfell");
    let read = |name: &str| std::fs::read_to_string(folder.join(name)).map(|text| Source::by_name(name, text));
    let main = read("routes.toml")?;
    Ok(TableSpec::read_with(main, &mut |name| read(name).map_err(|error| error.to_string())).build()?)
}

/// A page of the site, inside the frames around it.
fn page(visit: &Visit<Observatory>, title: &str, content: &str) -> Response<Body> {
    let frames = visit.frames();
    let framed = frames
        .iter()
        .rev()
        .fold(content.to_owned(), |inner, frame| format!("<section class=\"{frame}\">\n{inner}</section>\n"));
    html(format!("<!DOCTYPE html>\n<html lang=\"en\">\n<title>{title}</title>\n<h1>{title}</h1>\n{framed}</html>\n"))
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

fn way(text: &str, url: Option<String>) -> String {
    url.map_or_else(String::new, |url| format!("<p><a href=\"{}\">{text}</a></p>\n", escaped(&url)))
}

/// What most pages show: their values, and where one can go from there.
async fn plain(visit: Visit<Observatory>) -> Shown {
    let position = visit.position().ok_or_else(Failure::not_found)?;
    let values: String = position.texts().map(|(name, text)| format!("<p>{name}: {}</p>\n", escaped(&text))).collect();
    Ok(page(&visit, position.route().name(), &(values + &way("Up", position.up()))))
}

/// The page for what is missing, inside the frames of its place, with the way to the nearest page from there.
async fn lost(visit: Visit<Observatory>) -> Response<Body> {
    let near = visit.position().and_then(|place| place.link_here().to_url().ok().or_else(|| place.up()));
    page(&visit, "Lost", &format!("<p>There is nothing here.</p>\n{}", way("Back", near)))
}

/// The parameters of an exposure, as their rules say.
#[derive(Deserialize)]
struct Exposure {
    date: String,
    number: u16,
}

async fn exposure(visit: Visit<Observatory>) -> Shown {
    let Exposure { date, number } = visit.params()?;
    // More than these fit into no night.
    if number > 40 {
        return Err(Failure::not_found());
    }
    let next = visit.link_here()?.set("number", number + 1).to_url().ok();
    Ok(page(&visit, &format!("Exposure {number} of {date}"), &way("Next", next)))
}

/// Who is signed in, by the random token that the browser was given.
#[derive(Default)]
struct Sessions(Mutex<HashMap<String, Observer>>);

/// Somebody who is signed in.
#[derive(Clone, Deserialize)]
struct Observer {
    observer: String,
}

impl Sessions {
    fn observer(&self, headers: &HeaderMap) -> Option<Observer> {
        let sent = headers.get_all(COOKIE).iter().filter_map(|value| value.to_str().ok());
        let token = sent.flat_map(Cookie::split_parse).flatten().find(|cookie| cookie.name() == "session")?;
        self.0.lock().ok()?.get(token.value()).cloned()
    }

    /// Signs an observer in, and gives the token.
    fn begin(&self, observer: Observer) -> Result<String, Failure> {
        let token = format!("{:032x}", u128::from(getrandom::u64()?) << 64 | u128::from(getrandom::u64()?));
        self.0.lock().map_err(|_| Failure::of("the sessions are lost"))?.insert(token.clone(), observer);
        Ok(token)
    }
}

/// Shows the form, or signs in and leads back to the page that was wanted.
async fn sign_in(mut visit: Visit<Observatory>) -> Shown {
    if visit.method() != Method::POST {
        let action = escaped(&visit.position().ok_or_else(Failure::not_found)?.address());
        let form = "<input name=\"observer\" required autofocus><button>Sign in</button>";
        return Ok(page(&visit, "Sign in", &format!("<form method=\"post\" action=\"{action}\">{form}</form>\n")));
    }
    // A form of more than a few bytes is none of ours.
    let somebody: Observer = visit.form(1024).await?;
    if somebody.observer.trim().is_empty() {
        return Err(Failure::new(StatusCode::UNPROCESSABLE_ENTITY, "whoever signs in has a name"));
    }
    let token = visit.state().sessions.begin(somebody)?;
    let cookie = Cookie::build(("session", token)).http_only(true).same_site(SameSite::Lax).path("/");
    let mut response = visit.see_return("/")?;
    response.headers_mut().insert(SET_COOKIE, cookie.to_string().parse()?);
    Ok(response)
}

async fn logbook(visit: Visit<Observatory>) -> Shown {
    // The table has asked for it, as the page has a need.
    let name = visit.identity::<Observer>().map_or("", |known| &known.observer);
    Ok(page(&visit, "Logbook", &format!("<p>Signed in as {}</p>\n", escaped(name))))
}

/// The whole site as a service, whose requests are counted.
pub(crate) fn site(counts: &Counts) -> Result<Routed<Handler>, BoxError> {
    let sessions = Arc::new(Sessions::default());
    let pages = Pages::new(Observatory { sessions: Arc::clone(&sessions) })
        .page("exposure", exposure)
        .page("sign-in", sign_in)
        .page("logbook", logbook)
        .page("lost", lost)
        .page("no-such-plate", lost)
        .others(plain)
        .around(&["search"], layered(TimeoutLayer::new(Duration::from_secs(5))))
        .around_all(layered(CatchPanicLayer::new()));
    let database = Connection::open_in_memory()?;
    database.execute_batch(
        "CREATE TABLE observers (name TEXT PRIMARY KEY) STRICT; INSERT INTO observers VALUES ('ada'), ('grace');",
    )?;
    let database = Arc::new(Mutex::new(database));
    let identify = move |headers: &HeaderMap| std::future::ready(sessions.observer(headers));
    let visitor = Visitor::new()
        .identity(move |head| identify(&head.headers), |_: &Observer, need| need == "observer")
        .lists(move |_, _, name| {
            let (database, name) = (Arc::clone(&database), name.to_owned());
            let sql = "SELECT EXISTS (SELECT 1 FROM observers WHERE name = ?1)";
            let ask = move || database.lock().ok()?.query_row(sql, [name], |row| row.get(0)).ok();
            // A database that does not answer is no "no": the visitor is asked to come back.
            async { tokio::task::spawn_blocking(ask).await.ok().flatten() }
        });
    Ok(Routed::new(pages.bind(&table()?)?).visitor(visitor).count(counts))
}
