//! Rules: what a parameter may be.
//!
//! [`Check`] is a rule ready for use: a set of values as an automaton, made once from all its keywords, plus
//! what no automaton can know (a function of the user's, a live list). Judging a value is linear in its
//! length.

mod automaton;

mod dfa;
mod format;
mod keyword;
mod number;
mod pattern;
mod sequence;
#[cfg(test)]
mod tests;
mod text;
mod value_set;
mod value_test;

use std::fmt;
use std::sync::Arc;

use crate::declare::Code;
pub use automaton::Automaton;
pub(crate) use dfa::{Classes, Comparison, Dfa, MOST_STATES, TooLarge};
use keyword::{Keyword, Part};
pub(crate) use sequence::{Atom, SEPARATOR, sequence};
pub(crate) use text::TEXT;
pub(crate) use value_set::{Certainty, Narrower, Relation, ValueSet};
pub(crate) use value_test::Simple;
use value_test::ValueTest;

use crate::declare::{Data, Format, Rule};

/// A rule that is ready for use on values.
pub(crate) struct Check {
    keywords: Vec<Box<dyn Keyword>>,
    predicates: Vec<Format>,
    /// `None` for every value.
    set: Option<Arc<Dfa>>,
    /// How values are judged by it.
    test: ValueTest,
    /// Do an `enum` or a `const` name the values one by one?
    pub(crate) is_choice: bool,
    pub(crate) list: Option<Box<str>>,
    pub(crate) default: Option<Box<str>>,
    pub(crate) min_items: u16,
    pub(crate) max_items: u16,
    label: String,
    /// The keywords and their values as they were declared.
    declared: Vec<(String, Data)>,
}

impl fmt::Debug for Check {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Check").field(&self.label).finish()
    }
}

/// What is wrong with a rule: at the value of which keyword, if at one, and why.
#[derive(Debug)]
pub(crate) struct RuleProblem {
    pub(crate) keyword: Option<usize>,
    pub(crate) code: Code,
    pub(crate) reason: String,
}

impl RuleProblem {
    fn at(keyword: usize, code: Code, reason: impl Into<String>) -> Self {
        Self { keyword: Some(keyword), code, reason: reason.into() }
    }
}

impl Check {
    /// The rule that accepts every value.
    pub(crate) fn any() -> Self {
        Self {
            keywords: Vec::new(),
            predicates: Vec::new(),
            set: None,
            test: ValueTest::Any,
            is_choice: false,
            list: None,
            default: None,
            min_items: 0,
            max_items: u16::MAX,
            label: String::new(),
            declared: Vec::new(),
        }
    }

    /// Makes a rule ready: reads its keywords and proves that some value satisfies them all.
    pub(crate) fn new(rule: &Rule, formats: &[Format], lists: &[&str]) -> Result<Self, Vec<RuleProblem>> {
        let declared = rule.keywords().map(|(name, value)| (name.to_owned(), value.clone())).collect();
        let mut check = Self { declared, ..Self::any() };
        let mut problems = Vec::new();
        let mut implies_number = false;
        // In the order of the vocabulary: the type speaks first, whatever the order in the file.
        let mut declared: Vec<(usize, (&str, &Data))> = rule.keywords().enumerate().collect();
        declared.sort_unstable_by_key(|(index, (keyword, _))| (keyword::rank(keyword), *index));
        for (index, (keyword, value)) in declared {
            match keyword::read(keyword, value, formats) {
                Err(reason) => problems.push(RuleProblem::at(index, Code::Rule, format!("`{keyword}`: {reason}"))),
                Ok(Part::Keyword(keyword)) => check.keywords.push(keyword),
                Ok(Part::Choice(keyword)) => {
                    check.is_choice = true;
                    check.keywords.push(keyword);
                }
                Ok(Part::Number(keyword)) => {
                    implies_number = true;
                    check.keywords.push(keyword);
                }
                Ok(Part::Judge(format)) => check.predicates.push(format),
                Ok(Part::MinItems(count)) => check.min_items = count,
                Ok(Part::MaxItems(count)) => check.max_items = count,
                Ok(Part::Default(value)) => check.default = Some(value.into()),
                Ok(Part::Listed(list)) if lists.contains(&list.as_str()) => check.list = Some(list.into()),
                Ok(Part::Listed(list)) => {
                    let reason = format!(
                        "no list is named `{list}`; {}",
                        if lists.is_empty() {
                            format!("declare it at the top: `lists = [\"{list}\"]`")
                        } else {
                            crate::declare::expected_one_of(&list, lists)
                        }
                    );
                    problems.push(RuleProblem::at(index, Code::UnknownList, reason));
                }
            }
        }
        let is_numeric =
            |value: &Data| value.as_text().is_some_and(|name| matches!(name, "integer" | "natural" | "number"));
        let is_typed =
            rule.keywords().any(|(keyword, value)| matches!(keyword, "type" | "format") && is_numeric(value));
        // A bound speaks of numbers, so it brings their type where the rule does not name one.
        if implies_number
            && !is_typed
            && let Ok(Part::Keyword(number)) = keyword::read("type", &Data::from("number"), &[])
        {
            check.keywords.insert(0, number);
        }
        if problems.is_empty() {
            check.finish(rule, &mut problems);
        }
        if problems.is_empty() { Ok(check) } else { Err(problems) }
    }

