//! `serve` over real connections.

#[path = "support/server.rs"]
mod server;
#[allow(dead_code, reason = "the other calls of the tool are tested elsewhere")]
mod support;

use std::io::{Read, Write};
use std::net::TcpStream;
use std::time::{Duration, Instant};

use proptest::prelude::*;
use server::{Server, serve};
use support::{DEMO, file};

const TOOL: &str = env!("CARGO_BIN_EXE_vivid-lane");

struct Answer {
    status: u16,
    fields: ureq::http::HeaderMap,
    body: String,
}

impl Answer {
    fn field(&self, name: &str) -> &str {
        self.fields.get(name).map_or("", |value| value.to_str().expect("ASCII"))
    }
}

fn read(response: Result<ureq::http::Response<ureq::Body>, ureq::Error>) -> Answer {
    let mut response = response.expect("an answer");
    let body = response.body_mut().read_to_string().expect("a body");
    Answer { status: response.status().as_u16(), fields: response.headers().clone(), body }
}

fn agent() -> ureq::Agent {
    ureq::Agent::config_builder().max_redirects(0).http_status_as_error(false).build().into()
}

fn get(server: &Server, url: &str, cookie: &str) -> Answer {
    read(agent().get(format!("{}{url}", server.url)).header("cookie", cookie).call())
}

/// Sends bytes as they are, and gives back what comes.
fn send(server: &Server, bytes: &[u8]) -> String {
    let mut stream = TcpStream::connect(server.url.trim_start_matches("http://")).expect("a connection");
    stream.set_read_timeout(Some(Duration::from_secs(20))).expect("a limit");
    // The server may hang up before all is sent.
    let _ = stream.write_all(bytes);
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    String::from_utf8_lossy(&answer).into_owned()
}

/// The observers of the demo, as the tool is given them.
const OBSERVERS: &str = concat!("observers=", env!("CARGO_MANIFEST_DIR"), "/demo/larkfell/observers.txt");

#[test]
fn every_decision_has_its_status_and_sign_in_leads_back() {
    let server = serve(TOOL, DEMO, &["--list", OBSERVERS]);
    let cases = [
        ("/nights/2031-04-02", 200, ""),
        ("//nights/", 308, "/nights"),
        ("/night.cgi?d=2031-04-02", 301, "/nights/2031-04-02"),
        ("/nihgts", 404, ""),
        ("/observers/nobody", 404, ""),
        ("/%zz", 400, ""),
        ("/-/try?url=/nihgts", 200, ""),
    ];
    for (url, status, location) in cases {
        let answer = get(&server, url, "");
        assert_eq!((answer.status, answer.field("location")), (status, location), "{url}");
    }
    assert!(get(&server, "/nihgts", "").body.contains("<code>nights</code> for <code>nihgts</code>"));
    let wanted = "/observers/ada/logbook/2031";
    let refused = get(&server, wanted, "");
    assert_eq!(refused.status, 303);
    let form = get(&server, refused.field("location"), "");
    assert!(form.status == 200 && form.body.contains("name=\"need\" value=\"observer\""), "{}", form.body);
    let post =
        |sent: &[(&str, &str)]| read(agent().post(format!("{}/-/session", server.url)).send_form(sent.iter().copied()));
    let signed_in = post(&[("need", "observer"), ("return", wanted)]);
    assert_eq!((signed_in.status, signed_in.field("location")), (303, wanted));
    let cookie = signed_in.field("set-cookie").split(';').next().expect("a value").to_owned();
    assert!(signed_in.field("set-cookie").contains("HttpOnly; SameSite=Lax"));
    assert_eq!(get(&server, wanted, &cookie).status, 200);
    let out = agent().post(format!("{}/-/session", server.url)).header("cookie", &cookie).send_form([("return", "/")]);
    assert!(read(out).field("set-cookie").contains("Max-Age=0"));
    assert_eq!(get(&server, wanted, &cookie).status, 303, "signed out");
    assert_eq!(get(&server, wanted, "session=observer").status, 303, "a token that nobody was given");
    for elsewhere in ["https://evil.example/", "//evil.example", "/\\evil.example", "/nihgts", "javascript:alert(1)"] {
        assert_eq!(post(&[("need", "observer"), ("return", elsewhere)]).field("location"), "/", "{elsewhere}");
    }
}

