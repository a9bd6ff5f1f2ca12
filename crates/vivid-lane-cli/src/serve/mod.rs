//! `serve`: a table in a browser, with plain pages, real status codes, and a page to try URLs in.

mod app;
mod cookie;
mod form;
mod hosts;
mod pages;
mod proxy;
mod reload;
mod session;
mod trying;

use std::collections::{HashMap, HashSet};
use std::io::Write;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::pin::Pin;
use std::sync::{Arc, RwLock};
use std::task::{Context, Poll};

use http::header::{CACHE_CONTROL, CONTENT_SECURITY_POLICY, CONTENT_TYPE, HeaderName, X_CONTENT_TYPE_OPTIONS};
use http::{HeaderValue, Method, Request, Response, StatusCode};
use http_body_util::{BodyExt, Full, LengthLimitError, Limited};
use serde_json::Value as Json;
use tokio::net::TcpListener;
use tower_layer::Layer;
use tower_service::Service;
use vivid_lane::{Finding, Table};
use vivid_lane_http::{
    Body, Error, Handler, LiveTable, Routed, RoutedPages, Server, Visitor as Asked, handler, is_from_this_site,
};

use crate::args::ServeArgs;
use crate::guard::guarded;
use crate::output::{BAD, Failure, GOOD, Styled};
use crate::report::Item;
use crate::system::Local;
use crate::table_file::TableFile;
use crate::visitor::Visitor;
use crate::watched::Watched;
use session::Session;

/// How many findings are shown.
const MOST_FINDINGS: usize = 100;
/// How large a form may be.
const MOST_FORM: usize = 16 * 1024;

/// What all requests share.
pub(crate) struct State {
    table: LiveTable<String>,
    /// The name of the table file.
    name: String,
    /// What was found in the file as it is now, and its errors where they keep it from being served.
    found: RwLock<Found>,
    pages: pages::Pages,
    session: Session,
    /// Needs that every visitor meets.
    meets: Vec<String>,
    /// The live lists by name.
    lists: HashMap<String, HashSet<String>>,
    /// Hosts to answer for that were named when it was started.
    hosts: Vec<String>,
    /// The folder of a single-page application.
    app: Option<PathBuf>,
    /// Other servers.
    proxies: Vec<proxy::Proxy>,
    /// Those who wait for a change, where pages are loaded again.
    changes: Option<reload::Changes>,
}

/// What was found in a table file.
#[derive(Debug, Default)]
struct Found {
    /// As pages show them.
    findings: Vec<Json>,
    /// How many more there are.
    more: usize,
    broken: Option<String>,
}

impl Found {
    fn of(file: &TableFile, findings: &[Finding], broken: Option<String>) -> Self {
        let shown = findings.iter().take(MOST_FINDINGS);
        let shown = shown.map(|finding| serde_json::to_value(Item::of(file, finding)).unwrap_or_default());
        Self { findings: shown.collect(), more: findings.len().saturating_sub(MOST_FINDINGS), broken }
    }
}

impl State {
    pub(crate) fn new(file: &TableFile, args: &ServeArgs) -> Result<Arc<Self>, Failure> {
        let table = file.table()?;
        let visitor = Visitor::new(&Local, &table, None, &args.known)?;
        let app = match &args.app {
            Some(folder) => Some(app::folder(folder)?),
            None => None,
        };
        let found = Found::of(file, file.review().run().findings(), None);
        Ok(Arc::new(Self {
            table: LiveTable::new(table),
            name: file.name().to_owned(),
            found: RwLock::new(found),
            pages: pages::Pages::new(),
            session: Session::default(),
            meets: args.known.meets.clone(),
            lists: visitor.into_lists(),
            hosts: args.hosts.iter().map(|host| hosts::name(host)).collect(),
            app,
            proxies: args.proxy.iter().map(|text| proxy::Proxy::read(text)).collect::<Result<_, _>>()?,
            changes: args.reload.then(reload::Changes::new),
        }))
    }

    fn found(&self) -> std::sync::RwLockReadGuard<'_, Found> {
        self.found.read().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    fn is_listed(&self, list: &str, value: &str) -> bool {
        self.lists.get(list).is_some_and(|values| values.contains(value))
    }

    /// Takes over what the file says now. A broken one changes nothing but what is said about it.
    fn reload(&self, file: &TableFile) -> Result<(), String> {
        let reviewed = file.review().run();
        let plain = |text: String| anstream::adapter::strip_str(&text).to_string();
        let broken = reviewed.table().is_none().then(|| plain(file.render(reviewed.findings())));
        let outcome = match (reviewed.table(), &broken) {
            (Some(table), _) => {
                self.table.replace(table.clone());
                Ok(())
            }
            (None, broken) => Err(broken.clone().unwrap_or_default()),
        };
        let found = Found::of(file, reviewed.findings(), broken);
        *self.found.write().unwrap_or_else(std::sync::PoisonError::into_inner) = found;
        self.changes.iter().for_each(reload::Changes::tell);
        outcome
    }

