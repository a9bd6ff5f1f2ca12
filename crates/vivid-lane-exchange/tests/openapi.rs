//! Laws of descriptions: read, written and read again, a table is the same; nothing is dropped without a word.

use proptest::prelude::*;
use vivid_lane::declare::{Data, Document, Syntax};
use vivid_lane::{Decision, Request, Source, Table};
use vivid_lane_exchange::{openapi, write_data, write_table};

const DEMO: &str = include_str!("demo/larkfell/api.yaml");

fn table_of(data: Vec<(&str, Data)>) -> Data {
    Data::Table(data.into_iter().map(|(name, value)| (name.to_owned(), value)).collect())
}

/// A schema, with what they have that rules have not.
fn schema() -> impl Strategy<Value = Data> {
    let number = || {
        (0i64..50, 50i64..100).prop_map(|(least, most)| {
            table_of(vec![("type", "integer".into()), ("minimum", least.into()), ("maximum", most.into())])
        })
    };
    let plain = prop_oneof![
        Just(table_of(vec![("type", "string".into())])),
        Just(Data::default()),
        prop::sample::select(vec!["date", "uuid", "int64", "password", "slug"])
            .prop_map(|format| table_of(vec![("type", "string".into()), ("format", format.into())])),
        prop::collection::vec("[a-c]{1,3}", 1..4).prop_map(|values| table_of(vec![("enum", values.into())])),
        Just(table_of(vec![("type", "string".into()), ("pattern", "^[a-z]+$".into())])),
        Just(table_of(vec![("type", "string".into()), ("pattern", "(?=x)y".into())])),
        number(),
        Just(table_of(vec![("type", "number".into()), ("minimum", 1.into()), ("exclusiveMinimum", true.into())])),
        Just(table_of(vec![("$ref", "#/components/schemas/Day".into())])),
        Just(table_of(vec![("$ref", "#/components/schemas/Loop".into())])),
        Just(table_of(vec![("type", vec!["integer", "null"].into()), ("nullable", true.into())])),
    ];
    let all = (plain.clone(), plain.clone()).prop_map(|(a, b)| table_of(vec![("allOf", Data::List(vec![a, b]))]));
    let any = (plain.clone(), plain.clone()).prop_map(|(a, b)| table_of(vec![("oneOf", Data::List(vec![a, b]))]));
    let list = (plain.clone(), 0i64..3, prop::bool::ANY).prop_map(|(items, least, is_unique)| {
        let count = [("minItems", least.into()), ("maxItems", 3.into()), ("uniqueItems", Data::Bool(is_unique))];
        table_of([("type", "array".into()), ("items", items)].into_iter().chain(count).collect())
    });
    let pairs = (plain.clone(), plain.clone()).prop_map(|(names, values)| {
        table_of(vec![("type", "object".into()), ("propertyNames", names), ("additionalProperties", values)])
    });
    prop_oneof![6 => plain, 1 => all, 1 => any, 2 => list, 1 => pairs]
}

fn parameter() -> impl Strategy<Value = Data> {
    let name = prop::sample::select(vec!["id", "x-y", "a.b", "q", "page", "x_y", "été", "$filter"]);
    let place = prop::sample::select(vec![
        ("path", None),
        ("path", Some("label")),
        ("path", Some("matrix")),
        ("query", None),
        ("query", None),
        ("header", None),
        ("cookie", None),
        ("moon", None),
    ]);
    (name, place, any::<bool>(), schema(), prop::option::of(any::<bool>())).prop_map(
        |(name, (place, style), required, schema, explode)| {
            let mut out = vec![
                ("name", name.into()),
                ("in", place.into()),
                ("required", Data::Bool(required)),
                ("schema", schema),
            ];
            out.extend(style.map(|style| ("style", style.into())));
            out.extend(explode.map(|explode| ("explode", Data::Bool(explode))));
            table_of(out)
        },
    )
}

fn path() -> impl Strategy<Value = String> {
    let segment = prop::sample::select(vec![
        "nights", "{id}", "{x-y}", "v{a.b}", "{id}.csv", "{x_y}", "a b", "50%", "a%2Fb", "{}", "{{id}", "", "été",
        "x'y", "..", "{q}",
    ]);
    let end = prop::sample::select(vec!["", "", "", "/", "?a=b", "?page", "#x"]);
    (prop::collection::vec(segment, 0..4), end).prop_map(|(segments, end)| {
        let path: String = segments.iter().map(|segment| format!("/{segment}")).collect();
        format!("{}{end}", if path.is_empty() { "/" } else { &path })
    })
}

