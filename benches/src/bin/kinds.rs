//! What a URL costs that is not of the plainest kind, beside the plain URL of the same page: ratios of medians, all kinds taking turns within
//! one run. Prints a table in Markdown.

#![forbid(unsafe_code)]

use std::hint::black_box;
use std::time::Instant;

use vivid_lane::declare::{Case, Location};
use vivid_lane::{Decision, Request, RouteSpec, Rule, Table, TableSpec};
use vivid_lane_benches::contenders::{read, spec};
use vivid_lane_benches::tables::rest;

/// How many rounds; each kind runs once in each, and the median counts.
const ROUNDS: usize = 101;
/// How many decisions a round takes.
const CALLS: usize = 4_000;

/// A kind of URL: its name, a table, and URLs of it.
struct Kind {
    name: &'static str,
    table: Table,
    urls: Vec<String>,
    host: Option<&'static str>,
}

/// The table of a web interface, with some pages more.
fn declared() -> TableSpec {
    let night = RouteSpec::new("tools-of").path("/tools/{tool}/loans/{loan}").page("loan");
    let search = RouteSpec::new("search")
        .path("/search/{survey}/plates{?page,band}")
        .page("search")
        .param("page", Rule::integer().minimum(1))
        .param("band", Rule::one_of(["b", "v", "r"]));
    let file = RouteSpec::new("file").path("/files/{area}{/path*}").page("file");
    spec(&rest()).route(night).route(search).route(file)
}

fn built(spec: TableSpec) -> Table {
    spec.build().unwrap_or_else(|error| panic!("{error}"))
}

/// So many siblings that differ in the text before a value.
fn siblings(count: usize) -> TableSpec {
    let route =
        |at: usize| RouteSpec::new(format!("w{at}")).path(format!("/tools/w{at}-{{id}}/loans/{{loan}}")).page("w");
    (0..count).fold(TableSpec::new(), |spec, at| spec.route(route(at)))
}

fn kinds() -> Vec<Kind> {
    let of = |form: &str| -> Vec<String> {
        let tools = ["adze", "bevel", "chisel", "dowel", "elbow", "froe", "gimlet", "hammer"];
        tools.iter().map(|tool| form.replace("{}", tool)).collect()
    };
    let kind = |name, spec: TableSpec, form: &str| Kind { name, table: built(spec), urls: of(form), host: None };
    let by_host =
        RouteSpec::new("by-host").path("/tools/{tool}/loans/{loan}").page("hosted").host("{site}.tools.example");
    let elsewhere = RouteSpec::new("elsewhere").path("/elsewhere").page("elsewhere").host("other.example");
    let long = format!("/tools/{{}}{}/loans/m-57", "x".repeat(194));
    let capitals = |form: &str| form.replace("/tools", "/Tools");
    let mut kinds = vec![
        kind("plain", declared(), "/tools/{}/loans/m-57"),
        kind("one escape", declared(), "/tools/{}%2F7/loans/m-57"),
        kind(
            "Cyrillic in two segments, escaped",
            declared(),
            "/tools/{}%D0%B8%D0%BD%D0%B6/loans/%D0%BC%D0%B0%D0%B9-57",
        ),
        kind("absolute URL", declared(), "https://larkfell.example/tools/{}/loans/m-57"),
        kind("`base`", declared().base("/app"), "/app/tools/{}/loans/m-57"),
        kind("`location = \"fragment\"`", declared().location(Location::Fragment), "/#/tools/{}/loans/m-57"),
        kind("`case = \"fold\"`, as declared", declared().case(Case::Fold), "/tools/{}/loans/m-57"),
        kind("`case = \"fold\"`, one capital in a value", declared().case(Case::Fold), "/tools/{}/loans/M-57"),
        kind("a host in the table, elsewhere", declared().route(elsewhere), "/tools/{}/loans/m-57"),
        kind("redirect: a slash at the end", declared(), "/tools/{}/loans/m-57/"),
        kind("redirect: raw UTF-8", declared(), "/tools/{}é/loans/m-57"),
        kind("redirect: letter case", declared().case(Case::Fold), &capitals("/tools/{}/loans/m-57")),
        kind("a segment of 200 bytes", declared(), &long),
        kind("a tail of four segments", declared(), "/files/{}/2031/04/02/m-57"),
        kind("`/wN-{id}` among 10", siblings(10), "/tools/w7-{}/loans/m-57"),
        kind("`/wN-{id}` among 10,000", siblings(10_000), "/tools/w7007-{}/loans/m-57"),
        kind("two query values with rules", declared(), "/search/{}/plates?page=2&band=v"),
        kind("unknown query names", declared(), "/tools/{}/loans/m-57?utm_source=letter&ref=7"),
        kind("404", declared(), "/tools/{}/lend/m-57"),
    ];
    let table = built(declared().route(by_host));
    kinds.push(Kind {
        name: "a route by host",
        table,
        urls: of("/tools/{}/loans/m-57"),
        host: Some("north.tools.example"),
    });
    kinds
}

/// Decides, and reads what a page or a redirect would read.
fn decided(kind: &Kind, url: &str) -> usize {
    let mut request = Request::get(url);
    if let Some(host) = kind.host {
        request = request.host(host);
    }
    match kind.table.decide(&request) {
        Decision::Page(found) => read(&found),
        Decision::Redirect(redirect) => redirect.location().len(),
        _ => 0,
    }
}

fn main() {
    let kinds = kinds();
    for kind in &kinds {
        let decision = kind.table.decide(&Request::get(&kind.urls[0]));
        let is_right = match decision {
            Decision::Page(_) => !kind.name.starts_with("redirect") && kind.name != "404",
            Decision::Redirect(_) => kind.name.starts_with("redirect"),
            _ => kind.name == "404",
        };
        assert!(
            is_right,
            "{}: {:?} of {}",
            kind.name,
            kind.table.decide(&Request::get(&kind.urls[0])).kind(),
            kind.urls[0]
        );
    }
    let mut times: Vec<Vec<f64>> = vec![Vec::new(); kinds.len()];
    for _ in 0..ROUNDS {
        for (kind, times) in kinds.iter().zip(&mut times) {
            let start = Instant::now();
            for _ in 0..CALLS / kind.urls.len() {
                for url in &kind.urls {
                    black_box(decided(kind, black_box(url)));
                }
            }
            times.push(start.elapsed().as_secs_f64() * 1e9 / CALLS as f64);
        }
    }
    let medians: Vec<f64> = times
        .into_iter()
        .map(|mut times| {
            times.sort_by(f64::total_cmp);
            times[times.len() / 2]
        })
        .collect();
    println!("| kind | `decide`, as a multiple of the plain URL |");
    println!("| --- | --- |");
    for (kind, median) in kinds.iter().zip(&medians) {
        println!("| {} | {:.2} |", kind.name, median / medians[0]);
    }
    eprintln!("plain: {:.0} ns", medians[0]);
}
