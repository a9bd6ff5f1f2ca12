//! What is told of requests to whoever collects spans and events.

use std::collections::BTreeMap;
use std::fmt::Debug;
use std::sync::{Arc, Mutex};

use http::Request;
use tower::ServiceExt;
use tracing::field::{Field, Visit as Fields};
use tracing::span::{Attributes, Id, Record};
use tracing::{Event, Metadata};
use vivid_lane::Table;
use vivid_lane_http::{Body, Failure, Pages, Routed, Visit, Visitor, html};

/// The fields of all spans, and of the events within them, in the order in which they begin.
#[derive(Clone, Default)]
struct Collected(Arc<Mutex<Vec<BTreeMap<&'static str, String>>>>);

struct Into<'a>(&'a mut BTreeMap<&'static str, String>);

impl Fields for Into<'_> {
    fn record_str(&mut self, field: &Field, value: &str) {
        self.0.insert(field.name(), value.to_owned());
    }

    fn record_debug(&mut self, field: &Field, value: &dyn Debug) {
        self.0.insert(field.name(), format!("{value:?}"));
    }
}

thread_local! {
    static ENTERED: std::cell::RefCell<Vec<u64>> = const { std::cell::RefCell::new(Vec::new()) };
}

impl tracing::Subscriber for Collected {
    fn enabled(&self, metadata: &Metadata<'_>) -> bool {
        metadata.target().starts_with("vivid_lane") || metadata.target().starts_with("watch")
    }

    fn new_span(&self, span: &Attributes<'_>) -> Id {
        let mut all = self.0.lock().expect("no panic");
        let mut fields = BTreeMap::new();
        span.record(&mut Into(&mut fields));
        all.push(fields);
        Id::from_u64(all.len() as u64)
    }

    fn record(&self, span: &Id, values: &Record<'_>) {
        let mut all = self.0.lock().expect("no panic");
        values.record(&mut Into(&mut all[span.into_u64() as usize - 1]));
    }

    fn record_follows_from(&self, _: &Id, _: &Id) {}

    fn event(&self, event: &Event<'_>) {
        let Some(within) = ENTERED.with(|entered| entered.borrow().last().copied()) else { return };
        event.record(&mut Into(&mut self.0.lock().expect("no panic")[within as usize - 1]));
    }

    fn enter(&self, span: &Id) {
        ENTERED.with(|entered| entered.borrow_mut().push(span.into_u64()));
    }

    fn exit(&self, _: &Id) {
        ENTERED.with(|entered| entered.borrow_mut().pop());
    }
}

const TABLE: &str = r#"
    lists = ["observers"]
    [needs.observer]
    [routes.night]
    path = "/nights/{date}"
    page = "night"
    params.date = "date"
    [routes.observer]
    path = "/observers/{observer}"
    page = "observer"
    params.observer = { listed = "observers" }
    [routes.diary]
    path = "/diary"
    page = "night"
    needs = ["observer"]
    [routes.old]
    path = "/night.cgi{?d}"
    required = ["d"]
    redirect = { to = "night", params = { date = "{d}" } }
"#;

async fn night(_: Visit) -> http::Response<Body> {
    tracing::info!(said = "within the span", "a night is shown");
    html("a night")
}

async fn observer(_: Visit) -> Result<http::Response<Body>, Failure> {
    let number: u8 = "x".parse()?;
    Ok(html(number.to_string()))
}

#[test]
fn a_request_is_a_span() {
    let collected = Collected::default();
    let runtime = tokio::runtime::Builder::new_current_thread().enable_time().build().expect("a runtime");
    let all = tracing::subscriber::with_default(collected.clone(), || {
        let table = Table::from_toml(TABLE).expect("a table");
        let pages = Pages::new(()).page("night", night).page("observer", observer).bind(&table).expect("all pages");
        let visitor = Visitor::new().lists(|_, _, name| {
            let is_listed = name == "ada";
            async move {
                tokio::task::yield_now().await;
                is_listed
            }
        });
        let site = Routed::new(pages).visitor(visitor);
        for url in
            ["/nights/2031-04-02", "/nights/never", "/observers/ada", "/diary", "/night.cgi?d=2031-04-02", "/%zz"]
        {
            let request = Request::get(url).body(Body::default()).expect("a request");
            runtime.block_on(site.clone().oneshot(request)).expect("never an error");
        }
        std::mem::take(&mut *collected.0.lock().expect("no panic"))
    });
    let wanted = [
        ("GET /nights/{date}", "/nights/2031-04-02", "/nights/{date}", "200", "page", "", "within the span"),
        ("GET", "/nights/never", "", "404", "not-found", "", ""),
        ("GET /observers/{observer}", "/observers/ada", "/observers/{observer}", "500", "page", "500", ""),
        ("GET /diary", "/diary", "/diary", "403", "unmet", "", ""),
        ("GET /night.cgi{?d}", "/night.cgi", "/night.cgi{?d}", "308", "redirect", "", ""),
        ("GET", "/%zz", "", "400", "bad-request", "", ""),
    ];
    assert_eq!(all.len(), wanted.len(), "{all:#?}");
    for (fields, (name, path, route, status, outcome, error, said)) in all.iter().zip(wanted) {
        let field = |name: &str| fields.get(name).map_or("", String::as_str);
        let found = (
            field("otel.name"),
            field("url.path"),
            field("http.route"),
            field("http.response.status_code"),
            field("vivid_lane.outcome"),
            field("error.type"),
            field("said"),
        );
        assert_eq!(found, (name, path, route, status, outcome, error, said), "{fields:#?}");
        assert_eq!((field("http.request.method"), field("otel.kind")), ("GET", "server"));
        assert!(field("vivid_lane.decision.microseconds").parse::<u64>().is_ok(), "{fields:#?}");
    }
    // The error of a page is told to the log, and to nobody else.
    assert_eq!(all[2]["error"], "invalid digit found in string");
    assert_eq!(all[2]["message"], "a page failed");
}
