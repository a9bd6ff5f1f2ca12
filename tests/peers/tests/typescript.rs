//! The module of a table, run: it makes the links that the table makes, and compiles only what the table has.
//!
//! Needs `node` and the compiler of the language, so it is run by its own script, which brings them.

#[allow(dead_code, reason = "the laws of the matcher use all of it")]
mod reference;

use std::path::{Path, PathBuf};
use std::process::Command;

use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRng, TestRunner};
use reference::model::{Route, route, table, values};
use serde_json::{Value as Json, json};
use vivid_lane::declare::{Location, Overlaps, Slash};
use vivid_lane::link::LinkErrorKind;
use vivid_lane::{LinkError, RouteSpec, Rule, Table, TableSpec, Value};
use vivid_lane_exchange::typescript;

/// A folder with the module of each table, and the cases of all.
struct Workshop {
    folder: PathBuf,
    cases: Vec<Json>,
    modules: usize,
}

impl Workshop {
    fn new(name: &str) -> Self {
        let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(name);
        let _ = std::fs::remove_dir_all(&folder);
        std::fs::create_dir_all(&folder).expect("the folder can be made");
        write(&folder.join("package.json"), r#"{ "type": "module" }"#);
        Self { folder, cases: Vec::new(), modules: 0 }
    }

    fn module(&mut self, table: &Table) -> usize {
        self.modules += 1;
        write(&self.folder.join(format!("table{}.ts", self.modules)), &typescript::write(table).text);
        self.modules
    }

    /// What the table makes of these values, for the module to make as well.
    fn case(&mut self, module: usize, table: &Table, route: &str, values: &[(String, Value)]) {
        let link = values.iter().fold(table.link(route), |link, (name, value)| link.set(name.as_str(), value.clone()));
        let expected = match link.to_url() {
            Ok(url) => json!({ "url": url }),
            // That another route answers, or reads the values otherwise, a module cannot know.
            Err(error) if needs_the_table(&error) => return,
            Err(error) => json!({ "refused": error.to_string() }),
        };
        let values: serde_json::Map<String, Json> =
            values.iter().map(|(name, value)| (name.clone(), to_json(value))).collect();
        self.cases.push(json!({ "module": module, "route": route, "values": values, "expected": expected }));
    }

    fn compile(&self, files: &[&str]) -> (bool, String) {
        let compiler = std::env::var("TYPESCRIPT").expect("`TYPESCRIPT` names the compiler; the script sets it");
        let options = [
            "--strict",
            "--noUncheckedIndexedAccess",
            "--exactOptionalPropertyTypes",
            "--target",
            "es2022",
            "--module",
            "nodenext",
            "--outDir",
            "out",
        ];
        let output = Command::new("node").arg(compiler).args(options).args(files).current_dir(&self.folder).output();
        let output = output.expect("`node` can be run");
        (output.status.success(), String::from_utf8_lossy(&output.stdout).into_owned())
    }

    fn run(&self, file: &str) -> (bool, String) {
        let output = Command::new("node").arg(file).current_dir(&self.folder).output().expect("`node` can be run");
        let text = [output.stdout, output.stderr].concat();
        (output.status.success(), String::from_utf8_lossy(&text).into_owned())
    }
}

fn write(path: &Path, text: &str) {
    std::fs::write(path, text).expect("the file can be written");
}

fn needs_the_table(error: &LinkError) -> bool {
    matches!(error.kind(), LinkErrorKind::Captured | LinkErrorKind::NotReversible)
        || error.to_string().contains("no route reads")
}

fn to_json(value: &Value) -> Json {
    match value {
        Value::Text(text) => json!(text),
        Value::List(items) => json!(items),
        Value::Pairs(pairs) => json!(pairs),
    }
}

/// Runs every case in the modules, and gathers those that differ.
const RUNNER: &str = r#"
import { readFileSync } from "node:fs";
const cases = JSON.parse(readFileSync("cases.json", "utf8"));
const modules = new Map();
const wrong = [];
for (const { module, route, values, expected } of cases) {
  if (!modules.has(module)) modules.set(module, await import(`./out/table${module}.js`));
  let found;
  try {
    found = { url: modules.get(module).link(route, values) };
  } catch (error) {
    found = { refused: error.message };
    if (!(error instanceof RangeError)) wrong.push({ module, route, values, error: String(error) });
  }
  if (found.url !== expected.url) wrong.push({ module, route, values, expected, found });
}
console.log(JSON.stringify(wrong.slice(0, 5), null, 1));
console.log(`${cases.length} cases, ${wrong.length} differ`);
process.exit(wrong.length === 0 ? 0 : 1);
"#;

/// Texts that are hard to write in a URL, or that rules judge.
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
    "2031-04-02",
    "2031-02-30",
    "21:30:00Z",
    "2031-04-02T21:30:60Z",
    "0b7e1a52-6b7e-4f0e-9d5b-0a1b2c3d4e5f",
    "a@b.example",
    "::1",
    "10.0.0.1",
    "ff",
    "true",
    "\u{1F52D}",
    "a\u{7}b",
    "M31",
    "x,y",
    "a;b",
    "9999",
    "10000",
];

