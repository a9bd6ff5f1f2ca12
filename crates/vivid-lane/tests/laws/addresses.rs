//! Laws of addresses, under every slash policy, base, location and letter case: links lead back, redirects lead
//! on in one step, and nobody is led off the site.

use crate::reference::model::{Route, raw_url, route, table, url, values};
use crate::scaled;
use iri_string::format::ToDedicatedString;
use iri_string::types::{UriAbsoluteString, UriReferenceStr, UriString};
use proptest::prelude::*;
use vivid_lane::declare::{Case, Location, Overlaps, Severity, Slash};
use vivid_lane::link::LinkErrorKind;
use vivid_lane::{Decision, Finding, Match, Need, Request, RouteSpec, Rule, Table, TableSpec, Value};

/// How a site writes its addresses.
#[derive(Debug, Clone, Copy)]
struct Site {
    base: &'static str,
    slash: Slash,
    location: Location,
    case: Case,
}

const ORIGIN: &str = "https://larkfell.example";

fn site() -> impl Strategy<Value = Site> {
    let bases = prop::sample::select(vec!["", "/", "/app", "/app/", "/caf%C3%A9/a b"]);
    let slashes = prop::sample::select(vec![Slash::Never, Slash::Always, Slash::Either]);
    let locations = prop_oneof![3 => Just(Location::Path), 1 => Just(Location::Fragment)];
    let cases = prop_oneof![2 => Just(Case::Exact), 1 => Just(Case::Fold)];
    (bases, slashes, locations, cases).prop_map(|(base, slash, location, case)| Site { base, slash, location, case })
}

impl Site {
    /// The routes; under `/old` a redirect to each; a place to sign in.
    fn table(self, routes: &[Route], needs: &[&str]) -> Option<Table> {
        let olds = (0..routes.len()).fold(RouteSpec::new("old").path("/old"), |old, index| {
            let name = format!("r{index}");
            old.route(routes[index].addressed(&name).redirect(name.as_str()))
        });
        let mut spec = table(&[], [], Overlaps::FirstDeclared)
            .origin(ORIGIN)
            .slash(self.slash)
            .location(self.location)
            .case(self.case)
            .need(Need::new("observer").otherwise("sign-in"))
            .route(RouteSpec::new("sign-in").path("/sign-in{?return}").page("sign-in"))
            .route(olds);
        if !self.base.is_empty() {
            spec = spec.base(self.base);
        }
        for (index, route) in routes.iter().enumerate() {
            spec = spec.route(route.declared(&format!("r{index}")).needs(needs.iter().copied()));
        }
        match spec.build() {
            Ok(table) => Some(table),
            // A site in the fragment has no room for `{#part}`.
            Err(error) => {
                let is_expected =
                    |finding: &Finding| finding.severity() < Severity::Error || finding.code() == "fragment";
                assert!(error.findings().iter().all(is_expected), "{error}");
                None
            }
        }
    }

    /// An address below the base.
    fn address(self, path: &str) -> String {
        let base = self.base.trim_end_matches('/').replace(' ', "%20");
        match self.location {
            Location::Path => format!("{base}{path}"),
            Location::Fragment if self.base.is_empty() => format!("/#{path}"),
            Location::Fragment => format!("{}#{path}", self.base.replace(' ', "%20")),
        }
    }
}

/// The same address under `/old`.
fn old(site: Site, url: &str) -> String {
    let root = site.address("");
    let inside = url.strip_prefix(&root).expect("a link is below the base");
    format!("{root}/old{}", if inside.starts_with('/') { inside.to_owned() } else { format!("/{inside}") })
}

fn shown(found: &Match<'_, '_>) -> Vec<(String, Value)> {
    found.values().map(|(name, value)| (name.to_owned(), value)).collect()
}

/// Where a browser goes that follows a reference from an address.
///
/// What is no reference by RFC 3986, such as one with a `\`, which browsers take for a `/`, is followed nowhere.
fn followed(from: &str, reference: &str) -> UriString {
    // `{+x}` leaves brackets and `#` as they are (RFC 6570, section 3.2.3), though no path may have the ones, and no
    // fragment the other (RFC 3986, sections 3.3 and 3.5).
    let [from, reference] = [from, reference].map(|text| text.replace('[', "%5B").replace(']', "%5D"));
    let reference = match reference.split_once('#') {
        Some((before, fragment)) => format!("{before}#{}", fragment.replace('#', "%23")),
        None => reference,
    };
    let base = format!("{ORIGIN}{}", from.split('#').next().unwrap_or_default());
    let base = UriAbsoluteString::try_from(base).expect("a URL");
    UriReferenceStr::new(&reference).expect("a reference").resolve_against(&base).to_dedicated_string()
}