    /// Notes that the file cannot be read: the table before it is served, and every page says so.
    fn lose(&self, why: String) {
        let mut found = self.found.write().unwrap_or_else(std::sync::PoisonError::into_inner);
        found.broken = Some(why);
        drop(found);
        self.changes.iter().for_each(reload::Changes::tell);
    }

    /// The needs that a visitor meets.
    fn met(&self, headers: &http::HeaderMap) -> HashSet<String> {
        self.session.needs(headers).into_iter().chain(self.meets.iter().cloned()).collect()
    }
}

/// The service of a state: the site, and what stands under `/-/`.
#[derive(Clone)]
pub(crate) struct Site {
    state: Arc<State>,
    routed: RoutedPages<Handler>,
}

impl Site {
    pub(crate) fn new(state: &Arc<State>) -> Self {
        let (needing, listing, showing) = (Arc::clone(state), Arc::clone(state), Arc::clone(state));
        let visitor = Asked::new()
            .needs(move |head, need| {
                let is_met = needing.met(&head.headers).contains(need);
                async move { is_met }
            })
            .lists(move |_, list, value| {
                let is_listed = listing.is_listed(list, value);
                async move { is_listed }
            });
        let show = handler(move |request: Request<Body>| {
            let state = Arc::clone(&showing);
            async move { aside(&state, request, pages::show).await }
        });
        let routed = Routed::new(state.table.clone()).visitor(visitor);
        Self { state: Arc::clone(state), routed: routed.layer(show) }
    }

    /// Answers a request.
    async fn answer(self, request: Request<Body>) -> Result<Response<Body>, Error> {
        let state = &self.state;
        if let Some(host) = hosts::foreign(state, &request) {
            let is_plain = host.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'-'));
            let name = if is_plain { &*host } else { "NAME" };
            let why = format!("this server does not answer for this host; start it with `--host {name}` if it should");
            return Ok(refused(StatusCode::MISDIRECTED_REQUEST, &why));
        }
        let is_read = matches!(*request.method(), Method::GET | Method::HEAD);
        if let (Some(changes), "/-/changes", true) = (&state.changes, request.uri().path(), is_read) {
            return Ok(changes.answer());
        }
        if let Some(proxy) = state.proxies.iter().find(|proxy| proxy.takes(request.uri().path())) {
            return Ok(proxy.answer(request).await);
        }
        // The pages of this tool have their policy, also beside an application, which has its own.
        let is_ours = request.uri().path().starts_with("/-/");
        let mut response = match (request.uri().path(), is_read) {
            ("/-/try", true) => aside(state, request, trying::page).await,
            ("/-/style.css", true) => of_type("text/css; charset=utf-8", crate::html::STYLE.to_owned()),
            ("/-/try.js", true) => of_type("text/javascript", trying::SCRIPT.to_owned()),
            ("/-/reload.js", true) if state.changes.is_some() => of_type("text/javascript", reload::SCRIPT.to_owned()),
            ("/-/session", true) => session::tell(state, request.headers()),
            ("/-/session", false) => {
                let (head, sent) = request.into_parts();
                if is_from_this_site(&head) {
                    // A form of more than a few bytes is none of ours.
                    match Limited::new(sent, MOST_FORM).collect().await {
                        Ok(sent) => session::change(state, &head, &sent.to_bytes()),
                        Err(error) if error.is::<LengthLimitError>() => {
                            let most = format!("a form may have {MOST_FORM} bytes, this one has more");
                            refused(StatusCode::PAYLOAD_TOO_LARGE, &most)
                        }
                        Err(_) => refused(StatusCode::REQUEST_TIMEOUT, "the form did not arrive"),
                    }
                } else {
                    refused(StatusCode::FORBIDDEN, "the form was sent by another site")
                }
            }
            _ => match &state.app {
                Some(folder) if is_read => app::answer(state, folder, &self.routed, request).await?,
                _ => routed(&self.routed, request).await,
            },
        };
        let fields: [(HeaderName, &'static str); 2] = [
            (X_CONTENT_TYPE_OPTIONS, "nosniff"),
            // The table may change with the next keystroke.
            (CACHE_CONTROL, "no-store"),
        ];
        for (name, value) in fields {
            response.headers_mut().insert(name, HeaderValue::from_static(value));
        }
        if state.app.is_none() || is_ours {
            // A script is part of one page, which asks this server alone.
            let policy = if is_ours {
                "default-src 'none'; style-src 'self'; script-src 'self'; connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
            } else {
                "default-src 'none'; style-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
            };
            response.headers_mut().insert(CONTENT_SECURITY_POLICY, HeaderValue::from_static(policy));
        }
        Ok(response)
    }
}

