//! Text → template (RFC 6570, section 2).

use std::fmt;
use std::ops::Range;
use std::str::FromStr;

use smallvec::SmallVec;
use smol_str::SmolStr;

use super::TemplateError;
use super::percent::triplet;

/// A URI Template: literal text and expressions in turn.
///
/// # Example
/// ```
/// use vivid_lane::template::{Operator, Part, Template};
///
/// let template = Template::parse("/nights/{date}")?;
/// assert_eq!(template.parts().len(), 2);
/// let Part::Expression(date) = &template.parts()[1] else { unreachable!() };
/// assert_eq!(date.operator(), Operator::Simple);
/// assert_eq!(date.variables()[0].name(), "date");
/// # Ok::<(), vivid_lane::template::TemplateError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Template {
    text: String,
    parts: Vec<Part>,
}

/// A piece of a template.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Part {
    /// Text that stands for itself, as it was written.
    Literal(String),
    /// Something in braces.
    Expression(Expression),
}

/// Some bytes of a template, told in few: a table keeps one for each variable of each route. Only errors ask for them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
struct Place {
    start: u32,
    end: u32,
}

impl Place {
    fn new(start: usize, end: usize) -> Self {
        let narrow = |at: usize| u32::try_from(at).unwrap_or(u32::MAX);
        Self { start: narrow(start), end: narrow(end) }
    }

    fn range(self) -> Range<usize> {
        self.start as usize..self.end as usize
    }
}

/// Something in braces: an operator and the variables that it joins.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Expression {
    operator: Operator,
    variables: SmallVec<[Variable; 1]>,
    place: Place,
}

/// A variable of an expression.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Variable {
    name: SmolStr,
    explode: bool,
    place: Place,
}

/// What the first character in the braces says (RFC 6570, section 2.2).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Operator {
    /// `{a}`: one value, everything but unreserved characters escaped.
    Simple,
    /// `{+a}`: one value, reserved characters kept.
    Reserved,
    /// `{#a}`: a fragment.
    Fragment,
    /// `{.a}`: labels after dots.
    Label,
    /// `{/a}`: segments after slashes.
    Segment,
    /// `{;a}`: path-style parameters after semicolons.
    PathStyle,
    /// `{?a}`: a query.
    Query,
    /// `{&a}`: a query that goes on.
    Continuation,
}

impl Operator {
    pub(super) const fn symbol(self) -> &'static str {
        match self {
            Self::Simple => "",
            Self::Reserved => "+",
            Self::Fragment => "#",
            Self::Label => ".",
            Self::Segment => "/",
            Self::PathStyle => ";",
            Self::Query => "?",
            Self::Continuation => "&",
        }
    }

    const fn from_symbol(symbol: char) -> Option<Self> {
        Some(match symbol {
            '+' => Self::Reserved,
            '#' => Self::Fragment,
            '.' => Self::Label,
            '/' => Self::Segment,
            ';' => Self::PathStyle,
            '?' => Self::Query,
            '&' => Self::Continuation,
            _ => return None,
        })
    }
}

impl Template {
    /// Reads a template.
    ///
    /// # Errors
    /// A brace without its partner, empty braces, a character that RFC 6570 does not allow where it stands,
    /// the prefix modifier, or an operator that the RFC reserves. The error says at which byte.
    pub fn parse(text: &str) -> Result<Self, TemplateError> {
        // Before each brace, and after the last, there may be text.
        let mut parts = Vec::with_capacity(2 * text.matches('{').count() + 1);
        let mut at = 0;
        while at < text.len() {
            let (part, end) = if text[at..].starts_with('{') { expression(text, at)? } else { literal(text, at)? };
            parts.push(part);
            at = end;
        }
        // Templates are kept for as long as their table.
        parts.shrink_to_fit();
        Ok(Self { text: text.to_owned(), parts })
    }

    /// The template as it was written.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// Literals and expressions in their order.
    #[must_use]
    pub fn parts(&self) -> &[Part] {
        &self.parts
    }

    /// All variables of all expressions in their order.
    pub fn variables(&self) -> impl Iterator<Item = &Variable> {
        self.parts
            .iter()
            .filter_map(|part| match part {
                Part::Literal(_) => None,
                Part::Expression(expression) => Some(expression.variables()),
            })
            .flatten()
    }
}

impl FromStr for Template {
    type Err = TemplateError;

    fn from_str(text: &str) -> Result<Self, TemplateError> {
        Self::parse(text)
    }
}

