//! A text in any format → its entries.

use std::sync::Arc;

use super::code::Code;
use super::finding::Report;
#[cfg(feature = "json")]
use super::json;
use super::node::{Entry, first_too_deep, too_deep};
use super::source::{Origin, Syntax};
use super::toml;
#[cfg(feature = "yaml")]
use super::yaml;

/// Reads a text as a table of keys and values. A document keeps the aliases of YAML, a table has what they stand for.
pub(super) fn read(syntax: Syntax, origin: &Arc<Origin>, keeps_aliases: bool, report: &mut Report) -> Vec<Entry> {
    let entries = match syntax {
        Syntax::Toml => toml::read(origin, report),
        #[cfg(feature = "json")]
        Syntax::Json => json::read(origin, report),
        #[cfg(feature = "yaml")]
        Syntax::Yaml if keeps_aliases => yaml::read_with_aliases(origin, report),
        #[cfg(feature = "yaml")]
        Syntax::Yaml => yaml::read(origin, report),
        #[cfg(not(all(feature = "json", feature = "yaml")))]
        _ => {
            let (code, name) = if syntax == Syntax::Json { (Code::Json, "JSON") } else { (Code::Yaml, "YAML") };
            let _ = keeps_aliases;
            report
                .add(code, None, format!("this program was built without {name}"))
                .help_with(format!("switch on the feature `{code}` of `vivid-lane`, or write the table in TOML"));
            Vec::new()
        }
    };
    let Some(place) = first_too_deep(&entries, 0) else { return entries };
    let code = match syntax {
        Syntax::Toml => Code::Toml,
        Syntax::Json => Code::Json,
        Syntax::Yaml => Code::Yaml,
    };
    report.add(code, Some(place), too_deep());
    Vec::new()
}
