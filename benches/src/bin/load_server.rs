//! A server to be put under load: `bare` answers a constant; `handled` calls a handler in a box with something in the
//! extensions of the request, and decides nothing; `routed` asks a table first, `pages` has pages of a `Visit`, and `reloaded`
//! exchanges the table ten times a second meanwhile; `watched` has the pages of `pages`, with a span for each request, which is
//! kept and thrown away. Prints its port, and a path that the table answers.

#![forbid(unsafe_code)]

use std::convert::Infallible;
use std::pin::Pin;
use std::sync::Arc;
use std::time::Duration;

use bytes::Bytes;
use http::{Request, Response};
use http_body_util::Full;
use hyper::body::Incoming;
use hyper::server::conn::http1::Builder;
use hyper_util::rt::TokioIo;
use tokio::net::{TcpListener, TcpStream};
use vivid_lane::Table;
use vivid_lane_benches::contenders::{hits, ours, spec};
use vivid_lane_benches::tables::rest;
use vivid_lane_http::{Body, Handler, LiveTable, Pages, Routed, Visit, handler};

async fn page<B>(_: Request<B>) -> Response<Full<Bytes>> {
    Response::new(Full::from("a constant"))
}

/// A handler whose type is forgotten.
type Boxed = Arc<dyn Fn(Request<Incoming>) -> BoxFuture + Send + Sync>;
type BoxFuture = Pin<Box<dyn Future<Output = Result<Response<Full<Bytes>>, Infallible>> + Send>>;

fn bound(table: &Table) -> Table<Handler> {
    let page = handler(page::<Body>);
    table.bind(|_| Some(page.clone())).expect("every page has a handler")
}

#[tokio::main]
async fn main() -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    let kind = std::env::args().nth(1).unwrap_or_default();
    let listener = TcpListener::bind("127.0.0.1:0").await?;
    let (path, _) = &hits(&rest())[0];
    println!("{}{path}", listener.local_addr()?.port());
    if kind == "bare" {
        let answer = |request| async { Ok::<_, Infallible>(page(request).await) };
        return accept(listener, |stream| {
            tokio::spawn(async move {
                // A client that hangs up is no failure.
                let _ = Builder::new().serve_connection(TokioIo::new(stream), hyper::service::service_fn(answer)).await;
            });
        })
        .await;
    }
    if kind == "handled" {
        // As much as a service must do whose handlers are any async functions, and find their match in the request.
        let page: Boxed = Arc::new(|request| Box::pin(async { Ok(page(request).await) }));
        let answer = move |mut request: Request<Incoming>| {
            request.extensions_mut().insert(Arc::new(()));
            page(request)
        };
        return accept(listener, |stream| {
            let answer = answer.clone();
            tokio::spawn(async move {
                let _ = Builder::new().serve_connection(TokioIo::new(stream), hyper::service::service_fn(answer)).await;
            });
        })
        .await;
    }
    #[cfg(feature = "watch")]
    if kind == "watched" {
        tracing_subscriber::util::SubscriberInitExt::try_init(tracing_subscriber::registry())?;
    }
    let live = LiveTable::new(match kind.as_str() {
        "pages" | "watched" => {
            Pages::new(()).others(async |_: Visit| Response::new(Full::from("a constant"))).bind(&ours(&rest()))?
        }
        _ => bound(&ours(&rest())),
    });
    if kind == "reloaded" {
        let live = live.clone();
        std::thread::spawn(move || {
            loop {
                let _ = live.replace_with(|| spec(&rest()).build().map(|table| bound(&table)));
                std::thread::sleep(Duration::from_millis(100));
            }
        });
    }
    let site = Routed::new(live);
    accept(listener, |stream| {
        let site = site.clone();
        tokio::spawn(async move {
            let _ = Builder::new().serve_connection(TokioIo::new(stream), site).await;
        });
    })
    .await
}

async fn accept(
    listener: TcpListener,
    serve: impl Fn(TcpStream),
) -> Result<(), Box<dyn std::error::Error + Send + Sync>> {
    loop {
        let (stream, _) = listener.accept().await?;
        stream.set_nodelay(true)?;
        serve(stream);
    }
}
