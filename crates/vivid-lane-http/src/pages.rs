//! The pages of a program, by their names.

use std::collections::{BTreeMap, HashSet};
use std::fmt;
use std::future::Future;
use std::sync::Arc;

use bytes::Bytes;
use http::header::CONTENT_TYPE;
use http::request::Parts;
use http::{HeaderValue, Request, Response};
use serde_core::Serialize;
use tower_layer::Layer;
use tower_service::Service;
use vivid_lane::Table;

use crate::handler::{Found, Handler, Missing, service};
use crate::visit::Visit;
use crate::visitor::BoxFuture;
use crate::{Body, BoxError, Error, Failure};

/// The pages of a program: a function for each page name in the table, and the state that all of them share.
///
/// A page is an async function of a [`Visit`] that gives a `Response` or a `Result<Response, Failure>`.
///
/// # Example
/// ```
/// use http::{Request, Response};
/// use tower::ServiceExt;
/// use vivid_lane::Table;
/// use vivid_lane_http::{Body, Failure, Pages, Routed, Visit, html};
///
/// struct Observatory {
///     exposures_each_night: u16,
/// }
///
/// #[derive(serde::Deserialize)]
/// struct Exposure {
///     date: String,
///     number: u16,
/// }
///
/// async fn exposure(visit: Visit<Observatory>) -> Result<Response<Body>, Failure> {
///     let Exposure { date, number } = visit.params()?;
///     if number > visit.state().exposures_each_night {
///         return Err(Failure::not_found());
///     }
///     let next = visit.link("exposure")?.set("number", number + 1).to_url()?;
///     Ok(html(format!("<h1>{date}: {number}</h1>\n<p><a href='{next}'>Next</a></p>")))
/// }
///
/// async fn lost(visit: Visit<Observatory>) -> Response<Body> {
///     html(format!("<h1>There is nothing in {:?}</h1>", visit.frames()))
/// }
///
/// # fn main() -> Result<(), vivid_lane_http::BoxError> {
/// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
/// let table = Table::from_toml(r#"
///     [site]
///     frame = "shell"
///     fallback = "lost"
///     [routes.exposure]
///     path = "/nights/{date}/{number}"
///     page = "exposure"
///     params = { date = "date", number = "natural" }
/// "#)?;
/// let pages = Pages::new(Observatory { exposures_each_night: 40 }).page("exposure", exposure).page("lost", lost);
/// let site = Routed::new(pages.bind(&table)?);
///
/// let ask = |url: &str| site.clone().oneshot(Request::get(url).body(Body::default()).unwrap());
/// assert_eq!(ask("/nights/2031-04-02/7").await?.status(), 200);
/// assert_eq!(ask("/nights/2031-04-02/99").await?.status(), 404);
/// # Ok(()) })
/// # }
/// ```
pub struct Pages<S = ()> {
    state: Arc<S>,
    known: BTreeMap<String, Handler>,
    others: Option<Handler>,
    around: Vec<Around>,
}

/// A layer, and what it is put around.
struct Around {
    below: Option<String>,
    pages: Option<Vec<String>>,
    layer: Box<dyn Fn(Handler) -> Handler>,
}

impl<S> fmt::Debug for Pages<S> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Pages").field("known", &self.known.keys()).field("others", &self.others.is_some()).finish()
    }
}

/// An async function that shows a page.
#[diagnostic::on_unimplemented(
    message = "this does not show a page of `Pages<{S}>`",
    label = "expected an async function of a `Visit<{S}>`",
    note = "write `async fn page(visit: Visit<{S}>) -> Result<Response<Body>, Failure>`; what it holds over an `.await` must be `Send`"
)]
pub trait PageFunction<S>: Send + Sync + 'static {
    /// Shows the page.
    fn show(&self, visit: Visit<S>) -> impl Future<Output = Result<Response<Body>, Failure>> + Send + 'static;
}

impl<S, F, R> PageFunction<S> for F
where
    F: Fn(Visit<S>) -> R + Send + Sync + 'static,
    R: Future<Output: PageResult> + Send + 'static,
{
    fn show(&self, visit: Visit<S>) -> impl Future<Output = Result<Response<Body>, Failure>> + Send + 'static {
        let shown = self(visit);
        async move { shown.await.into_result() }
    }
}