#[test]
fn what_is_too_large_is_refused() {
    let server = serve(TOOL, DEMO, &[]);
    let long = send(
        &server,
        format!("GET /{} HTTP/1.1\r\nhost: localhost\r\nconnection: close\r\n\r\n", "a".repeat(9000)).as_bytes(),
    );
    assert!(long.starts_with("HTTP/1.1 414 "), "{long}");
    let huge =
        send(&server, format!("GET / HTTP/1.1\r\nhost: localhost\r\nx: {}\r\n\r\n", "a".repeat(1 << 20)).as_bytes());
    assert!(huge.is_empty() || huge.starts_with("HTTP/1.1 431 "), "{huge}");
    let form = format!("need=observer&x={}", "a".repeat(1 << 20));
    let head = format!(
        "POST /-/session HTTP/1.1\r\nhost: localhost\r\nconnection: close\r\ncontent-length: {}\r\n\r\n",
        form.len()
    );
    let refused = send(&server, (head + &form).as_bytes());
    assert!(refused.is_empty() || refused.starts_with("HTTP/1.1 413 "), "{refused}");
    assert!(!refused.contains("set-cookie"), "{refused}");
    let garbage = send(&server, b"\x16\x03\x01 nonsense\r\n\r\n");
    assert!(garbage.starts_with("HTTP/1.1 400 "), "{garbage}");
}

#[test]
fn a_request_names_one_host_and_changes_come_from_this_site() {
    let server = serve(TOOL, DEMO, &["--list", OBSERVERS]);
    for head in ["", "host: a\r\nhost: b\r\n", "host: a b\r\n", "host: u@a\r\n"] {
        for path in ["/nights", "/-/try", "/-/session"] {
            let answer = send(&server, format!("GET {path} HTTP/1.1\r\n{head}connection: close\r\n\r\n").as_bytes());
            assert!(answer.starts_with("HTTP/1.1 400 "), "{path} {head}: {answer}");
        }
    }
    // Neither signing in nor signing out is another site's business.
    let post = |name: &str, value: &str, cookie: &str| {
        let request = agent().post(format!("{}/-/session", server.url)).header(name, value).header("cookie", cookie);
        read(request.send_form([("need", "observer")]))
    };
    let own = post("sec-fetch-site", "same-origin", "");
    let cookie = own.field("set-cookie").split(';').next().expect("a value").to_owned();
    let wanted = "/observers/ada/logbook/2031";
    assert_eq!(get(&server, wanted, &cookie).status, 200);
    for (name, value) in
        [("sec-fetch-site", "cross-site"), ("sec-fetch-site", "same-site"), ("origin", "https://evil.example")]
    {
        let refused = post(name, value, &cookie);
        assert_eq!((refused.status, refused.field("set-cookie")), (403, ""), "{value}");
    }
    // A form that is too large signs nobody out.
    let large = agent().post(format!("{}/-/session", server.url)).header("cookie", &cookie);
    assert_eq!(read(large.send_form([("x", "a".repeat(20_000).as_str())])).status, 413);
    assert_eq!(get(&server, wanted, &cookie).status, 200, "still signed in");
    // What is no token of this server's run means nothing, wherever it comes from.
    let token = cookie.strip_prefix("session=").expect("a token");
    for forged in [format!("{token}0"), token[1..].to_owned(), token.to_uppercase(), String::new(), "\"".to_owned()] {
        assert_eq!(get(&server, wanted, &format!("session={forged}")).status, 303, "{forged}");
    }
    assert_eq!(get(&server, wanted, &format!("other=1; {cookie}")).status, 200);
}

