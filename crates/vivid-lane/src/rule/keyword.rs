//! The keywords of a rule (JSON Schema 2020-12, validation vocabulary).
//!
//! A keyword says two things: which values it accepts, as a set, and why it refuses one, in words. The set
//! is what a table is proven with; the words are for people. A test holds the one against the other.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

use super::classes::Classes;
use super::dfa::{Dfa, MOST_STATES, TooLarge};
use super::format::{BUILT_IN, BuiltIn};
use super::number::{Decimal, LARGEST_STEP, Step, bounded, multiples};
use super::{Automaton, Shape, Test, pattern};
use crate::declare::{Data, Format, expected_one_of};

/// A keyword with its value, read.
pub(super) trait Keyword: fmt::Debug + Send + Sync {
    /// The values that are accepted; `None` for all.
    fn set(&self) -> Result<Option<Arc<Dfa>>, TooLarge>;
    /// Why a value is refused.
    fn refusal(&self, value: &str) -> Option<String>;
    /// The keyword as data; `None` where it accepts every value.
    fn test(&self) -> Option<Test>;
    /// In a few words, for the tree; empty where another keyword says it already.
    fn label(&self) -> String;
}

/// What a keyword means to a rule.
pub(super) enum Part {
    Keyword(Box<dyn Keyword>),
    /// The values are those of an `enum` or a `const`.
    Choice(Box<dyn Keyword>),
    /// The values are numbers, which a bound implies.
    Number(Box<dyn Keyword>),
    Judge(Format),
    OfMany(OfMany),
    Default(Data),
    Listed(String),
}

/// What a keyword says of a list, or of names and values.
pub(super) enum OfMany {
    Type(Shape),
    Items(Data),
    Names(Data),
    Values(Data),
    Least(Shape, u16),
    Most(Shape, u16),
    Unique(bool),
}

impl OfMany {
    /// What form of value it speaks of.
    pub(super) fn shape(&self) -> Shape {
        match self {
            Self::Type(shape) | Self::Least(shape, _) | Self::Most(shape, _) => *shape,
            Self::Items(_) | Self::Unique(_) => Shape::List,
            Self::Names(_) | Self::Values(_) => Shape::Pairs,
        }
    }
}

/// Whether the keyword is about lists, or about names and values.
pub(super) fn is_of_many(word: &str) -> bool {
    matches!(
        word,
        "items"
            | "minItems"
            | "maxItems"
            | "uniqueItems"
            | "propertyNames"
            | "additionalProperties"
            | "minProperties"
            | "maxProperties"
    )
}

type Read = fn(&Data, &[Format]) -> Result<Part, String>;

/// One row a keyword.
static KEYWORDS: &[(&str, Read)] = &[
    ("type", read_type),
    ("enum", read_enum),
    ("const", read_const),
    ("pattern", read_pattern),
    ("format", read_format),
    ("minimum", |value, _| bound(value, "≥", "below the minimum", &[Ordering::Equal, Ordering::Greater])),
    ("maximum", |value, _| bound(value, "≤", "above the maximum", &[Ordering::Equal, Ordering::Less])),
    ("exclusiveMinimum", |value, _| bound(value, ">", "not above", &[Ordering::Greater])),
    ("exclusiveMaximum", |value, _| bound(value, "<", "not below", &[Ordering::Less])),
    ("multipleOf", read_multiple),
    ("minLength", |value, _| Ok(Part::Keyword(Box::new(Length { count: whole(value)?, is_most: false })))),
    ("maxLength", |value, _| Ok(Part::Keyword(Box::new(Length { count: whole(value)?, is_most: true })))),
    ("items", |value, _| Ok(Part::OfMany(OfMany::Items(value.clone())))),
    ("minItems", |value, _| Ok(Part::OfMany(OfMany::Least(Shape::List, items(value)?)))),
    ("maxItems", |value, _| Ok(Part::OfMany(OfMany::Most(Shape::List, items(value)?)))),
    ("uniqueItems", |value, _| match value {
        Data::Bool(yes) => Ok(Part::OfMany(OfMany::Unique(*yes))),
        _ => Err("expected true or false".to_owned()),
    }),
    ("propertyNames", |value, _| Ok(Part::OfMany(OfMany::Names(value.clone())))),
    ("additionalProperties", |value, _| Ok(Part::OfMany(OfMany::Values(value.clone())))),
    ("minProperties", |value, _| Ok(Part::OfMany(OfMany::Least(Shape::Pairs, items(value)?)))),
    ("maxProperties", |value, _| Ok(Part::OfMany(OfMany::Most(Shape::Pairs, items(value)?)))),
    ("default", |value, _| Ok(Part::Default(value.clone()))),
    ("listed", |value, _| match value {
        Data::Text(list) => Ok(Part::Listed(list.clone())),
        _ => Err("expected the name of a list".to_owned()),
    }),
];

