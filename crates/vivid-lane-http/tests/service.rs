//! The service as a program uses it: requests in, responses out.

use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

use http::{Request, Response, StatusCode};
use http_body_util::BodyExt;
use proptest::prelude::*;
use tokio::sync::Notify;
use tower::{Layer, Service, ServiceBuilder, ServiceExt, service_fn};
use vivid_lane::{Answer, Decision, Table};
use vivid_lane_http::{Body, BoxError, Handler, LiveTable, PageName, Routed, Visitor, found, handler, service};

const TABLE: &str = r#"
    lists = ["observers"]
    [site]
    origin = "https://larkfell.example"
    [params]
    date = "date"
    [needs.observer]
    otherwise = "sign-in"
    [needs.director]
    [routes.sign-in]
    path = "/sign-in{?return}"
    page = "sign-in"
    methods = ["GET", "POST"]
    [routes.nights]
    path = "/nights"
    page = "nights"
    frame = "calendar"
    [routes.nights.night]
    path = "/{date}"
    page = "night"
    data.title = "A night"
    [routes.observers.observer]
    path = "/observers/{observer}"
    page = "observer"
    params.observer = { listed = "observers" }
    [routes.observers.observer.logbook]
    path = "/logbook"
    page = "logbook"
    needs = ["observer"]
    [routes.budget]
    path = "/budget"
    page = "budget"
    needs = ["director"]
    [routes.old-night]
    path = "/night.cgi{?d}"
    required = ["d"]
    redirect = { to = "nights.night", params = { date = "{d}" }, status = 301 }
    [routes.map]
    path = "/map"
    redirect = { url = "https://maps.example/larkfell", status = 302 }
    [routes.plates]
    path = "/plates"
    page = "plates"
    fallback = "no-such-plate"
"#;

/// What was found, as text.
async fn show(request: Request<Body>) -> Response<String> {
    let method = request.method().clone();
    let Some(found) = found(&request) else { return Response::new("no such plate".to_owned()) };
    let found = found.get();
    let frames: Vec<&str> = found.frames().collect();
    let values: Vec<String> = found.texts().map(|(name, text)| format!("{name}={text}")).collect();
    let title = found.data().get("title").and_then(|title| title.as_text()).unwrap_or_default();
    Response::new(format!("{method} {} [{}] {frames:?} {title}", found.route().name(), values.join(" ")))
}

fn table() -> Table<Handler> {
    Table::from_toml(TABLE).expect("a table").bind(|_| Some(handler(show))).expect("all pages")
}

/// Visitors are what their cookie says; `ada` is an observer, after some waiting.
fn visitor() -> Visitor {
    Visitor::new()
        .needs(|head, need| {
            let cookie = head.headers.get("cookie").and_then(|cookie| cookie.to_str().ok()).unwrap_or_default();
            let is_met = cookie.split(';').any(|known| known.trim() == need);
            async move { is_met }
        })
        .lists(|_, list, value| {
            let is_listed = list == "observers" && value == "ada";
            async move {
                tokio::time::sleep(Duration::from_millis(1)).await;
                is_listed
            }
        })
}

/// Runs what is asynchronous, on this thread.
fn wait_for<T>(future: impl Future<Output = T>) -> T {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_time().build().expect("a runtime");
    runtime.block_on(future)
}

fn site() -> Routed<Handler> {
    Routed::new(table()).visitor(visitor())
}

async fn ask(site: &Routed<Handler>, method: &str, url: &str, fields: &[(&str, &str)]) -> (u16, Response<String>) {
    let request = fields
        .iter()
        .fold(Request::builder().method(method).uri(url), |request, (name, value)| request.header(*name, *value));
    let response = site.clone().oneshot(request.body(Body::default()).expect("a request")).await.expect("an answer");
    let (head, body) = response.into_parts();
    let text = String::from_utf8(body.collect().await.expect("a body").to_bytes().to_vec()).expect("text");
    (head.status.as_u16(), Response::from_parts(head, text))
}

fn field<'r>(response: &'r Response<String>, name: &str) -> &'r str {
    response.headers().get(name).map_or("", |value| value.to_str().expect("ASCII"))
}

