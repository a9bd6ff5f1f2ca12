//! What is learned from requests: a table that has an answer for each of them, whatever their order.

use proptest::prelude::*;
use vivid_lane::learn::{Learner, Observed};
use vivid_lane::{Decision, Request, Review, Table};

/// A request: its method, target and status, and how often it was made.
type Asked = (&'static str, String, u16, u64);

fn segment() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => prop::sample::select(vec!["nights", "objects", "about", "talks", "img", "north", "south", "data", "page"]).prop_map(str::to_owned),
        2 => (0u32..3000).prop_map(|number| number.to_string()),
        1 => (1u32..13, 1u32..29).prop_map(|(month, day)| format!("2031-{month:02}-{day:02}")),
        1 => "[a-z]{1,6}(-[a-z]{1,4})?",
        1 => (0u32..200).prop_map(|number| format!("M{number}")),
        1 => "[a-z]{1,4}\\.(css|png|pdf|csv)",
        1 => (1u32..40, "[a-z]{2,5}").prop_map(|(number, word)| format!("{number}-{word}")),
        1 => "[ -~]{1,5}".prop_map(|text| text.bytes().map(|byte| format!("%{byte:02X}")).collect()),
        1 => Just("%C3%A9t%C3%A9".to_owned()),
        1 => prop::sample::select(vec!["view.cgi", "view.php", "Nights", "ABOUT"]).prop_map(str::to_owned),
    ]
}

fn target() -> impl Strategy<Value = String> {
    let query = prop::collection::vec(
        (prop::sample::select(vec!["q", "page", "utm_source", "year", "x y", "", "show"]), "[a-z0-9]{0,3}"),
        0..3,
    );
    (prop::collection::vec(segment(), 0..4), any::<bool>(), query).prop_map(|(segments, has_slash, query)| {
        let path: String = segments.iter().map(|segment| format!("/{segment}")).collect();
        let slash = if has_slash || path.is_empty() { "/" } else { "" };
        let query: Vec<String> =
            query.into_iter().map(|(name, value)| format!("{}={value}", name.replace(' ', "+"))).collect();
        let query = if query.is_empty() { String::new() } else { format!("?{}", query.join("&")) };
        format!("{path}{slash}{query}")
    })
}

fn log(most: usize) -> impl Strategy<Value = Vec<Asked>> {
    let method = prop::sample::select(vec!["GET", "GET", "GET", "HEAD", "POST", "DELETE"]);
    let status = prop::sample::select(vec![200u16, 200, 200, 200, 304, 301, 404, 500]);
    prop::collection::vec((method, target(), status, 1u64..60), 1..most)
}

fn learned(log: &[Asked], room: usize) -> Learner {
    let mut learner = Learner::with_room(room);
    log.iter().for_each(|(method, target, status, hits)| learner.see(method, target, *status, *hits));
    learner
}

fn is_page(table: &Table, method: &str, target: &str) -> bool {
    match table.decide(&Request::new(method, target)) {
        Decision::Page(_) => true,
        Decision::Redirect(redirect) => {
            matches!(table.decide(&Request::new(method, redirect.location())), Decision::Page(_))
        }
        _ => false,
    }
}

/// What of a log got a page.
fn pages(log: &[Asked]) -> impl Iterator<Item = &Asked> {
    log.iter().filter(|(_, _, status, _)| matches!(status, 200 | 304))
}

