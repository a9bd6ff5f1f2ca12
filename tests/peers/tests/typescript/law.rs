//! The law that holds module and table together: over generated tables, and URLs that are generated or come of their links and are
//! then spoilt, the module decides and links as the table does, key by key and word by word.

use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRng, TestRunner};
use vivid_lane::declare::{Case, Format, Location, Overlaps, Slash};
use vivid_lane::{Need, RouteSpec, Rule, Table, TableSpec, Value};

use crate::reference::model::{raw_url, route, table, url, values};
use crate::reference::nested::{self, level};
use crate::reference::rules::POOL;
use crate::workshop::{Visitor, Workshop};

/// How many of something are tried: so many as long as `LAW_CASES` is 256, its default, and in proportion to it else.
fn scaled(count: usize) -> usize {
    let of_256 = std::env::var("LAW_CASES").map_or(256, |text| text.parse().expect("LAW_CASES is a number"));
    (count * of_256 / 256).max(1)
}

/// The same values in each run, so that a commit has one verdict; another seed by `PROPTEST_RNG_SEED`.
struct Dice {
    runner: TestRunner,
    state: u64,
}

impl Dice {
    fn new() -> Self {
        let seed: u64 = std::env::var("PROPTEST_RNG_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or(6570);
        let bytes: [u8; 32] = std::array::from_fn(|at| seed.to_le_bytes()[at % 8] ^ at as u8);
        let rng = TestRng::from_seed(prop::test_runner::RngAlgorithm::ChaCha, &bytes);
        Self { runner: TestRunner::new_with_rng(Config::default(), rng), state: seed | 1 }
    }

    fn throw<S: Strategy>(&mut self, strategy: &S) -> S::Value {
        strategy.new_tree(&mut self.runner).expect("a value can be made").current()
    }

    fn below(&mut self, count: usize) -> usize {
        self.state = self.state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.state >> 33) as usize % count.max(1)
    }

    fn of<'a, T>(&mut self, all: &'a [T]) -> &'a T {
        &all[self.below(all.len())]
    }
}

/// What is put into URLs to spoil them.
const SPOILERS: &[&str] = &[
    "/",
    "//",
    "/.",
    "/..",
    "%2F",
    "%2f",
    "%41",
    "%",
    "%zz",
    "%E9",
    "%00",
    "?",
    "?q=",
    "&",
    "&&",
    "=",
    "#",
    "#part",
    ",",
    ";",
    "+",
    "%20",
    " ",
    "é",
    "\u{1F52D}",
    "\u{7f}",
    ".",
    "%2e%2e",
    "?q=a&q=b",
    "?k=v",
    "&return=%2Fa",
    "%C3%28",
    "?q=%ff%41+b",
    "A",
    "0",
    "-",
];

/// A URL that is made a little wrong.
fn spoilt(dice: &mut Dice, url: &str) -> String {
    let ends: Vec<usize> = url.char_indices().map(|(at, _)| at).chain([url.len()]).collect();
    let (from, to) = (*dice.of(&ends), *dice.of(&ends));
    match dice.below(6) {
        0 => format!("{}{}", &url[..from], &url[from.max(to)..]),
        1 => url.to_uppercase(),
        2 => format!("{url}{}", dice.of(SPOILERS)),
        3 => format!(
            "{}{url}",
            dice.of(&["https://larkfell.example", "http://MOON.larkfell.example:80", "/app", "#", "/#"])
        ),
        _ => format!("{}{}{}", &url[..from], dice.of(SPOILERS), &url[from..]),
    }
}

/// Sites of all kinds.
fn sited(dice: &mut Dice, spec: TableSpec) -> TableSpec {
    let mut spec = spec.slash(*dice.of(&[Slash::Never, Slash::Never, Slash::Always, Slash::Either]));
    if dice.below(4) == 0 {
        spec = spec.base("/app");
    }
    if dice.below(5) == 0 {
        spec = spec.location(Location::Fragment);
    }
    if dice.below(4) == 0 {
        spec = spec.case(Case::Fold);
    }
    if dice.below(3) == 0 {
        spec = spec.frame("shell").fallback("lost").origin("http://larkfell.example");
    }
    spec
}

