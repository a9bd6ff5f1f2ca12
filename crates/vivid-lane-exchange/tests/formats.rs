//! Laws of the table formats: nothing is lost between them but what a format does not have.

#[allow(dead_code, reason = "the laws of the matcher use all of it")]
mod reference;

use proptest::prelude::*;
use reference::model::{route, table};
use vivid_lane::declare::{Data, Document, Overlaps, Syntax};
use vivid_lane::{Request, RouteSpec, Rule, Source, Table, TableSpec};
use vivid_lane_exchange::{openapi, rewrite, write_data, write_table};

const ALL: [Syntax; 3] = [Syntax::Toml, Syntax::Json, Syntax::Yaml];

fn source(text: &str, syntax: Syntax) -> Source {
    match syntax {
        Syntax::Toml => Source::toml(text),
        Syntax::Json => Source::json(text),
        Syntax::Yaml => Source::yaml(text),
    }
}

fn data(text: &str, syntax: Syntax) -> Data {
    Document::read(source(text, syntax)).unwrap_or_else(|error| panic!("{error}\n{text}")).root().to_data()
}

/// Any text that a file can hold, with what writers stumble over.
fn text() -> impl Strategy<Value = String> {
    let hard = [
        "",
        " ",
        "#",
        "a: b",
        "- a",
        "null",
        "True",
        "~",
        "1",
        "0x1",
        "'",
        "\"\"\"",
        "\\",
        "\u{85}\u{2028}\u{7f}",
        "a\nb\r\n",
        "[x]",
        "{a}",
        "&a",
        "*a",
        "!t",
        "%",
        "@",
        "`",
        "été",
    ];
    prop_oneof![3 => "[a-z]{1,6}", 2 => prop::sample::select(hard.to_vec()).prop_map(str::to_owned), 2 => any::<String>()]
        // A line break of another system is read as a plain one by YAML's rules only.
        .prop_map(|text| text.replace('\0', ""))
}

fn value() -> impl Strategy<Value = Data> {
    let single = prop_oneof![
        any::<bool>().prop_map(Data::Bool),
        any::<i64>().prop_map(Data::Integer),
        (-1e9..1e9).prop_map(Data::Float),
        text().prop_map(Data::Text),
    ];
    single.prop_recursive(3, 12, 4, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(Data::List),
            prop::collection::btree_map(text(), inner, 0..4)
                .prop_map(|entries| Data::Table(entries.into_iter().collect())),
        ]
    })
}

/// Something of the shape of a table file, whatever it says.
fn file() -> impl Strategy<Value = Data> {
    let route = prop::collection::btree_map(text(), value(), 0..4)
        .prop_map(|entries| Data::Table(entries.into_iter().collect()));
    let routes =
        prop::collection::btree_map(text(), route, 0..4).prop_map(|entries| Data::Table(entries.into_iter().collect()));
    (value(), routes, value()).prop_map(|(site, routes, params)| {
        let entries = [("site", site), ("routes", routes), ("params", params)];
        Data::Table(entries.into_iter().map(|(name, value)| (name.to_owned(), value)).collect())
    })
}

