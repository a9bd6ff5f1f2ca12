//! What a lookup costs beside its yardsticks: ratios of medians, all contenders taking turns within one run. Prints a
//! table in Markdown.

#![forbid(unsafe_code)]

use std::hint::black_box;
use std::time::Instant;

use vivid_lane::{Decision, Request, Table};
use vivid_lane_benches::contenders::{demo_hits, demo_spec, hits, links, misses, ours, read, spec};
use vivid_lane_benches::forms::{MapPerNode, WholeShape};
use vivid_lane_benches::tables::{Corpus, branching, generated, rest};
use vivid_lane_benches::yardsticks::{Exact, Expressions, exact, nested};

/// How many rounds; each contender runs once in each, and the median counts.
const ROUNDS: usize = 31;

/// A name, and what makes some calls and tells how many.
type Contender<'a> = (&'static str, Box<dyn FnMut() -> usize + 'a>);

/// Nanoseconds a call of each contender.
struct Times(Vec<(&'static str, f64)>);

impl Times {
    /// Lets all contenders run in turn.
    fn measure(mut contenders: Vec<Contender<'_>>) -> Self {
        let mut times: Vec<Vec<f64>> = vec![Vec::new(); contenders.len()];
        for _ in 0..ROUNDS {
            for (at, (_, run)) in contenders.iter_mut().enumerate() {
                let start = Instant::now();
                let calls = run();
                times[at].push(start.elapsed().as_secs_f64() * 1e9 / calls as f64);
            }
        }
        let median = |mut times: Vec<f64>| {
            times.sort_by(f64::total_cmp);
            times[times.len() / 2]
        };
        Self(contenders.iter().zip(times).map(|((name, _), times)| (*name, median(times))).collect())
    }

    fn of(&self, name: &str) -> Option<f64> {
        self.0.iter().find(|(known, _)| *known == name).map(|(_, time)| *time)
    }

    /// How many times dearer one is than another.
    fn ratio(&self, one: &str, other: &str) -> String {
        match (self.of(one), self.of(other)) {
            (Some(one), Some(other)) => format!("{:.2}", one / other),
            _ => "–".to_owned(),
        }
    }
}

/// Calls something with each URL, about so many times in all.
fn over<'a, T: AsRef<str>, R>(
    name: &'static str,
    urls: &'a [T],
    calls: usize,
    mut call: impl FnMut(&'a str) -> R + 'a,
) -> Contender<'a> {
    let repeats = (calls / urls.len().max(1)).max(1);
    let run = move || {
        for _ in 0..repeats {
            for url in urls {
                black_box(call(black_box(url.as_ref())));
            }
        }
        repeats * urls.len()
    };
    (name, Box::new(run))
}

/// The lookups that every table is measured with: the exact map and ours, of hits and of misses.
fn lookups<'a>(
    table: &'a Table,
    map: &'a Exact,
    urls: &'a [&'a str],
    early: &'a [String],
    late: &'a [String],
) -> Vec<Contender<'a>> {
    vec![
        over("exact", urls, 20_000, |url| map.contains_key(url)),
        over("find", urls, 20_000, |url| table.find(url).map(|found| read(&found))),
        over("decide", urls, 20_000, |url| {
            if let Decision::Page(found) = table.decide(&Request::get(url)) {
                black_box(read(&found));
            }
        }),
        over("early", early, 20_000, |url| table.find(url).is_some()),
        over("late", late, 20_000, |url| table.find(url).is_some()),
    ]
}

fn row(corpus: &Corpus) -> String {
    let spec = spec(corpus);
    let start = Instant::now();
    let table = spec.build().unwrap_or_else(|error| panic!("{error}"));
    let built = start.elapsed().as_secs_f64();
    let memory = kept(|| ours(corpus));
    let known = hits(corpus);
    let map = exact(&known);
    check(corpus, &table, &known, &map);
    let urls: Vec<&str> = known.iter().map(|(url, _)| url.as_str()).collect();
    let early = misses(corpus, true);
    let late: Vec<String> = misses(corpus, false).into_iter().filter(|url| table.find(url).is_none()).collect();
    let expressions = (corpus.routes.len() <= 1000).then(|| Expressions::new(corpus));
    let mut contenders = lookups(&table, &map, &urls, &early, &late);
    if let Some(nested) = nested(&corpus.name) {
        contenders.push(over("nested", &urls, 20_000, nested));
    }
    if let Some(expressions) = &expressions {
        contenders.push(over("set", &urls, 500, |url| expressions.find(url)));
    }
    let times = Times::measure(contenders);
    columns(&corpus.name, corpus.routes.len(), &times, built, memory)
}

