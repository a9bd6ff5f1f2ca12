//! A chain of templates, read backwards: the variants of its path, and its query.
//!
//! A child's path begins as its parent's and goes on from there, so that each template is read once.

use std::borrow::Cow;
use std::ops::Range;

use smallvec::SmallVec;
use smol_str::{SmolStr, format_smolstr};

use super::path_variant::Pushed;
use crate::declare::Code;
use crate::lookup::{Cover, ParamKind, PathVariant, Piece, Segment, TailKind};
use crate::rule::{Join, Separator, Shape};
use crate::template::bytes::first_of;
use crate::template::percent::{decode, decode_form};
use crate::template::{Expression, Operator, Part, Template, Variable};

/// In how many ways the optional parts of one path may be filled.
const MOST_VARIANTS: usize = 256;
/// How many parameters one route may have, its ancestors' included.
const MOST_PARAMS: usize = 256;

/// What a chain of templates says.
#[derive(Debug, Clone)]
pub(super) struct ResolvedPath {
    pub(super) params: Vec<ResolvedParam>,
    /// The ways to fill the optional parts, those that fill more from the left first.
    pub(super) variants: SmallVec<[PathVariant; 1]>,
    pub(super) query: Vec<QueryPart>,
    /// The parameters of the fragment.
    fragment: Vec<u16>,
    /// How many parts of the query come from ancestors.
    inherited: usize,
    /// The path parts of the templates, one after the other.
    path_text: String,
}

/// A parameter of a chain.
#[derive(Debug, Clone)]
pub(super) struct ResolvedParam {
    pub(super) name: SmolStr,
    pub(super) level: u16,
    pub(super) kind: ParamKind,
    pub(super) is_optional: bool,
    /// Whether it is written with a star.
    pub(super) is_exploded: bool,
    pub(super) shape: Shape,
    /// How its items stand in one text, where they do.
    pub(super) join: Option<Join>,
}

/// What form the rule in force gives the values of a name; `None` where there is no rule.
pub(super) type ShapeOf<'a> = &'a dyn Fn(&str) -> Option<Shape>;

/// A part of a query.
#[derive(Debug, Clone)]
pub(super) enum QueryPart {
    /// A pair that must be there; as it was written, and decoded.
    Literal { text: String, name: String, value: String },
    /// `name={param}`: a parameter under another name, which must be there.
    Named { name: String, param: u16 },
    /// `{?param}`, or `{?param*}` for a list
    Param(u16),
    /// `{?param*}` for pairs: all that no other name takes
    Rest(u16),
}

impl QueryPart {
    /// Whether it is in every URL of the route, so that a query has begun.
    fn is_always_there(&self) -> bool {
        matches!(self, Self::Literal { .. } | Self::Named { .. })
    }
}

/// What is wrong with a template, and at which of its bytes.
#[derive(Debug)]
pub(super) struct PathProblem {
    pub(super) place: Range<usize>,
    pub(super) code: Code,
    pub(super) message: String,
    pub(super) help: Option<Cow<'static, str>>,
}

type Result<T> = std::result::Result<T, PathProblem>;

impl Default for ResolvedPath {
    fn default() -> Self {
        Self {
            params: Vec::new(),
            variants: SmallVec::from_elem(PathVariant::default(), 1),
            query: Vec::new(),
            fragment: Vec::new(),
            inherited: 0,
            path_text: String::new(),
        }
    }
}

impl ResolvedPath {
    /// Makes it that of a route above all others again.
    pub(super) fn clear(&mut self) {
        self.params.clear();
        self.variants.truncate(1);
        match self.variants.first_mut() {
            Some(variant) => {
                variant.segments.clear();
                variant.tail = None;
                variant.covers.clear();
            }
            None => self.variants.push(PathVariant::default()),
        }
        self.query.clear();
        self.fragment.clear();
        self.inherited = 0;
        self.path_text.clear();
    }

    /// Goes on with the template of a level.
    pub(super) fn extend(&mut self, template: &Template, level: u16, shape_of: ShapeOf<'_>) -> Result<()> {
        self.path_text.reserve(template.as_str().len());
        let mut reading = TemplateReader { path: self, level, shape_of, in_query: false, pending: None };
        let mut at = 0;
        for part in template.parts() {
            match part {
                Part::Literal(text) => {
                    reading.literal(text, at)?;
                    at += text.len();
                }
                Part::Expression(expression) => {
                    reading.expression(expression, template.as_str())?;
                    at = expression.place().end;
                }
            }
        }
        reading.end(template.as_str().len())
    }

