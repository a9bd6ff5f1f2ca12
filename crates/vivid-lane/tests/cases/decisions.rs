//! Requests and what is decided: methods, hosts, lists, fallbacks, bad requests; matches as typed values.

use std::collections::HashMap;

use proptest::prelude::*;
use vivid_lane::declare::Format;
use vivid_lane::link::LinkErrorKind;
use vivid_lane::template::{Template, Values};
use vivid_lane::{Decision, Request, RouteSpec, Rule, Source, Table, TableSpec, Value};

fn table(text: &str) -> Table {
    Table::from_toml(text).unwrap_or_else(|error| panic!("{error}"))
}

/// What is decided, in a word.
fn decided(table: &Table, request: &Request<'_>) -> String {
    match table.decide(request) {
        Decision::Page(found) => found.page().clone(),
        Decision::NotFound(missing) => format!("404 {}", missing.fallback().map_or("-", String::as_str)),
        Decision::WrongMethod(wrong) => format!("405 {}", wrong.allow().join(" ")),
        Decision::Options(options) => format!("204 {}", options.allow().join(" ")),
        Decision::Redirect(redirect) => format!("{} {}", redirect.status(), redirect.location()),
        Decision::Unmet(unmet) => format!("{} {} {}", unmet.status(), unmet.need(), unmet.location().unwrap_or("-")),
        Decision::BadRequest(bad) => format!("{} {bad}", bad.status()),
        other => format!("{other:?}"),
    }
}

fn get(table: &Table, url: &str) -> String {
    decided(table, &Request::get(url))
}

/// Where a request stands that leads to no page: status, what is shown or done, frames, route and values.
fn place(decision: &Decision<'_, '_>) -> String {
    let (done, position) = match decision {
        Decision::NotFound(missing) => {
            let position = missing.position();
            let frames = position.as_ref().map_or_else(Vec::new, |position| position.frames().collect());
            assert!(position.is_none() || frames == missing.frames());
            (missing.fallback().map_or("-", String::as_str).to_owned(), missing.position())
        }
        Decision::WrongMethod(wrong) => (wrong.allow().join("+"), wrong.position()),
        Decision::Unmet(unmet) => {
            let location = unmet.location().unwrap_or_default();
            (location.split('?').next().unwrap_or_default().to_owned(), unmet.position())
        }
        _ => panic!("{decision:?}"),
    };
    let Some(position) = position else { return format!("{} {done} [shell]", decision.status()) };
    let mut words = vec![decision.status().to_string(), done];
    words.push(format!("[{}]", position.frames().collect::<Vec<_>>().join(" ")));
    words.push(position.route().name().to_owned());
    words.extend(position.texts().map(|(name, text)| format!("{name}={text}")));
    words.join(" ")
}

/// The cases of `tests/data/decisions.toml`.
#[test]
fn every_request_is_decided() {
    let data: toml::Table = include_str!("../data/decisions.toml").parse().expect("the data is TOML");
    for case in data["case"].as_array().expect("cases") {
        let about = case["about"].as_str().expect("text");
        let table = Table::from_toml(case["table"].as_str().expect("text"));
        let table = table.unwrap_or_else(|error| panic!("{about}: {error}"));
        let met: Vec<&str> = case.get("meets").map_or_else(Vec::new, |meets| {
            meets.as_array().expect("needs").iter().filter_map(toml::Value::as_str).collect()
        });
        let meets = |need: &str| met.contains(&need);
        let pairs = |key: &str| case.get(key).and_then(toml::Value::as_array).into_iter().flatten();
        for pair in pairs("stands") {
            let (asked, wanted) = (pair[0].as_str().expect("text"), pair[1].as_str().expect("text"));
            let (method, url) = asked.split_once(' ').expect("a method and a URL");
            assert_eq!(place(&table.decide(&Request::new(method, url).meets(&meets))), wanted, "{about}: {asked}");
        }
        for pair in pairs("decides") {
            let (asked, wanted) = (pair[0].as_str().expect("text"), pair[1].as_str().expect("text"));
            let (method, url) = asked.split_once(' ').expect("a method and a URL");
            let request = Request::new(method, url).meets(&meets);
            let decided = match table.decide(&request) {
                // A page may name the values that it was given.
                Decision::Page(found) => {
                    let text = |name: &str| found.param(name).unwrap_or_default().into_owned();
                    let names = found.route().parameters().map(|param| param.name());
                    names.fold(format!("200 {}", found.page()), |page, name| {
                        page.replace(&format!("{{{name}}}"), &text(name))
                    })
                }
                _ => decided(&table, &request),
            };
            assert_eq!(decided, wanted, "{about}: {asked}");
        }
    }
}

