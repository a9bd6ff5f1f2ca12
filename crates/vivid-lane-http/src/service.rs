//! The service: a request in, the page or another answer out.

use std::convert::Infallible;
use std::fmt;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll, Waker, ready};

use bytes::Bytes;
use http::header::CONTENT_LENGTH;
use http::{Method, Request, Response};
use tower_service::Service;

use crate::core::Core;
use crate::counts::Counts;
use crate::head::{Head, Origin};
use crate::live::LiveTable;
use crate::recovery::Recovery;
use crate::reply::{Stamp, stamped};
use crate::routing::Routing;
use crate::visitor::{BoxFuture, Visitor};
use crate::watch::Watch;
use crate::{Body, BoxError, Failure};

/// A service that shows a page: it can be cloned, and its clones can be called at once. A [`Handler`](crate::Handler)
/// is one.
pub trait PageService:
    Service<Request<Body>, Response = Response<Body>, Error: Into<BoxError>, Future: Send> + Clone + Send + Sync + 'static
{
}

impl<S> PageService for S where
    S: Service<Request<Body>, Response = Response<Body>, Error: Into<BoxError>, Future: Send>
        + Clone
        + Send
        + Sync
        + 'static
{
}

/// A table as a service: each request goes to the service of its page, with the [match](crate::Found) in its
/// extensions. Requests that lead to no page are answered at once.
///
/// - A page that is missing shows the fallback, with status 404, always; without one the client gets an error in the form
///   that it prefers: HTML, problem details (RFC 9457) or plain text.
/// - A method that the URL does not answer gives 405 with `Allow`, and `OPTIONS` 204 with `Allow`.
/// - A permanent redirect may be kept for an hour ([`keep_redirects`](Self::keep_redirects)), unless it hangs on a need or a
///   live list.
/// - Where a need or a list on which the decision hangs cannot be asked, the answer is 503, with `Retry-After` where the
///   [`Visitor`] gives one.
///
/// It is ready at once: a handler is waited for when it is called. See the [crate documentation](crate) for an example.
pub struct Routed<P> {
    /// Shared by all clones, as a service is cloned for each request.
    pub(crate) core: Arc<Core<P>>,
}

impl<P> Clone for Routed<P> {
    fn clone(&self) -> Self {
        Self { core: Arc::clone(&self.core) }
    }
}

impl<P> fmt::Debug for Routed<P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Routed").field(&self.core.table).finish()
    }
}

impl<P> Routed<P> {
    /// A service for a table, or for a [`LiveTable`].
    pub fn new(table: impl Into<LiveTable<P>>) -> Self {
        Self { core: Arc::new(Core::new(table.into())) }
    }

    /// Sets how to find out what is true of a visitor.
    #[must_use]
    pub fn visitor(mut self, visitor: Visitor) -> Self {
        Arc::make_mut(&mut self.core).visitor = visitor;
        self
    }

    /// Writes `Location` with the origin that the table declares, never with the host of the request. For a table
    /// without an origin it stays relative.
    #[must_use]
    pub fn absolute_locations(mut self) -> Self {
        Arc::make_mut(&mut self.core).is_absolute = true;
        self
    }

    /// Sets what to do when a page, or a layer around one, fails, and when a list, a need or an identity has no answer (503). The function gets the failure and the path. It can
    /// log the failure, and it can return a response of its own. If it returns none, the visitor sees the status, and
    /// nothing of the error.
    ///
    /// # Example
    /// ```
    /// use http::Request;
    /// use tower::ServiceExt;
    /// use vivid_lane::Table;
    /// use vivid_lane_http::{Body, Failure, Pages, Routed, Visit, html};
    ///
    /// async fn plate(_: Visit) -> Result<http::Response<Body>, Failure> {
    ///     let number: u32 = "b-1021".parse()?;
    ///     Ok(html(number.to_string()))
    /// }
    ///
    /// # fn main() -> Result<(), vivid_lane_http::BoxError> {
    /// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
    /// let table = Table::from_toml("[routes.plate]\npath = '/plate'\npage = 'plate'")?;
    /// let site = Routed::new(Pages::new(()).page("plate", plate).bind(&table)?).on_failure(|failure, path| {
    ///     eprintln!("{path}: {failure}");
    ///     None
    /// });
    /// assert_eq!(site.oneshot(Request::get("/plate").body(Body::default())?).await?.status(), 500);
    /// # Ok(()) })
    /// # }
    /// ```
    #[must_use]
    pub fn on_failure(
        mut self,
        tell: impl Fn(&Failure, &str) -> Option<Response<Body>> + Send + Sync + 'static,
    ) -> Self {
        Arc::make_mut(&mut self.core).on_failure = Some(Arc::new(tell));
        self
    }

