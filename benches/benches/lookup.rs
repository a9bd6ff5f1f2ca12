//! What a lookup costs, by a standard harness: `cargo bench -p vivid-lane-benches`. For figures that are compared, see
//! the binary `ratios`, whose contenders take turns.

#![allow(missing_docs, reason = "the macros of the harness write functions without any")]

use std::hint::black_box;

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use vivid_lane::Request;
use vivid_lane_benches::contenders::{hits, ours, read};
use vivid_lane_benches::tables::{generated, rest};
use vivid_lane_benches::yardsticks::{exact, nested};

fn lookups(criterion: &mut Criterion) {
    for corpus in [rest(), generated(10), generated(1000), generated(100_000)] {
        let table = ours(&corpus);
        let known = hits(&corpus);
        let map = exact(&known);
        for (url, index) in &known {
            assert_eq!(table.find(url).expect("a page").route().name(), index.to_string(), "{url}");
        }
        let mut group = criterion.benchmark_group("lookup");
        group.throughput(Throughput::Elements(known.len() as u64));
        let mut run = |name: &str, call: &dyn Fn(&str)| {
            group.bench_function(BenchmarkId::new(name, &corpus.name), |bencher| {
                bencher.iter(|| known.iter().for_each(|(url, _)| call(black_box(url))));
            });
        };
        run("exact map", &|url| {
            black_box(map.get(url));
        });
        run("find", &|url| {
            black_box(table.find(url).map(|found| read(&found)));
        });
        run("decide", &|url| {
            black_box(table.decide(&Request::get(url)));
        });
        if let Some(nested) = nested(&corpus.name) {
            run("nested match", &|url| {
                black_box(nested(url));
            });
        }
        group.finish();
    }
}

criterion_group!(benches, lookups);
criterion_main!(benches);