#[test]
fn methods_choose_between_equals_and_never_reach_past_the_narrower() {
    let table = table(
        "[routes]\nshow = { path = '/objects/{object}', page = 'show' }\n\
         save = { path = '/objects/{object}', page = 'save', methods = ['PUT', 'DELETE'] }\n\
         tonight = { path = '/objects/tonight', page = 'tonight' }",
    );
    let ask = |method: &str, url: &str| decided(&table, &Request::new(method, url));
    assert_eq!(ask("GET", "/objects/moon"), "show");
    assert_eq!(ask("HEAD", "/objects/moon"), "show");
    assert_eq!(ask("PUT", "/objects/moon"), "save");
    assert_eq!(ask("POST", "/objects/moon"), "405 DELETE GET HEAD OPTIONS PUT");
    assert_eq!(ask("DELETE", "/objects/tonight"), "405 GET HEAD OPTIONS");
    assert_eq!(ask("get", "/objects/moon"), "405 DELETE GET HEAD OPTIONS PUT");
}

#[test]
fn a_query_in_the_fragment_is_text() {
    let table = table("site = { location = 'fragment', base = '/app' }\n[routes.home]\npath = '/'\npage = 'home'");
    for url in [&b"##//ni./?g\xd1\xd7"[..], b"#/?\xff", b"/app/#/?a=\xff"] {
        assert_eq!(table.decide(&Request::new("GET", url)).status(), 400, "{url:?}");
    }
}

#[test]
fn what_is_no_url_is_a_bad_request() {
    let table = table("[routes.home]\npath = '/'\npage = 'home'");
    for (url, wanted) in [
        (&b""[..], "400 expected a path that starts with `/`"),
        (b"nights", "400 expected a path that starts with `/`"),
        (b"/%", "400 expected two hexadecimal digits after `%`"),
        (b"/%zz", "400 expected two hexadecimal digits after `%`"),
        (b"/?a=%2", "home"),
        (b"/?a=\xff", "308 /?a=%FF"),
        (b"//?\xff=#x", "308 /?%FF="),
        (b"/?a=\r\nb: \0\xff", "308 /?a=%0D%0Ab:%20%00%FF"),
        (b"/\r\nb:?\xff", "400 the URL holds a control character"),
        (b"/%ff", "400 the URL is not UTF-8"),
        (b"/\xff", "400 the URL is not UTF-8"),
        (b"/a\nb", "400 the URL holds a control character"),
        (b"/%00", "400 the URL holds a control character"),
        (b"/?a=%0d%0a", "home"),
        (b"https://larkfell.example", "home"),
        (b"/#part", "home"),
        (b"/?", "308 /"),
    ] {
        assert_eq!(decided(&table, &Request::get(url)), wanted, "{}", String::from_utf8_lossy(url));
    }
    assert_eq!(get(&table, &format!("/{}", "a".repeat(8192))), "414 the URL is longer than 8192 bytes");
    assert_eq!(get(&table, &"/a".repeat(129)), "414 the path has more than 128 segments");
}