/// What a page gives: a response with a body of any kind, or a `Result` of one.
#[diagnostic::on_unimplemented(
    message = "`{Self}` is not what a page gives",
    note = "a page gives a `Response<Body>`, or a `Result` of one with a `Failure`; `html` and `json` make responses"
)]
pub trait PageResult {
    /// The response, or what went wrong.
    ///
    /// # Errors
    /// What went wrong.
    fn into_result(self) -> Result<Response<Body>, Failure>;
}

impl<T> PageResult for Response<T>
where
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
{
    fn into_result(self) -> Result<Response<Body>, Failure> {
        Ok(self.map(Body::new))
    }
}

impl<T, E: Into<Failure>> PageResult for Result<Response<T>, E>
where
    Response<T>: PageResult,
{
    fn into_result(self) -> Result<Response<Body>, Failure> {
        self.map_err(Into::into)?.into_result()
    }
}

/// What went wrong in a page, in the extensions of its response. The layers around the page see a response with its status, and may put
/// fields into it; the text for the visitor is added outside of them.
#[derive(Debug, Clone)]
pub(crate) struct Failed {
    pub(crate) failure: Arc<Failure>,
    /// The request.
    pub(crate) head: Arc<Parts>,
}

impl Failed {
    fn into_response(self) -> Response<Body> {
        let mut response = Response::new(Body::default());
        *response.status_mut() = self.failure.status();
        response.extensions_mut().insert(self);
        response
    }
}

impl<S: Send + Sync + 'static> Pages<S> {
    /// A set without pages, with the state that all pages will share.
    pub fn new(state: S) -> Self {
        Self { state: Arc::new(state), known: BTreeMap::new(), others: None, around: Vec::new() }
    }

    fn handler(&self, function: impl PageFunction<S>) -> Handler {
        let state = Arc::clone(&self.state);
        Handler::new(move |request: Request<Body>| {
            let (head, body) = request.into_parts();
            let head = Arc::new(head);
            let shown = function.show(Visit::new(Arc::clone(&head), body, Arc::clone(&state)));
            Box::pin(async move {
                let failed = |failure| Failed { failure: Arc::new(failure), head }.into_response();
                Ok(shown.await.unwrap_or_else(failed))
            })
        })
    }

    /// Sets the function that shows a page, given by its name in the table.
    #[must_use]
    pub fn page(mut self, name: impl Into<String>, function: impl PageFunction<S>) -> Self {
        let handler = self.handler(function);
        self.known.insert(name.into(), handler);
        self
    }

    /// Sets the function that shows all pages without one of their own.
    #[must_use]
    pub fn others(mut self, function: impl PageFunction<S>) -> Self {
        self.others = Some(self.handler(function));
        self
    }

    /// Sets a [handler](crate::handler) or a [service](crate::service()) that shows a page.
    #[must_use]
    pub fn handled(mut self, name: impl Into<String>, handler: Handler) -> Self {
        self.known.insert(name.into(), handler);
        self
    }

    /// Puts a layer around all pages; the layer that is added last is the outermost. Its errors become responses, too.
    /// Of a [`Failure`] it sees the status; the text for the visitor is added later, and header fields that the layer
    /// has set are kept.
    #[must_use]
    pub fn around_all(self, put: impl Fn(Handler) -> Handler + 'static) -> Self {
        self.put(None, None, put)
    }

    /// Puts a layer around some pages, given by their names.
    ///
    /// # Example
    /// ```
    /// use std::time::Duration;
    /// use tower::timeout::TimeoutLayer;
    /// use vivid_lane_http::{Pages, Visit, html, layered};
    ///
    /// let pages = Pages::new(())
    ///     .page("search", async |_: Visit| html("slow, perhaps"))
    ///     .around(&["search"], layered(TimeoutLayer::new(Duration::from_secs(5))));
    /// ```
    #[must_use]
    pub fn around(self, pages: &[&str], put: impl Fn(Handler) -> Handler + 'static) -> Self {
        self.put(None, Some(pages.iter().map(|&page| page.to_owned()).collect()), put)
    }

    /// Puts a layer around everything that is shown at a route and below it, fallbacks included.
    #[must_use]
    pub fn around_below(self, route: impl Into<String>, put: impl Fn(Handler) -> Handler + 'static) -> Self {
        self.put(Some(route.into()), None, put)
    }

    fn put(
        mut self,
        below: Option<String>,
        pages: Option<Vec<String>>,
        layer: impl Fn(Handler) -> Handler + 'static,
    ) -> Self {
        self.around.push(Around { below, pages, layer: Box::new(layer) });
        self
    }

    /// Makes the table whose pages are handlers.
    ///
    /// # Errors
    /// Names of the table without a page here, and names here that the table does not have.
    pub fn bind(&self, table: &Table) -> Result<Table<Handler>, PagesError> {
        let shown = || table.routes().flat_map(|route| [route.page(), route.fallback()]).chain([table.fallback()]);
        let shown: HashSet<&str> = shown().flatten().map(String::as_str).collect();
        let is_shown = |name: &str| shown.contains(name);
        let named = self.around.iter().flat_map(|around| around.pages.iter().flatten());
        let unknown =
            self.known.keys().chain(named).filter(|name| !is_shown(name)).map(|name| format!("page `{name}`"));
        let routes = self.around.iter().filter_map(|around| around.below.as_deref());
        let unknown_routes =
            routes.filter(|route| table.route(route).is_none()).map(|route| format!("route `{route}`"));
        let unknown: Vec<String> = unknown.chain(unknown_routes).collect();
        let bound = table.bind(|page| {
            let handler = self.known.get(page).or(self.others.as_ref())?;
            Some(self.around.iter().fold(handler.clone(), |handler, around| around.put(page, handler)))
        });
        let unknown = (!unknown.is_empty()).then(|| format!("the table has no {}", unknown.join(", no ")));
        match (bound, unknown) {
            (Ok(bound), None) => Ok(bound),
            (Err(error), None) => Err(PagesError(error.to_string())),
            (Ok(_), Some(unknown)) => Err(PagesError(unknown)),
            (Err(error), Some(unknown)) => Err(PagesError(format!("{error}; {unknown}"))),
        }
    }
}

