//! `--reload`: a page is loaded again when the files of its application or the table change (server-sent events, HTML, section 9.2).

use http::header::CONTENT_TYPE;
use http::{HeaderValue, Response};
use http_body_util::Channel;
use tokio::sync::watch;
use vivid_lane_http::Body;

/// Loads the page again on each event.
pub(super) const SCRIPT: &str =
    "new EventSource(\"/-/changes\").addEventListener(\"change\", () => location.reload());\n";

/// Those who wait for a change.
pub(super) struct Changes(watch::Sender<u64>);

impl Changes {
    pub(super) fn new() -> Self {
        Self(watch::Sender::new(0))
    }

    /// Tells all that wait.
    pub(super) fn tell(&self) {
        self.0.send_modify(|count| *count += 1);
    }

    /// An answer that does not end, with an event for each change.
    pub(super) fn answer(&self) -> Response<Body> {
        let mut changes = self.0.subscribe();
        let (mut sender, body) = Channel::<bytes::Bytes>::new(4);
        tokio::spawn(async move {
            let event = |text: &'static str| bytes::Bytes::from_static(text.as_bytes());
            // Nobody listens any more where it cannot be sent.
            let mut is_heard = sender.send_data(event("retry: 500\n\n")).await.is_ok();
            while is_heard && changes.changed().await.is_ok() {
                is_heard = sender.send_data(event("event: change\ndata: \n\n")).await.is_ok();
            }
        });
        let mut response = Response::new(Body::new(body));
        response.headers_mut().insert(CONTENT_TYPE, HeaderValue::from_static("text/event-stream"));
        response
    }
}
