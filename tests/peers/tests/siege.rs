//! Clients that want the server's places and memory, not its pages: each pattern is let go in time, whatever it sends, and ordinary
//! requests are answered meanwhile. All of it stays on this machine, and ends by itself.

use std::net::SocketAddr;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering::Relaxed};
use std::time::Duration;

use futures_util::future::join_all;
use http::Response;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};
use tokio::time::{Instant, sleep, timeout};
use vivid_lane::Table;
use vivid_lane_http::{Body, Failure, Pages, Routed, Server, Visit, html};

/// How large the page is that some ask for and do not read: more than the buffers of both systems hold.
const LARGE: usize = 24 * 1024 * 1024;
/// How long a client may say nothing, or take nothing.
const HEAD: Duration = Duration::from_millis(1500);
const ANSWER: Duration = Duration::from_millis(1500);
/// When all must have been let go. Machines are slow at times, so this is no measure of the server.
const LATEST: Duration = Duration::from_secs(60);

async fn site(
    server: impl FnOnce(Server<Routed<vivid_lane_http::Handler>>) -> Server<Routed<vivid_lane_http::Handler>>,
) -> SocketAddr {
    let table = r#"
        [routes.home]
        path = "/"
        page = "home"
        [routes.large]
        path = "/large"
        page = "large"
        [routes.form]
        path = "/form"
        page = "form"
        methods = ["POST"]
        [routes.events]
        path = "/events"
        page = "events"
    "#;
    let form = async |mut visit: Visit| -> Result<Response<Body>, Failure> {
        let sent: Vec<(String, String)> = visit.form(4096).await?;
        Ok(html(format!("{} values", sent.len())))
    };
    let pages = Pages::new(())
        .page("home", async |_: Visit| html("welcome"))
        .page("large", async |_: Visit| Response::new(Body::from(vec![b'x'; LARGE])))
        .page("form", form)
        .page("events", async |_: Visit| {
            let (sender, body) = http_body_util::Channel::<bytes::Bytes, std::convert::Infallible>::new(1);
            std::mem::forget(sender);
            Response::new(Body::new(body))
        });
    let routed = Routed::new(pages.bind(&Table::from_toml(table).expect("a table")).expect("all pages"));
    let short = Server::new(routed).heads(0, HEAD).bodies(HEAD, 4096).answers(ANSWER, 64 * 1024);
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = listener.local_addr().expect("an address");
    tokio::spawn(server(short).run(listener, std::future::pending()));
    address
}

/// What a client does, one after the other; then it waits for the end.
enum Act {
    Say(Vec<u8>),
    /// The same bytes again and again, with a pause of this many milliseconds.
    Drip(Vec<u8>, u64),
    /// It reads nothing for this many milliseconds.
    Stare(u64),
    /// It reads this many bytes after each pause, fifty times.
    Sip(usize, u64),
    /// It says that nothing more comes.
    HalfClose,
}
use Act::{Drip, HalfClose, Say, Sip, Stare};

