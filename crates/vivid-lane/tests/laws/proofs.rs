//! Laws of what is found about whole tables: a witness shows what it claims, and what is said of two tables holds.

use crate::reference::Reference;
use crate::reference::model::{Route, route, table, url, values};
use crate::scaled;
use proptest::prelude::*;
use vivid_lane::analyse::{DifferenceKind, Differences};
use vivid_lane::declare::{Format, Overlaps};
use vivid_lane::link::LinkErrorKind;
use vivid_lane::{Decision, Finding, Request, Review, RouteSpec, Table, TableSpec};

/// The route that answers, by the reference: the first declared of the narrowest.
fn winner(reference: &Reference<'_>, url: &str) -> Option<String> {
    reference.narrowest(url).into_iter().map(|hit| hit.route).min().map(|index| format!("r{index}"))
}

/// The page that a visitor of a URL ends at.
fn page(table: &Table, url: &str) -> Option<String> {
    let mut url = url.to_owned();
    for _ in 0..5 {
        url = match table.decide(&Request::get(&url)) {
            Decision::Page(found) => return Some(found.page().clone()),
            Decision::Redirect(redirect) => redirect.location().to_owned(),
            _ => return None,
        };
    }
    None
}

fn routes(most: usize) -> impl Strategy<Value = Vec<Route>> {
    prop::collection::vec(route(), 1..most)
}

/// A table with a page at its root, and the first routes declared under other paths than the rest.
fn site(routes: &[Route], moved: usize) -> TableSpec {
    let home = TableSpec::new().overlaps(Overlaps::FirstDeclared).route(RouteSpec::new("home").path("/").page("home"));
    routes.iter().enumerate().fold(home, |site, (index, route)| {
        let name = format!("r{index}");
        if index < moved {
            let group = RouteSpec::new(format!("g{index}")).path("/moved");
            site.route(group.route(route.declared(&name)))
        } else {
            site.route(route.declared(&name))
        }
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(32), max_shrink_iters: 400, ..ProptestConfig::default() })]

    /// A route that is found to be unreachable answers nothing; a witness of a captured link is answered by the other
    /// route; a link that is refused as captured was found before.
    #[test]
    fn findings_hold_under_the_reference(
        routes in routes(14),
        urls in prop::collection::vec(url(), 60),
        picks in prop::collection::vec((any::<prop::sample::Index>(), any::<u64>()), 20),
    ) {
        let spec = table(&routes, 0..routes.len(), Overlaps::FirstDeclared);
        let reference = Reference::new(&routes);
        let reviewed = Review::new(spec).run();
        let built = reviewed.table().expect("any table is built when the order decides");
        let about = |code: &str| reviewed.findings().iter().filter(move |finding| finding.code() == code).collect::<Vec<_>>();
        for finding in about("unreachable") {
            let witness = finding.witness().expect("a witness");
            let hidden = &finding.routes()[0];
            let accepting = reference.hits(witness);
            prop_assert!(accepting.iter().any(|hit| format!("r{}", hit.route) == *hidden), "{}", finding);
            prop_assert_ne!(winner(&reference, witness), Some(hidden.clone()), "{}", finding);
            for url in &urls {
                prop_assert_ne!(winner(&reference, url), Some(hidden.clone()), "{}: {}", finding, url);
            }
        }
        for finding in about("captured-link") {
            let witness = finding.witness().expect("a witness");
            let names = finding.routes();
            let accepting = reference.hits(witness);
            prop_assert!(names[..2].iter().all(|name| accepting.iter().any(|hit| format!("r{}", hit.route) == *name)), "{}", finding);
            prop_assert_ne!(winner(&reference, witness), Some(names[0].clone()), "{}", finding);
        }
        for (index, seed) in picks {
            let index = index.index(routes.len());
            let name = format!("r{index}");
            let link = values(&routes[index], seed).into_iter().fold(built.link(&name), |link, (name, value)| link.set(name, value));
            if link.to_url().is_err_and(|error| error.kind() == LinkErrorKind::Captured) {
                let is_known = |code: &str| about(code).iter().any(|finding| finding.routes()[0] == name);
                // No finding is about one that asks for less than its rival does.
                let has_query = routes.iter().any(|route| route.query != crate::reference::model::Query::None);
                prop_assert!(is_known("captured-link") || is_known("unreachable") || has_query, "{}", name);
            }
        }
    }

    /// With the proposed redirects every address that broke leads to a page, and no page of the new table is lost.
    #[test]
    fn old_addresses_live_on(
        routes in routes(9),
        moved in 0usize..4,
        lost in 0usize..3,
        picks in prop::collection::vec((any::<prop::sample::Index>(), any::<u64>()), 30),
    ) {
        let old = site(&routes, 0);
        let new = site(&routes[..routes.len().saturating_sub(lost).max(1)], moved.min(routes.len()));
        let differences = Differences::between(old.clone(), new.clone()).expect("both are built");
        let mended = differences.redirects().iter().fold(new.clone(), |table, one| table.route(one.spec().clone()));
        let again = Differences::between(old.clone(), mended.clone()).expect("the redirects fit in");
        let mended_by: Vec<&str> = differences.redirects().iter().filter(|one| !one.is_partial()).map(|one| one.route()).collect();
        for one in again.all().iter().filter(|one| matches!(one.kind(), DifferenceKind::Moved | DifferenceKind::Removed)) {
            prop_assert!(one.routes().iter().all(|route| !mended_by.contains(&route.as_str())), "{:?}", one);
        }
        let (before, after, new) = (old.build().unwrap(), mended.build().unwrap(), new.build().unwrap());
        let broken: Vec<&String> = differences.all().iter().filter(|one| one.kind().breaks_addresses()).flat_map(|one| one.routes()).collect();
        for (index, seed) in picks {
            let index = index.index(routes.len());
            let name = format!("r{index}");
            let link = values(&routes[index], seed).into_iter().fold(before.link(&name), |link, (name, value)| link.set(name, value));
            let Ok(url) = link.to_url() else { continue };
            if page(&new, &url).as_ref() != Some(&name) && index >= moved {
                prop_assert!(broken.contains(&&name), "{} of {} is broken, and nobody says so", url, name);
            }
            if mended_by.contains(&name.as_str()) {
                prop_assert!(page(&after, &url).is_some(), "{} of {} leads nowhere", url, name);
            }
            if let Some(shown) = page(&new, &url) {
                prop_assert_eq!(page(&after, &url), Some(shown), "{} was answered, and is taken away", url);
            }
        }
        // A table has no differences from itself.
        prop_assert!(Differences::between(site(&routes, moved), site(&routes, moved)).unwrap().all().is_empty());
    }
}