impl Around {
    fn put(&self, page: &str, handler: Handler) -> Handler {
        if self.pages.as_ref().is_some_and(|pages| pages.iter().all(|known| known != page)) {
            return handler;
        }
        let layered = (self.layer)(handler.clone());
        let Some(below) = self.below.clone() else { return layered };
        Handler::new(move |request: Request<Body>| -> BoxFuture<Result<Response<Body>, Error>> {
            if is_below(&request, &below) { layered.clone().call(request) } else { handler.clone().call(request) }
        })
    }
}

/// Whether a request stands at a route or below it.
fn is_below(request: &Request<Body>, route: &str) -> bool {
    let found = request.extensions().get::<Found>().map(Found::position);
    let position = found.or_else(|| request.extensions().get::<Missing>()?.position());
    position.is_some_and(|position| {
        std::iter::successors(Some(position.route()), |route| route.parent()).any(|above| above.name() == route)
    })
}

/// The pages of the program do not fit those of the table.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PagesError(String);

impl fmt::Display for PagesError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for PagesError {}

/// Makes a layer fit for [around](Pages::around).
pub fn layered<L, T>(layer: L) -> impl Fn(Handler) -> Handler
where
    L: Layer<Handler>,
    L::Service: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>, Future: Send>,
    L::Service: Clone + Send + Sync + 'static,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
{
    move |handler| service(layer.layer(handler))
}

/// An HTML response.
pub fn html(text: impl Into<Body>) -> Response<Body> {
    of_type("text/html; charset=utf-8", text.into())
}

/// A JSON response.
///
/// # Errors
/// The value has no form in JSON, such as a map whose keys are no texts.
pub fn json<T: Serialize + ?Sized>(value: &T) -> Result<Response<Body>, Failure> {
    Ok(of_type("application/json", Body::from(serde_json::to_vec(value)?)))
}

fn of_type(kind: &'static str, body: Body) -> Response<Body> {
    let mut response = Response::new(body);
    response.headers_mut().insert(CONTENT_TYPE, HeaderValue::from_static(kind));
    response
}