fn holds(log: &[Asked]) -> Result<(), TestCaseError> {
    let learned = learned(log, 1 << 16).learn();
    if pages(log).next().is_none() {
        prop_assert_eq!(learned.routes(), 0);
        return Ok(());
    }
    let table = match learned.build() {
        Ok(table) => table,
        Err(error) => return Err(TestCaseError::fail(format!("{error}\n{}", learned.to_toml()))),
    };
    for (method, target, _, _) in pages(log) {
        prop_assert!(is_page(&table, method, target), "{} {}\n{}", method, target, learned.to_toml());
    }
    let source = vivid_lane::Source::toml(learned.to_toml());
    let reviewed = Review::new(vivid_lane::TableSpec::read(source)).run();
    prop_assert!(reviewed.table().is_some());
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: crate::scaled(64), ..ProptestConfig::default() })]
    #[test]
    fn every_address_that_got_a_page_leads_to_one(log in log(60)) {
        holds(&log)?;
    }

    /// The order of the requests and the parts of a log do not matter, also where not all is kept.
    #[test]
    fn neither_order_nor_parts_matter(log in log(80), room in prop::sample::select(vec![1usize, 3, 8, 40, 1000]), cut in any::<prop::sample::Index>()) {
        let whole = learned(&log, room);
        let rows = |learner: &Learner| learner.rows().collect::<Vec<Observed>>();
        let mut turned = log.clone();
        turned.reverse();
        prop_assert_eq!(rows(&learned(&turned, room)), rows(&whole));
        let (one, two) = log.split_at(cut.index(log.len()));
        let mut parts = learned(two, room);
        parts.merge(&learned(one, room));
        prop_assert_eq!(rows(&parts), rows(&whole));
        prop_assert_eq!(parts.left_out(), whole.left_out());
        let text = |learner: &Learner| learner.learn().to_toml().to_owned();
        prop_assert_eq!(text(&parts), text(&whole));
        // What is written and read again is the same.
        let mut read = Learner::with_room(room);
        rows(&whole).iter().for_each(|row| read.restore(row));
        read.restore_counts(whole.missing(), whole.left_out());
        prop_assert_eq!(text(&read), text(&whole));
    }
}

/// The query of a script chooses its page, and letter case does not count where most is asked for in both.
#[test]
fn scripts_and_letter_case_are_seen() {
    let mut learner = Learner::default();
    for (at, page) in ["about", "staff", "history"].iter().enumerate() {
        learner.see("GET", &format!("/cgi/view.cgi?page={page}&id={at}"), 200, 30);
        learner.see("GET", &format!("/cgi/view.cgi?page={page}"), 200, 10);
    }
    for path in ["/Nights", "/nights", "/Talks", "/talks", "/Domes", "/domes"] {
        learner.see("GET", path, 200, 25);
    }
    let table = learner.learn().build().expect("it can be built");
    let paths: Vec<&str> = table.routes().map(|route| route.path().as_str()).collect();
    assert!(paths.contains(&"/cgi/view.cgi?page=about{&id}"), "{paths:?}");
    assert_eq!(paths.len(), 6, "{paths:?}");
    assert!(is_page(&table, "GET", "/DOMES"));
    // What has no name, or stands twice, chooses nothing.
    for target in ["/view.cgi?=a&=b", "/view.cgi?p=a&p=b", "/view.cgi?a%5D=x"] {
        holds(&[("GET", target.to_owned(), 200, 30), ("GET", target.replace("a", "c"), 200, 30)]).expect("it holds");
    }
}

/// Requests for a table of known routes: what is learned has just these, whatever they are called.
#[test]
fn the_shapes_of_a_site_are_found() {
    let mut learner = Learner::default();
    let mut see = |target: String, hits: u64| learner.see("GET", &target, 200, hits);
    see("/".into(), 300);
    for page in ["history", "people", "visit"] {
        see(format!("/about/{page}"), 120);
    }
    for day in 1..=28 {
        see(format!("/nights/2031-02-{day:02}"), 9);
        see(format!("/nights/2031-02-{day:02}/exposures/{}", day * 7), 5);
    }
    see("/nights?year=2031".into(), 40);
    see("/nights?year=2030".into(), 30);
    for rank in 1..=60 {
        let name: String = ["alpha", "beta", "gamma", "delta", "epsilon", "zeta"]
            .iter()
            .skip(rank % 6)
            .take(2)
            .copied()
            .collect::<Vec<_>>()
            .join("-");
        see(format!("/objects/{name}-{}", ["minor", "major", "nova", "ring", "cloud"][rank % 5]), 1 + 60 / rank as u64);
        see(format!("/objects/M{rank}"), 4);
    }
    see("/objects/tonight".into(), 400);
    for file in ["app.css", "app.js", "logo.svg", "fonts/a.woff2", "fonts/b.woff2", "img/dome.png"] {
        see(format!("/assets/{file}"), 80);
    }
    let table = learner.learn().build().expect("it can be built");
    let mut paths: Vec<&str> =
        table.routes().filter(|route| route.page().is_some()).map(|route| route.path().as_str()).collect();
    paths.sort_unstable();
    assert_eq!(
        paths,
        [
            "/",
            "/about/history",
            "/about/people",
            "/about/visit",
            "/assets{/path*}",
            "/nights/{date}",
            "/nights/{date}/exposures/{exposure}",
            "/nights{?year}",
            "/objects/M{number}",
            "/objects/tonight",
            "/objects/{object}",
        ]
    );
}