fn operation() -> impl Strategy<Value = Data> {
    let id = prop::option::of(prop::sample::select(vec!["list", "get-it", "a/b", "a.b", "", "été", "2", "page"]));
    let parameters = prop::collection::vec(parameter(), 0..4);
    (id, parameters, any::<bool>()).prop_map(|(id, parameters, has_more)| {
        let mut out = vec![("parameters", Data::List(parameters))];
        out.extend(id.map(|id| ("operationId", id.into())));
        if has_more {
            out.extend([("tags", vec!["a"].into()), ("summary", "A page".into()), ("responses", Data::default())]);
        }
        table_of(out)
    })
}

fn description() -> impl Strategy<Value = String> {
    let method = prop::sample::select(vec!["get", "post", "put", "delete", "options", "head", "x-own", "parameters"]);
    let item = prop::collection::btree_map(method, operation(), 0..3)
        .prop_map(|item| Data::Table(item.into_iter().map(|(name, value)| (name.to_owned(), value)).collect()));
    let server = prop::sample::select(vec![
        "https://api.example/v1/",
        "/v2",
        "https://{host}/",
        "nonsense",
        "http://a.example:8080",
    ]);
    let paths =
        prop::collection::btree_map(path(), item, 1..5).prop_map(|paths| Data::Table(paths.into_iter().collect()));
    (paths, server).prop_map(|(paths, server)| {
        let schemas = table_of(vec![
            ("Day", table_of(vec![("type", "string".into()), ("format", "date".into())])),
            ("Loop", table_of(vec![("$ref", "#/components/schemas/Pool".into())])),
            ("Pool", table_of(vec![("$ref", "#/components/schemas/Loop".into())])),
        ]);
        let document = table_of(vec![
            ("openapi", "3.0.3".into()),
            ("servers", Data::List(vec![table_of(vec![("url", server.into())])])),
            ("paths", paths),
            ("components", table_of(vec![("schemas", schemas)])),
        ]);
        write_data(&document, Syntax::Yaml)
    })
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 4000, ..ProptestConfig::default() })]

    /// What a description says of a table, the table says of a description: reading is the inverse of writing.
    #[test]
    fn from_to_from_is_the_identity(yaml in description()) {
        let Ok(read) = openapi::read(Source::yaml(yaml.as_str())) else { return Ok(()) };
        // What the description contradicts itself in, the table's findings tell.
        let Ok(table) = read.table.clone().build() else { return Ok(()) };
        let written = openapi::write(&table);
        for syntax in [Syntax::Json, Syntax::Yaml] {
            let text = write_data(&written.document, syntax);
            let source = if syntax == Syntax::Json { Source::json(text.as_str()) } else { Source::yaml(text.as_str()) };
            let again = openapi::read(source).expect("it was written here");
            prop_assert_eq!(again.table.to_data(), read.table.to_data(), "{}\n{}\n{}", yaml, write_table(&read.table, Syntax::Toml), text);
        }
        // Nothing of a description's table is beyond a description.
        let lost: Vec<String> = written.notes.all().iter().map(ToString::to_string).collect();
        prop_assert!(lost.is_empty(), "{:?}\n{}", lost, yaml);
    }

    /// Each operation is a route, or has a note.
    #[test]
    fn nothing_is_dropped_silently(yaml in description()) {
        let Ok(read) = openapi::read(Source::yaml(yaml.as_str()).named("api.yaml")) else { return Ok(()) };
        let document = Document::read(Source::yaml(yaml.as_str())).expect("it was read");
        let methods = ["get", "post", "put", "delete", "head", "options"];
        let items = document.root().get("paths").into_iter().flat_map(|paths| paths.entries());
        let operations: Vec<_> = items
            .flat_map(|(path, item)| item.entries().map(move |(key, operation)| (path.name(), key.name(), operation)))
            .filter(|(_, method, _)| methods.contains(method))
            .collect();
        let left_out = operations.iter().filter(|(_, method, _)| *method == "options").count();
        let data = read.table.to_data();
        let Some(Data::Table(routes)) = data.get("routes") else { panic!("there are routes") };
        let is_twice = |path: &str, method: &str| {
            let start = format!("{} `{}`: another path with this method", method.to_uppercase(), path.escape_debug());
            read.notes.all().iter().any(|note| note.message().starts_with(&start))
        };
        let twice = operations.iter().filter(|(path, method, _)| is_twice(path, method)).count();
        prop_assert_eq!(routes.len() + left_out + twice, operations.len(), "{}", yaml);
        let told = |word: &str| read.notes.all().iter().any(|note| note.subject() == word);
        for (path, method, operation) in operations {
            let is_read = method != "options" && !is_twice(path, method);
            prop_assert!(method != "options" || told("options"), "{}", yaml);
            prop_assert!(!is_read || operation.get("responses").is_none() || told("responses"), "{}", yaml);
            for parameter in operation.get("parameters").into_iter().flat_map(|list| list.items()) {
                let place = parameter.get("in").and_then(|place| place.as_text()).unwrap_or_default();
                prop_assert!(!is_read || !["header", "cookie"].contains(&place) || told(place), "{}", yaml);
            }
        }
        prop_assert!(!yaml.contains("x-own") || told("x-own"), "{}", yaml);
        for note in read.notes.all() {
            prop_assert!(note.place().is_some_and(|place| place.file() == Some("api.yaml")), "{}", note);
        }
    }

    /// Whatever is cut off, replaced or put in: an answer, never a panic.
    #[test]
    fn spoilt_descriptions_are_refused_or_read(at in 0..DEMO.len(), length in 0usize..40, put in "\\PC{0,8}", is_cut in any::<bool>()) {
        let start = (0..=at).rev().find(|&at| DEMO.is_char_boundary(at)).unwrap_or(0);
        let end = if is_cut { DEMO.len() } else { (at + length).min(DEMO.len()) };
        let end = (end..=DEMO.len()).find(|&at| DEMO.is_char_boundary(at)).unwrap_or(DEMO.len());
        let text = format!("{}{put}{}", &DEMO[..start], &DEMO[end..]);
        match openapi::read(Source::yaml(text)) {
            Ok(read) => { let _ = read.table.build(); }
            Err(error) => prop_assert!(!error.to_string().is_empty()),
        }
    }
}

