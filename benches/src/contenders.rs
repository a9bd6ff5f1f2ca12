//! Ours and the three yardsticks, which must all give the same answers.

use std::fmt::Write;

use foldhash::fast::FixedState;
use hashbrown::HashMap;
use regex::{Regex, RegexSet};
use vivid_lane::{Match, Overlaps, RouteSpec, Rule, Table, TableSpec};

use crate::tables::{Corpus, Dice, Kind, Segment, template, url};

/// What a lookup captured: the values in the order of the path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Captured<'u> {
    values: [&'u str; 8],
    count: usize,
}

impl<'u> Captured<'u> {
    /// The values.
    #[must_use]
    pub fn values(&self) -> &[&'u str] {
        &self.values[..self.count]
    }
}

fn captured<'u>(values: &[&'u str]) -> Captured<'u> {
    let mut captured = Captured { values: [""; 8], count: values.len() };
    captured.values[..values.len()].copy_from_slice(values);
    captured
}

/// The rest of a path from one of its parts on.
fn rest<'u>(path: &'u str, part: &str) -> &'u str {
    &path[part.as_ptr().addr() - path.as_ptr().addr()..]
}

fn is_integer(text: &str) -> bool {
    let digits = text.strip_prefix('-').unwrap_or(text);
    !digits.is_empty()
        && digits.bytes().all(|byte| byte.is_ascii_digit())
        && (digits == "0" && text != "-0" || !digits.starts_with('0'))
}

fn is_date(text: &str) -> bool {
    let bytes = text.as_bytes();
    let number = |range: std::ops::Range<usize>| -> Option<u32> { text.get(range)?.parse().ok() };
    if bytes.len() != 10
        || bytes[4] != b'-'
        || bytes[7] != b'-'
        || bytes.iter().any(|byte| !(byte.is_ascii_digit() || *byte == b'-'))
    {
        return false;
    }
    let (Some(year), Some(month), Some(day)) = (number(0..4), number(5..7), number(8..10)) else { return false };
    let is_leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
    let days = match month {
        4 | 6 | 9 | 11 => 30,
        2 if is_leap => 29,
        2 => 28,
        _ => 31,
    };
    (1..=12).contains(&month) && (1..=days).contains(&day)
}

#[allow(clippy::get_first, clippy::type_complexity, reason = "written by the build script")]
mod written {
    use super::{Captured, captured, is_date, is_integer, rest};

    include!(concat!(env!("OUT_DIR"), "/nested.rs"));
}

pub use written::nested;

/// The table, declared as a user would; routes are named by their index.
#[must_use]
pub fn spec(corpus: &Corpus) -> TableSpec {
    let mut spec = TableSpec::new().overlaps(Overlaps::Refused);
    for (index, route) in corpus.routes.iter().enumerate() {
        let mut declared = RouteSpec::new(index.to_string()).path(template(route)).page("page");
        for segment in route {
            declared = match segment {
                Segment::Param(name, Kind::Integer) => declared.param(name, Rule::format("integer")),
                Segment::Param(name, Kind::Date) => declared.param(name, Rule::format("date")),
                _ => declared,
            };
        }
        spec = spec.route(declared);
    }
    spec
}

/// The table, built.
///
/// # Panics
/// If the table is wrong, which it is not.
#[must_use]
pub fn ours(corpus: &Corpus) -> Table {
    spec(corpus).build().unwrap_or_else(|error| panic!("{error}"))
}

/// One URL for each route, in an order that no cache can guess, and the route that answers it.
#[must_use]
pub fn hits(corpus: &Corpus) -> Vec<(String, usize)> {
    let mut dice = Dice::new(99);
    let mut urls: Vec<(String, usize)> =
        corpus.routes.iter().enumerate().map(|(index, route)| (url(route, &mut dice), index)).collect();
    for at in (1..urls.len()).rev() {
        urls.swap(at, dice.roll(at + 1));
    }
    urls
}

