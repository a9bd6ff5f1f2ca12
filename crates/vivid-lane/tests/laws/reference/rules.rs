//! Rules as plain code, and the pool of values by which they are compared.

use std::sync::LazyLock;

use proptest::prelude::*;
use vivid_lane::Rule as Declared;

/// A rule, as the reference knows it.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Rule {
    Any,
    Integer {
        least: Option<i64>,
        most: Option<i64>,
    },
    Even,
    Number,
    Digits,
    Date,
    Slug,
    Alpha,
    Boolean,
    /// A format that is only used for whole segments, where the pool tells it apart.
    Rare(&'static str),
    OneOf(Vec<&'static str>),
    /// `^[a-c]+$`
    Letters,
    /// `x`, anywhere.
    HasX,
    Length {
        least: usize,
        most: usize,
    },
}

/// Values that tell all these rules apart.
const BASE: &[&str] = &[
    "a",
    "b",
    "c",
    "ab",
    "abc",
    "aabbcc",
    "x",
    "xx",
    "axe",
    "x-y",
    "0031-04-02T21:04:05Z",
    "0031-04-02",
    "-100",
    "-12.25",
    "x12345",
    "Abcdefgh",
    "a-b",
    "a-b-c",
    "ring-nebula",
    "-a",
    "A",
    "Ab",
    "aX",
    "0",
    "1",
    "2",
    "3",
    "4",
    "7",
    "8",
    "9",
    "10",
    "11",
    "42",
    "99",
    "100",
    "101",
    "-1",
    "-2",
    "-7",
    "007",
    "00",
    "012",
    "0123",
    "1.5",
    "0.5",
    "-0.5",
    "1.50",
    "2.0",
    "-0",
    "2031-04-02",
    "2032-02-29",
    "2031-02-30",
    "true",
    "false",
    "tonight",
    "objects",
    "next",
    "v",
    "é",
    "été",
    "日本",
    "a b",
    "a/b",
    "%",
    "a%2Fb",
    "?",
    "#",
    "~",
    "ABCDEFGHIJ",
    "abcabcabc",
    "aaaa",
    "xxxx",
    "1234",
    "12345",
    ".csv",
    "ff",
    "1f",
    "FF",
    "a1B2",
    "192.0.2.1",
    "256.1.1.1",
    "::1",
    "::",
    "2001:db8::1",
    "f81d4fae-7dec-11d0-a765-00a0c91e6bf6",
    "F81D4FAE-7dec-11d0-a765-00a0c91e6bf6",
    "f81d4fae-7dec-11d0-a765-00A0C91E6BF6",
    "21:30:00Z",
    "23:59:60+02:00",
    "24:00:00Z",
    "2031-04-02T21:30:00Z",
    "2031-02-30T21:30:00Z",
    "ada@larkfell.example",
    "x@y",
    "a@b",
    "@x",
];

/// Values that tell rules apart where two of them share a segment.
const SHORT: &[&str] = &[
    "a",
    "b",
    "x",
    "A",
    "aX",
    "1",
    "2",
    "42",
    "100",
    "-1",
    "007",
    "1.5",
    "true",
    "2031-04-02",
    "tonight",
    "next",
    "é",
    "ab",
    "abc",
    "12345",
    "1000",
    "xxxx",
    "Xx",
    "-2",
    "x1",
];

/// The values, alone and in each form of segment that the generated routes have.
pub(crate) static POOL: LazyLock<Vec<&'static str>> = LazyLock::new(|| {
    let alone = BASE.iter().map(|value| (*value).to_owned());
    let before = BASE.iter().map(|value| format!("v{value}"));
    let after = BASE.iter().map(|value| format!("{value}.csv"));
    let suffixes =
        [".", ";s="].into_iter().flat_map(|between| BASE.iter().map(move |value| format!("a{between}{value}")));
    // A list of two and one of three for each value, some of two values, and no list: one with an empty item.
    let twice = BASE.iter().map(|one| format!("{one}\u{1}{one}"));
    let thrice = SHORT.iter().map(|one| format!("{one}\u{1}{one}\u{1}{one}"));
    let few = ["a", "1", "x", "tonight", "1.5", "a,b"].into_iter();
    let of_two = few.clone().flat_map(|one| few.clone().map(move |two| format!("{one}\u{1}{two}")));
    let empty = SHORT.iter().flat_map(|one| [format!("{one}\u{1}"), format!("\u{1}{one}")]);
    let lists = twice.chain(thrice).chain(of_two).chain(empty).flat_map(|list| [format!("v{list}"), list]);
    let parted = ["-", ".", ";s="].into_iter();
    let pairs = parted.flat_map(|between| SHORT.iter().map(move |left| (left, between)));
    let pairs = pairs.flat_map(|(left, between)| SHORT.iter().map(move |right| format!("{left}{between}{right}")));
    // They live as long as the test run.
    alone.chain(before).chain(after).chain(suffixes).chain(pairs).chain(lists).map(|value| &*value.leak()).collect()
});