#[test]
fn the_demo_description_is_a_table() {
    let read = openapi::read(Source::yaml(DEMO)).expect("it is a description");
    let table = read.table.clone().build().unwrap_or_else(|error| panic!("{error}"));
    let named = |method: &str, url: &str| match table.decide(&Request::new(method, url)) {
        Decision::Page(found) => found.page().clone(),
        other => other.status().to_string(),
    };
    for (method, url, page) in [
        ("GET", "/v4/nights?year=2031&page-size=7", "nights.list"),
        // Opening a night is the one thing that this URL is for.
        ("GET", "/v4/nights?year=1900", "405"),
        ("POST", "/v4/nights", "nights.open"),
        ("DELETE", "/v4/nights/2031-04-02", "nights-date-delete"),
        ("GET", "/v4/nights/2031-02-30", "404"),
        ("GET", "/v4/nights/2031-04-02/exposures/1", "exposure"),
        ("GET", "/v4/nights/2031-04-02/exposures/0", "404"),
        ("GET", "/v4/objects/tonight", "tonight"),
        ("GET", "/v4/objects/m-31?tags=a&tags=b", "object"),
        ("GET", "/v4/plates/b-1021.fits", "plate"),
        ("GET", "/v4/plates/b-1021", "404"),
        ("PATCH", "/v4/nights", "405"),
    ] {
        assert_eq!(named(method, url), page, "{method} {url}");
    }
    assert_eq!(table.origin(), Some("https://api.larkfell.example"));
    let title = table.route("night").and_then(|night| night.data().get("summary")).and_then(Data::as_text);
    assert_eq!(title, Some("One night"));
}

/// The message of a description that is none.
fn refusal(text: &str) -> String {
    let error = openapi::read(Source::yaml(text)).expect_err(text);
    let syntax = error.syntax().map(ToString::to_string).unwrap_or_default();
    format!("{error} {syntax}")
}