/// The values as a set of keys with values, as TOML moves what is on one line before what has a header.
fn sorted(data: &Data) -> Data {
    match data {
        Data::List(items) => Data::List(items.iter().map(sorted).collect()),
        Data::Table(entries) => {
            let mut entries: Vec<(String, Data)> =
                entries.iter().map(|(name, value)| (name.clone(), sorted(value))).collect();
            entries.sort_by(|a, b| a.0.cmp(&b.0));
            Data::Table(entries)
        }
        other => other.clone(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 128 * ProptestConfig::default().cases / 256, max_shrink_iters: 2000, ..ProptestConfig::default() })]

    /// Whatever a file says, each format can say it, and says the same.
    #[test]
    fn formats_hold_the_same(file in file()) {
        for syntax in ALL {
            let text = write_data(&file, syntax);
            let read = data(&text, syntax);
            prop_assert_eq!(sorted(&read), sorted(&file), "{:?}\n{}", syntax, text);
            if syntax != Syntax::Toml {
                prop_assert_eq!(read, file.clone(), "{:?} keeps the order\n{}", syntax, text);
            }
            for to in ALL {
                let rewritten = rewrite(source(&text, syntax), to).expect("it was read before");
                prop_assert_eq!(sorted(&data(&rewritten.text, to)), sorted(&file), "{:?} to {:?}\n{}", syntax, to, rewritten.text);
                if syntax == to {
                    prop_assert_eq!(&rewritten.text, &text);
                }
            }
        }
    }

    /// A table that is written and read again is the same table, routes in their order, and decides the same.
    #[test]
    fn tables_are_read_as_they_are_written(
        routes in prop::collection::vec(route(), 1..5),
        url in reference::model::url(),
    ) {
        let spec = table(&routes, 0..routes.len(), Overlaps::FirstDeclared)
            .origin("https://larkfell.example").base("/app").param("lang", Rule::one_of(["en", "cy"]))
            .route(RouteSpec::new("group").path("/g").frame("frame").mount(
                TableSpec::new().param("day", Rule::format("date")).list("observers")
                    .route(RouteSpec::new("old").path("/old/{day}").redirect("day"))
                    .route(RouteSpec::new("day").path("/{day}").page("day").data("title", "A day")),
            ));
        for syntax in ALL {
            let text = write_table(&spec, syntax);
            let read = TableSpec::read(source(&text, syntax));
            prop_assert_eq!(read.to_data(), spec.to_data(), "{}", text);
            let (Ok(one), Ok(two)) = (spec.clone().build(), read.build()) else {
                // What the one cannot be built for, the other cannot either.
                prop_assert!(spec.clone().build().is_err() && TableSpec::read(source(&text, syntax)).build().is_err());
                continue;
            };
            let decided = |table: &Table, url: &str| {
                let decision = table.decide(&Request::get(url));
                format!("{} {:?}", decision.status(), decision.location())
            };
            for url in [format!("/app{url}"), "/app/g/2031-04-02".to_owned(), "/app/g/old/2031-04-02".to_owned(), "/app/g/x".to_owned()] {
                prop_assert_eq!(decided(&one, &url), decided(&two, &url), "{}", &url);
            }
        }
    }

    /// No comment is lost between the formats that have comments, whatever it is about.
    #[test]
    fn comments_stay(lines in prop::collection::vec("[a-z#: ]{0,12}", 10)) {
        let comment = |at: usize| lines[at].trim().trim_start_matches('#').trim();
        let toml = format!(
            "# a{}\n\n# b{}\nlists = [\n  'x', # c{}\n]\n\n[site] # d{}\norigin = 'https://a.example'   # e{}\n# f{}\n[routes.home]\n# g{}\npath = '/' # h{}\npage = '''#no\n#comment'''\nparams.x = {{ type = 'integer' }} # i{}\n# j{}\n",
            comment(0), comment(1), comment(2), comment(3), comment(4), comment(5), comment(6), comment(7), comment(8), comment(9),
        );
        let yaml = rewrite(Source::toml(&*toml), Syntax::Yaml).expect("the table is TOML").text;
        let back = rewrite(Source::yaml(&*yaml), Syntax::Toml).expect("the table is YAML").text;
        for text in [&yaml, &back] {
            for (at, mark) in "abcdefghij".chars().enumerate() {
                let wanted = format!("# {mark}{}", comment(at));
                prop_assert!(text.lines().any(|line| line.trim_end().ends_with(wanted.trim_end())), "`{}` is not in\n{}", wanted, text);
            }
        }
        prop_assert_eq!(data(&toml, Syntax::Toml), data(&back, Syntax::Toml));
    }
}

#[test]
fn the_demo_survives_every_format() {
    let toml = include_str!("demo/larkfell/routes.toml");
    let there = |text: &str, syntax| rewrite(source(text, syntax), Syntax::Yaml).expect("it is read").text;
    let yaml = there(toml, Syntax::Toml);
    let json = rewrite(source(&yaml, Syntax::Yaml), Syntax::Json).expect("it is read");
    assert_eq!(json.notes.all()[0].message(), "JSON has no comments: 13 comment lines left out");
    assert_eq!(data(&json.text, Syntax::Json), data(toml, Syntax::Toml));
    assert!(yaml.contains("\n  # Talks, by year.\n  talks:\n"), "{yaml}");
    // In its own format a file stays as it is.
    assert_eq!(rewrite(Source::toml(toml), Syntax::Toml).expect("it is read").text, toml);
}