impl Rule {
    pub(crate) fn accepts(&self, value: &str) -> bool {
        let all = |test: fn(char) -> bool| value.chars().all(test);
        let integer = || value.parse::<i64>().ok().filter(|number| number.to_string() == value);
        !value.is_empty()
            && !value.chars().any(|c| c.is_ascii_control())
            && match self {
                Self::Any => true,
                Self::Integer { least, most } => integer().is_some_and(|number| {
                    least.is_none_or(|least| number >= least) && most.is_none_or(|most| number <= most)
                }),
                Self::Even => integer().is_some_and(|number| number % 2 == 0),
                Self::Number => {
                    let digits = value.strip_prefix('-').unwrap_or(value);
                    let (whole, fraction) = digits.split_once('.').unwrap_or((digits, "5"));
                    let is_digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
                    is_digits(whole)
                        && is_digits(fraction)
                        && !fraction.ends_with('0')
                        && (whole == "0" || !whole.starts_with('0'))
                        && value != "-0"
                }
                Self::Digits => all(|c| c.is_ascii_digit()),
                Self::Date => is_date(value),
                Self::Slug => value
                    .split('-')
                    .all(|word| !word.is_empty() && word.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit())),
                Self::Alpha => all(|c| c.is_ascii_alphabetic()),
                Self::Boolean => matches!(value, "true" | "false"),
                Self::Rare(format) => is_rare(format, value),
                Self::OneOf(values) => values.contains(&value),
                Self::Letters => all(|c| matches!(c, 'a'..='c')),
                Self::HasX => value.contains('x'),
                Self::Length { least, most } => (*least..=*most).contains(&value.chars().count()),
            }
    }

    /// The rule as a table declares it.
    pub(crate) fn declared(&self) -> Declared {
        match self {
            Self::Any => Declared::new(),
            Self::Integer { least, most } => {
                let rule = least.iter().fold(Declared::integer(), |rule, least| rule.minimum(*least));
                most.iter().fold(rule, |rule, most| rule.maximum(*most))
            }
            Self::Even => Declared::integer().multiple_of(2),
            Self::Number => Declared::number(),
            Self::Digits => Declared::format("digits"),
            Self::Date => Declared::format("date"),
            Self::Slug => Declared::format("slug"),
            Self::Alpha => Declared::format("alpha"),
            Self::Boolean => Declared::format("boolean"),
            Self::Rare(format) => Declared::format(*format),
            Self::OneOf(values) => Declared::one_of(values.iter().copied()),
            Self::Letters => Declared::pattern("^[a-c]+$"),
            Self::HasX => Declared::pattern("x"),
            Self::Length { least, most } => Declared::new().min_length(*least as i64).max_length(*most as i64),
        }
    }
}

