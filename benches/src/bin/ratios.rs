//! Ratios of a lookup to its yardsticks, measured in turn within one run.

#![forbid(unsafe_code)]

use std::hint::black_box;
use std::time::Instant;

use vivid_lane::{Request, Table};
use vivid_lane_benches::contenders::{Exact, Expressions, exact, hits, misses, nested, ours, read};
use vivid_lane_benches::tables::{Corpus, branching, generated, rest};

/// How many rounds; each contender runs once in each, and the median counts.
const ROUNDS: usize = 31;

/// Nanoseconds a call of each contender: the median over rounds in which all take turns.
fn in_turn(mut contenders: Vec<(&str, Box<dyn FnMut() -> usize + '_>)>) -> Vec<(String, f64)> {
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
    contenders.iter().zip(times).map(|((name, _), times)| ((*name).to_owned(), median(times))).collect()
}

fn repeats(urls: usize) -> usize {
    (20_000 / urls).max(1)
}

fn measure(corpus: &Corpus) {
    let start = Instant::now();
    let table = ours(corpus);
    let built = start.elapsed();
    let urls = hits(corpus);
    let map = exact(&urls);
    check(corpus, &table, &urls, &map);
    let nested = nested(&corpus.name);
    let expressions = (corpus.routes.len() <= 1000).then(|| Expressions::new(corpus));
    let early = misses(corpus, true);
    let late: Vec<String> = misses(corpus, false).into_iter().filter(|url| table.find(url).is_none()).collect();
    let bytes: usize = urls.iter().map(|(url, _)| url.len()).sum();
    let few = if urls.len() > 200 { &urls[..200] } else { &urls };

    let mut contenders: Vec<(&str, Box<dyn FnMut() -> usize + '_>)> = Vec::new();
    contenders.push((
        "exact",
        Box::new(|| {
            for _ in 0..repeats(urls.len()) {
                for (url, _) in &urls {
                    black_box(map.get(black_box(url.as_str())));
                }
            }
            repeats(urls.len()) * urls.len()
        }),
    ));
    contenders.push((
        "find",
        Box::new(|| {
            for _ in 0..repeats(urls.len()) {
                for (url, _) in &urls {
                    let found = table.find(black_box(url));
                    black_box(found.as_ref().map(read));
                }
            }
            repeats(urls.len()) * urls.len()
        }),
    ));
    contenders.push((
        "decide",
        Box::new(|| {
            for _ in 0..repeats(urls.len()) {
                for (url, _) in &urls {
                    if let vivid_lane::Decision::Page(found) = table.decide(&Request::get(black_box(url.as_str()))) {
                        black_box(read(&found));
                    }
                }
            }
            repeats(urls.len()) * urls.len()
        }),
    ));
    contenders.push((
        "miss early",
        Box::new(|| {
            for _ in 0..repeats(early.len()) {
                for url in &early {
                    black_box(table.find(black_box(url)).is_some());
                }
            }
            repeats(early.len()) * early.len()
        }),
    ));
    contenders.push((
        "miss late",
        Box::new(|| {
            for _ in 0..repeats(late.len()) {
                for url in &late {
                    black_box(table.find(black_box(url)).is_some());
                }
            }
            repeats(late.len()) * late.len()
        }),
    ));
    if let Some(nested) = nested {
        contenders.push((
            "nested",
            Box::new(move || {
                for (url, _) in few {
                    black_box(nested(black_box(url)));
                }
                few.len()
            }),
        ));
    }
    if let Some(expressions) = &expressions {
        contenders.push((
            "regex set",
            Box::new(move || {
                for (url, _) in few {
                    black_box(expressions.find(black_box(url)));
                }
                few.len()
            }),
        ));
    }
    let times = in_turn(contenders);
    let of = |name: &str| times.iter().find(|(known, _)| known == name).map(|(_, time)| *time);
    let exact = of("exact").unwrap_or(1.0);
    let find = of("find").unwrap_or(1.0);
    println!(
        "{:>10} routes {:>6}  avg {:>3} bytes  built in {:.3} s",
        corpus.name,
        corpus.routes.len(),
        bytes / urls.len(),
        built.as_secs_f64()
    );
    for (name, time) in &times {
        println!("    {name:12} {time:>9.1} ns   {:>7.2} x exact   {:>7.2} x find", time / exact, time / find);
    }
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

fn main() {
    let wanted: Vec<String> = std::env::args().skip(1).collect();
    let mut corpora = vec![rest()];
    corpora.extend([10, 100, 1000, 10_000, 100_000].map(generated));
    corpora.push(branching(200));
    for corpus in corpora.iter().filter(|corpus| wanted.is_empty() || wanted.contains(&corpus.name)) {
        measure(corpus);
    }
}