/// How many bytes a table keeps.
fn kept(build: impl FnOnce() -> Table) -> u64 {
    let mut table = None;
    let counted = allocation_counter::measure(|| table = Some(build()));
    drop(table);
    counted.bytes_current.try_into().unwrap_or_default()
}

/// All contenders give the same answers, or nothing is timed.
fn check(corpus: &Corpus, table: &Table, urls: &[(String, usize)], map: &Exact) {
    let nested = nested(&corpus.name);
    let expressions = (corpus.routes.len() <= 1000).then(|| Expressions::new(corpus));
    for (url, index) in urls {
        let found = table.find(url).unwrap_or_else(|| panic!("{url} is not found"));
        assert_eq!(found.route().name(), index.to_string(), "{url}");
        let texts: Vec<String> = found.texts().map(|(_, text)| text.into_owned()).collect();
        let values: Vec<&str> = texts.iter().map(String::as_str).collect();
        assert_eq!(map.get(url.as_str()), u32::try_from(*index).ok().as_ref());
        if let Some(nested) = nested {
            let (by, captured) = nested(url).unwrap_or_else(|| panic!("{url} is not found by the match"));
            assert_eq!((by, captured.values()), (*index, &*values), "{url}");
        }
        if let Some(expressions) = &expressions {
            let (by, captured) = expressions.find(url).unwrap_or_else(|| panic!("{url} is not found by the set"));
            assert_eq!((by, captured.values()), (*index, &*values), "{url}");
        }
    }
    for url in misses(corpus, true) {
        assert!(table.find(&url).is_none(), "{url} is found");
    }
    for url in misses(corpus, true).iter().chain(&misses(corpus, false)) {
        let is_found = table.find(url).is_some();
        assert!(nested.is_none_or(|nested| nested(url).is_some() == is_found), "{url}: {is_found}");
        assert!(expressions.as_ref().is_none_or(|all| all.find(url).is_some() == is_found), "{url}: {is_found}");
    }
}

/// The table of the demo. The yardsticks but the first do not know such a table.
fn of_the_demo() -> String {
    let start = Instant::now();
    let table = demo_spec().build().unwrap_or_else(|error| panic!("{error}"));
    let built = start.elapsed().as_secs_f64();
    let known = demo_hits(&table);
    let map = exact(&known);
    let urls: Vec<&str> = known.iter().map(|(url, _)| url.as_str()).collect();
    let early: Vec<String> = urls.iter().map(|url| format!("/zzz{url}")).collect();
    let late: Vec<String> =
        urls.iter().map(|url| format!("{url}/zzz")).filter(|url| table.find(url).is_none()).collect();
    let times = Times::measure(lookups(&table, &map, &urls, &early, &late));
    columns("demo", table.routes().len(), &times, built, kept(|| demo_spec().build().expect("it was built before")))
}

/// A line of the table of ratios.
fn columns(name: &str, routes: usize, times: &Times, built: f64, memory: u64) -> String {
    format!(
        "| {name} | {routes} | {} | {} | {} | {} | {} | {} | {built:.3} s | {:.0} |",
        times.ratio("find", "exact"),
        times.ratio("decide", "find"),
        times.ratio("early", "find"),
        times.ratio("late", "find"),
        times.ratio("nested", "find"),
        times.ratio("set", "find"),
        memory as f64 / routes as f64,
    )
}

/// The same rounds on so many threads at once; so many of them that starting a thread is nothing beside them.
fn on_threads<'a>(name: &'static str, threads: usize, calls: usize, rounds: &'a (impl Fn() + Sync)) -> Contender<'a> {
    let run = move || {
        std::thread::scope(|scope| {
            for _ in 1..threads {
                scope.spawn(rounds);
            }
            rounds();
        });
        threads * calls
    };
    (name, Box::new(run))
}

