//! Laws of nested tables with everything that a route may have: defaults, hosts, live lists, formats of the program's own,
//! queries that groups hand down, several keywords in a rule, rules on tails, needs and methods.

use proptest::prelude::*;
use serde_json::Value as Json;
use vivid_lane::analyse::Differences;
use vivid_lane::declare::{Data, Format};
use vivid_lane::link::LinkErrorKind;
use vivid_lane::{Decision, Match, Request, Source, Table, TableSpec, Value};

use crate::reference::nested::{LISTED, Pick, RULES, level, lists, site};
use crate::scaled;

fn decide<'t, 'u>(table: &'t Table, method: &'u str, url: &'u str) -> Decision<'t, 'u> {
    table.decide(&Request::new(method, url).lists(&lists).meets(&|_: &str| true))
}

fn shown(found: &Match<'_, '_>) -> String {
    format!("{} {:?}", found.route().name(), found.values().collect::<Vec<_>>())
}

fn json(data: &Data) -> Json {
    match data {
        Data::Null => Json::Null,
        Data::Bool(value) => (*value).into(),
        Data::Integer(number) => (*number).into(),
        Data::Float(number) => (*number).into(),
        Data::Text(text) => text.as_str().into(),
        Data::List(items) => items.iter().map(json).collect(),
        Data::Table(entries) => entries.iter().map(|(name, value)| (name.clone(), json(value))).collect(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(96), max_shrink_iters: 800, ..ProptestConfig::default() })]

    /// Whatever a route has, a link to it is decided as that route with those values, its address is the canonical one, and its
    /// levels are its path; else the link is refused for a reason that is true. A value that a rule refuses makes no link.
    #[test]
    fn links_lead_back_through_levels(
        levels in prop::collection::vec(level(), 1..4),
        has_host in any::<bool>(),
        picks in prop::collection::vec((any::<prop::sample::Index>(), any::<u64>()), 12),
    ) {
        let (spec, pages) = site(&levels, has_host, "^[0-9]+$");
        let Ok(table) = spec.build() else { return Ok(()) };
        for (index, mut seed) in picks {
            let (name, params) = &pages[index.index(pages.len())];
            let mut next = |count: usize| {
                seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                (seed >> 33) as usize % count
            };
            let mut link = table.link(&**name);
            let mut given: Vec<(&str, Value)> = Vec::new();
            let mut refused: Vec<&str> = Vec::new();
            for (param, form, is_optional) in params {
                if *is_optional && next(3) == 0 {
                    continue;
                }
                let (_, accepted, wrong) = RULES[form.rule()];
                let mut text = |next: Pick<'_>| {
                    // A link cannot know what a list holds at the moment.
                    if next(40) == 0 && form.rule() != LISTED {
                        refused.push(param);
                        wrong.to_owned()
                    } else {
                        accepted[next(accepted.len())].to_owned()
                    }
                };
                let value = form.value(&mut next, &mut text);
                link = link.set(&**param, value.clone());
                given.push((param, value));
            }
            let url = match link.to_url() {
                Ok(url) => url,
                Err(error) if !refused.is_empty() && error.kind() == LinkErrorKind::Refused => {
                    prop_assert!(error.param().is_some_and(|param| refused.contains(&param)), "{}", error);
                    continue;
                }
                Err(error) => {
                    let is_fair = matches!(
                        error.kind(),
                        LinkErrorKind::Captured | LinkErrorKind::NotReversible | LinkErrorKind::Gap
                    );
                    prop_assert!(is_fair, "{}: {}", name, error);
                    continue;
                }
            };
            // An empty value of a query stands for none, and so is not refused.
            prop_assert!(refused.iter().all(|param| param.ends_with('q')), "{} has a value that is refused", url);
            let method = table.route(name).expect("a route").methods().next().expect("a method").to_owned();
            let Decision::Page(found) = decide(&table, &method, &url) else { return Err(TestCaseError::fail(format!("{url} of {name}"))) };
            prop_assert_eq!(found.route().name(), name, "{}", url);
            for (param, value) in &given {
                if !refused.contains(param) {
                    prop_assert_eq!(found.value(param), Some(value.clone()), "{} of {}", param, url);
                }
            }
            let covered: String = found.levels().map(|level| level.covered().to_owned()).collect();
            prop_assert_eq!(covered, found.path(), "{}", url);
            if url.starts_with('/') {
                let location = decide(&table, &method, &format!("/{url}")).location().map(str::to_owned);
                prop_assert_eq!(location.as_deref(), Some(&*url));
            }
        }
    }

    /// A table that is written as data and read again says the same of every address, and has no differences from itself.
    #[test]
    fn what_is_written_reads_the_same(
        levels in prop::collection::vec(level(), 1..4),
        urls in prop::collection::vec("(/(nights|a|1|v2|cy|ada|moon|2031-04-02|7|x~y)){0,4}([?]r0_q=(2|cy))?", 12),
    ) {
        let (spec, _) = site(&levels, false, "^[0-9]+$");
        let Ok(table) = spec.clone().build() else { return Ok(()) };
        let text = json(&spec.to_data()).to_string();
        let lucky = Format::new("lucky", |text| text.bytes().all(|byte| byte == b'7')).described_by("^[0-9]+$");
        let again = TableSpec::read(Source::json(text.as_str())).format(lucky);
        prop_assert_eq!(again.to_data(), spec.to_data());
        prop_assert!(Differences::between(spec, again.clone()).expect("two tables").all().is_empty(), "{}", text);
        let again = again.build().expect("the same table");
        for url in urls.iter().map(|url| if url.starts_with('/') { url.clone() } else { format!("/{url}") }) {
            let said = |table: &Table| match decide(table, "GET", &url) {
                Decision::Page(found) => shown(&found),
                other => format!("{} {:?}", other.status(), other.location()),
            };
            prop_assert_eq!(said(&table), said(&again), "{} of {}", url, text);
        }
    }
}

/// The laws above say little unless most tables are built.
#[test]
fn most_tables_are_built() {
    use proptest::strategy::ValueTree;
    use proptest::test_runner::TestRunner;
    let mut runner = TestRunner::deterministic();
    let levels = prop::collection::vec(level(), 1..4);
    let made = |runner: &mut TestRunner| levels.new_tree(runner).expect("levels are made").current();
    let built = (0..200).filter(|_| site(&made(&mut runner), false, "^[0-9]+$").0.build().is_ok()).count();
    assert!(built > 150, "{built} of 200");
}
