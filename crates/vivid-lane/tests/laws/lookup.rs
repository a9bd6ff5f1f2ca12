//! Where a site stands makes no difference: at the root, under a base, or in the fragment, and with the scheme and the host in the URL, each
//! path leads to the same page with the same values.

use std::path::Path;

use proptest::prelude::*;
use vivid_lane::declare::{Location, Overlaps};
use vivid_lane::{Answer, Decision, Match, Request, Source, Table, TableError, TableSpec};

use crate::reference::model::{route, table, url};
use crate::reference::nested::{self, level};
use crate::scaled;
use crate::tables;

/// What is put into URLs to spoil them.
const SPOILERS: &[&str] = &[
    "/",
    "/",
    "/..",
    "//",
    "/.",
    "/..",
    ".",
    "%2F",
    "%41",
    "%",
    "?",
    "?q=",
    "?q=a&q=b",
    "&",
    "&&",
    "=",
    "#",
    "+",
    "é",
    "~",
    "@",
    "a",
    "-",
    "0",
    "7",
    "/a",
    "/1",
    "/2031-04-02",
    "aaaaaaaaaaaaaaaa",
    "/a/b/c/d/e/f/g/h/i/j/k/l/m/n/o/p/q/r/s/t/u/v/w/x/y/z/0/1/2/3/4/5/6/7/8/9",
    "/aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa",
];

/// Dice that are cheaper than a strategy, as a million URLs are thrown.
pub(crate) struct Dice(pub(crate) u64);

impl Dice {
    pub(crate) fn below(&mut self, count: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % count.max(1)
    }

    /// Where a character begins, or the end.
    fn place(&mut self, text: &str) -> usize {
        let at = self.below(text.len() + 1);
        (0..=at).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0)
    }

    /// The beginning of one URL with the end of another, or with a spoiler.
    fn spoilt(&mut self, urls: &[String]) -> String {
        let one = &urls[self.below(urls.len())];
        let other =
            if self.below(2) == 0 { &*urls[self.below(urls.len())] } else { SPOILERS[self.below(SPOILERS.len())] };
        let (to, from) = (self.place(one), self.place(other));
        match self.below(4) {
            0 => one.clone(),
            1 => format!("{}{}", &one[..to], &other[from..]),
            2 => format!("{}{other}{}", &one[..to], &one[to..]),
            _ => format!("{one}{other}"),
        }
    }
}

/// The base of one of the sites.
const BASE: &str = "/app";

/// One table for sites at several places.
struct Sites {
    root: Table,
    based: Table,
    /// None for a table whose pages have fragments of their own.
    in_fragment: Option<Table>,
}

impl Sites {
    fn new(spec: &TableSpec) -> Result<Self, TableError> {
        Ok(Self {
            root: spec.clone().build()?,
            based: spec.clone().base(BASE).build()?,
            in_fragment: spec.clone().location(Location::Fragment).build().ok(),
        })
    }
}

/// The URL of a site under the base for one at the root. The root of such a site has no slash.
fn under_base(url: &str) -> String {
    match url.strip_prefix('/') {
        Some(rest) if rest.is_empty() || rest.starts_with(['?', '#']) => format!("{BASE}{rest}"),
        _ => format!("{BASE}{url}"),
    }
}

/// The address of a site at the root for one at another place, whose addresses begin with this.
fn at_root(address: &str, begin: &str) -> String {
    let rest = address.strip_prefix(begin).unwrap_or(address);
    if rest.starts_with('/') { rest.to_owned() } else { format!("/{rest}") }
}

/// Are two matches the same, with their values and the share of each level? Addresses of the other begin with something.
fn is_same(one: &Match<'_, '_>, other: &Match<'_, '_>, begin: &str) -> bool {
    one.route().name() == other.route().name()
        && one.path() == other.path()
        && one.address() == at_root(&other.address(), begin)
        && one.texts().eq(other.texts())
        && one.values().eq(other.values())
        && one
            .levels()
            .zip(other.levels())
            .all(|(one, other)| one.covered() == other.covered() && one.values().eq(other.values()))
        && one.keep().get().values().eq(other.values())
}

