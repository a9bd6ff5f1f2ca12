//! The JSON Schema of a table file, judged by a validator. That it is the one that the library makes is tested there.

use toml::Table;

/// The demo table fits it, tables that are wrong do not.
#[test]
fn the_schema_describes_the_demo() {
    let schema = serde_json::from_str(include_str!("../../../docs/table.schema.json")).expect("JSON");
    let validator = jsonschema::validator_for(&schema).expect("a JSON Schema");
    let demo: Table = include_str!("../../../demo/larkfell/routes.toml").parse().expect("TOML");
    let demo = serde_json::to_value(demo).expect("JSON");
    let errors: Vec<String> = validator.iter_errors(&demo).map(|error| error.to_string()).collect();
    assert!(errors.is_empty(), "{errors:?}");
    let wrong = serde_json::json!({ "routes": { "home": { "path": 1, "page": "home" } } });
    assert!(!validator.is_valid(&wrong));
    assert!(!validator.is_valid(&serde_json::json!({ "rotues": {} })));
}
