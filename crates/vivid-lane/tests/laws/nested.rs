//! Laws of nested tables with everything that a route may have: defaults, hosts, live lists, formats of the program's own,
//! queries that groups hand down, several keywords in a rule, rules on tails, needs and methods.

use proptest::prelude::*;
use serde_json::Value as Json;
use vivid_lane::analyse::Differences;
use vivid_lane::declare::{Data, Format, Overlaps};
use vivid_lane::link::LinkErrorKind;
use vivid_lane::{Decision, Match, Need, Request, RouteSpec, Rule, Source, Table, TableSpec, Value};

use crate::scaled;

/// A rule, values that it accepts (the first is the default where it has one), and one that it refuses.
type Ruled = (fn() -> Rule, &'static [&'static str], &'static str);

const RULES: [Ruled; 9] = [
    (Rule::new, &["a", "é b", "x/y", "1;2"], ""),
    (|| Rule::integer().minimum(2).maximum(40).multiple_of(2), &["2", "40", "16"], "17"),
    (|| Rule::one_of(["en", "cy", "is"]), &["cy", "en", "is"], "de"),
    (|| Rule::format("date"), &["2031-04-02", "2032-02-29"], "2031-02-29"),
    (|| Rule::listed("observers"), &["ada", "grace"], "eve"),
    (|| Rule::format("lucky"), &["7", "77"], "8"),
    (|| Rule::pattern("^[a-z]+$").max_length(5).min_length(2), &["moon", "io"], "m"),
    (|| Rule::new().keyword("type", "boolean"), &["true", "false"], "no"),
    (|| Rule::integer().default_value(3), &["3", "4", "-1"], "03"),
];

/// The rule that asks a live list.
const LISTED: usize = 4;

/// What a parameter holds: one value, a list of them, or names with values; each by a rule.
#[derive(Debug, Clone, Copy)]
enum Form {
    One(usize),
    List(usize),
    Pairs(usize),
}

/// Picks a number below another.
type Pick<'a> = &'a mut dyn FnMut(usize) -> usize;

/// Names of pairs.
const NAMES: [&str; 4] = ["k", "é=", "a,b", "x;y"];

/// Where a list or pairs may stand: before and after the name, and whether they may be left out.
const PLACES: [(&str, &str, bool); 11] = [
    ("/{", "}", false),
    ("/{", "*}", false),
    ("/m-{", "}.x", false),
    ("{/", "}", true),
    ("/x{.", "}", true),
    ("/x{.", "*}", true),
    ("/x{;", "}", true),
    ("/x{;", "*}", true),
    ("/{+", "}", false),
    ("/{+", "*}", false),
    ("{/", "*}", true),
];

impl Form {
    fn rule(self) -> usize {
        let (Self::One(rule) | Self::List(rule) | Self::Pairs(rule)) = self;
        rule
    }

    fn declared(self) -> Rule {
        // An item has no default of its own.
        let item = |rule: usize| if rule == 8 { Rule::integer() } else { RULES[rule].0() };
        match self {
            Self::One(rule) => RULES[rule].0(),
            Self::List(rule) => Rule::list_of(item(rule)),
            Self::Pairs(rule) => Rule::pairs_of(item(rule)),
        }
    }

    /// A value, of texts that are picked one by one.
    fn value(self, next: Pick<'_>, text: &mut dyn FnMut(Pick<'_>) -> String) -> Value {
        match self {
            Self::One(_) => Value::Text(text(next)),
            Self::List(_) => Value::List((0..=next(3)).map(|_| text(next)).collect()),
            Self::Pairs(_) => Value::Pairs((0..=next(2)).map(|_| (NAMES[next(4)].to_owned(), text(next))).collect()),
        }
    }
}

