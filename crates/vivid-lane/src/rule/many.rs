//! Rules of lists and pairs (JSON Schema 2020-12, sections 6.4 and 6.5; applicators, sections 10.3.1 and 10.3.2).

use std::sync::Arc;

use super::keyword::{OfMany, is_of_many};
use super::{Check, Many, RuleProblem, Shape};
use crate::declare::{Code, Data, Format, Rule};
use crate::template::Value;

/// What the keywords of a rule make of its values. A type names their form; without one the keywords do.
pub(super) fn read(
    check: &Check,
    rule: &Rule,
    parts: Vec<(usize, OfMany)>,
    formats: &[Format],
    lists: &[&str],
    problems: &mut Vec<RuleProblem>,
) -> Many {
    let typed = parts.iter().find_map(|(_, part)| match part {
        OfMany::Type(shape) => Some(*shape),
        _ => None,
    });
    let Some(shape) = typed.or_else(|| parts.first().map(|(_, part)| part.shape())) else { return Many::One };
    let word = |index: usize| rule.keywords().nth(index).map_or("", |(word, _)| word);
    for (index, part) in &parts {
        if part.shape() != shape {
            let reason = format!(
                "`{}` speaks of {}, and this rule of {}",
                word(*index),
                in_words(part.shape()),
                in_words(shape)
            );
            problems.push(RuleProblem::at(*index, Code::Rule, reason));
        }
    }
    let speaks_of_one = !check.keywords.is_empty() || !check.predicates.is_empty() || check.list.is_some();
    if speaks_of_one {
        let of_one = |word: &str| !is_of_many(word) && !matches!(word, "type" | "default");
        let index = rule.keywords().position(|(word, _)| of_one(word));
        let within = if shape == Shape::List { "items" } else { "additionalProperties" };
        let reason = format!(
            "`{}` speaks of one value, and this rule of {}; put it into `{within}`",
            index.map_or("type", word),
            in_words(shape)
        );
        problems.push(RuleProblem { keyword: index, code: Code::Rule, reason });
    }
    let any = Arc::new(Check::any());
    let (mut first, mut second) = (Arc::clone(&any), any);
    let (mut least, mut most, mut is_unique) = (0, u16::MAX, false);
    for (index, part) in parts {
        let mut inner = |data: &Data| {
            let made = Rule::from_data(data)
                .ok_or_else(|| vec!["expected a format, a list of values, or a table of keywords".to_owned()]);
            let made = made.and_then(|rule| {
                Check::new(&rule, formats, lists).map_err(|inner| inner.into_iter().map(|one| one.reason).collect())
            });
            match made {
                Ok(check) if check.shape() != Shape::One || check.default.is_some() => {
                    problems.push(RuleProblem::at(
                        index,
                        Code::Rule,
                        format!("`{}`: expected a rule of one value, without a default", word(index)),
                    ));
                }
                Ok(check) => return Some(Arc::new(check)),
                Err(reasons) => problems.extend(
                    reasons
                        .into_iter()
                        .map(|reason| RuleProblem::at(index, Code::Rule, format!("`{}`: {reason}", word(index)))),
                ),
            }
            None
        };
        match part {
            OfMany::Type(_) => {}
            OfMany::Items(data) | OfMany::Names(data) => first = inner(&data).unwrap_or(first),
            OfMany::Values(data) => second = inner(&data).unwrap_or(second),
            OfMany::Least(_, count) => least = count,
            OfMany::Most(_, count) => most = count,
            OfMany::Unique(yes) => is_unique = yes,
        }
    }
    if least > most {
        let (low, high) =
            if shape == Shape::List { ("minItems", "maxItems") } else { ("minProperties", "maxProperties") };
        let keyword = rule.keywords().position(|(word, _)| word == low);
        problems.push(RuleProblem {
            keyword,
            code: Code::EmptyRule,
            reason: format!("`{low}` {least} is above `{high}` {most}"),
        });
    }
    match shape {
        Shape::One => Many::One,
        Shape::List => Many::List { items: first, least, most, is_unique },
        Shape::Pairs => Many::Pairs { names: first, values: second, least, most },
    }
}

/// A form in words.
pub(crate) fn in_words(shape: Shape) -> &'static str {
    match shape {
        Shape::One => "one value",
        Shape::List => "a list",
        Shape::Pairs => "names and values",
    }
}

/// A default as a value of that form.
pub(super) fn value(shape: Shape, data: &Data) -> Result<Value, String> {
    let text = |data: &Data| data.to_url_text();
    match (shape, data) {
        (Shape::One, data) => {
            text(data).map(Value::Text).ok_or_else(|| "expected text, a number, or true or false".to_owned())
        }
        (Shape::List, Data::List(items)) => {
            let items: Option<Vec<String>> = items.iter().map(text).collect();
            items.map(Value::List).ok_or_else(|| "expected a list of texts, numbers, or true or false".to_owned())
        }
        (Shape::List, _) => Err("expected a list".to_owned()),
        (Shape::Pairs, Data::Table(entries)) => {
            let pairs: Option<Vec<_>> =
                entries.iter().map(|(name, value)| Some((name.clone(), text(value)?))).collect();
            pairs.map(Value::Pairs).ok_or_else(|| "expected a table of texts, numbers, or true or false".to_owned())
        }
        (Shape::Pairs, _) => Err("expected a table".to_owned()),
    }
}

/// Why there are too few or too many.
pub(super) fn refusal_of_count(count: usize, least: u16, most: u16, one: &str) -> Option<String> {
    let plural = |count: u16| if count == 1 { one.to_owned() } else { format!("{one}s") };
    if count < usize::from(least) {
        Some(format!("expected at least {least} {}, found {count}", plural(least)))
    } else if count > usize::from(most) {
        Some(format!("expected at most {most} {}, found {count}", plural(most)))
    } else {
        None
    }
}

/// A rule of many in a few words; nothing for one value.
pub(super) fn label(values: &Many) -> Option<String> {
    let of = |word: &str, rule: &Check| {
        if rule.label.is_empty() { word.to_owned() } else { format!("{word} of {}", rule.label) }
    };
    let mut label = match values {
        Many::One => return None,
        Many::List { items, .. } => of("list", items),
        Many::Pairs { values, .. } => of("pairs", values),
    };
    match values.count() {
        (0, u16::MAX) => {}
        (least, u16::MAX) => label.push_str(&format!(", at least {least}")),
        (0, most) => label.push_str(&format!(", at most {most}")),
        (least, most) if least == most => label.push_str(&format!(", {least} of them")),
        (least, most) => label.push_str(&format!(", {least} to {most} of them")),
    }
    if matches!(values, Many::List { is_unique: true, .. }) {
        label.push_str(", each once");
    }
    Some(label)
}
