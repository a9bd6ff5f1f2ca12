//! Connections: a service at a port.

use std::convert::Infallible;
use std::fmt;
use std::future::{Future, poll_fn};
use std::sync::Arc;
use std::task::Poll;
use std::time::Duration;

use bytes::Bytes;
use http::{Request, Response, Version};
use hyper::body::Incoming;
use hyper::service::service_fn;
use hyper_util::rt::{TokioExecutor, TokioIo, TokioTimer};
use hyper_util::server::conn::auto::Builder;
use hyper_util::server::graceful::GracefulShutdown;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Semaphore;
use tower::ServiceExt;
use tower_service::Service;

use crate::head::Head;
use crate::reply::Reply;
use crate::{Body, BoxError, Failure};

/// A service at a port, with limits, until it is told to stop.
///
/// It speaks HTTP/1.1 and HTTP/2, without TLS. Upgrades are passed on. A request without a good
/// `Host` field is 400 (RFC 9112, section 3.2). An error of a layer around the service is 500, or 503 for a time-out. A connection that cannot
/// be accepted ends nothing.
///
/// # Example
/// ```no_run
/// use tokio::net::TcpListener;
/// use vivid_lane::Table;
/// use vivid_lane_http::{BoxError, Pages, Routed, Server, Visit, html};
///
/// # async fn serve() -> Result<(), BoxError> {
/// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
/// let pages = Pages::new(()).page("home", async |_: Visit| html("Welcome"));
/// let site = Routed::new(pages.bind(&table)?);
/// let stop = std::future::pending();
/// Server::new(site).connections(1024).run(TcpListener::bind("127.0.0.1:8031").await?, stop).await?;
/// # Ok(())
/// # }
/// ```
#[derive(Clone)]
pub struct Server<S> {
    service: S,
    connections: usize,
    head_bytes: usize,
    head_time: Duration,
    patience: Duration,
}

impl<S> fmt::Debug for Server<S> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Server").field("connections", &self.connections).finish_non_exhaustive()
    }
}

/// Some requests did not end while the server waited for them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Unfinished(());

impl fmt::Display for Unfinished {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("some requests did not end in time")
    }
}

impl std::error::Error for Unfinished {}

/// How long the server waits before it accepts again, after it could not: there are too many open files, say.
const PAUSE: Duration = Duration::from_millis(100);
/// A head has at least so many bytes of room: hyper's own minimum.
const LEAST_HEAD: usize = 8192;

impl<S> Server<S> {
    /// A server for a service: 1,024 connections at a time, heads of up to 64 KiB that arrive within 10 seconds, and 10 seconds for the requests
    /// that run when it is told to stop.
    pub fn new(service: S) -> Self {
        let seconds = Duration::from_secs(10);
        Self { service, connections: 1024, head_bytes: 64 * 1024, head_time: seconds, patience: seconds }
    }

    /// How many connections are served at a time. More wait to be accepted.
    #[must_use]
    pub fn connections(mut self, most: usize) -> Self {
        self.connections = most;
        self
    }

    /// How large the head of a request may be in HTTP/1.1, at least 8 KiB, and how long it may take to arrive.
    #[must_use]
    pub fn heads(mut self, bytes: usize, time: Duration) -> Self {
        (self.head_bytes, self.head_time) = (bytes.max(LEAST_HEAD), time);
        self
    }

    /// How long requests that run may go on when the server is told to stop.
    #[must_use]
    pub fn patience(mut self, time: Duration) -> Self {
        self.patience = time;
        self
    }

    /// Serves until it is told to stop, and then until the requests that run have ended. New connections are not accepted meanwhile.
    ///
    /// # Errors
    /// Some requests did not end in time.
    pub async fn run<T>(self, listener: TcpListener, stop: impl Future<Output = ()>) -> Result<(), Unfinished>
    where
        S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>, Future: Send>,
        S: Clone + Send + Sync + 'static,
        T: http_body::Body<Data = Bytes> + Send + 'static,
        T::Error: Into<BoxError>,
    {
        let mut protocol = Builder::new(TokioExecutor::new());
        protocol.http1().timer(TokioTimer::new()).header_read_timeout(self.head_time).max_buf_size(self.head_bytes);
        let (room, running) = (Arc::new(Semaphore::new(self.connections)), GracefulShutdown::new());
        let mut stop = std::pin::pin!(stop);
        loop {
            let mut accepted = std::pin::pin!(accept(&listener, &room));
            let next = poll_fn(|context| match stop.as_mut().poll(context) {
                Poll::Ready(()) => Poll::Ready(None),
                Poll::Pending => accepted.as_mut().poll(context).map(Some),
            });
            let Some((stream, place)) = next.await else { break };
            let service = self.service.clone();
            let answer = service_fn(move |request| answer(service.clone(), request));
            let connection = protocol.serve_connection_with_upgrades(TokioIo::new(stream), answer).into_owned();
            let connection = running.watch(connection);
            tokio::spawn(async move {
                // Whoever hangs up in the middle is no trouble of ours.
                let _ = connection.await;
                drop(place);
            });
        }
        drop(listener);
        tokio::time::timeout(self.patience, running.shutdown()).await.map_err(|_| Unfinished(()))
    }
}

/// The next connection, once there is room for it.
async fn accept(listener: &TcpListener, room: &Arc<Semaphore>) -> (TcpStream, impl Drop + use<>) {
    loop {
        // It is never closed, so this waits for room and no more.
        let Ok(place) = Arc::clone(room).acquire_owned().await else { return std::future::pending().await };
        match listener.accept().await {
            Ok((stream, _)) => {
                // Small answers do not wait for more; where that cannot be said, they do.
                let _ = stream.set_nodelay(true);
                return (stream, place);
            }
            Err(_) => tokio::time::sleep(PAUSE).await,
        }
    }
}

async fn answer<S, T>(service: S, request: Request<Incoming>) -> Result<Response<Body>, Infallible>
where
    S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>>,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
{
    let head = Head::from(&request);
    let (form, path) = (head.form(), head.uri.path().to_owned());
    if request.version() == Version::HTTP_11 && !head.has_good_host(true) {
        return Ok(Reply::bad_host().respond(form, &path));
    }
    Ok(match service.oneshot(request.map(Body::new)).await {
        Ok(response) => response.map(Body::new),
        Err(error) => Reply::new(Failure::of(error).status().as_u16(), "").respond(form, &path),
    })
}