/// A host is asked about in one spelling, and links are made in it.
#[test]
fn a_host_is_read_in_one_spelling() {
    let table = table(
        "site.origin = 'https://larkfell.example'\n[routes.club]\nhost = '{club}.larkfell.example'\npath = '/'\npage = 'club'\nparams.club = 'slug'",
    );
    for host in
        ["m\u{fc}nchen.larkfell.example", "M\u{dc}NCHEN.Larkfell.Example.", "ada@xn--mnchen-3ya.larkfell.example:80"]
    {
        let Decision::NotFound(_) = table.decide(&Request::get("/").host(host)) else {
            panic!("`--` is in no slug: {host}")
        };
    }
    let open = self::table(
        "site.origin = 'https://larkfell.example'\n[routes.club]\nhost = '{club}.larkfell.example'\npath = '/'\npage = 'club'",
    );
    let url = open.link("club").set("club", "M\u{fc}nchen").to_url().unwrap();
    assert_eq!(url, "https://xn--mnchen-3ya.larkfell.example/");
    for host in
        ["m\u{fc}nchen.larkfell.example", "M\u{dc}NCHEN.Larkfell.Example.", "ada@xn--mnchen-3ya.larkfell.example:80"]
    {
        let request = Request::get("/").host(host);
        let Decision::Page(found) = open.decide(&request) else { panic!("{host}") };
        assert_eq!(found.param("club").as_deref(), Some("xn--mnchen-3ya"), "{host}");
        assert_eq!(found.get::<String>("club").unwrap(), "xn--mnchen-3ya", "{host}");
    }
}

#[test]
fn the_nearest_fallback_is_shown() {
    let table = table(
        "[site]\nfallback = 'site'\n[routes.plates]\npath = '/plates'\npage = 'plates'\nfallback = 'plates-404'\n\
         [routes.plates.plate]\npath = '/{plate}'\npage = 'plate'\nfallback = 'plate-404'\nparams.plate = 'integer'\n\
         [routes.plates.plate.scan]\npath = '/scan'\npage = 'scan'\n[routes.any]\npath = '{/lang}/guide'\npage = 'guide'\nfallback = 'guide-404'",
    );
    for (url, wanted) in [
        ("/x", "404 site"),
        ("/plates/x", "404 plates-404"),
        ("/plates/x/y", "404 plates-404"),
        ("/plates/7/x", "404 plate-404"),
        ("/plates/7/scan/x/y", "404 plate-404"),
        ("/plates/7/scan", "scan"),
        ("/cy/guide/x", "404 guide-404"),
        ("/guide/x", "404 guide-404"),
    ] {
        assert_eq!(get(&table, url), wanted, "{url}");
    }
}

#[test]
fn hosts_come_before_none_and_are_read_in_small_letters() {
    let table = table(
        "[site]\norigin = 'https://larkfell.example'\n[routes]\nany = { path = '/', page = 'any' }\n\
         club = { path = '/', page = 'club', host = '{club}.larkfell.example', params.club = 'alpha' }\n\
         moon = { path = '/', page = 'moon', host = 'moon.larkfell.example' }",
    );
    for (host, wanted) in [
        ("moon.larkfell.example", "moon"),
        ("MOON.Larkfell.Example:8080", "moon"),
        ("mars.larkfell.example", "club"),
        ("m4rs.larkfell.example", "any"),
        ("larkfell.example", "any"),
        ("a.b.larkfell.example", "any"),
    ] {
        assert_eq!(decided(&table, &Request::get("/").host(host)), wanted, "{host}");
    }
    assert_eq!(get(&table, "https://mars.larkfell.example/"), "club");
    assert_eq!(table.link("club").set("club", "Mars").to_url().as_deref(), Ok("https://mars.larkfell.example/"));
    let error = table.link("club").set("club", "moon").to_url().unwrap_err();
    assert_eq!((error.kind(), error.param()), (LinkErrorKind::Captured, None));
}

#[test]
fn lists_are_asked_in_their_order_and_after_named_values() {
    let page = |name: &str, rule: Rule| RouteSpec::new(name).path("/{x}").page(name).param("x", rule);
    let table = TableSpec::new()
        .list("observers")
        .list("domes")
        .route(page("plain", Rule::new()))
        .route(page("observer", Rule::listed("observers")))
        .route(page("dome", Rule::listed("domes").max_length(3)))
        .route(page("named", Rule::one_of(["ada", "join"])))
        .build()
        .unwrap_or_else(|error| panic!("{error}"));
    let lists = |list: &str, value: &str| match list {
        "observers" => ["ada", "eve", "grace"].contains(&value),
        _ => ["eve", "east"].contains(&value),
    };
    let ask = |url: &str| decided(&table, &Request::get(url).lists(&lists));
    assert_eq!(ask("/ada"), "named");
    assert_eq!(ask("/eve"), "observer");
    assert_eq!(ask("/east"), "plain", "the dome's rule allows three characters");
    assert_eq!(ask("/tea"), "plain");
    assert_eq!(get(&table, "/grace"), "plain", "without lists no value is listed");
    assert_eq!(table.link("observer").set("x", "grace").to_url().as_deref(), Ok("/grace"));
}

