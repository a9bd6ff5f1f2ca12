//! The service over real connections: what passes through a page untouched, and what the wire wants of a server.

use std::convert::Infallible;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

use bytes::Bytes;
use futures_util::{SinkExt, StreamExt};
use http::header::{CONNECTION, SEC_WEBSOCKET_ACCEPT, SEC_WEBSOCKET_KEY, UPGRADE};
use http::{HeaderValue, Method, Request, Response, StatusCode};
use http_body_util::{BodyExt, Channel, Empty, Full};
use hyper::client::conn::{http1, http2};
use hyper::upgrade::OnUpgrade;
use hyper_util::rt::{TokioExecutor, TokioIo};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Notify;
use tokio_tungstenite::WebSocketStream;
use tokio_tungstenite::tungstenite::Message;
use tokio_tungstenite::tungstenite::handshake::derive_accept_key;
use tokio_tungstenite::tungstenite::protocol::Role;
use tower::timeout::TimeoutLayer;
use tower::{Layer, Service, service_fn};
use tower_http::cors::CorsLayer;
use vivid_lane::Table;
use vivid_lane_http::{Body, BoxError, Failure, Handler, Pages, Routed, Server, Visit, html};

const TABLE: &str = r#"
    [routes.nights]
    path = "/nights"
    page = "nights"
    [routes.nights.night]
    path = "/{date}"
    page = "night"
    params.date = "date"
    [routes.weather]
    path = "/weather"
    page = "weather"
    [routes.echo]
    path = "/echo"
    page = "echo"
    methods = ["POST"]
    [routes.talk]
    path = "/talk/{talk}"
    page = "talk"
"#;

/// What the pages share: somebody waits for the second report of the weather.
struct Site {
    go_on: Arc<Notify>,
}

async fn night(visit: Visit<Site>) -> Response<Body> {
    html(format!("the night of {}", visit.param("date").unwrap_or_default()))
}

/// Server-sent events: the second one comes when the first has arrived.
async fn weather(visit: Visit<Site>) -> Result<Response<Channel<Bytes, Infallible>>, Failure> {
    let (mut sender, body) = Channel::new(1);
    let go_on = Arc::clone(&visit.state().go_on);
    tokio::spawn(async move {
        sender.send_data("data: clear\n\n".into()).await?;
        go_on.notified().await;
        sender.send_data("data: fog\n\n".into()).await
    });
    Ok(Response::builder().header("content-type", "text/event-stream").body(body)?)
}

/// The body as it comes in.
async fn echo(mut visit: Visit<Site>) -> Response<Body> {
    Response::new(visit.take_body())
}

/// A WebSocket: the same by the names of its messages.
async fn talk(visit: Visit<Site>) -> Result<Response<Body>, Failure> {
    let (Some(key), Some(upgrade)) =
        (visit.headers().get(SEC_WEBSOCKET_KEY), visit.head().extensions.get::<OnUpgrade>().cloned())
    else {
        return Err(Failure::new(StatusCode::UPGRADE_REQUIRED, "a talk is held over a WebSocket"));
    };
    let mut response = Response::new(Body::default());
    *response.status_mut() = StatusCode::SWITCHING_PROTOCOLS;
    let fields = response.headers_mut();
    fields.insert(CONNECTION, HeaderValue::from_static("upgrade"));
    fields.insert(UPGRADE, HeaderValue::from_static("websocket"));
    fields.insert(SEC_WEBSOCKET_ACCEPT, derive_accept_key(key.as_bytes()).parse()?);
    let talk = visit.param("talk").unwrap_or_default();
    tokio::spawn(async move {
        let connection = TokioIo::new(upgrade.await?);
        let mut socket = WebSocketStream::from_raw_socket(connection, Role::Server, None).await;
        while let Some(Ok(Message::Text(said))) = socket.next().await {
            socket.send(Message::text(format!("{talk}: {said}"))).await?;
        }
        Ok::<_, BoxError>(())
    });
    Ok(response)
}

fn site(go_on: Arc<Notify>) -> Routed<Handler> {
    let pages = Pages::new(Site { go_on })
        .page("nights", async |_: Visit<Site>| html("all nights"))
        .page("night", night)
        .page("weather", weather)
        .page("echo", echo)
        .page("talk", talk);
    Routed::new(pages.bind(&Table::from_toml(TABLE).expect("a table")).expect("all pages"))
}