/// Tries a table with URLs.
fn try_urls(workshop: &mut Workshop, dice: &mut Dice, module: usize, table: &Table, urls: &[String]) {
    for url in urls {
        let mut visitor = Visitor::get();
        match dice.below(8) {
            0 => visitor.method = (*dice.of(&["POST", "HEAD", "OPTIONS", "PUT"])).to_owned(),
            1 => {
                let hosts = ["larkfell.example", "Moon.larkfell.example.:8080", "münchen.example"];
                visitor.host = Some((*dice.of(&hosts)).to_owned());
            }
            2 => visitor.is_cut_off = true,
            _ => {}
        }
        if dice.below(2) == 0 {
            visitor.meets.extend(table.needs().filter(|_| dice.below(2) == 0).map(str::to_owned));
        }
        workshop.decide(module, table, url, &visitor);
        if dice.below(6) == 0 {
            let next = dice.of(urls).clone();
            workshop.stand(module, table, url, &next);
        }
    }
}

/// Values for the parameters of a route, right and wrong.
fn some_values(dice: &mut Dice, table: &Table, route: &str) -> Vec<(String, Value)> {
    let texts = [
        "2",
        "40",
        "cy",
        "2031-04-02",
        "ada",
        "7",
        "77",
        "moon",
        "true",
        "a",
        "é b",
        "x/y",
        "1;2",
        "3",
        "..",
        "",
        "17",
        "a,b",
        "x\u{7}",
    ];
    let params: Vec<_> = table
        .route(route)
        .expect("a route")
        .parameters()
        .map(|param| (param.name().to_owned(), param.shape()))
        .collect();
    let mut given = Vec::new();
    for (name, shape) in params {
        let mut text =
            || if dice.below(3) == 0 { (*dice.of(POOL.as_slice())).to_owned() } else { (*dice.of(&texts)).to_owned() };
        let value = match shape {
            vivid_lane::lookup::Shape::One => Value::Text(text()),
            vivid_lane::lookup::Shape::List => Value::List(vec![text(), text()]),
            vivid_lane::lookup::Shape::Pairs => Value::Pairs(vec![(text(), text())]),
        };
        match dice.below(8) {
            0 => {}
            1 => given.push((name, Value::from(*dice.of(&texts)))),
            _ => given.push((name, value)),
        }
    }
    if dice.below(30) == 0 {
        given.push(("nmae".to_owned(), Value::from("x")));
    }
    given
}

/// Links of a table, and URLs that come of them.
fn try_links(
    workshop: &mut Workshop,
    dice: &mut Dice,
    module: usize,
    table: &Table,
    count: usize,
    urls: &mut Vec<String>,
) {
    let names: Vec<String> = table.routes().map(|route| route.name().to_owned()).collect();
    for _ in 0..count {
        let mut name = dice.of(&names).clone();
        let given = some_values(dice, table, &name);
        if dice.below(40) == 0 {
            name.push('x');
        }
        workshop.link(module, table, &name, &given);
        let link = given.iter().fold(table.link(&*name), |link, (name, value)| link.set(name.as_str(), value.clone()));
        if let Ok(url) = link.to_url() {
            urls.push(spoilt(dice, &url));
            urls.push(url);
        }
    }
}

#[test]
fn the_module_decides_and_links_as_the_table_does() {
    let mut dice = Dice::new();
    let mut workshop = Workshop::new("law");
    let (mut batch, mut count) = (0, 0);
    let visited = crate::data::visited();
    for round in 0..scaled(460) {
        // A long run goes in batches.
        if workshop.len() > 60_000 {
            workshop.run();
            (batch, count) = (batch + 1, count + workshop.len());
            workshop = Workshop::new(&format!("law{}", batch % 2));
        }
        // Tables with needs, fallbacks, frames, methods and redirects, as they are in the data.
        let (built, asked) = dice.of(&visited);
        let module = workshop.module(built);
        let urls: Vec<String> = asked.iter().map(|url| spoilt(&mut dice, url)).collect();
        try_urls(&mut workshop, &mut dice, module, built, &urls);
        // Flat tables of all operators.
        let routes = dice.throw(&prop::collection::vec(route(), 1..8));
        let spec = table(&routes, 0..routes.len(), Overlaps::FirstDeclared);
        let spec = sited(&mut dice, spec);
        if let Ok(built) = spec.build() {
            let module = workshop.module(&built);
            let mut urls: Vec<String> = (0..24).map(|_| dice.throw(&url())).collect();
            urls.extend((0..12).map(|_| dice.throw(&raw_url())));
            for (at, route) in routes.iter().enumerate() {
                let given = values(route, (round * 31 + at) as u64);
                workshop.link(module, &built, &format!("r{at}"), &given);
                let link = given
                    .iter()
                    .fold(built.link(format!("r{at}")), |link, (name, value)| link.set(name.as_str(), value.clone()));
                urls.extend(link.to_url());
            }
            urls.extend(urls.clone().iter().map(|url| spoilt(&mut dice, url)).collect::<Vec<_>>());
            try_urls(&mut workshop, &mut dice, module, &built, &urls);
        }
        // Nested ones with defaults, hosts, lists, needs, methods and redirects.
        let levels = dice.throw(&prop::collection::vec(level(), 1..4));
        let (spec, pages) = nested::site(&levels, dice.below(4) == 0, "^7+$");
        let mut spec = sited(&mut dice, spec);
        for (at, (page, params)) in pages.iter().enumerate().take(3) {
            let given = params.iter().filter(|(name, _, is_optional)| !is_optional && !name.ends_with('q'));
            let given: Vec<(String, String)> = given.map(|(name, ..)| (name.clone(), format!("{{{name}}}"))).collect();
            if given.len() > 2 {
                continue;
            }
            let path: String = given.iter().map(|(name, _)| format!("/{{{name}}}")).collect();
            let to = vivid_lane::RedirectTo::route(&**page).status(*dice.of(&[301, 302, 303, 307, 308]));
            let to = given.iter().fold(to, |to, (name, value)| to.param(&**name, &**value));
            spec = spec.route(RouteSpec::new(format!("old{at}")).path(format!("/old{at}{path}")).redirect(to));
        }
        if let Ok(built) = spec.build() {
            let module = workshop.module(&built);
            let mut urls = Vec::new();
            try_links(&mut workshop, &mut dice, module, &built, 24, &mut urls);
            urls.extend(urls.clone().iter().map(|url| spoilt(&mut dice, url)).collect::<Vec<_>>());
            urls.extend((0..12).map(|_| format!("/old{}/{}", dice.below(4), dice.of(&["2", "ada", "x", "cy"]))));
            try_urls(&mut workshop, &mut dice, module, &built, &urls);
        }
    }
    count += workshop.len();
    assert!(count > scaled(50_000), "only {count} cases");
    workshop.run();
}