/// Where a keyword stands in the vocabulary.
pub(super) fn rank(keyword: &str) -> u32 {
    KEYWORDS.iter().zip(0..).find(|((name, _), _)| *name == keyword).map_or(u32::MAX, |(_, rank)| rank)
}

/// Reads the value of a keyword; `Err` with its reason, or with the nearest right keyword.
pub(super) fn read(keyword: &str, value: &Data, formats: &[Format]) -> Result<Part, String> {
    match KEYWORDS.iter().find(|(name, _)| *name == keyword) {
        Some((_, read)) => read(value, formats),
        None => {
            let known: Vec<&str> = KEYWORDS.iter().map(|(name, _)| *name).collect();
            Err(format!("unknown keyword `{keyword}`; {}", expected_one_of(keyword, &known)))
        }
    }
}

/// A number as canonical text.
fn decimal(value: &Data) -> Result<Decimal, String> {
    let text = match value {
        Data::Integer(number) => number.to_string(),
        Data::Float(number) => number.to_string(),
        _ => return Err("expected a number".to_owned()),
    };
    Decimal::parse(if text == "-0" { "0" } else { &text }).ok_or_else(|| "expected a number".to_owned())
}

fn whole(value: &Data) -> Result<usize, String> {
    match value {
        Data::Integer(number) => usize::try_from(*number).map_err(|_| format!("expected 0 or more, found {number}")),
        _ => Err("expected a whole number".to_owned()),
    }
}

fn items(value: &Data) -> Result<u16, String> {
    u16::try_from(whole(value)?).map_err(|_| format!("expected at most {}", u16::MAX))
}

/// The text that a value has in a URL.
fn scalar(value: &Data) -> Result<String, String> {
    value.to_url_text().ok_or_else(|| "expected text, a number, or true or false".to_owned())
}

#[derive(Debug)]
struct Choice {
    values: Vec<String>,
}

fn read_enum(value: &Data, _: &[Format]) -> Result<Part, String> {
    let Data::List(items) = value else { return Err("expected a list of values".to_owned()) };
    if items.is_empty() {
        return Err("expected at least one value, found none".to_owned());
    }
    let values = items.iter().map(scalar).collect::<Result<_, _>>()?;
    Ok(Part::Choice(Box::new(Choice { values })))
}

fn read_const(value: &Data, _: &[Format]) -> Result<Part, String> {
    Ok(Part::Choice(Box::new(Choice { values: vec![scalar(value)?] })))
}

impl Keyword for Choice {
    fn set(&self) -> Result<Option<Arc<Dfa>>, TooLarge> {
        Dfa::words(self.values.iter().map(String::as_str)).map(|set| Some(Arc::new(set)))
    }

    fn refusal(&self, value: &str) -> Option<String> {
        if self.values.iter().any(|known| known == value) {
            return None;
        }
        let shown: Vec<String> = self.values.iter().take(8).map(|known| format!("`{known}`")).collect();
        let more = if self.values.len() > 8 { format!(" or {} others", self.values.len() - 8) } else { String::new() };
        Some(format!("expected {}{}{more}", if self.values.len() == 1 { "" } else { "one of " }, shown.join(", ")))
    }

    fn test(&self) -> Option<Test> {
        Some(Test::OneOf(self.values.clone()))
    }

    fn label(&self) -> String {
        let shown = self.values.iter().take(6).map(String::as_str).collect::<Vec<_>>().join(" | ");
        if self.values.len() > 6 { format!("{shown} | …") } else { shown }
    }
}

#[derive(Debug)]
struct Pattern {
    text: String,
    set: Arc<Dfa>,
}

