//! What a template is made of.
//!
//! A table keeps a template for every route, so that a template is one text and a note for each of its literals and variables, which
//! says where in the text it stands. Names and literals are borrowed from there.

use std::fmt;
use std::hash::{Hash, Hasher};
use std::ops::Range;
use std::str::FromStr;

use super::TemplateError;

/// A URI Template (RFC 6570): literal text and expressions in turn.
///
/// # Example
/// ```
/// use vivid_lane::template::{Operator, Part, Template};
///
/// let template = Template::parse("/nights/{date}")?;
/// let parts: Vec<Part> = template.parts().collect();
/// let [Part::Literal("/nights/"), Part::Expression(date)] = parts[..] else { unreachable!() };
/// assert_eq!(date.operator(), Operator::Simple);
/// assert_eq!(date.variables().map(|variable| variable.name()).collect::<Vec<_>>(), ["date"]);
/// # Ok::<(), vivid_lane::template::TemplateError>(())
/// ```
#[derive(Debug, Clone)]
pub struct Template {
    text: Box<str>,
    pieces: Box<[Piece]>,
}

/// A literal, or a variable of an expression, and which bytes of the template it is: where it starts, where it ends, and what it is, in
/// one word, as a large table has hundreds of thousands.
#[derive(Debug, Clone, Copy)]
pub(super) struct Piece(u64);

/// The most bytes that a template may have.
pub(super) const LONGEST: usize = 1 << 20;
/// How many bits a place in a template takes.
const PLACE: u32 = 21;
/// The code of a literal; those of variables are below.
const LITERAL: u64 = 1 << 5;
const OPERATORS: [Operator; 8] = [
    Operator::Simple,
    Operator::Reserved,
    Operator::Fragment,
    Operator::Label,
    Operator::Segment,
    Operator::PathStyle,
    Operator::Query,
    Operator::Continuation,
];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum PieceKind {
    Literal,
    Variable {
        operator: Operator,
        explode: bool,
        /// Whether it is the first of its expression.
        is_first: bool,
    },
}

/// A piece of a template.
#[derive(Debug, Clone, Copy)]
pub enum Part<'t> {
    /// Literal text, as it was written.
    Literal(&'t str),
    /// An expression in braces.
    Expression(Expression<'t>),
}

/// An expression: an operator and variables, in braces.
#[derive(Debug, Clone, Copy)]
pub struct Expression<'t> {
    text: &'t str,
    operator: Operator,
    pieces: &'t [Piece],
}

/// A variable of an expression.
#[derive(Debug, Clone, Copy)]
pub struct Variable<'t> {
    text: &'t str,
    piece: Piece,
}

/// The operator of an expression: its first character (RFC 6570, section 2.2).
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

    pub(super) const fn from_symbol(symbol: char) -> Option<Self> {
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

impl Piece {
    /// A piece between two places of a template, which is not longer than may be.
    pub(super) fn new(start: usize, end: usize, kind: PieceKind) -> Self {
        const { assert!(LONGEST < 1 << PLACE) };
        let kind = match kind {
            PieceKind::Literal => LITERAL,
            PieceKind::Variable { operator, explode, is_first } => {
                operator as u64 | u64::from(explode) << 3 | u64::from(is_first) << 4
            }
        };
        Self(start as u64 | (end as u64) << PLACE | kind << (2 * PLACE))
    }

    #[inline]
    fn range(self) -> Range<usize> {
        let place = |shift: u32| (self.0 >> shift) as usize & ((1 << PLACE) - 1);
        place(0)..place(PLACE)
    }

    #[inline]
    fn is_literal(self) -> bool {
        self.0 >> (2 * PLACE) == LITERAL
    }

    fn kind(self) -> PieceKind {
        if self.is_literal() {
            return PieceKind::Literal;
        }
        let code = self.0 >> (2 * PLACE);
        PieceKind::Variable { operator: OPERATORS[code as usize & 7], explode: code & 8 != 0, is_first: code & 16 != 0 }
    }

    /// Whether it goes on with the expression of the piece before it.
    fn goes_on(self) -> bool {
        matches!(self.kind(), PieceKind::Variable { is_first: false, .. })
    }
}

impl Template {
    pub(super) fn new(text: &str, pieces: &[Piece]) -> Self {
        Self { text: text.into(), pieces: pieces.into() }
    }

    /// The text of the template.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// Literals and expressions in order.
    pub fn parts(&self) -> impl Iterator<Item = Part<'_>> + Clone {
        Parts { text: &self.text, pieces: &self.pieces }
    }

    /// All variables of all expressions in order.
    pub fn variables(&self) -> impl Iterator<Item = Variable<'_>> + Clone {
        let variables = self.pieces.iter().filter(|piece| !piece.is_literal());
        variables.map(|&piece| Variable { text: &self.text, piece })
    }

    /// Literals as they are written, and `None` for each variable.
    #[inline]
    pub(crate) fn texts(&self) -> impl Iterator<Item = Option<&str>> {
        self.pieces.iter().map(|piece| piece.is_literal().then(|| self.text.get(piece.range()).unwrap_or_default()))
    }
}

impl PartialEq for Template {
    /// Whether the same is written.
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl Eq for Template {}

impl Hash for Template {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.text.hash(state);
    }
}

#[derive(Clone)]
struct Parts<'t> {
    text: &'t str,
    pieces: &'t [Piece],
}

impl<'t> Iterator for Parts<'t> {
    type Item = Part<'t>;

    #[inline]
    fn next(&mut self) -> Option<Part<'t>> {
        let (first, rest) = self.pieces.split_first()?;
        let PieceKind::Variable { operator, .. } = first.kind() else {
            self.pieces = rest;
            return Some(Part::Literal(&self.text[first.range()]));
        };
        let more = rest.iter().take_while(|piece| piece.goes_on()).count();
        let (pieces, rest) = self.pieces.split_at(1 + more);
        self.pieces = rest;
        Some(Part::Expression(Expression { text: self.text, operator, pieces }))
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

impl<'t> Expression<'t> {
    /// The operator.
    #[must_use]
    pub fn operator(&self) -> Operator {
        self.operator
    }

    /// The variables, at least one.
    #[must_use]
    pub fn variables(&self) -> impl DoubleEndedIterator<Item = Variable<'t>> + ExactSizeIterator + Clone + use<'t> {
        let text = self.text;
        self.pieces.iter().map(move |&piece| Variable { text, piece })
    }

    /// The variable, if the expression has only one.
    #[must_use]
    pub fn sole_variable(&self) -> Option<Variable<'t>> {
        if let [piece] = *self.pieces { Some(Variable { text: self.text, piece }) } else { None }
    }

    /// The byte range in the template, braces included.
    #[must_use]
    pub fn place(&self) -> Range<usize> {
        let start = self.pieces.first().map_or(0, |piece| piece.range().start);
        let last = self.pieces.last().map_or(0, |piece| piece.range().end);
        let star = self.variables().next_back().is_some_and(|variable| variable.is_exploded());
        start - 1 - self.operator.symbol().len()..last + usize::from(star) + 1
    }
}

impl<'t> Variable<'t> {
    /// The name of the variable.
    #[must_use]
    pub fn name(&self) -> &'t str {
        &self.text[self.place()]
    }

    /// Whether the variable has a star, so that each item of a list is written separately.
    #[must_use]
    pub fn is_exploded(&self) -> bool {
        matches!(self.piece.kind(), PieceKind::Variable { explode: true, .. })
    }

    /// The byte range of the name in the template.
    #[must_use]
    pub fn place(&self) -> Range<usize> {
        self.piece.range()
    }
}
