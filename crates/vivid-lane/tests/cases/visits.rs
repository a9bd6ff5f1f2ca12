//! A visitor's way through a site: to sign in and back, lists that change, counters, transitions, history, and
//! links from the page that is shown.

use std::cell::{Cell, RefCell};
use std::collections::{HashMap, HashSet};

use proptest::prelude::*;
use vivid_lane::decide::{Counters, Step};
use vivid_lane::link::{Active, slug};
use vivid_lane::navigate::{History, transition};
use vivid_lane::{Answer, Decision, LiveLists, Match, Question, Request, RouteRef, Table, Value};

fn table(text: &str) -> Table {
    Table::from_toml(text).unwrap_or_else(|error| panic!("{error}"))
}

fn names(routes: &[RouteRef<'_>]) -> String {
    routes.iter().map(|route| route.name()).collect::<Vec<_>>().join(" ")
}

/// The cases of `tests/data/returns.toml`.
#[test]
fn only_pages_of_this_table_are_come_back_to() {
    let table = table(
        "needs.staff = {}\n[routes]\nhome = { path = '/', page = 'home' }\nlogbook = { path = '/logbook{?year}', page = 'logbook' }\n\
         files = { path = '/files/{+path}', page = 'file' }\nobject = { path = '/o/{object}', page = 'object' }\n\
         old = { path = '/old', redirect = 'logbook' }\nvault = { path = '/vault', page = 'vault', needs = ['staff'] }",
    );
    let data: toml::Table = include_str!("../data/returns.toml").parse().expect("the data is TOML");
    for (list, is_accepted) in [("accepted", true), ("refused", false)] {
        for wanted in data[list].as_array().expect("texts") {
            let wanted = wanted.as_str().expect("text");
            let back = table.return_address(&Request::get(wanted), "/default");
            assert_eq!(back, if is_accepted { wanted } else { "/default" }, "{wanted:?}");
        }
    }
    assert_eq!(table.return_address(&Request::get("/vault").meets(&|_| true), "/"), "/vault");
    assert_eq!(table.return_address(&Request::get(b"/\xff"), "/"), "/");
}

#[test]
fn a_visitor_signs_in_by_way_of_a_registration_and_comes_back() {
    let table = table(
        "params.lang = ['en', 'cy']\nneeds.observer.otherwise = 'sign-in'\n[routes]\nsign-in = { path = '{/lang}/sign-in{?return}', page = 'sign-in' }\n\
         register = { path = '{/lang}/register{?return}', page = 'register' }\nlog = { path = '{/lang}/log/{entry}', page = 'log', needs = ['observer'] }",
    );
    let request = Request::get("/cy/log/a%20b?x=%2F");
    let Decision::Unmet(unmet) = table.decide(&request) else { panic!("the visitor is a stranger") };
    let sign_in = table.find(unmet.location().expect("a place to sign in")).expect("a page");
    let url = sign_in.link("register").carry_return().to_url().expect("a link");
    let register = table.find(&url).expect("a page");
    assert_eq!(register.page(), "register");
    let wanted = register.param("return").expect("the wanted address");
    let back = table.return_address(&Request::get(&*wanted).meets(&|need| need == "observer"), "/");
    assert_eq!(back, "/cy/log/a%20b?x=%2F");
    assert_eq!(sign_in.link("log").set("entry", "1").carry_return().to_url().unwrap_err().route(), "log");
}

#[test]
fn lists_are_asked_in_steps_as_they_are_at_once() {
    let table = table(
        "lists = ['observers', 'domes']\n[routes]\nobserver = { path = '/{a}', page = 'observer', params.a = { listed = 'observers' } }\n\
         dome = { path = '/{b}', page = 'dome', params.b = { listed = 'domes' } }\nboth = { path = '/{a}/{b}', page = 'both', params = { a = { listed = 'observers' }, b = { listed = 'domes' } } }",
    );
    let lists = |list: &str, value: &str| matches!((list, value), ("observers", "ada") | ("domes", "east"));
    for (url, asked) in [
        ("/ada", "observers:ada"),
        ("/east", "observers:east domes:east"),
        ("/west", "observers:west domes:west"),
        ("/ada/east", "observers:ada domes:east"),
        ("/eve/east", "observers:eve domes:eve"),
        ("/x/y/z", "observers:x domes:x"),
        ("//ada/", "observers:ada"),
        ("/%zz", ""),
    ] {
        let counters = Counters::new(&table);
        let mut steps = table.decide_in_steps(Request::get(url).counted(&counters));
        let mut questions = Vec::new();
        let decision = loop {
            match steps.resume() {
                Step::Done(decision) => break decision,
                Step::Ask(question) => {
                    let Question::Listed { list, value } = &question else { panic!("no needs here") };
                    questions.push(format!("{list}:{value}"));
                    let is_listed = lists(list, value);
                    steps.answer(question, is_listed);
                }
            }
        };
        assert_eq!(questions.join(" "), asked, "{url}");
        let at_once = table.decide(&Request::get(url).lists(&lists));
        assert_eq!(
            format!("{decision:?}").split("lists").next(),
            format!("{at_once:?}").split("lists").next(),
            "{url}"
        );
        assert_eq!(decision.status(), at_once.status());
        assert_eq!(counters.lists().map(|(_, asked, _)| asked).sum::<u64>(), questions.len() as u64);
        let decided = counters.pages() + counters.missing() + counters.redirects() + counters.bad_requests();
        assert_eq!(decided, 1, "{url}: {counters:?}");
    }
}

#[test]
fn lists_change_while_requests_run_and_all_requests_are_counted() {
    let table = table(
        "lists = ['observers']\n[routes.observer]\npath = '/{name}'\npage = 'observer'\nparams.name = { listed = 'observers' }\n\
         [routes.old]\npath = '/old/{name}'\nredirect = 'observer'",
    );
    let (lists, counters) = (LiveLists::new(), Counters::new(&table));
    // Each state has exactly one of the two names, so a request that saw half of a change would miss both.
    lists.replace("observers", ["ada"]);
    const ROUNDS: u64 = 2000;
    std::thread::scope(|scope| {
        for _ in 0..2 {
            scope.spawn(|| {
                for _ in 0..ROUNDS {
                    let now = lists.now();
                    let ask =
                        |url: &'static str| table.decide(&Request::get(url).lists(&now).counted(&counters)).status();
                    assert_eq!(ask("/ada") + ask("/grace"), 604);
                    assert_eq!(ask("/old/ada") + ask("/old/grace"), 308 + 404);
                }
            });
        }
        for round in 0..ROUNDS {
            lists.replace("observers", [if round % 2 == 0 { "grace" } else { "ada" }]);
        }
    });
    let hits: HashMap<&str, u64> = counters.routes(&table).map(|(route, hits)| (route.name(), hits)).collect();
    assert_eq!(hits["observer"], 2 * ROUNDS);
    assert_eq!((counters.pages(), counters.redirects(), counters.missing()), (2 * ROUNDS, 2 * ROUNDS, 4 * ROUNDS));
    assert_eq!(hits["old"], 4 * ROUNDS, "a redirect that leads nowhere was used all the same");
    assert_eq!(counters.lists().collect::<Vec<_>>(), [("observers", 8 * ROUNDS, 4 * ROUNDS)]);
    lists.insert("observers", "eve");
    lists.remove("observers", "nobody");
    assert!(matches!(table.decide(&Request::get("/eve").lists(&lists.now())), Decision::Page(_)));
}

const SITE: &str = r#"
    params.lang = ["en", "cy"]
    params.date = "date"
    [site]
    origin = "https://larkfell.example"
    [routes.site]
    path = "{/lang}"
    [routes.site.home]
    path = "/"
    page = "home"
    [routes.site.nights]
    path = "/nights{?year}"
    page = "nights"
    frame = "calendar"
    [routes.site.nights.night]
    path = "/{date}"
    page = "night"
    [routes.site.nights.night.exposures]
    path = "/exposures{?band}{#part}"
    page = "exposures"
    [routes.site.logbook]
    path = "/logbook{/date}"
    page = "logbook"
    [routes.site.group]
    path = "/group"
    [routes.site.group.object]
    path = "/{object}"
    page = "object"
    [routes.club]
    host = "{club}.larkfell.example"
    path = "/"
    page = "club"
"#;

#[test]
fn links_keep_what_the_two_addresses_share() {
    let table = table(SITE);
    let shown = table.find("/cy/nights/2031-04-02/exposures?band=red").expect("a page");
    let to = |name: &str| shown.link(name).to_url().unwrap_or_else(|error| error.to_string());
    assert_eq!(to("site.home"), "/cy");
    assert_eq!(to("site.nights"), "/cy/nights");
    assert_eq!(to("site.nights.night"), "/cy/nights/2031-04-02");
    assert_eq!(to("site.nights.night.exposures"), "/cy/nights/2031-04-02/exposures");
    assert_eq!(to("site.logbook"), "/cy/logbook", "an optional value of another branch is its own");
    assert_eq!(to("site.group.object"), "a link to `site.group.object` needs a value for `object`");
    assert_eq!(to("site.nihgts"), "no route is named `site.nihgts`; did you mean `site.nights`?");
    let night = shown.link("site.nights.night");
    assert_eq!(night.clone().set("date", "2031-04-03").without("lang").to_url().unwrap(), "/nights/2031-04-03");
    assert_eq!(night.to_absolute_url().unwrap(), "https://larkfell.example/cy/nights/2031-04-02");
    let part = shown.link("site.nights.night.exposures").set("part", "end").set("band", "blue");
    assert_eq!(part.to_url().unwrap(), "/cy/nights/2031-04-02/exposures?band=blue#end");
    assert_eq!(part.to_relative_url(&shown).unwrap(), "?band=blue#end");
    assert_eq!(shown.link("club").set("club", "moon").to_url().unwrap(), "https://moon.larkfell.example/");
    assert_eq!(
        table.find("https://moon.larkfell.example/").unwrap().link("club").to_absolute_url().unwrap(),
        "https://moon.larkfell.example/"
    );

    let up: Vec<String> =
        std::iter::successors(shown.up(), |url| table.find(url).and_then(|found| found.up())).collect();
    assert_eq!(up, ["/cy/nights/2031-04-02", "/cy/nights"], "a group is no place to go up to");
}

#[test]
fn links_know_whether_they_lead_here() {
    let table = table(SITE);
    let shown = table.find("/cy/nights/2031-04-02/exposures?band=red").expect("a page");
    let exposures = shown.link("site.nights.night.exposures");
    assert_eq!(shown.link("site.nights").active(&shown), Active::Ancestor);
    assert_eq!(shown.link("site.nights").set("year", "2031").active(&shown), Active::No);
    assert_eq!(table.link("site.nights").active(&shown), Active::No, "the same list in another language");
    assert_eq!(exposures.active(&shown), Active::Exactly);
    assert_eq!(exposures.clone().set("band", "red").set("part", "end").active(&shown), Active::Exactly);
    assert_eq!(exposures.set("band", "blue").active(&shown), Active::No);
    assert_eq!(shown.link("site.home").active(&shown), Active::No);
    assert_eq!(shown.link("nowhere").active(&shown), Active::No);
}

#[test]
fn a_title_that_has_changed_is_sent_on_to_the_current_one() {
    let table = table("[routes.object]\npath = '/objects/{id}-{title}{?view}'\npage = 'object'\nparams.id = 'integer'");
    let found = table.find("/objects/57-old-name?view=wide&z=1").expect("a page");
    let title = slug("The “Ring” Nebula");
    let redirect = found.redirect_to_current("title", title.as_str()).unwrap().expect("a redirect");
    assert_eq!(redirect.location(), "/objects/57-the-ring-nebula?view=wide&z=1");
    let current = table.find(redirect.location()).expect("a page");
    assert_eq!(current.redirect_to_current("title", title).unwrap(), None);
    assert!(found.redirect_to_current("titel", "x").is_err());
}

#[test]
fn values_of_a_struct_go_both_ways() {
    #[derive(Debug, PartialEq, serde::Serialize, serde::Deserialize)]
    #[serde(rename_all = "kebab-case")]
    enum Band {
        NearInfrared,
    }
    #[derive(Debug, PartialEq, serde::Serialize, serde::Deserialize)]
    struct Plate {
        year: i32,
        band: Band,
        exact: Option<bool>,
        path: Vec<u8>,
        rest: HashMap<String, String>,
    }
    let table = table(
        "[routes.plate]\npath = '/p/{year}/{band}{/path*}{?exact,rest*}'\npage = 'plate'\nparams.rest.type = 'object'",
    );
    let rest = HashMap::from([("x".to_owned(), "a b".to_owned())]);
    let plate = Plate { year: -7, band: Band::NearInfrared, exact: None, path: vec![1, 2], rest };
    let url = table.link("plate").params(&plate).to_url().unwrap();
    assert_eq!(url, "/p/-7/near-infrared/1/2?x=a%20b");
    assert_eq!(table.find(&url).unwrap().params::<Plate>().unwrap(), plate);
    assert_eq!(
        table.link("plate").params(&plate).set("exact", true).to_url().unwrap(),
        format!("{}?exact=true&x=a%20b", "/p/-7/near-infrared/1/2")
    );
    for (values, wanted) in [
        (serde_json::json!([1]), "expected a struct or a map with a field for each parameter"),
        (serde_json::json!({ "year": [[1]] }), "`year`: expected a list of texts or numbers"),
        (serde_json::json!({ "rest": { "x": ["y"] } }), "`rest`: `x`: expected a text or a number"),
    ] {
        let error = table.link("plate").params(&values).to_url().unwrap_err().to_string();
        assert!(error.ends_with(wanted), "{error}");
    }
}

/// The levels that stay, go and come, and the values that change.
#[test]
fn transitions_tell_what_changes() {
    let table = table(SITE);
    let find = |url: &'static str| table.find(url).unwrap_or_else(|| panic!("{url}"));
    for (from, to, kept, left, entered, changed) in [
        ("/nights", "/nights", "site site.nights", "", "", ""),
        ("/nights", "/nights/2031-04-02", "site site.nights", "", "site.nights.night", ""),
        ("/nights?year=2031", "/nights", "site site.nights", "", "", "year"),
        ("/nights/2031-04-02", "/nights/2031-04-03", "site site.nights site.nights.night", "", "", "date"),
        (
            "/cy/nights/2031-04-02/exposures",
            "/nights",
            "site site.nights",
            "site.nights.night.exposures site.nights.night",
            "",
            "lang",
        ),
        (
            "/nights/2031-04-02",
            "/group/moon",
            "site",
            "site.nights.night site.nights",
            "site.group site.group.object",
            "",
        ),
        ("https://a.larkfell.example/", "https://b.larkfell.example/", "club", "", "", "club"),
        ("/", "https://b.larkfell.example/", "", "site.home site", "club", ""),
    ] {
        let (old, new) = (find(from), find(to));
        let change = transition(Some(&old), &new);
        let names_changed: Vec<&str> = change.changed().iter().map(|change| change.name()).collect();
        let told = (names(change.kept()), names(change.left()), names(change.entered()), names_changed.join(" "));
        assert_eq!(told, (kept.into(), left.into(), entered.into(), changed.into()), "{from} → {to}");
        assert_eq!(change.is_nothing(), from == to);
    }
    let (old, new) = (find("/cy/nights"), find("/nights"));
    let change = transition(Some(&old), &new);
    assert_eq!((change.changed()[0].before(), change.changed()[0].after()), (Some(&Value::from("cy")), None));
    assert_eq!(names(transition(None::<&Match<'_, '_>>, &new).entered()), "site site.nights");
}

#[test]
fn a_history_goes_back_and_forward_over_final_addresses() {
    let table = table(
        "needs.observer.otherwise = 'sign-in'\n[routes]\nhome = { path = '/', page = 'home' }\ntalks = { path = '/talks', page = 'talks' }\n\
         log = { path = '/log', page = 'log', needs = ['observer'] }\nsign-in = { path = '/sign-in{?return}', page = 'sign-in' }\n\
         away = { path = '/away', redirect = { url = 'https://elsewhere.example/' } }",
    );
    let (is_observer, asked) = (Cell::new(false), RefCell::new(Vec::new()));
    let mut history = History::new(&table, "//").meets(|need| {
        asked.borrow_mut().push(need.to_owned());
        is_observer.get()
    });
    assert_eq!(history.url(), "/", "the first address is made canonical too");
    assert_eq!(history.push("/talks/").status(), 200);
    assert_eq!(history.push("/log").status(), 200);
    assert_eq!(history.url(), "/sign-in?return=%2Flog");
    assert_eq!(asked.borrow().first().map(String::as_str), Some("observer"));
    is_observer.set(true);
    let wanted = match history.current() {
        Decision::Page(found) => found.param("return").map(|wanted| wanted.into_owned()).expect("the wanted address"),
        other => panic!("{other:?}"),
    };
    assert_eq!(history.replace(wanted).status(), 200);
    assert_eq!(history.entries(), ["/", "/talks", "/log"]);
    assert_eq!(history.push("/away").location(), Some("https://elsewhere.example/"));
    assert_eq!((history.url(), history.position()), ("/log", 2), "what leads away changes nothing here");

    assert!(history.back().is_some() && history.back().is_some() && history.back().is_none());
    assert_eq!(history.url(), "/");
    assert!(history.forward().is_some());
    let change = history.transition().expect("a page");
    assert_eq!((names(change.left()), names(change.entered())), ("home".to_owned(), "talks".to_owned()));
    assert_eq!(history.push("/nowhere").status(), 404);
    assert_eq!(history.entries(), ["/", "/talks", "/nowhere"], "there is no going forward after a push");
    assert!(history.transition().is_none() && history.forward().is_none() && history.go(7).is_none());
    is_observer.set(false);
    assert_eq!(history.replace("/log").status(), 200);
    assert_eq!(history.url(), "/sign-in?return=%2Flog");
}

#[test]
fn suggestions_are_pages_and_few() {
    let table = table(
        "needs.staff = {}\nparams.date = 'date'\n[routes]\nhome = { path = '/', page = 'home' }\n\
         nights = { path = '/nights', page = 'nights', night = { path = '/{date}', page = 'night', exposures = { path = '/exposures', page = 'exposures' }, report = { path = '/report{.format}', page = 'report', params.format = ['csv', 'pdf'] } } }\n\
         about = { path = '/about', visit = { path = '/visit', page = 'visit' }, jobs = { path = '/jobs', page = 'jobs', needs = ['staff'] } }\n\
         visitors = { path = '/visitors{?page}', page = 'visitors', params.page = { minimum = 1 } }\nold = { path = '/nigths', redirect = 'nights' }",
    );
    let suggested = |url: &str| match table.decide(&Request::get(url)) {
        Decision::NotFound(missing) => missing
            .suggestions()
            .iter()
            .map(|one| format!("{} ({})", one.url(), one.reason()))
            .collect::<Vec<_>>()
            .join(", "),
        other => format!("{other:?}"),
    };
    for (url, wanted) in [
        ("/nihgts", "/nights (`nights` for `nihgts`)"),
        ("/Nights/", "/nights (`nights` for `Nights`)"),
        ("/nihgts/2031-04-02/report.csv?x=1", "/nights/2031-04-02/report.csv?x=1 (`nights` for `nihgts`)"),
        (
            "/nights/2031-04-02/report.cvs",
            "/nights/2031-04-02/report.csv (`csv` for `cvs`), /nights/2031-04-02 (`format` refused `cvs`: expected one of `csv`, `pdf`)",
        ),
        ("/nights/2031-02-30", "/nights (`date` refused `2031-02-30`: no such day)"),
        ("/nights/all/2031-04-02", "/nights/2031-04-02 (without `all`), /nights (without `all/2031-04-02`)"),
        ("/2031-04-02", "/nights/2031-04-02 (with `nights` before `2031-04-02`)"),
        ("/about", "/about/visit (goes on with `visit`)"),
        ("/about/jobs/x", ""),
        ("/visit", "/about/visit (with `about` before `visit`)"),
        ("/visitors?page=0", "/visitors (`page` refused `0`: below the minimum 1)"),
        (
            "/visitors?z=%zz&p%61ge=x&page=2",
            "/visitors?z=%zz (`page` refused `x`: expected a number such as `7` or `0.5`)",
        ),
        ("/nihgts/2031-02-30", "/nights (`nights` for `nihgts`, without `2031-02-30`)"),
        ("/abuot/jobs/x", ""),
        ("/vistors?page=0", "/visitors (`visitors` for `vistors`)"),
        ("/nights/2031-04-02/exposures/7", "/nights/2031-04-02/exposures (without `7`)"),
    ] {
        let got = suggested(url);
        assert_eq!(got, wanted, "{url}");
    }
}

/// A move of a visitor.
#[derive(Debug, Clone)]
enum Move {
    Push(&'static str),
    Replace(&'static str),
    Back,
    Forward,
    Go(usize),
}

fn addresses() -> impl Strategy<Value = &'static str> {
    prop::sample::select(vec![
        "/",
        "/nights",
        "/nights/",
        "/nights?year=2031",
        "/cy/nights/2031-04-02",
        "/nights/2031-04-03",
        "/cy",
        "/group/moon",
        "/nights/2031-04-02/exposures?band=red",
        "/nowhere",
        "//group//sun",
        "/nights/2031-02-30",
        "/cy/logbook/2031-04-02",
    ])
}

fn moves() -> impl Strategy<Value = Vec<Move>> {
    let one = prop_oneof![
        4 => addresses().prop_map(Move::Push),
        1 => addresses().prop_map(Move::Replace),
        2 => Just(Move::Back),
        2 => Just(Move::Forward),
        1 => (0usize..6).prop_map(Move::Go),
    ];
    prop::collection::vec(one, 0..24)
}

/// The address that a URL comes to.
fn settled(table: &Table, url: &str) -> String {
    table.decide(&Request::get(url)).location().unwrap_or(url).to_owned()
}

proptest! {
    /// A history is a list of final addresses and a place in it, as the simplest model has it.
    #[test]
    fn a_history_is_a_list_and_a_place(moves in moves()) {
        let table = table(SITE);
        let mut history = History::new(&table, "/");
        let (mut entries, mut at) = (vec!["/".to_owned()], 0);
        for one in moves {
            match one {
                Move::Push(url) => {
                    history.push(url);
                    entries.truncate(at + 1);
                    entries.push(settled(&table, url));
                    at += 1;
                }
                Move::Replace(url) => {
                    history.replace(url);
                    entries[at] = settled(&table, url);
                }
                Move::Back => {
                    prop_assert_eq!(history.back().is_some(), at > 0);
                    at = at.saturating_sub(1);
                }
                Move::Forward => {
                    prop_assert_eq!(history.forward().is_some(), at + 1 < entries.len());
                    at = (at + 1).min(entries.len() - 1);
                }
                Move::Go(to) => {
                    prop_assert_eq!(history.go(to).is_some(), to < entries.len());
                    at = if to < entries.len() { to } else { at };
                }
            }
            prop_assert_eq!(history.entries(), &entries);
            prop_assert_eq!(history.position(), at);
            prop_assert_eq!(history.current().status(), table.decide(&Request::get(&entries[at])).status());
        }
    }

    /// What stays and what is left is the old chain; what stays and what is entered is the new one; the way back
    /// undoes the way there.
    #[test]
    fn a_transition_accounts_for_both_chains(from in addresses(), to in addresses()) {
        let table = table(SITE);
        let (from, to) = (settled(&table, from), settled(&table, to));
        let (Some(old), Some(new)) = (table.find(&from), table.find(&to)) else { return Ok(()) };
        let chain = |found: &Match<'_, '_>| found.levels().map(|level| level.route().name().to_owned()).collect::<Vec<_>>();
        let named = |routes: &[RouteRef<'_>]| routes.iter().map(|route| route.name().to_owned()).collect::<Vec<_>>();
        let (there, back) = (transition(Some(&old), &new), transition(Some(&new), &old));
        let left: Vec<String> = named(there.left()).into_iter().rev().collect();
        prop_assert_eq!([named(there.kept()), left].concat(), chain(&old));
        prop_assert_eq!([named(there.kept()), named(there.entered())].concat(), chain(&new));
        prop_assert_eq!(there.is_nothing(), from == to);
        prop_assert_eq!(named(back.entered()).into_iter().rev().collect::<Vec<_>>(), named(there.left()));
        let pairs = |change: &vivid_lane::navigate::Change<'_>| (change.name().to_owned(), change.before().cloned(), change.after().cloned());
        let mirrored: Vec<_> = back.changed().iter().map(pairs).map(|(name, before, after)| (name, after, before)).collect();
        prop_assert_eq!(there.changed().iter().map(pairs).collect::<Vec<_>>(), mirrored);
    }

    /// Links from one page to another keep the language, and the one to the page itself is its address.
    #[test]
    fn links_from_a_page_stay_in_its_language(url in addresses()) {
        let table = table(SITE);
        let url = settled(&table, url);
        let Some(found) = table.find(&url) else { return Ok(()) };
        for name in ["site.home", "site.nights", "site.logbook"] {
            let link = found.link(name).to_url().expect("nothing else is needed");
            let there = table.find(&link).expect("a page");
            prop_assert_eq!(there.param("lang"), found.param("lang"), "{} on {}", link, url);
        }
        let own = found.values().fold(found.link(found.route().name()), |link, (name, value)| link.set(name, value));
        prop_assert_eq!(own.to_url().expect("a link"), url.as_str());
        prop_assert_eq!(own.active(&found), Active::Exactly);
    }

    /// Lists in memory hold what a set holds that went through the same changes, and a state that was taken keeps
    /// what it had.
    #[test]
    fn live_lists_are_sets(changes in prop::collection::vec((0u8..3, 0u8..2, "[a-c]"), 0..30)) {
        use vivid_lane::Lists;
        let (lists, mut model) = (LiveLists::new(), HashMap::<&str, HashSet<String>>::new());
        let mut taken = Vec::new();
        for (kind, list, value) in changes {
            let list = ["observers", "domes"][usize::from(list)];
            taken.push((lists.now(), model.clone()));
            match kind {
                0 => {
                    lists.insert(list, value.as_str());
                    model.entry(list).or_default().insert(value);
                }
                1 => {
                    lists.remove(list, &value);
                    model.entry(list).or_default().remove(&value);
                }
                _ => {
                    lists.replace(list, [value.as_str(), "z"]);
                    model.insert(list, HashSet::from([value, "z".to_owned()]));
                }
            }
        }
        taken.push((lists.now(), model));
        for (now, model) in taken {
            for list in ["observers", "domes", "none"] {
                for value in ["a", "b", "c", "z"] {
                    prop_assert_eq!(now.contains(list, value), Answer::from(model.get(list).is_some_and(|values| values.contains(value))));
                }
            }
        }
    }

    /// A slug is one that its format accepts, and slugging it again changes nothing.
    #[test]
    fn a_slug_is_a_slug(title in "\\PC{0,30}") {
        let slug = slug(&title);
        let table = table("[routes.a]\npath = '/{title}'\npage = 'a'\nparams.title = 'slug'");
        prop_assert!(slug.is_empty() || table.link("a").set("title", slug.as_str()).to_url().is_ok(), "{}", slug);
        prop_assert_eq!(vivid_lane::link::slug(&slug), slug);
    }
}