#[test]
fn each_decision_has_its_answer() {
    wait_for(async {
        let site = site();
        // Method, URL, status; then fields of the response, and text in its body.
        type Case = (
            &'static str,
            &'static str,
            &'static [(&'static str, &'static str)],
            u16,
            &'static [(&'static str, &'static str)],
            &'static str,
        );
        let cases: &[Case] = &[
            (
                "GET",
                "/nights/2031-04-02?print=1",
                &[],
                200,
                &[],
                r#"GET nights.night [date=2031-04-02] ["calendar"] A night"#,
            ),
            ("HEAD", "/nights", &[], 200, &[("content-length", "28")], ""),
            ("POST", "/sign-in", &[], 200, &[], "POST sign-in"),
            ("GET", "http://elsewhere.example/nights", &[], 200, &[], "GET nights"),
            ("GET", "//nights/", &[], 308, &[("location", "/nights"), ("cache-control", "max-age=3600")], "/nights"),
            (
                "GET",
                "/night.cgi?d=2031-04-02",
                &[],
                301,
                &[("location", "/nights/2031-04-02"), ("cache-control", "max-age=3600")],
                "",
            ),
            ("GET", "/map", &[], 302, &[("location", "https://maps.example/larkfell"), ("cache-control", "")], ""),
            ("GET", "/observers/ada", &[], 200, &[], "GET observers.observer [observer=ada]"),
            ("GET", "/observers/eve", &[], 404, &[], "404 Not Found"),
            (
                "GET",
                "/observers/ada/logbook",
                &[],
                303,
                &[("location", "/sign-in?return=%2Fobservers%2Fada%2Flogbook"), ("cache-control", "no-store")],
                "",
            ),
            ("GET", "/observers/ada/logbook", &[("cookie", "observer")], 200, &[], "GET observers.observer.logbook"),
            ("GET", "/observers/./ada", &[], 308, &[("location", "/observers/ada"), ("cache-control", "no-store")], ""),
            (
                "GET",
                "/budget",
                &[],
                403,
                &[("cache-control", "no-store")],
                "this page is for those who meet `director`",
            ),
            // The fallback says 200 and shows its page; the status is 404 all the same.
            ("GET", "/plates/b-1", &[], 404, &[], "no such plate"),
            ("DELETE", "/sign-in", &[], 405, &[("allow", "GET, HEAD, OPTIONS, POST")], "405 Method Not Allowed"),
            ("OPTIONS", "/sign-in", &[], 204, &[("allow", "GET, HEAD, OPTIONS, POST"), ("content-type", "")], ""),
            ("GET", "/%zz", &[], 400, &[], "expected two hexadecimal digits after `%`"),
            (
                "GET",
                "/nigths",
                &[("accept", "text/html")],
                404,
                &[("content-type", "text/html; charset=utf-8"), ("vary", "Accept")],
                r#"<a href="/nights">/nights</a>"#,
            ),
            (
                "GET",
                "/nigths",
                &[("accept", "application/json")],
                404,
                &[("content-type", "application/problem+json")],
                r#""near":["/nights"]"#,
            ),
        ];
        for (method, url, sent, status, fields, text) in cases {
            let (found, response) = ask(&site, method, url, sent).await;
            assert_eq!(found, *status, "{method} {url}: {}", response.body());
            assert!(response.body().contains(text), "{method} {url}: {}", response.body());
            for (name, value) in *fields {
                assert_eq!(field(&response, name), *value, "{name} of {method} {url}");
            }
        }
        let long = format!("/{}", "a".repeat(9000));
        assert_eq!(ask(&site, "GET", &long, &[]).await.0, 414);
        let (_, problem) = ask(&site, "GET", "/nights/2031-02-30", &[("accept", "application/problem+json")]).await;
        let problem: serde_json::Value = serde_json::from_str(problem.body()).expect("problem details");
        assert_eq!(
            (&problem["type"], &problem["title"], &problem["status"]),
            (&"about:blank".into(), &"Not Found".into(), &404.into())
        );
        assert_eq!(problem["instance"], "/nights/2031-02-30");
    });
}

/// An absolute location has the origin of the table, whatever host is asked.
#[test]
fn the_host_field_is_not_trusted() {
    wait_for(async {
        let site = site().absolute_locations().keep_redirects(60);
        for host in ["evil.example", "larkfell.example:8080", ""] {
            let (_, response) = ask(&site, "GET", "//nights", &[("host", host)]).await;
            assert_eq!(field(&response, "location"), "https://larkfell.example/nights");
            assert_eq!(field(&response, "cache-control"), "max-age=60");
        }
    });
}