/// Who does not finish a head or a body is hung up on, and meanwhile hinders nobody.
#[test]
fn who_is_slow_is_not_waited_for() {
    let server = serve(TOOL, DEMO, &[]);
    let head = "POST /-/session HTTP/1.1\r\nhost: localhost\r\ncontent-length: 1000\r\n\r\nneed=";
    let start = Instant::now();
    let slow: Vec<_> = std::thread::scope(|scope| {
        let all: Vec<_> = (0..20).map(|_| scope.spawn(|| send(&server, head.as_bytes()))).collect();
        let no_end = scope.spawn(|| send(&server, b"GET / HTTP/1.1\r\nhost: localhost\r\n"));
        assert_eq!(get(&server, "/", "").status, 200);
        no_end.join().expect("an end");
        all.into_iter().map(|one| one.join().expect("an end")).collect()
    });
    assert!(start.elapsed() < Duration::from_secs(19), "the server waits for ever");
    for answer in slow {
        assert!(answer.starts_with("HTTP/1.1 408 ") && !answer.contains("set-cookie"), "{answer}");
    }
}

/// The page to try URLs in answers for any visitor, makes links, finds routes, and gives its answer to programs, too.
#[test]
fn urls_are_tried_and_links_are_made() {
    let server = serve(TOOL, DEMO, &["--list", OBSERVERS]);
    let page = |query: &str| get(&server, &format!("/-/try?{query}"), "").body.replace("&#x2f;", "/");
    let json = |query: &str| -> serde_json::Value {
        let answer = get(&server, &format!("/-/try?as=json&{query}"), "");
        assert_eq!(answer.field("content-type"), "application/json");
        serde_json::from_str(&answer.body).expect("JSON")
    };
    // As the tool says it.
    let run = support::demo("--format json match --explain /plates/b-10");
    assert_eq!(json("url=/plates/b-10"), serde_json::from_str::<serde_json::Value>(&run.out).expect("JSON"));
    // Values of a list, and needs, as they are typed.
    assert_eq!(json("url=/observers/eve/logbook")["status"], 404);
    assert_eq!(json("url=/observers/eve/logbook&list.observers=bob+eve")["status"], 303);
    assert_eq!(json("url=/observers/eve/logbook&list.observers=bob+eve&meets=observer")["status"], 200);
    // A redirect shows where it leads, with the values; what is missing lights the way to it.
    let redirect = page("url=/night.cgi?d%3D2031-04-02");
    assert!(
        redirect.contains("<th>there</th><td><code>nights.night</code>, date = <code>2031-04-02</code>"),
        "{redirect}"
    );
    assert!(redirect.contains("<title>301 /night.cgi?d=2031-04-02 · Try URLs</title>"), "{redirect}");
    let lit = |body: &str| body.matches("class=\"row lit\"").count();
    assert_eq!(
        (lit(&redirect), lit(&page("url=/plates/nothing")), lit(&page("url=/nights/2031-04-02/report"))),
        (1, 1, 3)
    );
    // A link, and what keeps one from being made, at its field.
    let made = page("link=plates&p.band=b%0D%0Av");
    assert!(
        made.contains("<a href=\"/plates?band=b&amp;band=v\">") && made.contains("class=\"status good\">200"),
        "{made}"
    );
    for (query, reason) in [
        ("link=nights.night&p.date=2031-02-30", "refused <code>2031-02-30</code>: no such day"),
        ("link=nights.night", "needs a value for <code>date</code>"),
        ("link=objects.object&p.object=tonight", "<code>objects.tonight</code>"),
        ("link=nights.nigth", "did you mean <code>nights.night</code>?"),
    ] {
        let refused = page(query);
        let is_marked = refused.contains("aria-invalid=\"true\"");
        assert!(refused.contains(reason) && is_marked == query.starts_with("link=nights.night"), "{query}: {refused}");
    }
    assert!(
        page("").contains("<span class=\"note\">note</span>: a link to <code>objects.object</code> can be captured")
    );
    let place = page("")
        .split("routes.toml, line 73 · ")
        .nth(1)
        .map(|rest| rest.split("</a>").next().unwrap_or(rest).to_owned());
    assert!(place.is_some_and(|link| link.contains("#captured-link") && link.ends_with("<code>captured-link</code>")));
    let found = page("find=INSTRUMENT");
    assert!(found.contains(">domes.dome.instrument<") && !found.contains(">talks<"), "{found}");
    // A host, where the table has any.
    let table = file("hosts.toml", b"[routes.club]\nhost = '{club}.example'\npath = '/'\npage = 'club'\n[routes.home]\npath = '/'\npage = 'home'\n");
    let hosts = serve(TOOL, table.to_str().expect("a path"), &[]);
    let route = |query: &str| get(&hosts, &format!("/-/try?as=json&{query}"), "").body;
    assert!(
        route("url=/&host=optics.example").contains("\"route\":\"club\"")
            && route("url=/").contains("\"route\":\"home\"")
    );
    // A script comes with this page alone.
    assert!(get(&server, "/-/try", "").field("content-security-policy").contains("script-src 'self'"));
    assert!(!get(&server, "/nights", "").field("content-security-policy").contains("script-src"));
    assert!(get(&server, "/-/try.js", "").body.contains("DOMParser"));
}

