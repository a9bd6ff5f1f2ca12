//! `--reload`: a page is loaded again when the files of its application or the table change (server-sent events, HTML, section 9.2).

use std::convert::Infallible;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll, ready};
use std::time::Duration;

use bytes::Bytes;
use http::header::CONTENT_TYPE;
use http::{HeaderValue, Response, StatusCode};
use http_body::Frame;
use tokio::sync::{OwnedSemaphorePermit, Semaphore, watch};
use vivid_lane_http::Body;

/// How many pages may wait at a time: far fewer than there are connections.
const MOST: usize = 64;
/// How often a sign of life is sent to pages that wait; it fails where they are gone.
const PULSE: Duration = Duration::from_secs(15);

/// Loads the page again on each event.
pub(super) const SCRIPT: &str =
    "new EventSource(\"/-/changes\").addEventListener(\"change\", () => location.reload());\n";

/// Those who wait for a change.
pub(super) struct Changes {
    count: watch::Sender<u64>,
    places: Arc<Semaphore>,
}

impl Changes {
    pub(super) fn new() -> Self {
        Self { count: watch::Sender::new(0), places: Arc::new(Semaphore::new(MOST)) }
    }

    /// Tells all that wait.
    pub(super) fn tell(&self) {
        self.count.send_modify(|count| *count += 1);
    }

    /// An answer that does not end, with an event for each change.
    pub(super) fn answer(&self) -> Response<Body> {
        let Ok(place) = Arc::clone(&self.places).try_acquire_owned() else {
            let why = format!("{MOST} pages wait for changes; close some of them");
            return super::refused(StatusCode::SERVICE_UNAVAILABLE, &why);
        };
        let events = Events { next: next(self.count.subscribe()), has_begun: false, _place: place };
        let mut response = Response::new(Body::new(events));
        response.headers_mut().insert(CONTENT_TYPE, HeaderValue::from_static("text/event-stream"));
        response
    }
}

type Next = Pin<Box<dyn Future<Output = Option<(&'static str, watch::Receiver<u64>)>> + Send>>;

/// The next event.
fn next(mut changes: watch::Receiver<u64>) -> Next {
    Box::pin(async move {
        match tokio::time::timeout(PULSE, changes.changed()).await {
            Ok(Ok(())) => Some(("event: change\ndata: \n\n", changes)),
            Ok(Err(_)) => None,
            Err(_) => Some((":\n\n", changes)),
        }
    })
}

/// Events as a body. It ends with its connection, and leaves nothing behind.
struct Events {
    next: Next,
    has_begun: bool,
    _place: OwnedSemaphorePermit,
}

impl http_body::Body for Events {
    type Data = Bytes;
    type Error = Infallible;

    fn poll_frame(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
    ) -> Poll<Option<Result<Frame<Bytes>, Infallible>>> {
        let event = |text: &'static str| Poll::Ready(Some(Ok(Frame::data(Bytes::from_static(text.as_bytes())))));
        if !std::mem::replace(&mut self.has_begun, true) {
            return event("retry: 500\n\n");
        }
        match ready!(self.next.as_mut().poll(context)) {
            Some((text, changes)) => {
                self.next = next(changes);
                event(text)
            }
            None => Poll::Ready(None),
        }
    }
}
