//! What every format is read into: values with their places.

use smol_str::SmolStr;

use super::code::Code;
use super::data::Data;
use super::finding::Report;
use super::source::Span;

/// How deep values may be nested, in every format. What walks them calls itself for each level.
pub(super) const DEEPEST: usize = 80;

/// A value and where it stands.
#[derive(Debug, Clone)]
pub(super) struct Node {
    pub(super) span: Span,
    pub(super) kind: NodeKind,
}

#[derive(Debug, Clone)]
pub(super) enum NodeKind {
    /// Nothing, which TOML does not have.
    Null,
    Bool(bool),
    Integer(i64),
    Float(f64),
    Text(String),
    /// A date or a time, which only TOML has.
    Moment(String),
    List(Vec<Node>),
    Table(Vec<Entry>),
}

/// A key and its value.
#[derive(Debug, Clone)]
pub(super) struct Entry {
    pub(super) key: SmolStr,
    pub(super) span: Span,
    pub(super) value: Node,
}

impl Node {
    /// What the value is, in words for an error.
    pub(super) fn describe(&self) -> &'static str {
        match self.kind {
            NodeKind::Null => "nothing",
            NodeKind::Bool(_) => "true or false",
            NodeKind::Integer(_) => "a whole number",
            NodeKind::Float(_) => "a number",
            NodeKind::Text(_) => "text",
            NodeKind::Moment(_) => "a date or time",
            NodeKind::List(_) => "a list",
            NodeKind::Table(_) => "a table",
        }
    }

    /// How many values it is made of, with the bytes of their texts; and how deep they are nested in it.
    pub(super) fn weight_and_height(&self) -> (usize, usize) {
        let (own, inner): (usize, (usize, usize)) = match &self.kind {
            NodeKind::Text(text) | NodeKind::Moment(text) => (text.len(), (0, 0)),
            NodeKind::List(items) => (0, sum_and_most(items.iter().map(Self::weight_and_height))),
            NodeKind::Table(entries) => (
                entries.iter().map(|entry| entry.key.len()).sum(),
                sum_and_most(entries.iter().map(|entry| entry.value.weight_and_height())),
            ),
            _ => (0, (0, 0)),
        };
        (1 + own + inner.0, inner.1)
    }

    /// The value without its places.
    pub(super) fn into_data(self) -> Data {
        match self.kind {
            NodeKind::Null => Data::Null,
            NodeKind::Bool(value) => Data::Bool(value),
            NodeKind::Integer(value) => Data::Integer(value),
            NodeKind::Float(value) => Data::Float(value),
            NodeKind::Text(value) | NodeKind::Moment(value) => Data::Text(value),
            NodeKind::List(items) => Data::List(items.into_iter().map(Self::into_data).collect()),
            NodeKind::Table(entries) => {
                Data::Table(entries.into_iter().map(|entry| (entry.key.into(), entry.value.into_data())).collect())
            }
        }
    }
}

/// The message about a value that is nested too deep.
pub(super) fn too_deep() -> String {
    format!("values may be nested {DEEPEST} deep, this one is deeper")
}

/// The first value that is nested too deep in a table, at a depth of its own.
pub(super) fn first_too_deep(entries: &[Entry], depth: usize) -> Option<&Span> {
    fn in_value(value: &Node, depth: usize) -> Option<&Span> {
        if depth > DEEPEST {
            return Some(&value.span);
        }
        match &value.kind {
            NodeKind::List(items) => items.iter().find_map(|item| in_value(item, depth + 1)),
            NodeKind::Table(entries) => first_too_deep(entries, depth),
            _ => None,
        }
    }
    entries.iter().find_map(|entry| in_value(&entry.value, depth + 1))
}

/// What values weigh together, and one more than the height of the highest.
fn sum_and_most(all: impl Iterator<Item = (usize, usize)>) -> (usize, usize) {
    all.fold((0, 0), |(sum, most), (weight, height)| (sum + weight, most.max(height + 1)))
}

impl NodeKind {
    /// A number as it is written.
    pub(super) fn number(text: &str, span: &Span, report: &mut Report) -> Self {
        if let Ok(number) = text.parse::<i64>() {
            return Self::Integer(number);
        }
        let is_whole = !text.contains(['.', 'e', 'E']);
        match text.parse::<f64>() {
            Ok(number) if number.is_finite() && !is_whole => Self::Float(number),
            _ => {
                let message = "this number does not fit; expected one between -2^63 and 2^63 - 1";
                report.add(Code::Number, Some(span), message);
                Self::Null
            }
        }
    }
}

/// Reports the keys that stand in a table a second time, and leaves them out.
pub(super) fn unique(entries: Vec<Entry>, report: &mut Report) -> Vec<Entry> {
    let mut seen = std::collections::HashSet::with_capacity(entries.len());
    let mut kept = Vec::with_capacity(entries.len());
    for entry in entries {
        if seen.insert(entry.key.clone()) {
            kept.push(entry);
        } else {
            report
                .add(
                    Code::DuplicateName,
                    Some(&entry.span),
                    format!("`{}` is declared twice", entry.key.escape_debug()),
                )
                .help_with("give one of the two another name");
        }
    }
    kept
}
