//! The fast path of a lookup against the general one. A URL with a scheme and a host goes the general way; where no route names a
//! host, it asks for the same.

use std::path::Path;

use proptest::prelude::*;
use vivid_lane::declare::Overlaps;
use vivid_lane::{Answer, Decision, Match, Request, Source, Table, TableSpec};

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

/// Are two matches the same, with their values and the share of each level?
fn is_same(one: &Match<'_, '_>, other: &Match<'_, '_>) -> bool {
    one.route() == other.route()
        && one.path() == other.path()
        && one.address() == other.address()
        && one.texts().eq(other.texts())
        && one.values().eq(other.values())
        && one
            .levels()
            .zip(other.levels())
            .all(|(one, other)| one.covered() == other.covered() && one.values().eq(other.values()))
        && one.keep().get().values().eq(other.values())
}

/// Compares both ways on so many URLs, and tells how many of them a page answers.
fn compare(table: &Table, urls: &[String], count: usize, seed: u64) -> Result<usize, TestCaseError> {
    let mut dice = Dice(seed);
    let mut pages = 0;
    for _ in 0..count {
        let url = dice.spoilt(urls);
        if !url.starts_with('/') {
            continue;
        }
        let absolute = format!("http://larkfell.example{url}");
        // Of a list that is out of reach neither way may ask more than the other.
        let method = ["GET", "HEAD", "POST"][dice.below(3)];
        let is_cut_off = dice.below(3) == 0;
        let lists = |list: &str, value: &str| {
            if is_cut_off { Answer::Unknown { retry_after: None } } else { nested::lists(list, value).into() }
        };
        let decide = |url| table.decide(&Request::new(method, url).lists(&lists).meets(&|_: &str| true));
        let (fast, general) = (decide(&url), decide(&absolute));
        let agree = match (&fast, &general) {
            (Decision::Page(fast), Decision::Page(general)) => is_same(fast, general),
            _ => fast.status() == general.status() && fast.location() == general.location(),
        };
        prop_assert!(agree, "{} {}: {:?}, and the general way {:?}", method, url, fast, general);
        pages += usize::from(matches!(fast, Decision::Page(_)));
        // A search is a decision in which nothing but the URL counts.
        if dice.below(4) == 0 {
            let (fast, general) = (table.find(&url), table.find(&absolute));
            let agree = match (&fast, &general) {
                (Some(fast), Some(general)) => is_same(fast, general),
                (None, None) => true,
                _ => false,
            };
            prop_assert!(agree, "{}: {:?}, and the general way {:?}", url, fast, general);
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
const EACH: usize = 7_500;
const VALUES: &[&str] = &["a", "7", "2031-04-02", "a-b", "x.csv", "true", "ab", "1.5"];

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(72), max_shrink_iters: 60, ..ProptestConfig::default() })]

    #[test]
    fn both_ways_give_the_same(routes in prop::collection::vec(route(), 1..25), urls in prop::collection::vec(url(), 40), seed: u64) {
        let built = table(&routes, 0..routes.len(), Overlaps::FirstDeclared).build().expect("overlaps are no mistake");
        let urls = [urls, links(&built, VALUES)].concat();
        let has_page = urls.iter().any(|url| built.find(url).is_some());
        let pages = compare(&built, &urls, EACH, seed)?;
        prop_assert!(pages > 0 || !has_page, "a page is among the URLs, and none was found");
    }

    #[test]
    fn both_ways_give_the_same_through_levels(levels in prop::collection::vec(level(), 1..5), urls in prop::collection::vec(url(), 20), seed: u64) {
        let (spec, _): (TableSpec, _) = nested::site(&levels, false, "");
        let Ok(built) = spec.overlaps(Overlaps::FirstDeclared).build() else { return Ok(()) };
        let urls = [urls, links(&built, VALUES)].concat();
        compare(&built, &urls, EACH, seed)?;
    }
}

/// What is measured is right, too: the tables of the benches, with the URLs of their routes.
#[test]
fn both_ways_give_the_same_on_what_is_measured() {
    let all = [
        tables::rest(),
        tables::branching(200),
        tables::generated(10),
        tables::generated(1000),
        tables::generated(10_000),
    ];
    for (seed, corpus) in (6570..).zip(&all) {
        let table = crate::declared::spec(corpus).build().expect("the benches have no overlaps");
        let mut dice = tables::Dice::new(seed);
        let urls: Vec<String> = corpus.routes.iter().map(|route| tables::url(route, &mut dice)).collect();
        assert!(urls.iter().all(|url| table.find(url).is_some()), "{}: a route is not found", corpus.name);
        let tries = scaled(20_000) as usize;
        let pages = compare(&table, &urls, tries, seed).unwrap_or_else(|error| panic!("{}: {error}", corpus.name));
        assert!(pages > tries / 20, "{}: {pages} pages are too few to compare", corpus.name);
    }
}

/// The demo has queries with rules, escapes, two values in a segment, and lists.
#[test]
fn both_ways_give_the_same_on_the_demo() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/larkfell");
    let read_file = |name: &str| std::fs::read_to_string(folder.join(name)).map(|text| Source::by_name(name, text));
    let main = read_file("routes.toml").expect("the demo is in the repository");
    let spec = TableSpec::read_with(main, &mut |name| read_file(name).map_err(|error| error.to_string()));
    let table = spec.build().unwrap_or_else(|error| panic!("{error}"));
    let urls: Vec<String> =
        (0..VALUES.len()).flat_map(|from| links(&table, &[&VALUES[from..], &VALUES[..from]].concat())).collect();
    let tries = scaled(40_000) as usize;
    let pages = compare(&table, &urls, tries, 6570).unwrap_or_else(|error| panic!("{error}"));
    assert!(pages > tries / 40, "{pages} pages are too few to compare");
}