impl fmt::Display for Template {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl Expression {
    /// The operator.
    #[must_use]
    pub fn operator(&self) -> Operator {
        self.operator
    }

    /// The variables, at least one.
    #[must_use]
    pub fn variables(&self) -> &[Variable] {
        &self.variables
    }

    /// The bytes of the template, braces included.
    #[must_use]
    pub fn place(&self) -> Range<usize> {
        self.place.range()
    }
}

impl Expression {
    /// How many bytes it takes on the heap.
    pub(crate) fn heap(&self) -> usize {
        let names = self.variables.iter().filter(|variable| variable.name.is_heap_allocated());
        let places = if self.variables.spilled() { size_of_val(self.variables()) } else { 0 };
        places + names.map(|variable| variable.name.len()).sum::<usize>()
    }
}

impl Variable {
    /// The name under which a value is looked up.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Is it written with a star, so that the items of a list stand each for themselves?
    #[must_use]
    pub fn is_exploded(&self) -> bool {
        self.explode
    }

    /// The bytes of the template that hold the name.
    #[must_use]
    pub fn place(&self) -> Range<usize> {
        self.place.range()
    }
}

/// Literal text from `start` up to the next opening brace (section 2.1).
fn literal(text: &str, start: usize) -> Result<(Part, usize), TemplateError> {
    let rest = &text[start..];
    let end = start + rest.find('{').unwrap_or(rest.len());
    for (offset, found) in text[start..end].char_indices() {
        let at = start + offset;
        match found {
            '}' => return Err(TemplateError::unopened(text, at)),
            '%' if triplet(&text.as_bytes()[at + 1..end]).is_none() => return Err(TemplateError::escape(text, at)),
            ' ' | '"' | '<' | '>' | '\\' | '^' | '`' | '|' => return Err(TemplateError::literal(text, at, found)),
            _ if found.is_control() => return Err(TemplateError::literal(text, at, found)),
            _ => {}
        }
    }
    Ok((Part::Literal(text[start..end].to_owned()), end))
}

/// The expression whose brace opens at `start` (section 2.2).
fn expression(text: &str, start: usize) -> Result<(Part, usize), TemplateError> {
    let inside = &text[start + 1..];
    let close = inside.find(['}', '{']).filter(|&close| inside.as_bytes()[close] == b'}');
    let Some(length) = close else { return Err(TemplateError::unclosed(text, start)) };
    let end = start + 1 + length;
    let mut at = start + 1;
    let Some(first) = text[at..end].chars().next() else { return Err(TemplateError::empty(text, start)) };
    let operator = match Operator::from_symbol(first) {
        Some(operator) => {
            at += 1;
            operator
        }
        None if matches!(first, '=' | ',' | '!' | '@' | '|') => return Err(TemplateError::reserved(text, at, first)),
        None => Operator::Simple,
    };
    let mut variables = SmallVec::new();
    loop {
        let stop = text[at..end].find(',').map_or(end, |comma| at + comma);
        variables.push(variable(text, at, stop)?);
        if stop == end {
            break;
        }
        at = stop + 1;
    }
    Ok((Part::Expression(Expression { operator, variables, place: Place::new(start, end + 1) }), end + 1))
}

/// One variable between `start` and `end` (sections 2.3 and 2.4).
fn variable(text: &str, start: usize, end: usize) -> Result<Variable, TemplateError> {
    let mut stop = end;
    let mut after_dot = true;
    let mut characters = text[start..end].char_indices();
    while let Some((offset, found)) = characters.next() {
        let at = start + offset;
        match found {
            '*' | ':' if after_dot => return Err(TemplateError::name(text, at, Some(found))),
            '*' if at + 1 == end => stop = at,
            ':' if text[at + 1..end].bytes().all(|byte| byte.is_ascii_digit()) => {
                return Err(TemplateError::prefix(text, at, &text[start..at]));
            }
            '.' if !after_dot => after_dot = true,
            '%' if triplet(&text.as_bytes()[at + 1..end]).is_some() => {
                characters.next();
                characters.next();
                after_dot = false;
            }
            '_' => after_dot = false,
            _ if found.is_ascii_alphanumeric() => after_dot = false,
            _ => return Err(TemplateError::name(text, at, Some(found))),
        }
    }
    if after_dot {
        return Err(TemplateError::name(text, stop.min(text.len() - 1), None));
    }
    Ok(Variable { name: text[start..stop].into(), explode: stop < end, place: Place::new(start, stop) })
}
