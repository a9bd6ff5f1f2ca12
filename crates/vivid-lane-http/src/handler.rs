//! What shows a page.

use std::future::Future;

use bytes::Bytes;
use http::{Request, Response};
use tower::util::BoxCloneSyncService;
use tower::{ServiceExt, service_fn};
use tower_service::Service;
use vivid_lane::KeptMatch;

use crate::{Body, BoxError, Error};

/// What shows a page: a service that can be cloned, with its type forgotten.
pub type Handler<B = Body> = BoxCloneSyncService<Request<B>, Response<Body>, Error>;

/// The match of a request, with its parameters, levels, frames, data, and links that start from it.
///
/// The pages of its table are not those of the service; they are of no use to a handler.
pub type Found = KeptMatch<()>;

/// The match that led to a handler; `None` for the page that is shown where nothing was found.
///
/// See the [crate documentation](crate) for an example.
#[must_use]
pub fn found<B>(request: &Request<B>) -> Option<&Found> {
    request.extensions().get()
}

/// An async function as a handler.
///
/// See the [crate documentation](crate) for an example.
pub fn handler<B, F, R, T>(function: F) -> Handler<B>
where
    F: Fn(Request<B>) -> R + Clone + Send + Sync + 'static,
    R: Future<Output = Response<T>> + Send + 'static,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
    B: Send + 'static,
{
    let run = move |request| {
        let response = function(request);
        async move { Ok::<_, Error>(response.await.map(Body::new)) }
    };
    BoxCloneSyncService::new(service_fn(run))
}

/// Any service as a handler, with the layers that are around it.
///
/// # Example
/// ```
/// use http::{Request, Response};
/// use tower::{ServiceBuilder, service_fn};
/// use vivid_lane_http::{Body, BoxError, Handler, service};
///
/// let slow = |_: Request<Body>| async { Ok::<_, BoxError>(Response::new(String::from("at last"))) };
/// let patient: Handler = service(ServiceBuilder::new().concurrency_limit(4).service(service_fn(slow)));
/// ```
pub fn service<B, S, T>(service: S) -> Handler<B>
where
    S: Service<Request<B>, Response = Response<T>> + Clone + Send + Sync + 'static,
    S::Error: Into<BoxError>,
    S::Future: Send + 'static,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
    B: Send + 'static,
{
    BoxCloneSyncService::new(service.map_response(|response| response.map(Body::new)).map_err(Error::new))
}