/// What is told of a description with this parameter.
fn told(parameter: &str) -> Vec<String> {
    let text = format!(
        "openapi: 3.1.0\npaths:\n  /x/{{id}}:\n    get:\n      parameters:\n        - {parameter}\ncomponents:\n  schemas:\n    A: {{ allOf: [ {{ $ref: '#/components/schemas/A' }} ] }}\n    B: {{ $ref: '#/components/schemas/C' }}\n    C: {{ $ref: '#/components/schemas/B' }}\n"
    );
    let read = openapi::read(Source::yaml(text)).expect("it is a description");
    read.notes.all().iter().map(|note| note.message().to_owned()).collect()
}

#[test]
fn what_is_wrong_is_told() {
    for (text, expected) in [
        ("swagger: '2.0'\npaths: {}", "expected OpenAPI 3.0 or 3.1, found `2.0`"),
        ("openapi: 4.0.0", "expected OpenAPI 3.0 or 3.1, found `4.0.0`"),
        ("openapi: 3.10.0", "expected OpenAPI 3.0 or 3.1, found `3.10.0`"),
        ("title: x", "expected `openapi` with the version 3.0 or 3.1 at the top, found none"),
        ("openapi: 3.1.0\npaths: {}", "expected `paths` with at least one path and method, found none"),
        ("openapi: 3.1.0\npaths: {", "line 2, column 8: this is not YAML"),
        ("- 1", "expected a YAML mapping"),
    ] {
        let found = refusal(text);
        assert!(found.contains(expected), "`{expected}` is not in `{found}`");
    }
    for (parameter, expected) in [
        (
            "{ name: id, in: path, schema: { $ref: '#/components/schemas/B' } }",
            "`$ref` leads in a circle: `#/components/schemas/B` → `#/components/schemas/C` → `#/components/schemas/B`",
        ),
        (
            "{ name: id, in: path, schema: { $ref: '#/components/schemas/A' } }",
            "in a circle or deeper than can be followed",
        ),
        ("{ name: id, in: path, schema: { $ref: '#/nowhere' } }", "`$ref` leads nowhere: there is no `#/nowhere`"),
        ("{ name: id, in: path, schema: { $ref: 'other.yaml#/A' } }", "another document, `other.yaml#/A`"),
        ("{ $ref: '#/paths/~1x~1{id}/get/parameters/0' }", "leads in a circle"),
        ("{ name: other, in: path }", "`other` is declared in the path, but does not stand there"),
        ("{ name: q, in: query }", "`id` stands in the path but is not declared"),
        (
            "{ name: id, in: path, schema: { type: 'null' } }",
            "a URL cannot tell a value of the type `null` from others",
        ),
        (
            "{ name: q, in: query, style: deepObject, schema: { type: object } }",
            "an object in the style `deepObject` is none",
        ),
        ("{ name: id, in: path, schema: { pattern: '(?<=a)b' } }", "`pattern` is left out"),
        (
            "{ name: id, in: path, schema: { type: string, maximum: 5 } }",
            "`maximum` applies to `number`, not to the type `string`",
        ),
        (
            "{ name: id, in: path, schema: { type: [integer, 'null'], pattern: a } }",
            "`pattern` applies to `string`, not to the type `integer`",
        ),
        ("{ name: id, in: path, schema: { not: { const: x } } }", "`not` of a schema has no counterpart in a rule"),
        (
            "{ name: id, in: path, schema: { allOf: [ { pattern: '^a$' }, { pattern: '^b$' } ] } }",
            "`pattern` of two parts of `allOf` cannot be merged",
        ),
        ("{ in: path }", "expected `name` and `in` of a parameter"),
    ] {
        let found = told(parameter);
        assert!(found.iter().any(|one| one.contains(expected)), "`{expected}` is not in {found:#?}");
    }
}

/// A schema that refers to the next one a few times, and so on, is a great many schemas.
#[test]
fn schemas_of_schemas_are_read_within_bounds() {
    for keyword in ["allOf", "anyOf", "oneOf"] {
        let next = |n: u8| format!("{{ $ref: '#/components/schemas/S{n}' }}");
        let schemas: String =
            (0..30).map(|n| format!("    S{n}: {{ {keyword}: [{0}, {0}, {0}] }}\n", next(n + 1))).collect();
        let values: String = (0..500).map(|n| format!("v{n}, ")).collect();
        let text = format!(
            "openapi: 3.1.0\npaths:\n  /x:\n    get:\n      parameters: [ {{ name: q, in: query, schema: {} }} ]\ncomponents:\n  schemas:\n{schemas}    S30: {{ enum: [{values}] }}\n",
            next(0)
        );
        let read = openapi::read(Source::yaml(text)).expect("it is a description");
        let told: Vec<_> = read.notes.all().iter().filter(|note| note.message().contains("so many others")).collect();
        assert_eq!(told.len(), 1, "{keyword}");
    }
}