/// URLs that no route answers: early, at their first segment, or late, at their last.
#[must_use]
pub fn misses(corpus: &Corpus, is_early: bool) -> Vec<String> {
    let change = |(url, index): (String, usize)| {
        if is_early {
            return Some(format!("/zzz{url}"));
        }
        let is_open = matches!(corpus.routes[index].last(), Some(Segment::Param(_, Kind::Tail | Kind::Optional)));
        (!is_open).then(|| format!("{url}/zzz"))
    };
    hits(corpus).into_iter().filter_map(change).collect()
}

/// The exact-path map: every URL as a key.
pub type Exact = HashMap<String, u32, FixedState>;

/// An exact-path map of these URLs.
#[must_use]
pub fn exact(urls: &[(String, usize)]) -> Exact {
    urls.iter().map(|(url, index)| (url.clone(), u32::try_from(*index).unwrap_or(u32::MAX))).collect()
}

/// One set of all routes to find the route, and one expression for each to capture its values.
#[derive(Debug)]
pub struct Expressions {
    set: RegexSet,
    each: Vec<Regex>,
    /// How many of the leading segments are literal; the set gives all that match, and the narrowest counts.
    order: Vec<Vec<bool>>,
}

impl Expressions {
    /// The expressions of a table.
    ///
    /// # Panics
    /// If an expression is wrong or too large, which none is.
    #[must_use]
    pub fn new(corpus: &Corpus) -> Self {
        let mut texts = Vec::new();
        for route in &corpus.routes {
            let mut text = String::from("^");
            for segment in route {
                let _ = match segment {
                    Segment::Literal(literal) => write!(text, "/{}", regex::escape(literal)),
                    Segment::Param(_, Kind::Any) => write!(text, "/([^/]+)"),
                    Segment::Param(_, Kind::Optional) => write!(text, "(?:/([^/]+))?"),
                    Segment::Param(_, Kind::Integer) => write!(text, "/(0|-?[1-9][0-9]*)"),
                    Segment::Param(_, Kind::Date) => write!(text, "/([0-9]{{4}}-[0-9]{{2}}-[0-9]{{2}})"),
                    Segment::Param(_, Kind::Tail) => write!(text, "/(.+)"),
                };
            }
            text.push('$');
            texts.push(text);
        }
        let is_literal = |segment: &Segment| matches!(segment, Segment::Literal(_));
        Self {
            set: regex::RegexSetBuilder::new(&texts)
                .size_limit(1 << 30)
                .dfa_size_limit(1 << 28)
                .build()
                .expect("a set"),
            each: texts.iter().map(|text| Regex::new(text).expect("an expression")).collect(),
            order: corpus.routes.iter().map(|route| route.iter().map(is_literal).collect()).collect(),
        }
    }

    /// The narrowest route that answers.
    #[must_use]
    pub fn find<'u>(&self, path: &'u str) -> Option<(usize, Captured<'u>)> {
        let index = self.set.matches(path).into_iter().max_by_key(|&index| &self.order[index])?;
        let found = self.each[index].captures(path)?;
        let mut values = Captured { values: [""; 8], count: 0 };
        for value in found.iter().skip(1).flatten() {
            values.values[values.count] = value.as_str();
            values.count += 1;
        }
        Some((index, values))
    }
}

/// Reads all parameters of a match, as a page would.
#[must_use]
pub fn read(found: &Match<'_, '_>) -> usize {
    found.texts().map(|(_, text)| text.len()).sum()
}

/// The routes with so many parameters: their names, and the names of the parameters.
#[must_use]
pub fn links(corpus: &Corpus, count: usize) -> Vec<(String, Vec<&str>)> {
    let routes = corpus.routes.iter().enumerate();
    let named = routes.map(|(index, route)| (index.to_string(), route.iter().filter_map(param).collect::<Vec<_>>()));
    named.filter(|(_, params)| params.len() == count).collect()
}

/// The name of a segment that is a parameter.
fn param(segment: &Segment) -> Option<&str> {
    match segment {
        Segment::Param(name, _) => Some(name),
        Segment::Literal(_) => None,
    }
}
