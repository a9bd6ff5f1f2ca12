//! The law: both servers answer every request alike, in status, fields and text.

use proptest::prelude::{Just, Strategy, any, prop, prop_oneof};
use proptest::strategy::ValueTree as _;
use proptest::test_runner::{Config, TestRunner};
use vivid_lane::{Source, Table, TableSpec};

use crate::sites::{Setting, in_node, in_rust};
use crate::wire::{Answer, Wire};

/// How many requests are tried on each site, in each setting.
fn requests() -> usize {
    std::env::var("LAW_CASES").ok().and_then(|cases| cases.parse().ok()).unwrap_or(3400)
}

/// A site with what the demo does not have: hosts, a base, an interface of its own, slashes at the end.
const SHOP: &str = r#"
    lists = ["makers"]
    [site]
    origin   = "https://shop.example"
    base     = "/shop"
    slash    = "always"
    fallback = "lost"
    frame    = "shell"
    [needs.member]
    otherwise = "door"
    [needs.staff]
    [routes.door]
    path    = "/door{?return}"
    page    = "door"
    methods = ["GET", "POST"]
    [routes.observers]
    path = "/things{?sort,page}"
    page = "things"
    methods = ["GET", "POST"]
    params.sort = ["name", "price"]
    params.page = { type = "integer", minimum = 1, default = 1 }
    [routes.observers.thing]
    path    = "/{thing}"
    page    = "night"
    methods = ["GET", "PUT", "DELETE"]
    params.thing = "natural"
    [routes.observers.maker]
    path = "/by/{maker}"
    page = "maker"
    params.maker = { listed = "makers" }
    [routes.old]
    path        = "/old/{thing}"
    redirect    = "observers.thing"
    params.thing = "natural"
    [routes.till]
    path  = "/till"
    page  = "till"
    needs = ["staff"]
    [routes.basket]
    path  = "/basket"
    page  = "basket"
    methods = ["GET", "POST"]
    needs = ["member"]
    [routes.interface]
    path     = "/interface"
    fallback = false
    [routes.interface.things]
    path = "/things/{thing}.json"
    page = "thing-data"
    params.thing = "natural"
    [routes.help]
    host = "help.shop.example"
    path = "/{topic}"
    page = "help"
"#;

fn demo() -> Table {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/larkfell");
    let read = |name: &str| std::fs::read_to_string(folder.join(name)).map(|text| Source::by_name(name, text));
    let main = read("routes.toml").expect("the demo");
    TableSpec::read_with(main, &mut |name| read(name).map_err(|error| error.to_string())).build().expect("a table")
}

fn one_of(all: &'static [&'static str]) -> impl Strategy<Value = String> {
    prop::sample::select(all).prop_map(str::to_owned)
}

const OF_DEMO: [&str; 24] = [
    "/",
    "/nights",
    "/nights/2031-04-02",
    "/nights/2031-02-30",
    "/nights/2031-04-02/exposures/7",
    "/nights?page=2",
    "/objects/M31",
    "/objects/m31/images",
    "/plates",
    "/plates?band=b&band=v",
    "/plates/b-1042",
    "/plates/zz",
    "/observers",
    "/observers/ada",
    "/observers/away",
    "/observers/zoe",
    "/observers/ada/logbook",
    "/observers/sign-in",
    "/observers/sign-in?return=%2Fobservers%2Fada%2Flogbook",
    "/observers/sign-in?return=//evil.example",
    "/cy/talks/2031",
    "/talks",
    "/archive/1987/x",
    "/nowhere",
];

const OF_SHOP: [&str; 22] = [
    "/shop",
    "/shop/",
    "/shop/door/",
    "/shop/door/?return=/shop/basket/",
    "/shop/door/?return=/shop/door/",
    "/shop/things/",
    "/shop/things/?sort=name",
    "/shop/things/?page=0",
    "/shop/things/?page=1",
    "/shop/things/7/",
    "/shop/things/07/",
    "/shop/things/by/ada/",
    "/shop/things/by/away/",
    "/shop/things/by/zoe/",
    "/shop/old/7/",
    "/shop/till/",
    "/shop/basket/",
    "/shop/interface/things/7.json/",
    "/shop/interface/nothing/",
    "/shop/dome/",
    "/elsewhere",
    "/shop/nothing/",
];

