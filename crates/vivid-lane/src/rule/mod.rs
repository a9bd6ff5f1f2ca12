//! Rules: what a parameter may be.
//!
//! [`Check`] is a rule ready for use: a set of values as an automaton, made once from all its keywords, plus
//! what no automaton can know (a function of the user's, a live list). Judging a value is linear in its
//! length.

mod classes;
mod dfa;
mod export;
mod format;
mod join;
mod keyword;
mod many;
mod mark;
mod number;
mod pattern;
mod sequence;
#[cfg(test)]
mod tests;
mod text;
mod value_set;
mod value_test;
pub(crate) mod work;

use std::collections::HashSet;
use std::fmt;
use std::sync::{Arc, OnceLock};

use crate::declare::Code;
pub(crate) use classes::Classes;
pub(crate) use dfa::{Comparison, Dfa, MOST_STATES, TooLarge, way_to};
pub use export::{Automaton, Test};
pub(crate) use join::{Join, Separator};
use keyword::{Keyword, Part};
pub(crate) use many::in_words;
pub(crate) use mark::{AMPERSAND, EQUALS, encode_marked, has_delimiters, marked, plain, unmarked};
pub(crate) use sequence::{Atom, SEPARATOR, sequence};
pub(crate) use text::{ANYTHING, TEXT};
pub(crate) use value_set::{Certainty, Narrower, Relation, ValueSet};
pub(crate) use value_test::{Simple, ValueTest};

use crate::declare::{Data, Format, Rule};
use crate::template::Value;

/// What form a value has (RFC 6570, section 2.3).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Shape {
    /// One text.
    One,
    /// A list of texts: an array of JSON Schema.
    List,
    /// A list of names and texts: an object of JSON Schema.
    Pairs,
}

/// What a rule says of the items of a list, or of names and values.
#[derive(Debug, Clone)]
pub(crate) enum Many {
    One,
    List { items: Arc<Check>, least: u16, most: u16, is_unique: bool },
    Pairs { names: Arc<Check>, values: Arc<Check>, least: u16, most: u16 },
}

impl Many {
    /// How many items there may be. None are as good as no value, so that a text has one at least.
    pub(crate) fn count(&self) -> (u16, u16) {
        match self {
            Self::One => (1, 1),
            Self::List { least, most, .. } | Self::Pairs { least, most, .. } => (*least, *most),
        }
    }

    /// The same of each item, and any number of them.
    fn of_any_number(&self) -> Self {
        match self.clone() {
            Self::List { items, is_unique, .. } => Self::List { items, least: 0, most: u16::MAX, is_unique },
            Self::Pairs { names, values, .. } => Self::Pairs { names, values, least: 0, most: u16::MAX },
            Self::One => Self::One,
        }
    }

    fn shape(&self) -> Shape {
        match self {
            Self::One => Shape::One,
            Self::List { .. } => Shape::List,
            Self::Pairs { .. } => Shape::Pairs,
        }
    }
}

