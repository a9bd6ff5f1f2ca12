//! The yardsticks: an exact-path map, a nested `match`, and a set of expressions.

use std::fmt::Write;

use foldhash::fast::FixedState;
use hashbrown::HashMap;
use regex::{Regex, RegexSet};

use crate::tables::{Corpus, Kind, Segment};

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
