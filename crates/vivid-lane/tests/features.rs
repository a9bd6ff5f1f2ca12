//! What the crate does with any set of features, and what it says of a format that is switched off.

#![forbid(unsafe_code)]

use vivid_lane::declare::Syntax;
use vivid_lane::{Decision, Request, Source, Table};

const TOML: &str = "[routes.night]\npath = '/nights/{date}'\npage = 'night'\nparams.date = 'date'";
const JSON: &str = r#"{"routes":{"night":{"path":"/nights/{date}","page":"night","params":{"date":"date"}}}}"#;

/// A table that is read from TOML matches, links and decides.
#[test]
fn toml_is_always_there() {
    let table = Table::from_toml(TOML).expect("a table");
    let url = table.link("night").set("date", "2031-04-02").to_url().expect("a link");
    assert_eq!(table.find(&url).expect("a page").param("date").as_deref(), Some("2031-04-02"));
    let location = table.decide(&Request::get("//nights/2031-04-02/")).location().map(str::to_owned);
    assert_eq!(location.as_deref(), Some("/nights/2031-04-02"));
    let Decision::NotFound(missing) = table.decide(&Request::get("/nights/2031-02-30")) else { panic!("no such day") };
    assert_eq!(missing.fallback(), None);
}

/// A format is read, or the error names the feature that reads it.
#[test]
fn a_format_is_read_or_its_feature_is_named() {
    // JSON is YAML.
    for (syntax, source, is_on) in [
        (Syntax::Json, Source::json(JSON), cfg!(feature = "json")),
        (Syntax::Yaml, Source::yaml(JSON), cfg!(feature = "yaml")),
    ] {
        match Table::from_source(source) {
            Ok(table) => assert!(is_on && table.find("/nights/2031-04-02").is_some(), "{syntax:?}"),
            Err(error) => {
                assert!(!is_on, "{syntax:?}: {error}");
                let name = if syntax == Syntax::Json { "json" } else { "yaml" };
                assert!(error.to_string().contains(&format!("switch on the feature `{name}`")), "{error}");
            }
        }
    }
}