/// A rule that is ready for use on values.
pub(crate) struct Check {
    keywords: Vec<Box<dyn Keyword>>,
    predicates: Vec<Format>,
    /// `None` for every value.
    set: Option<Arc<Dfa>>,
    /// How values are judged by it.
    test: ValueTest,
    /// Whether an `enum` or a `const` names the values one by one.
    pub(crate) is_choice: bool,
    pub(crate) list: Option<Box<str>>,
    pub(crate) default: Option<Value>,
    /// What it says of the items, where the value is more than one text.
    pub(crate) values: Many,
    /// How they stand in one text, where this is the rule of that text.
    pub(crate) join: Option<Join>,
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
            values: Many::One,
            join: None,
            label: String::new(),
            declared: Vec::new(),
        }
    }

    /// The rule that accepts every value of a form.
    pub(crate) fn any_of(shape: Shape) -> Self {
        let any = || Arc::new(Self::any());
        let values = match shape {
            Shape::One => Many::One,
            Shape::List => Many::List { items: any(), least: 0, most: u16::MAX, is_unique: false },
            Shape::Pairs => Many::Pairs { names: any(), values: any(), least: 0, most: u16::MAX },
        };
        Self { values, ..Self::any() }
    }

    /// What form the values have that it is about.
    pub(crate) fn shape(&self) -> Shape {
        self.values.shape()
    }

    /// Makes a rule ready: reads its keywords and proves that some value satisfies them all.
    pub(crate) fn new(rule: &Rule, formats: &[Format], lists: &[&str]) -> Result<Self, Vec<RuleProblem>> {
        let declared = rule.keywords().map(|(name, value)| (name.to_owned(), value.clone())).collect();
        let mut check = Self { declared, ..Self::any() };
        let mut problems = Vec::new();
        let mut implies_number = None;
        let (mut many, mut default) = (Vec::new(), None);
        // In the order of the vocabulary: the type speaks first, whatever the order in the file.
        let mut declared: Vec<(usize, (&str, &Data))> = rule.keywords().enumerate().collect();
        declared.sort_by_key(|(_, (keyword, _))| keyword::rank(keyword));
        for (index, (keyword, value)) in declared {
            match keyword::read(keyword, value, formats) {
                Err(reason) => problems.push(RuleProblem::at(index, Code::Rule, format!("`{keyword}`: {reason}"))),
                Ok(Part::Keyword(keyword)) => check.keywords.push(keyword),
                Ok(Part::Choice(keyword)) => {
                    check.is_choice = true;
                    check.keywords.push(keyword);
                }
                Ok(Part::Number(of_numbers)) => {
                    implies_number = implies_number.or(Some((index, keyword)));
                    check.keywords.push(of_numbers);
                }
                Ok(Part::Judge(format)) => check.predicates.push(format),
                Ok(Part::OfMany(part)) => many.push((index, part)),
                Ok(Part::Default(value)) => default = Some((index, value)),
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
        let other_type = rule.keywords().find_map(|(keyword, value)| {
            value.as_text().filter(|name| keyword == "type" && matches!(*name, "string" | "boolean"))
        });
        if let (Some((index, keyword)), Some(other)) = (implies_number, other_type) {
            let reason = format!("`{keyword}` speaks of numbers, and the type is `{other}`; leave one of the two out");
            problems.push(RuleProblem::at(index, Code::Rule, reason));
        } else if implies_number.is_some()
            && !is_typed
            && let Ok(Part::Keyword(number)) = keyword::read("type", &Data::from("number"), &[])
        {
            check.keywords.insert(0, number);
        }
        check.values = many::read(&check, rule, many, formats, lists, &mut problems);
        if problems.is_empty()
            && let Some((index, value)) = default
        {
            match many::value(check.shape(), &value) {
                Ok(value) => check.default = Some(value),
                Err(reason) => problems.push(RuleProblem::at(index, Code::Rule, format!("`default`: {reason}"))),
            }
        }
        if problems.is_empty() {
            check.finish(rule, &mut problems);
        }
        if problems.is_empty() { Ok(check) } else { Err(problems) }
    }

    /// The rule, for a label of a host: without a dot, so that a value does not reach over two labels.
    pub(crate) fn of_label(check: &Self) -> Result<Self, TooLarge> {
        static LABEL: OnceLock<Dfa> = OnceLock::new();
        let label = match LABEL.get() {
            Some(label) => label,
            None => {
                let made = work::for_all(|| pattern::search("^[^.]+$").map_err(|_| TooLarge::States)?.and(&TEXT))?;
                LABEL.get_or_init(|| made)
            }
        };
        let set = Arc::new(check.set().and(label)?.with_marks());
        Ok(Self {
            test: ValueTest::of(Some(&set)),
            keywords: Vec::new(),
            predicates: check.predicates.clone(),
            set: Some(set),
            is_choice: check.is_choice,
            list: check.list.clone(),
            default: check.default.clone(),
            values: Many::One,
            join: None,
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
            && let Some(reason) = self.refusal_of(default)
        {
            let reason = format!("the default `{}` is refused by its own rule: {reason}", shown(default));
            problems.push(RuleProblem { keyword: index_of("default"), code: Code::Default, reason });
        }
        let labels = self.keywords.iter().map(|keyword| keyword.label());
        let predicates = self.predicates.iter().map(|format| format.name.clone());
        let list = self.list.iter().map(|list| format!("in list {list}"));
        let default = self.default.iter().map(|value| format!("default {}", shown(value)));
        let many = many::label(&self.values).into_iter();
        let parts = labels.chain(predicates).chain(list).chain(many).chain(default).filter(|label| !label.is_empty());
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
        Ok(Some(Arc::new(joined.minimised().with_marks())))
    }

    /// Whether the value is accepted, as far as the rule alone can tell. Live lists are asked apart.
    pub(crate) fn accepts(&self, value: &str) -> bool {
        self.test.accepts(value.as_bytes())
            && self.predicates.iter().all(|format| (format.predicate)(value))
            && self.join.as_ref().is_none_or(|join| self.refusal_of_items(&join.items(value)).is_none())
    }

    /// Why the items of a value are refused; for pairs they are names and values in turn.
    fn refusal_of_items(&self, items: &[String]) -> Option<String> {
        match self.values {
            Many::Pairs { .. } if items.len() % 2 == 1 => Some("a name without a value".to_owned()),
            Many::Pairs { .. } => {
                let pairs = items.chunks_exact(2).map(|pair| (pair[0].as_str(), pair[1].as_str()));
                self.refusal_of_pairs(pairs)
            }
            _ => self.refusal_of_list(items.iter().map(String::as_str)),
        }
    }

    /// Why a list is refused: its number of items, one of them, or one that is there twice.
    pub(crate) fn refusal_of_list<'v>(&self, list: impl Iterator<Item = &'v str> + Clone) -> Option<String> {
        let Many::List { items, least, most, is_unique } = &self.values else { return None };
        let count = list.clone().count();
        many::refusal_of_count(count, *least, *most, "item").or_else(|| {
            let mut seen = HashSet::new();
            list.clone().find_map(|item| match items.refusal(item) {
                Some(reason) => Some(format!("`{item}`: {reason}")),
                None => (*is_unique && !seen.insert(item)).then(|| format!("`{item}` is there twice")),
            })
        })
    }

    /// Why so many items are refused without a look at what they say: their number, or one that is there twice.
    pub(crate) fn refusal_of_number<'v>(&self, count: usize, items: impl Iterator<Item = &'v str>) -> Option<String> {
        let (least, most) = self.values.count();
        let one = if self.shape() == Shape::Pairs { "pair" } else { "item" };
        many::refusal_of_count(count, least, most, one).or_else(|| {
            let mut seen = HashSet::new();
            let mut twice = items.filter(|item| self.wants_each_once() && !seen.insert(*item));
            twice.next().map(|item| format!("`{item}` is there twice"))
        })
    }

    /// Why pairs are refused: their number, a name or a value.
    pub(crate) fn refusal_of_pairs<'v>(
        &self,
        pairs: impl Iterator<Item = (&'v str, &'v str)> + Clone,
    ) -> Option<String> {
        let Many::Pairs { names, values, least, most } = &self.values else { return None };
        many::refusal_of_count(pairs.clone().count(), *least, *most, "pair").or_else(|| {
            pairs.clone().find_map(|(name, value)| {
                let of_name = names.refusal(name).map(|reason| format!("the name `{name}`: {reason}"));
                of_name.or_else(|| values.refusal(value).map(|reason| format!("`{value}` of `{name}`: {reason}")))
            })
        })
    }

    /// Why a value is refused, whatever its form.
    pub(crate) fn refusal_of(&self, value: &Value) -> Option<String> {
        match value {
            Value::Text(text) => self.refusal(text),
            Value::List(items) => self.refusal_of_list(items.iter().map(String::as_str)),
            Value::Pairs(pairs) => {
                self.refusal_of_pairs(pairs.iter().map(|(name, value)| (name.as_str(), value.as_str())))
            }
        }
    }

    /// The live lists that items, names and values must be in, if any.
    pub(crate) fn list_of_items(&self) -> [Option<&str>; 2] {
        match &self.values {
            Many::One => [None, None],
            Many::List { items, .. } => [items.list.as_deref(), None],
            Many::Pairs { names, values, .. } => [names.list.as_deref(), values.list.as_deref()],
        }
    }

    /// The code that tests values, if that is all there is to the rule.
    pub(crate) fn simple(&self) -> Option<Simple> {
        match self.test {
            ValueTest::Simple(simple) if self.predicates.is_empty() && self.list.is_none() && self.join.is_none() => {
                Some(simple)
            }
            _ => None,
        }
    }

    /// Whether the value is one or more characters of the set.
    pub(crate) fn fits_set(&self, value: &str) -> bool {
        !value.is_empty() && self.test.accepts(value.as_bytes())
    }

    /// Why a value is refused, as far as the rule alone can tell.
    pub(crate) fn refusal(&self, value: &str) -> Option<String> {
        if let Some(join) = &self.join {
            let reason = self.refusal_of_items(&join.items(value));
            return reason.or_else(|| {
                (!self.test.accepts(value.as_bytes()))
                    .then(|| "an empty item, or one that the next cannot be told from".to_owned())
            });
        }
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
                Some(number) if own.compare(&number.set())?.only_left.is_none() => part,
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

    /// Whether it is about one text, and every text passes.
    pub(crate) fn is_any(&self) -> bool {
        self.set.is_none() && self.predicates.is_empty() && self.list.is_none() && matches!(self.values, Many::One)
    }

    /// Whether all that is in its set passes, always.
    pub(crate) fn is_exact(&self) -> bool {
        self.predicates().next().is_none() && self.list.is_none()
    }

    /// Whether every value of its form passes, with any number of items.
    pub(crate) fn is_any_of_its_form(&self) -> bool {
        let is_any_number = self.values.count().1 == u16::MAX && self.values.count().0 <= 1;
        match &self.values {
            Many::One => self.is_any(),
            Many::List { items, is_unique, .. } => items.is_any() && !is_unique && is_any_number,
            Many::Pairs { names, values, .. } => names.is_any() && values.is_any() && is_any_number,
        }
    }

    /// Whether no item may be there twice.
    pub(crate) fn wants_each_once(&self) -> bool {
        matches!(self.values, Many::List { is_unique: true, .. })
    }

    /// The default, where it is one text.
    pub(crate) fn default_text(&self) -> Option<&str> {
        self.default.as_ref().and_then(Value::as_text)
    }

    /// The functions that refuse values that the set accepts, by name.
    pub(crate) fn predicates(&self) -> impl Iterator<Item = &str> {
        let (items, others, unique) = match &self.values {
            Many::One => (None, None, None),
            Many::List { items, is_unique, .. } => (Some(items), None, is_unique.then_some("uniqueItems")),
            Many::Pairs { names, values, .. } => (Some(names), Some(values), None),
        };
        let of_items = [items, others].into_iter().flatten().flat_map(|rule| &rule.predicates);
        self.predicates.iter().chain(of_items).map(|format| format.name.as_str()).chain(unique)
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

impl Dfa {
    /// The texts in which a regular expression is found.
    pub(crate) fn holding(pattern: &str) -> Result<Self, TooLarge> {
        pattern::search(pattern).map_err(|_| TooLarge::States)
    }
}

/// A value as a URL would write it, near enough.
pub(crate) fn shown(value: &Value) -> String {
    match value {
        Value::Text(text) => text.clone(),
        Value::List(items) => items.join(","),
        Value::Pairs(pairs) => {
            pairs.iter().map(|(name, value)| format!("{name}={value}")).collect::<Vec<_>>().join(",")
        }
    }
}

/// Whether a pattern is anchored at both ends.
pub(crate) fn is_anchored(pattern: &str) -> bool {
    pattern::is_anchored(pattern)
}
