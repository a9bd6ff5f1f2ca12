//! Which rule a parameter has: the nearest one of its name, from the route up to the top of the table.

use std::collections::HashMap;
use std::sync::Arc;

use crate::rule::{Check, is_anchored};
use crate::table::{Data, Format, Placed, Report, Rule};

/// The rules in force while the declared routes are walked.
pub(super) struct Rules {
    formats: Vec<Format>,
    lists: Vec<String>,
    any: Arc<Check>,
    /// Rules that say the same are made once.
    made: HashMap<String, Arc<Check>>,
    /// For each name, the rules from the top of the table down to the route at hand.
    in_force: HashMap<String, Vec<Arc<Check>>>,
}

impl Rules {
    pub(super) fn new() -> Self {
        Self {
            formats: Vec::new(),
            lists: Vec::new(),
            any: Arc::new(Check::any()),
            made: HashMap::new(),
            in_force: HashMap::new(),
        }
    }

    /// Adds the formats and lists of a table.
    pub(super) fn declare(&mut self, formats: Vec<Format>, lists: &[Placed<String>], report: &mut Report) {
        for format in formats {
            if self.formats.iter().any(|known| known.name == format.name && !Arc::ptr_eq(&known.judge, &format.judge)) {
                report.error(
                    "duplicate-format",
                    None,
                    format!("the format `{}` is registered a second time", format.name),
                );
            } else {
                self.formats.push(format);
            }
        }
        for list in lists {
            if !self.lists.contains(&list.value) {
                self.lists.push(list.value.clone());
            }
        }
    }

    pub(super) fn into_lists(self) -> Vec<String> {
        self.lists
    }

    /// Brings rules into force for a route and its descendants, until they are [left](Self::leave).
    pub(super) fn enter(&mut self, rules: &[(Placed<String>, Rule)], report: &mut Report) {
        for (name, rule) in rules {
            let check = self.make(&name.value, rule, report);
            self.in_force.entry(name.value.clone()).or_default().push(check);
        }
    }

    /// Takes rules out of force.
    pub(super) fn leave(&mut self, rules: &[(Placed<String>, Rule)]) {
        for (name, _) in rules {
            if let Some(stack) = self.in_force.get_mut(&name.value) {
                stack.pop();
            }
        }
    }

    /// The rule of a parameter.
    pub(super) fn of(&self, name: &str) -> Arc<Check> {
        Arc::clone(self.in_force.get(name).and_then(|stack| stack.last()).unwrap_or(&self.any))
    }

    /// Is there a rule for the name?
    pub(super) fn has(&self, name: &str) -> bool {
        self.in_force.get(name).is_some_and(|stack| !stack.is_empty())
    }

    fn make(&mut self, name: &str, rule: &Rule, report: &mut Report) -> Arc<Check> {
        let key = format!("{:?}", rule.keywords().collect::<Vec<_>>());
        if let Some(known) = self.made.get(&key) {
            return Arc::clone(known);
        }
        let lists: Vec<&str> = self.lists.iter().map(String::as_str).collect();
        match Check::new(rule, &self.formats, &lists) {
            Ok(check) => {
                for (index, pattern) in unanchored(rule) {
                    report
                        .warning(
                            "unanchored-pattern",
                            rule.place(Some(index)),
                            format!("the pattern of `{name}` may be found anywhere in a value: `{pattern}`"),
                        )
                        .help_with("write `^` before and `$` after it to speak of the whole value");
                }
                let check = Arc::new(check);
                self.made.insert(key, Arc::clone(&check));
                check
            }
            Err(problems) => {
                for problem in problems {
                    let message = format!("the rule of `{name}`: {}", problem.reason);
                    report.error(problem.code, rule.place(problem.keyword), message);
                }
                Arc::clone(&self.any)
            }
        }
    }
}

/// The patterns of a rule that are not anchored at both ends, and the index of their keyword.
fn unanchored(rule: &Rule) -> impl Iterator<Item = (usize, &str)> {
    rule.keywords().enumerate().filter_map(|(index, (keyword, value))| match value {
        Data::Text(pattern) if keyword == "pattern" && !is_anchored(pattern) => Some((index, pattern.as_str())),
        _ => None,
    })
}
