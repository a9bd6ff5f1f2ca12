//! Any bytes as the head of a request, against the service: there is always an answer, its fields are those of HTTP, and nothing that was
//! sent becomes a part of a page's markup.

#![no_main]

use std::sync::LazyLock;

use http::{HeaderName, HeaderValue, Method, Request, Response, Uri, Version};
use http_body_util::BodyExt;
use libfuzzer_sys::fuzz_target;
use tokio::runtime::Runtime;
use tower::ServiceExt;
use vivid_lane::Table;
use vivid_lane_http::{Body, Failure, Handler, Pages, Routed, Visit, Visitor, html};

const TABLE: &str = r#"
needs.observer = { otherwise = "sign-in" }
lists = ["observers"]
site.fallback = "lost"
[routes.nights]
path = "/nights{?page}"
page = "plain"
params.page = { type = "integer", minimum = 1, default = 1 }
[routes.nights.night]
path = "/{date}"
page = "plain"
params.date = "date"
[routes.observer]
path = "/observers/{name}"
page = "plain"
params.name = { listed = "observers" }
[routes.observer.logbook]
path = "/logbook{/year}"
page = "plain"
needs = ["observer"]
methods = ["GET", "POST"]
[routes.sign-in]
path = "/sign-in{?return}"
page = "sign-in"
methods = ["GET", "POST"]
[routes.files]
path = "/files{/path*}"
page = "missing"
[routes.api]
path = "/api/{+rest}"
page = "broken"
fallback = false
"#;

async fn plain(visit: Visit) -> Result<Response<Body>, Failure> {
    let here = visit.link_here()?.to_url()?;
    let up = visit.position().and_then(|place| place.up()).unwrap_or_default();
    Ok(html(format!("{} {}", here.len(), up.len())))
}

async fn sign_in(mut visit: Visit) -> Result<Response<Body>, Failure> {
    if visit.method() == Method::POST {
        let _: Vec<(String, String)> = visit.form(64).await?;
        return visit.see_return("/nights");
    }
    Ok(html("sign in"))
}

fn site() -> Routed<Handler> {
    let pages = Pages::new(())
        .page("plain", plain)
        .page("sign-in", sign_in)
        .page("lost", async |visit: Visit| {
            let near = visit.missing().map_or_else(Vec::new, |missing| missing.suggestions());
            html(format!("lost {} {}", near.len(), visit.frames().len()))
        })
        .page("missing", async |_: Visit| Err::<Response<Body>, _>(Failure::not_found()))
        .page("broken", async |_: Visit| Err::<Response<Body>, _>(Failure::of("broken")));
    let visitor = Visitor::new()
        .needs(|head, _| std::future::ready(head.headers.contains_key("cookie")))
        .lists(|_, _, value| std::future::ready((value != "away").then_some(value == "ada")));
    Routed::new(pages.bind(&Table::from_toml(TABLE).expect("a table")).expect("all pages")).visitor(visitor)
}

static SITES: LazyLock<[Routed<Handler>; 2]> = LazyLock::new(|| [site(), site().show_refusals().absolute_locations()]);
static RUNTIME: LazyLock<Runtime> =
    LazyLock::new(|| tokio::runtime::Builder::new_current_thread().enable_time().build().expect("a runtime"));

/// A request of lines: what kind, method and target, fields, and after an empty line the body.
fn request(data: &[u8]) -> Option<(u8, Request<Body>)> {
    let (&kind, rest) = data.split_first()?;
    let mut lines = rest.split(|&byte| byte == b'\n');
    let first = lines.next()?;
    let space = first.iter().position(|&byte| byte == b' ')?;
    let mut request = Request::new(Body::default());
    *request.method_mut() = Method::from_bytes(&first[..space]).ok()?;
    *request.uri_mut() = Uri::try_from(&first[space + 1..]).ok()?;
    *request.version_mut() = if kind & 2 == 0 { Version::HTTP_11 } else { Version::HTTP_2 };
    for line in lines.by_ref().take_while(|line| !line.is_empty()) {
        let at = line.iter().position(|&byte| byte == b':')?;
        let name = HeaderName::from_bytes(&line[..at]).ok()?;
        request.headers_mut().append(name, HeaderValue::from_bytes(line[at + 1..].trim_ascii()).ok()?);
    }
    let body: Vec<u8> = lines.collect::<Vec<_>>().join(&b'\n');
    *request.body_mut() = Body::from(body);
    Some((kind, request))
}

fuzz_target!(|data: &[u8]| {
    let Some((kind, request)) = request(data) else { return };
    let is_head = *request.method() == Method::HEAD;
    let sent = format!("{:?}{:?}", request.uri(), request.headers());
    let response =
        RUNTIME.block_on(SITES[usize::from(kind & 1)].clone().oneshot(request)).unwrap_or_else(|never| match never {});
    let (head, body) = response.into_parts();
    if let Some(location) = head.headers.get("location") {
        assert!(location.as_bytes().iter().all(u8::is_ascii_graphic), "{location:?}");
    }
    assert!(!head.status.is_redirection() || head.headers.contains_key("location"), "{head:?}");
    assert!(head.status.as_u16() != 405 || head.headers.contains_key("allow"), "{head:?}");
    let body = RUNTIME.block_on(body.collect()).expect("a body").to_bytes();
    assert!(!is_head || body.is_empty(), "{head:?} {body:?}");
    let is_html = head.headers.get("content-type").is_some_and(|kind| kind.as_bytes().starts_with(b"text/html"));
    let text = String::from_utf8_lossy(&body);
    for mark in ["<script", "<img", "<q", "onload="].iter().filter(|mark| is_html && sent.contains(**mark)) {
        assert!(!text.contains(mark), "{mark} of the request stands in {text}");
    }
});
