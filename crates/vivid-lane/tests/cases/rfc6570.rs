//! Expansion agrees with every example of RFC 6570.

use toml::{Table, Value as Toml};
use vivid_lane::Value;
use vivid_lane::template::{Part, Template, Values};

fn value(toml: &Toml) -> Value {
    let text = |item: &Toml| item.as_str().expect("values are text").to_owned();
    match toml {
        Toml::Array(items) => Value::List(items.iter().map(text).collect()),
        // The RFC's associative array, whose order the parser does not keep.
        Toml::Table(pairs) => Value::pairs(["semi", "dot", "comma"].map(|key| (key, text(&pairs[key])))),
        other => Value::Text(text(other)),
    }
}

#[test]
fn expansion_agrees_with_the_examples() {
    let data: Table = include_str!("../data/rfc6570.toml").parse().expect("the data is TOML");
    let values: Values =
        data["values"].as_table().expect("a table").iter().map(|(name, toml)| (name.as_str(), value(toml))).collect();
    let mut count = 0;
    for (section, cases) in
        data.iter().filter(|(section, _)| !matches!(section.as_str(), "values" | "refused" | "unread"))
    {
        for (template, wanted) in cases.as_table().expect("a table") {
            let expanded =
                Template::parse(template).unwrap_or_else(|error| panic!("{section}: {error}")).expand(&values);
            assert_eq!(Some(expanded.as_str()), wanted.as_str(), "{section}: {template}");
            count += 1;
        }
    }
    assert!(count > 100, "only {count} examples were read");
}

#[test]
fn the_prefix_modifier_is_refused_with_its_reason() {
    let data: Table = include_str!("../data/rfc6570.toml").parse().expect("the data is TOML");
    for template in data["refused"]["templates"].as_array().expect("a list") {
        let template = template.as_str().expect("text");
        let error = Template::parse(template).expect_err(template).to_string();
        assert!(error.contains("cannot be read back"), "{error}");
    }
}

/// Literals and expressions, each from its place, make the template again.
#[test]
fn a_template_is_its_parts() {
    let data: Table = include_str!("../data/rfc6570.toml").parse().expect("the data is TOML");
    let cases = data.values().filter_map(Toml::as_table).flatten().map(|(template, _)| template);
    let longest = "a".repeat(1 << 20);
    for text in cases.filter(|text| Template::parse(text).is_ok()).chain([&longest]) {
        let template = Template::parse(text).expect("a template");
        let part = |part: Part<'_>| match part {
            Part::Literal(literal) => literal.to_owned(),
            Part::Expression(expression) => {
                let names = expression.variables().map(|variable| {
                    assert_eq!(text[variable.place()], *variable.name());
                    let star = if variable.is_exploded() { "*" } else { "" };
                    format!("{}{star}", variable.name())
                });
                let place = &text[expression.place()];
                assert!(place.ends_with(&format!("{}}}", names.collect::<Vec<_>>().join(","))), "{place}");
                place.to_owned()
            }
        };
        assert_eq!(template.parts().map(part).collect::<String>(), *text);
    }
    let error = Template::parse(&format!("{longest}{{b}}")).expect_err("it is too long");
    assert!(error.to_string().starts_with("a template may have 1048576 bytes, and `aaa"), "{error}");
}

/// Every example as the path of a route, with what stands before it that a path needs. What can be read back comes back; the
/// rest is refused for a reason that is listed in the data.
#[test]
fn what_can_be_read_back_comes_back() {
    let data: Table = include_str!("../data/rfc6570.toml").parse().expect("the data is TOML");
    let values = data["values"].as_table().expect("a table");
    let refused = data["unread"].as_table().expect("a table");
    let (mut read, mut told, mut wrong) = (0, 0, Vec::new());
    for (section, cases) in
        data.iter().filter(|(section, _)| !matches!(section.as_str(), "values" | "refused" | "unread"))
    {
        for (template, wanted) in cases.as_table().expect("a table") {
            let wanted = wanted.as_str().expect("text");
            // A query that goes on wants one that is always there.
            let before = match template.chars().next() {
                Some('/') => "",
                _ if template.starts_with("{/") => "",
                _ if template.starts_with("{&") => "/?fixed=yes",
                _ => "/",
            };
            let path = format!("{before}{template}");
            // What a path expands to that has no character at all is the root, and a slash at its end is not written.
            let expected = format!("{before}{wanted}");
            let expected = if expected.is_empty() { "/".to_owned() } else { expected };
            let parsed = Template::parse(&path).expect("it was read already");
            let mut route = vivid_lane::RouteSpec::new("it").path(&*path).page("page");
            let mut given: Vec<(&str, Value)> = Vec::new();
            for variable in parsed.variables() {
                let Some(toml) = values.get(variable.name()) else { continue };
                let value = value(toml);
                let rule = match &value {
                    Value::Text(_) => None,
                    Value::List(_) => Some(vivid_lane::Rule::list_of(vivid_lane::Rule::new())),
                    Value::Pairs(_) => Some(vivid_lane::Rule::pairs_of(vivid_lane::Rule::new())),
                };
                if let Some(rule) = rule {
                    route = route.param(variable.name(), rule);
                }
                given.push((variable.name(), value));
            }
            let found = match vivid_lane::TableSpec::new().route(route).build() {
                Err(error) => Err(error.to_string()),
                Ok(table) => {
                    let link =
                        given.iter().fold(table.link("it"), |link, (name, value)| link.set(*name, value.clone()));
                    link.to_url().map_err(|error| error.to_string()).map(|url| {
                        let found = table.find(&url).unwrap_or_else(|| panic!("{path}: {url} is decided otherwise"));
                        for (name, value) in given.iter().filter(|_| !template.contains("{#")) {
                            let is_empty = matches!(value, Value::List(items) if items.is_empty());
                            assert_eq!(found.value(name), Some(value.clone()).filter(|_| !is_empty), "{path}: {url}");
                        }
                        url
                    })
                }
            };
            match (found, refused.get(template).and_then(Toml::as_str)) {
                (Ok(url), None) => {
                    assert_eq!(url, expected, "{path}");
                    read += 1;
                }
                (Err(reason), Some(piece)) => {
                    assert!(reason.contains(piece), "{section}: {path}: `{piece}` is not in `{reason}`");
                    told += 1;
                }
                (found, listed) => {
                    wrong.push(format!("{section}: {template}: {found:?}, and the data says {listed:?}"));
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    // One template stands in two sections, twice.
    assert!(read > 80 && told >= refused.len(), "{read} are read, {told} of {} refused", refused.len());
}
