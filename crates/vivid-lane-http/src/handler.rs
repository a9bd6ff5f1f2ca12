//! What shows a page.

use std::fmt;
use std::future::{Future, poll_fn};
use std::sync::Arc;
use std::task::{Context, Poll};

use bytes::Bytes;
use http::{Request, Response, StatusCode};
use tower_service::Service;
use vivid_lane::decide::NotFound;
use vivid_lane::lookup::OwnedPosition;
use vivid_lane::{Decision, OwnedMatch, Position, Table};

use crate::visitor::BoxFuture;
use crate::{Body, BoxError, Error};

type Run = dyn Fn(Request<Body>) -> BoxFuture<Result<Response<Body>, Error>> + Send + Sync;

/// Shows a page: an async function or a service, whatever its type was. Clones share it.
pub struct Handler(Arc<Run>);

impl Clone for Handler {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}

impl fmt::Debug for Handler {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Handler").finish_non_exhaustive()
    }
}

impl Handler {
    pub(crate) fn new(
        run: impl Fn(Request<Body>) -> BoxFuture<Result<Response<Body>, Error>> + Send + Sync + 'static,
    ) -> Self {
        Self(Arc::new(run))
    }
}

impl Service<Request<Body>> for Handler {
    type Response = Response<Body>;
    type Error = Error;
    type Future = BoxFuture<Result<Response<Body>, Error>>;

    /// Always ready: what a service has to wait for is waited for by its call.
    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<Result<(), Error>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, request: Request<Body>) -> Self::Future {
        (self.0)(request)
    }
}

/// Calls a service as soon as it is ready.
pub(crate) async fn call_once<S: Service<R>, R>(mut service: S, request: R) -> Result<S::Response, S::Error> {
    poll_fn(|context| service.poll_ready(context)).await?;
    service.call(request).await
}

/// The match of a request: parameters, levels, frames, data, and links that start from it.
///
/// The pages of its table are not those of the service; they are of no use to a handler.
pub type Found = OwnedMatch<()>;

/// The match of a request; `None` if the page is a fallback.
///
/// See the [crate documentation](crate) for an example.
#[must_use]
pub fn found<B>(request: &Request<B>) -> Option<&Found> {
    request.extensions().get()
}

/// What is known about a request that no route answers; it is in the extensions of the request that a fallback gets.
///
/// # Example
/// ```
/// use http::{Request, Response, StatusCode};
/// use tower::ServiceExt;
/// use vivid_lane::Table;
/// use vivid_lane_http::{Body, Handler, Routed, handler, missing};
///
/// async fn lost(request: Request<Body>) -> Response<String> {
///     let missing = missing(&request).expect("this page is a fallback only");
///     let language = missing.position().and_then(|position| Some(position.param("lang")?.into_owned()));
///     Response::new(format!("{:?} in {language:?}; near: {:?}", missing.frames(), missing.suggestions()))
/// }
///
/// # fn main() -> Result<(), vivid_lane_http::BoxError> {
/// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
/// let table = Table::from_toml(r#"
///     [site]
///     frame = "shell"
///     fallback = "lost"
///     [routes.talks]
///     path = "{/lang}/talks"
///     page = "talk-list"
///     frame = "with-calendar"
///     params.lang = ["en", "cy"]
/// "#)?;
/// let service = Routed::new(table.bind(|_| Some(handler(lost)))?);
/// let response = service.oneshot(Request::get("/cy/talks/x").body(Body::default())?).await?;
/// assert_eq!(response.status(), 404);
/// # use http_body_util::BodyExt;
/// let text = response.into_body().collect().await?.to_bytes();
/// assert_eq!(text, r#"["shell", "with-calendar"] in Some("cy"); near: ["/cy/talks"]"#);
/// # Ok(()) })
/// # }
/// ```
#[derive(Debug, Clone)]
pub struct Missing {
    position: Option<OwnedPosition<()>>,
    table: Table<()>,
    status: StatusCode,
    reason: Option<String>,
    /// What was asked for, where nothing has it.
    target: String,
}

