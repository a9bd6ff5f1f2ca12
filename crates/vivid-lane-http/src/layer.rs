//! The table in front of a service that shows all pages.

use std::convert::Infallible;
use std::fmt;
use std::sync::Arc;
use std::task::{Context, Poll};

use bytes::Bytes;
use http::{Request, Response};
use tower_layer::Layer;
use tower_service::Service;

use crate::core::Core;
use crate::head::Head;
use crate::service::Routed;
use crate::visitor::BoxFuture;
use crate::watch::Watch;
use crate::{Body, BoxError};

/// The name of the page to show, or of the fallback; it is in the extensions of a request.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PageName(pub String);

/// One service for all pages, behind a table of page names. Made by [`Routed`] as a layer. Requests that lead to no
/// page do not reach the service.
///
/// # Example
/// ```
/// use http::{Request, Response};
/// use tower::{Layer, ServiceExt, service_fn};
/// use vivid_lane::Table;
/// use vivid_lane_http::{Body, BoxError, PageName, Routed};
///
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
/// let table = Table::from_toml("[routes.nights]\npath = '/nights'\npage = 'night-list'")?;
/// let pages = service_fn(|request: Request<Body>| async move {
///     let PageName(page) = request.extensions().get().expect("the table puts it there");
///     Ok::<_, BoxError>(Response::new(format!("templates/{page}.html")))
/// });
/// let service = Routed::new(table).layer(pages);
/// let response = service.oneshot(Request::get("/nights").body(Body::default())?).await.unwrap();
/// assert_eq!(response.status(), 200);
/// # Ok(()) })
/// # }
/// ```
pub struct RoutedPages<S> {
    core: Arc<Core<String>>,
    pages: S,
}

impl<S: Clone> Clone for RoutedPages<S> {
    fn clone(&self) -> Self {
        Self { core: Arc::clone(&self.core), pages: self.pages.clone() }
    }
}

impl<S: fmt::Debug> fmt::Debug for RoutedPages<S> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("RoutedPages").field("pages", &self.pages).finish_non_exhaustive()
    }
}

impl<S> Layer<S> for Routed<String> {
    type Service = RoutedPages<S>;

    fn layer(&self, pages: S) -> RoutedPages<S> {
        RoutedPages { core: Arc::clone(&self.core), pages }
    }
}

/// Tells a service which page is wanted.
struct Named<S> {
    name: PageName,
    pages: S,
}

impl<S, B> Service<Request<B>> for Named<S>
where
    S: Service<Request<B>>,
{
    type Response = S::Response;
    type Error = S::Error;
    type Future = S::Future;

    fn poll_ready(&mut self, context: &mut Context<'_>) -> Poll<Result<(), Self::Error>> {
        self.pages.poll_ready(context)
    }

    fn call(&mut self, mut request: Request<B>) -> Self::Future {
        request.extensions_mut().insert(self.name.clone());
        self.pages.call(request)
    }
}

impl<S, B, T> Service<Request<B>> for RoutedPages<S>
where
    S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>, Future: Send>
        + Clone
        + Send
        + Sync
        + 'static,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
    B: http_body::Body<Data = Bytes> + Send + 'static,
    B::Error: Into<BoxError>,
{
    type Response = Response<Body>;
    type Error = Infallible;
    type Future = BoxFuture<Result<Self::Response, Infallible>>;

    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<Result<(), Infallible>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, request: Request<B>) -> Self::Future {
        let (core, pages) = (Arc::clone(&self.core), self.pages.clone());
        let request = request.map(Body::new);
        let watch = Watch::begin(Head::from(&request));
        let watched = watch.clone();
        let mut answer = Box::pin(async move {
            let named = |page: &String| Named { name: PageName(page.clone()), pages: pages.clone() };
            core.answer(request, &watched, named, Body::new).await
        });
        Box::pin(std::future::poll_fn(move |context| watch.within(|| answer.as_mut().poll(context)).map(Ok)))
    }
}