/// What a level adds to the path.
#[derive(Debug, Clone)]
enum Step {
    Literal(&'static str),
    Value(usize),
    Beside(&'static str, usize),
    Pair(usize, usize),
    Optional(usize),
    Tail(usize),
    Items(usize),
    /// A list or pairs, at the place of that number.
    Many(usize, Form),
}

#[derive(Debug, Clone)]
struct Level {
    step: Step,
    /// What the query holds, whether it must, and whether it is written with a star.
    query: Option<(Form, bool, bool)>,
    has_page: bool,
    has_need: bool,
    method: &'static str,
    children: Vec<Level>,
}

fn rule() -> impl Strategy<Value = usize> {
    0..RULES.len()
}

fn level() -> impl Strategy<Value = Level> {
    let step = prop_oneof![
        4 => prop::sample::select(vec!["nights", "a", "été", "1"]).prop_map(Step::Literal),
        3 => rule().prop_map(Step::Value),
        1 => (prop::sample::select(vec!["v", "id-"]), rule()).prop_map(|(text, rule)| Step::Beside(text, rule)),
        1 => (rule(), rule()).prop_map(|(left, right)| Step::Pair(left, right)),
        1 => rule().prop_map(Step::Optional),
        1 => rule().prop_map(Step::Tail),
        1 => rule().prop_map(Step::Items),
        2 => (0..PLACES.len(), prop_oneof![rule().prop_map(Form::List), rule().prop_map(Form::Pairs)]).prop_map(|(place, form)| Step::Many(place, form)),
    ];
    let query = prop_oneof![
        3 => rule().prop_map(|rule| (Form::One(rule), false)),
        2 => (rule(), any::<bool>()).prop_map(|(rule, star)| (Form::List(rule), star)),
        1 => rule().prop_map(|rule| (Form::Pairs(rule), false)),
    ];
    let query =
        prop::option::weighted(0.3, (query, any::<bool>()).prop_map(|((form, star), required)| (form, required, star)));
    let method = prop_oneof![4 => Just("GET"), 1 => Just("POST")];
    let alone = (step, query, any::<bool>(), prop::bool::weighted(0.2), method);
    let leaf = alone.prop_map(|(step, query, has_page, has_need, method)| Level {
        step,
        query,
        has_page,
        has_need,
        method,
        children: Vec::new(),
    });
    leaf.prop_recursive(3, 10, 3, |inner| {
        (inner.clone(), prop::collection::vec(inner, 1..3)).prop_map(|(level, children)| match level.step {
            // Nothing can stand after a tail.
            Step::Tail(_) | Step::Items(_) | Step::Many(8.., _) => level,
            _ => Level { children, ..level },
        })
    })
}

/// A parameter of a route: its name, its rule, and whether it may be left out.
type Param = (String, Form, bool);

impl Level {
    /// The route, and for it and each descendant with a page the parameters that it has.
    fn declare(&self, name: &str, above: &str, params: &[Param], pages: &mut Vec<(String, Vec<Param>)>) -> RouteSpec {
        let full = if above.is_empty() { name.to_owned() } else { format!("{above}.{name}") };
        let of = |suffix: &str| format!("{}{suffix}", full.replace('.', "_"));
        let mut params = params.to_vec();
        let (mut route, mut own) = (RouteSpec::new(name), Vec::new());
        let mut path = match &self.step {
            Step::Literal(text) => format!("/{text}"),
            Step::Value(rule) => {
                own.push((of("v"), Form::One(*rule), false));
                format!("/{{{}}}", of("v"))
            }
            Step::Beside(text, rule) => {
                own.push((of("v"), Form::One(*rule), false));
                format!("/{text}{{{}}}", of("v"))
            }
            Step::Pair(left, right) => {
                own.extend([(of("l"), Form::One(*left), false), (of("r"), Form::One(*right), false)]);
                format!("/{{{}}}~{{{}}}", of("l"), of("r"))
            }
            Step::Optional(rule) => {
                own.push((of("o"), Form::One(*rule), true));
                format!("{{/{}}}", of("o"))
            }
            Step::Tail(rule) => {
                own.push((of("t"), Form::One(*rule), false));
                format!("/{{+{}}}", of("t"))
            }
            Step::Items(rule) => {
                own.push((of("i"), Form::List(*rule), true));
                format!("{{/{}*}}", of("i"))
            }
            Step::Many(place, form) => {
                let (before, after, is_optional) = PLACES[*place];
                own.push((of("m"), *form, is_optional));
                format!("{before}{}{after}", of("m"))
            }
        };
        let has_page = self.has_page || self.children.is_empty();
        if let Some((form, is_required, has_star)) = self.query {
            own.push((of("q"), form, !is_required));
            path.push_str(&format!("{{?{}{}}}", of("q"), if has_star { "*" } else { "" }));
            // A group cannot do without what only its children have.
            if is_required && has_page {
                route = route.required([of("q")]);
            }
            if is_required && !has_page {
                own.last_mut().expect("it was pushed").2 = true;
            }
        }
        route = own.iter().fold(route.path(path), |route, (name, form, _)| route.param(&**name, form.declared()));
        params.extend(own);
        if has_page {
            route = route.page(&*full).methods([self.method]);
            pages.push((full.clone(), params.clone()));
            // A page keeps its query to itself.
            params.retain(|(name, ..)| !name.ends_with('q') || !name.starts_with(&of("")));
        }
        if self.has_need {
            route = route.needs(["member"]);
        }
        for (at, child) in self.children.iter().enumerate() {
            route = route.route(child.declare(&format!("c{at}"), &full, &params, pages));
        }
        route
    }
}

/// The table of some levels, under a host or not, and its pages with their parameters.
fn site(levels: &[Level], has_host: bool) -> (TableSpec, Vec<(String, Vec<Param>)>) {
    let mut pages = Vec::new();
    let site = TableSpec::new().overlaps(Overlaps::FirstDeclared).list("observers").need(Need::new("member"));
    let site = site.format(Format::new("lucky", |text| text.bytes().all(|byte| byte == b'7')).described_by("^[0-9]+$"));
    let site = levels.iter().enumerate().fold(site, |site, (at, level)| {
        let route = level.declare(&format!("r{at}"), "", &[], &mut pages);
        site.route(if has_host && at == 0 { route.host("larkfell.example") } else { route })
    });
    (site, pages)
}

fn lists(_: &str, value: &str) -> bool {
    matches!(value, "ada" | "grace")
}

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
        let (spec, pages) = site(&levels, has_host);
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
        let (spec, _) = site(&levels, false);
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
    let built = (0..200).filter(|_| site(&made(&mut runner), false).0.build().is_ok()).count();
    assert!(built > 150, "{built} of 200");
}
