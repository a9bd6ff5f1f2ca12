//! What is learned from requests: a table that has an answer for each of them, whatever their order.

use proptest::prelude::*;
use vivid_lane::link::LinkErrorKind;
use vivid_lane::lookup::{Automaton, Export, ParamKind, Parameter, Shape};
use vivid_lane::{Decision, Request, Review, RouteRef, RouteSpec, Rule, Table, TableSpec, Value};
use vivid_lane_learn::{Learned, Learner, Observed};

/// How many cases a law tries: so many as long as `LAW_CASES` is 256, its default, and in proportion to it else.
fn scaled(cases: u32) -> u32 {
    let of_256 = std::env::var("LAW_CASES").map_or(256, |text| text.parse().expect("LAW_CASES is a number"));
    (cases * of_256 / 256).max(1)
}

/// Choices that follow from a seed.
struct Dice(u64);

impl Dice {
    fn below(&mut self, count: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % count.max(1)
    }
}

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
    #![proptest_config(ProptestConfig { cases: scaled(64), ..ProptestConfig::default() })]
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

const FORMATS: &[&str] = &["natural", "date", "slug", "uuid"];
/// How often each page is asked for.
const HITS: usize = 80;

/// A segment of a site: a word that stands as it is, or values of a rule.
#[derive(Debug, Clone)]
enum Part {
    Word(&'static str),
    Values(&'static str),
}

fn part() -> impl Strategy<Value = Part> {
    let words = vec!["nights", "objects", "talks", "about", "people", "domes", "plates", "visit", "press", "map"];
    prop_oneof![
        2 => prop::sample::select(words).prop_map(Part::Word),
        1 => prop::sample::select(FORMATS).prop_map(Part::Values),
    ]
}

/// The paths of a site: below each page stand words, or the values of one rule.
fn site() -> impl Strategy<Value = Vec<String>> {
    prop::collection::vec((any::<prop::sample::Index>(), part()), 1..24).prop_map(|parts| {
        let mut paths = vec![String::new()];
        for (above, part) in parts {
            let above = above.get(&paths).clone();
            let next = match part {
                Part::Word(word) => format!("{above}/{word}"),
                Part::Values(format) => format!("{above}/{{{format}}}"),
            };
            let has_values =
                paths.iter().any(|path| path.strip_prefix(&*above).is_some_and(|rest| rest.starts_with("/{")));
            let is_second = next.ends_with('}') && (has_values || above.contains(&next[above.len()..]));
            if !is_second && !paths.contains(&next) && next.matches('/').count() < 5 {
                paths.push(next);
            }
        }
        paths.split_off(1)
    })
}

fn declared(paths: &[String]) -> TableSpec {
    let query = |at: usize| ["", "{?page}", "{?year,tag*}"][at % 3];
    let route =
        |at: usize, path: &String| RouteSpec::new(format!("r{at}")).path(format!("{path}{}", query(at))).page("page");
    let spec = paths.iter().enumerate().fold(TableSpec::new(), |spec, (at, path)| spec.route(route(at, path)));
    let spec = spec.param("page", Rule::natural()).param("tag", Rule::list_of(Rule::one_of(["new", "old", "lost"])));
    let spec = spec.param("year", Rule::integer().minimum(1950).maximum(2100));
    FORMATS.iter().fold(spec, |spec, format| spec.param(*format, Rule::format(*format)))
}

/// A text that the automaton accepts.
fn drawn(automaton: Option<&Automaton>, dice: &mut Dice) -> String {
    let Some(automaton) = automaton else { return format!("{}, {}", dice.below(99), dice.below(99)) };
    let (mut state, mut text, least) = (automaton.start(), String::new(), 1 + dice.below(6));
    while !automaton.accepts(state) || text.len() < least {
        // Words rather than codes, as people write them.
        let leads_on = |byte: &u8| automaton.step(state, *byte) != 0;
        let classes: [&[u8]; 3] = [b"abcdefghijklmnopqrstuvwxyz", b"0123456789", b"-./ "];
        let mut bytes: Vec<u8> = Vec::new();
        for class in if dice.below(8) == 0 { [2, 0, 1] } else { [0, 1, 2] } {
            if bytes.is_empty() {
                bytes = classes[class].iter().copied().filter(leads_on).collect();
            }
        }
        // It can be no longer.
        if bytes.is_empty() {
            break;
        }
        let byte = bytes[dice.below(bytes.len())];
        state = automaton.step(state, byte);
        text.push(char::from(byte));
    }
    text
}

/// An address of a route; `None` where a narrower one would answer it.
fn address(table: &Table, route: RouteRef<'_>, export: &Export, dice: &mut Dice) -> Option<String> {
    let number = table.routes().position(|one| one.name() == route.name())?;
    let mut link = table.link(route.name());
    for (param, exported) in route.parameters().zip(&export.routes[number].params) {
        if param.is_optional() && dice.below(2) == 0 {
            if param.kind() != ParamKind::Query {
                break;
            }
            continue;
        }
        let words = param.items().unwrap_or(param).keyword("enum");
        let value = |dice: &mut Dice| match words {
            Some(vivid_lane::declare::Data::List(words)) => {
                words[dice.below(words.len())].to_url_text().unwrap_or_default()
            }
            _ => drawn(export.rules[exported.texts].automaton.as_ref(), dice),
        };
        let value: Value = match param.shape() {
            Shape::One => value(dice).into(),
            _ => Value::List((0..=dice.below(3)).map(|_| value(dice)).collect()),
        };
        link = link.set(param.name(), value);
    }
    match link.to_url() {
        Ok(url) => Some(url),
        Err(error) if error.kind() == LinkErrorKind::Captured => None,
        Err(error) => panic!("{error}"),
    }
}

/// What is learned from a log of a table.
fn relearned(table: &Table, dice: &mut Dice) -> Learned {
    let (export, mut learner) = (table.export(), Learner::default());
    for route in table.routes().filter(|route| route.page().is_some()) {
        for _ in 0..HITS {
            let url = address(table, route, &export, dice);
            url.iter().for_each(|url| learner.see("GET", url, 200, 1));
        }
    }
    learner.learn()
}

/// The forms of address of a table, by path and rules. Which comes first hangs on which is asked for most.
fn forms(learned: &Learned) -> Result<Vec<String>, TestCaseError> {
    let table = learned.build().map_err(|error| TestCaseError::fail(error.to_string()))?;
    let rule = |param: Parameter<'_>| format!("{} {:?} {}", param.name(), param.kind(), param.label());
    let mut forms: Vec<String> = table
        .routes()
        .map(|route| {
            let path = route.path().as_str().split("{?").next().unwrap_or_default().to_owned();
            let mut rules: Vec<String> = route.parameters().map(rule).collect();
            rules.sort_unstable();
            format!("{path} {}", rules.join(", "))
        })
        .collect();
    forms.sort_unstable();
    Ok(forms)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(64), ..ProptestConfig::default() })]
    /// A log of the learned table gives it again: the same paths with the same rules.
    #[test]
    fn a_log_of_what_was_learned_gives_it_again(site in site(), seed: u64) {
        let site = declared(&site).build().expect("no two have an address in common");
        let mut dice = Dice(seed);
        let first = relearned(&site, &mut dice);
        let table = first.build().expect("what is learned can be built");
        let second = relearned(&table, &mut dice);
        // A name that stands nearly everywhere may be taken for one that says where visitors come from.
        prop_assume!(first.ignored_names().is_empty() && second.ignored_names().is_empty());
        prop_assert_eq!(forms(&second)?, forms(&first)?);
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

/// Two-letter words are no languages where most of them are none, and codes without a form are one parameter.
#[test]
fn what_chance_makes_is_not_taken_for_meant() {
    let mut learner = Learner::default();
    let letter = |at: usize| char::from(b"abcdefghijklmnopqrstuvwxyz0123456789"[at % 36]);
    for at in 0..600_usize {
        let mixed = at * 7919 + at * at * 31;
        let code: String = (0..4).map(|place| letter(mixed / 36_usize.pow(place))).collect();
        learner.see("GET", &format!("/{code}"), 200, 1);
        let word: String = (0..2 + at % 5).map(|place| letter((mixed / 26_usize.pow(place as u32)) % 26)).collect();
        learner.see("GET", &format!("/{word}"), 200, 1);
    }
    let table = learner.learn().build().expect("it can be built");
    let paths: Vec<&str> = table.routes().map(|route| route.path().as_str()).collect();
    assert_eq!(paths, ["/{name}"]);
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