/// An address, as it is or spoilt.
fn target(addresses: &'static [&'static str]) -> impl Strategy<Value = String> {
    let spoil = one_of(&[
        "",
        "/",
        "//",
        "/.",
        "/..",
        "/%2e%2e/x",
        "%zz",
        "%41",
        "%2F",
        "%c3%b8",
        "%ff",
        "%00",
        "?",
        "??",
        "?x=%zz",
        "?page=2",
        "?a=1&a=2",
        "ø",
        "'",
        "~",
        "+",
        "*",
        ";a=b",
        ":",
        "@",
        "%",
        "%2",
        "|",
        "^",
        "`",
        "{}",
        "\\",
        "\"",
        "<x>",
    ]);
    let address = prop::sample::select(addresses);
    let spoilt = (address, spoil, any::<prop::sample::Index>()).prop_map(|(address, more, at)| {
        let at = at.index(address.len() + 1);
        format!("{}{more}{}", &address[..at], &address[at..])
    });
    prop_oneof![
        30 => prop::sample::select(addresses).prop_map(str::to_owned),
        15 => spoilt.prop_map(|spoilt| if spoilt.starts_with('/') { spoilt } else { format!("/{spoilt}") }),
        1 => prop::sample::select(addresses).prop_map(|address| format!("http://help.shop.example{address}")),
        1 => Just("*".to_owned()),
        1 => (1000_usize..9000).prop_map(|length| format!("/nights/{}", "x".repeat(length))),
    ]
}

/// A field, or none, with its end of line.
fn field(name: &'static str, values: &'static [&'static str], odds: u32) -> impl Strategy<Value = String> {
    prop_oneof![
        odds => Just(String::new()),
        1 => prop::sample::select(values).prop_map(move |value| format!("{name}: {value}\r\n")),
    ]
}

fn request(addresses: &'static [&'static str]) -> impl Strategy<Value = Vec<u8>> {
    let method =
        one_of(&["GET", "GET", "GET", "GET", "GET", "HEAD", "POST", "POST", "PUT", "DELETE", "OPTIONS", "PATCH"]);
    let hosts = prop_oneof![
        20 => Just("Host: larkfell.example\r\n".to_owned()),
        4 => one_of(&[
            "", "Host: \r\n", "Host: help.shop.example\r\n", "Host: HELP.shop.example:8080\r\n", "Host: a\r\nHost: b\r\n", "Host: a@b\r\n",
            "Host: a/b\r\n", "Host: a b\r\n", "Host: [::1]:80\r\n", "Host: larkfell.example:\r\n", "Host: larkfell.example:80x\r\n", "Host: a_b\r\n", "Host: a%20b\r\n", "Host: [::1\r\n", "Host: a,b\r\n",
        ]),
    ];
    let accept = field(
        "Accept",
        &[
            "*/*",
            "text/html",
            "text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8",
            "application/json",
            "application/problem+json",
            "text/plain;q=0.1, application/*;q=0.3",
            "text/*;q=0.5, application/json;q=0.4",
            "TEXT/HTML",
            "nonsense;;q=,,,",
            "text/html;q=2, application/json;q=0.001",
            "image/png",
            "text/html;q=0, */*;Q=0.7",
        ],
        1,
    );
    let cookie = field("Cookie", &["who=ada", "who=eve", "who=away", "nothing"], 1);
    let from = prop_oneof![
        field("Sec-Fetch-Site", &["same-origin", "none", "cross-site", "same-site"], 1),
        field("Origin", &["http://larkfell.example", "https://evil.example", "null"], 1),
    ];
    let wants = field(
        "X-Do",
        &[
            "fail",
            "fail-twice",
            "missing",
            "conflict",
            "away",
            "form",
            "form",
            "json",
            "json",
            "back",
            "cookie",
            "nothing",
        ],
        1,
    );
    let body = prop_oneof![
        2 => Just(String::new()),
        2 => (
            one_of(&["application/x-www-form-urlencoded", "application/json", "application/x+json; charset=utf-8", "text/plain", "", "APPLICATION/JSON"]),
            one_of(&["", "a=1&b=%C3%B8+x", "a", "=&==", "a=%zz", "{\"a\": 1}", "[1, 2]", "xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx"]),
        ).prop_map(|(kind, body)| {
            let kind = if kind.is_empty() { kind } else { format!("Content-Type: {kind}\r\n") };
            format!("{kind}Content-Length: {}\r\n\r\n{body}", body.len())
        }),
    ];
    (method, target(addresses), hosts, accept, cookie, from, wants, body).prop_map(
        |(method, target, hosts, accept, cookie, from, wants, body)| {
            let body = if body.is_empty() { "\r\n".to_owned() } else { body };
            format!("{method} {target} HTTP/1.1\r\n{hosts}{accept}{cookie}{from}{wants}{body}").into_bytes()
        },
    )
}