/// A large table is shown in parts.
#[test]
fn a_large_table_makes_no_large_pages() {
    let routes: String = (0..3_000).map(|at| format!("[routes.r{at}]\npath = '/r{at}'\npage = 'p{at}'\n")).collect();
    let path = file("large.toml", routes.as_bytes());
    let server = serve(TOOL, path.to_str().expect("UTF-8"), &[]);
    let page = get(&server, "/r7", "").body;
    assert!(
        page.len() < 20_000 && page.contains("<th>r100</th>") && page.contains("all routes"),
        "{} bytes",
        page.len()
    );
    let first = get(&server, "/-/try", "").body;
    assert!(first.len() < 100_000 && first.contains("routes 1 to 200 of 3000"), "{} bytes", first.len());
    // The part with the route that was found, and the others around it.
    let found = get(&server, "/-/try?url=/r2222", "").body;
    assert!(found.contains("routes 2201 to 2400 of 3000") && found.contains(">r2222<"), "{found}");
    assert!(found.contains("href=\"/-/try?url=%2Fr2222&amp;from=2400\"") && found.contains("from=2000"), "{found}");
    assert!(get(&server, "/-/try?from=99999999999999", "").body.contains("of 3000"));
}

/// Waits until a page says something: the file system takes its time to tell of a save.
fn until(what: &str, mut is_so: impl FnMut() -> bool) {
    let start = Instant::now();
    while !is_so() {
        assert!(start.elapsed() < Duration::from_secs(20), "{what} never came");
        std::thread::sleep(Duration::from_millis(30));
    }
}

#[test]
fn a_save_is_a_new_table_and_a_broken_one_is_not() {
    let table = |path: &str| format!("[routes.talks]\npath = \"{path}\"\npage = \"talks\"\n");
    let path = file("served.toml", table("/talks").as_bytes());
    let server = serve(TOOL, path.to_str().expect("UTF-8"), &[]);
    assert_eq!(get(&server, "/talks", "").status, 200);
    file("served.toml", table("/lectures").as_bytes());
    until("the new table", || get(&server, "/lectures", "").status == 200);
    assert_eq!(get(&server, "/talks", "").status, 404);
    file("served.toml", table("lectures").as_bytes());
    until("the warning", || get(&server, "/-/try", "").body.contains("expected a path that starts with"));
    assert_eq!(get(&server, "/lectures", "").status, 200);
    file("served.toml", table("/talks").as_bytes());
    until("the mended table", || get(&server, "/talks", "").status == 200);
    assert!(!get(&server, "/-/try", "").body.contains("is broken"));
    // What cannot be read is told as well, and then that it can be read again, though it says what it said before.
    let told = |text: &str| get(&server, "/talks", "").body.contains(text);
    std::fs::remove_file(&path).expect("a file");
    until("word of the missing file", || told("served.toml"));
    std::fs::create_dir(&path).expect("a folder");
    until("word of the folder in its place", || told("directory"));
    std::fs::remove_dir(&path).expect("a folder");
    file("served.toml", table("/talks").as_bytes());
    until("the file again", || !told("served.toml is") && !told("cannot"));
    file("served.toml", b"[routes.talks]\npath = '/\xff'");
    until("word of what is no text", || told("UTF-8"));
    // The folder of a file that is included only now is watched.
    let folder = path.with_file_name("more");
    std::fs::create_dir_all(&folder).expect("a folder");
    let included = |path: &str| {
        std::fs::write(folder.join("more.toml"), format!("[routes.more]\npath = '{path}'\npage = 'more'\n"))
            .expect("a file");
    };
    included("/more");
    file(
        "served.toml",
        format!("{}[routes.all]\npath = '/all'\ninclude = 'more/more.toml'\n", table("/talks")).as_bytes(),
    );
    until("what is included", || get(&server, "/all/more", "").status == 200);
    included("/others");
    until("what is included now", || get(&server, "/all/others", "").status == 200);
}