/// Compares the sites on so many URLs, and tells how many of them a page answers.
fn compare(sites: &Sites, urls: &[String], count: usize, seed: u64) -> Result<usize, TestCaseError> {
    let mut dice = Dice(seed);
    let mut pages = 0;
    for _ in 0..count {
        let url = dice.spoilt(urls);
        if !url.starts_with('/') {
            continue;
        }
        // Of a list that is out of reach no site may ask more than another.
        let method = ["GET", "HEAD", "POST"][dice.below(3)];
        let is_cut_off = dice.below(3) == 0;
        let lists = |list: &str, value: &str| {
            if is_cut_off { Answer::Unknown { retry_after: None } } else { nested::lists(list, value).into() }
        };
        let decided = sites.root.decide(&Request::new(method, &url).lists(&lists).meets(&|_: &str| true));
        pages += usize::from(matches!(decided, Decision::Page(_)));
        let (other, begin) = match (dice.below(3), &sites.in_fragment) {
            (0, Some(other)) => (other, "/#"),
            (0 | 1, _) => (&sites.root, ""),
            // Dots lead out of a base.
            _ if url.contains("/.") || url.to_ascii_lowercase().contains("/%2e") => continue,
            _ => (&sites.based, BASE),
        };
        let moved = match begin {
            "" => format!("http://larkfell.example{url}"),
            BASE => under_base(&url),
            _ => format!("{begin}{url}"),
        };
        let there = other.decide(&Request::new(method, &moved).lists(&lists).meets(&|_: &str| true));
        let agree = match (&decided, &there) {
            (Decision::Page(one), Decision::Page(other)) => is_same(one, other, begin),
            _ => {
                let location = there.location().map(|location| at_root(location, begin));
                decided.status() == there.status() && decided.location() == location.as_deref()
            }
        };
        prop_assert!(agree, "{} {}: {:?}; {}: {:?}", method, url, decided, moved, there);
        // A search is a decision in which nothing but the URL counts.
        if dice.below(4) == 0 {
            let agree = match (&sites.root.find(&url), &other.find(&moved)) {
                (Some(one), Some(other)) => is_same(one, other, begin),
                (None, None) => true,
                _ => false,
            };
            prop_assert!(agree, "{}, {}", url, moved);
        }
    }
    Ok(pages)
}

/// The links of a table to its own routes.
fn links(table: &Table, values: &[&str]) -> Vec<String> {
    let mut urls = vec!["/".to_owned()];
    for (at, route) in table.routes().enumerate() {
        let mut link = table.link(route.name());
        for (index, param) in route.parameters().enumerate() {
            link = link.set(param.name(), values[(at + index) % values.len()]);
        }
        urls.extend(link.to_url().ok().filter(|url| url.starts_with('/')));
    }
    urls
}

/// So many URLs of each table.
const EACH: usize = 4_500;
const VALUES: &[&str] = &["a", "7", "2031-04-02", "a-b", "x.csv", "true", "ab", "1.5"];

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(72), max_shrink_iters: 60, ..ProptestConfig::default() })]

    #[test]
    fn all_places_give_the_same(routes in prop::collection::vec(route(), 1..25), urls in prop::collection::vec(url(), 40), seed: u64) {
        let sites = Sites::new(&table(&routes, 0..routes.len(), Overlaps::FirstDeclared)).expect("overlaps are no mistake");
        let urls = [urls, links(&sites.root, VALUES)].concat();
        let has_page = urls.iter().any(|url| sites.root.find(url).is_some());
        let pages = compare(&sites, &urls, EACH, seed)?;
        prop_assert!(pages > 0 || !has_page, "a page is among the URLs, and none was found");
    }

    #[test]
    fn all_places_give_the_same_through_levels(levels in prop::collection::vec(level(), 1..5), urls in prop::collection::vec(url(), 20), seed: u64) {
        let (spec, _): (TableSpec, _) = nested::site(&levels, false, "");
        let Ok(sites) = Sites::new(&spec.overlaps(Overlaps::FirstDeclared)) else { return Ok(()) };
        let urls = [urls, links(&sites.root, VALUES)].concat();
        compare(&sites, &urls, EACH, seed)?;
    }
}

/// What is measured is right, too: the tables of the benches, with the URLs of their routes.
#[test]
fn all_places_give_the_same_on_what_is_measured() {
    let all = [
        tables::rest(),
        tables::branching(200),
        tables::generated(10),
        tables::generated(1000),
        tables::generated(10_000),
    ];
    for (seed, corpus) in (6570..).zip(&all) {
        let sites = Sites::new(&crate::declared::spec(corpus)).expect("the benches have no overlaps");
        let mut dice = tables::Dice::new(seed);
        let urls: Vec<String> = corpus.routes.iter().map(|route| tables::url(route, &mut dice)).collect();
        assert!(urls.iter().all(|url| sites.root.find(url).is_some()), "{}: a route is not found", corpus.name);
        let tries = scaled(20_000) as usize;
        let pages = compare(&sites, &urls, tries, seed).unwrap_or_else(|error| panic!("{}: {error}", corpus.name));
        assert!(pages > tries / 20, "{}: {pages} pages are too few to compare", corpus.name);
    }
}

/// The demo has queries with rules, escapes, two values in a segment, and lists.
#[test]
fn all_places_give_the_same_on_the_demo() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/larkfell");
    let read_file = |name: &str| std::fs::read_to_string(folder.join(name)).map(|text| Source::by_name(name, text));
    let main = read_file("routes.toml").expect("the demo is in the repository");
    let spec = TableSpec::read_with(main, &mut |name| read_file(name).map_err(|error| error.to_string()));
    let sites = Sites::new(&spec).unwrap_or_else(|error| panic!("{error}"));
    let urls: Vec<String> =
        (0..VALUES.len()).flat_map(|from| links(&sites.root, &[&VALUES[from..], &VALUES[..from]].concat())).collect();
    let tries = scaled(40_000) as usize;
    let pages = compare(&sites, &urls, tries, 6570).unwrap_or_else(|error| panic!("{error}"));
    assert!(pages > tries / 40, "{pages} pages are too few to compare");
}
