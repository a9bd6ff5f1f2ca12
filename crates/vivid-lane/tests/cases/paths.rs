//! The path language, row by row: what each path reads and refuses, and the links that give it back.

use toml::{Table as Toml, Value as Data};
use vivid_lane::{Request, Source, Table, Value};

fn value(data: &Data) -> Value {
    let text = |data: &Data| data.as_str().expect("text").to_owned();
    match data {
        Data::Array(items) if items.iter().any(Data::is_array) => {
            Value::pairs(items.iter().map(|pair| (text(&pair[0]), text(&pair[1]))))
        }
        Data::Array(items) => Value::List(items.iter().map(text).collect()),
        other => Value::Text(text(other)),
    }
}

/// The table of one route that a case describes; the cases are TOML, and so is what they hold.
fn table(case: &Toml) -> Table {
    let mut route = case.clone();
    route.retain(|key, _| !matches!(key, "reads" | "refuses"));
    route.insert("page".to_owned(), "page".into());
    let file = serde_json::json!({ "routes": { "it": route } });
    Table::from_source(Source::json(file.to_string())).unwrap_or_else(|error| panic!("{error}"))
}

#[test]
fn every_path_reads_what_it_writes() {
    let data: Toml = include_str!("../data/paths.toml").parse().expect("the data is TOML");
    for case in data["path"].as_array().expect("a list") {
        let case = case.as_table().expect("a table");
        let table = table(case);
        let path = case["path"].as_str().expect("text");
        for read in case["reads"].as_array().expect("a list") {
            let url = read["url"].as_str().expect("text");
            let wanted: Vec<(&str, Value)> = read["values"]
                .as_table()
                .expect("a table")
                .iter()
                .map(|(name, data)| (name.as_str(), value(data)))
                .collect();
            // What is not in its canonical form is sent on to it.
            let sent_on = table.decide(&Request::get(url)).location().map(str::to_owned);
            let found =
                table.find(sent_on.as_deref().unwrap_or(url)).unwrap_or_else(|| panic!("{path} does not read {url}"));
            let mut values: Vec<(&str, Value)> = found.values().collect();
            values.sort_by_key(|(name, _)| *name);
            assert_eq!(values, wanted, "{path} reads {url}");
            if read.get("link").and_then(Data::as_bool) != Some(false) {
                let link = wanted.into_iter().fold(table.link("it"), |link, (name, value)| link.set(name, value));
                assert_eq!(link.to_url().as_deref(), Ok(url), "{path}");
            }
        }
        for url in case["refuses"].as_array().expect("a list") {
            let url = url.as_str().expect("text");
            let status = table.decide(&Request::get(url)).status();
            assert!(matches!(status, 404 | 400 | 414), "{path} reads {url}: {status}");
        }
    }
}

#[test]
fn links_that_would_not_come_back_are_refused() {
    let table =
        |routes: &str| Table::from_toml(&format!("[routes]\n{routes}")).unwrap_or_else(|error| panic!("{error}"));
    let one = table(
        "a = { path = '/{name}.{ext}', page = 'a' }\nb = { path = '/x/{object}', page = 'b' }\nc = { path = '/x/tonight', page = 'c' }\nd = { path = '/d{/y,m}', page = 'd' }\ne = { path = '/e/{+t}', page = 'e' }\ng = { path = '/g', g1 = { path = '/h', page = 'h' } }",
    );
    let refusal = |name: &str, values: &[(&str, &str)]| {
        values
            .iter()
            .fold(one.link(name), |link, (name, value)| link.set(*name, *value))
            .to_url()
            .expect_err(name)
            .to_string()
    };
    for (name, values, wanted) in [
        (
            "a",
            &[("name", "a.b"), ("ext", "c")][..],
            "`/a.b.c` would be read as `a` with `a` for `name`, not with `a.b`",
        ),
        ("b", &[("object", "tonight")], "`/x/tonight` would be answered by `c`, not by `b`; link to `c` instead"),
        ("b", &[("object", "..")], "the link to `b` would have a segment `..`, which is removed from every URL"),
        ("b", &[("object", "")], "expected at least one character for `object` of `b`, found none"),
        (
            "b",
            &[("object", "a\nb")],
            "the value for `object` of `b` holds the control character '\\n', which no URL may hold",
        ),
        ("b", &[("obejct", "x")], "`b` has no parameter `obejct`; did you mean `object`?"),
        ("d", &[("m", "04")], "`m` of `d` stands after `y`, which has no value"),
        ("e", &[("t", "a?b")], "`/e/a?b` would be read as `e` with `a` for `t`, not with `a?b`"),
        ("e", &[("t", "100%25")], "`/e/100%25` would be read as `e` with `100%` for `t`, not with `100%25`"),
        (
            "e",
            &[("t", "a//b")],
            "`/e/a//b` would not be read as `e`: a value holds a character that means something else in a URL",
        ),
        ("g", &[], "`g` has no page: it only groups other routes; link to one of those"),
    ] {
        assert_eq!(refusal(name, values), wanted);
    }
    let long = one.link("b").set("object", "x".repeat(9000)).to_url().expect_err("too long").to_string();
    assert_eq!(long, "the link to `b` would have 9003 bytes; a URL may have 8192");
}

