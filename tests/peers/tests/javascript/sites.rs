//! The same site twice: as a service in Rust, and as a program for node.

use std::path::{Path, PathBuf};

use crate::node::Node;
use http::{Method, Response, StatusCode};
use tokio::net::TcpListener;
use vivid_lane::{Answer, Table};
use vivid_lane_exchange::typescript::{self, Form};
use vivid_lane_http::{Body, Failure, Pages, Routed, Server, Visit, Visitor, Who, html};

/// How the site is set up.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Setting {
    pub(crate) shows_refusals: bool,
    pub(crate) is_absolute: bool,
    /// Are there layers around pages, and are some failures replaced?
    pub(crate) has_layers: bool,
}

/// What one request wants of its page: in the field `x-do`.
async fn page(mut visit: Visit) -> Result<Response<Body>, Failure> {
    let wanted = visit.headers().get("x-do").and_then(|field| field.to_str().ok()).unwrap_or_default().to_owned();
    if visit.found().is_some() {
        match wanted.as_str() {
            "fail" => return Err(Failure::of("the archive is closed")),
            "missing" => return Err(Failure::not_found()),
            "conflict" => return Err(Failure::new(StatusCode::CONFLICT, "it is <there> already")),
            "away" => return Err(Failure::unavailable("the archive is away", Some(30))),
            "form" => {
                let fields: Vec<(String, String)> = visit.form(64).await?;
                return Ok(html(format!("{fields:?}")));
            }
            "json" => {
                let _: serde_json::Value = visit.json(64).await?;
                return Ok(html("read"));
            }
            "back" => return visit.see_return("/else"),
            "cookie" => {
                let mut response = html("set");
                for cookie in ["a=1", "b=2"] {
                    response.headers_mut().append("set-cookie", cookie.parse().expect("a value"));
                }
                return Ok(response);
            }
            "nothing" => {
                let mut response = Response::new(Body::default());
                *response.status_mut() = StatusCode::NO_CONTENT;
                return Ok(response);
            }
            _ => {}
        }
    } else if wanted == "fail-twice" {
        return Err(Failure::of("the page for failures is closed, too"));
    }
    let missing = visit.missing().map(|missing| (missing.status().as_u16(), missing.reason().map(str::to_owned)));
    let (address, route) =
        visit.position().map_or_else(Default::default, |at| (at.address(), at.route().name().to_owned()));
    let (status, reason) = missing.unwrap_or((200, None));
    let who = visit.identity::<String>().cloned().unwrap_or_default();
    let up = visit.position().and_then(|at| at.up()).unwrap_or_default();
    let from = if visit.method() == Method::HEAD { "" } else { "page" };
    Ok(html(format!(
        "{from} {status} {route} {address} {:?} {} {who} {up}\n",
        visit.frames(),
        reason.unwrap_or_default()
    )))
}

fn visitor() -> Visitor {
    let cookie = |head: &http::request::Parts| {
        let cookie = head.headers.get("cookie").and_then(|cookie| cookie.to_str().ok())?;
        cookie.strip_prefix("who=").map(str::to_owned)
    };
    Visitor::new()
        .identity(
            move |head| {
                let who = cookie(head);
                async move {
                    match who {
                        Some(who) if who == "away" => Who::Unclear { retry_after: Some(7) },
                        Some(who) => Who::Known(who),
                        None => Who::Nobody,
                    }
                }
            },
            |who: &String, _| who == "ada",
        )
        .lists(|_, _, value| {
            std::future::ready(match value {
                "ada" | "grace" => Answer::Yes,
                "away" => Answer::Unknown { retry_after: Some(9) },
                _ => Answer::No,
            })
        })
}

/// Adds a field to what passes.
fn adds(name: &'static str) -> impl Fn(vivid_lane_http::Handler) -> vivid_lane_http::Handler {
    vivid_lane_http::layered(tower::util::MapResponseLayer::new(move |mut response: Response<Body>| {
        response.headers_mut().insert(name, http::HeaderValue::from_static("1"));
        response
    }))
}

/// Serves the site in Rust, on a thread of its own; gives its address.
pub(crate) fn in_rust(table: &Table, setting: Setting) -> String {
    let mut pages = Pages::new(()).others(page);
    if setting.has_layers {
        pages = pages
            .around_below("observers", adds("x-below"))
            .around(&["night", "lost"], adds("x-night"))
            .around_all(adds("x-all"));
    }
    let mut site = Routed::new(pages.bind(table).expect("the pages fit")).visitor(visitor());
    if setting.shows_refusals {
        site = site.show_refusals();
    }
    if setting.is_absolute {
        site = site.absolute_locations();
    }
    if setting.has_layers {
        site = site.on_failure(|failure, _| {
            (failure.status() == StatusCode::INTERNAL_SERVER_ERROR).then(|| {
                let mut response = html("replaced");
                *response.status_mut() = StatusCode::BAD_GATEWAY;
                response
            })
        });
    }
    let (sender, receiver) = std::sync::mpsc::channel();
    std::thread::spawn(move || {
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().expect("a runtime");
        runtime.block_on(async move {
            let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port");
            sender.send(listener.local_addr().expect("an address").to_string()).expect("somebody listens");
            // It ends with the test.
            let _ = Server::new(site).run(listener, std::future::pending()).await;
        });
    });
    receiver.recv().expect("it starts")
}

/// A folder with the modules of a table, and programs beside them.
pub(crate) fn folder(name: &str, table: &Table, programs: &[(&str, &str)]) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("javascript-{name}-{}", std::process::id()));
    let _ = std::fs::remove_dir_all(&folder);
    std::fs::create_dir_all(folder.join("routes")).expect("the folder can be made");
    let form = Form { javascript: true, browser: true, server: true };
    for file in typescript::files(table, form).files {
        std::fs::write(folder.join("routes").join(file.name), file.text).expect("a file");
    }
    for (name, text) in programs.iter().chain([&("package.json", r#"{ "type": "module" }"#)]) {
        std::fs::write(folder.join(name), text).expect("a file");
    }
    folder
}

/// Serves the same site in node.
pub(crate) fn in_node(name: &str, table: &Table, setting: Setting) -> Node {
    let folder = folder(name, table, &[("main.mjs", include_str!("site.mjs"))]);
    let said = serde_json::json!({ "showRefusals": setting.shows_refusals, "absoluteLocations": setting.is_absolute, "hasLayers": setting.has_layers });
    Node::start(&folder.join("main.mjs"), &[&said.to_string()])
}