/// Every format and keyword in every place, with texts that are right and wrong.
#[test]
fn rules_refuse_in_the_same_words() {
    let mut workshop = Workshop::new("rules");
    let formats = [
        "integer",
        "natural",
        "number",
        "boolean",
        "digits",
        "date",
        "time",
        "date-time",
        "uuid",
        "slug",
        "hex",
        "email",
        "ipv4",
        "ipv6",
        "alpha",
        "alnum",
        "file-name",
        "lucky",
    ];
    let mut rules: Vec<Rule> = formats.into_iter().map(Rule::format).collect();
    rules.extend([
        Rule::integer().minimum(7).maximum(9999),
        Rule::number().multiple_of(0.5).keyword("exclusiveMinimum", -2).keyword("exclusiveMaximum", 1000),
        Rule::one_of(["A b", "été", "日本"]),
        Rule::one_of(["a", "b", "c", "d", "e", "f", "g", "h", "i", "j"]),
        Rule::one_of(["a"]),
        Rule::pattern("^[^/]+$").max_length(3),
        Rule::pattern("(?i)m\\d+"),
        Rule::pattern("^\\p{Greek}+$"),
        Rule::new().min_length(2),
        Rule::new().min_length(1).max_length(1),
        Rule::new().keyword("type", vec!["integer", "boolean"]),
        Rule::new().default_value("a"),
        Rule::new(),
    ]);
    let paths = [
        "/x/{v}",
        "/x{/v}",
        "/x{?v}",
        "/x{.v}",
        "/x{;v}",
        "/x{#v}",
        "/raw/{+v}",
        "/items{/v*}",
        "/x{?v*}",
        "/a-{v}-z",
        "/{v}~{w}",
        "?k={v}",
    ];
    let many_paths = [
        "/{v}", "/{v*}", "{/v}", "{/v*}", "{?v}", "{?v*}", "{.v}", "{.v*}", "{;v}", "{;v*}", "{#v}", "{#v*}", "/{+v}",
        "/{+v*}", "/b-{v}.x",
    ];
    let items =
        [Rule::new(), Rule::format("date"), Rule::one_of(["A b", "x,y", "a;b", "été"]), Rule::new().min_length(2)];
    let lists = items.iter().map(|item| Rule::list_of(item.clone()).min_items(1).max_items(2).unique_items());
    let pairs = items.iter().map(|item| Rule::pairs_of(item.clone()).property_names(item.clone()));
    let of_many: Vec<Rule> = lists.chain(pairs).collect();
    let of_one = rules.iter().flat_map(|rule| paths.iter().map(move |path| (rule, path)));
    let of_many = of_many.iter().flat_map(|rule| many_paths.iter().map(move |path| (rule, path)));
    let lucky = || Format::new("lucky", |text| text.bytes().all(|byte| byte == b'7')).described_by("^7+$");
    let routes = of_one.chain(of_many).enumerate().map(|(at, (rule, path))| {
        RouteSpec::new(format!("x{at}")).path(format!("/{at}{path}")).page("x").param("v", rule.clone())
    });
    // Not every rule can stand in every place.
    let routes = routes.filter(|route| TableSpec::new().format(lucky()).route(route.clone()).build().is_ok());
    let built =
        routes.fold(TableSpec::new().format(lucky()), TableSpec::route).build().expect("each of them can be built");
    let module = workshop.module(&built);
    const TEXTS: &[&str] = &[
        "a",
        "A b",
        "été",
        "日本",
        "a/b",
        "a?b#c",
        "%41",
        "50%",
        "a+b",
        "a&b=c",
        "'\"<>",
        "~-._",
        "..",
        ".",
        "",
        "7",
        "007",
        "-0",
        "-7",
        "1.50",
        "0.5",
        "-1.5",
        "1000",
        "2031-04-02",
        "2031-02-30",
        "2032-02-29",
        "1900-02-29",
        "2000-02-29",
        "0000-02-29",
        "21:30:00Z",
        "23:59:60+02:00",
        "24:00:00Z",
        "2031-04-02T21:30:60Z",
        "0b7e1a52-6b7e-4f0e-9d5b-0a1b2c3d4e5f",
        "a@b.example",
        "a@-b",
        "a@b-.c",
        "::1",
        "1:2:3:4:5:6:7:8",
        "10.0.0.1",
        "10.0.0.256",
        "ff",
        "true",
        "\u{1F52D}",
        "a\u{7}b",
        "M31",
        "x,y",
        "a;b",
        "9999",
        "10000",
        "CON",
        "nul.txt",
        "com¹",
        "a.",
        "x:y",
        "a\u{2028}b",
        "λόγος",
        "77",
        "ring-nebula",
        "-a",
        "12345678901234567890",
        "\u{e9}\u{301}",
        "a\u{a0}b",
        "tab\tx",
    ];
    for route in built.routes() {
        let name = route.name();
        workshop.link(module, &built, name, &[]);
        for (at, text) in TEXTS.iter().enumerate() {
            let next = TEXTS[(at + 1) % TEXTS.len()];
            let w = route.parameters().any(|param| param.name() == "w").then(|| ("w".to_owned(), Value::from("w")));
            let mut try_value = |value: Value| {
                let given: Vec<_> = std::iter::once(("v".to_owned(), value)).chain(w.clone()).collect();
                workshop.link(module, &built, name, &given);
                let link =
                    given.iter().fold(built.link(name), |link, (name, value)| link.set(name.as_str(), value.clone()));
                if let Ok(url) = link.to_url() {
                    workshop.decide(module, &built, &url, &Visitor::get());
                }
            };
            try_value(Value::from(*text));
            try_value(Value::from(vec![*text, next]));
            try_value(Value::from(vec![*text, next, text]));
            try_value(Value::pairs([(*text, next)]));
        }
        workshop.link(module, &built, name, &[("u".to_owned(), Value::from("x"))]);
    }
    // Left to right, with defaults in the gaps; hosts; routes to which no link leads.
    let spec = TableSpec::new()
        .origin("http://larkfell.example")
        .param("year", Rule::new().default_value("2031"))
        .need(Need::new("member"))
        .route(RouteSpec::new("archive").path("/archive{/year,month,day}").page("archive"))
        .route(RouteSpec::new("old").path("/old").redirect("archive"))
        .route(RouteSpec::new("group").path("/group").route(RouteSpec::new("one").path("/one").page("one")))
        .route(RouteSpec::new("club").path("/{page}").host("{club}.larkfell.example").page("club"));
    let built = spec.build().expect("it can be built");
    let module = workshop.module(&built);
    for names in 0..8 {
        let given = ["year", "month", "day"].iter().enumerate().filter(|(at, _)| names & (1 << at) != 0);
        let given: Vec<(String, Value)> =
            given.map(|(at, name)| ((*name).to_owned(), Value::from(["2031", "04", "02"][at]))).collect();
        workshop.link(module, &built, "archive", &given);
    }
    for club in ["moon", "Moon", "münchen", "a.b", ""] {
        workshop.link(module, &built, "club", &[("club".to_owned(), club.into()), ("page".to_owned(), "a b".into())]);
    }
    for name in ["old", "group", "archvie", "zzz"] {
        workshop.link(module, &built, name, &[]);
    }
    workshop.link(
        module,
        &built,
        "club",
        &[("club".to_owned(), "x".repeat(9000).into()), ("page".to_owned(), "a".into())],
    );
    assert!(workshop.len() > 50_000, "only {} cases", workshop.len());
    workshop.run();
}
