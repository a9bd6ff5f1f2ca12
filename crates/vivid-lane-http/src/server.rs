//! Connections: a service at a port.

use std::collections::HashMap;
use std::collections::hash_map::Entry;
use std::convert::Infallible;
use std::fmt;
use std::future::{Future, poll_fn};
use std::net::IpAddr;
use std::pin::pin;
use std::sync::{Arc, Mutex, PoisonError};
use std::task::Poll;
use std::time::Duration;

use bytes::Bytes;
use http::{Request, Response, Version};
use hyper::body::Incoming;
use hyper::service::service_fn;
use hyper_util::rt::{TokioExecutor, TokioIo, TokioTimer};
use hyper_util::server::conn::auto::Builder;
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{Semaphore, watch};
use tokio::time::{Instant, MissedTickBehavior};
use tower_service::Service;

use crate::connection::{Counted, Outgoing, PIECE, Patience, Running, Store, Traffic, Verdict, Watchman};
use crate::handler::call_once;
use crate::head::Head;
use crate::reply::Reply;
use crate::{Body, BoxError, Failure};

/// A server for a service, with limits. It runs until it is told to stop.
///
/// It speaks HTTP/1.1 and HTTP/2, without TLS. Upgrades are passed on. A request without a good
/// `Host` field is 400 (RFC 9112, section 3.2). An error of a layer around the service is 500, or 503 for a time-out. A connection that cannot
/// be accepted ends nothing.
///
/// A client that is silent, and one that does not read what it asked for, is let go. Large bodies go out in pieces. Of the requests that
/// come over one connection of HTTP/2, at most 16 run or wait to be read as a whole at a time; pages that take more than a second delay
/// no others.
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
    body_time: Duration,
    body_rate: u32,
    answer_time: Duration,
    answer_rate: u32,
    unread: usize,
    from_one_peer: usize,
    patience: Duration,
}

impl<S> fmt::Debug for Server<S> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Server").field("connections", &self.connections).finish_non_exhaustive()
    }
}

/// Some requests did not end in the time that the server waits when it stops.
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
/// How many requests may be open on one connection of HTTP/2: as few as RFC 9113, section 6.5.2, finds enough.
const STREAMS: u32 = 100;
/// After how many seconds it is worth asking again, where too much waits to be read.
const RETRY: u32 = 10;

impl<S> Server<S> {
    /// A server for a service. By default it serves 1,024 connections at a time, from one peer as many. Heads have up
    /// to 64 KiB and arrive within 10 seconds; bodies have 10 seconds, and one more for each KiB. A client may stop reading for 30
    /// seconds, and reads 1 KiB a second at least; 512 MiB of bodies may wait to be read. When the server stops, running
    /// requests have 10 seconds.
    pub fn new(service: S) -> Self {
        let time = Duration::from_secs(10);
        Self {
            service,
            connections: 1024,
            head_bytes: 64 * 1024,
            head_time: time,
            body_time: time,
            body_rate: 1024,
            answer_time: Duration::from_secs(30),
            answer_rate: 1024,
            unread: 512 * 1024 * 1024,
            from_one_peer: usize::MAX,
            patience: time,
        }
    }

    /// Sets how many connections are served at a time. More wait to be accepted.
    #[must_use]
    pub fn connections(mut self, most: usize) -> Self {
        self.connections = most;
        self
    }

    /// Sets how large the head of a request may be, at least 8 KiB, and how long it may take to arrive. The time counts from the
    /// beginning of the connection. A connection without a request ends after the same time, also in HTTP/2.
    #[must_use]
    pub fn heads(mut self, bytes: usize, time: Duration) -> Self {
        (self.head_bytes, self.head_time) = (bytes.max(LEAST_HEAD), time);
        self
    }