    /// Shows refusals by the fallback page, too: 400, 403, 405, 414 and 503, and failures of pages. The fallback gets
    /// the status and the reason ([`Missing`](crate::Missing)); the header fields stay as they are. A client that
    /// prefers JSON gets problem details, for missing pages as well; so does everybody at a route that says `fallback =
    /// false`.
    ///
    /// # Example
    /// ```
    /// use http::Request;
    /// use tower::ServiceExt;
    /// use vivid_lane::Table;
    /// use vivid_lane_http::{Body, Pages, Routed, Visit, html};
    ///
    /// async fn sorry(visit: Visit) -> http::Response<Body> {
    ///     let status = visit.missing().map(|missing| missing.status().as_u16());
    ///     html(format!("sorry: {status:?}"))
    /// }
    ///
    /// # fn main() -> Result<(), vivid_lane_http::BoxError> {
    /// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
    /// let table = Table::from_toml("site.fallback = 'sorry'\n[routes.nights]\npath = '/nights'\npage = 'nights'")?;
    /// let pages = Pages::new(()).page("sorry", sorry).page("nights", async |_: Visit| html("nights"));
    /// let site = Routed::new(pages.bind(&table)?).show_refusals();
    /// let response = site.oneshot(Request::post("/nights").body(Body::default())?).await?;
    /// assert_eq!((response.status().as_u16(), &response.headers()["allow"]), (405, &"GET, HEAD, OPTIONS".parse()?));
    /// # use http_body_util::BodyExt;
    /// assert_eq!(response.into_body().collect().await?.to_bytes(), "sorry: Some(405)");
    /// # Ok(()) })
    /// # }
    /// ```
    #[must_use]
    pub fn show_refusals(mut self) -> Self {
        Arc::make_mut(&mut self.core).shows_refusals = true;
        self
    }

    /// Puts into the extensions of each response what the request led to: its [`Routing`].
    #[must_use]
    pub fn label_responses(mut self) -> Self {
        Arc::make_mut(&mut self.core).labels_responses = true;
        self
    }

    /// Counts requests by route, outcome and status.
    #[must_use]
    pub fn count(mut self, counts: &Counts) -> Self {
        Arc::make_mut(&mut self.core).counts = Some(counts.clone());
        self
    }

    /// Sets for how many seconds browsers may keep a permanent redirect. The default is 3,600.
    #[must_use]
    pub fn keep_redirects(mut self, seconds: u32) -> Self {
        Arc::make_mut(&mut self.core).kept = seconds;
        self
    }
}

impl<P> Core<P> {
    /// Labels a response, and counts and traces it.
    fn finish(&self, response: &mut Response<Body>, origin: &Origin, routing: Option<Routing>, watch: &Watch) {
        watch.ended(response.status());
        if let (Some(counts), Some(routing)) = (&self.counts, &routing) {
            counts.add(routing.clone(), response.status());
        }
        if self.labels_responses {
            routing.map(|routing| response.extensions_mut().insert(routing));
        }
        if origin.method == Method::HEAD {
            drop_body(response);
        }
    }

    /// Decides and answers a request, waiting for whatever it hangs on.
    pub(crate) async fn answer<S, T>(
        &self,
        request: Request<Body>,
        watch: &Watch,
        page: impl Fn(&P) -> S,
        body: impl Fn(T) -> Body,
    ) -> Response<Body>
    where
        S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>>,
    {
        let identity = self.visitor.somebody();
        let (head, sent) = request.into_parts();
        let origin = Origin::from(Head::from(&head));
        let (plan, routing) = match self.plan_at_once((&head).into(), false, watch, &page) {
            Some(planned) => planned,
            None => self.plan(&head, identity.as_ref(), watch, &page).await,
        };
        let mut request = Request::from_parts(head, sent);
        let mut response = match plan.prepare(&mut request, identity) {
            Ok(service) => self.response(service, request, &origin, page, body).await,
            Err(response) => *response,
        };
        self.finish(&mut response, &origin, routing, watch);
        response
    }
}

/// The answer to `HEAD` has no body, but the length that it would have (RFC 9110, sections 8.6 and 9.3.2).
fn drop_body(response: &mut Response<Body>) {
    let length = http_body::Body::size_hint(response.body()).exact().filter(|length| *length > 0);
    if let Some(length) = length {
        response.headers_mut().entry(CONTENT_LENGTH).or_insert_with(|| length.into());
    }
    *response.body_mut() = Body::default();
}

pin_project_lite::pin_project! {
    #[project = Doing]
    enum State<P>
    where
        P: Service<Request<Body>>,
    {
        // The response is here.
        Ready { response: Option<Response<Body>> },
        // A page is called.
        Calling { #[pin] future: P::Future, stamp: Option<Box<Stamp>> },
        // The decision, or the page, has to wait.
        Waiting { future: BoxFuture<Response<Body>> },
    }
}

pin_project_lite::pin_project! {
    /// The future of a response of a [`Routed`] service.
    pub struct ResponseFuture<P>
    where
        P: Service<Request<Body>>,
    {
        #[pin]
        state: State<P>,
        core: Arc<Core<P>>,
        origin: Origin,
        routing: Option<Routing>,
        watch: Watch,
        // Whether the whole request is awaited, its decision included.
        is_waiting: bool,
    }
}

impl<P> fmt::Debug for ResponseFuture<P>
where
    P: Service<Request<Body>>,
{
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ResponseFuture").finish_non_exhaustive()
    }
}