/// How it ends for a client.
enum End {
    /// The connection is closed; any answer will do.
    LetGo,
    /// The answer begins with this text.
    Answered(&'static str),
    /// It is cut off in the middle of a body.
    CutOff,
}
use End::{Answered, CutOff, LetGo};

fn say(text: &str) -> Act {
    Say(text.as_bytes().to_vec())
}

fn post(fields: &str, body: &str) -> Act {
    let kind = "Content-Type: application/x-www-form-urlencoded";
    say(&format!("POST /form HTTP/1.1\r\nHost: x\r\nConnection: close\r\n{kind}\r\n{fields}\r\n\r\n{body}"))
}

/// A frame of HTTP/2 (RFC 9113, section 4.1).
fn frame(kind: u8, flags: u8, stream: u32, payload: &[u8]) -> Vec<u8> {
    let length = u32::try_from(payload.len()).expect("a length").to_be_bytes();
    [&length[1..], &[kind, flags], &stream.to_be_bytes(), payload].concat()
}

/// The beginning of a connection of HTTP/2, with settings.
fn preface(settings: &[(u16, u32)]) -> Vec<u8> {
    let settings: Vec<u8> =
        settings.iter().flat_map(|(id, value)| [&id.to_be_bytes()[..], &value.to_be_bytes()].concat()).collect();
    [&b"PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n"[..], &frame(4, 0, 0, &settings)].concat()
}

/// The fields of a request, for `HEADERS`: indexed by the static table (RFC 7541, appendix A).
fn fields(path: &str) -> Vec<u8> {
    [&[0x82, 0x86, 0x04, u8::try_from(path.len()).expect("short")], path.as_bytes(), &[0x01, 1, b'x']].concat()
}

/// A request of HTTP/2 without a body.
fn ask(stream: u32, path: &str) -> Vec<u8> {
    frame(1, 0x05, stream, &fields(path))
}

fn streams(count: u32, path: &str) -> Vec<u8> {
    (0..count).flat_map(|number| ask(2 * number + 1, path)).collect()
}

fn patterns() -> Vec<(&'static str, Vec<Act>, End)> {
    const GET: &str = "GET / HTTP/1.1\r\nHost: x\r\n\r\n";
    const CLOSE: &str = "GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n";
    const LARGE: &str = "GET /large HTTP/1.1\r\nHost: x\r\n\r\n";
    let many_fields: String = (0..2000).map(|at| format!("x-{at}: y\r\n")).collect();
    let long = "a".repeat(100_000);
    let huge_fields: Vec<u8> =
        (0..40).flat_map(|_| [&[0, 1, b'x', 0x7f, 0x81, 0x0e][..], &[b'y'; 2048]].concat()).collect();
    let no_window = [(4, 0)];
    vec![
        // Heads that never end.
        ("silence", vec![], LetGo),
        ("one byte", vec![say("G")], LetGo),
        ("a request line", vec![say("GET / HTTP/1.1\r\n")], LetGo),
        ("a head without an end", vec![say("GET / HTTP/1.1\r\nHost: x\r\n")], LetGo),
        ("a byte at a time", vec![say("GET /"), Drip(b"a".to_vec(), 50)], LetGo),
        ("a field at a time", vec![say("GET / HTTP/1.1\r\n"), Drip(b"x: y\r\n".to_vec(), 50)], LetGo),
        ("empty lines", vec![Drip(b"\r\n".to_vec(), 50)], LetGo),
        ("a request, then silence", vec![say(GET)], Answered("HTTP/1.1 200 ")),
        (
            "a request, then half of one",
            vec![say(GET), Stare(50), say("GET / HTTP/1.1\r\nHo")],
            Answered("HTTP/1.1 200 "),
        ),
        ("a request, then empty lines", vec![say(GET), Drip(b"\r\n".to_vec(), 50)], Answered("HTTP/1.1 200 ")),
        ("half closed in a head", vec![say("GET / HTTP/1.1\r\nHo"), HalfClose], LetGo),
        ("half closed before all", vec![HalfClose], LetGo),
        ("half closed after a request", vec![say(CLOSE), HalfClose], LetGo),
        // What is no request.
        ("garbage", vec![Say((0..=255).collect())], LetGo),
        ("a handshake of TLS", vec![Say(b"\x16\x03\x01\x02\0\x01\0\x01\xfc\x03\x03".to_vec())], LetGo),
        ("zeros", vec![Say(vec![0; 10_000])], LetGo),
        ("an unknown version", vec![say("GET / HTTP/9.9\r\nHost: x\r\n\r\n")], Answered("HTTP/1.1 ")),
        ("no version", vec![say("GET /\r\n\r\n")], LetGo),
        ("no host", vec![say("GET / HTTP/1.1\r\nConnection: close\r\n\r\n")], Answered("HTTP/1.1 400 ")),
        (
            "two hosts",
            vec![say("GET / HTTP/1.1\r\nHost: x\r\nHost: y\r\nConnection: close\r\n\r\n")],
            Answered("HTTP/1.1 400 "),
        ),
        ("a space before the colon", vec![say("GET / HTTP/1.1\r\nHost : x\r\n\r\n")], Answered("HTTP/1.1 400 ")),
        ("a folded field", vec![say("GET / HTTP/1.1\r\nHost: x\r\nx: y\r\n z\r\n\r\n")], Answered("HTTP/1.1 400 ")),
        (
            "CONNECT",
            vec![say("CONNECT elsewhere:25 HTTP/1.1\r\nHost: elsewhere:25\r\nConnection: close\r\n\r\n")],
            Answered("HTTP/1.1 4"),
        ),
        // Too much of a head.
        (
            "a long target",
            vec![say(&format!("GET /{} HTTP/1.1\r\nHost: x\r\n\r\n", "a".repeat(7000)))],
            Answered("HTTP/1.1 404 "),
        ),
        ("a huge target", vec![say(&format!("GET /{long} HTTP/1.1\r\nHost: x\r\n\r\n"))], Answered("HTTP/1.1 4")),
        (
            "a huge field",
            vec![say(&format!("GET / HTTP/1.1\r\nHost: x\r\nx: {long}\r\n\r\n"))],
            Answered("HTTP/1.1 431 "),
        ),
        (
            "many fields",
            vec![say(&format!("GET / HTTP/1.1\r\nHost: x\r\n{many_fields}\r\n"))],
            Answered("HTTP/1.1 431 "),
        ),
        // Bodies.
        ("a length that is no number", vec![post("Content-Length: ten", "a=b")], Answered("HTTP/1.1 400 ")),
        ("two lengths", vec![post("Content-Length: 3\r\nContent-Length: 4", "a=b")], Answered("HTTP/1.1 400 ")),
        (
            "a length that is too large",
            vec![post("Content-Length: 99999999999999999999999", "a=b")],
            Answered("HTTP/1.1 400 "),
        ),
        ("a coding that is unknown", vec![post("Transfer-Encoding: x", "a=b")], Answered("HTTP/1.1 400 ")),
        ("chunked twice", vec![post("Transfer-Encoding: chunked, x", "a=b")], Answered("HTTP/1.1 400 ")),
        (
            "a chunk without a size",
            vec![post("Transfer-Encoding: chunked", "zz\r\na=b\r\n0\r\n\r\n")],
            Answered("HTTP/1.1 400 "),
        ),
        (
            "a chunk of a huge size",
            vec![post("Transfer-Encoding: chunked", "fffffffffffffffffff\r\na")],
            Answered("HTTP/1.1 400 "),
        ),
        (
            "a chunk without its end",
            vec![post("Transfer-Encoding: chunked", "3\r\na=bXX0\r\n\r\n")],
            Answered("HTTP/1.1 400 "),
        ),
        (
            "a chunk's extension without an end",
            vec![post("Transfer-Encoding: chunked", "3;"), Drip(b"x".to_vec(), 50)],
            Answered("HTTP/1.1 408 "),
        ),
        ("a body that ends early", vec![post("Content-Length: 9", "a=b"), HalfClose], Answered("HTTP/1.1 400 ")),
        ("a body that does not come", vec![post("Content-Length: 9", "")], Answered("HTTP/1.1 408 ")),
        (
            "a body that is waited for",
            vec![post("Content-Length: 9\r\nExpect: 100-continue", "")],
            Answered("HTTP/1.1 100 "),
        ),
        (
            "a body a byte at a time",
            vec![post("Content-Length: 4000", ""), Drip(b"a".to_vec(), 50)],
            Answered("HTTP/1.1 408 "),
        ),
        (
            "a body of trailers",
            vec![post("Transfer-Encoding: chunked", "0\r\n"), Drip(b"x: y\r\n".to_vec(), 50)],
            Answered("HTTP/1.1 4"),
        ),
        // Answers that nobody reads.
        ("a page unread", vec![say(LARGE), Stare(6000)], CutOff),
        ("a page in sips", vec![say(LARGE), Sip(1024, 50)], CutOff),
        ("many pages unread", vec![say(&LARGE.repeat(100)), Stare(6000)], LetGo),
        ("many small answers unread", vec![say(&GET.repeat(2000)), Stare(6000)], LetGo),
        ("a page unread, half closed", vec![say(LARGE), HalfClose, Stare(6000)], LetGo),
        // HTTP/2.
        ("half a preface", vec![say("PRI * HTTP/2.0\r\n")], LetGo),
        ("a preface alone", vec![say("PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n")], LetGo),
        ("settings alone", vec![Say(preface(&[]))], LetGo),
        ("settings and pings", vec![Say(preface(&[])), Drip(frame(6, 0, 0, &[0; 8]), 20)], LetGo),
        ("many settings", vec![Say(preface(&[])), Say(frame(4, 0, 0, &[]).repeat(20_000)), Stare(6000)], LetGo),
        ("a request, then nothing", vec![Say([preface(&[]), ask(1, "/")].concat())], LetGo),
        (
            "a head in parts without an end",
            vec![
                Say([preface(&[]), frame(1, 1, 1, &fields("/"))].concat()),
                Drip(frame(9, 0, 1, &[0, 1, b'x', 1, b'y']), 50),
            ],
            LetGo,
        ),
        (
            "a head that is too large",
            vec![
                Say([preface(&[]), frame(1, 1, 1, &fields("/"))].concat()),
                Say(frame(9, 0, 1, &huge_fields[..16_000])),
                Say(frame(9, 4, 1, &huge_fields[16_000..32_000])),
            ],
            LetGo,
        ),
        (
            "streams without a window",
            vec![Say([preface(&no_window), streams(100, "/large")].concat()), Stare(6000)],
            LetGo,
        ),
        (
            "streams with a window of one byte",
            vec![Say([preface(&[(4, 1)]), streams(100, "/large")].concat()), Stare(6000)],
            LetGo,
        ),
        (
            "small pages without a window",
            vec![Say([preface(&no_window), streams(100, "/")].concat()), Stare(6000)],
            LetGo,
        ),
        (
            "events without a window, and pings",
            vec![Say([preface(&no_window), streams(100, "/large")].concat()), Drip(frame(6, 0, 0, &[0; 8]), 20)],
            LetGo,
        ),
        (
            "more streams than there may be",
            vec![Say([preface(&[]), streams(2000, "/large")].concat()), Stare(6000)],
            LetGo,
        ),
        (
            "streams that are taken back",
            vec![Say([
                preface(&[]),
                (0..2000)
                    .flat_map(|at| [ask(2 * at + 1, "/"), frame(3, 0, 2 * at + 1, &[0, 0, 0, 8])].concat())
                    .collect(),
            ]
            .concat())],
            LetGo,
        ),
        ("data for no stream", vec![Say([preface(&[]), frame(0, 0, 0, b"x")].concat())], LetGo),
        ("a frame that is too large", vec![Say([preface(&[]), frame(0, 0, 1, &[0; 70_000])].concat())], LetGo),
        ("a window beyond all", vec![Say([preface(&[]), frame(8, 0, 0, &[0x7f, 0xff, 0xff, 0xff])].concat())], LetGo),
        (
            "a body that does not come, in HTTP/2",
            vec![Say([preface(&[]), frame(1, 4, 1, &[&[0x83], &fields("/form")[1..]].concat())].concat())],
            LetGo,
        ),
    ]
}

/// Plays a pattern, and gives what was read; an error if the connection was still there at the latest.
async fn play(address: SocketAddr, acts: &[Act]) -> Result<Vec<u8>, &'static str> {
    let stream = TcpStream::connect(address).await.expect("a connection");
    let (mut reader, mut writer) = stream.into_split();
    let mut read = Vec::new();
    let latest = Instant::now() + LATEST;
    let mut buffer = vec![0; 64 * 1024];
    for act in acts {
        match act {
            // It may have been let go already, and be unable to write while nobody reads.
            Say(bytes) => drop(timeout(Duration::from_secs(2), writer.write_all(bytes)).await),
            HalfClose => drop(writer.shutdown().await),
            Stare(millis) => sleep(Duration::from_millis(*millis)).await,
            Drip(bytes, pause) => loop {
                if Instant::now() > latest {
                    return Err("it may go on for good");
                }
                let _ = writer.write_all(bytes).await;
                match timeout(Duration::from_millis(*pause), reader.read(&mut buffer)).await {
                    Ok(Ok(0) | Err(_)) => return Ok(read),
                    Ok(Ok(bytes)) => read.extend_from_slice(&buffer[..bytes]),
                    Err(_) => {}
                }
            },
            Sip(bytes, pause) => {
                for _ in 0..50 {
                    sleep(Duration::from_millis(*pause)).await;
                    match reader.read(&mut buffer[..*bytes]).await {
                        Ok(0) | Err(_) => return Ok(read),
                        Ok(bytes) => read.extend_from_slice(&buffer[..bytes]),
                    }
                }
            }
        }
    }
    loop {
        match tokio::time::timeout_at(latest, reader.read(&mut buffer)).await {
            Ok(Ok(0) | Err(_)) => return Ok(read),
            Ok(Ok(bytes)) => read.extend_from_slice(&buffer[..bytes]),
            Err(_) => return Err("it is still there"),
        }
    }
}

