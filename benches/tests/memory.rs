//! What is allocated: nothing for a lookup, and so much for a table.

#![forbid(unsafe_code)]

use vivid_lane::analyse::Differences;
use vivid_lane::{Decision, Request, Review, RouteSpec, Source, Table, TableSpec};
use vivid_lane_benches::contenders::{hits, misses, ours, read};
use vivid_lane_benches::tables::{generated, rest};

#[test]
fn a_lookup_allocates_nothing() {
    for corpus in [rest(), generated(1000)] {
        let table = ours(&corpus);
        let (hits, late, early) = (hits(&corpus), misses(&corpus, false), misses(&corpus, true));
        let counted = allocation_counter::measure(|| {
            for (url, _) in &hits {
                let found = table.find(url).expect("the URL is of the table");
                assert!(read(&found) < url.len());
                assert!(matches!(table.decide(&Request::get(url.as_str())), Decision::Page(_)));
            }
            for url in late.iter().chain(&early) {
                std::hint::black_box(table.find(url).is_some());
            }
        });
        assert_eq!(counted.count_total, 0, "{}", corpus.name);
    }
    // Eight parameters, and a query.
    let path: String = (0..8).map(|at| format!("/{{p{at}}}")).collect();
    let table = Table::from_toml(&format!("[routes.a]\npath = '{path}{{?q}}'\npage = 'a'")).expect("a table");
    let url = "/value".repeat(8) + "?q=1";
    let counted = allocation_counter::measure(|| {
        let found = table.find(&url).expect("a page");
        assert_eq!(found.texts().map(|(_, text)| text.len()).sum::<usize>(), 8 * 5 + 1);
    });
    assert_eq!(counted.count_total, 0);
}

/// What a route takes once the table is built.
#[test]
fn a_built_table_takes_little_room() {
    // The automata of the formats that are built in are made once for all tables.
    drop(ours(&generated(100)));
    for count in [1000, 20_000] {
        let corpus = generated(count);
        let mut table = None;
        let counted = allocation_counter::measure(|| table = Some(ours(&corpus)));
        let of_one = counted.bytes_current as f64 / count as f64;
        println!("{count} routes: {of_one} bytes each");
        assert!(of_one < 540.0, "{count} routes: {of_one} bytes each");
    }
}

/// A declared table is forgotten while it is built; a check and a comparison hold one of it.
#[test]
fn large_tables_take_little_room() {
    const ROUTES: usize = 10_000;
    let text = |end: &str| -> String {
        let route = |at: usize| {
            let name = format!("plates{at}/{{id}}/prints{at}/{{number}}{end}");
            format!("[routes.r{at}]\npath = '/{name}'\npage = 'p{at}'\nparams.number = 'natural'\n")
        };
        (0..ROUTES).map(route).collect()
    };
    let read = |text: &str| TableSpec::read(Source::toml(text));
    let (old, new) = (text(""), text("{/part}"));
    let most = |work: &dyn Fn()| allocation_counter::measure(work).bytes_max as f64 / ROUTES as f64;
    let reading = most(&|| drop(read(&old)));
    let building = most(&|| drop(read(&old).build().expect("a table")));
    let checking = most(&|| assert_eq!(Review::new(read(&old)).run().findings().len(), 0));
    let before = read(&old).build().expect("a table");
    let compare = |new: &str| {
        let added = RouteSpec::new("added").path("/added").page("added");
        let differences = Differences::since(before.clone(), read(new).route(added)).expect("a table");
        assert_eq!(differences.all().len(), 1 + ROUTES);
        differences.redirects().len()
    };
    let comparing = most(&|| assert_eq!(compare(&new), 0));
    // The worst: each route stands elsewhere, and has a redirect to be tried.
    let moving = most(&|| assert_eq!(compare(&old.replace("plates", "moved")), ROUTES));
    println!("bytes a route: read {reading}, build {building}, check {checking}, compare {comparing}, moved {moving}");
    assert!(reading < 4_000.0 && building < 4_000.0 && checking < 4_000.0 && comparing < 4_100.0 && moving < 4_300.0);
}

/// Room is made for what a table has, not for what a path that is refused would have.
#[test]
fn a_path_of_slashes_takes_little_room() {
    let text = format!("[routes.a]\npath = '{}'\npage = 'a'\n", "/{a}".repeat(25_000));
    let most = allocation_counter::measure(|| assert!(Table::from_toml(&text).is_err())).bytes_max;
    println!("{} bytes of path: at most {most}", text.len());
    assert!(most < 100 * text.len() as u64, "{most}");
}