/// What is no URL by RFC 3986, but none that browsers mind: they keep a `%` that escapes nothing, and send such as `a|b` as it is.
fn forgiven(url: &str) -> String {
    let mut out = String::new();
    for (at, one) in url.char_indices() {
        let after = url.as_bytes().get(at + 1..at + 3).unwrap_or_default();
        match one {
            '%' if after.len() == 2 && after.iter().all(u8::is_ascii_hexdigit) => out.push('%'),
            '%' | '"' | '<' | '>' | '^' | '`' | '{' | '|' | '}' => out += &format!("%{:02X}", u32::from(one)),
            _ => out.push(one),
        }
    }
    out
}

fn origin(url: &UriString) -> String {
    format!("{}://{}", url.scheme_str(), url.authority_str().unwrap_or_default())
}

type Picks = Vec<(prop::sample::Index, u64)>;

fn picks() -> impl Strategy<Value = Picks> {
    prop::collection::vec((any::<prop::sample::Index>(), any::<u64>()), 20)
}

/// A link to a route: the index of the route, its values, and the URL.
type Made = (usize, Vec<(String, Value)>, String);

/// Links to routes.
fn links(table: &Table, routes: &[Route], picks: &Picks) -> Vec<Made> {
    let mut links = Vec::new();
    for (index, seed) in picks {
        let index = index.index(routes.len());
        let mut values = values(&routes[index], *seed);
        let link =
            values.iter().fold(table.link(format!("r{index}")), |link, (name, value)| link.set(name, value.clone()));
        if let Ok(url) = link.to_url() {
            values.sort_by(|left, right| left.0.cmp(&right.0));
            links.push((index, values, url));
        }
    }
    links
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(96), max_shrink_iters: 400, ..ProptestConfig::default() })]

    /// Link, then decide, is the identity; the old address of a page leads to its link in one step; references
    /// from one page to another lead where the link does.
    #[test]
    fn links_lead_back(site in site(), routes in prop::collection::vec(route(), 1..10), picks in picks()) {
        let Some(table) = site.table(&routes, &[]) else { return Ok(()) };
        let links = links(&table, &routes, &picks);
        for (index, values, url) in &links {
            let Decision::Page(found) = table.decide(&Request::get(url)) else {
                panic!("{url}: {:?}", table.decide(&Request::get(url)))
            };
            let mut read = shown(&found);
            read.sort_by(|left, right| left.0.cmp(&right.0));
            let name = format!("r{index}");
            prop_assert_eq!((found.route().name(), &read), (name.as_str(), values), "{}", url);
            prop_assert_eq!(&found.address(), url, "a link is the address of its page");

            let old = old(site, url);
            match table.decide(&Request::get(&old)) {
                Decision::Redirect(redirect) => prop_assert_eq!(redirect.location(), url, "{}", old),
                other => panic!("{old}: {other:?}"),
            }
        }
        for pair in links.windows(2).filter(|_| site.location == Location::Path) {
            let from = table.find(&pair[0].2).expect("a link leads to a page");
            let to = pair[1].1.iter().fold(from.link(format!("r{}", pair[1].0)), |link, (name, value)| link.set(name, value.clone()));
            let (Ok(url), Ok(relative)) = (to.to_url(), to.to_relative_url(&from)) else { continue };
            prop_assert_eq!(followed(&pair[0].2, &relative), followed("/", &url), "{} from {}", relative, pair[0].2);
        }
    }

    /// A link is written in one of three ways, by what it is given and by what the table knows of its route. They make the
    /// same URL, or all refuse, whatever the order of the values, and whatever is wrong with one.
    #[test]
    fn a_link_is_the_same_whichever_way_it_is_written(
        site in site(),
        routes in prop::collection::vec(route(), 1..10),
        picks in picks(),
        spoilt in prop::option::of((any::<prop::sample::Index>(), prop::sample::select(vec!["", ".", "..", "a b", "é/x", "\u{7}", "-", "0"]))),
    ) {
        let Some(table) = site.table(&routes, &[]) else { return Ok(()) };
        for (index, seed) in &picks {
            let index = index.index(routes.len());
            let mut values = values(&routes[index], *seed);
            if let (Some((place, value)), false) = (&spoilt, values.is_empty()) {
                let place = place.index(values.len());
                values[place].1 = Value::from(*value);
            }
            let link = || table.link(format!("r{index}"));
            let made = values.iter().fold(link(), |link, (name, value)| link.set(name, value.clone())).to_url();
            let backwards = values.iter().rev().fold(link(), |link, (name, value)| link.set(name, value.clone())).to_url();
            // What is taken back leaves the link with values of any form.
            let long = values.iter().fold(link(), |link, (name, value)| link.set(name, value.clone())).without("no-such-name").to_url();
            prop_assert_eq!(&made, &backwards);
            prop_assert_eq!(&made, &long);
        }
    }

    /// Every redirect leads in one step to a page of this site, and an address that is canonical stays; what is
    /// suggested is there.
    #[test]
    fn one_step_is_enough(site in site(), routes in prop::collection::vec(route(), 1..10), urls in prop::collection::vec((url(), any::<bool>()), 30)) {
        let Some(table) = site.table(&routes, &[]) else { return Ok(()) };
        for (url, is_old) in &urls {
            let url = site.address(&if *is_old { format!("/old{url}") } else { url.clone() });
            match table.decide(&Request::get(&url)) {
                Decision::Redirect(redirect) => {
                    let location = redirect.location();
                    let there = table.decide(&Request::get(location));
                    prop_assert!(matches!(there, Decision::Page(_)), "{} → {}: {:?}", url, location, there);
                    prop_assert!(location.bytes().all(|byte| byte.is_ascii_graphic()), "{}", location);
                    prop_assert_eq!(origin(&followed("/", location)), ORIGIN, "{}", location);
                }
                Decision::Page(found) => prop_assert!(table.find(&found.address()).is_some(), "{}", url),
                Decision::NotFound(missing) => {
                    let suggestions = missing.suggestions();
                    prop_assert!(suggestions.len() <= 3);
                    for one in &suggestions {
                        let there = table.find(one.url());
                        prop_assert_eq!(there.map(|there| there.route().name()), Some(one.route()), "{}", one);
                    }
                }
                Decision::BadRequest(_) => {}
                other => panic!("{url}: {other:?}"),
            }
        }
    }

    /// Whatever is matched, a link makes it again: a page has no value that no link could give it, however the URL was
    /// escaped. And an address in its canonical form keeps every value that the page would have read from the one that
    /// was sent.
    #[test]
    fn what_is_matched_can_be_linked(
        site in site(),
        routes in prop::collection::vec(route(), 1..10),
        urls in prop::collection::vec((raw_url(), prop::sample::select(vec!["", "/", "?", "?q=", "?q=1&q=2", "?q=2&q=1&z=%zz", "?q=%ff%00", "?k=v&q=+"])), 40),
    ) {
        let Some(table) = site.table(&routes, &[]) else { return Ok(()) };
        for (url, end) in &urls {
            let url = site.address(&format!("{url}{end}"));
            let sent_on = table.decide(&Request::get(&url)).location().map(str::to_owned);
            let Decision::Page(found) = table.decide(&Request::get(sent_on.as_deref().unwrap_or(&url))) else { continue };
            let read = shown(&found);
            let link = read.iter().fold(table.link(found.route().name()), |link, (name, value)| link.set(name, value.clone())).to_url();
            let link = match link {
                Ok(link) => link,
                // A query that the narrower route refuses leads to the wider, and no link to that has such a query.
                Err(error) if error.kind() == LinkErrorKind::Captured && url.contains('?') => continue,
                Err(error) => panic!("{url} gives {read:?}, but {error}"),
            };
            let Decision::Page(again) = table.decide(&Request::get(&link)) else { panic!("{url} → {link}") };
            prop_assert_eq!((again.route().name(), shown(&again)), (found.route().name(), read), "{} → {}", url, link);
            let first = |url: &str| {
                let pairs = crate::reference::read_query(url.split_once('?').map_or("", |(_, query)| query));
                pairs.into_iter().find(|(name, value)| name == "q" && !value.is_empty()).map(|(_, value)| value)
            };
            let is_read = found.route().parameters().any(|param| param.name() == "q" && param.keywords().len() == 0);
            if is_read && !url.contains("q=&") {
                prop_assert_eq!(first(sent_on.as_deref().unwrap_or(&url)), first(&url), "{} → {:?}", url, sent_on);
            }
        }
    }

    /// A long query that no route reads changes nothing: it only takes the lookup another way round. Nor does it matter how
    /// far from the start of the path a segment stands.
    #[test]
    fn the_short_way_leads_where_the_long_one_does(
        routes in prop::collection::vec(route(), 1..30),
        urls in prop::collection::vec(url(), 60),
        slash in prop::sample::select(vec![Slash::Never, Slash::Either]),
        before in prop_oneof![2 => Just(0_usize), 2 => 1_usize..12, 2 => 50_usize..70, 1 => 110_usize..250],
    ) {
        let prefix = if before == 0 { String::new() } else { format!("/{}", "p".repeat(before)) };
        let top = RouteSpec::new("top");
        let top = if before == 0 { top } else { top.path(&*prefix) };
        let top = (0..routes.len()).fold(top, |top, index| top.route(routes[index].declared(&format!("r{index}"))));
        let table = table(&[], [], Overlaps::FirstDeclared).slash(slash).route(top).build().expect("a table");
        for url in &urls {
            let url = format!("{prefix}{url}");
            let long = format!("{url}{}zz={}", if url.contains('?') { '&' } else { '?' }, "y".repeat(300));
            let decided = |url: &str| match table.decide(&Request::get(url)) {
                Decision::Page(found) => {
                    let known = |(name, _): &(&str, Value)| *name != "rest";
                    let values: Vec<_> = found.values().filter(known).collect();
                    format!("{} {} {values:?}", found.route().name(), found.path())
                }
                Decision::Redirect(redirect) => redirect.location().split('?').next().unwrap_or_default().to_owned(),
                other => other.status().to_string(),
            };
            prop_assert_eq!(decided(&url), decided(&long), "{}", url);
        }
    }

    /// A default may be spelt out or left out, in links and in URLs: the address is the same, and so are the values.
    #[test]
    fn defaults_have_one_address(
        lang in prop::option::of(prop::sample::select(vec!["en", "cy"])),
        year in prop::option::of(prop::sample::select(vec!["2031", "2032"])),
        month in prop::option::of(prop::sample::select(vec!["04", "05"])),
        page in prop::option::of(prop::sample::select(vec!["1", "2"])),
        slash in prop::sample::select(vec![Slash::Never, Slash::Always, Slash::Either]),
    ) {
        let rule = |value: &str, default: &str| Rule::one_of([value, default]).default_value(default);
        let route = RouteSpec::new("list").path("{/lang}/list{/year,month}{?page}").page("list");
        let route = route.param("lang", rule("cy", "en")).param("year", rule("2032", "2031")).param("page", rule("2", "1"));
        let table = TableSpec::new().slash(slash).route(route).build().expect("a table");
        let given = [("lang", lang), ("year", year), ("month", month), ("page", page)];
        let link = given.iter().filter_map(|(name, value)| Some((*name, (*value)?)));
        let link = link.fold(table.link("list"), |link, (name, value)| link.set(name, value)).to_url().expect("a link");

        let end = if slash == Slash::Always { "/" } else { "" };
        let month_segment = month.map_or_else(String::new, |month| format!("/{month}"));
        let long = format!(
            "/{}/list/{}{month_segment}{end}?page={}",
            lang.unwrap_or("en"), year.unwrap_or("2031"), page.unwrap_or("1"),
        );
        let sent_on = table.decide(&Request::get(&long)).location().map(str::to_owned);
        prop_assert_eq!(sent_on.as_deref().unwrap_or(&long), link.as_str());

        let found = table.find(&link).expect("a page");
        let wanted = [lang.or(Some("en")), year.or(Some("2031")), month, page.or(Some("1"))];
        for (name, wanted) in ["lang", "year", "month", "page"].iter().zip(wanted) {
            let value = found.param(name);
            prop_assert_eq!(value.as_deref(), wanted, "{} of {}", name, link);
        }
    }

    /// Whoever is sent to sign in comes back to where they wanted to go, and nobody is sent off the site.
    #[test]
    fn the_way_back_leads_to_the_wanted_page(site in site(), routes in prop::collection::vec(route(), 1..8), picks in picks()) {
        let Some(table) = site.table(&routes, &["observer"]) else { return Ok(()) };
        for (_, _, url) in links(&table, &routes, &picks) {
            for asked in [old(site, &url), url.clone()] {
                let Decision::Unmet(unmet) = table.decide(&Request::get(&asked)) else { panic!("{asked} is open to all") };
                let sign_in = table.find(unmet.location().expect("a place")).expect("a page");
                let wanted = sign_in.param("return").expect("the wanted address");
                let back = table.return_address(&Request::get(&*wanted).meets(&|need| need == "observer"), "/");
                prop_assert_eq!(back, &url);
            }
        }
    }

    /// A return address that is accepted decides to a page of this table, and a browser stays on the site.
    #[test]
    fn an_accepted_return_address_is_a_page(
        routes in prop::collection::vec(route(), 1..8),
        wanted in prop_oneof![
            "[/\\\\\t\n:@.%#?]{0,4}(evil\\.example|larkfell\\.example|a|objects|1){0,1}[/\\\\@.?#%2fF5cC]{0,6}[a-z]{0,3}",
            url(),
            url().prop_map(|url| format!("/{url}")),
            "\\PC{0,20}",
        ],
    ) {
        let site = Site { base: "", slash: Slash::Either, location: Location::Path, case: Case::Exact };
        let table = site.table(&routes, &[]).expect("a table");
        let back = table.return_address(&Request::get(&wanted), "no");
        if back != "no" {
            prop_assert!(matches!(table.decide(&Request::get(back)), Decision::Page(_)), "{}", back);
            // A fragment is the browser's own affair, whatever is in it.
            let page = back.split('#').next().unwrap_or_default();
            prop_assert_eq!(origin(&followed("/", &forgiven(page))), ORIGIN, "{}", back);
        }
    }

    /// Whatever the bytes and the method, there is an answer.
    #[test]
    fn any_bytes_are_answered(
        site in site(),
        routes in prop::collection::vec(route(), 1..6),
        method in "GET|HEAD|POST|OPTIONS|[a-z]{0,3}",
        bytes in prop_oneof![
            prop::collection::vec(any::<u8>(), 0..60),
            "[/.%2eE#?a-b&=;+]{0,40}".prop_map(String::into_bytes),
        ],
        inside in any::<bool>(),
    ) {
        let Some(table) = site.table(&routes, &["observer"]) else { return Ok(()) };
        let url = if inside { [site.address("/").into_bytes(), bytes].concat() } else { bytes };
        let request = Request::new(&method, &url);
        let decision = table.decide(&request);
        prop_assert!((200..500).contains(&decision.status()));
        if let Decision::NotFound(missing) = &decision {
            prop_assert!(missing.suggestions().len() <= 3);
        }
        let _ = table.return_address(&request, "/");
        let _ = table.explain(&request);
    }
}

