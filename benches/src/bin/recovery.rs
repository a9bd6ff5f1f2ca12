//! How much of a site's table is learned from its log: `cargo run --release -p vivid-lane-benches --features learn --bin recovery`;
//! `-- --curve` for logs of 1,000 to 10 million requests, `-- 50000` for one of so many.
//!
//! A log is made of a known table: so many hits for each page on average, values of parameters by Zipf's law, with misspellings, probes and
//! tracking parameters in between. A route is *found* where nine of ten addresses of it that the log does not have lead to one route of the
//! learned table, and nine of ten of those that lead there are its own. A route with optional parts in its path
//! counts for each number of them, as nobody can tell from a log that they are one. A learned route is *false* where no route is found by it.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use vivid_lane::declare::Data;
use vivid_lane::lookup::{Parameter, Shape};
use vivid_lane::{RouteRef, Source, Table, TableSpec, Value};
use vivid_lane_benches::declared::spec;
use vivid_lane_benches::tables::{ACTIONS, Dice, NOUNS, rest};
use vivid_lane_learn::Learner;

/// How many values a parameter has.
const POOL: usize = 300;
/// How many addresses of each route are tried.
const TRIED: usize = 40;
const SYLLABLES: [&str; 16] =
    ["ar", "bel", "cor", "dra", "el", "fen", "gal", "hy", "ik", "lor", "mus", "nor", "or", "per", "ru", "vel"];

fn main() {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../demo/larkfell");
    let read = |name: &str| std::fs::read_to_string(format!("{demo}/{name}")).expect("the demo data is there");
    let mut include = |name: &str| Ok(Source::by_name(name, read(name)));
    let demo = TableSpec::read_with(Source::by_name("routes.toml", read("routes.toml")), &mut include);
    let built = |spec: TableSpec| spec.build().expect("it can be built");
    let sites = [
        ("demo", vec![built(demo)]),
        ("REST", vec![built(spec(&rest()))]),
        // Five tables, so that none of them decides.
        ("generated", (11..16).map(|seed| built(grown(200, seed))).collect()),
    ];
    let is_asked = |word: &str| std::env::args().any(|one| one == word);
    println!("{:10} {:>10} {:>10} {:>8} {:>8} {:>8}", "site", "requests", "hits/route", "routes", "found", "false");
    for (name, tables) in &sites {
        let pages: usize = tables.iter().map(|table| Log::new(table).pages().len()).sum();
        // How much of a site is learned as its log grows, or for so many hits of each route.
        let requests: Vec<usize> = if is_asked("--curve") {
            vec![1_000, 10_000, 100_000, 1_000_000, 10_000_000]
        } else {
            std::env::args().filter_map(|word| word.parse().ok()).collect()
        };
        let sizes = if requests.is_empty() {
            vec![20, 100, 1000]
        } else {
            requests.into_iter().map(|requests| requests * tables.len() / pages).collect()
        };
        for hits in sizes {
            let (mut requests, mut sum) = (0, Recovered::default());
            for table in tables {
                let mut log = Log::new(table);
                let mut learner = Learner::default();
                log.requests(hits, |target, status| {
                    requests += 1;
                    learner.see("GET", target, status, 1);
                });
                let learned = learner.learn();
                if is_asked("--show") {
                    println!("{}", learned.to_toml());
                }
                sum.add(&log.recovered(&learned.build().expect("it can be built")));
            }
            let Recovered { found, all, wrong, learned } = sum;
            println!(
                "{name:10} {:>10} {hits:>10} {all:>8} {:>8.3} {:>8.3}",
                requests / tables.len(),
                found as f64 / all as f64,
                wrong as f64 / learned as f64,
            );
        }
    }
}

