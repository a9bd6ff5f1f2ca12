//! Tables that are wrong: what is reported, and where.

use toml::{Table as Toml, Value};
use vivid_lane::declare::{Code, Severity, table_schema};
use vivid_lane::{Review, Source, Table, TableSpec};

/// Code, line, column and text of each error and warning.
fn errors(table: &str) -> Vec<(String, usize, usize, String)> {
    let error = Table::from_toml(table).expect_err(table);
    let errors = error.findings().iter().filter(|finding| finding.severity() >= Severity::Warning);
    errors
        .map(|finding| {
            let (line, column) = finding.place().map_or((0, 0), |place| (place.line(), place.column()));
            (finding.code().to_string(), line, column, finding.to_string())
        })
        .collect()
}

#[test]
fn every_mistake_is_reported_in_its_place() {
    let data: Toml = include_str!("../data/tables.toml").parse().expect("the data is TOML");
    for case in data["case"].as_array().expect("a list") {
        let found = errors(case["table"].as_str().expect("text"));
        let wanted = case["findings"].as_array().expect("a list");
        let name = case["name"].as_str().expect("text");
        let places: Vec<_> =
            found.iter().map(|(code, line, column, _)| (code.as_str(), *line as i64, *column as i64)).collect();
        let wanted_places: Vec<_> = wanted
            .iter()
            .map(|one| (one[0].as_str().unwrap(), one[1].as_integer().unwrap(), one[2].as_integer().unwrap()))
            .collect();
        assert_eq!(places, wanted_places, "{name}: {found:#?}");
        for ((_, _, _, text), wanted) in found.iter().zip(wanted) {
            let piece = wanted[3].as_str().expect("text");
            assert!(text.contains(piece), "{name}: `{piece}` is not in `{text}`");
        }
    }
}

#[test]
fn included_files_speak_for_themselves() {
    let files = |name: &str| match name {
        "plates.toml" => Ok("[routes.plate]\npath = '/{plate}'\npgae = 'plate'\n"),
        "circle.toml" => Ok("[routes.again]\npath = '/again'\ninclude = 'circle.toml'\n"),
        "site.toml" => Ok("[site]\nfallback = 'x'\n[routes.a]\npath = '/a'\npage = 'a'"),
        _ => Err("no such file".to_owned()),
    };
    let include = |file: &str| {
        let table = format!("[routes.plates]\npath = '/plates'\ninclude = '{file}'\n");
        let source = Source::toml(table).named("routes.toml");
        let spec = TableSpec::read_with(source, &mut |name| files(name).map(|text| Source::toml(text).named(name)));
        spec.build().expect_err(file).to_string()
    };
    assert_eq!(include("plates.toml"), "plates.toml:3:1: unknown key `pgae`; did you mean `page`?");
    assert_eq!(
        include("circle.toml"),
        "circle.toml:3:11: files include each other in a circle: `routes.toml` → `circle.toml` → `circle.toml`\n\
         circle.toml:1:9: the route `plates.again` does nothing: it has no page, no redirect and no child routes; add `page = \"…\"`, `redirect = \"…\"`, or routes below it"
            .lines().rev().collect::<Vec<_>>().join("\n")
    );
    assert!(include("site.toml").starts_with("site.toml:1:2: an included file cannot have a `site` of its own"));
    assert_eq!(
        include("nowhere.toml").lines().next_back(),
        Some(
            "routes.toml:3:11: cannot include `nowhere.toml`: no such file; the name is taken relative to the table file"
        )
    );
}

