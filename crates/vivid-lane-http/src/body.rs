//! The body of an answer.

use std::any::Any;
use std::fmt;
use std::pin::Pin;
use std::sync::{Mutex, PoisonError};
use std::task::{Context, Poll};
use std::time::Duration;

use bytes::Bytes;
use http_body::{Frame, SizeHint};
use http_body_util::combinators::UnsyncBoxBody;
use http_body_util::{BodyExt, Full};
use tokio::time::{Instant, Sleep};

use crate::{BoxError, Error};

/// The body of a request or a response, whatever its type was. The default is empty. It is `Send` and `Sync`.
///
/// # Example
/// ```
/// use http_body_util::{BodyExt, Full};
/// use vivid_lane_http::Body;
///
/// # tokio::runtime::Builder::new_current_thread().build().unwrap().block_on(async {
/// assert_eq!(Body::from("moon").collect().await.unwrap().to_bytes(), "moon");
/// assert_eq!(Body::new(Full::from("moon")).collect().await.unwrap().to_bytes(), "moon");
/// assert_eq!(Body::default().collect().await.unwrap().to_bytes(), "");
/// # });
/// ```
pub struct Body(Kind);

enum Kind {
    /// All of it is here: most bodies are, and need no box.
    Whole(Full<Bytes>),
    /// Whoever polls it has it alone, so the lock is never waited for.
    Any(Mutex<UnsyncBoxBody<Bytes, Error>>),
}

impl Body {
    /// Makes a body of any other body.
    pub fn new<T>(body: T) -> Self
    where
        T: http_body::Body<Data = Bytes> + Send + 'static,
        T::Error: Into<BoxError>,
    {
        if body.is_end_stream() {
            return Self::default();
        }
        let mut body = Some(body);
        let known = &mut body as &mut dyn Any;
        if let Some(same) = known.downcast_mut::<Option<Self>>().and_then(Option::take) {
            return same;
        }
        if let Some(whole) = known.downcast_mut::<Option<Full<Bytes>>>().and_then(Option::take) {
            return Self(Kind::Whole(whole));
        }
        body.map_or_else(Self::default, |body| Self(Kind::Any(Mutex::new(body.map_err(Error::new).boxed_unsync()))))
    }

    /// A body with a deadline: it may take some time to begin, and then as long as its bytes take at a least rate. Time
    /// in which nobody reads it does not count. A body that is too slow ends with an error, for which
    /// [`Visit::form`](crate::Visit::form) and its like answer 408. Call it within a `tokio` runtime that has a timer.
    ///
    /// # Example
    /// ```
    /// use std::time::Duration;
    /// use http_body_util::{BodyExt, Full};
    /// use vivid_lane_http::Body;
    ///
    /// # tokio::runtime::Builder::new_current_thread().enable_time().build()?.block_on(async {
    /// let body = Body::paced(Full::from("a form"), Duration::from_secs(10), 1024);
    /// assert_eq!(body.collect().await.unwrap().to_bytes(), "a form");
    /// # Ok::<(), std::io::Error>(()) })?;
    /// # Ok::<(), std::io::Error>(())
    /// ```
    pub fn paced<T>(body: T, patience: Duration, bytes_a_second: u32) -> Self
    where
        T: http_body::Body<Data = Bytes> + Send + 'static,
        T::Error: Into<BoxError>,
    {
        if body.is_end_stream() {
            return Self::default();
        }
        let time_of_a_byte = Duration::from_secs(1) / bytes_a_second.max(1);
        let timer = Box::pin(tokio::time::sleep(patience));
        let paced =
            Paced { body: Self::new(body), time_of_a_byte, left: patience, waits_since: None, timer, is_over: false };
        Self::new(paced)
    }

    /// All of it, if it has no more than so many bytes.
    pub(crate) async fn read(self, limit: usize) -> Result<Bytes, ReadError> {
        match http_body_util::Limited::new(self, limit).collect().await {
            Ok(read) => Ok(read.to_bytes()),
            Err(error) if error.is::<http_body_util::LengthLimitError>() => Err(ReadError::TooLong),
            Err(error) if is_too_slow(&*error) => Err(ReadError::TooSlow),
            Err(_) => Err(ReadError::Broken),
        }
    }
}

