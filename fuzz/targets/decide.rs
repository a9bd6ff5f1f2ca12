//! Any bytes as a URL, against tables of every kind: decisions agree with explanations, links lead back, redirects lead on in one
//! step and stay on the site, and suggestions are pages.

#![no_main]

use std::sync::LazyLock;

use libfuzzer_sys::fuzz_target;
use vivid_lane::{Decision, Request, Source, Table, TableSpec};

/// Sites that write their addresses in different ways.
const SITES: [&str; 5] = [
    "slash = 'always'\ncase = 'fold'\nbase = '/App/é'",
    "slash = 'either'\ncase = 'fold'",
    "location = 'fragment'\nbase = '/app'",
    "origin = 'https://larkfell.example'\nfallback = 'lost'",
    "fallback = 'lost'",
];

const ROUTES: &str = r##"
[routes.home]
path = "{/lang}"
page = "home"
params.lang = ["en", "cy", "straße"]
[routes.files]
path = "/files{/path*}"
page = "files"
[routes.raw]
path = "/raw/{+tail}"
page = "raw"
[routes.three]
path = "/three/{a}-{b}.{c}"
page = "three"
[routes.plates]
path = "/Plätze/{x}{.format}"
page = "plates"
[routes.map]
path = "/map{;x,y}{?q,page}"
page = "map"
params.page = { type = "integer", minimum = 1, default = 1 }
[routes.filter]
path = "/filter{?filter*}"
page = "filter"
params.filter = { type = "object", maxProperties = 3 }
[routes.tags]
path = "/tags{?tag*}"
page = "tags"
params.tag = { type = "array", items = { pattern = "^[a-z]+$" } }
[routes.view]
path = "/view.cgi?page=about{&other}"
page = "view"
[routes.number]
path = "/number/{n}"
page = "number"
params.n = "number"
[routes.old]
path = "/old/{x}"
redirect = { to = "raw", params = { tail = "a/{x}" } }
[routes.out]
path = "/out{/topic}{?u}"
redirect = { url = "https://forum.example/larkfell{/topic}{?u}", status = 302 }
"##;

static TABLES: LazyLock<Vec<Table>> = LazyLock::new(|| {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../demo/larkfell/");
    let read = |name: &str| std::fs::read_to_string(format!("{demo}{name}")).map(|text| Source::by_name(name, text));
    let main = read("routes.toml").expect("the demo");
    let demo = TableSpec::read_with(main, &mut |name| read(name).map_err(|error| error.to_string())).build();
    let site =
        |site: &str| Table::from_toml(&format!("[site]\n{site}\n{ROUTES}")).unwrap_or_else(|error| panic!("{error}"));
    std::iter::once(demo.expect("the demo")).chain(SITES.map(site)).collect()
});

fn is_listed(_: &str, value: &str) -> bool {
    value == "ada"
}

fn is_met(_: &str) -> bool {
    true
}

fn asked<'r>(method: &'r str, url: &'r [u8]) -> Request<'r> {
    Request::new(method, url).lists(&is_listed).meets(&is_met)
}

fuzz_target!(|data: &[u8]| {
    let Some((&kind, url)) = data.split_first() else { return };
    let table = &TABLES[usize::from(kind) % TABLES.len()];
    for method in ["GET", "POST"] {
        let request = asked(method, url);
        let decision = table.decide(&request);
        let explained = table.explain(&request);
        match &decision {
            Decision::Page(found) => {
                let last = explained.candidates().last().expect("the one that answers");
                assert_eq!(last.route().name(), found.route().name(), "the explanation differs");
                let values = || found.values().collect::<Vec<_>>();
                let link =
                    found.values().fold(table.link(found.route().name()), |link, (name, value)| link.set(name, value));
                if let Ok(made) = link.to_url() {
                    let Decision::Page(again) = table.decide(&asked(method, made.as_bytes())) else {
                        panic!("{made} is no page")
                    };
                    assert_eq!(
                        (again.route().name(), again.values().collect::<Vec<_>>()),
                        (found.route().name(), values()),
                        "{made}"
                    );
                }
                let _ = (found.address(), found.up(), found.levels().count());
                let kept = found.keep();
                assert_eq!(kept.get().values().collect::<Vec<_>>(), values());
            }
            Decision::Redirect(redirect) => {
                let to = redirect.location();
                assert!(to.bytes().all(|byte| byte.is_ascii_graphic()), "{to:?} is no field of a header");
                if !redirect.is_external() {
                    // Of a site in the fragment, an address may be a fragment alone, if what was asked was one.
                    let is_fragment = table.is_in_fragment() && to.starts_with("#/");
                    let is_path = to.starts_with('/') && !to.starts_with("//") && !to.contains('\\');
                    assert!(is_path || is_fragment, "{to:?} leads elsewhere");
                    let next = if table.is_in_fragment() { to } else { to.split('#').next().unwrap_or_default() };
                    let method = if redirect.status() == 303 { "GET" } else { method };
                    let next = asked(method, next.as_bytes());
                    assert!(!matches!(table.decide(&next), Decision::Redirect(_)), "{to:?} leads on");
                }
            }
            Decision::NotFound(missing) => {
                for near in missing.suggestions() {
                    // A link is followed with `GET`.
                    assert_eq!(table.decide(&asked("GET", near.url().as_bytes())).status(), 200, "{near}");
                }
            }
            _ => {}
        }
        let back = table.return_address(&request, "/-");
        assert!(back == "/-" || (back.starts_with('/') && !back.starts_with("//") && !back.contains('\\')), "{back:?}");
        let _ = format!("{decision:?}{explained:?}");
    }
});