impl Service<Request<Body>> for Site {
    type Response = Response<Body>;
    type Error = Error;
    type Future = Pin<Box<dyn Future<Output = Result<Response<Body>, Error>> + Send>>;

    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<Result<(), Error>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, request: Request<Body>) -> Self::Future {
        Box::pin(self.clone().answer(request))
    }
}

/// Makes a page beside the tasks that serve connections: one of a large table takes its time.
async fn aside(
    state: &Arc<State>,
    request: Request<Body>,
    show: impl FnOnce(&State, &Request<()>) -> Response<Body> + Send + 'static,
) -> Response<Body> {
    let state = Arc::clone(state);
    let request = request.map(|_| ());
    let made = tokio::task::spawn_blocking(move || show(&state, &request)).await;
    made.unwrap_or_else(|_| refused(StatusCode::INTERNAL_SERVER_ERROR, "this page could not be made"))
}

/// What the table says, which is never an error.
async fn routed(routed: &RoutedPages<Handler>, request: Request<Body>) -> Response<Body> {
    routed.clone().call(request).await.unwrap_or_else(|never| match never {})
}

fn refused(status: StatusCode, why: &str) -> Response<Body> {
    let mut response = of_type("text/plain; charset=utf-8", format!("{status}\n{why}\n"));
    *response.status_mut() = status;
    response.headers_mut().insert(X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    response
}

fn of_type(kind: &'static str, text: String) -> Response<Body> {
    let mut response = Response::new(Body::new(Full::from(text)));
    response.headers_mut().insert(CONTENT_TYPE, HeaderValue::from_static(kind));
    response
}

fn html(status: StatusCode, text: String) -> Response<Body> {
    let mut response = of_type("text/html; charset=utf-8", text);
    *response.status_mut() = status;
    response
}

/// Serves until it is stopped.
pub(crate) fn run(file: TableFile, args: &ServeArgs, out: &mut dyn Write) -> Result<(), Failure> {
    let state = State::new(&file, args)?;
    let runtime = tokio::runtime::Runtime::new().map_err(Failure::Serve)?;
    runtime.block_on(async {
        let listener = TcpListener::bind(SocketAddr::new(args.address, args.port)).await.map_err(Failure::Serve)?;
        let address = listener.local_addr().map_err(Failure::Serve)?;
        let url = format!("http://{address}");
        writeln!(
            out,
            "{} {} at {url}
        try URLs at {url}/-/try",
            Styled(GOOD, "serving"),
            state.name
        )?;
        out.flush()?;
        // Kept alive as long as the server runs.
        let _watcher = watch(&state, file)?;
        let _files = state.app.clone().filter(|_| state.changes.is_some()).map(|folder| {
            let state = Arc::clone(&state);
            let tell = move || state.changes.iter().for_each(reload::Changes::tell);
            crate::watch::watch_folders(&[folder], notify::RecursiveMode::Recursive, tell)
        });
        let _files = _files.transpose()?;
        // It is stopped from outside.
        let served = Server::new(Site::new(&state)).run(listener, std::future::pending()).await;
        served.map_err(|error| Failure::Serve(std::io::Error::other(error)))
    })
}

/// Takes over each save of the table.
fn watch(state: &Arc<State>, file: TableFile) -> Result<crate::watch::Watching, Failure> {
    let state = Arc::clone(state);
    let mut table = Watched::new(file);
    let first: Vec<_> = table.paths().collect();
    crate::watch::watch_files(first, move || {
        let looked = guarded("reading the table again", || {
            if let Some(file) = table.look(&Local) {
                take_over(&state, file);
            }
        });
        if let Err(reason) = looked {
            take_over(&state, Err(Failure::Argument(reason)));
        }
        table.paths().collect()
    })
}

/// Serves another table, and tells of it.
fn take_over(state: &State, file: Result<&TableFile, Failure>) {
    let mut err = anstream::stderr().lock();
    // Where this cannot be written, the pages still tell.
    let _ = match file.map(|file| (file, state.reload(file))) {
        Ok((file, Ok(()))) => writeln!(err, "{} {}", Styled(GOOD, "reloaded"), file.name()),
        Ok((file, Err(findings))) => writeln!(
            err,
            "{findings}{}: {} is broken; the table before it is served",
            Styled(BAD, "error"),
            file.name()
        ),
        Err(failure) => {
            state.lose(failure.to_string());
            writeln!(err, "{}: {failure}; the table before it is served", Styled(BAD, "error"))
        }
    };
}

/// The table of this moment.
fn now(state: &State) -> Table {
    state.table.load()
}