#[test]
fn an_application_answers_every_page_with_the_right_status() {
    let folder = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join("app");
    std::fs::create_dir_all(folder.join("assets")).expect("a folder");
    std::fs::write(folder.join("index.html"), "<!DOCTYPE html><title>app</title>").expect("a file");
    std::fs::write(folder.join("assets/main.js"), "start()").expect("a file");
    let server = serve(TOOL, DEMO, &["--app", folder.to_str().expect("UTF-8")]);
    let cases = [
        ("/", 200, "text/html; charset=utf-8", "<title>app"),
        ("/nights/2031-04-02", 200, "text/html; charset=utf-8", "<title>app"),
        ("/nihgts", 404, "text/html; charset=utf-8", "<title>app"),
        ("/assets/main.js", 200, "text/javascript; charset=utf-8", "start()"),
        ("/assets/none.js", 404, "text/html; charset=utf-8", "<title>app"),
        ("/assets/%2e%2e/%2e%2e/Cargo.toml", 404, "text/html; charset=utf-8", "<title>app"),
        ("//nights/", 308, "", ""),
    ];
    for (url, status, kind, body) in cases {
        let answer = get(&server, url, "");
        assert_eq!(answer.status, status, "{url}");
        assert!(
            answer.body.contains(body) && (kind.is_empty() || answer.field("content-type") == kind),
            "{url}: {}",
            answer.body
        );
    }
    let none = support::tool(&["--table", DEMO, "serve", "--app", "no-such-folder"], b"");
    assert!(none.status == 2 && none.err.contains("cannot read"), "{}", none.err);
}

/// The names of the elements of a document, those of their attributes, and its text.
fn parsed(html: &str) -> (Vec<String>, String) {
    let (mut names, mut text) = (Vec::new(), String::new());
    for token in html5gum::Tokenizer::new(html) {
        match token.expect("a text can be read") {
            html5gum::Token::StartTag(tag) => {
                names.push(String::from_utf8_lossy(&tag.name).into_owned());
                names.extend(tag.attributes.keys().map(|name| format!("@{}", String::from_utf8_lossy(name))));
            }
            html5gum::Token::String(piece) => text.push_str(&String::from_utf8_lossy(&piece)),
            _ => {}
        }
    }
    (names, text)
}

