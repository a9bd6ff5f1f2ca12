//! Pages as a program writes them, without a socket.

use std::sync::Arc;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

use http::{Method, Request, Response, StatusCode};
use http_body_util::BodyExt;
use serde::{Deserialize, Serialize};
use tower::timeout::TimeoutLayer;
use tower::{ServiceBuilder, ServiceExt};
use vivid_lane::Table;
use vivid_lane_http::{Body, Failure, Handler, Pages, Routed, Visit, Visitor, Who, handler, html, json, layered};

const TABLE: &str = r#"
    [site]
    frame = "shell"
    fallback = "lost"
    [needs.observer]
    otherwise = "sign-in"
    [needs.director]
    [routes.sign-in]
    path = "/sign-in{?return}"
    page = "sign-in"
    methods = ["GET", "POST"]
    [routes.plates]
    path = "/plates{?band,page}"
    page = "plates"
    frame = "archive"
    fallback = "no-such-plate"
    params.page = { type = "integer", default = 1 }
    methods = ["GET", "POST"]
    [routes.plates.plate]
    path = "/{number}"
    page = "plate"
    [routes.talks]
    path = "/talks"
    page = "talks"
    fallback = false
    [routes.talks.talk]
    path = "/{talk}"
    page = "talk"
    [routes.diary]
    path = "/diary"
    page = "diary"
    needs = ["observer"]
    [routes.budget]
    path = "/budget"
    page = "diary"
    needs = ["director"]
    [routes.slow]
    path = "/slow"
    page = "slow"
    [routes.door]
    path = "/door"
    page = "door"
"#;

/// What the pages share.
struct Archive {
    plates: u32,
}

#[derive(Deserialize)]
struct Plate {
    number: u32,
}

#[derive(Deserialize)]
struct Filter {
    band: Option<char>,
    page: u32,
}

#[derive(Serialize, Deserialize)]
struct Entry {
    title: String,
    #[serde(default)]
    tag: Vec<String>,
}

type Answer = Result<Response<Body>, Failure>;

async fn plates(mut visit: Visit<Archive>) -> Answer {
    if visit.method() == Method::POST {
        let is_form = visit.headers().get("content-type").is_some_and(|kind| kind.as_bytes().ends_with(b"urlencoded"));
        let entry: Entry = if is_form { visit.form(100).await? } else { visit.json(100).await? };
        return json(&entry);
    }
    let Filter { band, page } = visit.params()?;
    let next = visit.link_here()?.set("page", page + 1).to_url()?;
    Ok(html(format!("{band:?} {next}")))
}

async fn plate(visit: Visit<Archive>) -> Answer {
    let Plate { number } = visit.params()?;
    if number > visit.state().plates {
        return Err(Failure::not_found());
    }
    Ok(html(format!("{number} {:?} {}", visit.frames(), visit.link("plates")?.to_url()?)))
}

async fn talk(visit: Visit<Archive>) -> Answer {
    match visit.param("talk").as_deref() {
        Some("full") => Err(Failure::new(StatusCode::CONFLICT, "no seat is left")),
        Some("broken") => Ok(html("x".parse::<u8>()?.to_string())),
        Some("next") => visit.see_other(&visit.link("plates.plate")?.set("number", "7")),
        _ => Err(Failure::not_found()),
    }
}

async fn sign_in(visit: Visit<Archive>) -> Answer {
    visit.see_return("/talks")
}

async fn lost(visit: Visit<Archive>) -> Response<Body> {
    let place = visit.position().map(|place| place.route().name().to_owned());
    html(format!("{:?} {place:?} {}", visit.frames(), visit.found().is_some()))
}

/// Somebody who is signed in.
#[derive(Debug)]
struct Observer(String);

async fn diary(visit: Visit<Archive>) -> Answer {
    let known = visit.identity::<Observer>().map(|known| known.0.clone());
    let asked = visit.identify::<Observer>().await?.map(|known| known.0.clone());
    Ok(html(format!("{known:?} {asked:?}")))
}

async fn slow(_: Visit<Archive>) -> Response<String> {
    std::future::pending().await
}

fn pages() -> Pages<Archive> {
    Pages::new(Archive { plates: 1000 })
        .page("plates", plates)
        .page("plate", plate)
        .page("talk", talk)
        .page("sign-in", sign_in)
        .page("diary", diary)
        .page("slow", slow)
        .handled("door", handler(async |_| Response::new("as ever".to_owned())))
        .others(lost)
        .around(&["slow"], layered(TimeoutLayer::new(Duration::from_millis(5))))
        .around_below("plates", |handler| {
            let marked = |mut response: Response<Body>| {
                response.headers_mut().insert("x-archive", http::HeaderValue::from_static("yes"));
                response
            };
            vivid_lane_http::service(ServiceBuilder::new().map_response(marked).service(handler))
        })
}