/// Only the service in Rust knows addresses near a missing one.
fn without_suggestions(answer: Answer) -> (Answer, bool) {
    let Answer { status, fields, mut body } = answer;
    let full = body.clone();
    if let (Some(start), Some(end)) = (body.find("<p>Near it:</p>\n"), body.find("</ul>\n")) {
        body.replace_range(start..end + "</ul>\n".len(), "");
    }
    if let Some(start) = body.find(",\"near\":[") {
        body.truncate(start);
        body.push('}');
    }
    let is_cut = body != full;
    (Answer { status, fields, body }, is_cut)
}

#[derive(Debug, Default)]
struct Reached {
    all: usize,
    pages: usize,
    redirects: usize,
    refused: usize,
    failed: usize,
    /// Bodies that a page wanted to read.
    read: usize,
    /// What one of both did not even pass on: their readers of HTTP differ.
    unread: usize,
}

fn hold(name: &str, table: &Table, addresses: &'static [&'static str], setting: Setting) -> Reached {
    let node = in_node(name, table, setting);
    let (mut rust, mut javascript) = (Wire::to(&in_rust(table, setting)), Wire::to(&node.address));
    let mut runner = TestRunner::new(Config::default());
    let strategy = request(addresses);
    let mut reached = Reached::default();
    for _ in 0..requests() {
        let sent = strategy.new_tree(&mut runner).expect("a request").current();
        let text = String::from_utf8_lossy(&sent).into_owned();
        let (expected, found) = (rust.ask(&sent), javascript.ask(&sent));
        reached.all += 1;
        // Readers of HTTP differ in what they pass on at all. One that refuses says no more than the status.
        let is_bare = |answer: &Option<Answer>| {
            answer.as_ref().is_none_or(|answer| answer.status == 400 && !answer.fields.contains_key("vary"))
        };
        if is_bare(&expected) || is_bare(&found) {
            reached.unread += 1;
            continue;
        }
        let (Some(expected), Some(mut found)) = (expected, found) else { continue };
        let (mut expected, is_cut) = without_suggestions(expected);
        // The texts whose length `HEAD` gives may differ likewise.
        if is_cut || (text.starts_with("HEAD") && matches!(expected.status, 400 | 404)) {
            expected.fields.remove("content-length");
            found.fields.remove("content-length");
        }
        // The words in which a reader of JSON or of forms says what is wrong are its own.
        for answer in [&mut expected, &mut found] {
            if let Some(start) = answer.body.find("the body is not JSON") {
                answer.body.truncate(start);
                answer.fields.remove("content-length");
            }
        }
        assert_eq!(
            expected, found,
            "on the left the service in Rust, on the right the one in JavaScript, of {setting:?}:\n{text}"
        );
        let is_read = ["X-Do: form", "X-Do: json"].iter().any(|wanted| text.contains(wanted));
        reached.read += usize::from(is_read && matches!(expected.status, 200 | 400 | 403 | 413 | 415 | 422));
        match expected.status {
            200..300 => reached.pages += 1,
            300..400 => reached.redirects += 1,
            400..500 => reached.refused += 1,
            _ => reached.failed += 1,
        }
    }
    reached
}

#[test]
fn both_servers_answer_alike() {
    let plain = Setting { shows_refusals: false, is_absolute: false, has_layers: false };
    let settings =
        [plain, Setting { shows_refusals: true, is_absolute: true, ..plain }, Setting { has_layers: true, ..plain }];
    let shop = Table::from_toml(SHOP).expect("a table");
    let mut sum = Reached::default();
    for (at, setting) in settings.into_iter().enumerate() {
        let of_demo = hold(&format!("demo-{at}"), &demo(), &OF_DEMO, setting);
        for one in [of_demo, hold(&format!("shop-{at}"), &shop, &OF_SHOP, setting)] {
            sum.all += one.all;
            sum.pages += one.pages;
            sum.redirects += one.redirects;
            sum.refused += one.refused;
            sum.failed += one.failed;
            sum.read += one.read;
            sum.unread += one.unread;
        }
    }
    println!("{sum:?}");
    // Of each kind there were enough to mean something, and hardly anything was lost on the way.
    let least = sum.all / 50;
    assert!(
        sum.pages > 2 * least
            && sum.redirects > least
            && sum.refused > least
            && sum.failed > least
            && sum.read > least
            && sum.unread < 6 * least,
        "{sum:?}"
    );
}