impl<P> Future for ResponseFuture<P>
where
    P: PageService,
{
    type Output = Result<Response<Body>, Infallible>;

    fn poll(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Self::Output> {
        let mut this = self.project();
        let watch: &Watch = this.watch;
        watch.within(|| {
            loop {
                let mut response = match this.state.as_mut().project() {
                    // It was given away, and a future that is over may do as it likes.
                    Doing::Ready { response } => match response.take() {
                        Some(response) => response,
                        None => return Poll::Pending,
                    },
                    Doing::Calling { future, stamp } => {
                        match this.core.outcome(ready!(future.poll(context)), this.origin, stamp.as_deref(), P::clone) {
                            Ok(response) => stamped(response, stamp.as_deref()),
                            Err(Recovery::Reply(response)) => *response,
                            Err(fallback) => {
                                let (core, origin) = (Arc::clone(this.core), this.origin.clone());
                                let future =
                                    Box::pin(async move { core.recovered(fallback, &origin, |body| body).await });
                                this.state.set(State::Waiting { future });
                                continue;
                            }
                        }
                    }
                    Doing::Waiting { future } => ready!(future.as_mut().poll(context)),
                };
                // A response that was waited for is finished.
                if !*this.is_waiting {
                    this.core.finish(&mut response, this.origin, this.routing.take(), watch);
                }
                return Poll::Ready(Ok(response));
            }
        })
    }
}

impl<P> Routed<P>
where
    P: PageService,
{
    /// Begins with a request, which must name a host where one is wanted.
    fn respond(&self, request: Request<Body>, wants_host: bool) -> ResponseFuture<P> {
        let head = Head::from(&request);
        let (origin, watch) = (Origin::from(head), Watch::begin(head));
        let (state, routing, is_waiting) = watch.within(|| self.begin(request, wants_host, &origin, &watch));
        ResponseFuture { state, core: Arc::clone(&self.core), origin, routing, watch, is_waiting }
    }

    /// Starts a request: returns its state as far as it comes without waiting, its labels, and whether all of it must
    /// be waited for.
    fn begin(
        &self,
        mut request: Request<Body>,
        wants_host: bool,
        origin: &Origin,
        watch: &Watch,
    ) -> (State<P>, Option<Routing>, bool) {
        let Some((plan, routing)) = self.core.plan_at_once(Head::from(&request), wants_host, watch, P::clone) else {
            return (State::Waiting { future: self.wait_for(request, watch.clone()) }, None, true);
        };
        let state = match plan.prepare(&mut request, self.core.visitor.somebody()) {
            Err(response) => State::Ready { response: Some(*response) },
            Ok((mut service, stamp)) => {
                // Most pages are ready at once; one that is not is asked again by whoever waits for it.
                match service.poll_ready(&mut Context::from_waker(Waker::noop())) {
                    Poll::Ready(Ok(())) => State::Calling { future: service.call(request), stamp },
                    _ => {
                        let (core, origin) = (Arc::clone(&self.core), origin.clone());
                        let future = async move {
                            core.response((service, stamp), request, &origin, P::clone, |body| body).await
                        };
                        State::Waiting { future: Box::pin(future) }
                    }
                }
            }
        };
        (state, routing, false)
    }

    fn wait_for(&self, request: Request<Body>, watch: Watch) -> BoxFuture<Response<Body>> {
        let core = Arc::clone(&self.core);
        Box::pin(async move { core.answer(request, &watch, P::clone, |body| body).await })
    }
}

impl<P, B> Service<Request<B>> for Routed<P>
where
    P: PageService,
    B: http_body::Body<Data = Bytes> + Send + 'static,
    B::Error: Into<BoxError>,
{
    type Response = Response<Body>;
    type Error = Infallible;
    type Future = ResponseFuture<P>;

    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<Result<(), Infallible>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, request: Request<B>) -> Self::Future {
        self.respond(request.map(Body::new), false)
    }
}

/// The same for `hyper`, which calls a service without waiting for it. What comes over the wire by HTTP/1.1 needs a `Host` field (RFC 9112,
/// section 3.2).
#[cfg(feature = "hyper")]
impl<P, B> hyper::service::Service<Request<B>> for Routed<P>
where
    P: PageService,
    B: http_body::Body<Data = Bytes> + Send + 'static,
    B::Error: Into<BoxError>,
{
    type Response = Response<Body>;
    type Error = Infallible;
    type Future = ResponseFuture<P>;

    fn call(&self, request: Request<B>) -> Self::Future {
        let wants_host = request.version() == http::Version::HTTP_11;
        self.respond(request.map(Body::new), wants_host)
    }
}