/// The three formats are one model: the demo table says the same in each of them.
#[test]
fn json_and_yaml_say_the_same() {
    let toml = r#"
        lists = ["observers"]
        [site]
        fallback = "lost"
        [params]
        date = "date"
        [routes.nights]
        path = "/nights"
        page = "nights"
        data = { title = "Nights", order = 3 }
        [routes.nights.night]
        path = "/{date}"
        page = "night"
        [routes.exposure]
        path = "/exposures/{number}"
        page = "exposure"
        params.number = { type = "integer", minimum = 1 }
    "#;
    let value: Value = Value::Table(toml.parse().expect("TOML"));
    let json = serde_json::to_string_pretty(&value).expect("JSON");
    let yaml = "lists: [observers]\nsite:\n  fallback: lost\nparams: { date: date }\nroutes:\n  nights:\n    path: /nights\n    page: nights\n    data: { title: Nights, order: 3 }\n    night: { path: '/{date}', page: night }\n  exposure:\n    path: \"/exposures/{number}\"\n    page: exposure\n    params:\n      number: { type: integer, minimum: 1 }\n";
    let describe = |source: Source| {
        let table = Table::from_source(source).unwrap_or_else(|error| panic!("{error}"));
        let mut routes: Vec<String> = table
            .routes()
            .map(|route| {
                format!(
                    "{} {} {:?} {:?} {:?}",
                    route.name(),
                    route.path(),
                    route.page(),
                    route.rules().collect::<Vec<_>>(),
                    route.data().get("title")
                )
            })
            .collect();
        routes.sort();
        routes
    };
    let wanted = describe(Source::toml(toml));
    assert_eq!(wanted.len(), 3);
    assert_eq!(describe(Source::json(json)), wanted);
    assert_eq!(describe(Source::yaml(yaml)), wanted);
}

#[test]
fn other_formats_report_places_too() {
    let place = |source: Source| Table::from_source(source).expect_err("wrong").to_string();
    assert!(
        place(Source::json("{\"routes\": {\"a\": {\"path\": \"/a\", \"pge\": 1}}}").named("t.json"))
            .contains("t.json:1:33: unknown key `pge`")
    );
    // What is wrong is a whole character.
    let text = "≤ ''\u{7f}T''!";
    let error = Table::from_source(Source::yaml(text)).expect_err("no YAML");
    assert!(error.findings()[0].place().is_some_and(|place| text.get(place.range()).is_some()), "{error:?}");
    assert!(place(Source::json("{\"routes\": ").named("t.json")).starts_with("t.json:1:12: this is not JSON"));
    assert!(place(Source::json("[]")).contains("expected a JSON object"));
    assert!(
        place(Source::yaml("routes:\n  é:\n    path: x\n    page: a\n").named("t.yaml"))
            .contains("t.yaml:3:11: expected a path that starts with `/`")
    );
    assert!(place(Source::yaml("a: &x [1]\nb: *x\n")).contains("an alias has no place"));
    assert!(place(Source::yaml("a: [1")).contains("this is not YAML"));
}

/// Each code has an entry in docs/FINDINGS.md, in the order of the alphabet, with its severity and what it is about; and the example
/// there leads to a finding of that code.
#[test]
fn every_code_is_documented() {
    let page = include_str!("../FINDINGS.md");
    let entries: Vec<&str> = page.split("\n## ").skip(1).collect();
    let words: Vec<&str> = entries.iter().filter_map(|entry| entry.lines().next()).collect();
    let codes: Vec<&str> = Code::ALL.iter().map(|code| code.as_str()).collect();
    assert_eq!(words, codes);
    assert!(words.is_sorted(), "{words:?}");
    // What takes several files, a program, or a table of a megabyte has no example.
    let mut without = 0;
    for (code, entry) in Code::ALL.iter().zip(entries) {
        let sentence = format!("\n\n{:?}: {}.\n", code.severity(), code.about());
        assert!(entry.contains(&sentence), "the entry of `{code}` should say:{sentence}");
        let Some(example) = entry.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()) else {
            without += 1;
            continue;
        };
        let reviewed = Review::new(TableSpec::read(Source::toml(example))).run();
        let found: Vec<&str> = reviewed.findings().iter().map(|finding| finding.code().as_str()).collect();
        assert!(found.contains(&code.as_str()), "the example of `{code}` leads to {found:?}");
    }
    assert!(without <= 28, "{without} codes have no example");
}

/// The schema that is shipped is the one that the code makes.
#[test]
fn the_schema_is_current() {
    let shipped = include_str!("../table.schema.json");
    let made = vivid_lane::declare::table_schema();
    assert_eq!(shipped, made, "make it again with `cargo run -- schema > docs/table.schema.json`");
}

