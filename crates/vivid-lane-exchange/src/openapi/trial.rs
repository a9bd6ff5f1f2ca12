//! Tries whether a rule is one that a table can have.

use std::collections::HashMap;

use vivid_lane::declare::{Code, Data, Severity};
use vivid_lane::{RouteSpec, Rule, TableSpec};

/// Keywords and values of a rule.
pub(super) type Keywords = Vec<(String, Data)>;

/// Rules that were tried, and why they cannot be had.
#[derive(Default)]
pub(super) struct Trials {
    known: HashMap<String, Option<String>>,
}

/// What a description contradicts itself in stays as it is, so that building the table tells it.
const CONTRADICTIONS: &[Code] = &[Code::EmptyRule, Code::Default];

impl Trials {
    /// Why a table cannot have the rule; `None` where it can.
    fn refusal(&mut self, keywords: &Keywords) -> Option<String> {
        let key = format!("{keywords:?}");
        self.known.entry(key).or_insert_with(|| try_rule(keywords)).clone()
    }

    /// Takes keywords away until a table can have the rule; tells each with the reason.
    pub(super) fn mend(&mut self, keywords: &mut Keywords, mut tell: impl FnMut(&str, &str)) {
        // Those first that are most often beyond what a table can prove.
        for keyword in [
            "pattern",
            "format",
            "multipleOf",
            "maxLength",
            "minLength",
            "enum",
            "const",
            "propertyNames",
            "additionalProperties",
            "items",
        ] {
            let Some(reason) = self.refusal(keywords) else { return };
            let Some(at) = keywords.iter().position(|(name, _)| name == keyword) else { continue };
            let taken = keywords.remove(at);
            if self.refusal(keywords).is_some_and(|still| still == reason) {
                keywords.insert(at, taken);
            } else {
                tell(keyword, &reason);
            }
        }
        if let Some(reason) = self.refusal(keywords) {
            keywords.clear();
            tell("schema", &reason);
        }
    }
}

fn try_rule(keywords: &Keywords) -> Option<String> {
    if keywords.is_empty() {
        return None;
    }
    let rule = keywords.iter().fold(Rule::new(), |rule, (name, value)| rule.keyword(name, value.clone()));
    let route = RouteSpec::new("route").path("/x{?value}").page("page").param("value", rule);
    let error = TableSpec::new().route(route).build().err()?;
    let errors = error.findings().iter().filter(|finding| finding.severity() == Severity::Error);
    errors
        .filter(|finding| !CONTRADICTIONS.contains(&finding.code()))
        .map(|finding| finding.message().to_owned())
        .next()
}