    /// Sets how long a body may take to begin, and at what rate it must arrive on average ([`Body::paced`]).
    #[must_use]
    pub fn bodies(mut self, time: Duration, bytes_a_second: u32) -> Self {
        (self.body_time, self.body_rate) = (time, bytes_a_second);
        self
    }

    /// Sets how long a client may take nothing of the body that it asked for, and at what rate it must take it on average.
    #[must_use]
    pub fn answers(mut self, time: Duration, bytes_a_second: u32) -> Self {
        (self.answer_time, self.answer_rate) = (time, bytes_a_second);
        self
    }

    /// Sets how many bytes of bodies of known length may wait for their clients, on all connections together. What is beyond is answered by
    /// 503, with `Retry-After`.
    #[must_use]
    pub fn unread(mut self, bytes: usize) -> Self {
        self.unread = bytes;
        self
    }

    /// Sets how many connections one address may have at a time; more are closed at once. Do not use it behind a proxy,
    /// where all connections come from one address.
    #[must_use]
    pub fn connections_of_one_peer(mut self, most: usize) -> Self {
        self.from_one_peer = most.max(1);
        self
    }

    /// Sets how long running requests may go on when the server is told to stop.
    #[must_use]
    pub fn patience(mut self, time: Duration) -> Self {
        self.patience = time;
        self
    }

    /// Serves until it is told to stop, and then until the running requests have ended. New connections are not
    /// accepted meanwhile.
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
        protocol.http1().timer(TokioTimer::new()).header_read_timeout(None).max_buf_size(self.head_bytes);
        let head_bytes = u32::try_from(self.head_bytes).unwrap_or(u32::MAX);
        protocol.http2().max_concurrent_streams(STREAMS).max_header_list_size(head_bytes).max_send_buf_size(PIECE);
        let (room, store) = (Arc::new(Semaphore::new(self.connections)), Store::new(self.unread));
        let peers = Peers { most: self.from_one_peer, open: Arc::default() };
        let patience = Patience { head: self.head_time, answer: self.answer_time, bytes_a_second: self.answer_rate };
        let (stopping, running) = watch::channel(());
        let mut stop = pin!(stop);
        loop {
            let mut accepted = pin!(accept(&listener, &room));
            let next = poll_fn(|context| match stop.as_mut().poll(context) {
                Poll::Ready(()) => Poll::Ready(None),
                Poll::Pending => accepted.as_mut().poll(context).map(Some),
            });
            let Some((stream, peer, place)) = next.await else { break };
            let Some(of_peer) = peers.admit(peer) else { continue };
            let traffic = Arc::new(Traffic::new());
            let stream = TokioIo::new(Counted::new(stream, &traffic));
            let watchman = Watchman::new(patience, Arc::clone(&traffic));
            let (service, store) = (self.service.clone(), store.clone());
            let (time, rate) = (self.body_time, self.body_rate);
            let answer = service_fn(move |request: Request<Incoming>| {
                let request = request.map(|body| Body::paced(body, time, rate));
                sent(service.clone(), request, Arc::clone(&traffic), store.clone())
            });
            let connection = protocol.serve_connection_with_upgrades(stream, answer).into_owned();
            let mut stopped = running.clone();
            tokio::spawn(async move {
                let (mut connection, mut watchman) = (pin!(connection), watchman);
                let mut ticks = tokio::time::interval(patience.pause());
                ticks.set_missed_tick_behavior(MissedTickBehavior::Delay);
                let (mut stopped, mut is_stopping) = (pin!(stopped.changed()), false);
                poll_fn(|context| {
                    // What has come in is read first: a slow machine is no silent client.
                    if connection.as_mut().poll(context).is_ready() {
                        return Poll::Ready(());
                    }
                    let mut ends = false;
                    if !is_stopping && stopped.as_mut().poll(context).is_ready() {
                        (is_stopping, ends) = (true, true);
                    }
                    while ticks.poll_tick(context).is_ready() {
                        match watchman.look(Instant::now()) {
                            Verdict::GoesOn => {}
                            Verdict::Ends => ends = true,
                            Verdict::Over => return Poll::Ready(()),
                        }
                    }
                    if !ends {
                        return Poll::Pending;
                    }
                    connection.as_mut().graceful_shutdown();
                    // A client that hangs up in the middle is no error of the server.
                    connection.as_mut().poll(context).map(drop)
                })
                .await;
                drop((place, of_peer));
            });
        }
        drop((listener, running));
        stopping.send_replace(());
        tokio::time::timeout(self.patience, stopping.closed()).await.map_err(|_| Unfinished(()))
    }
}

