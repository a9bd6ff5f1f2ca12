//! The JSON Schema of a table file, judged by a validator.

use toml::Table;

/// The demo table fits it, tables that are wrong do not.
#[test]
fn the_schema_describes_the_demo() {
    let schema = serde_json::from_str(vivid_lane::table_schema()).expect("JSON");
    let validator = jsonschema::validator_for(&schema).expect("a JSON Schema");
    let demo: Table = include_str!("../../../demo/larkfell/routes.toml").parse().expect("TOML");
    let demo = serde_json::to_value(demo).expect("JSON");
    let errors: Vec<String> = validator.iter_errors(&demo).map(|error| error.to_string()).collect();
    assert!(errors.is_empty(), "{errors:?}");
    let wrong = serde_json::json!({ "routes": { "home": { "path": 1, "page": "home" } } });
    assert!(!validator.is_valid(&wrong));
    assert!(!validator.is_valid(&serde_json::json!({ "rotues": {} })));
}
