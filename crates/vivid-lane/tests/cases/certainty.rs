//! What is found where no set tells exactly what is accepted: live lists, and functions of the program's own.

use std::collections::BTreeSet;

use vivid_lane::analyse::{DifferenceKind, Differences, ProposedRedirect};
use vivid_lane::declare::Format;
use vivid_lane::{Decision, Request, Review, RouteSpec, Rule, Source, Table, TableSpec};

/// Code and text of each finding about a table, whose format `lucky` accepts some digits.
fn findings(table: &str) -> Vec<String> {
    let spec = TableSpec::read(Source::toml(format!("lists = ['one', 'two']\n{table}")))
        .format(Format::new("lucky", |text| text == "7").described_by("^[0-9]$"));
    let reviewed = Review::new(spec).run();
    reviewed.findings().iter().map(|finding| format!("{}: {}", finding.code(), finding.message())).collect()
}

#[test]
fn a_finding_claims_no_more_than_is_certain() {
    let tails = |rule: &str, wide: &str| {
        format!(
            "[routes.narrow]\npath = '/x/{{+t}}'\npage = 'a'\npriority = 1\nparams.t = {rule}\n\
             [routes.wide]\npath = '/x/{{+u}}'\npage = 'b'\nparams.u = {wide}\n"
        )
    };
    let hosts = |rule: &str| {
        format!(
            "[params]\nclub = {rule}\n[routes.a]\nhost = '{{club}}.example'\npath = '/'\npage = 'a'\n\
             [routes.b]\nhost = '{{club}}.example'\npath = '/'\npage = 'b'\n"
        )
    };
    let segments = |one: &str, two: &str| {
        format!(
            "[routes.a]\npath = '/p/{{a}}'\npage = 'a'\nparams.a = {one}\n[routes.b]\npath = '/p/{{b}}'\npage = 'b'\nparams.b = {two}\n"
        )
    };
    let digit = "{ pattern = '^[0-9]$' }";
    for (table, expected) in [
        // A list may be empty, so nothing is hidden by it, and no link is certain to be captured.
        (tails("{ listed = 'one' }", "{}"), vec![]),
        (tails("{ listed = 'one' }", "'digits'"), vec![]),
        (tails("'lucky'", digit), vec!["unreachable: `wide` may never be reached: `narrow` answers all its URLs"]),
        (tails("'digits'", digit), vec!["captured-link: a link to `narrow` can be captured: `wide` answers"]),
        (tails(digit, digit), vec!["unreachable: `wide` can never be reached"]),
        (hosts("{ listed = 'one' }"), vec!["overlap: `a` and `b` may both accept"]),
        (hosts("'digits'"), vec!["overlap: `a` and `b` both accept"]),
        // Several lists, asked one after the other, and a route for what none of them holds.
        (segments("{ listed = 'one' }", "{ listed = 'two' }"), vec![]),
        (segments("{ listed = 'one' }", "{ minLength = 1 }"), vec![]),
    ] {
        let found: Vec<String> = findings(&table)
            .into_iter()
            .filter(|one| !one.contains("unused") && !one.starts_with("catch-all") && !one.starts_with("open-tail"))
            .collect();
        assert_eq!(found.len(), expected.len(), "{table}{found:#?}");
        for (found, expected) in found.iter().zip(expected) {
            assert!(found.starts_with(expected), "{table}{found}");
        }
    }
}

/// In a query a list is narrower than a plain rule too, and of two lists the first is asked first.
#[test]
fn lists_narrow_queries() {
    let routes = |one: &str, two: &str| {
        let route = |name: &str, rule: &str| {
            format!("[routes.{name}]\npath = '/s{{?q}}'\npage = '{name}'\nrequired = ['q']\nparams.q = {rule}\n")
        };
        TableSpec::read(Source::toml(format!("lists = ['one', 'two']\n{}{}", route("a", one), route("b", two)))).build()
    };
    let (one, two) = ("{ listed = 'one' }", "{ listed = 'two' }");
    for (first, second, pages) in [
        ("{}", one, ["b", "b", "a", "a"]),
        (one, "{}", ["a", "a", "b", "b"]),
        (one, two, ["a", "a", "b", "404"]),
        (two, one, ["b", "a", "a", "404"]),
    ] {
        let table = routes(first, second).unwrap_or_else(|error| panic!("{first} {second}: {error}"));
        // `ada` is in the first list, `bea` in both, `cyd` in the second, and `dot` in none.
        let lists = |list: &str, value: &str| match list {
            "one" => matches!(value, "ada" | "bea"),
            _ => matches!(value, "bea" | "cyd"),
        };
        for (value, page) in ["ada", "bea", "cyd", "dot"].into_iter().zip(pages) {
            let found = match table.decide(&Request::get(&format!("/s?q={value}")).lists(&lists)) {
                Decision::Page(found) => found.page().clone(),
                other => other.status().to_string(),
            };
            assert_eq!(found, page, "{first} {second}: {value}");
        }
    }
}

