//! Rules as the module names them: constants of its runtime, and calls that make one of words, limits, patterns and automata.

use std::collections::{BTreeSet, HashMap};

use vivid_lane::lookup::{Automaton, Export, ExportedJoin, ExportedRule, ExportedValues, Test};

use super::expressions::linear;
use super::text;
use super::types::Kinds;
use crate::note::Notes;

/// The largest number that fits into 15 digits, which the runtime reads without loss.
const LARGEST: i64 = 999_999_999_999_999;

/// Writes rules, and keeps what they need of the runtime.
pub(super) struct Rules<'e> {
    pub(super) export: &'e Export,
    pub(super) notes: &'e mut Notes,
    /// What is imported from the runtime.
    pub(super) imports: BTreeSet<&'static str>,
}

/// The constant of a format.
fn constant(format: &str) -> Option<&'static str> {
    Some(match format {
        "integer" => "integer",
        "natural" => "natural",
        "number" => "number",
        "boolean" => "boolean",
        "digits" => "digits",
        "date" => "date",
        "time" => "time",
        "date-time" => "dateTime",
        "uuid" => "uuid",
        "slug" => "slug",
        "hex" => "hex",
        "email" => "email",
        "ipv4" => "ipv4",
        "alpha" => "alpha",
        "alnum" => "alnum",
        "file-name" => "fileName",
        _ => return None,
    })
}

impl Rules<'_> {
    /// Notes that something of the runtime is needed.
    pub(super) fn import(&mut self, name: &'static str) -> &'static str {
        self.imports.insert(name);
        name
    }

    fn call(&mut self, name: &'static str, arguments: &[String]) -> String {
        format!("{}({})", self.import(name), arguments.join(", "))
    }

    /// The rule of one text, whose values are of these kinds.
    pub(super) fn one(&mut self, index: usize, kinds: &Kinds) -> String {
        let rule = &self.export.rules[index];
        let (mut written, reads) = self.tests(&rule.tests);
        if let Some(list) = &rule.list {
            let base = if rule.tests.is_empty() { Vec::new() } else { vec![written] };
            let arguments: Vec<String> = std::iter::once(text(list)).chain(base).collect();
            written = self.call("listed", &arguments);
        }
        if kinds.boolean && reads != Reads::Booleans {
            written = self.call("booleans", &[written]);
        }
        if kinds.number && (reads != Reads::Numbers || kinds.boolean) {
            written = self.call("numbers", &[written]);
        }
        written
    }

    fn tests(&mut self, tests: &[Test]) -> (String, Reads) {
        if let Some(range) = self.range(tests) {
            return (range, Reads::Numbers);
        }
        let mut parts: Vec<(String, Reads)> = tests.iter().filter_map(|test| self.test(test)).collect();
        match parts.len() {
            0 => (self.import("any").to_owned(), Reads::Texts),
            1 => parts.remove(0),
            _ => {
                let reads = parts[0].1;
                let parts: Vec<String> = parts.into_iter().map(|(part, _)| part).collect();
                (self.call("all", &parts), reads)
            }
        }
    }

    /// Whole numbers with limits that a number of the language holds.
    fn range(&mut self, tests: &[Test]) -> Option<String> {
        let [Test::Formats { formats, .. }, bounds @ ..] = tests else { return None };
        let base = match formats.as_slice() {
            [("integer", _)] => None,
            [("natural", _)] => Some("natural"),
            _ => return None,
        };
        let limit = |bound: &Test| match bound {
            Test::Bound { sign, limit } => {
                let limit = limit.parse::<i64>().ok().filter(|limit| limit.abs() <= LARGEST)?;
                Some((*sign, limit))
            }
            _ => None,
        };
        let (least, most) = match bounds {
            [one] => match limit(one)? {
                ("≥", least) => (Some(least), None),
                ("≤", most) => (None, Some(most)),
                _ => return None,
            },
            [first, second] => match (limit(first)?, limit(second)?) {
                (("≥", least), ("≤", most)) => (Some(least), Some(most)),
                _ => return None,
            },
            _ => return None,
        };
        let number = |limit: Option<i64>, none: &str| limit.map_or_else(|| none.to_owned(), |limit| limit.to_string());
        let mut arguments = vec![number(least, "-Infinity")];
        if most.is_some() || base.is_some() {
            arguments.push(number(most, "Infinity"));
        }
        if let Some(base) = base {
            arguments.push(self.import(base).to_owned());
        }
        Some(self.call("range", &arguments))
    }

    fn test(&mut self, test: &Test) -> Option<(String, Reads)> {
        let written = match test {
            Test::OneOf(words) => {
                let words: Vec<String> = words.iter().map(|word| text(word)).collect();
                self.call("oneOf", &words)
            }
            Test::Pattern { pattern, automaton } => match linear(pattern) {
                Some(expression) if expression == *pattern => self.call("pattern", &[format!("/{expression}/")]),
                Some(expression) => self.call("pattern", &[format!("/{expression}/"), text(pattern)]),
                None => self.automaton(automaton, "source", pattern),
            },
            Test::Formats { formats, automaton } => return Some(self.formats(formats, automaton)),
            Test::Bound { sign, limit } => {
                let sign = match *sign {
                    "≥" => ">=",
                    "≤" => "<=",
                    other => other,
                };
                self.call("bound", &[text(sign), text(limit)])
            }
            Test::MultipleOf(step) => self.call("multipleOf", &[text(step)]),
            Test::MinLength(count) => self.call("length", &[count.to_string()]),
            Test::MaxLength(count) => self.call("length", &["0".to_owned(), count.to_string()]),
            Test::Set(automaton) => self.automaton(automaton, "reason", "refused by the rule"),
            Test::Own { name, automaton } => {
                let message = format!(
                    "the module cannot call the function of the format `{name}`; it uses the pattern of the format"
                );
                self.notes.left_out("format", None, message);
                let automaton = automaton.as_ref()?;
                self.automaton(automaton, "reason", &format!("refused by the format `{name}`"))
            }
        };
        Some((written, Reads::Texts))
    }

    fn formats(&mut self, formats: &[(&str, &str)], automaton: &Automaton) -> (String, Reads) {
        let constants: Option<Vec<&'static str>> = formats.iter().map(|(name, _)| constant(name)).collect();
        let Some(constants) = constants else {
            let reasons: Vec<String> = formats.iter().map(|(_, expected)| format!("expected {expected}")).collect();
            return (self.automaton(automaton, "reason", &reasons.join(", or ")), Reads::Texts);
        };
        for name in &constants {
            self.import(name);
        }
        match constants.as_slice() {
            [one @ ("integer" | "natural" | "number")] => ((*one).to_owned(), Reads::Numbers),
            ["boolean"] => ("boolean".to_owned(), Reads::Booleans),
            [one] => ((*one).to_owned(), Reads::Texts),
            several => {
                let several: Vec<String> = several.iter().map(|&one| one.to_owned()).collect();
                (self.call("either", &several), Reads::Texts)
            }
        }
    }

    fn automaton(&mut self, automaton: &Automaton, fact: &str, value: &str) -> String {
        self.call("automaton", &[ranges(automaton, false), format!("{{ {fact}: {} }}", text(value))])
    }

    /// What a list or pairs may be.
    pub(super) fn many(&mut self, rule: &ExportedRule, kinds: &Kinds) -> Option<String> {
        let untyped = Kinds::texts();
        let (call, mut arguments, limits) = match rule.values {
            ExportedValues::One => return None,
            ExportedValues::List { items, least, most, is_unique } => {
                ("items", vec![self.one(items, kinds)], (least, most, is_unique))
            }
            ExportedValues::Pairs { names, values, least, most } => {
                let arguments = vec![self.one(names, &untyped), self.one(values, kinds)];
                ("pairs", arguments, (least, most, false))
            }
        };
        let (least, most, is_unique) = limits;
        let most = (most != u16::MAX).then(|| most.to_string());
        let mut rest = vec![least.to_string(), most.clone().unwrap_or_else(|| "Infinity".to_owned())];
        if is_unique {
            rest.push("true".to_owned());
        } else if most.is_none() {
            rest.truncate(usize::from(least > 0));
        }
        arguments.append(&mut rest);
        Some(self.call(call, &arguments))
    }

    /// The rule of an item of a list, or of a value of pairs.
    pub(super) fn one_of_many(&mut self, index: usize, kinds: &Kinds) -> String {
        match self.export.rules[index].values {
            ExportedValues::One => self.one(index, kinds),
            ExportedValues::List { items, .. } => self.one(items, kinds),
            ExportedValues::Pairs { values, .. } => self.one(values, kinds),
        }
    }

    /// The rule of a text in which items are joined.
    pub(super) fn joined(&mut self, join: &ExportedJoin, many: &str) -> String {
        let mut arguments = vec![many.to_owned(), text(join.separator)];
        if join.is_named || join.name.is_some() {
            arguments.push(join.is_named.to_string());
        }
        arguments.extend(join.name.as_deref().map(text));
        self.call("joined", &arguments)
    }

    /// The automaton of a rule, by which the value of it is found in a segment.
    pub(super) fn cut(&self, index: usize, has_marks: bool) -> Option<String> {
        self.export.rules[index].automaton.as_ref().map(|automaton| ranges(automaton, has_marks))
    }
}