    /// The path with which the children of a route at that level begin. A page keeps its query and fragment to
    /// itself: `/nights{?page}` is a list, and the nights below it have no pages to turn. The query of a group
    /// can serve only its children, so they get it.
    pub(super) fn for_children(&self, level: u16, is_page: bool) -> Self {
        let mut path = self.clone();
        if is_page {
            path.query.truncate(self.inherited);
            // Within a template the query comes last, so the indices of what stays do not move.
            let is_own = |param: &ResolvedParam| {
                param.level == level && matches!(param.kind, ParamKind::Query | ParamKind::Pairs | ParamKind::Fragment)
            };
            path.params.retain(|param| !is_own(param));
            path.fragment.retain(|&index| usize::from(index) < path.params.len());
        }
        path.inherited = path.query.len();
        path
    }

    pub(super) fn has_fragment(&self) -> bool {
        !self.fragment.is_empty()
    }

    /// Notes a parameter of the host.
    pub(super) fn host_param(&mut self, variable: Variable<'_>, level: u16) -> Result<u16> {
        self.declare(variable, level, ParamKind::Host, false, (Shape::One, None))
    }

    fn declare(
        &mut self,
        variable: Variable<'_>,
        level: u16,
        kind: ParamKind,
        is_optional: bool,
        (shape, join): (Shape, Option<Join>),
    ) -> Result<u16> {
        let name = variable.name();
        let problem = |code, message, help| PathProblem { place: variable.place(), code, message, help };
        if let Some(known) = self.params.iter().find(|param| param.name == name) {
            let by = if known.level == level { "the route itself" } else { "an ancestor" };
            let help = Some("rename one of the two".into());
            let message = format!("the parameter `{name}` is declared twice: {by} declares it already");
            return Err(problem(Code::RepeatedParameter, message, help));
        }
        if self.params.len() == MOST_PARAMS {
            let message = format!("a route may have {MOST_PARAMS} parameters, this one has more");
            return Err(problem(Code::TooManyParameters, message, None));
        }
        let is_exploded = variable.is_exploded();
        self.params.push(ResolvedParam { name: name.into(), level, kind, is_optional, is_exploded, shape, join });
        // There are at most `MOST_PARAMS`.
        Ok(u16::try_from(self.params.len() - 1).unwrap_or(u16::MAX))
    }

    /// Whether this is the template of the whole route.
    pub(super) fn is_written_as(&self, text: &str) -> bool {
        let is_path_only = self.query.is_empty() && self.fragment.is_empty() && !self.path_text.is_empty();
        if is_path_only { self.path_text == text } else { self.template() == text }
    }

    /// The template of the whole route: path, then query, then fragment, in the order that RFC 3986 wants.
    pub(super) fn template(&self) -> String {
        let name = |param: &u16| self.params[usize::from(*param)].name.as_str();
        let starred = |param: &u16| {
            let star = if self.params[usize::from(*param)].is_exploded { "*" } else { "" };
            format!("{}{star}", name(param))
        };
        let mut text = if self.path_text.is_empty() { "/".to_owned() } else { self.path_text.clone() };
        let mut lead = '?';
        for part in &self.query {
            let pair = match part {
                QueryPart::Literal { text, .. } => text.clone(),
                QueryPart::Named { name: key, param } => format!("{key}={{{}}}", name(param)),
                QueryPart::Param(_) | QueryPart::Rest(_) => continue,
            };
            text.push(lead);
            text.push_str(&pair);
            lead = '&';
        }
        let free = self.query.iter().filter_map(|part| match part {
            QueryPart::Param(param) | QueryPart::Rest(param) => Some(starred(param)),
            _ => None,
        });
        let free: Vec<String> = free.collect();
        if !free.is_empty() {
            text.push_str(&format!("{{{lead}{}}}", free.join(",")));
        }
        if self.has_fragment() {
            text.push_str(&format!("{{#{}}}", self.fragment.iter().map(starred).collect::<Vec<_>>().join(",")));
        }
        text
    }
}

/// A template that is being read.
struct TemplateReader<'a> {
    path: &'a mut ResolvedPath,
    level: u16,
    shape_of: ShapeOf<'a>,
    in_query: bool,
    /// The name before an `=` at the end of a literal, which an expression must follow.
    pending: Option<String>,
}

