//! What a connection may take: a client that says nothing, or takes nothing, is let go.
//!
//! A connection counts what passes, and a [`Watchman`] looks at the counts a few times in the shortest of its times. So no request
//! and no read has a timer of its own.

use std::io::{self, IoSlice};
use std::pin::Pin;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering::Relaxed};
use std::task::{Context, Poll, ready};
use std::time::Duration;

use bytes::Bytes;
use http_body::{Body as _, Frame, SizeHint};
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use tokio::time::Instant;

use crate::{Body, Error};

/// The largest piece of a body that is handed over at once.
pub(crate) const PIECE: usize = 64 * 1024;
/// How many pages of one connection run, or wait to be read whole, at a time.
const AT_A_TIME: usize = 16;
/// How long a request waits for the others of its connection, if none of them waits to be read.
const TURN: Duration = Duration::from_secs(1);

/// What passes on a connection.
#[derive(Debug)]
pub(crate) struct Traffic {
    /// Bytes that were read, and written, since the last look.
    read: AtomicUsize,
    written: AtomicUsize,
    /// Whether bytes wait to be written.
    is_blocked: AtomicBool,
    /// Requests that were begun in all, and those that have not ended.
    requests: AtomicUsize,
    running: AtomicUsize,
    /// Bodies that wait for their client, and bytes of bodies that were handed over since the last look.
    waiting: AtomicUsize,
    handed: AtomicUsize,
    /// Large bodies that have not been read.
    large: AtomicUsize,
    places: Arc<Semaphore>,
}

impl Traffic {
    pub(crate) fn new() -> Self {
        Self {
            read: AtomicUsize::new(0),
            written: AtomicUsize::new(0),
            is_blocked: AtomicBool::new(false),
            requests: AtomicUsize::new(0),
            running: AtomicUsize::new(0),
            waiting: AtomicUsize::new(0),
            handed: AtomicUsize::new(0),
            large: AtomicUsize::new(0),
            places: Arc::new(Semaphore::new(AT_A_TIME)),
        }
    }

    /// Waits until a request of a connection with many has its turn: no more bodies than places are unread.
    async fn turn(&self) -> Option<OwnedSemaphorePermit> {
        loop {
            let place = tokio::time::timeout(TURN, Arc::clone(&self.places).acquire_owned()).await;
            if let Ok(place) = place {
                return place.ok();
            }
            // Pages that take their time may wait for this very request.
            if self.large.load(Relaxed) == 0 {
                return None;
            }
        }
    }
}

/// A request that runs, until its answer has been handed over.
pub(crate) struct Running {
    traffic: Arc<Traffic>,
    place: Option<OwnedSemaphorePermit>,
}

impl Running {
    /// Begins a request, in its turn where the connection carries many at a time.
    pub(crate) async fn begin(traffic: &Arc<Traffic>, is_one_of_many: bool) -> Self {
        traffic.requests.fetch_add(1, Relaxed);
        traffic.running.fetch_add(1, Relaxed);
        let mut running = Self { traffic: Arc::clone(traffic), place: None };
        if is_one_of_many {
            running.place = traffic.turn().await;
        }
        running
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        self.traffic.running.fetch_sub(1, Relaxed);
    }
}

/// The bytes of bodies that wait for their clients, of all connections.
#[derive(Debug, Clone)]
pub(crate) struct Store {
    most: usize,
    held: Arc<AtomicUsize>,
}

/// A share of it.
struct Share {
    held: Arc<AtomicUsize>,
    bytes: usize,
}

impl Store {
    pub(crate) fn new(most: usize) -> Self {
        Self { most, held: Arc::default() }
    }

    fn take(&self, bytes: usize) -> Option<Share> {
        let share = Share { held: Arc::clone(&self.held), bytes };
        let before = self.held.fetch_add(bytes, Relaxed);
        // What is alone may be as large as it is.
        (bytes == 0 || before == 0 || before.saturating_add(bytes) <= self.most).then_some(share)
    }
}

impl Drop for Share {
    fn drop(&mut self) {
        self.held.fetch_sub(self.bytes, Relaxed);
    }
}

/// A body on its way to a client, in pieces.
pub(crate) struct Outgoing {
    body: Body,
    rest: Bytes,
    is_waiting: bool,
    is_large: bool,
    running: Running,
    _share: Option<Share>,
}