/// A table that grows by chance: below a page stand others with names of their own, or one parameter.
fn grown(count: usize, seed: u64) -> TableSpec {
    let mut dice = Dice::new(seed);
    let mut paths: Vec<(String, usize)> = vec![(String::new(), 0)];
    let mut known: BTreeSet<String> = BTreeSet::new();
    let mut text = String::from("[params]\nnumber = 'natural'\nday = 'date'\nname = 'slug'\n");
    while known.len() < count {
        let (above, depth) = paths[dice.roll(paths.len())].clone();
        let has_param = known.iter().any(|path| path.strip_prefix(&above).is_some_and(|rest| rest.starts_with("/{")));
        let part = match dice.roll(5) {
            0 | 1 if !above.is_empty() && !has_param => {
                let free: Vec<&str> =
                    ["number", "day", "name"].into_iter().filter(|one| !above.contains(one)).collect();
                if free.is_empty() {
                    continue;
                }
                format!("{{{}}}", dice.pick(&free))
            }
            2 => (*dice.pick(ACTIONS)).to_owned(),
            _ => (*dice.pick(NOUNS)).to_owned(),
        };
        let path = format!("{above}/{part}");
        if depth < 5 && known.insert(path.clone()) {
            text += &format!("[routes.r{0}]\npath = '{path}'\npage = 'p{0}'\n", known.len());
            paths.push((path, depth + 1));
        }
    }
    TableSpec::read(Source::toml(text))
}

/// Makes addresses of a table.
struct Log<'t> {
    table: &'t Table,
    dice: Dice,
    /// The values of parameters, by the path up to each and its name.
    pools: HashMap<String, Vec<String>>,
}

impl<'t> Log<'t> {
    fn new(table: &'t Table) -> Self {
        Self { table, dice: Dice::new(7), pools: HashMap::new() }
    }

    fn pages(&self) -> Vec<RouteRef<'t>> {
        let is_shown = |route: &RouteRef<'_>| route.page().is_some() && route.methods().any(|method| method == "GET");
        self.table.routes().filter(is_shown).collect()
    }

    fn requests(&mut self, hits: usize, mut ask: impl FnMut(&str, u16)) {
        for route in self.pages() {
            let own = hits / 2 + self.dice.roll(hits + 1);
            for _ in 0..own {
                let Some((url, _)) = self.url(route) else { continue };
                match self.dice.roll(100) {
                    0..3 => ask(&format!("{url}x{}", self.dice.roll(10)), 404),
                    3..5 => ask(["/.env", "/setup.php", "/admin/config.php"][self.dice.roll(3)], 404),
                    5..12 => {
                        let between = if url.contains('?') { '&' } else { '?' };
                        ask(&format!("{url}{between}utm_source=mail{}", self.dice.roll(1000)), 200);
                    }
                    _ => ask(&url, 200),
                }
            }
        }
    }

    /// An address of a route, and how many optional parts of its path it has.
    fn url(&mut self, route: RouteRef<'t>) -> Option<(String, usize)> {
        let mut link = self.table.link(route.name());
        let mut parts = 0;
        for param in route.parameters() {
            if param.is_optional() && self.dice.roll(10) < 6 {
                // What follows in the path cannot stand without it.
                if param.kind() != vivid_lane::lookup::ParamKind::Query {
                    break;
                }
                continue;
            }
            let value = match param.shape() {
                Shape::List => {
                    let items = param.items()?;
                    Value::List((0..=self.dice.roll(2)).map(|_| self.value(route, items)).collect())
                }
                Shape::Pairs => return None,
                _ => Value::Text(self.value(route, param)),
            };
            parts += usize::from(param.is_optional() && param.kind() != vivid_lane::lookup::ParamKind::Query);
            link = link.set(param.name(), value);
        }
        link.to_url().ok().map(|url| (url, parts))
    }

    /// A value, the first ones of its pool more often than the others.
    fn value(&mut self, route: RouteRef<'t>, param: Parameter<'_>) -> String {
        let begin = route.path().as_str().split(&format!("{{{}", param.name())).next().unwrap_or_default().to_owned();
        let key = format!("{begin} {}", param.name());
        if !self.pools.contains_key(&key) {
            let pool = (0..POOL).map(|_| made(param, &mut self.dice)).collect();
            self.pools.insert(key.clone(), pool);
        }
        let pool = &self.pools[&key];
        // Zipf's law: the logarithm of the rank is even.
        let rank = (POOL as f64).powf(self.dice.roll(1 << 20) as f64 / f64::from(1 << 20));
        pool[(rank as usize).min(POOL) - 1].clone()
    }

    fn recovered(&mut self, learned: &Table) -> Recovered {
        let pages = self.pages();
        let mut leads: BTreeMap<((usize, usize), String), usize> = BTreeMap::new();
        for (number, route) in pages.iter().enumerate() {
            for (url, parts) in (0..TRIED).filter_map(|_| self.url(*route)).collect::<Vec<_>>() {
                let found = learned.find(&url).map_or(String::new(), |found| found.route().name().to_owned());
                *leads.entry(((number, parts), found)).or_default() += 1;
            }
        }
        let ways: BTreeSet<(usize, usize)> = leads.keys().map(|(way, _)| *way).collect();
        let sum = |is_meant: &dyn Fn((usize, usize), &str) -> bool| -> usize {
            leads.iter().filter(|((way, to), _)| is_meant(*way, to)).map(|(_, hits)| hits).sum()
        };
        let (mut found, mut by) = (0, BTreeSet::new());
        for way in &ways {
            let all = sum(&|from, _| from == *way);
            let to =
                leads.iter().filter(|((from, to), _)| from == way && !to.is_empty()).max_by_key(|(_, hits)| **hits);
            let Some(((_, to), hits)) = to else { continue };
            // Both ways to leave an optional part out may be one route, as they are.
            let (own, there) = (sum(&|from, other| from.0 == way.0 && other == to), sum(&|_, other| other == to));
            if hits * 10 >= all * 9 && own * 10 >= there * 9 {
                found += 1;
                by.insert(to.as_str());
            } else if std::env::args().any(|word| word == "--show") {
                let path = pages[way.0].path();
                println!("# not found: {path} leads to {to} {hits} times of {all}, where {there} lead");
            }
        }
        let learned: BTreeSet<&str> =
            learned.routes().filter(|route| route.page().is_some()).map(|route| route.name()).collect();
        let wrong = learned.iter().filter(|name| !by.contains(*name)).count();
        Recovered { found, all: ways.len(), wrong, learned: learned.len() }
    }
}

