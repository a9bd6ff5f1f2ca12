//! Which rule a parameter has: the nearest one of its name, from the route up to the top of the table.

use smol_str::SmolStr;

use crate::declare::Code;
use std::hash::{BuildHasher, Hash, Hasher};
use std::sync::Arc;

use hashbrown::hash_table::Entry;
use hashbrown::{DefaultHashBuilder, HashMap, HashTable};

use crate::declare::{Data, Finding, Format, Placed, Report, Rule};
use crate::lookup::ParamKind;
use crate::rule::{Check, Join, Many, Shape, TooLarge, is_anchored};

/// The rules in force while the declared routes are walked.
pub(super) struct Rules {
    formats: Vec<Format>,
    lists: Vec<SmolStr>,
    /// The rules that accept everything, one for each form.
    any: [Arc<Check>; 3],
    /// Rules that say the same are made once.
    made: HashTable<Made>,
    hashes: DefaultHashBuilder,
    /// The rules of the texts that stand in a URL for lists and pairs.
    joined: HashMap<(usize, Join), Arc<Check>>,
    /// For each name, the rules from the top of the table down to the route at hand.
    in_force: HashMap<SmolStr, Vec<Arc<Check>>>,
}

/// A rule that was made, by what it was made of.
struct Made {
    hash: u64,
    rule: Rule,
    check: Arc<Check>,
}

impl Rules {
    pub(super) fn new() -> Self {
        Self {
            formats: Vec::new(),
            lists: Vec::new(),
            any: [Shape::One, Shape::List, Shape::Pairs].map(|shape| Arc::new(Check::any_of(shape))),
            made: HashTable::new(),
            hashes: DefaultHashBuilder::default(),
            joined: HashMap::new(),
            in_force: HashMap::new(),
        }
    }

    /// Adds the formats and lists of a table.
    pub(super) fn declare(&mut self, formats: &[Format], lists: &[Placed<SmolStr>], report: &mut Report) {
        for format in formats {
            if self
                .formats
                .iter()
                .any(|known| known.name == format.name && !Arc::ptr_eq(&known.predicate, &format.predicate))
            {
                report.add(
                    Code::DuplicateFormat,
                    None,
                    format!("the format `{}` is registered a second time", format.name),
                );
            } else {
                self.formats.push(format.clone());
            }
        }
        for list in lists {
            if !self.lists.contains(&list.value) {
                wrong_name(list, "list", report);
                self.lists.push(list.value.clone());
            }
        }
    }

    pub(super) fn into_lists(self) -> Vec<SmolStr> {
        self.lists
    }

    /// Brings rules into force for a route and its descendants, until they are [left](Self::leave).
    pub(super) fn enter(&mut self, rules: &[(Placed<SmolStr>, Rule)], report: &mut Report) {
        for (name, rule) in rules {
            let check = self.make(&name.value, rule, report);
            self.in_force.entry(name.value.clone()).or_default().push(check);
        }
    }

    /// Takes rules out of force.
    pub(super) fn leave(&mut self, rules: &[(Placed<SmolStr>, Rule)]) {
        for (name, _) in rules {
            if let Some(stack) = self.in_force.get_mut(&name.value) {
                stack.pop();
            }
        }
    }

    /// The rule of a parameter whose values have that form.
    pub(super) fn of(&self, name: &str, shape: Shape) -> Arc<Check> {
        let any = &self.any[shape as usize];
        Arc::clone(self.in_force.get(name).and_then(|stack| stack.last()).unwrap_or(any))
    }

    /// The rule that accepts every value of a form.
    pub(super) fn any(&self, shape: Shape) -> Arc<Check> {
        Arc::clone(&self.any[shape as usize])
    }

    /// What form the rule of a name gives its values; `None` where there is no rule that says anything.
    pub(super) fn shape_of(&self, name: &str) -> Option<Shape> {
        let rule = self.in_force.get(name)?.last()?;
        (!rule.declared().is_empty()).then(|| rule.shape())
    }