/// Each keyword that the schema knows is one of a rule, and no rule knows another.
#[test]
fn the_schema_has_the_keywords_of_rules() {
    let (_, mut known) = keys().into_iter().find(|(def, _)| *def == "keywords").expect("rules have keywords");
    let error =
        Table::from_toml("[routes.a]\npath = '/{x}'\npage = 'a'\nparams.x.zzzzzzzzzz = 1").expect_err("there is none");
    let listed = error.findings()[0].to_string();
    let listed = listed.split("expected one of ").nth(1).expect("all are listed").replace(['`', ' '], "");
    let mut listed: Vec<&str> = listed.split(',').collect();
    known.sort();
    listed.sort_unstable();
    assert_eq!(known, listed);
}

#[test]
fn a_priority_or_the_order_settles_an_overlap() {
    let routes = |site: &str, priority: &str| {
        format!(
            "[site]\n{site}\n[routes.a]\npath = '/{{x}}'\npage = 'a'\nparams.x = 'integer'\n[routes.b]\npath = '/{{y}}'\npage = 'b'\nparams.y = {{ minLength = 2 }}\n{priority}"
        )
    };
    let page = |text: &str, url: &str| {
        Table::from_toml(text).unwrap_or_else(|error| panic!("{error}")).find(url).map(|found| found.page().clone())
    };
    assert!(Table::from_toml(&routes("", "")).is_err());
    assert_eq!(page(&routes("", "priority = 1"), "/42").as_deref(), Some("b"));
    assert_eq!(page(&routes("", "priority = -1"), "/42").as_deref(), Some("a"));
    assert_eq!(page(&routes("overlaps = 'first-declared'", ""), "/42").as_deref(), Some("a"));
    assert_eq!(page(&routes("", "methods = ['POST']"), "/42").as_deref(), Some("a"));
}

/// A tail and a parameter that accept the same first segment: the second segment decides, though the two
/// patterns that decide it never start at the same node. The lookup once knew nothing of that pair.
#[test]
fn a_later_segment_decides_against_a_tail() {
    let table =
        "[routes]\na = { path = '/{+t}', page = 'a' }\nb = { path = '/{p}{/o}', page = 'b', params.o = ['tonight'] }";
    let table = Table::from_toml(table).expect("a table");
    assert_eq!(table.find("/x/tonight").map(|found| found.page().as_str()), Some("b"));
    assert_eq!(table.find("/x/later").map(|found| found.page().as_str()), Some("a"));
}

/// The keys of a table file, by what has them, as the schema knows them.
fn keys() -> Vec<(&'static str, Vec<String>)> {
    let schema: serde_json::Value = serde_json::from_str(&table_schema()).expect("the schema is JSON");
    let of = |properties: &serde_json::Value| properties.as_object().expect("keys").keys().cloned().collect();
    let defs = ["site", "route", "need", "redirect", "keywords"];
    defs.iter().map(|def| (*def, of(&schema["$defs"][def]["properties"]))).collect()
}

/// What the schema knows, the documentation and the reader know too.
#[test]
fn every_key_is_documented_and_read() {
    let documented = include_str!("../TABLE.md");
    for (def, keys) in keys() {
        for key in keys {
            assert!(documented.contains(&format!("`{key}`")), "docs/TABLE.md does not have `{key}` of a {def}");
            // No key has a list of lists of lists, so whatever is said of it is not that nobody knows it.
            let value = "[[[1]]]";
            let table = match def {
                "site" => format!("site.{key} = {value}\n[routes.a]\npath = '/a'\npage = 'a'"),
                "need" => format!("needs.n.{key} = {value}\n[routes.a]\npath = '/a'\npage = 'a'"),
                "redirect" => format!("[routes.a]\npath = '/a'\nredirect.{key} = {value}"),
                "route" => format!("[routes.a]\n{key} = {value}"),
                _ => format!("[routes.a]\npath = '/{{x}}'\npage = 'a'\nparams.x = {{ {key} = {value} }}"),
            };
            let error = Table::from_toml(&table).expect_err("a value of the wrong type");
            let said: Vec<String> = error.findings().iter().map(ToString::to_string).collect();
            assert!(said.iter().all(|one| !one.contains("unknown")), "{def}.{key}: {said:?}");
            assert!(said.iter().any(|one| one.contains(&format!("`{key}`"))), "{def}.{key}: {said:?}");
        }
    }
}