fn config(runner: &mut TestRunner) -> Vec<Route> {
    prop::collection::vec(route(), 1..4).new_tree(runner).expect("routes can be made").current()
}

#[test]
fn the_module_makes_the_links_of_the_table() {
    let mut workshop = Workshop::new("links");
    let seed: [u8; 32] = std::array::from_fn(|at| at as u8);
    let mut runner =
        TestRunner::new_with_rng(Config::default(), TestRng::from_seed(prop::test_runner::RngAlgorithm::ChaCha, &seed));
    for round in 0..40 {
        let routes = config(&mut runner);
        let mut spec = table(&routes, 0..routes.len(), Overlaps::FirstDeclared)
            .slash([Slash::Never, Slash::Always, Slash::Either][round % 3]);
        if round % 4 == 1 {
            spec = spec.base("/app");
        }
        if round % 5 == 2 {
            spec = spec.location(Location::Fragment);
        }
        let Ok(built) = spec.build() else { continue };
        let module = workshop.module(&built);
        for (at, route) in routes.iter().enumerate() {
            let name = format!("r{at}");
            for seed in 0..6 {
                let mut given = values(route, seed * 77);
                workshop.case(module, &built, &name, &given);
                // One value is replaced, or taken away.
                if !given.is_empty() {
                    let which = (seed as usize) % given.len();
                    let text = TEXTS[(round * 7 + seed as usize * 5 + at) % TEXTS.len()];
                    given[which].1 = Value::from(text);
                    workshop.case(module, &built, &name, &given);
                    given.remove(which);
                    workshop.case(module, &built, &name, &given);
                }
            }
        }
    }
    // Every format and keyword, with texts that are right and wrong.
    let rules = [
        Rule::format("date"),
        Rule::format("time"),
        Rule::format("date-time"),
        Rule::format("uuid"),
        Rule::format("slug"),
        Rule::format("hex"),
        Rule::format("email"),
        Rule::format("ipv4"),
        Rule::format("ipv6"),
        Rule::format("alpha"),
        Rule::format("alnum"),
        Rule::format("digits"),
        Rule::integer().minimum(7).maximum(9999),
        Rule::number().multiple_of(0.5),
        Rule::format("boolean"),
        Rule::one_of(["A b", "été", "日本"]),
        Rule::pattern("^[^/]+$").max_length(3),
        Rule::pattern("(?i)m\\d+"),
        Rule::new().min_length(2),
        Rule::new().default_value("a"),
        Rule::new(),
    ];
    let paths =
        ["/x/{v}", "/x{/v}", "/x{?v}", "/x{.v}", "/x{;v}", "/x{#v}", "/raw/{+v}", "/items{/v*}", "/x{?v*}", "/a-{v}-z"];
    let many_paths = [
        "/{v}", "/{v*}", "{/v}", "{/v*}", "{?v}", "{?v*}", "{.v}", "{.v*}", "{;v}", "{;v*}", "{#v}", "{#v*}", "/{+v}",
        "/{+v*}",
    ];
    let items =
        [Rule::new(), Rule::format("date"), Rule::one_of(["A b", "x,y", "a;b", "été"]), Rule::new().min_length(2)];
    let lists = items.iter().map(|item| Rule::list_of(item.clone()).max_items(2).unique_items());
    let pairs = items.iter().map(|item| Rule::pairs_of(item.clone()).property_names(item.clone()));
    let of_many: Vec<Rule> = lists.chain(pairs).collect();
    let of_one = rules.iter().flat_map(|rule| paths.iter().map(move |path| (rule, path)));
    let of_many = of_many.iter().flat_map(|rule| many_paths.iter().map(move |path| (rule, path)));
    let routes = of_one.chain(of_many).enumerate().map(|(at, (rule, path))| {
        RouteSpec::new(format!("x{at}")).path(format!("/{at}{path}")).page("x").param("v", rule.clone())
    });
    // Not every rule can stand in every place.
    let routes = routes.filter(|route| TableSpec::new().route(route.clone()).build().is_ok());
    let built = routes.fold(TableSpec::new(), TableSpec::route).build().expect("each of them can be built");
    let module = workshop.module(&built);
    for route in built.routes() {
        let name = route.name();
        workshop.case(module, &built, name, &[]);
        for (at, text) in TEXTS.iter().enumerate() {
            let next = TEXTS[(at + 1) % TEXTS.len()];
            workshop.case(module, &built, name, &[("v".to_owned(), Value::from(*text))]);
            workshop.case(module, &built, name, &[("v".to_owned(), Value::from(vec![*text, next]))]);
            workshop.case(module, &built, name, &[("v".to_owned(), Value::pairs([(*text, next)]))]);
            workshop.case(module, &built, name, &[("w".to_owned(), Value::from(*text))]);
        }
    }
    // Left to right, with defaults in the gaps; hosts.
    let spec = TableSpec::new()
        .origin("http://larkfell.example")
        .param("year", Rule::new().default_value("2031"))
        .route(RouteSpec::new("archive").path("/archive{/year,month,day}").page("archive"))
        .route(RouteSpec::new("club").path("/{page}").host("{club}.larkfell.example").page("club"));
    let built = spec.build().expect("it can be built");
    let module = workshop.module(&built);
    for names in 0..8 {
        let given = ["year", "month", "day"].iter().enumerate().filter(|(at, _)| names & (1 << at) != 0);
        let given: Vec<(String, Value)> =
            given.map(|(at, name)| ((*name).to_owned(), Value::from(["2031", "04", "02"][at]))).collect();
        workshop.case(module, &built, "archive", &given);
    }
    workshop.case(module, &built, "club", &[("club".to_owned(), "moon".into()), ("page".to_owned(), "a b".into())]);
    assert!(workshop.cases.len() > 5000, "only {} cases", workshop.cases.len());

    write(&workshop.folder.join("cases.json"), &Json::from(workshop.cases.clone()).to_string());
    write(&workshop.folder.join("run.mjs"), RUNNER);
    let files: Vec<String> = (1..=workshop.modules).map(|number| format!("table{number}.ts")).collect();
    let (is_compiled, told) = workshop.compile(&files.iter().map(String::as_str).collect::<Vec<_>>());
    assert!(is_compiled, "{told}");
    let (is_same, told) = workshop.run("run.mjs");
    assert!(is_same, "{told}");
}