/// A link with two values beside a hash lookup, and two threads beside one.
fn others() {
    let corpus = rest();
    let table = ours(&corpus);
    let known = hits(&corpus);
    let map = exact(&known);
    let urls: Vec<&str> = known.iter().map(|(url, _)| url.as_str()).collect();
    let two = links(&corpus);
    let rounds = || {
        for url in std::iter::repeat_n(&urls, 100).flatten() {
            black_box(table.find(black_box(url)).map(|found| read(&found)));
        }
    };
    let exact_rounds = || {
        for url in std::iter::repeat_n(&urls, 1000).flatten() {
            black_box(map.contains_key(black_box(*url)));
        }
    };
    let times = Times::measure(vec![
        over("exact", &urls, 20_000, |url| map.contains_key(url)),
        (
            "link",
            Box::new(|| {
                // As often as the lookups: what is done but once is measured with cold caches.
                let repeats = 20_000 / two.len();
                for (name, [first, second]) in std::iter::repeat_n(&two, repeats).flatten() {
                    let link = table.link(name.as_str()).set(*first, "m-57").set(*second, "m-57");
                    black_box(link.to_url().expect("a link"));
                }
                repeats * two.len()
            }),
        ),
        on_threads("one thread", 1, 100 * urls.len(), &rounds),
        on_threads("two threads", 2, 100 * urls.len(), &rounds),
        on_threads("exact on one", 1, 1000 * urls.len(), &exact_rounds),
        on_threads("exact on two", 2, 1000 * urls.len(), &exact_rounds),
    ]);
    println!("\nA link with two values costs {} × a hash lookup.", times.ratio("link", "exact"));
    let (ours, exact) = (times.ratio("one thread", "two threads"), times.ratio("exact on one", "exact on two"));
    println!("Two threads look up {ours} × as many URLs as one; in the exact map {exact} ×.");
}

/// Other forms of a frozen table beside the one that was kept, on tables that all of them can hold.
fn forms() {
    println!(
        "\n| table | `find` without its values : exact map | a map for each node : exact map | one probe for a whole shape : exact map |"
    );
    println!("| --- | --- | --- | --- |");
    for corpus in [rest(), branching(200)] {
        let table = ours(&corpus);
        let known = hits(&corpus);
        let map = exact(&known);
        let (by_map, by_shape) = (MapPerNode::new(&corpus), WholeShape::new(&corpus));
        for (url, index) in &known {
            let found = by_map.find(url).expect("a route");
            assert_eq!((found.0, Some(found)), (*index, by_shape.find(url)), "{url}");
            assert_eq!(table.find(url).expect("a page").route().name(), index.to_string(), "{url}");
        }
        let urls: Vec<&str> = known.iter().map(|(url, _)| url.as_str()).collect();
        let times = Times::measure(vec![
            over("exact", &urls, 20_000, |url| map.contains_key(url)),
            over("find", &urls, 20_000, |url| table.find(url)),
            over("map", &urls, 20_000, |url| by_map.find(url)),
            over("shape", &urls, 20_000, |url| by_shape.find(url)),
        ]);
        let [find, map, shape] = ["find", "map", "shape"].map(|name| times.ratio(name, "exact"));
        println!("| {} | {find} | {map} | {shape} |", corpus.name);
    }
}

fn main() {
    let wanted: Vec<String> = std::env::args().skip(1).collect();
    let mut corpora = vec![rest()];
    corpora.extend([10, 100, 1000, 10_000, 100_000].map(generated));
    corpora.push(branching(200));
    println!(
        "| table | routes | `find` : exact map | `decide` : `find` | early miss : `find` | late miss : `find` | nested `match` : `find` | `RegexSet` : `find` | built in | bytes a route |"
    );
    println!("| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |");
    if wanted.is_empty() || wanted.iter().any(|name| name == "demo") {
        println!("{}", of_the_demo());
    }
    for corpus in corpora.iter().filter(|corpus| wanted.is_empty() || wanted.contains(&corpus.name)) {
        println!("{}", row(corpus));
    }
    if wanted.is_empty() {
        let urls = hits(&corpora[0]);
        let each = |count: &dyn Fn(&str) -> usize| {
            urls.iter().map(|(url, _)| count(url) as f64).sum::<f64>() / urls.len() as f64
        };
        let (bytes, segments) = (each(&str::len), each(&|url| url.matches('/').count()));
        println!("\nThe URLs of REST have {bytes:.0} bytes and {segments:.1} segments on average.");
        others();
        forms();
    }
}