/// What each small table is found to have: codes, and the first words of the message.
#[test]
fn what_hides_a_route_and_what_does_not() {
    let found = |routes: &str| -> Vec<String> {
        let spec = TableSpec::read(vivid_lane::Source::toml(routes))
            .format(Format::new("lucky", |text| text == "7").described_by("^[78]$"));
        let reviewed = Review::new(spec).run();
        let told = |finding: &Finding| {
            format!("{}: {}", finding.code(), finding.message().split(':').next().unwrap_or_default())
        };
        reviewed.findings().iter().map(told).collect()
    };
    let north = "[routes.north]\npath = '/{dome}'\npage = 'dome'\nparams.dome = ['north']\n";
    let hidden = "unreachable: `north` can never be reached";
    let cases: [(&str, &[&str]); 8] = [
        ("[routes.one]\npath = '/north'\npage = 'north'\npriority = 1", &[hidden]),
        // Another method, host or query leaves it something.
        ("[routes.one]\npath = '/north'\npage = 'north'\npriority = 1\nmethods = ['POST']", &[]),
        ("[routes.one]\npath = '/north'\npage = 'north'\nhost = 'north.larkfell.example'", &[]),
        ("[routes.one]\npath = '/north?map=1'\npage = 'north'", &[]),
        ("[routes.one]\npath = '/north{?map}'\npage = 'north'\npriority = 1", &[hidden]),
        ("[routes.one]\npath = '/north{?map}'\npage = 'north'\nrequired = ['map']", &[]),
        (
            "[routes.one]\npath = '/{dome}'\npage = 'one'\nparams.dome = { enum = ['north'], maxLength = 5 }\npriority = 1",
            &[hidden],
        ),
        (
            "[routes.one]\npath = '/{dome}'\npage = 'one'\nparams.dome = { enum = ['north'], maxLength = 5 }\npriority = -1",
            &["unreachable: `one` can never be reached"],
        ),
    ];
    for (rival, expected) in cases {
        assert_eq!(found(&format!("{north}{rival}")), expected, "{rival}");
    }
    // What is narrower hides a route from every method.
    let domes = "[routes.dome]\npath = '/{dome}'\npage = 'dome'\nparams.dome = ['a', 'b']\n";
    let posts = "[routes.a]\npath = '/a'\npage = 'a'\nmethods = ['POST']\n[routes.b]\npath = '/b'\npage = 'b'\n";
    assert_eq!(found(&format!("{domes}{posts}")), ["unreachable: `dome` can never be reached"]);
    // A function of the user's may refuse what its description lets through.
    let numbers = "[routes.number]\npath = '/{n}'\npage = 'number'\nparams.n = { pattern = '^[78]$' }\n";
    let lucky = "[routes.lucky]\npath = '/{n}'\npage = 'lucky'\nparams.n = { format = 'lucky' }\n";
    assert_eq!(found(&format!("{numbers}{lucky}")), ["unreachable: `number` may never be reached"]);
}
