//! Expansion agrees with every example of RFC 6570.

use toml::{Table, Value as Toml};
use vivid_lane::Value;
use vivid_lane::template::{Template, Values};

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
    for (section, cases) in data.iter().filter(|(section, _)| !matches!(section.as_str(), "values" | "refused")) {
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