/// What a table or a URL can hold at most, and patterns that explode elsewhere: all answered, none slow.
#[test]
fn limits_are_named() {
    let error = |path: &str, params: &str| {
        Table::from_toml(&format!("[routes.a]\npath = '{path}'\npage = 'a'\n{params}"))
            .map(|_| ())
            .map_err(|error| error.to_string())
    };
    let segments = |count: usize| (0..count).map(|at| format!("/s{at}")).collect::<String>();
    assert_eq!(error(&segments(128), ""), Ok(()));
    assert!(error(&segments(129), "").unwrap_err().contains("a path may have 128 segments, this one has more"));
    let optional = (0..10_000).map(|at| format!("o{at}")).collect::<Vec<_>>().join(",");
    assert!(error(&format!("/a{{/{optional}}}"), "").unwrap_err().contains("a path may have 128 segments"));
    assert!(error(&format!("/a{{?{optional}}}"), "").unwrap_err().contains("may have 256 parameters"));
    let nested = (0..10_000).map(|_| "{/x}").collect::<String>();
    assert!(error(&nested, "").unwrap_err().contains("declared twice"));
    assert_eq!(error("/{a}", "params.a = { pattern = '^(a+)+$' }"), Ok(()));
    assert_eq!(error("/{a}", "params.a = { pattern = '^a{1000}$' }"), Ok(()));
    assert!(error("/{a}", "params.a = { pattern = '^[a-z]*x[a-z]{40}$' }").unwrap_err().contains("more than 4 MiB"));
    assert!(error("/{a}", "params.a = { multipleOf = 1000003 }").unwrap_err().contains("at most 10000 units"));

    let table =
        Table::from_toml("[routes.a]\npath = '/{a}'\npage = 'a'\nparams.a = { pattern = '^(a+)+$' }").expect("a table");
    assert!(table.find(&format!("/{}", "a".repeat(8000))).is_some());
    assert!(table.find(&format!("/{}!", "a".repeat(8000))).is_none());
    assert!(table.find(&format!("/{}", "a".repeat(8192))).is_none());
    assert!(table.find(&"/a".repeat(129)).is_none());
}

/// What a route shows, what only groups, and the share of each level.
#[test]
fn nesting_keeps_pages_and_groups_apart() {
    let table = Table::from_toml(
        "[routes.about]\npath = '/about'\nframe = 'house'\n[routes.about.visit]\npath = '/visit'\npage = 'visit'\nframe = 'map'\n\
         [routes.about.visit.export]\npath = '{.format}'\npage = 'export'\nrequired = ['format']\n[routes.about.visit.way]\npath = '/from/{place}'\npage = 'way'",
    )
    .unwrap_or_else(|error| panic!("{error}"));
    assert!(table.find("/about").is_none(), "a group answers nothing");
    let way = table.find("/about/visit/from/north").expect("a page");
    let levels: Vec<_> =
        way.levels().map(|level| (level.route().name(), level.covered(), level.values().count())).collect();
    assert_eq!(levels, [("about", "/about", 0), ("about.visit", "/visit", 0), ("about.visit.way", "/from/north", 1)]);
    assert_eq!(way.frames().collect::<Vec<_>>(), ["house", "map"]);
    let export = table.find("/about/visit.pdf").expect("a page");
    let covered: Vec<_> = export.levels().map(|level| level.covered()).collect();
    assert_eq!((export.page().as_str(), covered), ("export", vec!["/about", "/visit", ".pdf"]));
}
