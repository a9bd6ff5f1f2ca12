//! How often each route is asked for, as text for those who collect it.

use std::collections::{BTreeMap, HashMap};
use std::fmt;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, PoisonError, RwLock};

use http::header::CONTENT_TYPE;
use http::{HeaderValue, Response, StatusCode};

use crate::Body;
use crate::routing::Routing;

/// Counts requests by route, outcome and status since the program started. Clones share the counts, and they outlive a
/// change of the table.
///
/// They are off unless a service is told to [count](crate::Routed::count). Their `Display` is the OpenMetrics text exposition format
/// (version 1.0, `application/openmetrics-text`). There are as many lines as routes, outcomes and statuses, whatever is asked.
///
/// # Example
/// ```
/// use http::Request;
/// use tower::ServiceExt;
/// use vivid_lane::Table;
/// use vivid_lane_http::{Body, Counts, Pages, Routed, Visit, html};
///
/// # fn main() -> Result<(), vivid_lane_http::BoxError> {
/// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
/// let table = Table::from_toml(r#"
///     [routes.night]
///     path = "/nights/{date}"
///     page = "night"
///     [routes.metrics]
///     path = "/metrics"
///     page = "metrics"
/// "#)?;
/// let counts = Counts::new();
/// let pages = Pages::new(counts.clone())
///     .page("night", async |_: Visit<Counts>| html("a night"))
///     .page("metrics", async |visit: Visit<Counts>| visit.state().to_response());
/// let site = Routed::new(pages.bind(&table)?).count(&counts);
/// for url in ["/nights/2031-04-02", "/nights/2031-04-03", "/nights"] {
///     site.clone().oneshot(Request::get(url).body(Body::default())?).await?;
/// }
/// let text = counts.to_string();
/// let lines: Vec<&str> = text.lines().filter(|line| !line.starts_with('#')).collect();
/// assert_eq!(lines, [
///     r#"vivid_lane_requests_total{route="",outcome="not-found",status="404"} 1"#,
///     r#"vivid_lane_requests_total{route="/nights/{date}",outcome="page",status="200"} 2"#,
/// ]);
/// assert!(text.starts_with("# TYPE vivid_lane_requests counter\n") && text.ends_with("# EOF\n"));
/// # Ok(()) })
/// # }
/// ```
#[derive(Clone, Default)]
pub struct Counts(Arc<RwLock<HashMap<(Routing, StatusCode), AtomicU64>>>);

impl fmt::Debug for Counts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Counts").finish_non_exhaustive()
    }
}

impl Counts {
    /// Counts that start at zero.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// A response with the counts as text, for a monitoring system to read.
    #[must_use]
    pub fn to_response(&self) -> Response<Body> {
        let mut response = Response::new(Body::from(self.to_string()));
        let kind = HeaderValue::from_static("application/openmetrics-text; version=1.0.0; charset=utf-8");
        response.headers_mut().insert(CONTENT_TYPE, kind);
        response
    }

    pub(crate) fn add(&self, routing: Routing, status: StatusCode) {
        let key = (routing, status);
        // Nearly all requests are like one before, and no two of them wait for each other.
        if let Some(count) = self.0.read().unwrap_or_else(PoisonError::into_inner).get(&key) {
            count.fetch_add(1, Ordering::Relaxed);
            return;
        }
        let mut all = self.0.write().unwrap_or_else(PoisonError::into_inner);
        all.entry(key).or_default().fetch_add(1, Ordering::Relaxed);
    }
}

impl fmt::Display for Counts {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let all = self.0.read().unwrap_or_else(PoisonError::into_inner);
        // Routes of one template are one metric: no two lines have the same labels.
        let mut sums = BTreeMap::<_, u64>::new();
        for ((routing, status), count) in all.iter() {
            let labels = (routing.template().unwrap_or_default(), routing.outcome(), status.as_u16());
            *sums.entry(labels).or_default() += count.load(Ordering::Relaxed);
        }
        f.write_str("# TYPE vivid_lane_requests counter\n")?;
        f.write_str(
            "# HELP vivid_lane_requests Requests by the template of their route, what was decided, and status.\n",
        )?;
        for ((route, outcome, status), sum) in sums {
            let route = escaped(route);
            writeln!(
                f,
                "vivid_lane_requests_total{{route=\"{route}\",outcome=\"{outcome}\",status=\"{status}\"}} {sum}"
            )?;
        }
        f.write_str("# EOF\n")
    }
}

/// A label's value (OpenMetrics 1.0, section "ABNF": `escaped-string`).
fn escaped(text: &str) -> String {
    text.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n")
}