impl TemplateReader<'_> {
    fn problem<T>(&self, place: Range<usize>, code: Code, message: impl Into<String>) -> Result<T> {
        Err(PathProblem { place, code, message: message.into(), help: None })
    }

    fn misplaced(&self, place: Range<usize>, message: String, help: String) -> Result<()> {
        Err(PathProblem { place, code: Code::Operator, message, help: Some(help.into()) })
    }

    fn literal(&mut self, text: &str, at: usize) -> Result<()> {
        let mark = first_of(text.as_bytes(), 0, [b'#', b'?']);
        if let Some(hash) = text[mark..].find('#').map(|hash| mark + hash) {
            let message = "a fragment is never sent to a server, so a path cannot hold one; write `{#name}` for links";
            return self.problem(at + hash..at + text.len(), Code::Fragment, message);
        }
        if self.path.has_fragment() {
            let message = "nothing can stand after a fragment, which is the end of a link";
            return self.problem(at..at + text.len(), Code::Fragment, message);
        }
        if self.in_query {
            return self.query_literal(text, at);
        }
        let (path, query) = text.split_at(mark);
        for variant in &mut self.path.variants {
            variant.push_text(path).map_err(|(code, message)| PathProblem {
                place: at..at + path.len(),
                code,
                message,
                help: None,
            })?;
        }
        self.path.path_text.push_str(path);
        if query.is_empty() {
            return Ok(());
        }
        self.in_query = true;
        self.query_literal(query, at + path.len())
    }

    /// `?a=1&b=2`, `&c=3`, or either with a last `name=` for the expression that follows.
    fn query_literal(&mut self, text: &str, at: usize) -> Result<()> {
        let Some(pairs) = text.strip_prefix(['?', '&']) else {
            return self.problem(at..at + text.len(), Code::Query, format!("expected `&` and a name, found `{text}`"));
        };
        let mut pieces = pairs.split('&').peekable();
        while let Some(piece) = pieces.next() {
            let (name, value) = piece.split_once('=').unwrap_or((piece, ""));
            let (name, value) = (decode_form(name), decode_form(value));
            if name.is_empty() {
                return self.problem(at..at + text.len(), Code::Query, "expected a name in the query, found none");
            }
            if self.path.names(&name) {
                let message = format!("`{name}` stands in the query a second time");
                return self.problem(at..at + text.len(), Code::RepeatedParameter, message);
            }
            if pieces.peek().is_none() && piece.ends_with('=') {
                self.pending = Some(name.into_owned());
            } else {
                let (name, value) = (name.into_owned(), value.into_owned());
                self.path.query.push(QueryPart::Literal { text: piece.to_owned(), name, value });
            }
        }
        Ok(())
    }

    fn expression(&mut self, expression: Expression<'_>, template: &str) -> Result<()> {
        let place = expression.place();
        let text = template.get(place.clone()).unwrap_or_default();
        let operator = expression.operator();
        if let Some(name) = self.pending.take() {
            return match expression.sole_variable() {
                Some(variable) if operator == Operator::Simple && !variable.is_exploded() => {
                    let form = self.form(variable, operator)?;
                    let param = self.path.declare(variable, self.level, ParamKind::Query, false, form)?;
                    self.path.query.push(QueryPart::Named { name, param });
                    Ok(())
                }
                Some(variable) if operator == Operator::Reserved => {
                    let message =
                        format!("`{text}` leaves `&` and `+` as they are, so that a query with it cannot be read back");
                    self.misplaced(place, message, format!("write `{{{}}}`", variable.name()))
                }
                _ => self.problem(place, Code::Query, format!("expected one value after `{name}=`, found `{text}`")),
            };
        }
        match operator {
            Operator::Query if self.in_query => {
                let message = format!("`{text}` begins a query that has begun already");
                self.misplaced(
                    place,
                    message,
                    format!(
                        "write `{{&{}}}`, or put its names into the expression before it",
                        &text[2..text.len() - 1]
                    ),
                )
            }
            Operator::Continuation if !self.path.query.iter().any(QueryPart::is_always_there) => {
                let message = format!("`{text}` continues a query, but no query that is always there comes before it");
                self.misplaced(place, message, format!("write `{{?{}}}`", &text[2..text.len() - 1]))
            }
            Operator::Query | Operator::Continuation => {
                self.in_query = true;
                self.query_expression(expression)
            }
            Operator::Fragment if self.path.has_fragment() => {
                self.problem(place, Code::Fragment, format!("expected one fragment, found a second one, `{text}`"))
            }
            Operator::Fragment => {
                for variable in expression.variables() {
                    let form = self.form(variable, operator)?;
                    let param = self.path.declare(variable, self.level, ParamKind::Fragment, true, form)?;
                    self.path.fragment.push(param);
                }
                self.in_query = true;
                Ok(())
            }
            _ if self.in_query => self.problem(
                place,
                Code::Operator,
                format!("expected `{{&…}}` after the query has begun, found `{text}`"),
            ),
            _ => {
                self.path.path_text.push_str(text);
                self.path_expression(expression)
            }
        }
    }

    fn query_expression(&mut self, expression: Expression<'_>) -> Result<()> {
        for variable in expression.variables() {
            let name = decode(variable.name()).unwrap_or_default().into_owned();
            if self.path.names(&name) {
                let message = format!("`{name}` stands in the query a second time");
                return self.problem(variable.place(), Code::RepeatedParameter, message);
            }
            let form = self.form(variable, expression.operator())?;
            if !variable.is_exploded() || form.0 == Shape::List {
                let param = self.path.declare(variable, self.level, ParamKind::Query, true, form)?;
                self.path.query.push(QueryPart::Param(param));
                continue;
            }
            if self.path.query.iter().any(|part| matches!(part, QueryPart::Rest(_))) {
                let message = "only one parameter can take the rest of the query";
                return self.problem(variable.place(), Code::Operator, message);
            }
            let param = self.path.declare(variable, self.level, ParamKind::Pairs, true, form)?;
            self.path.query.push(QueryPart::Rest(param));
        }
        Ok(())
    }

    /// The form of a value, and how its items stand in one text, where they do.
    fn form(&self, variable: Variable<'_>, operator: Operator) -> Result<(Shape, Option<Join>)> {
        let (name, is_exploded) = (variable.name(), variable.is_exploded());
        let shape = match (self.shape_of)(name) {
            Some(Shape::One) if is_exploded => {
                return Err(PathProblem {
                    place: variable.place(),
                    code: Code::Rule,
                    message: format!("`{name}*` is a list, and the rule of `{name}` speaks of one value"),
                    help: Some(format!("put what it says of each item into `items`: `params.{name} = {{ items = … }}`, or leave the star out").into()),
                });
            }
            Some(shape) => shape,
            None if is_exploded => Shape::List,
            None => Shape::One,
        };
        let separator = match operator {
            _ if shape == Shape::One => return Ok((shape, None)),
            // Each value of the query stands for itself, and a fragment is never read.
            Operator::Query | Operator::Continuation if is_exploded => return Ok((shape, None)),
            Operator::Fragment => return Ok((shape, None)),
            Operator::Segment if is_exploded && shape == Shape::List => return Ok((shape, None)),
            Operator::Segment if is_exploded => Separator::End,
            Operator::Reserved => Separator::AnyComma,
            Operator::Label if is_exploded => Separator::Dot,
            Operator::PathStyle if is_exploded => Separator::Semicolon(decode(name).unwrap_or_default().into()),
            _ => Separator::Comma,
        };
        Ok((shape, Some(Join { separator, is_named: is_exploded, shape })))
    }

    fn path_expression(&mut self, expression: Expression<'_>) -> Result<()> {
        let place = expression.place();
        let operator = expression.operator();
        if operator == Operator::Reserved && expression.variables().len() > 1 {
            let message = "two values that may hold commas and slashes cannot be told apart; write `{+…}` with one";
            return self.problem(place, Code::Tail, message);
        }
        let mut previous = None;
        for variable in expression.variables() {
            let is_tail = variable.is_exploded() && operator == Operator::Segment;
            let kind = match operator {
                _ if is_tail => ParamKind::Items,
                Operator::Reserved => ParamKind::Rest,
                _ => ParamKind::Segment,
            };
            let is_optional = !matches!(operator, Operator::Simple | Operator::Reserved);
            let form = self.form(variable, operator)?;
            let is_named_by_itself = variable.is_exploded() && form.0 == Shape::Pairs;
            let param = self.path.declare(variable, self.level, kind, is_optional, form)?;
            let is_named = operator == Operator::PathStyle && !is_named_by_itself;
            let name = is_named.then(|| decode(variable.name()).unwrap_or_default());
            let fill = Fill { operator, param, is_first: previous.is_none(), name };
            let filled = |variant: &mut PathVariant| {
                let result = if is_tail { variant.push_tail(param, TailKind::Items) } else { fill.push(variant) };
                result.map_err(|(code, message)| PathProblem { place: place.clone(), code, message, help: None })
            };
            if is_optional {
                for mut variant in std::mem::take(&mut self.path.variants) {
                    let unfilled = variant.clone();
                    // What is filled from left to right goes on only where the one before was filled.
                    let is_free = operator == Operator::PathStyle;
                    if is_free || previous.is_none_or(|previous| variant.ends_with(previous)) {
                        filled(&mut variant)?;
                        self.path.variants.push(variant);
                    }
                    self.path.variants.push(unfilled);
                }
            } else {
                self.path.variants.iter_mut().try_for_each(filled)?;
            }
            if self.path.variants.len() > MOST_VARIANTS {
                let message =
                    format!("the optional parts of this path can be filled in more than {MOST_VARIANTS} ways");
                return self.problem(place, Code::TooManyVariants, message);
            }
            previous = Some(param);
        }
        Ok(())
    }

    /// Checks what only the end of a template shows, and marks where the level ends.
    fn end(self, length: usize) -> Result<()> {
        if let Some(name) = &self.pending {
            // Nothing follows the `=`: the value is empty.
            let (text, name, value) = (format!("{name}="), name.clone(), String::new());
            self.path.query.push(QueryPart::Literal { text, name, value });
        }
        for variant in &mut self.path.variants {
            // A path of nothing but values that are absent is the root.
            if matches!(variant.segments.as_slice(), [only] if only.is_empty()) && self.path.path_text.len() > 1 {
                variant.segments.clear();
            }
            if variant.segments.last().is_some_and(Segment::is_empty) {
                let message = "a path may not end with `/`";
                let help = Some("leave the slash out; whether URLs end with one is a matter of the whole site".into());
                return Err(PathProblem {
                    place: length.saturating_sub(1)..length,
                    code: Code::PathEnd,
                    message: message.to_owned(),
                    help,
                });
            }
            let dots = variant.segments.iter().find_map(|segment| match segment.as_slice() {
                [Piece::Text(text)] if matches!(text.as_str(), "." | "..") => Some(text),
                _ => None,
            });
            if let Some(dots) = dots {
                let message =
                    format!("the segment `{dots}` is removed from a URL before it is matched, so no URL can have it");
                return Err(PathProblem { place: 0..length, code: Code::DotSegment, message, help: None });
            }
            variant.covers.push(Cover {
                segments: u16::try_from(variant.segments.len()).unwrap_or(u16::MAX),
                pieces: variant.segments.last().and_then(|pieces| u16::try_from(pieces.len()).ok()),
                has_tail: variant.tail.is_some(),
            });
        }
        Ok(())
    }
}

