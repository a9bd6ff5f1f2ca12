//! Laws of whole sites: hosts, mounted tables, letter case, and the three file formats.

use crate::reference::model::{route, table, url};
use crate::scaled;
use proptest::prelude::*;
use vivid_lane::declare::{Case, Overlaps};
use vivid_lane::{Decision, Request, RouteSpec, Rule, Source, Table, TableSpec};

/// What is decided, in words that two tables can share: names without the prefix of a mount.
fn decided(table: &Table, url: &str, prefix: &str) -> String {
    match table.decide(&Request::get(url)) {
        Decision::Page(found) => {
            let name = found.route().name();
            format!("{} {:?}", name.strip_prefix(prefix).unwrap_or(name), found.values().collect::<Vec<_>>())
        }
        other => format!("{} {:?}", other.status(), other.location()),
    }
}

const HOSTS: [Option<&str>; 4] =
    [None, Some("moon.larkfell.example"), Some("{club}.larkfell.example"), Some("larkfell.example")];
const PATHS: [&str; 3] = ["/x", "/{p}", "/{p}/{+rest}"];

/// Does a host fit, and how narrow is it?
fn host_rank(host: Option<&str>, asked: &str) -> Option<u8> {
    match host {
        None => Some(0),
        Some("{club}.larkfell.example") => {
            let club = asked.strip_suffix(".larkfell.example")?;
            (!club.is_empty() && !club.contains('.')).then_some(1)
        }
        Some(host) => (host == asked).then_some(2),
    }
}