/// Why a body was not read.
pub(crate) enum ReadError {
    TooLong,
    /// It did not keep [up](Body::paced).
    TooSlow,
    /// It is no body of its protocol, or was broken off.
    Broken,
}

impl fmt::Debug for Body {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Body").finish_non_exhaustive()
    }
}

impl Default for Body {
    fn default() -> Self {
        Self::from(Bytes::new())
    }
}

impl From<Bytes> for Body {
    fn from(bytes: Bytes) -> Self {
        Self(Kind::Whole(Full::new(bytes)))
    }
}

impl From<Vec<u8>> for Body {
    fn from(bytes: Vec<u8>) -> Self {
        Self::from(Bytes::from(bytes))
    }
}

impl From<String> for Body {
    fn from(text: String) -> Self {
        Self::from(Bytes::from(text))
    }
}

impl From<&'static str> for Body {
    fn from(text: &'static str) -> Self {
        Self::from(Bytes::from_static(text.as_bytes()))
    }
}

impl http_body::Body for Body {
    type Data = Bytes;
    type Error = Error;

    fn poll_frame(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<Result<Frame<Bytes>, Error>>> {
        match &mut self.0 {
            Kind::Whole(body) => {
                Pin::new(body).poll_frame(context).map(|frame| frame.map(|frame| frame.map_err(|never| match never {})))
            }
            Kind::Any(body) => Pin::new(body.get_mut().unwrap_or_else(PoisonError::into_inner)).poll_frame(context),
        }
    }

    fn is_end_stream(&self) -> bool {
        match &self.0 {
            Kind::Whole(body) => body.is_end_stream(),
            Kind::Any(body) => body.lock().unwrap_or_else(PoisonError::into_inner).is_end_stream(),
        }
    }

    fn size_hint(&self) -> SizeHint {
        match &self.0 {
            Kind::Whole(body) => body.size_hint(),
            Kind::Any(body) => body.lock().unwrap_or_else(PoisonError::into_inner).size_hint(),
        }
    }
}

/// Whether an error comes from a body that arrived too slowly.
fn is_too_slow(error: &(dyn std::error::Error + 'static)) -> bool {
    error.downcast_ref::<Error>().is_some_and(|error| error.is::<TooSlow>())
}

/// A body that must keep up.
struct Paced {
    body: Body,
    time_of_a_byte: Duration,
    /// How long it may still be waited for.
    left: Duration,
    waits_since: Option<Instant>,
    timer: Pin<Box<Sleep>>,
    is_over: bool,
}

/// A body did not keep up.
#[derive(Debug)]
struct TooSlow;

impl fmt::Display for TooSlow {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("the body arrives too slowly")
    }
}

impl std::error::Error for TooSlow {}

impl http_body::Body for Paced {
    type Data = Bytes;
    type Error = Error;

    fn poll_frame(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<Result<Frame<Bytes>, Error>>> {
        let this = &mut *self;
        if this.is_over {
            return Poll::Ready(None);
        }
        if let Poll::Ready(frame) = Pin::new(&mut this.body).poll_frame(context) {
            let bytes = frame.as_ref().and_then(|frame| frame.as_ref().ok()?.data_ref()).map_or(0, Bytes::len);
            let more = this.time_of_a_byte.saturating_mul(u32::try_from(bytes).unwrap_or(u32::MAX));
            let waited = this.waits_since.take().map_or(Duration::ZERO, |since| since.elapsed());
            this.left = this.left.saturating_sub(waited).saturating_add(more);
            return Poll::Ready(frame);
        }
        if this.waits_since.is_none() {
            let now = Instant::now();
            this.waits_since = Some(now);
            this.timer.as_mut().reset(now + this.left);
        }
        this.timer.as_mut().poll(context).map(|()| {
            this.is_over = true;
            Some(Err(Error::new(TooSlow)))
        })
    }

    fn is_end_stream(&self) -> bool {
        self.body.is_end_stream()
    }

    fn size_hint(&self) -> SizeHint {
        self.body.size_hint()
    }
}