/// What the texts of a rule stand for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Reads {
    Texts,
    Numbers,
    Booleans,
}

/// For each state whether it accepts, and the ranges of bytes that lead on. States are numbered as they are met.
fn ranges(automaton: &Automaton, has_marks: bool) -> String {
    let mut numbers = HashMap::from([(automaton.start(), 0)]);
    let mut states = vec![automaton.start()];
    let mut out = Vec::new();
    while let Some(&state) = states.get(out.len()) {
        let mut items = vec![u32::from(automaton.accepts(state))];
        let mut last: Option<u32> = None;
        for byte in 0..=u8::MAX {
            // No value holds another control character.
            let is_value = !byte.is_ascii_control() || (has_marks && (1..=3).contains(&byte));
            let next = Some(automaton.step(state, byte)).filter(|&next| next != 0 && is_value);
            let next = next.map(|next| {
                *numbers.entry(next).or_insert_with(|| {
                    states.push(next);
                    // An automaton has fewer states than 2^32.
                    u32::try_from(states.len() - 1).unwrap_or(u32::MAX)
                })
            });
            match (next, last) {
                (Some(number), Some(before)) if number == before => {
                    let end = items.len() - 2;
                    items[end] = byte.into();
                }
                (Some(number), _) => items.extend([byte.into(), byte.into(), number]),
                (None, _) => {}
            }
            last = next;
        }
        let items: Vec<String> = items.iter().map(u32::to_string).collect();
        out.push(format!("[{}]", items.join(",")));
    }
    format!("[{}]", out.join(","))
}