#[test]
fn lists_are_asked_only_where_the_decision_hangs_on_them() {
    wait_for(async {
        let asked = Arc::new(AtomicU32::new(0));
        let counting = Arc::clone(&asked);
        let visitor = Visitor::new().lists(move |_, _, _| {
            counting.fetch_add(1, Ordering::Relaxed);
            async { true }
        });
        let site = Routed::new(table()).visitor(visitor);
        for (url, questions) in [("/nights", 0), ("/observers/ada", 1), ("/nights/2031-04-02", 0), ("/qwerty", 0)] {
            asked.store(0, Ordering::Relaxed);
            ask(&site, "GET", url, &[]).await;
            assert_eq!(asked.load(Ordering::Relaxed), questions, "{url}");
        }
    });
}

/// A need is asked only where the page has it, so what is public may be kept by caches, whoever asks.
#[test]
fn needs_are_asked_only_where_the_decision_hangs_on_them() {
    wait_for(async {
        let asked = Arc::new(AtomicU32::new(0));
        let counting = Arc::clone(&asked);
        let visitor = Visitor::new().needs(move |_, need| {
            counting.fetch_add(1, Ordering::Relaxed);
            let is_met = need == "observer";
            async move { is_met }
        });
        let site = Routed::new(table()).visitor(visitor.lists(|_, _, _| async { true }));
        for (url, questions, kept) in [
            ("/nights", 0, ""),
            ("/qwerty", 0, ""),
            ("//nights", 0, "max-age=3600"),
            ("/night.cgi?d=2031-04-02", 0, "max-age=3600"),
            ("/observers/ada/logbook", 1, ""),
            ("/observers/ada//logbook", 1, "no-store"),
            ("/budget", 1, "no-store"),
        ] {
            asked.store(0, Ordering::Relaxed);
            let (_, response) = ask(&site, "GET", url, &[("cookie", "observer")]).await;
            assert_eq!(asked.load(Ordering::Relaxed), questions, "{url}");
            assert_eq!(field(&response, "cache-control"), kept, "{url}");
        }
    });
}

/// Answers are kept for a time, for each tenant apart, and only so many; what cannot be told is asked again.
#[test]
fn answers_of_lists_are_kept_for_a_time() {
    wait_for(async {
        let asked = Arc::new(AtomicU32::new(0));
        let site = |time| {
            let counting = Arc::clone(&asked);
            let visitor = Visitor::new().lists(move |_, _, value| {
                counting.fetch_add(1, Ordering::Relaxed);
                let answer = if value == "outage" { Answer::Unknown { retry_after: None } } else { Answer::Yes };
                async move { answer }
            });
            let host = |head: &http::request::Parts| format!("{:?}", head.headers.get("host"));
            Routed::new(table()).visitor(visitor.keep_lists(time, 10, host))
        };
        let times = async |site: &Routed<Handler>, url: &str, host: &str| {
            asked.store(0, Ordering::Relaxed);
            let (status, _) = ask(site, "GET", url, &[("host", host)]).await;
            (status, asked.load(Ordering::Relaxed))
        };
        let long = site(Duration::from_secs(3600));
        assert_eq!(times(&long, "/observers/ada", "a.example").await, (200, 1));
        assert_eq!(times(&long, "/observers/ada", "a.example").await, (200, 0));
        assert_eq!(times(&long, "/observers/ada", "b.example").await, (200, 1));
        assert_eq!(times(&long, "/observers/outage", "a.example").await, (503, 1));
        assert_eq!(times(&long, "/observers/outage", "a.example").await, (503, 1));
        for number in 0..10 {
            assert_eq!(times(&long, &format!("/observers/o{number}"), "a.example").await, (200, 1));
        }
        assert_eq!(times(&long, "/observers/ada", "a.example").await, (200, 1));
        let short = site(Duration::from_millis(1));
        assert_eq!(times(&short, "/observers/ada", "a.example").await, (200, 1));
        tokio::time::sleep(Duration::from_millis(5)).await;
        assert_eq!(times(&short, "/observers/ada", "a.example").await, (200, 1));
    });
}