fn read_pattern(value: &Data, _: &[Format]) -> Result<Part, String> {
    let Data::Text(text) = value else { return Err("expected a regular expression".to_owned()) };
    let set = Arc::new(pattern::search(text)?);
    Ok(Part::Keyword(Box::new(Pattern { text: text.clone(), set })))
}

impl Keyword for Pattern {
    fn set(&self) -> Result<Option<Arc<Dfa>>, TooLarge> {
        Ok(Some(Arc::clone(&self.set)))
    }

    fn refusal(&self, value: &str) -> Option<String> {
        (!self.set.contains(value.as_bytes())).then(|| format!("does not fit the pattern `{}`", self.text))
    }

    fn test(&self) -> Option<Test> {
        Some(Test::Pattern { pattern: self.text.clone(), automaton: Automaton::new(Arc::clone(&self.set)) })
    }

    fn label(&self) -> String {
        format!("/{}/", self.text)
    }
}

/// A format or a type: the same thing for values that are all text.
#[derive(Debug)]
struct Formatted {
    formats: Vec<&'static BuiltIn>,
}

fn read_type(value: &Data, _: &[Format]) -> Result<Part, String> {
    const TYPES: &[&str] = &["string", "integer", "number", "boolean", "array", "object"];
    match value.as_text() {
        Some("array") => return Ok(Part::OfMany(OfMany::Type(Shape::List))),
        Some("object") => return Ok(Part::OfMany(OfMany::Type(Shape::Pairs))),
        _ => {}
    }
    let one = |value: &Data| match value {
        Data::Text(name) if name == "string" => Ok(None),
        Data::Text(name) if matches!(name.as_str(), "array" | "object") => {
            Err(format!("a value that may be `{name}` or something else cannot be told apart in a URL; name one type"))
        }
        Data::Text(name) if TYPES.contains(&name.as_str()) => Ok(BuiltIn::find(name)),
        Data::Text(name) => Err(format!("unknown type `{name}`; {}", expected_one_of(name, TYPES))),
        _ => Err("expected the name of a type".to_owned()),
    };
    let types: Vec<Option<&'static BuiltIn>> = match value {
        Data::List(names) if names.is_empty() => return Err("expected at least one type, found none".to_owned()),
        Data::List(names) => names.iter().map(one).collect::<Result<_, _>>()?,
        name => vec![one(name)?],
    };
    // Any text is a string, so `string` among the types leaves nothing to check.
    let formats = types.into_iter().collect::<Option<Vec<_>>>().unwrap_or_default();
    Ok(Part::Keyword(Box::new(Formatted { formats })))
}

fn read_format(value: &Data, formats: &[Format]) -> Result<Part, String> {
    let Data::Text(name) = value else { return Err("expected the name of a format".to_owned()) };
    if name == "string" {
        return Ok(Part::Keyword(Box::new(Formatted { formats: Vec::new() })));
    }
    if let Some(own) = formats.iter().find(|format| format.name == *name) {
        return Ok(Part::Judge(own.clone()));
    }
    match BuiltIn::find(name) {
        Some(format) => Ok(Part::Keyword(Box::new(Formatted { formats: vec![format] }))),
        None => {
            let known =
                BUILT_IN.iter().map(|format| format.name).chain(formats.iter().map(|format| format.name.as_str()));
            Err(format!("unknown format `{name}`; {}", expected_one_of(name, &known.collect::<Vec<_>>())))
        }
    }
}

impl Keyword for Formatted {
    fn set(&self) -> Result<Option<Arc<Dfa>>, TooLarge> {
        match self.formats.as_slice() {
            [] => Ok(None),
            [one] => Ok(Some(one.set())),
            several => {
                let alternatives: Vec<_> =
                    several.iter().map(|format| vec![super::sequence::Atom::Value(format.set())]).collect();
                super::sequence::sequence(&alternatives).map(|set| Some(Arc::new(set)))
            }
        }
    }

    fn refusal(&self, value: &str) -> Option<String> {
        if self.formats.is_empty() || self.formats.iter().any(|format| format.set().contains(value.as_bytes())) {
            return None;
        }
        let reasons: Vec<String> = self.formats.iter().map(|format| format.refusal(value)).collect();
        Some(reasons.join(", or "))
    }

    fn test(&self) -> Option<Test> {
        // Sets that were made when the rule was made can be made again.
        let automaton = Automaton::new(self.set().ok()??);
        let formats = self.formats.iter().map(|format| (format.name, format.expected)).collect();
        Some(Test::Formats { formats, automaton })
    }

