//! A table file as a tree of values with places, whatever format it was written in.

use super::data::Data;
use super::source::Span;

/// A value and where it stands.
#[derive(Debug, Clone)]
pub(super) struct Node {
    pub(super) span: Span,
    pub(super) kind: Kind,
}

#[derive(Debug, Clone)]
pub(super) enum Kind {
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
    pub(super) key: String,
    pub(super) span: Span,
    pub(super) value: Node,
}

impl Node {
    /// What the value is, in words for an error.
    pub(super) fn describe(&self) -> &'static str {
        match self.kind {
            Kind::Bool(_) => "true or false",
            Kind::Integer(_) => "a whole number",
            Kind::Float(_) => "a number",
            Kind::Text(_) => "text",
            Kind::Moment(_) => "a date or time",
            Kind::List(_) => "a list",
            Kind::Table(_) => "a table",
        }
    }

    /// The value without its places.
    pub(super) fn into_data(self) -> Data {
        match self.kind {
            Kind::Bool(value) => Data::Bool(value),
            Kind::Integer(value) => Data::Integer(value),
            Kind::Float(value) => Data::Float(value),
            Kind::Text(value) | Kind::Moment(value) => Data::Text(value),
            Kind::List(items) => Data::List(items.into_iter().map(Self::into_data).collect()),
            Kind::Table(entries) => {
                Data::Table(entries.into_iter().map(|entry| (entry.key, entry.value.into_data())).collect())
            }
        }
    }
}