    /// The rule, for values that a pattern accepts besides.
    pub(crate) fn clone_within(check: &Arc<Self>, pattern: &str) -> Result<Self, TooLarge> {
        let within = pattern::search(pattern).map_err(|_| TooLarge::States)?.and(&TEXT)?;
        let set = Arc::new(check.set().and(&within)?);
        Ok(Self {
            test: ValueTest::of(Some(&set)),
            keywords: Vec::new(),
            predicates: check.predicates.clone(),
            set: Some(set),
            is_choice: check.is_choice,
            list: check.list.clone(),
            default: check.default.clone(),
            min_items: check.min_items,
            max_items: check.max_items,
            label: check.label.clone(),
            declared: check.declared.clone(),
        })
    }

    /// Joins the keywords into one set, and holds the default against it.
    fn finish(&mut self, rule: &Rule, problems: &mut Vec<RuleProblem>) {
        let index_of = |name: &str| rule.keywords().position(|(keyword, _)| keyword == name);
        match self.join() {
            Ok(set) => {
                self.test = ValueTest::of(set.as_ref());
                self.set = set;
            }
            Err(reason) => problems.push(RuleProblem { keyword: None, code: Code::RuleTooLarge, reason }),
        }
        if self.set.as_ref().is_some_and(|set| set.is_empty()) {
            let reason = "no value satisfies this rule: its keywords exclude each other";
            problems.push(RuleProblem { keyword: None, code: Code::EmptyRule, reason: reason.to_owned() });
        } else if let Some(default) = &self.default
            && let Some(reason) = self.refusal(default)
        {
            let reason = format!("the default `{default}` is refused by its own rule: {reason}");
            problems.push(RuleProblem { keyword: index_of("default"), code: Code::Default, reason });
        }
        if self.min_items > self.max_items {
            let reason = format!("`minItems` {} is above `maxItems` {}", self.min_items, self.max_items);
            problems.push(RuleProblem { keyword: index_of("minItems"), code: Code::EmptyRule, reason });
        }
        let labels = self.keywords.iter().map(|keyword| keyword.label());
        let predicates = self.predicates.iter().map(|format| format.name.clone());
        let list = self.list.iter().map(|list| format!("in list {list}"));
        let default = self.default.iter().map(|value| format!("default {value}"));
        let parts = labels.chain(predicates).chain(list).chain(default).filter(|label| !label.is_empty());
        self.label = joined_label(parts);
    }

    fn join(&self) -> Result<Option<Arc<Dfa>>, String> {
        let too_large =
            |_| format!("the automaton of this rule would have more than {MOST_STATES} states; make it smaller");
        let mut sets = Vec::new();
        for keyword in &self.keywords {
            sets.extend(keyword.set().map_err(too_large)?);
        }
        for pattern in self.predicates.iter().filter_map(|format| Some((&format.name, format.pattern.as_ref()?))) {
            let (name, pattern) = pattern;
            sets.push(Arc::new(pattern::search(pattern).map_err(|reason| format!("format `{name}`: {reason}"))?));
        }
        if sets.is_empty() {
            return Ok(None);
        }
        let joined = sets.iter().try_fold(Dfa::clone(&TEXT), |joined, set| joined.and(set)).map_err(too_large)?;
        Ok(Some(Arc::new(joined.minimised())))
    }