impl Outgoing {
    /// Sends a body. Where too much waits for slow clients, it is given up.
    pub(crate) fn new(body: Body, running: Running, store: &Store) -> Result<Self, Running> {
        let bytes = body.size_hint().exact().map_or(0, |bytes| usize::try_from(bytes).unwrap_or(usize::MAX));
        match store.take(bytes) {
            Some(share) => Ok(Self::of(body, bytes > PIECE, running, Some(share))),
            None => Err(running),
        }
    }

    /// Sends a short text, for which there is always room.
    pub(crate) fn short(body: Body, running: Running) -> Self {
        Self::of(body, false, running, None)
    }

    fn of(body: Body, is_large: bool, mut running: Running, share: Option<Share>) -> Self {
        let traffic = &running.traffic;
        traffic.waiting.fetch_add(1, Relaxed);
        if is_large {
            traffic.large.fetch_add(1, Relaxed);
        } else {
            running.place = None;
        }
        Self { body, rest: Bytes::new(), is_waiting: true, is_large, running, _share: share }
    }

    /// Notes whether the client is waited for, or the page.
    fn waits_for_client(&mut self, is_waiting: bool) {
        let waiting = &self.running.traffic.waiting;
        match (self.is_waiting, is_waiting) {
            (false, true) => drop(waiting.fetch_add(1, Relaxed)),
            (true, false) => drop(waiting.fetch_sub(1, Relaxed)),
            _ => {}
        }
        self.is_waiting = is_waiting;
    }
}

impl Drop for Outgoing {
    fn drop(&mut self) {
        self.waits_for_client(false);
        if self.is_large {
            self.running.traffic.large.fetch_sub(1, Relaxed);
        }
    }
}

impl http_body::Body for Outgoing {
    type Data = Bytes;
    type Error = Error;

    fn poll_frame(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<Result<Frame<Bytes>, Error>>> {
        let this = &mut *self;
        if this.rest.is_empty() {
            let Poll::Ready(frame) = Pin::new(&mut this.body).poll_frame(context) else {
                this.waits_for_client(false);
                return Poll::Pending;
            };
            match frame.map(|frame| frame.map(Frame::into_data)) {
                Some(Ok(Ok(data))) => this.rest = data,
                Some(Ok(Err(other))) => return Poll::Ready(Some(Ok(other))),
                Some(Err(error)) => return Poll::Ready(Some(Err(error))),
                None => return Poll::Ready(None),
            }
        }
        let piece = this.rest.split_to(this.rest.len().min(PIECE));
        this.running.traffic.handed.fetch_add(piece.len(), Relaxed);
        this.waits_for_client(true);
        Poll::Ready(Some(Ok(Frame::data(piece))))
    }

    fn is_end_stream(&self) -> bool {
        self.rest.is_empty() && self.body.is_end_stream()
    }

    fn size_hint(&self) -> SizeHint {
        let (mut hint, rest) = (self.body.size_hint(), self.rest.len() as u64);
        if let Some(upper) = hint.upper() {
            hint.set_upper(upper.saturating_add(rest));
        }
        hint.set_lower(hint.lower().saturating_add(rest));
        hint
    }
}

pin_project_lite::pin_project! {
    /// A stream whose bytes are counted.
    pub(crate) struct Counted<T> {
        #[pin]
        stream: T,
        traffic: Arc<Traffic>,
    }
}

impl<T> Counted<T> {
    pub(crate) fn new(stream: T, traffic: &Arc<Traffic>) -> Self {
        Self { stream, traffic: Arc::clone(traffic) }
    }
}

impl<T: AsyncRead> AsyncRead for Counted<T> {
    fn poll_read(self: Pin<&mut Self>, context: &mut Context<'_>, buffer: &mut ReadBuf<'_>) -> Poll<io::Result<()>> {
        let (this, before) = (self.project(), buffer.filled().len());
        ready!(this.stream.poll_read(context, buffer))?;
        this.traffic.read.fetch_add(buffer.filled().len() - before, Relaxed);
        Poll::Ready(Ok(()))
    }
}

/// Notes what was written, or that it has to wait.
fn noted(traffic: &Traffic, written: Poll<io::Result<usize>>) -> Poll<io::Result<usize>> {
    traffic.is_blocked.store(written.is_pending(), Relaxed);
    if let Poll::Ready(Ok(bytes)) = &written {
        traffic.written.fetch_add(*bytes, Relaxed);
    }
    written
}

impl<T: AsyncWrite> AsyncWrite for Counted<T> {
    fn poll_write(self: Pin<&mut Self>, context: &mut Context<'_>, bytes: &[u8]) -> Poll<io::Result<usize>> {
        let this = self.project();
        noted(this.traffic, this.stream.poll_write(context, bytes))
    }