#[test]
fn a_format_of_ones_own_is_narrower_than_what_describes_it() {
    let even = Format::new("even", |value| value.ends_with(['0', '2', '4', '6', '8'])).described_by("^[0-9]+$");
    let odd = Format::new("odd", |value| !value.ends_with(['0', '2', '4', '6', '8']));
    let page = |name: &str, rule: Rule| RouteSpec::new(name).path("/{x}").page(name).param("x", rule);
    let spec = TableSpec::new().format(even).format(odd);
    let built =
        spec.clone().route(page("digits", Rule::format("digits"))).route(page("even", Rule::format("even"))).build();
    let table = built.unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(
        (get(&table, "/42"), get(&table, "/43"), get(&table, "/x2")),
        ("even".into(), "digits".into(), "404 -".into())
    );
    let error =
        spec.route(page("odd", Rule::format("odd"))).route(page("digits", Rule::format("digits"))).build().unwrap_err();
    assert!(error.to_string().contains("may both accept"), "{error}");
}

#[test]
fn queries_decide_where_paths_do_not() {
    let table = table(
        "[routes]\nplain = { path = '/v', page = 'plain' }\nabout = { path = '/v?page=about', page = 'about' }\n\
         long = { path = '/v?page=about&long=1', page = 'long' }\nneeds = { path = '/v{?q}', page = 'needs', required = ['q'] }",
    );
    for (url, wanted) in [
        ("/v", "plain"),
        ("/v?page=about", "about"),
        ("/v?long=1&x=2&page=about", "long"),
        ("/v?page=other", "plain"),
        ("/v?q=1", "needs"),
        ("/v?q=1&page=about", "about"),
    ] {
        assert_eq!(get(&table, url), wanted, "{url}");
    }
}

#[test]
fn values_come_as_the_types_of_the_program() {
    #[derive(Debug, PartialEq, serde::Deserialize)]
    #[serde(rename_all = "kebab-case")]
    enum Band {
        Red,
        NearInfrared,
    }
    #[derive(Debug, PartialEq, serde::Deserialize)]
    struct Plate {
        year: i32,
        exact: Option<bool>,
        depth: f64,
        band: Band,
        path: Vec<u8>,
        rest: HashMap<String, String>,
    }
    let table = table(
        "[routes.plate]\npath = '/p/{year}/{band}{/path*}{?exact,depth,rest*}'\npage = 'plate'\nparams.rest.type = 'object'\nparams.depth = { type = 'number', default = 1.5 }",
    );
    let plate = |url: &str| table.find(url).expect("a page").params::<Plate>();
    let rest = HashMap::from([("x".to_owned(), "a b".to_owned())]);
    assert_eq!(
        plate("/p/2031/near-infrared/1/2?exact=true&x=a+b").unwrap(),
        Plate { year: 2031, exact: Some(true), depth: 1.5, band: Band::NearInfrared, path: vec![1, 2], rest }
    );
    for (url, param) in [
        ("/p/x/red/1?x=1", Some("year")),
        ("/p/1/blue/1?x=1", Some("band")),
        ("/p/1/red/300?x=1", Some("path")),
        ("/p/1/red/1?exact=2&x=1", Some("exact")),
        ("/p/1/red?x=1", Some("path")),
    ] {
        let error = plate(url).unwrap_err();
        assert_eq!(error.param(), param, "{error}");
    }
    let found = table.find("/p/2031/red/1").expect("a page");
    assert_eq!(found.get::<u16>("year"), Ok(2031));
    assert_eq!(
        found.get::<u8>("year").unwrap_err().to_string(),
        "parameter `year` of `plate`: `2031`: number too large to fit in target type"
    );
    assert_eq!(
        found.get::<u8>("yaer").unwrap_err().to_string(),
        "parameter `yaer` of `plate`: the route declares no parameter of that name; did you mean `year`?"
    );
    assert!(found.get::<u8>("path").unwrap_err().to_string().ends_with("expected one value, found a list"));
    assert_eq!(found.get::<Vec<String>>("path").unwrap(), found.list("path"));
    assert!(
        found
            .get::<bool>("exact")
            .unwrap_err()
            .to_string()
            .ends_with("the URL has no value for it, and it has no default")
    );
}