/// How many connections each address has.
struct Peers {
    most: usize,
    open: Arc<Mutex<HashMap<IpAddr, usize>>>,
}

/// A connection of an address.
struct OfPeer {
    open: Arc<Mutex<HashMap<IpAddr, usize>>>,
    peer: IpAddr,
}

impl Peers {
    /// Counts a connection, unless its address has too many.
    fn admit(&self, peer: IpAddr) -> Option<OfPeer> {
        let mut open = self.open.lock().unwrap_or_else(PoisonError::into_inner);
        let count = open.entry(peer).or_default();
        // One that is refused leaves nothing behind: its address has others.
        (*count < self.most).then(|| {
            *count += 1;
            OfPeer { open: Arc::clone(&self.open), peer }
        })
    }
}

impl Drop for OfPeer {
    fn drop(&mut self) {
        let mut open = self.open.lock().unwrap_or_else(PoisonError::into_inner);
        if let Entry::Occupied(mut count) = open.entry(self.peer) {
            *count.get_mut() -= 1;
            if *count.get() == 0 {
                count.remove();
            }
        }
    }
}

/// The next connection, once there is room for it.
async fn accept(listener: &TcpListener, room: &Arc<Semaphore>) -> (TcpStream, IpAddr, impl Drop + use<>) {
    loop {
        // It is never closed, so this waits for room and no more.
        let Ok(place) = Arc::clone(room).acquire_owned().await else { return std::future::pending().await };
        match listener.accept().await {
            Ok((stream, peer)) => {
                // Small answers do not wait for more; where that cannot be said, they do.
                let _ = stream.set_nodelay(true);
                return (stream, peer.ip(), place);
            }
            Err(_) => tokio::time::sleep(PAUSE).await,
        }
    }
}

/// Answers a request, and keeps an eye on how its answer is read.
async fn sent<S, T>(
    service: S,
    request: Request<Body>,
    traffic: Arc<Traffic>,
    store: Store,
) -> Result<Response<Outgoing>, Infallible>
where
    S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>>,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
{
    let running = Running::begin(&traffic, request.version() == Version::HTTP_2).await;
    let form = Head::from(&request).form();
    let (head, body) = answer(service, request).await.into_parts();
    let refused = match Outgoing::new(body, running, &store) {
        Ok(body) => return Ok(Response::from_parts(head, body)),
        Err(running) => running,
    };
    let mut reply = Reply::new(503, "too many answers wait to be read");
    reply.retry_after = Some(RETRY);
    let (head, body) = reply.respond(form, "").into_parts();
    Ok(Response::from_parts(head, Outgoing::short(body, refused)))
}

async fn answer<S, T>(service: S, request: Request<Body>) -> Response<Body>
where
    S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>>,
    T: http_body::Body<Data = Bytes> + Send + 'static,
    T::Error: Into<BoxError>,
{
    let head = Head::from(&request);
    let (form, path) = (head.form(), head.uri.path().to_owned());
    if request.version() == Version::HTTP_11 && !head.has_good_host(true) {
        return Reply::bad_host().respond(form, &path);
    }
    match call_once(service, request).await {
        Ok(response) => response.map(Body::new),
        Err(error) => Reply::new(Failure::of(error).status().as_u16(), "").respond(form, &path),
    }
}