fn path_rank(path: &str, asked: &[&str]) -> Option<u8> {
    match path {
        "/x" => (asked == ["x"]).then_some(2),
        "/{p}" => (asked.len() == 1).then_some(1),
        _ => (asked.len() > 1).then_some(0),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(64), max_shrink_iters: 400, ..ProptestConfig::default() })]

    /// The narrower path answers, then the narrower host, whatever the order of declaration.
    #[test]
    fn hosts_decide_after_paths(
        routes in prop::sample::subsequence((0..12).collect::<Vec<usize>>(), 1..12).prop_shuffle(),
        asked in prop::sample::select(vec!["x", "y", "x/y", "x/y/z"]),
        host in prop::sample::select(vec!["moon.larkfell.example", "mars.larkfell.example", "larkfell.example", "a.b.larkfell.example", "elsewhere.example"]),
    ) {
        let parts = |index: usize| (PATHS[index % 3], HOSTS[index / 3]);
        let spec = routes.iter().fold(TableSpec::new(), |spec, &index| {
            let (path, host) = parts(index);
            let route = RouteSpec::new(format!("r{index}")).path(path).page("page");
            spec.route(host.into_iter().fold(route, RouteSpec::host))
        });
        let table = spec.build().expect("hosts and paths tell all of them apart");
        let segments: Vec<&str> = asked.split('/').collect();
        let rank = |index: usize| {
            let (path, wanted) = parts(index);
            Some((path_rank(path, &segments)?, host_rank(wanted, host)?))
        };
        let wanted = routes.iter().filter_map(|&index| Some((rank(index)?, format!("r{index}")))).max().map(|(_, name)| name);
        let url = format!("/{asked}");
        let absolute = format!("https://{host}:8443{url}");
        let (shouted, spelt) = (format!("{}.:8443", host.to_uppercase()), format!("HTTPS://ada:1@{host}.{url}"));
        let requests = [Request::get(&url).host(host), Request::get(&url).host(&shouted), Request::get(&absolute), Request::get(&spelt)];
        for request in requests {
            let name = match table.decide(&request) {
                Decision::Page(found) => Some(found.route().name().to_owned()),
                _ => None,
            };
            prop_assert_eq!(&name, &wanted, "{} at {}", url, host);
        }
    }

    /// A table that is mounted answers as its routes would if they were declared where it is mounted.
    #[test]
    fn a_mounted_table_is_its_routes(routes in prop::collection::vec(route(), 1..16), urls in prop::collection::vec(url(), 30)) {
        let at = || RouteSpec::new("m").path("/m");
        let site = || TableSpec::new().overlaps(Overlaps::FirstDeclared);
        let inline = (0..routes.len()).fold(at(), |group, index| group.route(routes[index].declared(&format!("r{index}"))));
        let inline = site().route(inline).build().expect("a table");
        let mounted = site().route(at().mount(table(&routes, 0..routes.len(), Overlaps::Refused))).build().expect("a table");
        let alone = table(&routes, 0..routes.len(), Overlaps::FirstDeclared).build().expect("a table");
        for url in &urls {
            let below = format!("/m{url}");
            prop_assert_eq!(decided(&inline, &below, ""), decided(&mounted, &below, ""), "{}", below);
            // Nothing of a path reaches above its mount, unless dots lead there.
            if !url.contains("..") && !url.contains("%2e") && alone.find(url).is_some() {
                // The root of the mounted table is its mount.
                let below = if url == "/" || url.starts_with("/?") { format!("/m{}", &url[1..]) } else { below };
                prop_assert_eq!(decided(&alone, url, ""), decided(&mounted, &below, "m."), "{}", below);
            }
        }
    }

    /// Where letter case is folded, a path in any case leads to the page that it leads to in the case of the table.
    #[test]
    fn folded_literals_lead_to_one_page(
        path in prop::collection::vec(prop::sample::select(vec!["Nights", "été", "x1", "{a}", "{b}"]), 1..4),
        seed in any::<u64>(),
    ) {
        let mut seen = 0;
        let segments: Vec<String> = path.iter().map(|segment| {
            seen += 1;
            if segment.starts_with('{') { format!("{{p{seen}}}") } else { (*segment).to_owned() }
        }).collect();
        let spec = TableSpec::new().case(Case::Fold).route(RouteSpec::new("a").path(format!("/{}", segments.join("/"))).page("a"));
        let table = spec.build().expect("a table");
        let link = (1..=seen).filter(|at| segments[at - 1].starts_with('{'));
        let link = link.fold(table.link("a"), |link, at| link.set(format!("p{at}"), "Moon")).to_url().expect("a link");
        prop_assert!(table.find(&link).is_some());
        // The literals in another case; a value keeps its own.
        let mut bits = seed;
        let other: String = segments.iter().map(|segment| {
            let text = if segment.starts_with('{') { "Moon".to_owned() } else {
                segment.chars().map(|c| {
                    bits = bits.rotate_left(1);
                    if bits & 1 == 1 { c.to_uppercase().to_string() } else { c.to_lowercase().to_string() }
                }).collect()
            };
            format!("/{}", crate::reference::model::encode(&text))
        }).collect();
        let sent_on = table.decide(&Request::get(&other)).location().map(str::to_owned);
        prop_assert_eq!(sent_on.as_deref().unwrap_or(&other), link.as_str(), "{}", other);
    }

    /// One model in three formats: redirects, needs and the site say the same in each of them.
    #[test]
    fn the_formats_say_the_same(
        slash in prop::sample::select(vec!["never", "always", "either"]),
        base in prop::sample::select(vec!["/", "/app"]),
        status in prop::sample::select(vec![301, 302, 303, 307, 308]),
        url in prop::sample::select(vec!["/", "/nights", "/nights/2031-04-02/", "/old?d=2031-04-02", "/old?d=x", "/old", "/log", "//log"]),
    ) {
        let model = serde_json::json!({
            "site": { "slash": slash, "base": base, "fallback": "lost" },
            "needs": { "observer": { "otherwise": "sign-in" } },
            "routes": {
                "sign-in": { "path": "/sign-in{?return}", "page": "sign-in" },
                "nights": { "path": "/nights", "page": "nights", "night": { "path": "/{date}", "page": "night", "params": { "date": "date" } } },
                "old": { "path": "/old{?d}", "required": ["d"], "redirect": { "to": "nights.night", "params": { "date": "{d}" }, "status": status } },
                "log": { "path": "/log", "page": "log", "needs": ["observer"] },
            },
        });
        let toml = format!(
            "site = {{ slash = '{slash}', base = '{base}', fallback = 'lost' }}\nneeds.observer.otherwise = 'sign-in'\n\
             [routes]\nsign-in = {{ path = '/sign-in{{?return}}', page = 'sign-in' }}\n\
             nights = {{ path = '/nights', page = 'nights', night = {{ path = '/{{date}}', page = 'night', params.date = 'date' }} }}\n\
             old = {{ path = '/old{{?d}}', required = ['d'], redirect = {{ to = 'nights.night', params = {{ date = '{{d}}' }}, status = {status} }} }}\n\
             log = {{ path = '/log', page = 'log', needs = ['observer'] }}"
        );
        let json = model.to_string();
        // JSON is YAML.
        let sources = [Source::toml(toml), Source::json(json.as_str()), Source::yaml(json.as_str())];
        let tables = sources.map(|source| Table::from_source(source).unwrap_or_else(|error| panic!("{error}")));
        let asked = if base == "/" { url.to_owned() } else { format!("{base}{url}") };
        let [one, two, three] = tables.each_ref().map(|table| decided(table, &asked, ""));
        prop_assert_eq!(&one, &two);
        prop_assert_eq!(&one, &three);
    }

    /// A value that a rule refuses leads to the 404 page of the subtree in which it would have been.
    #[test]
    fn the_nearest_fallback_covers_the_most(depth in 1usize..6, own in prop::collection::vec(any::<bool>(), 6), cut in 1usize..6) {
        let mut route = RouteSpec::new("r5").path("/s5").page("p5").param("x", Rule::new());
        for at in (0..5).rev() {
            route = RouteSpec::new(format!("r{at}")).path(format!("/s{at}")).page(format!("p{at}")).route(
                if own[at + 1] { route.fallback(format!("f{}", at + 1)) } else { route },
            );
        }
        let route = if own[0] { route.fallback("f0") } else { route };
        let table = TableSpec::new().fallback("site").route(route).build().expect("a table");
        let depth = depth.min(cut);
        let url: String = (0..depth).map(|at| format!("/s{at}")).chain(["/nothing".to_owned()]).collect();
        let Decision::NotFound(missing) = table.decide(&Request::get(&url)) else { panic!("{url}") };
        let wanted = (0..depth).rev().find(|&at| own[at]).map_or("site".to_owned(), |at| format!("f{at}"));
        prop_assert_eq!(missing.fallback(), Some(&wanted), "{}", url);
    }
}
