//! The site of Larkfell Observatory over HTTP: nested frames, typed parameters, sign-in and back, old addresses, and
//! observers that are kept in a database. `cargo run -p example-server --features database`

use std::collections::HashMap;
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use cookie::{Cookie, SameSite};
use http::header::{CONTENT_TYPE, COOKIE, LOCATION, SET_COOKIE};
use http::request::Parts;
use http::{HeaderMap, HeaderValue, Request, Response, StatusCode};
use http_body_util::{BodyExt, Limited};
use hyper::body::Incoming;
use hyper_util::rt::{TokioExecutor, TokioIo};
use hyper_util::server::conn::auto::Builder;
use rusqlite::Connection;
use tokio::net::TcpListener;
use tower::{ServiceBuilder, service_fn};
use tower_http::catch_panic::CatchPanicLayer;
use vivid_lane::{Source, Table, TableSpec};
use vivid_lane_http::{BoxError, Handler, Routed, Visitor, found, handler, missing, service};

/// The table of the demo, with the file that it includes.
fn table() -> Result<Table, BoxError> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/larkfell");
    let read = |name: &str| std::fs::read_to_string(folder.join(name)).map(|text| Source::by_name(name, text));
    let main = read("routes.toml")?;
    Ok(TableSpec::read_with(main, &mut |name| read(name).map_err(|error| error.to_string())).build()?)
}