    fn poll_write_vectored(
        self: Pin<&mut Self>,
        context: &mut Context<'_>,
        slices: &[IoSlice<'_>],
    ) -> Poll<io::Result<usize>> {
        let this = self.project();
        noted(this.traffic, this.stream.poll_write_vectored(context, slices))
    }

    fn is_write_vectored(&self) -> bool {
        self.stream.is_write_vectored()
    }

    fn poll_flush(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        self.project().stream.poll_flush(context)
    }

    fn poll_shutdown(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        self.project().stream.poll_shutdown(context)
    }
}

/// How long a client may say nothing, and take nothing.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Patience {
    /// For a head, and between two requests.
    pub(crate) head: Duration,
    /// For a client that takes nothing of what it asked for, and the bytes that it must take in a second.
    pub(crate) answer: Duration,
    pub(crate) bytes_a_second: u32,
}

impl Patience {
    /// How often to look.
    pub(crate) fn pause(&self) -> Duration {
        (self.head.min(self.answer) / 8).clamp(Duration::from_millis(10), Duration::from_secs(1))
    }
}

/// What is to be done with a connection.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Verdict {
    GoesOn,
    /// It ends after its running requests.
    Ends,
    /// It is cut off.
    Over,
}

/// Looks at a connection now and then.
pub(crate) struct Watchman {
    patience: Patience,
    traffic: Arc<Traffic>,
    last: Instant,
    requests: usize,
    /// How long no request runs, and whether one has begun to come in.
    silent: Duration,
    is_coming: bool,
    /// How long the client may still take nothing.
    left: Duration,
    /// Bytes of bodies that were handed over, and not written yet.
    buffered: usize,
    has_ended: bool,
}

impl Watchman {
    pub(crate) fn new(patience: Patience, traffic: Arc<Traffic>) -> Self {
        Self {
            patience,
            traffic,
            last: Instant::now(),
            requests: 0,
            silent: Duration::ZERO,
            is_coming: true,
            left: patience.answer,
            buffered: 0,
            has_ended: false,
        }
    }

    /// Looks at what passed since the last look.
    pub(crate) fn look(&mut self, now: Instant) -> Verdict {
        let traffic = &self.traffic;
        let passed = now.saturating_duration_since(std::mem::replace(&mut self.last, now));
        let take = |count: &AtomicUsize| count.swap(0, Relaxed);
        let (read, written, handed) = (take(&traffic.read), take(&traffic.written), take(&traffic.handed));
        self.buffered = (self.buffered + handed).saturating_sub(written);
        let is_blocked = traffic.is_blocked.load(Relaxed);
        if is_blocked || traffic.waiting.load(Relaxed) > 0 {
            // Bytes of the protocol are no progress of a body; where the wire is full, all that it takes is.
            let taken = if is_blocked { written.max(handed) } else { handed };
            let worth = Duration::from_secs_f64(taken as f64 / f64::from(self.patience.bytes_a_second.max(1)));
            self.left = self.left.saturating_add(worth).min(self.patience.answer).saturating_sub(passed);
            return if self.left.is_zero() { Verdict::Over } else { Verdict::GoesOn };
        }
        self.left = self.patience.answer;
        let requests = traffic.requests.load(Relaxed);
        let keeps_up = written as f64 > f64::from(self.patience.bytes_a_second) * passed.as_secs_f64();
        if traffic.running.load(Relaxed) > 0 || requests != self.requests || (self.buffered > 0 && keeps_up) {
            (self.requests, self.silent, self.is_coming) = (requests, Duration::ZERO, false);
            return Verdict::GoesOn;
        }
        if read > 0 && !self.is_coming {
            (self.silent, self.is_coming) = (Duration::ZERO, true);
        }
        self.silent += passed;
        match self.silent >= self.patience.head {
            false => Verdict::GoesOn,
            true if self.has_ended => Verdict::Over,
            true => {
                self.has_ended = true;
                Verdict::Ends
            }
        }
    }
}