impl Missing {
    pub(crate) fn new<P>(missing: &NotFound<'_, '_, P>, table: &Table<()>, target: String) -> Self {
        let position = missing.position().and_then(|position| position.keep_position_in(table));
        let reason = missing.reason().map(Into::into);
        Self { position, table: table.clone(), status: StatusCode::NOT_FOUND, reason, target }
    }

    /// What is refused, and where that stands, where it stands anywhere.
    pub(crate) fn refused<P>(
        position: Option<&Position<'_, '_, P>>,
        table: &Table<()>,
        status: StatusCode,
        reason: String,
    ) -> Self {
        let position = position.and_then(|position| position.keep_position_in(table));
        let reason = Some(reason).filter(|reason| !reason.is_empty());
        Self { position, table: table.clone(), status, reason, target: String::new() }
    }

    /// Where a match stands whose page has failed, or turned out not to exist.
    pub(crate) fn failed(found: &Found, status: StatusCode, reason: &str) -> Self {
        let (position, table) = (found.position(), found.position().table().clone());
        let reason = Some(reason.to_owned()).filter(|reason| !reason.is_empty());
        Self { position: Some(position.keep_position()), table, status, reason, target: String::new() }
    }

    pub(crate) fn table(&self) -> &Table<()> {
        &self.table
    }

    /// The deepest route that covers the URL, with its ancestors and the values that were read.
    #[must_use]
    pub fn position(&self) -> Option<Position<'_, '_, ()>> {
        self.position.as_ref().map(OwnedPosition::get)
    }

    /// The status of the response: 404, or another one where the fallback [shows refusals](crate::Routed::show_refusals).
    #[must_use]
    pub fn status(&self) -> StatusCode {
        self.status
    }

    /// Why no page was found, if a rule is the reason (for example, `date` does not accept `2031-02-30`), or why the
    /// request is refused.
    #[must_use]
    pub fn reason(&self) -> Option<&str> {
        self.reason.as_deref()
    }

    /// Addresses that the visitor may have meant, the likeliest first. They are worked out on each call. There are none
    /// if a page says itself that it [does not exist](crate::Failure::not_found).
    #[must_use]
    pub fn suggestions(&self) -> Vec<String> {
        match self.table.decide(&vivid_lane::Request::get(self.target.as_str())) {
            Decision::NotFound(missing) => missing.suggestions().iter().map(|one| one.url().to_owned()).collect(),
            _ => Vec::new(),
        }
    }

    /// The frames around the page, outermost first.
    #[must_use]
    pub fn frames(&self) -> Vec<&str> {
        match self.position() {
            Some(position) => position.frames().collect(),
            None => self.table.frame().into_iter().collect(),
        }
    }
}

/// What is known about the missing page, if this request shows a fallback.
#[must_use]
pub fn missing<B>(request: &Request<B>) -> Option<&Missing> {
    request.extensions().get()
}

/// Makes a handler of an async function.
///
/// See the [crate documentation](crate) for an example.
pub fn handler<F, R, T>(function: F) -> Handler
where
    F: Fn(Request<Body>) -> R + Send + Sync + 'static,
    R: Future<Output = Response<T>> + Send + 'static,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
{
    Handler::new(move |request| {
        let response = function(request);
        Box::pin(async move { Ok(response.await.map(Body::new)) })
    })
}

/// Makes a handler of any service, layers included.
///
/// # Example
/// ```
/// use http::{Request, Response, StatusCode};
/// use tower::{ServiceBuilder, service_fn};
/// use vivid_lane_http::{Body, BoxError, Handler, service};
///
/// let slow = |_: Request<Body>| async { Ok::<_, BoxError>(Response::new(String::from("at last"))) };
/// let at_length = |response: Response<String>| response.map(|body| body + ", and at length");
/// let wordy: Handler = service(ServiceBuilder::new().map_response(at_length).service(service_fn(slow)));
/// ```
pub fn service<S, T>(service: S) -> Handler
where
    S: Service<Request<Body>, Response = Response<T>> + Clone + Send + Sync + 'static,
    S::Error: Into<BoxError>,
    S::Future: Send + 'static,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
{
    Handler::new(move |request| {
        let service = service.clone();
        Box::pin(async move {
            match call_once(service, request).await {
                Ok(response) => Ok(response.map(Body::new)),
                Err(error) => Err(Error::new(error)),
            }
        })
    })
}
