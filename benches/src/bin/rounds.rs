//! One contender, some rounds, no clock: to be run under a tool that counts the instructions of `counted`.

#![forbid(unsafe_code)]

use std::hint::black_box;

use vivid_lane::{Decision, Request, Table};
use vivid_lane_benches::contenders::{demo_hits, demo_spec, hits, links, misses, ours, read, spec};
use vivid_lane_benches::forms::{MapPerNode, WholeShape};
use vivid_lane_benches::tables::{Corpus, branching, generated, rest};
use vivid_lane_benches::yardsticks::exact;

/// What is counted: nothing that is done before it, and nothing after.
#[inline(never)]
fn counted(rounds: usize, round: &mut dyn FnMut()) {
    for _ in 0..rounds {
        round();
    }
}

fn main() {
    let mut arguments = std::env::args().skip(1);
    let mut next = || arguments.next().expect("a contender, a table and a number of rounds");
    let (contender, corpus, rounds) = (next(), next(), next());
    let rounds: usize = rounds.parse().expect("a number of rounds");
    // With no rounds it is told how many calls one makes.
    let run =
        |calls: usize, round: &mut dyn FnMut()| if rounds == 0 { println!("{calls}") } else { counted(rounds, round) };
    if contender == "query" {
        return query(corpus.parse().expect("a number of parameters"), run);
    }
    let corpus = match corpus.as_str() {
        "demo" => return demo(&contender, run),
        "REST" => rest(),
        "branching" => branching(200),
        count => generated(count.parse().expect("a number of routes")),
    };
    let urls = hits(&corpus);
    match contender.as_str() {
        "exact" => {
            let map = exact(&urls);
            run(urls.len(), &mut || each(&urls, |url| map.get(url)));
        }
        "map-per-node" => {
            let form = MapPerNode::new(&corpus);
            run(urls.len(), &mut || each(&urls, |url| form.find(url)));
        }
        "whole-shape" => {
            let form = WholeShape::new(&corpus);
            run(urls.len(), &mut || each(&urls, |url| form.find(url)));
        }
        other => of_ours(other, &corpus, &urls, run),
    }
}

/// Calls something with each URL.
#[inline(always)]
fn each<'u, R>(urls: &'u [(String, usize)], mut call: impl FnMut(&'u str) -> R) {
    for (url, _) in urls {
        black_box(call(black_box(url.as_str())));
    }
}

/// Calls of our own table.
fn of_ours(contender: &str, corpus: &Corpus, urls: &[(String, usize)], run: impl Fn(usize, &mut dyn FnMut())) {
    if contender == "build" {
        // One round: the table is dropped when nothing is counted any more.
        let (mut spec, mut built) = (Some(spec(corpus)), None);
        run(corpus.routes.len(), &mut || built = spec.take().map(|spec| spec.build().expect("a table")));
        return drop(black_box(built));
    }
    let table = ours(corpus);
    match contender {
        "find" => run(urls.len(), &mut || each(urls, |url| table.find(url).map(|found| read(&found)))),
        "route" => run(urls.len(), &mut || each(urls, |url| table.find(url))),
        "decide" => run(urls.len(), &mut || {
            each(urls, |url| match table.decide(&Request::get(url)) {
                Decision::Page(found) => read(&found),
                _ => 0,
            });
        }),
        "miss" => {
            let late: Vec<(String, usize)> = misses(corpus, false).into_iter().map(|url| (url, 0)).collect();
            run(late.len(), &mut || each(&late, |url| table.find(url).is_some()));
        }
        "link" => {
            let links = links(corpus);
            run(links.len(), &mut || {
                for (name, [first, second]) in &links {
                    let link = table.link(name.as_str()).set(*first, "m-57").set(*second, "m-57");
                    black_box(link.to_url().expect("a link"));
                }
            });
        }
        other => panic!("{other} is no contender"),
    }
}

/// Lookups in the table of the demo.
fn demo(contender: &str, run: impl Fn(usize, &mut dyn FnMut())) {
    let table = demo_spec().build().unwrap_or_else(|error| panic!("{error}"));
    let urls = demo_hits(&table);
    match contender {
        "exact" => {
            let map = exact(&urls);
            run(urls.len(), &mut || each(&urls, |url| map.get(url)));
        }
        "find" => run(urls.len(), &mut || each(&urls, |url| table.find(url).map(|found| read(&found)))),
        other => panic!("{other} is no contender for the demo"),
    }
}

/// A page with so many query parameters, all of which are read.
fn query(count: usize, run: impl Fn(usize, &mut dyn FnMut())) {
    let names: Vec<String> = (0..count).map(|at| format!("p{at}")).collect();
    let table = format!("[routes.search]\npath = '/search{{?{}}}'\npage = 'search'", names.join(","));
    let table = Table::from_toml(&table).expect("a table");
    let pairs: Vec<String> = names.iter().map(|name| format!("{name}=value")).collect();
    let url = format!("/search?{}", pairs.join("&"));
    run(1, &mut || {
        let found = table.find(black_box(&url)).expect("a page");
        assert_eq!(black_box(read(&found)), 5 * count);
    });
}
