//! One contender, some rounds, no clock: to be run under a tool that counts instructions. What a call costs is the
//! difference between two numbers of rounds.

#![forbid(unsafe_code)]

use std::hint::black_box;

use vivid_lane::{Decision, Request, Table};
use vivid_lane_benches::contenders::{demo_hits, demo_spec, hits, links, misses, ours, read};
use vivid_lane_benches::forms::{MapPerNode, WholeShape};
use vivid_lane_benches::tables::{branching, generated, rest};
use vivid_lane_benches::yardsticks::exact;

fn main() {
    let mut arguments = std::env::args().skip(1);
    let mut next = || arguments.next().expect("a contender, a table and a number of rounds");
    let (contender, corpus, rounds) = (next(), next(), next());
    if contender == "query" {
        return query(corpus.parse().expect("a number of parameters"), rounds.parse().expect("a number of rounds"));
    }
    let rounds: usize = rounds.parse().expect("a number of rounds");
    if corpus == "demo" {
        return demo(&contender, rounds);
    }
    let corpus = match corpus.as_str() {
        "REST" => rest(),
        "branching" => branching(200),
        count => generated(count.parse().expect("a number of routes")),
    };
    let urls = hits(&corpus);
    let late: Vec<String> = misses(&corpus, false);
    let map = exact(&urls);
    let links = links(&corpus, 2);
    let (by_map, by_shape) = (MapPerNode::new(&corpus), WholeShape::new(&corpus));
    let table = ours(&corpus);
    let calls = match contender.as_str() {
        "miss" => late.len(),
        "link" => links.len(),
        _ => urls.len(),
    };
    if rounds == 0 {
        // How many calls one round makes.
        println!("{calls}");
    }
    for _ in 0..rounds {
        match contender.as_str() {
            "exact" => urls.iter().for_each(|(url, _)| {
                black_box(map.get(black_box(url.as_str())));
            }),
            "find" => urls.iter().for_each(|(url, _)| {
                black_box(table.find(black_box(url)).map(|found| read(&found)));
            }),
            "route" => urls.iter().for_each(|(url, _)| {
                black_box(table.find(black_box(url)));
            }),
            "map-per-node" => urls.iter().for_each(|(url, _)| {
                black_box(by_map.find(black_box(url)));
            }),
            "whole-shape" => urls.iter().for_each(|(url, _)| {
                black_box(by_shape.find(black_box(url)));
            }),
            "decide" => urls.iter().for_each(|(url, _)| {
                if let Decision::Page(found) = table.decide(&Request::get(black_box(url.as_str()))) {
                    black_box(read(&found));
                }
            }),
            "miss" => late.iter().for_each(|url| {
                black_box(table.find(black_box(url)).is_some());
            }),
            "link" => links.iter().for_each(|(name, params)| {
                let link = params.iter().fold(table.link(name.as_str()), |link, param| link.set(*param, "m-57"));
                black_box(link.to_url().expect("a link"));
            }),
            other => panic!("{other} is no contender"),
        }
    }
}

/// Lookups in the table of the demo.
fn demo(contender: &str, rounds: usize) {
    let table = demo_spec().build().unwrap_or_else(|error| panic!("{error}"));
    let urls = demo_hits(&table);
    let map = exact(&urls);
    if rounds == 0 {
        println!("{}", urls.len());
    }
    for (url, _) in std::iter::repeat_n(&urls, rounds).flatten() {
        match contender {
            "exact" => drop(black_box(map.get(black_box(url.as_str())))),
            "find" => drop(black_box(table.find(black_box(url)).map(|found| read(&found)))),
            other => panic!("{other} is no contender for the demo"),
        }
    }
}

/// A page with so many query parameters, all of which are read.
fn query(count: usize, rounds: usize) {
    let names: Vec<String> = (0..count).map(|at| format!("p{at}")).collect();
    let table = format!("[routes.search]\npath = '/search{{?{}}}'\npage = 'search'", names.join(","));
    let table = Table::from_toml(&table).expect("a table");
    let pairs: Vec<String> = names.iter().map(|name| format!("{name}=value")).collect();
    let url = format!("/search?{}", pairs.join("&"));
    if rounds == 0 {
        println!("1");
    }
    for _ in 0..rounds {
        let found = table.find(black_box(&url)).expect("a page");
        assert_eq!(black_box(read(&found)), 5 * count);
    }
}
