//! The body of an answer.

use std::any::Any;
use std::fmt;
use std::pin::Pin;
use std::task::{Context, Poll};

use bytes::Bytes;
use http_body::{Frame, SizeHint};
use http_body_util::combinators::UnsyncBoxBody;
use http_body_util::{BodyExt, Full};

use crate::{BoxError, Error};

/// A body of any kind, with its type forgotten. The default one is empty.
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
    Any(UnsyncBoxBody<Bytes, Error>),
}

impl Body {
    /// Forgets the type of a body.
    pub fn new<T>(body: T) -> Self
    where
        T: http_body::Body<Data = Bytes> + Send + 'static,
        T::Error: Into<BoxError>,
    {
        let mut body = Some(body);
        match (&mut body as &mut dyn Any).downcast_mut::<Option<Full<Bytes>>>().and_then(Option::take) {
            Some(whole) => Self(Kind::Whole(whole)),
            None => Self(body.map_or_else(
                || Kind::Whole(Full::default()),
                |body| Kind::Any(body.map_err(Error::new).boxed_unsync()),
            )),
        }
    }
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
            Kind::Any(body) => Pin::new(body).poll_frame(context),
        }
    }

    fn is_end_stream(&self) -> bool {
        match &self.0 {
            Kind::Whole(body) => body.is_end_stream(),
            Kind::Any(body) => body.is_end_stream(),
        }
    }

    fn size_hint(&self) -> SizeHint {
        match &self.0 {
            Kind::Whole(body) => body.size_hint(),
            Kind::Any(body) => body.size_hint(),
        }
    }
}
