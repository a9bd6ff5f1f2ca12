//! Laws that hold for every table: the matcher and the proofs against the naive reference.

use crate::reference::model::{Route, route, siblings, table, url, values};
use crate::reference::{Bound, Reference, written};
use crate::scaled;
use proptest::prelude::*;
use proptest::test_runner::TestRunner;
use std::cell::Cell;
use std::collections::HashMap;
use vivid_lane::analyse::Verdict;
use vivid_lane::declare::{Overlaps, Severity};
use vivid_lane::link::LinkErrorKind;
use vivid_lane::{Decision, Match, Request, Table, TableSpec, Value};

const METHODS: [&[&str]; 4] = [&["GET"], &["POST"], &["GET", "POST"], &["PUT"]];

/// The values of a match in the form of the reference.
fn bound(found: &Match<'_, '_>) -> Bound {
    let text = |value: Value| match value {
        Value::Text(text) => text,
        Value::List(items) => items.join("/"),
        Value::Pairs(pairs) => written(&pairs),
    };
    found.values().map(|(name, value)| (name.to_owned(), text(value))).collect()
}

/// The answer of a table: the index of the route and its values. An address that is not in its canonical form
/// is followed to it.
fn answer(table: &Table, url: &str) -> Option<(usize, Bound)> {
    let sent_on = table.decide(&Request::get(url)).location().map(str::to_owned);
    let found = table.find(sent_on.as_deref().unwrap_or(url))?;
    Some((index_of(found.route().name()), bound(&found)))
}

/// Routes are named by their index.
fn index_of(name: &str) -> usize {
    name.trim_start_matches('r').parse().expect("an index")
}

fn routes(most: usize) -> impl Strategy<Value = Vec<Route>> {
    prop::collection::vec(route(), 1..most)
}