/// How many routes of a site are found, and how many of the learned table found none.
#[derive(Default)]
struct Recovered {
    found: usize,
    all: usize,
    wrong: usize,
    learned: usize,
}

impl Recovered {
    fn add(&mut self, other: &Self) {
        self.found += other.found;
        self.all += other.all;
        self.wrong += other.wrong;
        self.learned += other.learned;
    }
}

/// A value that the rule of a parameter allows.
fn made(param: Parameter<'_>, dice: &mut Dice) -> String {
    if let Some(Data::List(words)) = param.keyword("enum") {
        return words[dice.roll(words.len())].as_text().unwrap_or_default().to_owned();
    }
    let number = |name: &str| match param.keyword(name) {
        Some(Data::Integer(number)) => Some(*number),
        _ => None,
    };
    let format = param.keyword("format").and_then(Data::as_text).unwrap_or_default();
    let is_number =
        param.keyword("type").and_then(Data::as_text) == Some("integer") || matches!(format, "natural" | "integer");
    if is_number {
        let (least, most) = (number("minimum").unwrap_or(1), number("maximum").unwrap_or(5000));
        return (least + dice.roll(usize::try_from(most - least + 1).unwrap_or(1)) as i64).to_string();
    }
    if let Some(pattern) = param.keyword("pattern").and_then(Data::as_text) {
        // Those of the demo.
        return match pattern {
            "^[a-z]-[0-9]{3,5}$" => format!("{}-{}", char::from(b'a' + dice.roll(5) as u8), 100 + dice.roll(40_000)),
            "^(0[1-9]|1[0-2])$" => format!("{:02}", 1 + dice.roll(12)),
            other => panic!("no values are known for {other}"),
        };
    }
    match format {
        "date" => format!("20{:02}-{:02}-{:02}", 28 + dice.roll(4), 1 + dice.roll(12), 1 + dice.roll(28)),
        "digits" => (1 + dice.roll(9000)).to_string(),
        "file-name" => format!("{}.pdf", word(dice)),
        _ => word(dice),
    }
}

fn word(dice: &mut Dice) -> String {
    let part = |dice: &mut Dice| (0..2 + dice.roll(2)).map(|_| *dice.pick(&SYLLABLES)).collect::<String>();
    if dice.roll(3) == 0 { format!("{}-{}", part(dice), part(dice)) } else { part(dice) }
}