    fn label(&self) -> String {
        self.formats.iter().map(|format| format.name).collect::<Vec<_>>().join(" or ")
    }
}

#[derive(Debug)]
struct Bound {
    limit: Decimal,
    shown: String,
    orders: &'static [Ordering],
    label: &'static str,
    refusal: &'static str,
}

fn bound(
    value: &Data,
    label: &'static str,
    refusal: &'static str,
    orders: &'static [Ordering],
) -> Result<Part, String> {
    let limit = decimal(value)?;
    Ok(Part::Number(Box::new(Bound { limit, shown: scalar(value)?, orders, label, refusal })))
}

impl Keyword for Bound {
    fn set(&self) -> Result<Option<Arc<Dfa>>, TooLarge> {
        bounded(&self.limit, self.orders).map(|set| Some(Arc::new(set)))
    }

    fn refusal(&self, value: &str) -> Option<String> {
        // What is no number at all is refused by the type.
        let number = Decimal::parse(value)?;
        (!self.orders.contains(&number.cmp(&self.limit))).then(|| format!("{} {}", self.refusal, self.shown))
    }

    fn test(&self) -> Option<Test> {
        Some(Test::Bound { sign: self.label, limit: self.shown.clone() })
    }

    fn label(&self) -> String {
        format!("{} {}", self.label, self.shown)
    }
}

#[derive(Debug)]
struct Multiple {
    step: Step,
    shown: String,
}

fn read_multiple(value: &Data, _: &[Format]) -> Result<Part, String> {
    let step = decimal(value)?;
    let step = Step::new(&step).ok_or_else(|| {
        format!(
            "expected a number above 0 with up to 6 decimal places and at most {LARGEST_STEP} units of the last of them"
        )
    })?;
    Ok(Part::Number(Box::new(Multiple { step, shown: scalar(value)? })))
}

impl Keyword for Multiple {
    fn set(&self) -> Result<Option<Arc<Dfa>>, TooLarge> {
        multiples(self.step).map(|set| Some(Arc::new(set)))
    }

    fn refusal(&self, value: &str) -> Option<String> {
        let number = Decimal::parse(value)?;
        (!number.is_multiple_of(&self.step)).then(|| format!("not a multiple of {}", self.shown))
    }

    fn test(&self) -> Option<Test> {
        Some(Test::MultipleOf(self.shown.clone()))
    }

    fn label(&self) -> String {
        format!("multiple of {}", self.shown)
    }
}

/// The number of characters.
#[derive(Debug)]
struct Length {
    count: usize,
    is_most: bool,
}

/// No URL is longer than its limit in bytes, so a larger length is no bound.
const LONGEST_VALUE: usize = 8192;

impl Keyword for Length {
    fn set(&self) -> Result<Option<Arc<Dfa>>, TooLarge> {
        if self.count >= LONGEST_VALUE && self.is_most {
            return Ok(None);
        }
        if self.count >= MOST_STATES {
            return Err(TooLarge::States);
        }
        // A character begins with a byte that is no continuation; the values are UTF-8 already.
        let begins = |byte: u8| !(0x80..=0xBF).contains(&byte);
        let step = |&read: &usize, byte: u8| {
            let read = if begins(byte) { read + 1 } else { read };
            if self.is_most { (read <= self.count).then_some(read) } else { Some(read.min(self.count)) }
        };
        let accepts = |&read: &usize| self.is_most || read == self.count;
        Dfa::explore(Classes::by(&|byte| u32::from(begins(byte))), 0, &step, &accepts).map(|set| Some(Arc::new(set)))
    }

    fn refusal(&self, value: &str) -> Option<String> {
        let found = value.chars().count();
        let (wrong, word) = if self.is_most { (found > self.count, "longer") } else { (found < self.count, "shorter") };
        let plural = if self.count == 1 { "" } else { "s" };
        wrong.then(|| format!("{word} than {} character{plural}", self.count))
    }

    fn test(&self) -> Option<Test> {
        Some(if self.is_most { Test::MaxLength(self.count) } else { Test::MinLength(self.count) })
    }

    fn label(&self) -> String {
        let sign = if self.is_most { "≤" } else { "≥" };
        format!("{sign} {} characters", self.count)
    }
}
