//! Any keywords as a rule, and any values, held against a judge of its own: `jsonschema`.

#![no_main]

use libfuzzer_sys::arbitrary::{self, Arbitrary};
use libfuzzer_sys::fuzz_target;
use vivid_lane::declare::Data;
use vivid_lane::{RouteSpec, Rule, TableSpec};

#[derive(Debug, Arbitrary)]
enum Type {
    Text,
    Integer,
    Number,
    Boolean,
}

#[derive(Debug, Arbitrary)]
enum Keyword {
    Minimum(i16),
    Maximum(i16),
    ExclusiveMinimum(i16),
    ExclusiveMaximum(i16),
    MultipleOf(u8),
    MinLength(u8),
    MaxLength(u8),
    Pattern(u8),
    Texts(Vec<String>),
    Numbers(Vec<i16>),
}

const PATTERNS: [&str; 6] = ["^[a-z]+$", "a", "^(ab|c)*d?$", "^.{2,4}$", "[^x]$", "^\\u{e4}+|z$"];

impl Keyword {
    fn name_and_value(&self) -> (&'static str, Data) {
        let integer = |number: i64| Data::Integer(number);
        match self {
            Self::Minimum(number) => ("minimum", integer((*number).into())),
            Self::Maximum(number) => ("maximum", integer((*number).into())),
            Self::ExclusiveMinimum(number) => ("exclusiveMinimum", integer((*number).into())),
            Self::ExclusiveMaximum(number) => ("exclusiveMaximum", integer((*number).into())),
            Self::MultipleOf(number) => ("multipleOf", integer((*number).into())),
            Self::MinLength(length) => ("minLength", integer((*length % 16).into())),
            Self::MaxLength(length) => ("maxLength", integer((*length % 16).into())),
            Self::Pattern(which) => ("pattern", Data::from(PATTERNS[usize::from(*which) % PATTERNS.len()])),
            Self::Texts(texts) => ("enum", Data::List(texts.iter().take(6).map(|text| text.as_str().into()).collect())),
            Self::Numbers(numbers) => {
                ("enum", Data::List(numbers.iter().take(6).map(|one| integer((*one).into())).collect()))
            }
        }
    }
}

fuzz_target!(|input: (Type, Vec<Keyword>, Vec<i16>, Vec<String>)| {
    let (kind, keywords, numbers, texts) = input;
    let mut schema = serde_json::Map::new();
    let word = match kind {
        Type::Text => "string",
        Type::Integer => "integer",
        Type::Number => "number",
        Type::Boolean => "boolean",
    };
    let mut rule = Rule::new().keyword("type", Data::from(word));
    schema.insert("type".to_owned(), word.into());
    for (name, value) in keywords.iter().take(5).map(Keyword::name_and_value) {
        // These look at numbers as they stand in the URL; to a validator they are a matter of texts.
        let is_of_texts = matches!(name, "pattern" | "minLength" | "maxLength");
        if !schema.contains_key(name) && (!is_of_texts || matches!(kind, Type::Text)) {
            schema.insert(name.to_owned(), vivid_lane_exchange::data_to_json(&value));
            rule = rule.keyword(name, value);
        }
    }
    let route = RouteSpec::new("r").path("/r{?v}").page("p").required(["v"]).param("v", rule);
    let Ok(table) = TableSpec::new().route(route).build() else { return };
    let schema = serde_json::Value::Object(schema);
    let judge = jsonschema::validator_for(&schema).unwrap_or_else(|error| panic!("{schema}: {error}"));
    let values: Vec<(String, serde_json::Value)> = match kind {
        Type::Text => texts.into_iter().map(|text| (text.clone(), text.into())).collect(),
        Type::Integer => numbers.iter().map(|one| (one.to_string(), (*one).into())).collect(),
        Type::Number => {
            numbers.iter().map(|one| f64::from(*one) / 4.0).map(|one| (one.to_string(), one.into())).collect()
        }
        Type::Boolean => [true, false].iter().map(|one| (one.to_string(), (*one).into())).collect(),
    };
    for (text, value) in values.into_iter().take(8) {
        if text.is_empty() || text.len() > 100 || text.chars().any(char::is_control) {
            continue;
        }
        let ours = table.link("r").set("v", text.as_str()).to_url();
        assert_eq!(ours.is_ok(), judge.is_valid(&value), "{schema} {value} {ours:?}");
    }
});
