//! Spans and events of requests, by the conventions of OpenTelemetry for HTTP servers.
//!
//! Without the feature `tracing` nothing is recorded.

use http::StatusCode;

use crate::Failure;
use crate::head::Head;
use crate::routing::Routing;

/// A request that is watched.
#[derive(Debug, Clone)]
pub(crate) struct Watch {
    #[cfg(feature = "tracing")]
    span: tracing::Span,
    #[cfg(feature = "tracing")]
    begun: Option<std::time::Instant>,
}

#[cfg(feature = "tracing")]
impl Watch {
    /// Begins with a request.
    pub(crate) fn begin(head: Head<'_>) -> Self {
        use tracing::field::Empty;

        let span = tracing::info_span!(
            "request",
            otel.kind = "server",
            otel.name = Empty,
            http.request.method = %head.method,
            url.path = head.uri.path(),
            http.route = Empty,
            http.response.status_code = Empty,
            error.r#type = Empty,
            vivid_lane.outcome = Empty,
            vivid_lane.decision.microseconds = Empty,
        );
        let begun = (!span.is_disabled()).then(std::time::Instant::now);
        Self { span, begun }
    }

    /// Whether somebody is watching.
    pub(crate) fn is_on(&self) -> bool {
        self.begun.is_some()
    }

    /// What was decided.
    pub(crate) fn decided(&self, head: Head<'_>, routing: Option<&Routing>) {
        let (Some(begun), Some(routing)) = (self.begun, routing) else { return };
        let took = u64::try_from(begun.elapsed().as_micros()).unwrap_or(u64::MAX);
        self.span.record("vivid_lane.decision.microseconds", took);
        self.span.record("vivid_lane.outcome", routing.outcome());
        match routing.template() {
            Some(template) => {
                self.span.record("http.route", template);
                // It is put together by whoever wants it.
                self.span.record("otel.name", tracing::field::display(format_args!("{} {template}", head.method)));
            }
            None => {
                self.span.record("otel.name", head.method.as_str());
            }
        }
    }

    /// Does something within the span of the request.
    pub(crate) fn within<T>(&self, run: impl FnOnce() -> T) -> T {
        self.span.in_scope(run)
    }

    /// What it was answered with.
    pub(crate) fn ended(&self, status: StatusCode) {
        if self.is_on() {
            self.span.record("http.response.status_code", status.as_u16());
            if status.is_server_error() {
                self.span.record("error.type", status.as_str());
            }
        }
    }

    /// A failure of which the visitor sees the status only.
    pub(crate) fn failed(failure: &Failure) {
        if let Some(error) = failure.error() {
            tracing::error!(error = %error, "a page failed");
        }
    }

    /// A list, a need or an identity on which the decision depends has no answer.
    pub(crate) fn unanswered(failure: &Failure) {
        tracing::error!(error = %failure, "a decision was not possible");
    }
}

#[cfg(not(feature = "tracing"))]
#[allow(clippy::unused_self, reason = "with the feature there is something to tell")]
impl Watch {
    pub(crate) fn begin(_: Head<'_>) -> Self {
        Self {}
    }

    pub(crate) fn is_on(&self) -> bool {
        false
    }

    pub(crate) fn decided(&self, _: Head<'_>, _: Option<&Routing>) {}

    pub(crate) fn within<T>(&self, run: impl FnOnce() -> T) -> T {
        run()
    }

    pub(crate) fn ended(&self, _: StatusCode) {}

    pub(crate) fn failed(_: &Failure) {}

    pub(crate) fn unanswered(_: &Failure) {}
}