fn table() -> Table {
    Table::from_toml(TABLE).expect("a table")
}

fn site() -> Routed<Handler> {
    Routed::new(pages().bind(&table()).expect("all pages"))
}

/// Runs what is asynchronous, on this thread.
fn wait_for<T>(future: impl Future<Output = T>) -> T {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_time().build().expect("a runtime");
    runtime.block_on(future)
}

async fn send(site: &Routed<Handler>, request: http::request::Builder, body: &str) -> (u16, Response<String>) {
    let request = request.body(body.to_owned()).expect("a request");
    let (head, body) = site.clone().oneshot(request).await.expect("never an error").into_parts();
    let text = String::from_utf8(body.collect().await.expect("a body").to_bytes().to_vec()).expect("text");
    (head.status.as_u16(), Response::from_parts(head, text))
}

#[test]
fn pages_are_shown_and_what_goes_wrong_is_told() {
    wait_for(async {
        let site = site();
        for (url, status, text) in [
            ("/plates/7", 200, r#"7 ["shell", "archive"] /plates"#),
            ("/plates?band=B&page=2", 200, "Some('B') /plates?band=B&amp;page=3"),
            ("/plates", 200, "None /plates?page=2"),
            // What the struct does not take is missing in the path, and wrong in the query.
            ("/plates/b-7", 404, r#"["shell", "archive"] Some("plates.plate") false"#),
            ("/plates?band=UBV", 400, "parameter `band` of `plates`: `UBV`"),
            // The page says so itself: the fallback of the nearest route that has one, within its frames.
            ("/plates/1001", 404, r#"["shell", "archive"] Some("plates.plate") false"#),
            ("/plates/7/x", 404, r#"["shell", "archive"] Some("plates.plate") false"#),
            // No page there is for what is missing below the talks.
            ("/talks/none", 404, "404 Not Found"),
            ("/nowhere", 404, r#"["shell"] None false"#),
            ("/talks/full", 409, "no seat is left"),
            ("/talks/broken", 500, "500 Internal Server Error\n"),
            ("/talks/next", 303, ""),
            ("/sign-in?return=%2Fplates%2F7", 303, ""),
            ("/slow", 503, "503 Service Unavailable\n"),
            ("/door", 200, "as ever"),
        ] {
            let (found, response) = send(&site, Request::get(url), "").await;
            let text = text.replace("&amp;", "&");
            assert_eq!(found, status, "{url}: {}", response.body());
            assert!(response.body().contains(&text), "{url}: {}", response.body());
            // What layers add stays, whatever comes of the page.
            assert_eq!(response.headers().contains_key("x-archive"), url.starts_with("/plates"), "{url}");
        }
        let (_, response) = send(&site, Request::get("/talks/next"), "").await;
        assert_eq!(response.headers()["location"], "/plates/7");
        for (back, location) in [
            ("%2Fplates%2F7", "/plates/7"),
            ("%2Fsign-in", "/talks"),
            ("%2Fsign-in%3Freturn%3Dx", "/talks"),
            ("%2Fnowhere", "/talks"),
            ("https%3A%2F%2Fevil.example", "/talks"),
            ("", "/talks"),
        ] {
            let (_, response) = send(&site, Request::post(format!("/sign-in?return={back}")), "").await;
            assert_eq!(response.headers()["location"], location, "{back}");
        }
        let problem = send(&site, Request::get("/talks/broken").header("accept", "application/json"), "").await.1;
        assert_eq!(problem.headers()["content-type"], "application/problem+json");
        assert!(!problem.body().contains("digit"), "the error itself is not told: {}", problem.body());
    });
}

#[test]
fn bodies_are_read_within_their_limits() {
    wait_for(async {
        let site = site();
        const FORM: &str = "application/x-www-form-urlencoded";
        for (kind, body, status, text) in [
            (FORM, "title=Moon+%26+Mars&tag=a&tag=b", 200, r#"{"title":"Moon & Mars","tag":["a","b"]}"#),
            ("Application/JSON; charset=utf-8", r#"{"title":"Moon"}"#, 200, r#"{"title":"Moon","tag":[]}"#),
            ("application/vnd.larkfell+json", r#"{"title":"Moon"}"#, 200, r#"{"title":"Moon","tag":[]}"#),
            (FORM, "tag=a", 422, "the body does not fit: missing field `title`"),
            ("application/json", r#"{"title":7}"#, 422, "the body does not fit: invalid type"),
            ("application/json", "{", 400, "the body is not JSON"),
            ("text/plain", "title", 415, "expected a body of type `application/json`, found `text/plain`"),
            ("", "title", 415, "expected a body of type `application/json`, found no type"),
            (FORM, &format!("title={}", "x".repeat(100)), 413, "the body may have 100 bytes, and it has more"),
        ] {
            let mut request = Request::post("/plates");
            if !kind.is_empty() {
                request = request.header("content-type", kind);
            }
            let (found, response) = send(&site, request, body).await;
            assert_eq!(found, status, "{kind} {body}: {}", response.body());
            assert!(response.body().contains(text), "{kind} {body}: {}", response.body());
        }
    });
}

/// Who visits is looked up once, handed on, and only where somebody wants to know.
#[test]
fn an_identity_is_looked_up_once() {
    wait_for(async {
        let asked = Arc::new(AtomicU32::new(0));
        let counting = Arc::clone(&asked);
        let visitor = Visitor::new().identity(
            move |head| {
                counting.fetch_add(1, Ordering::Relaxed);
                let name = head.headers.get("x-name").map(|name| name.to_str().unwrap_or_default().to_owned());
                async move {
                    match name.as_deref() {
                        Some("outage") => Who::Unclear { retry_after: Some(30) },
                        _ => Who::from(name.map(Observer)),
                    }
                }
            },
            |observer: &Observer, need| need == "observer" || observer.0 == "grace",
        );
        let site = site().visitor(visitor);
        for (url, name, status, text, times) in [
            ("/diary", Some("ada"), 200, r#"Some("ada") Some("ada")"#, 1),
            ("/diary", None, 303, "", 1),
            ("/diary", Some("outage"), 503, "503 Service Unavailable", 1),
            ("/budget", Some("ada"), 403, "403 Forbidden", 1),
            ("/budget", Some("grace"), 200, r#"Some("grace") Some("grace")"#, 1),
            ("/plates/7", Some("ada"), 200, "7", 0),
        ] {
            asked.store(0, Ordering::Relaxed);
            let request = name.iter().fold(Request::get(url), |request, name| request.header("x-name", *name));
            let (found, response) = send(&site, request, "").await;
            assert_eq!(found, status, "{url} {name:?}: {}", response.body());
            assert!(response.body().starts_with(text), "{url} {name:?}: {}", response.body());
            assert_eq!(asked.load(Ordering::Relaxed), times, "{url} {name:?}");
        }
        // A page without a need may ask by itself.
        let open = Pages::new(Archive { plates: 0 }).page("home", diary);
        let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'").expect("a table");
        let visitor = Visitor::new().identity(
            |head| {
                let is_away = head.headers.contains_key("x-outage");
                let known = || Who::Known(Observer("ada".to_owned()));
                async move { if is_away { Who::Unclear { retry_after: Some(30) } } else { known() } }
            },
            |_: &Observer, _| true,
        );
        let site = Routed::new(open.bind(&table).expect("a page")).visitor(visitor);
        let (status, away) = send(&site, Request::get("/").header("x-outage", "1"), "").await;
        assert_eq!((status, &away.headers()["retry-after"]), (503, &"30".parse().unwrap()));
        assert_eq!(send(&site, Request::get("/"), "").await.1.body(), r#"None Some("ada")"#);
    });
}

/// What is made of a failure is said in one place.
#[test]
fn failures_have_one_mapping() {
    wait_for(async {
        let site = site().on_failure(|failure, path| {
            let told = failure.error().map(|error| format!("{path}: {error}"))?;
            let mut response = html(told);
            *response.status_mut() = failure.status();
            Some(response)
        });
        for (url, status, text) in [
            ("/talks/broken", 500, "/talks/broken: invalid digit found in string"),
            ("/slow", 503, "/slow: request timed out"),
            ("/talks/full", 409, "409 Conflict\nno seat is left\n"),
        ] {
            let (found, response) = send(&site, Request::get(url), "").await;
            assert_eq!((found, response.body().as_str()), (status, text), "{url}");
        }
    });
}

/// Refusals are shown by the fallback of their place; programs get problem details, and so does a part of the site that has no fallback.
#[test]
fn refusals_are_shown_where_they_stand() {
    async fn sorry(visit: Visit<Archive>) -> Response<Body> {
        let known = visit.missing().map(|missing| (missing.status().as_u16(), missing.reason().map(str::to_owned)));
        let place = visit.position().map(|place| place.route().name().to_owned());
        html(format!("{known:?} {place:?} {:?}", visit.frames()))
    }
    wait_for(async {
        let pages = pages().page("lost", sorry).page("no-such-plate", sorry);
        let outage = |head: &http::request::Parts| {
            let who = if head.headers.contains_key("x-outage") {
                Who::Unclear { retry_after: Some(30) }
            } else {
                Who::Nobody
            };
            std::future::ready(who)
        };
        let visitor = Visitor::new().identity(outage, |_: &Observer, _| false);
        let site = Routed::new(pages.bind(&table()).expect("all pages")).visitor(visitor).show_refusals();
        for (method, url, field, status, kept, text) in [
            ("GET", "/nowhere", "", 404, None, r#"Some((404, None)) None ["shell"]"#),
            ("GET", "/%zz", "", 400, None, r#"Some((400, Some("expected two hexadecimal digits after `%`"#),
            (
                "GET",
                "/budget",
                "",
                403,
                Some(("cache-control", "no-store")),
                r#"Some((403, Some("this page is for those who meet `director`"))) Some("budget") ["shell"]"#,
            ),
            (
                "DELETE",
                "/plates",
                "",
                405,
                Some(("allow", "GET, HEAD, OPTIONS, POST")),
                r#"Some((405, None)) Some("plates") ["shell", "archive"]"#,
            ),
            (
                "GET",
                "/budget",
                "x-outage",
                503,
                Some(("retry-after", "30")),
                r#"Some((503, Some("whether the visitor meets `director` cannot be told now"))) None ["shell"]"#,
            ),
            ("GET", "/plates/1001", "", 404, None, r#"Some((404, None)) Some("plates.plate") ["shell", "archive"]"#),
            ("GET", "/plates?band=UBV", "", 400, None, r#"Some((400, Some("parameter `band` of `plates`"#),
            // No fallback stands below the talks.
            ("GET", "/talks/full", "", 409, None, "409 Conflict\nno seat is left\n"),
            ("GET", "/talks/none", "", 404, None, "404 Not Found\n"),
            ("DELETE", "/talks", "", 405, Some(("allow", "GET, HEAD, OPTIONS")), "405 Method Not Allowed\n"),
            // A redirect is no refusal.
            ("GET", "/diary", "", 303, Some(("location", "/sign-in?return=%2Fdiary")), "303 See Other"),
        ] {
            let request = || {
                let request = Request::builder().method(method).uri(url);
                if field.is_empty() { request } else { request.header(field, "1") }
            };
            let (found, response) = send(&site, request(), "").await;
            assert_eq!(found, status, "{url}: {}", response.body());
            assert!(response.body().starts_with(text), "{url}: {}", response.body());
            let (found, problem) = send(&site, request().header("accept", "application/json"), "").await;
            assert_eq!(
                (found, &problem.headers()["content-type"]),
                (status, &"application/problem+json".parse().unwrap()),
                "{url}"
            );
            if let Some((name, value)) = kept {
                assert!(response.headers()[name] == value && problem.headers()[name] == value, "{url}");
            }
        }
    });
}

/// A form of another site changes nothing: what browsers say of where a request comes from.
#[test]
fn requests_of_other_sites_are_told_apart() {
    let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'").expect("a table");
    let pages = Pages::new(()).page("home", async |visit: Visit| html(visit.is_from_this_site().to_string()));
    let site = Routed::new(pages.bind(&table).expect("a page"));
    for (fields, is_own) in [
        (&[][..], true),
        (&[("sec-fetch-site", "same-origin")], true),
        (&[("sec-fetch-site", "none")], true),
        (&[("sec-fetch-site", "same-site")], false),
        (&[("sec-fetch-site", "cross-site")], false),
        (&[("origin", "https://larkfell.example"), ("host", "larkfell.example")], true),
        (&[("origin", "https://evil.example"), ("host", "larkfell.example")], false),
        (&[("origin", "null"), ("host", "larkfell.example")], false),
        (
            &[("sec-fetch-site", "cross-site"), ("origin", "https://larkfell.example"), ("host", "larkfell.example")],
            false,
        ),
    ] {
        let request = fields.iter().fold(Request::get("/"), |request, (name, value)| request.header(*name, *value));
        let (_, response) = wait_for(send(&site, request, ""));
        assert_eq!(response.body(), &is_own.to_string(), "{fields:?}");
    }
}

#[test]
fn pages_and_table_must_fit() {
    let few = Pages::new(Archive { plates: 0 }).page("plates", plates);
    let error = few.bind(&table()).unwrap_err().to_string();
    assert!(
        error.contains("`talk` (route `talks.talk`)") && error.contains("`lost` (fallback of the site)"),
        "{error}"
    );
    let strange = pages().page("plat", plate).around(&["slwo"], |same| same).around_below("plate", |same| same);
    let error = strange.bind(&table()).unwrap_err().to_string();
    assert_eq!(error, "the table has no page `plat`, no page `slwo`, no route `plate`");
    // A name that is misspelt is missing on both sides.
    let misspelt = Pages::new(Archive { plates: 0 }).page("plats", plates).bind(&table()).unwrap_err().to_string();
    assert!(
        misspelt.contains("`plates` (route `plates`)") && misspelt.ends_with("; the table has no page `plats`"),
        "{misspelt}"
    );
}

/// A body of any kind can be shared by threads, and is read to its end.
#[test]
fn bodies_are_send_and_sync() {
    fn shared<T: Send + Sync>(it: T) -> T {
        it
    }
    struct Cell(std::cell::Cell<u8>);
    impl http_body::Body for Cell {
        type Data = bytes::Bytes;
        type Error = std::convert::Infallible;
        fn poll_frame(
            self: std::pin::Pin<&mut Self>,
            _: &mut std::task::Context<'_>,
        ) -> std::task::Poll<Option<Result<http_body::Frame<bytes::Bytes>, Self::Error>>> {
            let left = self.0.get();
            self.0.set(left.saturating_sub(1));
            std::task::Poll::Ready((left > 0).then(|| Ok(http_body::Frame::data("moon".into()))))
        }
    }
    let body = shared(Body::new(Cell(std::cell::Cell::new(2))));
    let again = Body::new(body);
    assert_eq!(wait_for(again.collect()).expect("a body").to_bytes(), "moonmoon");
}

/// A fallback links to its own address, as a choice of languages does, whatever the query was refused for.
#[test]
fn a_fallback_links_to_its_own_address() {
    let table = "site.fallback = 'lost'\n[params]\nlang = ['en', 'cy']\n[routes.nights]\npath = '{/lang}/nights{?page,sort}'\n\
        page = 'nights'\nparams.page = 'integer'\nparams.sort = ['date', 'size']";
    let lost = async |visit: Visit| -> Answer { Ok(html(visit.link_here()?.set("lang", "en").to_url()?)) };
    let pages = Pages::new(()).page("nights", async |_: Visit| html("nights")).page("lost", lost);
    let site = Routed::new(pages.bind(&Table::from_toml(table).expect("a table")).expect("all pages"));
    for (url, here) in [
        ("/cy/nights?page=x", "/en/nights"),
        ("/cy/nights?page=x&sort=size", "/en/nights?sort=size"),
        ("/cy/nights?page=7&sort=odd", "/en/nights?page=7"),
    ] {
        let (status, response) = wait_for(send(&site, Request::get(url), ""));
        assert_eq!((status, response.body().as_str()), (404, here), "{url}");
    }
}

/// What a visitor writes into an address is no error of the server's: in the path there is no page, in the query the request is wrong. A
/// fallback that fails leaves the status as it is, and the program learns of it.
#[test]
fn no_address_is_an_error_of_the_server() {
    const TABLE: &str = "
        site.fallback = 'lost'
        [routes.nights]
        path = '/nights{?page}'
        page = 'nights'
        params.page = 'integer'
        [routes.night]
        path = '/{number}'
        page = 'night'
        params.number = 'integer'
        [routes.wrong]
        path = '/wrong'
        page = 'wrong'
    ";
    fn number(visit: &Visit, name: &str) -> Answer {
        Ok(html(visit.get::<u8>(name)?.to_string()))
    }
    let pages = Pages::new(())
        .page("nights", async |visit: Visit| number(&visit, "page"))
        .page("night", async |visit: Visit| number(&visit, "number"))
        .page("wrong", async |visit: Visit| number(&visit, "wrod"))
        .page("lost", async |_: Visit| -> Answer { Err(Failure::of("the fallback fails")) });
    let failures = Arc::new(AtomicU32::new(0));
    let counted = Arc::clone(&failures);
    let table = Table::from_toml(TABLE).expect("a table");
    let site = Routed::new(pages.bind(&table).expect("all pages")).on_failure(move |_, _| {
        counted.fetch_add(1, Ordering::SeqCst);
        None
    });
    wait_for(async {
        for (url, status, failed) in [
            ("/nights?page=7", 200, 0),
            ("/nights?page=5000000000", 400, 1),
            ("/nights", 400, 1),
            ("/7", 200, 0),
            ("/5000000000", 404, 1),
            ("/nowhere", 404, 1),
            ("/wrong", 500, 1),
        ] {
            let (found, _) = send(&site, Request::get(url), "").await;
            assert_eq!((found, failures.swap(0, Ordering::SeqCst)), (status, failed), "{url}");
        }
    });
}