/// Serves on a free port, and gives the address.
async fn serve<S>(server: Server<S>) -> SocketAddr
where
    S: Service<Request<Body>, Response = Response<Body>, Error: Into<BoxError>, Future: Send>
        + Clone
        + Send
        + Sync
        + 'static,
{
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = listener.local_addr().expect("an address");
    tokio::spawn(server.run(listener, std::future::pending()));
    address
}

async fn plain() -> SocketAddr {
    serve(Server::new(site(Arc::default()))).await
}

/// Sends bytes, and reads until nothing more comes.
async fn raw(address: SocketAddr, sent: &str) -> String {
    let mut stream = TcpStream::connect(address).await.expect("a connection");
    stream.write_all(sent.as_bytes()).await.expect("sent");
    let mut read = Vec::new();
    let _ = tokio::time::timeout(Duration::from_millis(300), stream.read_to_end(&mut read)).await;
    String::from_utf8_lossy(&read).into_owned()
}

/// RFC 9112, section 3.2, and what a `HEAD` gets.
#[tokio::test]
async fn http_1_1_wants_one_host() {
    let address = plain().await;
    for (fields, status) in [
        ("", 400),
        ("Host: larkfell.example\r\n", 200),
        ("Host: larkfell.example\r\nHost: larkfell.example\r\n", 400),
        ("Host: ada@larkfell.example\r\n", 400),
        ("Host: a b\r\n", 400),
    ] {
        let answer = raw(address, &format!("GET /nights HTTP/1.1\r\n{fields}Connection: close\r\n\r\n")).await;
        assert!(answer.starts_with(&format!("HTTP/1.1 {status} ")), "{fields:?}: {answer}");
    }
    let old = raw(address, "GET /nights HTTP/1.0\r\n\r\n").await;
    assert!(old.starts_with("HTTP/1.0 200 "), "{old}");
    let absolute =
        raw(address, "GET http://larkfell.example/nights HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await;
    assert!(absolute.starts_with("HTTP/1.1 200 "), "{absolute}");
    let head = raw(address, "HEAD /nowhere HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await;
    assert!(head.starts_with("HTTP/1.1 404 ") && head.ends_with("\r\n\r\n"), "{head}");
    assert!(head.to_lowercase().contains("content-length: 14\r\n"), "{head}");
}

#[tokio::test]
async fn requests_share_a_connection_by_http_2() {
    let stream = TcpStream::connect(plain().await).await.expect("a connection");
    let (sender, connection) = http2::handshake(TokioExecutor::new(), TokioIo::new(stream)).await.expect("HTTP/2");
    tokio::spawn(connection);
    let all = (1..=28).map(|day| {
        let mut sender = sender.clone();
        async move {
            let url = format!("http://larkfell.example/nights/2031-02-{day:02}");
            let response = sender.send_request(Request::get(url).body(Empty::<Bytes>::new()).expect("a request")).await;
            let response = response.expect("an answer");
            assert_eq!((response.status(), response.version()), (StatusCode::OK, http::Version::HTTP_2));
            let text = response.into_body().collect().await.expect("a body").to_bytes();
            assert_eq!(text, format!("the night of 2031-02-{day:02}"));
        }
    });
    futures_util::future::join_all(all).await;
    let mut sender = sender;
    let lost = Request::get("http://larkfell.example/nights/2031-02-29").body(Empty::<Bytes>::new());
    let lost = sender.send_request(lost.expect("a request")).await.expect("an answer");
    assert_eq!(lost.status(), StatusCode::NOT_FOUND);
}

async fn client(address: SocketAddr) -> http1::SendRequest<Body> {
    let stream = TcpStream::connect(address).await.expect("a connection");
    let (sender, connection) = http1::handshake(TokioIo::new(stream)).await.expect("HTTP/1.1");
    tokio::spawn(connection);
    sender
}

fn to(method: Method, url: &str, body: Body) -> Request<Body> {
    Request::builder().method(method).uri(url).header("host", "larkfell.example").body(body).expect("a request")
}

async fn next(body: &mut hyper::body::Incoming) -> String {
    let frame = body.frame().await.expect("more").expect("no error");
    String::from_utf8_lossy(frame.data_ref().expect("data")).into_owned()
}

#[tokio::test]
async fn server_sent_events_come_one_by_one() {
    let go_on = Arc::new(Notify::new());
    let address = serve(Server::new(site(Arc::clone(&go_on)))).await;
    let asked = client(address).await.send_request(to(Method::GET, "/weather", Body::default())).await;
    let asked = asked.expect("an answer");
    assert_eq!(asked.headers()["content-type"], "text/event-stream");
    let mut events = asked.into_body();
    assert_eq!(next(&mut events).await, "data: clear\n\n");
    go_on.notify_one();
    assert_eq!(next(&mut events).await, "data: fog\n\n");
    assert!(events.frame().await.is_none());
}

/// A body streams through a page in both directions: an answer comes before the request has ended.
#[tokio::test]
async fn bodies_stream_through_a_page() {
    let (mut sender, body) = Channel::<Bytes, Infallible>::new(1);
    let mut client = client(plain().await).await;
    let answer = client.send_request(to(Method::POST, "/echo", Body::new(body)));
    let (answer, sent) = tokio::join!(answer, sender.send_data("first".into()));
    sent.expect("the server reads");
    let mut echoed = answer.expect("an answer").into_body();
    assert_eq!(next(&mut echoed).await, "first");
    sender.send_data("second".into()).await.expect("the server reads");
    assert_eq!(next(&mut echoed).await, "second");
    drop(sender);
    assert!(echoed.frame().await.is_none());
}

#[tokio::test]
async fn a_page_becomes_a_web_socket() {
    let address = plain().await;
    let stream = TcpStream::connect(address).await.expect("a connection");
    let (mut socket, answer) =
        tokio_tungstenite::client_async("ws://larkfell.example/talk/comets", stream).await.expect("a WebSocket");
    assert_eq!(answer.status(), StatusCode::SWITCHING_PROTOCOLS);
    for said in ["hello", "again"] {
        socket.send(Message::text(said)).await.expect("sent");
        let heard = socket.next().await.expect("more").expect("no error");
        assert_eq!(heard, Message::text(format!("comets: {said}")));
    }
    let without = client(address).await.send_request(to(Method::GET, "/talk/comets", Body::default())).await;
    assert_eq!(without.expect("an answer").status(), StatusCode::UPGRADE_REQUIRED);
}

/// A layer in front of the table: what it answers by itself, and what it adds to pages, to what is missing, and to refusals.
#[tokio::test]
async fn a_layer_for_other_origins_stands_in_front() {
    let layer = CorsLayer::new()
        .allow_origin(HeaderValue::from_static("https://club.example"))
        .allow_methods([Method::GET, Method::POST]);
    let address = serve(Server::new(layer.layer(site(Arc::default())))).await;
    let mut client = client(address).await;
    for (method, url, status) in [
        (Method::GET, "/nights", 200),
        (Method::GET, "/nowhere", 404),
        (Method::DELETE, "/nights", 405),
        (Method::GET, "//nights", 308),
    ] {
        let mut request = to(method, url, Body::new(Full::default()));
        request.headers_mut().insert("origin", HeaderValue::from_static("https://club.example"));
        let response = client.send_request(request).await.expect("an answer");
        let allowed = response.headers().get("access-control-allow-origin");
        assert_eq!((response.status().as_u16(), allowed.is_some()), (status, true), "{url}");
        response.into_body().collect().await.expect("a body");
    }
    let mut preflight = to(Method::OPTIONS, "/nights", Body::default());
    for (name, value) in [("origin", "https://club.example"), ("access-control-request-method", "POST")] {
        preflight.headers_mut().insert(name, HeaderValue::from_static(value));
    }
    let preflight = client.send_request(preflight).await.expect("an answer");
    assert_eq!(preflight.status(), StatusCode::OK);
    assert_eq!(preflight.headers()["access-control-allow-methods"], "GET,POST");
}

/// A request that runs when the server is told to stop comes to its end; new ones are not taken. One that never ends is not waited for.
#[tokio::test]
async fn a_server_ends_in_order() {
    for (is_patient, is_ended) in [(true, true), (false, false)] {
        let (go_on, stop) = (Arc::new(Notify::new()), Arc::new(Notify::new()));
        let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port");
        let address = listener.local_addr().expect("an address");
        let patience = Duration::from_millis(if is_patient { 60_000 } else { 20 });
        let server = Server::new(site(Arc::clone(&go_on))).patience(patience);
        let told = Arc::clone(&stop);
        let running = tokio::spawn(server.run(listener, async move { told.notified().await }));
        let mut client = client(address).await;
        let weather = client.send_request(to(Method::GET, "/weather", Body::default())).await.expect("an answer");
        let mut events = weather.into_body();
        assert_eq!(next(&mut events).await, "data: clear\n\n");
        stop.notify_one();
        while TcpStream::connect(address).await.is_ok() {
            tokio::task::yield_now().await;
        }
        if is_patient {
            go_on.notify_one();
            assert_eq!(next(&mut events).await, "data: fog\n\n");
            assert!(events.frame().await.is_none());
        }
        assert_eq!(running.await.expect("no panic").is_ok(), is_ended);
    }
}

/// What is beyond the limits waits, or is refused; an error of a layer around the service is told.
#[tokio::test]
async fn a_server_has_limits() {
    let server = Server::new(site(Arc::default())).connections(1).heads(0, Duration::from_millis(50));
    let address = serve(server).await;
    let long = format!("GET /nights HTTP/1.1\r\nHost: x\r\nX-Long: {}\r\n\r\n", "x".repeat(20_000));
    assert!(raw(address, &long).await.starts_with("HTTP/1.1 431 "));
    // A head that never ends does not keep the only place.
    let slow = tokio::spawn(async move { raw(address, "GET /nights HTTP/1.1\r\n").await });
    let answer = raw(address, "GET /nights HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await;
    assert!(answer.starts_with("HTTP/1.1 200 "), "{answer}");
    slow.await.expect("no panic");

    let hasty = TimeoutLayer::new(Duration::from_millis(5)).layer(site(Arc::default()));
    let never = service_fn(|_: Request<Body>| std::future::pending::<Result<Response<Body>, BoxError>>());
    let address = serve(Server::new(TimeoutLayer::new(Duration::from_millis(5)).layer(never))).await;
    let answer = raw(address, "GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await;
    assert!(answer.starts_with("HTTP/1.1 503 ") && answer.ends_with("503 Service Unavailable\n"), "{answer}");
    let address = serve(Server::new(hasty)).await;
    let answer = raw(address, "GET /nights HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n").await;
    assert!(answer.starts_with("HTTP/1.1 200 "), "{answer}");
}

/// A body that comes drop by drop is broken off, and one that keeps up may take its time; no address has more connections than it may.
#[tokio::test]
async fn bodies_keep_up_and_addresses_share() {
    let form = async |mut visit: Visit| -> Result<Response<Body>, Failure> {
        // The time in which nobody reads does not count.
        tokio::time::sleep(Duration::from_millis(250)).await;
        let sent: Vec<(String, String)> = visit.form(4096).await?;
        Ok(html(format!("{} values", sent.len())))
    };
    let table = Table::from_toml("[routes.form]\npath = '/form'\npage = 'form'\nmethods = ['POST']").expect("a table");
    let site = Routed::new(Pages::new(()).page("form", form).bind(&table).expect("all pages"));
    // A fifth of a second, and as much more for each five bytes.
    let server = Server::new(site).bodies(Duration::from_millis(200), 25).connections_of_one_peer(3);
    let address = serve(server).await;
    let send = |pauses: u64| async move {
        let mut stream = TcpStream::connect(address).await.expect("a connection");
        let head = "POST /form HTTP/1.1\r\nHost: x\r\nConnection: close\r\nContent-Type: application/x-www-form-urlencoded\r\n";
        stream.write_all(format!("{head}Content-Length: 30\r\n\r\n").as_bytes()).await.expect("sent");
        for _ in 0..6 {
            tokio::time::sleep(Duration::from_millis(pauses)).await;
            // It may have been broken off.
            let _ = stream.write_all(b"ab=c&").await;
        }
        let mut read = String::new();
        let _ = stream.read_to_string(&mut read).await;
        read
    };
    let (steady, slow) = tokio::join!(send(60), send(900));
    assert!(steady.starts_with("HTTP/1.1 200 ") && steady.ends_with("6 values"), "{steady}");
    assert!(slow.starts_with("HTTP/1.1 408 ") && slow.contains("too slowly"), "{slow}");

    let open = futures_util::future::join_all((0..3).map(|_| TcpStream::connect(address))).await;
    // The three are counted once the server has seen them; the fourth is closed without a word.
    let get = "GET /form HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n";
    let mut fourth = raw(address, get).await;
    assert_eq!(fourth, "");
    drop(open);
    for _ in 0..100 {
        fourth = raw(address, get).await;
        if !fourth.is_empty() {
            break;
        }
    }
    assert!(fourth.starts_with("HTTP/1.1 405 "), "{fourth}");
}