#[test]
fn only_what_the_table_has_compiles() {
    let mut workshop = Workshop::new("types");
    let table = Table::from_toml(
        r#"
        [routes.home]
        path = "{/lang}"
        page = "home"
        params.lang = ["en", "cy"]
        [routes.nights]
        path = "/nights"
        page = "night-list"
        [routes.nights.night]
        path = "/{date}"
        page = "night"
        params.date = "date"
        [routes.exposure]
        path = "/exposures/{number}{?deep}"
        page = "exposure"
        params.number = "integer"
        params.deep = "boolean"
        [routes.files]
        path = "/files{/path*}{?rest*}"
        params.rest.type = "object"
        page = "files"
        "#,
    )
    .expect("it can be built");
    workshop.module(&table);
    let head = "import { link, pages, type PageName } from \"./table1.js\";\n";
    let right = r#"
        const urls: string[] = [
            link("home"), link("home", {}), link("home", { lang: "cy" }), link("nights"), link("nights.night", { date: "2031-04-02" }),
            link("exposure", { number: 7, deep: true }), link("exposure", { number: 7n }),
            link("files", { path: ["a", "b c"], rest: [["x", "1"]] }),
        ];
        const shown: PageName = pages["nights.night"];
        function title(page: PageName): string {
            switch (page) {
                case "home": return "Home";
                case "night-list": return "Nights";
                case "night": return "A night";
                case "exposure": return "An exposure";
                case "files": return "Files";
            }
        }
        console.log(urls.join(" "), shown, title(shown));
    "#;
    write(&workshop.folder.join("right.ts"), &format!("{head}{right}"));
    let (is_compiled, told) = workshop.compile(&["right.ts"]);
    assert!(is_compiled, "{told}");
    let (_, told) = workshop.run("out/right.js");
    let urls = "/ / /cy /nights /nights/2031-04-02 /exposures/7?deep=true /exposures/7 /files/a/b%20c?x=1";
    assert_eq!(told.trim(), format!("{urls} night A night"));

    let wrong = [
        ("unknown", r#"link("nights.nigth", { date: "2031-04-02" });"#),
        ("missing", r#"link("nights.night");"#),
        ("missing2", r#"link("nights.night", {});"#),
        ("extra", r#"link("nights.night", { date: "2031-04-02", day: "x" });"#),
        ("extra2", r#"link("nights", { date: "2031-04-02" });"#),
        ("type", r#"link("exposure", { number: "7" });"#),
        ("type2", r#"link("exposure", { number: 7, deep: "yes" });"#),
        ("type3", r#"link("nights.night", { date: 2031 });"#),
        ("choice", r#"link("home", { lang: "fr" });"#),
        ("list", r#"link("files", { path: "a/b" });"#),
        ("page", r#"const page: PageName = "nigth";"#),
        ("page2", r#"function f(page: PageName): string { switch (page) { case "home": return "x"; } }"#),
    ];
    for (name, text) in wrong {
        let file = format!("{name}.ts");
        write(&workshop.folder.join(&file), &format!("{head}{text}\nexport {{ link, pages }};\n"));
        let (is_compiled, told) = workshop.compile(&[&file]);
        assert!(!is_compiled && told.contains(&format!("{file}(2,")), "{name}: {text}\n{told}");
    }
}