/// Words that have little in common, as many as are wanted, in a site with a page for each.
fn crowd(count: u64) -> (Vec<String>, Table) {
    let word = |number: u64| -> String {
        let mut bits = (number + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        (0..9)
            .map(|_| {
                bits = bits.rotate_left(7).wrapping_mul(0xD134_2543_DE82_EF95);
                char::from(b'a' + (bits >> 40) as u8 % 26)
            })
            .collect()
    };
    let words: Vec<String> = (0..count).map(word).collect();
    let spec = words.iter().enumerate().fold(TableSpec::new(), |spec, (at, word)| {
        spec.route(RouteSpec::new(format!("r{at}")).path(format!("/{word}")).page("page"))
    });
    (words, spec.build().expect("a table"))
}

proptest! {
    /// However many siblings there are, one slip is forgiven.
    #[test]
    fn one_slip_is_forgiven_among_many(picks in prop::collection::vec((any::<prop::sample::Index>(), 0..9_usize, 0..4_u8, b'a'..=b'z'), 40)) {
        static CROWD: std::sync::LazyLock<(Vec<String>, Table)> = std::sync::LazyLock::new(|| crowd(6_000));
        let (words, table) = &*CROWD;
        for (pick, at, slip, letter) in picks {
            let word = pick.get(words);
            let mut wrong = word.clone().into_bytes();
            match slip {
                0 => drop(wrong.remove(at)),
                1 => wrong.insert(at, letter),
                2 => wrong[at] = letter,
                _ => wrong.swap(at.min(7), at.min(7) + 1),
            }
            let wrong = format!("/{}", String::from_utf8(wrong).expect("letters"));
            let request = Request::get(&wrong);
            let Decision::NotFound(missing) = table.decide(&request) else { continue };
            let found: Vec<String> = missing.suggestions().iter().map(|one| one.url().to_owned()).collect();
            prop_assert_eq!(found, [format!("/{word}")], "{}", wrong);
        }
    }
}