#[test]
fn hostile_values_stay_text() {
    let server = serve(TOOL, DEMO, &[]);
    let plain: std::collections::BTreeSet<String> = [
        "/objects/moon",
        "/nihgts",
        "/-/try?url=/objects/moon",
        "/-/try?url=/nihgts",
        "/observers/sign-in?return=/",
        "/search?q=moon&page=2",
        "/-/try?link=plates&p.band=b",
        "/-/try?link=objects.object&p.object=tonight",
        "/-/try?link=plates&p.band=x",
        "/-/try?find=moon",
    ]
    .iter()
    .flat_map(|url| parsed(&get(&server, url, "").body).0)
    .collect();
    proptest!(ProptestConfig::with_cases(60), |(value in prop_oneof![
        Just("\"><script>alert(1)</script>".to_owned()),
        Just("' onmouseover='alert(1)".to_owned()),
        Just("</title><img src=x>{{ 1234*4321 }}".to_owned()),
        "[<>\"'&;{}%a-z/= ]{1,24}",
        "\\PC{1,12}",
    ])| {
        let escaped: String = value.bytes().map(|byte| format!("%{byte:02X}")).collect();
        let urls = [
            format!("/objects/{escaped}"), format!("/{escaped}"), format!("/-/try?url=/objects/{escaped}&method={escaped}&meets={escaped}"),
            format!("/-/try?url={escaped}&host={escaped}&list.observers={escaped}&as={escaped}&from={escaped}"),
            format!("/-/try?link=objects.object&p.object={escaped}"), format!("/-/try?link={escaped}&p.{escaped}={escaped}"),
            format!("/-/try?link=plates&p.band={escaped}"), format!("/-/try?find={escaped}"), format!("/observers/sign-in?return={escaped}"), format!("/search?q={escaped}"),
        ];
        for url in urls {
            let answer = get(&server, &url, &format!("session={escaped}"));
            let (names, text) = parsed(&answer.body);
            let odd: Vec<&String> = names.iter().filter(|name| !plain.contains(*name)).collect();
            prop_assert!(odd.is_empty(), "{:?} in {}", odd, url);
            prop_assert!(!text.contains("5332114"), "a template in a value was carried out");
        }
    });
}

/// A folder with an application.
fn app(name: &str) -> std::path::PathBuf {
    let folder = std::path::Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
    std::fs::create_dir_all(&folder).expect("a folder");
    std::fs::write(folder.join("index.html"), "<!doctype html><body><h1>app</h1></body>").expect("a file");
    std::fs::write(folder.join("main.js"), "1;").expect("a file");
    folder
}

#[test]
fn an_application_stands_below_its_base() {
    let table = file("based.toml", b"site.base = '/app'\n[routes.home]\npath = '/'\npage = 'home'\n[routes.night]\npath = '/{date}'\npage = 'night'\nparams.date = 'date'\n");
    let folder = app("based");
    let server = serve(TOOL, table.to_str().expect("a path"), &["--app", folder.to_str().expect("a path")]);
    for (url, status, body) in [
        ("/app/main.js", 200, "1;"),
        ("/app/2031-04-02", 200, "<h1>app</h1>"),
        ("/app/never", 404, "<h1>app</h1>"),
        ("/app", 200, "<h1>app</h1>"),
        ("/main.js", 404, "<h1>app</h1>"),
        ("/application/main.js", 404, "<h1>app</h1>"),
    ] {
        let answer = get(&server, url, "");
        assert!(answer.status == status && answer.body.contains(body), "{url}: {} {}", answer.status, answer.body);
    }
}