    /// Is the value accepted, as far as the rule alone can tell? Live lists are asked apart.
    pub(crate) fn accepts(&self, value: &str) -> bool {
        self.test.accepts(value.as_bytes()) && self.predicates.iter().all(|format| (format.predicate)(value))
    }

    /// The code that tests values, if that is all there is to the rule.
    pub(crate) fn simple(&self) -> Option<Simple> {
        match self.test {
            ValueTest::Simple(simple) if self.predicates.is_empty() && self.list.is_none() => Some(simple),
            _ => None,
        }
    }

    /// Is the value one or more characters of the set?
    pub(crate) fn fits_set(&self, value: &str) -> bool {
        !value.is_empty() && self.test.accepts(value.as_bytes())
    }

    /// Why a value is refused, as far as the rule alone can tell.
    pub(crate) fn refusal(&self, value: &str) -> Option<String> {
        let keywords = self.keywords.iter().find_map(|keyword| keyword.refusal(value));
        keywords.or_else(|| {
            (!self.accepts(value)).then(|| match self.predicates.iter().find(|format| !(format.predicate)(value)) {
                Some(format) => format!("refused by the format `{}`", format.name),
                None => "refused by the rule".to_owned(),
            })
        })
    }

    /// The set of accepted values, not counting what functions and lists refuse besides.
    pub(crate) fn set(&self) -> Arc<Dfa> {
        Arc::clone(self.set.as_ref().unwrap_or(&*TEXT))
    }

    /// The set of values that are accepted if the rule has one keyword more; `None` where it has that already, or where the
    /// keyword speaks of numbers and the rule of others.
    pub(crate) fn set_with(&self, keyword: &str, value: &Data) -> Result<Option<Dfa>, TooLarge> {
        let own = self.set();
        let part = match keyword::read(keyword, value, &[]) {
            _ if self.declared.iter().any(|(known, _)| known == keyword) => return Ok(None),
            Ok(Part::Keyword(part)) => part,
            Ok(Part::Number(part)) => match format::BuiltIn::find("number") {
                Some(number) if own.compare(&*number.set())?.only_left.is_none() => part,
                _ => return Ok(None),
            },
            _ => return Ok(None),
        };
        part.set()?.map(|set| own.and(&set)).transpose()
    }

    /// The set of accepted values, where it is not simply all of them.
    pub(crate) fn ruled_set(&self) -> Option<&Dfa> {
        self.set.as_deref()
    }

    /// Does every value pass?
    pub(crate) fn is_any(&self) -> bool {
        self.set.is_none() && self.predicates.is_empty() && self.list.is_none()
    }

    /// The functions that refuse values that the set accepts, by name.
    pub(crate) fn predicates(&self) -> impl Iterator<Item = &str> {
        self.predicates.iter().map(|format| format.name.as_str())
    }

    /// The bytes that the rule takes beside itself, near enough: its automaton, above all.
    pub(crate) fn heap(&self) -> usize {
        self.label.len() + self.set.as_ref().map_or(0, |set| size_of::<Dfa>() + set.heap())
    }

    /// The keywords and their values as they were declared.
    pub(crate) fn declared(&self) -> &[(String, Data)] {
        &self.declared
    }

    /// In a few words.
    pub(crate) fn label(&self) -> &str {
        &self.label
    }
}

/// Labels with commas between them; two bounds become a range.
fn joined_label(parts: impl Iterator<Item = String>) -> String {
    let mut label = String::new();
    for part in parts {
        let range = part.strip_prefix("≤ ").zip(label.rfind("≥ ")).filter(|(_, at)| !label[*at..].contains(','));
        if let Some((most, at)) = range {
            label = format!("{}{} to {most}", &label[..at], &label[at + "≥ ".len()..]);
            continue;
        }
        if !label.is_empty() {
            label.push_str(", ");
        }
        label.push_str(&part);
    }
    label
}

/// Is a pattern anchored at both ends?
pub(crate) fn is_anchored(pattern: &str) -> bool {
    pattern::is_anchored(pattern)
}