/// Many siblings, among which the beginning or the end of a segment chooses, answer as each of them does alone, and as any two do
/// together: of those that accept a URL none of which another beats, the first declared.
#[test]
fn siblings_answer_as_any_two_of_them() {
    let cases = scaled(24);
    let contested = Cell::new(0);
    let law = |(routes, urls): (Vec<Route>, Vec<String>)| {
        let built = |order: &[usize]| {
            table(&routes, order.iter().copied(), Overlaps::FirstDeclared).build().expect("no errors")
        };
        let all = built(&(0..routes.len()).collect::<Vec<_>>());
        let alone: Vec<Table> = (0..routes.len()).map(|at| built(&[at])).collect();
        let mut pairs = HashMap::new();
        for url in &urls {
            let accepting: Vec<usize> = (0..routes.len()).filter(|&at| alone[at].find(url).is_some()).collect();
            let mut beats = |one: usize, other: usize| {
                let mut first = |pair: [usize; 2]| {
                    let table = pairs.entry(pair).or_insert_with(|| built(&pair));
                    answer(table, url).map(|(route, _)| route)
                };
                first([one, other]) == Some(one) && first([other, one]) == Some(one)
            };
            let mut unbeaten =
                accepting.iter().filter(|&&at| !accepting.iter().any(|&other| other != at && beats(other, at)));
            let wanted = unbeaten.next().and_then(|&at| answer(&alone[at], url));
            contested.set(contested.get() + usize::from(accepting.len() > 1));
            prop_assert_eq!(answer(&all, url), wanted, "{}", url);
        }
        Ok(())
    };
    TestRunner::new(ProptestConfig { max_shrink_iters: 400, ..ProptestConfig::with_cases(cases) })
        .run(&siblings(), law)
        .unwrap_or_else(|error| panic!("{error}"));
    assert!(contested.get() > cases as usize, "only {} URLs had several routes", contested.get());
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(24), max_shrink_iters: 400, ..ProptestConfig::default() })]

    /// A table that is proven gives each URL to the one narrowest route. Where it is refused, each witness is
    /// accepted by both routes, neither being the narrower; with the order of declaration deciding, the first
    /// declared of the narrowest answers.
    #[test]
    fn the_matcher_agrees_with_the_reference(routes in routes(60), urls in prop::collection::vec(url(), 60)) {
        let order = || 0..routes.len();
        let reference = Reference::new(&routes);
        let built = match table(&routes, order(), Overlaps::Refused).build() {
            Ok(built) => {
                for url in &urls {
                    let narrowest = reference.narrowest(url);
                    prop_assert!(narrowest.len() < 2, "{} is contested: {:?}", url, narrowest);
                }
                built
            }
            Err(error) => {
                for finding in error.findings().iter().filter(|finding| finding.severity() == Severity::Error) {
                    prop_assert_eq!(finding.code(), "overlap", "{}", finding);
                    let witness = finding.witness().expect("an overlap has a witness");
                    // A third route may be narrower than both; the two still overlap, so all that accept it count.
                    let all: Vec<String> = reference.hits(witness).iter().map(|hit| format!("r{}", hit.route)).collect();
                    prop_assert!(finding.routes().iter().all(|name| all.contains(name)), "{}: only {:?}", finding, all);
                    let (left, right) = (index_of(&finding.routes()[0]), index_of(&finding.routes()[1]));
                    prop_assert!(!reference.decides_between(witness, left, right), "{}: one is the narrower", finding);
                }
                table(&routes, order(), Overlaps::FirstDeclared).build().expect("only overlaps were wrong")
            }
        };
        for url in &urls {
            let wanted = reference.narrowest(url).into_iter().min_by_key(|hit| hit.route).map(|hit| (hit.route, hit.bound));
            prop_assert_eq!(answer(&built, url), wanted, "{}", url);
        }
    }

    /// Of routes none of which is the narrower, those that answer the method count, and of these the highest priority; a
    /// table in which that does not decide is refused, with a URL on which it does not.
    #[test]
    fn methods_and_priority_decide_between_equals(
        routes in routes(40),
        picks in prop::collection::vec((prop::sample::select(METHODS.as_slice()), 0i64..3), 40),
        urls in prop::collection::vec(url(), 40),
    ) {
        let methods: Vec<&'static [&'static str]> = picks.iter().map(|(methods, _)| *methods).collect();
        let reference = Reference::new(&routes).with_methods(&methods);
        let declared = routes.iter().enumerate().map(|(index, route)| {
            let (methods, priority) = picks[index];
            route.declared(&format!("r{index}")).methods(methods.iter().copied()).priority(priority)
        });
        let spec = declared.fold(TableSpec::new(), TableSpec::route);
        let built = match spec.clone().build() {
            Ok(built) => built,
            Err(error) => {
                for finding in error.findings().iter().filter(|finding| finding.severity() == Severity::Error) {
                    prop_assert_eq!(finding.code(), "overlap", "{}", finding);
                    let (left, right) = (index_of(&finding.routes()[0]), index_of(&finding.routes()[1]));
                    let is_open = picks[left].1 == picks[right].1 && !reference.is_apart(left, right);
                    prop_assert!(is_open, "{}: priority or methods decide", finding);
                    let witness = finding.witness().expect("an overlap has a witness");
                    prop_assert!(!reference.decides_between(witness, left, right), "{}: one is the narrower", finding);
                }
                spec.overlaps(Overlaps::FirstDeclared).build().expect("only overlaps were wrong")
            }
        };
        // Which tail decides what an escaped slash means may depend on the method.
        for url in urls.iter().filter(|url| !url.contains("%2F")) {
            let narrowest = reference.narrowest(url);
            for method in ["GET", "POST", "PUT"] {
                let able = narrowest.iter().map(|hit| hit.route).filter(|&route| methods[route].contains(&method));
                let wanted = able.min_by_key(|&route| (std::cmp::Reverse(picks[route].1), route));
                let sent_on = built.decide(&Request::new(method, url)).location().map(str::to_owned);
                let url = sent_on.as_deref().unwrap_or(url);
                let answered = match built.decide(&Request::new(method, url)) {
                    Decision::Page(found) => Some(index_of(found.route().name())),
                    Decision::WrongMethod(_) => {
                        prop_assert!(!narrowest.is_empty(), "{} {}", method, url);
                        None
                    }
                    _ => None,
                };
                prop_assert_eq!(answered, wanted, "{} {}", method, url);
            }
        }
    }

    /// The order of declaration changes nothing.
    #[test]
    fn order_does_not_matter(
        (routes, order) in routes(60).prop_flat_map(|routes| {
            let order = Just((0..routes.len()).collect::<Vec<_>>()).prop_shuffle();
            (Just(routes), order)
        }),
        urls in prop::collection::vec(url(), 40),
    ) {
        let straight = table(&routes, 0..routes.len(), Overlaps::Refused).build();
        let shuffled = table(&routes, order.iter().copied(), Overlaps::Refused).build();
        prop_assert_eq!(straight.is_ok(), shuffled.is_ok());
        if let (Ok(straight), Ok(shuffled)) = (straight, shuffled) {
            for url in &urls {
                prop_assert_eq!(answer(&straight, url), answer(&shuffled, url), "{}", url);
            }
        }
    }

    /// A link that is made leads back to its route and its values; a link whose values all fit is made,
    /// unless another route takes it or it cannot be read back.
    #[test]
    fn a_link_leads_back(routes in routes(12), picks in prop::collection::vec((any::<prop::sample::Index>(), any::<u64>()), 30)) {
        let built = table(&routes, 0..routes.len(), Overlaps::FirstDeclared).build().expect("any table is built when the order decides");
        for (index, seed) in picks {
            let index = index.index(routes.len());
            let values = values(&routes[index], seed);
            let name = format!("r{index}");
            let link = values.iter().fold(built.link(&name), |link, (name, value)| link.set(name, value.clone()));
            match link.to_url() {
                Ok(url) => {
                    let wanted: Bound = values.iter().map(|(name, value)| (name.clone(), match value {
                        Value::List(items) => items.join("/"),
                        value => value.as_text().unwrap_or_default().to_owned(),
                    })).collect();
                    let Some(found) = built.find(&url) else { return Err(TestCaseError::fail(format!("{url} is not canonical"))) };
                    // Kept beyond its URL, a match is what it was.
                    let kept = found.keep();
                    let covered = |found: &Match<'_, '_>| found.levels().map(|level| level.covered().to_owned()).collect::<Vec<_>>();
                    prop_assert_eq!((kept.get().path(), kept.get().address()), (found.path(), found.address()));
                    prop_assert_eq!((covered(&kept.get()), bound(&kept.get())), (covered(&found), bound(&found)));
                    prop_assert_eq!(answer(&built, &url), Some((index, wanted)), "{}", url);
                }
                Err(error) => prop_assert!(matches!(error.kind(), LinkErrorKind::Captured | LinkErrorKind::NotReversible), "{}", error),
            }
        }
    }

    /// What an explanation says agrees with what is decided, and it names every route that accepts the URL.
    #[test]
    fn an_explanation_ends_in_the_winner(routes in routes(24), urls in prop::collection::vec(url(), 20)) {
        let built = table(&routes, 0..routes.len(), Overlaps::FirstDeclared).build().expect("any table is built when the order decides");
        let reference = Reference::new(&routes);
        for url in &urls {
            // A slash that is escaped in a tail leads to another address, and that is what is explained.
            let sent_on = built.decide(&Request::get(url.as_str())).location().filter(|_| url.contains("%2F")).map(str::to_owned);
            let url = sent_on.as_ref().unwrap_or(url);
            let explanation = built.explain(&Request::get(url.as_str()));
            let last = explanation.candidates().last().filter(|one| one.verdict() == Verdict::Answers);
            let named = last.map(|one| one.route().name().to_owned());
            prop_assert_eq!(named, answer(&built, url).map(|(index, _)| format!("r{index}")), "{}", url);
            for hit in reference.hits(url) {
                let name = format!("r{}", hit.route);
                let one = explanation.candidates().iter().find(|one| one.route().name() == name);
                prop_assert!(one.is_some_and(|one| one.verdict() >= Verdict::Beaten), "{} of {}", name, url);
            }
        }
    }

    /// The variants of a path are its ways through the tree: each fills the same parameters.
    #[test]
    fn the_variants_of_a_path_are_its_ways_through_the_tree(routes in routes(12)) {
        let built = table(&routes, 0..routes.len(), Overlaps::FirstDeclared).build().expect("the order decides");
        let export = built.export();
        for (at, route) in built.routes().enumerate() {
            let in_order = |mut filled: Vec<usize>| {
                filled.sort_unstable();
                filled
            };
            let mut variants: Vec<_> = route.path_variants().iter().map(|one| in_order(one.filled().collect())).collect();
            let ends = export.nodes.iter().flat_map(|node| &node.leaves).map(|&leaf| &export.leaves[leaf]);
            let mut ways: Vec<_> = ends
                .filter(|leaf| leaf.route == at)
                .map(|leaf| in_order(leaf.captures.iter().copied().flatten().chain(leaf.tail.map(|tail| tail.param)).collect()))
                .collect();
            variants.sort_unstable();
            ways.sort_unstable();
            prop_assert_eq!(variants, ways, "{}", route.path());
        }
    }

    /// Whatever the bytes, there is an answer and no panic.
    #[test]
    fn any_bytes_are_answered(routes in routes(8), url in prop::collection::vec(any::<u8>(), 0..200)) {
        let built = table(&routes, 0..routes.len(), Overlaps::FirstDeclared).build().expect("any table is built when the order decides");
        let status = built.decide(&Request::get(&url)).status();
        prop_assert!(matches!(status, 200 | 308 | 400 | 404 | 414), "{}", status);
        prop_assert!(built.explain(&Request::get(&url)).candidates().len() <= routes.len());
    }
}

/// Two routes that a proof finds free of overlap share none of many URLs.
#[test]
fn a_proven_pair_shares_no_url() {
    use proptest::strategy::ValueTree;
    use proptest::test_runner::TestRunner;
    let mut runner = TestRunner::deterministic();
    let urls: Vec<String> =
        (0..10_000).map(|_| url().new_tree(&mut runner).expect("URLs are made").current()).collect();
    let mut proven = 0;
    while proven < 12 {
        let pair = [route(), route()].map(|one| one.new_tree(&mut runner).expect("routes are made").current());
        if table(&pair, 0..2, Overlaps::Refused).build().is_ok() {
            proven += 1;
            let reference = Reference::new(&pair);
            for url in &urls {
                assert!(reference.narrowest(url).len() < 2, "{url} of {pair:?}");
            }
        }
    }
}