fn is_rare(format: &str, value: &str) -> bool {
    let all = |text: &str, test: fn(&char) -> bool| !text.is_empty() && text.chars().all(|c| test(&c));
    match format {
        "hex" => all(value, char::is_ascii_hexdigit),
        "alnum" => all(value, char::is_ascii_alphanumeric),
        "ipv4" => value.parse::<std::net::Ipv4Addr>().is_ok(),
        "ipv6" => value.parse::<std::net::Ipv6Addr>().is_ok(),
        "uuid" => {
            let groups: Vec<usize> = value.split('-').map(str::len).collect();
            groups == [8, 4, 4, 4, 12] && all(&value.replace('-', ""), char::is_ascii_hexdigit)
        }
        "time" => is_time(value),
        "date-time" => value.split_once('T').is_some_and(|(date, time)| is_date(date) && is_time(time)),
        "email" => value.split_once('@').is_some_and(|(name, host)| {
            let is_label = |label: &str| {
                all(label, |c| c.is_ascii_alphanumeric() || *c == '-')
                    && !label.starts_with('-')
                    && !label.ends_with('-')
            };
            all(name, |c| c.is_ascii_alphanumeric() || ".!#$%&'*+/=?^_`{|}~-".contains(*c))
                && host.split('.').all(is_label)
        }),
        other => panic!("the reference does not know `{other}`"),
    }
}

/// `hh:mm:ss`, a fraction or none, then a `Z` or an offset (RFC 3339, section 5.6).
fn is_time(value: &str) -> bool {
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let numbers = |text: &str| -> Option<Vec<u32>> {
        let parts = text.split(':').map(|part| (part.len() == 2 && digits(part)).then(|| part.parse().ok()).flatten());
        parts.collect()
    };
    let (time, zone_fits) = match (value.strip_suffix('Z'), value.rfind(['+', '-'])) {
        (Some(time), _) => (time, true),
        (None, Some(at)) => (&value[..at], matches!(numbers(&value[at + 1..]).as_deref(), Some([0..24, 0..60]))),
        (None, None) => return false,
    };
    let (clock, fraction) = time.split_once('.').unwrap_or((time, "0"));
    zone_fits && digits(fraction) && matches!(numbers(clock).as_deref(), Some([0..24, 0..60, 0..61]))
}

fn is_date(value: &str) -> bool {
    let parts: Vec<&str> = value.split('-').collect();
    let [year, month, day] = parts.as_slice() else { return false };
    let number = |text: &str, width: usize| {
        (text.len() == width && text.bytes().all(|b| b.is_ascii_digit())).then(|| text.parse::<u32>().ok()).flatten()
    };
    let (Some(year), Some(month), Some(day)) = (number(year, 4), number(month, 2), number(day, 2)) else {
        return false;
    };
    let leap = (year % 4 == 0 && year % 100 != 0) || year % 400 == 0;
    let days = [31, if leap { 29 } else { 28 }, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
    (1..=12).contains(&month) && (1..=days[month as usize - 1]).contains(&day)
}

/// A rule for a value that is a segment by itself.
pub(crate) fn rule_alone() -> impl Strategy<Value = Rule> {
    let rare = vec!["hex", "alnum", "ipv4", "ipv6", "uuid", "time", "date-time", "email"];
    prop_oneof![5 => rule(), 1 => prop::sample::select(rare).prop_map(Rule::Rare)]
}

pub(crate) fn rule() -> impl Strategy<Value = Rule> {
    prop_oneof![
        4 => Just(Rule::Any),
        2 => (prop::option::of(prop::sample::select(vec![0i64, 1, 8])), prop::option::of(prop::sample::select(vec![9i64, 100])))
            .prop_map(|(least, most)| Rule::Integer { least, most }),
        1 => Just(Rule::Even),
        1 => Just(Rule::Number),
        1 => Just(Rule::Digits),
        2 => Just(Rule::Date),
        2 => Just(Rule::Slug),
        1 => Just(Rule::Alpha),
        1 => Just(Rule::Boolean),
        2 => prop::sample::subsequence(vec!["a", "b", "tonight", "next", "1", "42"], 1..4).prop_map(Rule::OneOf),
        1 => Just(Rule::Letters),
        1 => Just(Rule::HasX),
        1 => prop::sample::select(vec![(1, 2), (2, 4), (1, 3)]).prop_map(|(least, most)| Rule::Length { least, most }),
    ]
}