/// A database that does not answer is no missing page, and no reason to sign in.
#[test]
fn what_cannot_be_asked_is_unavailable() {
    wait_for(async {
        let failing = |retry_after| async move { Answer::Unknown { retry_after } };
        let visitor = Visitor::new().lists(move |_, _, _| failing(Some(30))).needs(move |_, _| failing(None));
        let site = Routed::new(table()).visitor(visitor);
        for (url, status, retry_after, text) in [
            ("/observers/ada", 503, "30", "the list `observers` cannot be asked now"),
            ("/budget", 503, "", "whether the visitor meets `director` cannot be told now"),
            ("/nights", 200, "", "GET nights"),
            ("/qwerty", 404, "", "404 Not Found"),
        ] {
            let (found, response) = ask(&site, "GET", url, &[]).await;
            assert_eq!((found, field(&response, "retry-after")), (status, retry_after), "{url}");
            assert!(response.body().contains(text), "{url}: {}", response.body());
        }
        let (_, response) = ask(&site, "GET", "/observers/ada", &[("accept", "application/json")]).await;
        assert!(response.body().contains(r#""title":"Service Unavailable","status":503"#), "{}", response.body());
        assert_eq!(field(&response, "cache-control"), "no-store");
    });
}

/// Functions of the program that panic, at once or later, or that hang, are an outage; nothing else is affected.
#[test]
fn what_panics_or_hangs_is_unavailable() {
    let bug = || -> bool { panic!("a planted bug") };
    let soon = Duration::from_millis(20);
    let visitors = [
        Visitor::new().lists(move |_, _, _| std::future::ready(bug())).needs(move |_, _| std::future::ready(bug())),
        Visitor::new().lists(move |_, _, _| async move { bug() }).needs(move |_, _| async move { bug() }),
        Visitor::new().lists(|_, _, _| std::future::pending::<bool>()).needs(|_, _| std::future::pending::<bool>()),
        Visitor::new().lists(move |_, _, _| async move { bug() }).identity(|_| async { Some(()) }, move |(), _| bug()),
        Visitor::new()
            .lists(|_, _, _| std::future::pending::<bool>())
            .keep_lists(soon, 10, |_| String::new())
            .identity(|_| std::future::pending::<Option<()>>(), |(), _| true),
    ];
    wait_for(async {
        for (at, visitor) in visitors.into_iter().enumerate() {
            let said = Arc::new(std::sync::Mutex::new(Vec::new()));
            let heard = Arc::clone(&said);
            let site = Routed::new(table()).visitor(visitor.answer_within(soon)).on_failure(move |failure, path| {
                heard.lock().expect("no panic").push(format!("{path}: {failure}"));
                None
            });
            for (url, status) in [("/observers/ada", 503), ("/budget", 503), ("/nights", 200)] {
                assert_eq!(ask(&site, "GET", url, &[]).await.0, status, "{url} with visitor {at}");
            }
            let said = said.lock().expect("no panic").join("; ");
            let wanted = "/observers/ada: the list `observers` cannot be asked now; \
                /budget: whether the visitor meets `director` cannot be told now";
            assert_eq!(said, wanted, "visitor {at}");
        }
    });
}

/// A request that has begun keeps its table; a broken file leaves the old table where it is.
#[test]
fn a_table_is_exchanged_while_requests_run() {
    wait_for(async {
        let (begun, go_on) = (Arc::new(Notify::new()), Arc::new(Notify::new()));
        let wait = {
            let (begun, go_on) = (Arc::clone(&begun), Arc::clone(&go_on));
            move |request: Request<Body>| {
                let (begun, go_on) = (Arc::clone(&begun), Arc::clone(&go_on));
                async move {
                    begun.notify_one();
                    go_on.notified().await;
                    let link = found(&request).expect("a page").get().link("talk").set("talk", "comets").to_url();
                    Response::new(link.expect("a link"))
                }
            }
        };
        let make = |path: &str| -> Result<Table<Handler>, BoxError> {
            let table = Table::from_toml(&format!("[routes.talk]\npath = '{path}'\npage = 'talk'"))?;
            Ok(table.bind(|_| Some(handler(wait.clone())))?)
        };
        let live = LiveTable::new(make("/talks/{talk}").expect("a table"));
        let site = Routed::new(live.clone());
        let request = Request::get("/talks/moon").body(Body::default()).expect("a request");
        let running = tokio::spawn(site.clone().oneshot(request));
        begun.notified().await;
        assert!(live.replace_with(|| make("/lectures/{talk")).unwrap_err().to_string().contains("brace"));
        assert_eq!(live.load().link("talk").set("talk", "moon").to_url().expect("a link"), "/talks/moon");
        live.replace_with(|| make("/lectures/{talk}")).expect("a table");
        assert_eq!(ask(&site, "GET", "/talks/moon", &[]).await.0, 404);
        go_on.notify_one();
        let response = running.await.expect("no panic").expect("an answer");
        assert_eq!(response.into_body().collect().await.expect("a body").to_bytes(), "/talks/comets");
    });
}

/// A layer that gives up.
fn patient_for_5_ms<S>(
    inner: S,
) -> impl Service<Request<Body>, Response = Response<Body>, Error = BoxError, Future: Send> + Clone + Send + Sync
where
    S: Service<Request<Body>, Response = Response<Body>, Error = BoxError, Future: Send> + Clone + Send + Sync,
{
    service_fn(move |request| {
        let answer = tokio::time::timeout(Duration::from_millis(5), inner.clone().oneshot(request));
        async { answer.await? }
    })
}

/// Time-outs and other layers are put around handlers, or around the whole.
#[test]
fn layers_go_around_handlers_and_around_the_table() {
    wait_for(async {
        let never = service_fn(|_: Request<Body>| std::future::pending::<Result<Response<Body>, BoxError>>());
        let impatient: Handler = service(ServiceBuilder::new().layer_fn(patient_for_5_ms).service(never));
        let table = Table::from_toml("[routes.slow]\npath = '/slow'\npage = 'slow'").expect("a table");
        let site = Routed::new(table.bind(|_| Some(impatient.clone())).expect("a page"));
        // No error of a layer is an empty reply.
        let (status, response) = ask(&site, "GET", "/slow", &[("accept", "application/json")]).await;
        assert_eq!(status, 503);
        assert!(response.body().contains(r#""title":"Service Unavailable""#), "{}", response.body());

        let pages = service_fn(|request: Request<Body>| async move {
            let PageName(page) = request.extensions().get().expect("a page");
            Ok::<_, BoxError>(Response::new(format!("{page} {}", found(&request).is_some())))
        });
        let site = Routed::new(Table::from_toml(TABLE).expect("a table")).layer(pages);
        for (url, status, text) in
            [("/nights", StatusCode::OK, "nights true"), ("/plates/x", StatusCode::NOT_FOUND, "no-such-plate false")]
        {
            let response = site
                .clone()
                .oneshot(Request::get(url).body(Body::default()).expect("a request"))
                .await
                .expect("an answer");
            assert_eq!(response.status(), status);
            assert_eq!(response.into_body().collect().await.expect("a body").to_bytes(), text);
        }
    });
}

/// RFC 9112, section 3.2: one host, and nothing else.
#[test]
fn a_host_field_that_is_none_is_refused() {
    wait_for(async {
        let site = site();
        for (hosts, status) in [
            (&[][..], 200),
            (&["larkfell.example"], 200),
            (&["larkfell.example:8080"], 200),
            (&["LARKFELL.example."], 200),
            (&["[::1]:80"], 200),
            (&[""], 200),
            (&["larkfell.example", "larkfell.example"], 400),
            (&["x y"], 400),
            (&["ada@larkfell.example"], 400),
            (&["larkfell.example/nights"], 400),
            (&["a.example, b.example"], 400),
        ] {
            let fields: Vec<(&str, &str)> = hosts.iter().map(|host| ("host", *host)).collect();
            assert_eq!(ask(&site, "GET", "/nights", &fields).await.0, status, "{hosts:?}");
        }
    });
}

/// The answer to `HEAD` has the length of the body that it does not have.
#[test]
fn head_has_no_body() {
    wait_for(async {
        let site = site();
        for url in ["/nights", "/nigths", "//nights", "/observers/ada", "/plates/b-1", "/budget"] {
            let (status, whole) = ask(&site, "GET", url, &[]).await;
            let (head_status, head) = ask(&site, "HEAD", url, &[]).await;
            assert_eq!((head_status, head.body().as_str()), (status, ""), "{url}");
            // A handler is asked with `HEAD`, so that its body is another one.
            if status != 200 && !url.starts_with("/plates") {
                assert_eq!(field(&head, "content-length"), whole.body().len().to_string(), "{url}");
            }
            for name in ["location", "cache-control", "content-type"] {
                assert_eq!(field(&head, name), field(&whole, name), "{name} of {url}");
            }
        }
    });
}

/// The elements of a document, with the names of their attributes.
fn elements(html: &str) -> Vec<String> {
    let tags = html5gum::Tokenizer::new(html).map(|token| token.expect("a text can be read"));
    let tags = tags.filter_map(|token| match token {
        html5gum::Token::StartTag(tag) => Some(tag),
        _ => None,
    });
    let text = |text: &[u8]| String::from_utf8_lossy(text).into_owned();
    tags.map(|tag| {
        let names = [&tag.name].into_iter().chain(tag.attributes.keys());
        names.map(|name| text(name)).collect::<Vec<_>>().join(" ")
    })
    .collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// The service says what the table decides: status, location, methods, and the page.
    #[test]
    fn the_service_says_what_the_table_decides(
        parts in prop::collection::vec(prop::sample::select(&[
            "/", "nights", "observers", "ada", "eve", "logbook", "budget", "plates", "night.cgi", "map", "sign-in", "2031-04-02", "2031-02-30", ".",
            "..", "%41", "%zz", "?d=", "?return=%2F", "&", "x", "//",
        ][..]), 0..7),
        method in prop::sample::select(&["GET", "HEAD", "POST", "DELETE", "OPTIONS"][..]),
        cookie in prop::sample::select(&["", "observer", "director"][..]),
    ) {
        let url = format!("/{}", parts.concat());
        let Ok(target) = url.parse::<http::Uri>() else { return Ok(()) };
        let Some(target) = target.path_and_query().map(|target| target.as_str().to_owned()) else { return Ok(()) };
        let table = Table::from_toml(TABLE).expect("a table");
        let lists = |list: &str, value: &str| -> Answer { (list == "observers" && value == "ada").into() };
        let meets = |need: &str| need == cookie;
        let asked = vivid_lane::Request::new(method, target.as_str()).lists(&lists).meets(&meets);
        let decision = table.decide(&asked);
        let (status, response) = wait_for(ask(&site(), method, &target, &[("cookie", cookie)]));
        prop_assert_eq!(status, decision.status(), "{} {}: {}", method, target, response.body());
        prop_assert_eq!(field(&response, "location"), decision.location().unwrap_or_default(), "{} {}", method, target);
        match decision {
            Decision::Page(found) if method != "HEAD" => {
                let shown = format!("{method} {} [", found.route().name());
                prop_assert!(response.body().starts_with(&shown), "{} {}: {}", method, target, response.body());
            }
            Decision::WrongMethod(wrong) => prop_assert_eq!(field(&response, "allow"), wrong.allow().join(", ")),
            Decision::Options(allow) => prop_assert_eq!(field(&response, "allow"), allow.allow().join(", ")),
            _ if method == "HEAD" => prop_assert_eq!(response.body(), ""),
            _ => {}
        }
    }

    /// Whatever is asked: the answer has no element, no field and no line that the service did not mean.
    #[test]
    fn nothing_gets_out_of_its_place(
        value in prop_oneof![
            "[<>\"'&;:/%a-z{}()=\r\n ]{0,30}",
            Just("\"><script>alert(1)</script>".to_owned()),
            Just("x\r\nset-cookie: a=b".to_owned()),
            ".{0,20}",
        ],
        shape in 0usize..5,
    ) {
        let escaped: String = value.bytes().map(|byte| format!("%{byte:02X}")).collect();
        let url = match shape {
            0 => format!("/nights/{escaped}"),
            1 => format!("//nigths/?x={escaped}"),
            2 => format!("/night.cgi?d={escaped}"),
            3 => format!("/observers/ada/logbook?{escaped}"),
            _ => format!("/{escaped}/nights/../"),
        };
        for accept in ["text/html", "application/json", "text/plain"] {
            let (status, response) = wait_for(ask(&site(), "GET", &url, &[("accept", accept)]));
            let known = ["content-type", "vary", "location", "allow", "cache-control"];
            prop_assert!(response.headers().keys().all(|name| known.contains(&name.as_str())), "{:?}", response.headers());
            if let Some(location) = response.headers().get("location") {
                let location = location.to_str().expect("ASCII");
                prop_assert!(location.starts_with('/') && !location.starts_with("//"), "{}", location);
            }
            match field(&response, "content-type") {
                "text/html; charset=utf-8" => {
                    let names = elements(response.body());
                    let meant = ["html lang", "head", "meta charset", "title", "body", "h1", "p", "ul", "li", "a href"];
                    prop_assert!(names.iter().all(|name| meant.contains(&name.as_str())), "{:?}\n{}", names, response.body());
                }
                "application/problem+json" => {
                    let problem: serde_json::Value = serde_json::from_str(response.body()).expect("problem details");
                    prop_assert_eq!(problem["status"].as_u64(), Some(u64::from(status)));
                }
                _ => {}
            }
        }
    }
}