/// So it is in a tail, whose rule speaks of all its segments.
#[test]
fn lists_narrow_tails() {
    let table = "lists = ['one']\n[routes.wide]\npath = '/x/{+u}'\npage = 'wide'\nparams.u = 'digits'\n\
                 [routes.listed]\npath = '/x/{+t}'\npage = 'listed'\nparams.t = { listed = 'one' }\n";
    let table = TableSpec::read(Source::toml(table)).build().unwrap_or_else(|error| panic!("{error}"));
    let lists = |_: &str, value: &str| matches!(value, "7" | "a/b");
    for (url, page) in [("/x/7", "listed"), ("/x/8", "wide"), ("/x/a/b", "listed"), ("/x/a", "404")] {
        let found = match table.decide(&Request::get(url).lists(&lists)) {
            Decision::Page(found) => found.page().clone(),
            other => other.status().to_string(),
        };
        assert_eq!(found, page, "{url}");
    }
}

/// What is too much to be looked at is said, never left out in silence.
#[test]
fn what_is_not_looked_at_is_said() {
    let crowded = |count: usize| {
        let literals: String =
            (0..count).map(|at| format!("[routes.l{at}]\npath = '/x/l{at}'\npage = 'l'\n")).collect();
        format!(
            "[routes.wide]\npath = '/x/{{a}}'\npage = 'wide'\n[routes.idle]\npath = '/idle'\npage = 'i'\nframe = 'f'\n{literals}"
        )
    };
    let codes = |table: &str| -> Vec<String> {
        findings(table).into_iter().filter(|one| !one.starts_with("unused-list")).collect()
    };
    assert_eq!(codes(&crowded(300)).len(), 1, "{:?}", codes(&crowded(300)));
    let found = codes(&crowded(450));
    let wide =
        "reach-not-checked: whether `wide` can be reached, and linked to, was not checked: too many other routes";
    assert!(found.iter().any(|one| one.starts_with(wide)), "{found:?}");

    let spec = |count: usize| TableSpec::read(Source::toml(crowded(count)));
    let compared = |count: usize| Differences::between(spec(count), spec(count)).expect("two tables");
    assert!(compared(150).not_compared().is_empty());
    let differences = compared(450);
    assert!(differences.all().is_empty());
    let [one] = differences.not_compared() else { panic!("{:?}", differences.not_compared()) };
    assert_eq!(one.route(), Some("wide"));
    assert!(one.to_string().starts_with("too many paths to follow: only `/x/"), "{one}");
}

/// An address that breaks only with a value in its query is found: another route takes the others.
#[test]
fn a_difference_may_hang_on_an_optional_value() {
    let spec = |text: &str| TableSpec::read(Source::toml(text));
    let tail =
        "site.overlaps = 'first-declared'\n[routes.tail]\npath = '/{+t}{?q}'\npage = 'tail'\nparams.q = 'integer'\n";
    let old = format!("{tail}[routes.pair]\npath = '/{{a}}/{{b}}?k=v{{&q}}'\npage = 'pair'\n");
    let differences = Differences::between(spec(&old), spec(tail)).expect("two tables");
    let found: Vec<(DifferenceKind, &str)> = differences.all().iter().map(|one| (one.kind(), one.witness())).collect();
    let other_page = (DifferenceKind::SameUrlOtherPage, "/a/a?k=v");
    assert_eq!(found, [(DifferenceKind::Removed, "/a/a?k=v&q=a"), other_page]);
}

/// So many routes at one place, each with a rule of its own.
fn crowd(count: usize, path: &str, rule: impl Fn(&str) -> String) -> String {
    let letter = |number: usize| char::from(b'a' + (number % 26) as u8);
    let word = |number: usize| format!("{}{}x", letter(number / 26), letter(number));
    (0..count)
        .map(|at| {
            let rule = rule(&word(at));
            format!("[routes.r{at}]\npath = '{path}'\npage = 'p'\npriority = {at}\nparams.t = {rule}\n")
        })
        .collect()
}

/// The codes of what is found about a crowd, but for those of its patterns.
fn codes(table: &str) -> BTreeSet<String> {
    let code = |one: String| one.split(':').next().map(str::to_owned);
    let others = |code: &String| !matches!(code.as_str(), "unanchored-pattern" | "unused-list");
    findings(table).into_iter().filter_map(code).filter(others).collect()
}

/// A small table can ask for a great many comparisons. What all of them may cost is bounded, and what was given up is said: of tails,
/// each of which may hold what all others hold, in any order.
#[test]
fn what_costs_too_much_is_given_up_and_said() {
    let tails = |count| crowd(count, "/{+t}", |word| format!("{{ pattern = '{word}' }}"));
    assert_eq!(codes(&tails(3)), BTreeSet::from(["captured-link".to_owned()]));
    assert!(codes(&tails(80)).contains("reach-not-checked"));
}

/// To prove which is the narrower may cost too much itself, and so may reading the rules that follow.
#[test]
fn a_proof_that_costs_too_much_is_given_up_and_said() {
    let items =
        |word: &str| format!("{{ type = 'array', items = {{ pattern = '{word}' }}, minItems = 20, maxItems = 60 }}");
    let found = codes(&crowd(110, "/{t}", items));
    assert_eq!(found, BTreeSet::from(["rule".to_owned(), "too-large-to-prove".to_owned()]));
}

