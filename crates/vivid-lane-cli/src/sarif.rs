//! Findings as a SARIF 2.1.0 log, as code hosts read it (OASIS, Static Analysis Results Interchange Format).

use serde_json::{Map, Value as Json, json};
use vivid_lane::Finding;
use vivid_lane::declare::{Code, Severity};

use crate::output::entry_of;

/// The log of one run over a table file.
pub(crate) fn log(table: &str, findings: &[Finding]) -> Map<String, Json> {
    let is_found = |code: &&Code| findings.iter().any(|finding| finding.code() == **code);
    let codes: Vec<Code> = Code::ALL.iter().filter(is_found).copied().collect();
    let rule = |code: &Code| json!({ "id": code.as_str(), "shortDescription": { "text": code.about() }, "helpUri": entry_of(*code) });
    let rules: Vec<Json> = codes.iter().map(rule).collect();
    let results: Vec<Json> = findings.iter().map(|finding| result(table, finding, &codes)).collect();
    let log = json!({
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [{
            "tool": {
                "driver": {
                    "name": env!("CARGO_PKG_NAME"),
                    "semanticVersion": env!("CARGO_PKG_VERSION"),
                    "rules": rules,
                },
            },
            "columnKind": "unicodeCodePoints",
            "results": results,
        }],
    });
    match log {
        Json::Object(log) => log,
        _ => Map::new(),
    }
}

fn result(table: &str, finding: &Finding, codes: &[Code]) -> Json {
    let level = match finding.severity() {
        Severity::Error => "error",
        Severity::Warning => "warning",
        Severity::Note => "note",
    };
    let mut text = finding.message().to_owned();
    if let Some(help) = finding.help() {
        text.push_str(". ");
        text.push_str(help);
    }
    let mut place = json!({ "artifactLocation": { "uri": uri(table) } });
    if let Some(found) = finding.place() {
        place["artifactLocation"]["uri"] = uri(found.file().unwrap_or(table)).into();
        place["region"] = json!({ "startLine": found.line(), "startColumn": found.column() });
    }
    let mut properties = json!({ "routes": finding.routes() });
    if let Some(witness) = finding.witness() {
        properties["witness"] = witness.into();
    }
    for (name, only) in [("onlyFirst", finding.only_first()), ("onlySecond", finding.only_second())] {
        if let Some(only) = only {
            properties[name] = only.into();
        }
    }
    json!({
        "ruleId": finding.code().as_str(),
        "ruleIndex": codes.iter().position(|code| *code == finding.code()),
        "level": level,
        "message": { "text": text },
        "locations": [{ "physicalLocation": place }],
        "properties": properties,
    })
}

/// A path as a relative URI reference (RFC 3986, section 4.1).
fn uri(path: &str) -> String {
    let mut uri = String::new();
    for byte in path.replace('\\', "/").bytes() {
        if byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte) {
            uri.push(char::from(byte));
        } else {
            uri.push_str(&format!("%{byte:02X}"));
        }
    }
    uri
}