#[test]
fn a_bound_table_shares_its_routes_and_names_what_is_missing() {
    let table = table(
        "[site]\nfallback = 'lost'\n[routes.a]\npath = '/a'\npage = 'x'\n[routes.b]\npath = '/b'\npage = 'y'\nfallback = 'z'",
    );
    let error = table.bind(|page| (page == "x").then_some(1)).unwrap_err();
    assert_eq!(error.pages().collect::<Vec<_>>(), ["lost", "y", "z"]);
    let bound = table.bind(|page| Some(page.len())).unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(bound.find("/b").map(|found| *found.page()), Some(1));
    let Decision::NotFound(missing) = bound.decide(&Request::get("/c")) else { panic!("a page") };
    assert_eq!(missing.fallback(), Some(&4));
}

#[test]
fn mounted_tables_bring_their_rules_and_speak_under_their_new_name() {
    let archive = || {
        TableSpec::read(Source::toml("[params]\nid = 'integer'\ndate = 'integer'\n[routes.plate]\npath = '/{id}'\npage = 'plate'\n[routes.day]\npath = '/on/{date}'\npage = 'day'").named("archive.toml"))
    };
    let site = TableSpec::new().param("date", Rule::format("date"));
    let table = site
        .route(RouteSpec::new("old").path("/old").mount(archive()))
        .route(RouteSpec::new("new").path("/new").mount(archive()));
    let table = table.build().unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(table.find("/old/7").map(|found| found.route().name()), Some("old.plate"));
    assert_eq!(table.find("/new/x").map(|found| found.route().name()), None);
    assert!(table.find("/new/on/2031-04-02").is_some(), "the site's own rule for `date` goes first");
    let twice =
        TableSpec::new().route(RouteSpec::new("a").path("/a").mount(archive()).mount(archive())).build().unwrap_err();
    assert!(twice.to_string().contains("archive.toml:4:9: the route `a.plate` is declared twice"), "{twice}");
}

proptest! {
    /// A template is shown as it was written, and expansion leaves nothing that a URL may not hold.
    #[test]
    fn templates_keep_their_text(text in "[a-z/]{0,6}(\\{[+#./;?&]?[a-z]{1,3}(,[a-z]{1,3})?\\*?\\}[a-z/é]{0,4}){0,3}", value in "\\PC{0,8}") {
        let template = Template::parse(&text).expect("a template");
        prop_assert_eq!(template.to_string(), text);
        let values: Values = template.variables().map(|variable| (variable.name(), Value::from(value.as_str()))).collect();
        let expanded = template.expand(&values);
        prop_assert!(expanded.bytes().all(|byte| byte.is_ascii_graphic()), "{}", expanded);
    }

    /// Whatever is read as a template or as a table, there is an answer.
    #[test]
    fn any_text_is_answered(text in "\\PC{0,60}", braces in "[{}/?#a,*:%.]{0,20}") {
        for text in [&text, &braces] {
            let _ = Template::parse(text).map(|template| template.expand(&Values::new()));
            let _ = Table::from_toml(text);
            let _ = Table::from_source(Source::json(text.as_str()));
            let _ = Table::from_source(Source::yaml(text.as_str()));
            let route = RouteSpec::new("a").path(text.as_str()).page("a").host(braces.as_str());
            if let Ok(table) = TableSpec::new().route(route).build() {
                prop_assert!(table.route("a").is_some());
            }
        }
    }
}
