//! The body of an answer.

use std::any::Any;
use std::fmt;
use std::pin::Pin;
use std::sync::{Mutex, PoisonError};
use std::task::{Context, Poll};

use bytes::Bytes;
use http_body::{Frame, SizeHint};
use http_body_util::combinators::UnsyncBoxBody;
use http_body_util::{BodyExt, Full};

use crate::{BoxError, Error};

/// A body of any kind, with its type forgotten: of a request that came in, or of a response. The default one is empty. It is `Send`
/// and `Sync`, whatever it was made of.
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
    /// Forgets the type of a body.
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

    /// All of it, if it has no more than so many bytes.
    pub(crate) async fn read(self, limit: usize) -> Result<Bytes, ReadError> {
        match http_body_util::Limited::new(self, limit).collect().await {
            Ok(read) => Ok(read.to_bytes()),
            Err(error) if error.is::<http_body_util::LengthLimitError>() => Err(ReadError::TooLong),
            Err(error) => Err(ReadError::Broken(error)),
        }
    }
}

/// Why a body was not read.
pub(crate) enum ReadError {
    TooLong,
    Broken(BoxError),
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