/// An ordinary request, which is answered in time.
async fn is_answered(address: SocketAddr) -> bool {
    let acts = [say("GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n")];
    let answer = timeout(LATEST, play(address, &acts)).await;
    answer.is_ok_and(|read| read.is_ok_and(|read| read.ends_with(b"welcome")))
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn nobody_holds_the_server() {
    let patterns = patterns();
    assert!(patterns.len() >= 40, "{}", patterns.len());
    // Fewer places than there are clients.
    let address = site(|server| server.connections(40)).await;
    let played = join_all(patterns.iter().map(|(_, acts, _)| play(address, acts)));
    let ordinary = async {
        for _ in 0..20 {
            assert!(is_answered(address).await, "an ordinary request");
        }
    };
    let (played, ()) = tokio::join!(played, ordinary);
    let mut wrong = Vec::new();
    for ((name, _, end), read) in patterns.iter().zip(played) {
        let is_right = match (end, &read) {
            (_, Err(_)) => false,
            (LetGo, Ok(_)) => true,
            (Answered(start), Ok(read)) => read.starts_with(start.as_bytes()),
            (CutOff, Ok(read)) => read.starts_with(b"HTTP/1.1 200 ") && read.len() < LARGE,
        };
        if !is_right {
            let said = read.map(|read| String::from_utf8_lossy(&read[..read.len().min(60)]).into_owned());
            wrong.push(format!("{name}: {said:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(is_answered(address).await, "afterwards");
}

/// What waits to be read has a bound on one connection, and on all together.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_nobody_reads_is_bounded() {
    let made = Arc::new(AtomicUsize::new(0));
    let count = Arc::clone(&made);
    let table = Table::from_toml("[routes.large]\npath = '/'\npage = 'large'").expect("a table");
    let large = move |_: Visit| {
        count.fetch_add(1, Relaxed);
        async { Response::new(Body::from(vec![b'x'; LARGE / 8])) }
    };
    let routed = Routed::new(Pages::new(()).page("large", large).bind(&table).expect("all pages"));
    let listener = TcpListener::bind("127.0.0.1:0").await.expect("a port");
    let address = listener.local_addr().expect("an address");
    let server = Server::new(routed).unread(LARGE);
    tokio::spawn(server.run(listener, std::future::pending()));

    let mut unread = TcpStream::connect(address).await.expect("a connection");
    unread.write_all(&[preface(&[(4, 0)]), streams(100, "/")].concat()).await.expect("sent");
    // Eight are all that is held, and each connection has sixteen places.
    for _ in 0..2000 {
        if made.load(Relaxed) >= 16 {
            break;
        }
        sleep(Duration::from_millis(10)).await;
    }
    sleep(Duration::from_millis(300)).await;
    let get = say("GET / HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n");
    let refused = play(address, std::slice::from_ref(&get)).await.expect("an end");
    let refused = String::from_utf8_lossy(&refused).into_owned();
    assert!(refused.starts_with("HTTP/1.1 503 ") && refused.contains("retry-after: 10"), "{refused}");
    drop(unread);
    for _ in 0..2000 {
        let answer = play(address, std::slice::from_ref(&get)).await.expect("an end");
        if answer.starts_with(b"HTTP/1.1 200 ") {
            return assert!(answer.len() > LARGE / 8, "{}", answer.len());
        }
        sleep(Duration::from_millis(10)).await;
    }
    panic!("what was held is not given back");
}
