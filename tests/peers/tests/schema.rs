//! The JSON Schemas of a table file and of what the tool prints, held by a validator. That the first is the one that the library makes is
//! tested there.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use jsonschema::Validator;
use serde_json::{Value as Json, json};
use toml::Table;
use vivid_lane_cli::system::Local;

const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/larkfell");

/// The demo table fits it, tables that are wrong do not.
#[test]
fn the_schema_describes_the_demo() {
    let schema = serde_json::from_str(include_str!("../../../docs/table.schema.json")).expect("JSON");
    let validator = jsonschema::validator_for(&schema).expect("a JSON Schema");
    let demo: Table = include_str!("../../../demo/larkfell/routes.toml").parse().expect("TOML");
    let demo = serde_json::to_value(demo).expect("JSON");
    let errors: Vec<String> = validator.iter_errors(&demo).map(|error| error.to_string()).collect();
    assert!(errors.is_empty(), "{errors:?}");
    let wrong = json!({ "routes": { "home": { "path": 1, "page": "home" } } });
    assert!(!validator.is_valid(&wrong));
    assert!(!validator.is_valid(&json!({ "rotues": {} })));
}

/// What the tool prints, line by line, and the parts of the schema that describe it.
struct Printed {
    validators: BTreeMap<String, Validator>,
    keys: BTreeMap<String, BTreeSet<String>>,
    lines: usize,
}

impl Printed {
    fn new() -> Self {
        let schema: Json = serde_json::from_str(include_str!("../../../docs/output.schema.json")).expect("JSON");
        let parts = schema["$defs"].as_object().expect("parts");
        let part = |name: &String| {
            let whole = json!({ "$schema": schema["$schema"], "$ref": format!("#/$defs/{name}"), "$defs": parts });
            (name.clone(), jsonschema::validator_for(&whole).expect("a JSON Schema"))
        };
        Self { validators: parts.keys().map(part).collect(), keys: BTreeMap::new(), lines: 0 }
    }

    /// Calls the tool on a table, and holds the first line and all others to their parts. Returns what went to standard error.
    fn call(&mut self, table: &Path, call: &[&str], first: &str, others: &str) -> String {
        let (mut out, mut err) = (Vec::new(), Vec::new());
        let table = table.display().to_string();
        let words = ["vivid-lane", "--format", "json", "--table", &table].into_iter().chain(call.iter().copied());
        vivid_lane_cli::call(words, None, &Local, &mut out, &mut err);
        for (number, line) in String::from_utf8(out).expect("UTF-8").lines().enumerate() {
            self.hold(if number == 0 { first } else { others }, line);
        }
        String::from_utf8(err).expect("UTF-8")
    }

    fn hold(&mut self, part: &str, line: &str) {
        let object: Json = serde_json::from_str(line).unwrap_or_else(|error| panic!("{error}: {line}"));
        let errors: Vec<String> = self.validators[part].iter_errors(&object).map(|error| error.to_string()).collect();
        assert!(errors.is_empty(), "{part}: {errors:?}\n{line}");
        self.keys.entry(part.to_owned()).or_default().extend(object.as_object().expect("an object").keys().cloned());
        self.lines += 1;
    }
}

#[test]
fn the_schema_describes_what_is_printed() {
    let mut printed = Printed::new();
    let demo = |name: &str| Path::new(DEMO).join(name);
    let routes = demo("routes.toml");
    let log = demo("access.log");
    let text = std::fs::read_to_string(&log).expect("the demo data is there");
    let urls: BTreeSet<&str> = text.lines().filter_map(|line| line.split(' ').nth(6)).collect();
    let urls: Vec<&str> = urls.into_iter().filter(|url| url.starts_with('/')).collect();
    assert!(urls.len() > 300);
    for method in ["GET", "POST", "OPTIONS"] {
        for some in urls.chunks(100) {
            let call = [&["match", "--method", method, "--explain"], some].concat();
            printed.call(&routes, &call, "decision", "decision");
        }
    }
    let observers = format!("observers={DEMO}/observers.txt");
    for url in ["/observers/ada", "/observers/ada/logbook/2031", "/%zz", "/plates?band=b&band=v"] {
        printed.call(&routes, &["match", "--list", &observers, url], "decision", "decision");
    }
    printed.call(&routes, &["link", "nights.night", "date=2031-04-02"], "link", "link");
    printed.call(&routes, &["tree"], "site", "route");
    let (old, new) = (demo("older.toml").display().to_string(), routes.display().to_string());
    printed.call(&routes, &["diff", &old, &new], "difference", "difference");
    printed.call(&routes, &["replay", &log.display().to_string()], "replay", "replay");
    for name in ["../mistakes/works.toml", "../mistakes/broken.toml"] {
        printed.call(&demo(name), &["check"], "finding", "finding");
    }
    let folder = tempfile::tempdir().expect("a folder");
    let (description, made) = (demo("api.yaml"), folder.path().join("made.toml"));
    let convert =
        ["convert", "--from", "openapi", &description.display().to_string(), "--out", &made.display().to_string()];
    let notes = printed.call(&routes, &convert, "", "");
    assert!(notes.starts_with('{'), "{notes}");
    notes.lines().filter(|line| line.starts_with('{')).for_each(|note| printed.hold("note", note));
    // Every table of the data files that decides: its tree, its findings, its decisions.
    let cases: Table = include_str!("../../../tests/data/decisions.toml").parse().expect("TOML");
    for case in cases["case"].as_array().expect("cases") {
        let table = folder.path().join("routes.toml");
        std::fs::write(&table, case["table"].as_str().expect("a text")).expect("the table is written");
        printed.call(&table, &["tree"], "site", "route");
        printed.call(&table, &["check"], "finding", "finding");
        let asked = case
            .get("decides")
            .and_then(toml::Value::as_array)
            .into_iter()
            .flatten()
            .filter_map(|one| one.get(0)?.as_str());
        for (method, url) in asked.filter_map(|request| request.split_once(' ')) {
            printed.call(&table, &["match", "--method", method, url], "decision", "decision");
        }
    }
    std::fs::write(&made, "[routes.club]\nhost = '{club}.example'\npath = '/'\npage = 'club'")
        .expect("the table is written");
    printed.call(&made, &["tree"], "site", "route");
    assert!(printed.lines > 2_000, "only {} lines", printed.lines);
    // Nearly all that the schema names was printed, so it names nothing that nobody prints.
    let schema: Json = serde_json::from_str(include_str!("../../../docs/output.schema.json")).expect("JSON");
    for (part, keys) in &printed.keys {
        let Some(named) = schema["$defs"][part]["properties"].as_object() else { continue };
        let never: Vec<&String> = named.keys().filter(|key| !keys.contains(*key)).collect();
        assert!(never.iter().all(|key| *key == "unavailable"), "{part}: never printed: {never:?}");
    }
}