/// The rule of a parameter with that schema.
fn rule(version: &str, schema: &str) -> String {
    let text = format!(
        "openapi: {version}\npaths:\n  /x:\n    get:\n      parameters: [ {{ name: q, in: query, schema: {schema} }} ]\n"
    );
    let read = openapi::read(Source::yaml(text)).expect("it is a description");
    let data = read.table.to_data();
    let rule = data.get("routes").and_then(|routes| routes.get("x")?.get("params")?.get("q").cloned());
    rule.map_or_else(
        || "none".to_owned(),
        |rule| write_data(&table_of(vec![("q", rule)]), Syntax::Yaml).trim_end().replace("\n  ", " "),
    )
}

#[test]
fn schemas_become_rules() {
    for (schema, expected) in [
        ("{ type: string }", "none"),
        ("{ type: [integer, 'null'] }", "q: type: integer"),
        ("{ type: [string, integer] }", "none"),
        ("{ enum: [a, null, b] }", "q: [a, b]"),
        ("{ type: integer, exclusiveMinimum: 3, default: 7 }", "q: type: integer exclusiveMinimum: 3 default: 7"),
        (
            "{ allOf: [ { minimum: 1, maximum: 9 }, { minimum: 3 }, { type: integer }, { type: number } ] }",
            "q: minimum: 3 maximum: 9 type: integer",
        ),
        ("{ allOf: [ { enum: [a, b] }, { enum: [b, c] } ] }", "q: [b]"),
        ("{ oneOf: [ { const: a }, { enum: [b] } ] }", "q: [a, b]"),
        ("{ anyOf: [ { type: integer }, { type: boolean } ] }", "q: type: [integer, boolean]"),
        ("{ anyOf: [ { type: integer }, { minimum: 3 } ] }", "none"),
        ("{ type: array, items: { type: string } }", "q: type: array"),
        ("{ type: array, items: { enum: [a] }, maxItems: 2 }", "q: type: array items: { enum: [a] } maxItems: 2"),
        ("{ type: object, additionalProperties: true, minProperties: 1 }", "q: type: object minProperties: 1"),
    ] {
        assert_eq!(rule("3.1.0", schema), expected, "{schema}");
    }
    assert_eq!(
        rule("3.0.3", "{ type: number, minimum: 3, exclusiveMinimum: true }"),
        "q: type: number exclusiveMinimum: 3"
    );
    assert_eq!(rule("3.0.3", "{ type: number, minimum: 3, exclusiveMinimum: false }"), "q: type: number minimum: 3");
}

#[test]
fn one_policy_for_the_slash() {
    let text = "openapi: 3.0.0\npaths:\n  /a/: { get: {} }\n  /b/: { get: {} }\n  /c: { get: {} }\n";
    let read = openapi::read(Source::yaml(text)).expect("it is a description");
    assert_eq!(
        read.notes.all()[0].message(),
        "`/c`: a site ends all its paths with a slash or none; this one is read with it"
    );
    let table = read.table.build().expect("it can be built");
    assert_eq!(table.link("a").to_url().expect("it is a page"), "/a/");
    let written = openapi::write(&table).document;
    let Some(Data::Table(paths)) = written.get("paths") else { panic!("there are paths") };
    assert_eq!(paths.iter().map(|(path, _)| path.as_str()).collect::<Vec<_>>(), ["/a/", "/b/", "/c/"]);
}

#[test]
fn a_table_of_ones_own_becomes_a_description() {
    let table = Table::from_toml(include_str!("demo/larkfell/older.toml")).expect("it can be built");
    let written = openapi::write(&table);
    let read = openapi::read(Source::json(write_data(&written.document, Syntax::Json))).expect("it was written here");
    let again = openapi::write(&read.table.build().expect("it can be built"));
    assert_eq!(again.document, written.document);
}