    /// The rule of the texts that stand in a URL for values of a rule.
    pub(super) fn of_texts(
        &mut self,
        check: &Arc<Check>,
        kind: ParamKind,
        join: Option<&Join>,
    ) -> Result<Arc<Check>, TooLarge> {
        let (Some(join), true) = (join, kind != ParamKind::Query) else {
            return Ok(match &check.values {
                // Each segment of a tail is an item.
                Many::List { items, .. } if kind == ParamKind::Items => Arc::clone(items),
                _ => Arc::clone(check),
            });
        };
        let key = (Arc::as_ptr(check).addr(), join.clone());
        if let Some(known) = self.joined.get(&key) {
            return Ok(Arc::clone(known));
        }
        let made = Arc::new(Check::joined(check, join.clone())?);
        self.joined.insert(key, Arc::clone(&made));
        Ok(made)
    }

    /// Whether there is a rule for the name.
    pub(super) fn has(&self, name: &str) -> bool {
        self.in_force.get(name).is_some_and(|stack| !stack.is_empty())
    }

    fn hash(&self, rule: &Rule) -> u64 {
        let mut hasher = self.hashes.build_hasher();
        for (keyword, value) in rule.keywords() {
            keyword.hash(&mut hasher);
            hash_data(value, &mut hasher);
        }
        hasher.finish()
    }

    fn make(&mut self, name: &str, rule: &Rule, report: &mut Report) -> Arc<Check> {
        let hash = self.hash(rule);
        let is_same = |made: &Made| made.rule.keywords().eq(rule.keywords());
        let vacant = match self.made.entry(hash, is_same, |made| made.hash) {
            Entry::Occupied(known) => return Arc::clone(&known.get().check),
            Entry::Vacant(vacant) => vacant,
        };
        let lists: Vec<&str> = self.lists.iter().map(SmolStr::as_str).collect();
        match Check::new(rule, &self.formats, &lists) {
            Ok(check) => {
                for (index, pattern) in unanchored(rule) {
                    report
                        .add(
                            Code::UnanchoredPattern,
                            rule.place(Some(index)),
                            format!("the pattern of `{name}` may be found anywhere in a value: `{pattern}`"),
                        )
                        .help_with("write `^` before and `$` after it to fit the whole value");
                }
                let check = Arc::new(check);
                vacant.insert(Made { hash, rule: rule.clone(), check: Arc::clone(&check) });
                check
            }
            Err(problems) => {
                for problem in problems {
                    let message = format!("the rule of `{name}`: {}", problem.reason);
                    report.add(problem.code, rule.place(problem.keyword), message);
                }
                Arc::clone(&self.any[0])
            }
        }
    }
}

/// What values that are equal have in common.
fn hash_data(data: &Data, hasher: &mut impl Hasher) {
    std::mem::discriminant(data).hash(hasher);
    match data {
        Data::Null => {}
        Data::Bool(value) => value.hash(hasher),
        Data::Integer(number) => number.hash(hasher),
        // Nothing is equal to another number but a zero with a sign, which at worst is made twice.
        Data::Float(number) => number.to_bits().hash(hasher),
        Data::Text(text) => text.hash(hasher),
        Data::List(items) => items.iter().for_each(|item| hash_data(item, hasher)),
        Data::Table(entries) => entries.iter().for_each(|(name, value)| {
            name.hash(hasher);
            hash_data(value, hasher);
        }),
    }
}

/// The patterns of a rule that are not anchored at both ends, and the index of their keyword.
fn unanchored(rule: &Rule) -> impl Iterator<Item = (usize, &str)> {
    rule.keywords().enumerate().filter_map(|(index, (keyword, value))| match value {
        Data::Text(pattern) if keyword == "pattern" && !is_anchored(pattern) => Some((index, pattern.as_str())),
        _ => None,
    })
}

/// Reports a name that is none. What has a name in a table goes into cookies, code and reports of other programs, so all names have
/// one grammar.
pub(super) fn wrong_name<'r>(name: &Placed<SmolStr>, of: &str, report: &'r mut Report) -> Option<&'r mut Finding> {
    let wrong = name.value.chars().find(|&c| !(c.is_alphanumeric() || matches!(c, '-' | '_')));
    if wrong.is_none() && !name.value.is_empty() {
        return None;
    }
    let found = wrong.map_or_else(|| "none".to_owned(), |c| format!("{c:?}"));
    let message = format!("expected letters, digits, `-` or `_` in the name of a {of}, found {found}");
    Some(report.add(Code::Name, name.span.as_ref(), message))
}