#[test]
fn an_application_asks_who_is_signed_in() {
    let folder = app("session");
    let server = serve(TOOL, DEMO, &["--app", folder.to_str().expect("a path")]);
    assert_eq!(get(&server, "/-/session", "").body, r#"{"needs":[]}"#);
    let send = |form: &str, cookie: &str| {
        let request = agent()
            .post(format!("{}/-/session", server.url))
            .header("accept", "application/json")
            .header("cookie", cookie);
        read(request.header("content-type", "application/x-www-form-urlencoded").send(form))
    };
    let answer = send("need=observer&need=unheard", "");
    assert_eq!((answer.status, answer.body.as_str(), answer.field("location")), (200, r#"{"needs":["observer"]}"#, ""));
    let cookie = answer.field("set-cookie").split(';').next().expect("a cookie").to_owned();
    // It survives a reload, and ends when it is asked to.
    assert_eq!(get(&server, "/-/session", &cookie).body, r#"{"needs":["observer"]}"#);
    assert_eq!(send("", &cookie).body, r#"{"needs":[]}"#);
    assert_eq!(get(&server, "/-/session", &cookie).body, r#"{"needs":[]}"#);
}

#[test]
fn requests_are_passed_on() {
    let behind = serve(TOOL, DEMO, &[]);
    let folder = app("proxied");
    let proxies = [
        format!("/api={}", behind.url),
        format!("/nights-of={}/nights", behind.url),
        "/gone=http://127.0.0.1:1".to_owned(),
    ];
    let mut more = vec!["--app", folder.to_str().expect("a path")];
    proxies.iter().for_each(|proxy| more.extend(["--proxy", proxy]));
    let server = serve(TOOL, DEMO, &more);
    // The path stays, or what was named takes the place of the prefix.
    let answer = get(&server, "/api/nights", "");
    assert!(answer.status == 404 && answer.field("via") == "1.1 vivid-lane", "{} {}", answer.status, answer.body);
    let answer = get(&server, "/nights-of/2031-04-02?more=1", "");
    assert!(answer.status == 200 && answer.body.contains("2031-04-02"), "{} {}", answer.status, answer.body);
    // What one connection says is not passed on, bodies are, and the host is that of the other server.
    let sent = send(&server, b"POST /nights-of/2031-04-02 HTTP/1.1\r\nHost: app.localhost\r\nConnection: close, x-own\r\nX-Own: 1\r\nContent-Length: 3\r\n\r\na=b");
    assert!(sent.starts_with("HTTP/1.1 405") && sent.contains("allow: GET"), "{sent}");
    let dots = send(&server, b"GET /nights-of/%2e%2e/plates HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n");
    assert!(dots.starts_with("HTTP/1.1 400") && dots.contains("dots"), "{dots}");
    let answer = get(&server, "/gone/x", "");
    assert!(
        answer.status == 502 && answer.body.contains("127.0.0.1:1 cannot be reached"),
        "{} {}",
        answer.status,
        answer.body
    );
    // Everything else is the application's.
    assert_eq!(get(&server, "/apis", "").body, "<!doctype html><body><h1>app</h1></body>");
    let run = support::tool(&["--table", DEMO, "serve", "--proxy", "/api=https://a.example"].map(str::to_owned), b"");
    assert!(run.status == 2 && run.err.contains("expected PATH=URL for `--proxy`"), "{}", run.err);
}

/// A name that leads here by another's doing gets nothing; a name given by `--host` is answered.
#[test]
fn only_known_hosts_are_answered() {
    let table = file(
        "hosts-known.toml",
        b"site.origin = 'https://larkfell.example'\n[routes.home]\npath = '/'\npage = 'home'\n",
    );
    let folder = app("hosts-known");
    let more = ["--host", "Known.example:8030", "--reload", "--app", folder.to_str().expect("a path")];
    let server = serve(TOOL, table.to_str().expect("a path"), &more);
    for (host, status) in [
        ("evil.example", 421),
        ("localhost.evil.example:8030", 421),
        ("known.example:1", 200),
        ("larkfell.example", 200),
        ("127.0.0.1", 200),
    ] {
        for path in ["/", "/main.js", "/-/session", "/-/try"] {
            let head = format!("GET {path} HTTP/1.1\r\nhost: {host}\r\nconnection: close\r\n\r\n");
            let answer = send(&server, head.as_bytes());
            assert!(answer.starts_with(&format!("HTTP/1.1 {status} ")), "{host} {path}: {answer}");
            assert_eq!(answer.contains("--host"), status == 421, "{answer}");
        }
    }
}

/// A large file goes out in pieces, whole; pages that wait for changes leave room for others, and their places are given back.
#[test]
fn files_are_streamed_and_waiting_pages_leave_room() {
    let folder = app("large");
    let large: Vec<u8> = (0..9_000_001_usize).map(|at| (at % 251) as u8).collect();
    std::fs::write(folder.join("large.bin"), &large).expect("a file");
    let server = serve(TOOL, DEMO, &["--reload", "--app", folder.to_str().expect("a path")]);
    let mut answer = agent().get(format!("{}/large.bin", server.url)).call().expect("an answer");
    assert_eq!(answer.headers()["content-length"], "9000001");
    let read = answer.body_mut().with_config().limit(20_000_000).read_to_vec().expect("a body");
    assert!(read == large, "{} bytes", read.len());

    let wait = || {
        let mut stream = TcpStream::connect(server.url.trim_start_matches("http://")).expect("a connection");
        stream.write_all(b"GET /-/changes HTTP/1.1\r\nHost: localhost\r\n\r\n").expect("it is sent");
        let mut status = [0; 12];
        stream.read_exact(&mut status).expect("an answer");
        (stream, String::from_utf8_lossy(&status).into_owned())
    };
    for _ in 0..3 {
        let mut waiting = Vec::new();
        until("64 places", || {
            waiting = (0..64).map(|_| wait()).collect();
            waiting.iter().all(|(_, status)| status == "HTTP/1.1 200")
        });
        assert_eq!(wait().1, "HTTP/1.1 503");
        assert_eq!(get(&server, "/nights", "").status, 200);
    }
}

/// The other server learns which host was asked, in both words for it, and what a visitor says of it means nothing.
#[test]
fn the_other_server_learns_the_host() {
    let behind = std::net::TcpListener::bind("127.0.0.1:0").expect("a port");
    let proxy = format!("/api=http://{}", behind.local_addr().expect("an address"));
    let server = serve(TOOL, DEMO, &["--proxy", &proxy]);
    let asked = std::thread::spawn(move || {
        let (mut stream, _) = behind.accept().expect("a connection");
        let mut heard = String::new();
        let mut buffer = [0; 4096];
        while !heard.ends_with("\r\n\r\n") {
            let bytes = stream.read(&mut buffer).expect("a head");
            heard.push_str(&String::from_utf8_lossy(&buffer[..bytes]));
        }
        stream.write_all(b"HTTP/1.1 204 No Content\r\n\r\n").expect("it is sent");
        heard
    });
    let head =
        b"GET /api/x HTTP/1.1\r\nHost: app.localhost:81\r\nX-Forwarded-Host: evil.example\r\nConnection: close\r\n\r\n";
    let answer = send(&server, head);
    assert!(answer.starts_with("HTTP/1.1 204"), "{answer}");
    let heard = asked.join().expect("a head").to_ascii_lowercase();
    assert!(heard.contains("x-forwarded-host: app.localhost:81\r\n") && !heard.contains("evil"), "{heard}");
    assert!(heard.contains("forwarded: host=\"app.localhost:81\";proto=http\r\n"), "{heard}");
}

#[test]
fn a_change_is_told_and_a_broken_table_is_shown() {
    let table = file("changing.toml", b"[routes.home]\npath = '/'\npage = 'home'\n");
    let folder = app("changing");
    let server = serve(TOOL, table.to_str().expect("a path"), &["--reload", "--app", folder.to_str().expect("a path")]);
    assert!(get(&server, "/", "").body.ends_with("<h1>app</h1><script src=\"/-/reload.js\"></script></body>"));
    assert!(get(&server, "/-/reload.js", "").body.contains("EventSource"));
    let mut events = TcpStream::connect(server.url.trim_start_matches("http://")).expect("a connection");
    events.set_read_timeout(Some(Duration::from_secs(20))).expect("a limit");
    events.write_all(b"GET /-/changes HTTP/1.1\r\nHost: localhost\r\n\r\n").expect("it is sent");
    let mut heard = String::new();
    let mut wait_for = |wanted: &str| {
        let start = Instant::now();
        while !heard.contains(wanted) {
            assert!(start.elapsed() < Duration::from_secs(20), "`{wanted}` is not in {heard}");
            let mut buffer = [0; 1024];
            let count = events.read(&mut buffer).expect("more comes");
            heard.push_str(&String::from_utf8_lossy(&buffer[..count]));
        }
        heard.clear();
    };
    wait_for("retry: 500");
    std::fs::write(folder.join("main.js"), "2;").expect("a file");
    wait_for("event: change");
    std::fs::write(&table, "[routes.home]\npath = 'x'\npage = 'home'\n").expect("a file");
    wait_for("event: change");
    let page = get(&server, "/", "").body;
    assert!(page.contains("<pre role=\"alert\"") && page.contains("expected a path that starts with `/`"), "{page}");
    std::fs::write(&table, "[routes.home]\npath = '/'\npage = 'home'\n[routes.a]\npath = '/a'\npage = 'a'\n")
        .expect("a file");
    wait_for("event: change");
    assert!(!get(&server, "/a", "").body.contains("alert"));
}