impl ResolvedPath {
    /// Whether the query has that name already.
    fn names(&self, wanted: &str) -> bool {
        self.query.iter().any(|part| match part {
            QueryPart::Literal { name, .. } | QueryPart::Named { name, .. } => name == wanted,
            QueryPart::Param(param) => self.params[usize::from(*param)].name == wanted,
            QueryPart::Rest(_) => false,
        })
    }
}

/// How a value is put into a path.
struct Fill<'a> {
    operator: Operator,
    param: u16,
    is_first: bool,
    /// The name before the value, where the operator writes one and the value does not bring its own.
    name: Option<Cow<'a, str>>,
}

impl Fill<'_> {
    fn push(&self, variant: &mut PathVariant) -> Pushed {
        match self.operator {
            Operator::Simple => {
                if !self.is_first {
                    variant.push_piece(Piece::Text(SmolStr::new_static(",")))?;
                }
            }
            Operator::Segment => variant.new_segment()?,
            Operator::Label => variant.push_piece(Piece::Text(SmolStr::new_static(".")))?,
            Operator::PathStyle => variant.push_piece(Piece::Text(match &self.name {
                Some(name) => format_smolstr!(";{name}="),
                None => SmolStr::new_static(";"),
            }))?,
            Operator::Reserved => return variant.push_tail(self.param, TailKind::Rest),
            Operator::Fragment | Operator::Query | Operator::Continuation => {}
        }
        variant.push_piece(Piece::Value(self.param))
    }
}