#[test]
fn what_a_format_lacks_is_told() {
    let rewritten =
        rewrite(Source::json(r#"{"routes":{"home":{"path":"/","data":{"x":null,"y":[null,1]}}}}"#), Syntax::Toml);
    let rewritten = rewritten.expect("it is read");
    let told: Vec<&str> = rewritten.notes.all().iter().map(|note| note.message()).collect();
    assert_eq!(told, ["TOML has no null: `data.x` is left out", "TOML has no null: `data.y` is left out"]);
    assert_eq!(rewritten.text, "[routes.home]\npath = \"/\"\ndata.y = [1]\n");
    // A table of nothing but comments is a table.
    for syntax in ALL {
        let empty = rewrite(Source::toml("# Nothing yet.\n"), syntax).expect("it is read").text;
        assert_eq!(data(&empty, syntax), Data::Table(Vec::new().into_iter().collect()), "{empty}");
    }
    // What follows a document is read to its end.
    for text in ["{ a: 1 }\nb: 2\n", "a: 1\n---\nb: 2\n", "{ a: 1 }\n# b\0c\n"] {
        assert!(Document::read(Source::yaml(text)).is_err(), "{text:?}");
    }
    assert!(Document::read(Source::yaml("---\na: 1\n...\n# the end\n")).is_ok());
    let error = rewrite(Source::yaml("routes: [").named("routes.yaml"), Syntax::Json).expect_err("it has no end");
    assert!(error.to_string().starts_with("routes.yaml:1:"), "{error}");
}

#[test]
fn aliases_are_followed_within_bounds() {
    let text = "a: &a { b: &b [1, 2] }\nc: *a\nd: *b\n";
    let one = data(text, Syntax::Yaml);
    assert_eq!(one.get("c"), one.get("a"));
    assert_eq!(one.get("d"), one.get("a").and_then(|a| a.get("b")));
    let bomb: String = (1..40).map(|n| format!("k{n}: &k{n} [*k{0}, *k{0}]\n", n - 1)).collect();
    let error = Document::read(Source::yaml(format!("k0: &k0 x\n{bomb}"))).expect_err("it would be 2^40 values");
    assert!(error.to_string().contains("may make 10 times as much"), "{error}");
    assert!(Document::read(Source::yaml("a: &a [*a]")).is_err());
    // An alias is as deep as where it stands and what it stands for.
    let deep: String = (1..40).map(|n| format!("k{n}: &k{n} [[[*k{}]]]\n", n - 1)).collect();
    let error = Document::read(Source::yaml(format!("k0: &k0 x\n{deep}"))).expect_err("it is 120 deep");
    assert!(error.to_string().contains("nested 80 deep"), "{error}");
    // Each anchor within an anchor keeps a copy of what is in it.
    let nested = format!(
        "k: {}{}{}",
        (0..70).map(|n| format!("&n{n} [")).collect::<String>(),
        "1,".repeat(9000),
        "]".repeat(70)
    );
    let error = Document::read(Source::yaml(nested)).expect_err("it would be 70 copies");
    assert!(error.to_string().contains("may make 10 times as much"), "{error}");
}

/// Whatever is read is walked by functions that call themselves: in a thread with a stack of a quarter of the usual, nothing is too deep.
#[test]
fn nothing_is_too_deep_for_a_small_stack() {
    let nested = |open: &str, inner: &str, close: &str, depth: usize| open.repeat(depth) + inner + &close.repeat(depth);
    let sources = move |depth: usize| {
        let schema = nested(r#"{"items":"#, "{}", "}", depth);
        let parameter = format!(r#"{{"name":"a","in":"query","schema":{schema}}}"#);
        let openapi = format!(r#"{{"openapi":"3.1.0","paths":{{"/a":{{"get":{{"parameters":[{parameter}]}}}}}}}}"#);
        [
            Source::json(openapi),
            Source::json(format!(r#"{{"a":{}}}"#, nested("[", "1", "]", depth))),
            Source::json(nested(r#"{"a":"#, "1", "}", depth)),
            Source::yaml(format!("a: {}", nested("[", "1", "]", depth))),
            Source::yaml(nested("{a: ", "1", "}", depth)),
            Source::yaml((0..depth).map(|n| format!("{}a:\n", " ".repeat(n))).collect::<String>()),
            Source::yaml("- ".repeat(depth)),
            Source::yaml((1..depth).map(|n| format!("k{n}: &k{n} [*k{}]\n", n - 1)).collect::<String>()),
            Source::toml(format!("a = {}", nested("[", "1", "]", depth))),
            Source::toml(format!("a = {}", nested("{a=", "1", "}", depth))),
            Source::toml(format!("a{} = 1", ".a".repeat(depth))),
            Source::toml(format!("[a{}]", ".a".repeat(depth))),
            Source::toml(format!("[[a{}]]", ".a".repeat(depth))),
            Source::toml((1..depth.min(400)).map(|n| format!("[r{}]\n", ".r".repeat(n))).collect::<String>()),
        ]
    };
    let walk = move || {
        for depth in [70, 78, 79, 80, 81, 82, 600, 3000] {
            for source in sources(depth) {
                let _ = openapi::read(source.clone());
                let _ = Table::from_source(source.clone());
                for syntax in ALL {
                    let Ok(rewritten) = rewrite(source.clone(), syntax) else { continue };
                    // What is written can be read.
                    Document::read(self::source(&rewritten.text, syntax)).expect("it is what was written");
                }
            }
        }
    };
    let thread = std::thread::Builder::new().stack_size(1 << 20).spawn(walk).expect("a thread");
    thread.join().expect("it ends");
}