/// A page of the site, inside the frames around it.
fn html(title: &str, frames: &[&str], content: &str) -> Response<String> {
    let framed = frames
        .iter()
        .rev()
        .fold(content.to_owned(), |inner, frame| format!("<section class=\"{frame}\">\n{inner}</section>\n"));
    let page =
        format!("<!DOCTYPE html>\n<html lang=\"en\">\n<title>{title}</title>\n<h1>{title}</h1>\n{framed}</html>\n");
    let mut response = Response::new(page);
    response.headers_mut().insert(CONTENT_TYPE, HeaderValue::from_static("text/html; charset=utf-8"));
    response
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

/// What most pages show: their values, and where one can go from there.
async fn plain(request: Request<Incoming>) -> Response<String> {
    let Some(found) = found(&request) else { return lost(&request) };
    let found = found.get();
    let values: String = found.texts().map(|(name, text)| format!("<p>{name}: {}</p>\n", escaped(&text))).collect();
    let up = found.up().map_or_else(String::new, |url| format!("<p><a href=\"{}\">Up</a></p>\n", escaped(&url)));
    html(found.route().name(), &found.frames().collect::<Vec<_>>(), &(values + &up))
}

/// The page for what is missing, inside the frames of its place, with the way to the nearest page from there.
fn lost(request: &Request<Incoming>) -> Response<String> {
    let Some(missing) = missing(request) else { return html("Lost", &[], "") };
    let near =
        missing.position().and_then(|place| place.link(place.route().name()).to_url().ok().or_else(|| place.up()));
    let near = near.map_or_else(String::new, |url| format!("<p><a href=\"{0}\">{0}</a></p>\n", escaped(&url)));
    html("Lost", &missing.frames(), &format!("<p>There is nothing here.</p>\n{near}"))
}

/// The parameters of an exposure, as their rules say.
#[derive(serde::Deserialize)]
struct Exposure {
    date: String,
    number: u16,
}

async fn exposure(request: Request<Incoming>) -> Response<String> {
    let found = found(&request).expect("this page is no fallback").get();
    let Ok(Exposure { date, number }) = found.params() else {
        return html("Exposure", &[], "<p>The table and this program differ.</p>\n");
    };
    let next = found.link("nights.night.exposures.exposure").set("number", number + 1).to_url();
    let next = next.map_or_else(|_| String::new(), |url| format!("<p><a href=\"{url}\">Next</a></p>\n"));
    html(&format!("Exposure {number} of {date}"), &found.frames().collect::<Vec<_>>(), &next)
}

/// Who is signed in, by the random token that the browser was given.
#[derive(Clone, Default)]
struct Sessions(Arc<Mutex<HashMap<String, String>>>);

impl Sessions {
    fn observer(&self, headers: &HeaderMap) -> Option<String> {
        let sent = headers.get_all(COOKIE).iter().filter_map(|value| value.to_str().ok());
        let token = sent.flat_map(Cookie::split_parse).flatten().find(|cookie| cookie.name() == "session")?;
        self.0.lock().ok()?.get(token.value()).cloned()
    }

    /// Signs an observer in, and gives the token.
    fn begin(&self, observer: String) -> Result<String, BoxError> {
        let token = format!("{:032x}", u128::from(getrandom::u64()?) << 64 | u128::from(getrandom::u64()?));
        self.0.lock().map_err(|_| "the sessions are lost")?.insert(token.clone(), observer);
        Ok(token)
    }
}

/// Shows the form, or signs in and leads back to the page that was wanted.
async fn sign_in(request: Request<Incoming>, table: Table, sessions: Sessions) -> Response<String> {
    let found = found(&request).expect("this page is no fallback").clone();
    if request.method() != http::Method::POST {
        let action = escaped(&found.get().address());
        let form = format!(
            "<form method=\"post\" action=\"{action}\"><input name=\"observer\" autofocus><button>Sign in</button></form>\n"
        );
        return html("Sign in", &[], &form);
    }
    // A form of more than a few bytes is none of ours.
    let sent = Limited::new(request.into_body(), 1024).collect().await.map(|sent| sent.to_bytes()).unwrap_or_default();
    let name = form_urlencoded::parse(&sent).find(|(name, _)| name == "observer").map(|(_, value)| value.into_owned());
    let back = found.get().param("return").map_or_else(String::new, |back| back.into_owned());
    let wanted = vivid_lane::Request::get(&back).meets(&|_| true).lists(&|_: &str, _: &str| true);
    let back = table.return_address(&wanted, "/").to_owned();
    let Ok(token) = sessions.begin(name.unwrap_or_default()) else {
        return html("Sign in", &[], "<p>Nobody can sign in just now.</p>\n");
    };
    let cookie = Cookie::build(("session", token)).http_only(true).same_site(SameSite::Lax).path("/");
    let mut response = Response::new(String::new());
    *response.status_mut() = StatusCode::SEE_OTHER;
    for (name, value) in [(SET_COOKIE, cookie.to_string()), (LOCATION, back)] {
        response.headers_mut().extend(HeaderValue::from_str(&value).ok().map(|value| (name, value)));
    }
    response
}

/// The whole site as a service.
fn site() -> Result<Routed<Handler<Incoming>>, BoxError> {
    let (named, sessions) = (table()?, Sessions::default());
    let database = Connection::open_in_memory()?;
    database.execute_batch(
        "CREATE TABLE observers (name TEXT PRIMARY KEY) STRICT; INSERT INTO observers VALUES ('ada'), ('grace');",
    )?;
    let database = Arc::new(Mutex::new(database));
    let signing = {
        let (named, sessions) = (named.clone(), sessions.clone());
        handler(move |request| sign_in(request, named.clone(), sessions.clone()))
    };
    // Patience, and what becomes of a panic, are layers around a handler, as any other.
    let slow = service_fn(|request| async { Ok::<_, BoxError>(plain(request).await) });
    let patient: Handler<Incoming> =
        service(ServiceBuilder::new().timeout(Duration::from_secs(5)).layer(CatchPanicLayer::new()).service(slow));
    let table = named.bind(|page| match page {
        "exposure" => Some(handler(exposure)),
        "sign-in" => Some(signing.clone()),
        "search" => Some(patient.clone()),
        _ => Some(handler(plain)),
    })?;
    let visitor = Visitor::new()
        .needs(move |head: &Parts, need| {
            let is_met = need == "observer" && sessions.observer(&head.headers).is_some();
            async move { is_met }
        })
        .lists(move |_, name| {
            let (database, name) = (Arc::clone(&database), name.to_owned());
            async move {
                let ask = move || {
                    database
                        .lock()
                        .ok()?
                        .query_row("SELECT EXISTS (SELECT 1 FROM observers WHERE name = ?1)", [name], |row| row.get(0))
                        .ok()
                };
                // A database that does not answer is no "no": the visitor is asked to come back.
                tokio::task::spawn_blocking(ask).await.ok().flatten()
            }
        });
    Ok(Routed::new(table).visitor(visitor))
}

/// Serves the site, a task for each connection.
pub(crate) async fn serve(listener: TcpListener) -> Result<(), BoxError> {
    let site = site()?;
    loop {
        let (stream, _) = listener.accept().await?;
        let site = site.clone();
        tokio::spawn(async move {
            // Whoever hangs up in the middle is no trouble of ours.
            let _ = Builder::new(TokioExecutor::new()).serve_connection(TokioIo::new(stream), site).await;
        });
    }
}