/// If it would take too long to compare two rules, the error names both routes and rules. If the author decides, the table is built.
#[test]
fn what_cannot_be_compared_is_named_and_may_be_decided() {
    let table = |head: &str, priority: &str| {
        format!(
            "{head}\n[routes.odd]\npath = '/{{t}}'\npage = 'p'\nparams.t.pattern = '^([a-z]{{401}})+$'\n{priority}\n\
             [routes.even]\npath = '/{{u}}'\npage = 'p'\nparams.u.pattern = '^([a-z]{{409}})+$'\n"
        )
    };
    let found = findings(&table("", ""));
    let [only] = found.as_slice() else { panic!("{found:?}") };
    let wanted = "too-large-to-prove: it would take too long to prove which of `odd` and `even` is narrower: the rules of `t` and of `u`";
    assert!(only.starts_with(wanted), "{only}");
    for decided in [table("", "priority = 1"), table("site.overlaps = 'first-declared'", "")] {
        let table = Table::from_toml(&decided).expect("the author has decided");
        let url = |length: usize| format!("/{}", "a".repeat(length));
        let route = |length| table.find(&url(length)).map(|found| found.route().name().to_owned());
        assert_eq!([route(401), route(409), route(10)], [Some("odd".into()), Some("even".into()), None]);
    }
}

/// Large patterns in a few kilobytes can exceed what a table may cost. The error names the route, whatever follows it.
#[test]
fn a_host_that_costs_too_much_is_refused_with_its_route() {
    let host = |at: usize| {
        format!(
            "[routes.r{at}]\npath = '/'\npage = 'p'\nhost = '{{h}}.example'\nparams.h.pattern = '^[a-z]{{{},200}}$'\n",
            at + 1
        )
    };
    let found = findings(&(0..300).map(host).collect::<String>());
    assert!(found.iter().any(|one| one.starts_with("too-large-to-prove: ")), "{found:?}");
}

/// Routes with different prefixes, suffixes, hosts or beginnings of patterns need no proof, however many there are.
#[test]
fn routes_that_texts_tell_apart_are_accepted() {
    let route = |at: usize, path: &str, more: &str| {
        format!(
            "[routes.r{at}]\npath = '{}'\npage = 'p'\n{}\n",
            path.replace('N', &at.to_string()),
            more.replace('N', &at.to_string())
        )
    };
    for (count, path, more, url) in [
        (3000, "/wN-{id}", "", "/w1234-dome"),
        (3000, "/wordN.{format}", "", "/word1234.html"),
        (3000, "/rN{.a}", "", "/r1234.dome"),
        (500, "/rN{.a,b,c,d,e}", "", "/r234.dome.7"),
        (3000, "/{id}-wN", "", "/dome-w1234"),
        (3000, "/", "host = 'hN.example'", "https://h1234.example/"),
        (500, "/{id}", "params.id.pattern = '^xN-[a-z]+$'", "/x234-dome"),
        (500, "/{a}/wN-{id}", "", "/dome/w234-7"),
    ] {
        let table: String = (0..count).map(|at| route(at, path, more)).collect();
        let table = Table::from_toml(&table).unwrap_or_else(|error| panic!("{path}: {error}"));
        let found = table.find(url).map(|found| found.route().name().to_owned());
        assert!(found.as_ref().is_some_and(|name| name.ends_with("234")), "{path}: {found:?}");
    }
}

/// Overlaps of one reason are not listed for ever.
#[test]
fn overlaps_of_one_reason_are_counted() {
    let alike: String = (0..40).map(|at| format!("[routes.r{at}]\npath = '/{{t}}'\npage = 'p'\n")).collect();
    let found = findings(&alike);
    assert_eq!(found.iter().filter(|one| one.starts_with("overlap")).count(), 500);
    assert!(found.iter().any(|one| one.starts_with("too-many-pairs: this list has 500 overlaps")));
}

/// More redirects overlap with new pages than are told one by one: all give way, in one round.
#[test]
fn thousands_of_redirects_give_way() {
    const ROUTES: usize = 520;
    let page = |name: String, path: String, pattern: &str| {
        RouteSpec::new(&name).path(path).page(&name).param("x", Rule::pattern(pattern))
    };
    let old = (0..ROUTES)
        .fold(TableSpec::new(), |table, at| table.route(page(format!("r{at}"), format!("/s{at}/{{x}}"), "^[a-c]+$")));
    let new = (0..ROUTES).fold(TableSpec::new(), |table, at| {
        let moved = page(format!("r{at}"), format!("/t{at}/{{x}}"), "^[a-c]+$");
        table.route(moved).route(page(format!("n{at}"), format!("/s{at}/{{x}}"), "^[b-d]+$"))
    });
    let differences = Differences::between(old, new).expect("two tables");
    let gives_way = |one: &ProposedRedirect| one.to_string().contains("priority = -1");
    assert_eq!(differences.redirects().iter().filter(|one| gives_way(one)).count(), ROUTES);
}
