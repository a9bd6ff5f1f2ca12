//! A section of TOML whose values are plain: its entries are made as its parts are met.
//!
//! Dates, numbers with a point, tables in arrays, and whatever is wrong are left to the `toml` crate.

use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

use smol_str::SmolStr;
use toml_parser::decoder::{Encoding, ScalarKind};
use toml_parser::lexer::Token;
use toml_parser::parser::{EventReceiver, parse_document};
use toml_parser::{ErrorSink, ParseError, Raw, Span as Place};

use super::node::{DEEPEST, Entry, Node, NodeKind};
use super::source::{Origin, Span};

/// What stands between two headers, with the first of them.
pub(super) struct Section {
    /// The names in the header; none before the first one.
    pub(super) names: Vec<Name>,
    pub(super) header: Span,
    pub(super) entries: Vec<Entry>,
}

pub(super) struct Name {
    pub(super) name: SmolStr,
    pub(super) span: Span,
}

/// So many entries of a table are looked through one by one.
pub(super) const FEW: usize = 32;

/// Room that is used again for each section.
#[derive(Default)]
pub(super) struct Room {
    tokens: Vec<Token>,
    open: Vec<Open>,
}

/// Reads a section; `None` where it is not plain.
pub(super) fn plain(origin: &Arc<Origin>, section: Range<usize>, room: &mut Room) -> Option<Section> {
    let source = toml_parser::Source::new(origin.text().get(section.clone())?);
    let Room { tokens, open } = room;
    tokens.clear();
    tokens.extend(source.lex());
    open.truncate(1);
    match open.first_mut() {
        Some(Open { names, holds: Holds::Table(entries), .. }) => {
            names.clear();
            entries.clear();
        }
        _ => *open = vec![Open { start: 0, names: Vec::new(), holds: Holds::Table(Vec::new()) }],
    }
    let header = Span::new(origin, section.start..section.start);
    let mut builder = Builder {
        origin,
        source,
        offset: section.start,
        names: Vec::new(),
        header,
        is_in_header: false,
        open,
        is_plain: true,
    };
    let mut error: Option<ParseError> = None;
    parse_document(tokens, &mut builder, &mut error);
    if !builder.is_plain || error.is_some() || builder.open.len() > 1 {
        return None;
    }
    let entries = builder.open.first_mut()?.entries()?;
    Some(Section { names: builder.names, header: builder.header, entries })
}

/// Makes nodes of the events of the parser.
struct Builder<'s> {
    origin: &'s Arc<Origin>,
    source: toml_parser::Source<'s>,
    /// Where in the text the section begins.
    offset: usize,
    names: Vec<Name>,
    header: Span,
    is_in_header: bool,
    /// The tables and lists that are not at their end, the innermost last.
    open: &'s mut Vec<Open>,
    is_plain: bool,
}

struct Open {
    start: usize,
    /// The names of the value that is to come.
    names: Vec<Name>,
    holds: Holds,
}

enum Holds {
    List(Vec<Node>),
    Table(Vec<Entry>),
}

impl Open {
    /// The entries, in no more room than they need.
    fn entries(&mut self) -> Option<Vec<Entry>> {
        match &mut self.holds {
            Holds::Table(entries) if self.names.is_empty() => {
                let mut exact = Vec::with_capacity(entries.len());
                exact.append(entries);
                Some(exact)
            }
            _ => None,
        }
    }

    /// Adds a value; whether that is plain.
    fn add(&mut self, node: Node) -> bool {
        match &mut self.holds {
            Holds::List(items) => items.push(node),
            Holds::Table(entries) => return insert(entries, &mut self.names, node).is_some(),
        }
        true
    }
}

/// Adds a value under names that are joined by dots; `None` where one of them has another value.
fn insert(mut entries: &mut Vec<Entry>, names: &mut Vec<Name>, value: Node) -> Option<()> {
    let last = names.pop()?;
    let position = |entries: &[Entry], name: &SmolStr| entries.iter().position(|entry| entry.key == *name);
    for Name { name, span } in names.drain(..) {
        let at = position(entries, &name).unwrap_or(entries.len());
        if at == entries.len() {
            // Most have one.
            let value = Node { span: span.clone(), kind: NodeKind::Table(Vec::with_capacity(1)) };
            entries.push(Entry { key: name, span, value });
        }
        let Entry { span, value, .. } = &mut entries[at];
        // A table that is only named begins where its name does.
        let is_named = value.span.bytes() == span.bytes();
        let NodeKind::Table(inner) = &mut value.kind else { return None };
        entries = Some(inner).filter(|inner| is_named && inner.len() < FEW)?;
    }
    if entries.len() >= FEW || position(entries, &last.name).is_some() {
        return None;
    }
    entries.push(Entry { key: last.name, span: last.span, value });
    Some(())
}

impl<'s> Builder<'s> {
    fn span(&self, start: usize, end: usize) -> Span {
        Span::new(self.origin, self.offset + start..self.offset + end)
    }

    fn raw(&self, place: Place, encoding: Option<Encoding>) -> Raw<'s> {
        let text = self.source.input().get(place.start()..place.end()).unwrap_or_default();
        Raw::new_unchecked(text, encoding, place)
    }

    fn open(&mut self, place: Place, holds: Holds) -> bool {
        self.is_plain &= self.open.len() < DEEPEST;
        self.open.push(Open { start: place.start(), names: Vec::new(), holds });
        self.is_plain
    }

    fn close(&mut self, place: Place) {
        let Some(open) = self.open.pop() else { return };
        let span = self.span(open.start, place.end());
        self.is_plain &= open.names.is_empty();
        let kind = match open.holds {
            Holds::List(mut items) => {
                items.shrink_to_fit();
                NodeKind::List(items)
            }
            Holds::Table(mut entries) => {
                entries.shrink_to_fit();
                NodeKind::Table(entries)
            }
        };
        self.add(Node { span, kind });
    }

    fn add(&mut self, node: Node) {
        // What is nested too deep is not even made.
        self.is_plain = self.is_plain && self.open.last_mut().is_some_and(|open| open.add(node));
    }
}

impl EventReceiver for Builder<'_> {
    fn std_table_open(&mut self, place: Place, _: &mut dyn ErrorSink) {
        let is_first = self.names.is_empty()
            && self.open.first().is_some_and(|root| matches!(&root.holds, Holds::Table(entries) if entries.is_empty()));
        self.is_plain &= is_first;
        (self.header, self.is_in_header) = (self.span(place.start(), place.end()), true);
    }

    fn std_table_close(&mut self, place: Place, _: &mut dyn ErrorSink) {
        let start = self.header.bytes().start - self.offset;
        (self.header, self.is_in_header) = (self.span(start, place.end()), false);
    }

    fn array_table_open(&mut self, _: Place, _: &mut dyn ErrorSink) {
        self.is_plain = false;
    }

    fn inline_table_open(&mut self, place: Place, _: &mut dyn ErrorSink) -> bool {
        self.open(place, Holds::Table(Vec::new()))
    }

    fn inline_table_close(&mut self, place: Place, _: &mut dyn ErrorSink) {
        self.close(place);
    }

    fn array_open(&mut self, place: Place, _: &mut dyn ErrorSink) -> bool {
        self.open(place, Holds::List(Vec::new()))
    }

    fn array_close(&mut self, place: Place, _: &mut dyn ErrorSink) {
        self.close(place);
    }

    fn simple_key(&mut self, place: Place, encoding: Option<Encoding>, error: &mut dyn ErrorSink) {
        let mut text = Cow::Borrowed("");
        self.raw(place, encoding).decode_key(&mut text, error);
        let name = Name { name: text.into(), span: self.span(place.start(), place.end()) };
        let names = match self.open.last_mut() {
            Some(open) if !self.is_in_header => &mut open.names,
            _ => &mut self.names,
        };
        names.push(name);
        // Each is a table in the one before.
        self.is_plain &= names.len() < DEEPEST;
    }

    fn scalar(&mut self, place: Place, encoding: Option<Encoding>, error: &mut dyn ErrorSink) {
        let mut text = Cow::Borrowed("");
        let kind = match self.raw(place, encoding).decode_scalar(&mut text, error) {
            ScalarKind::String => NodeKind::Text(text.into_owned()),
            ScalarKind::Boolean(value) => NodeKind::Bool(value),
            ScalarKind::Integer(radix) => match i64::from_str_radix(&text, radix.value()) {
                Ok(number) => NodeKind::Integer(number),
                Err(_) => return self.is_plain = false,
            },
            ScalarKind::Float | ScalarKind::DateTime => return self.is_plain = false,
        };
        self.add(Node { span: self.span(place.start(), place.end()), kind });
    }

    fn comment(&mut self, place: Place, error: &mut dyn ErrorSink) {
        self.raw(place, None).decode_comment(error);
    }

    fn newline(&mut self, place: Place, error: &mut dyn ErrorSink) {
        self.raw(place, None).decode_newline(error);
    }

    fn error(&mut self, _: Place, _: &mut dyn ErrorSink) {
        self.is_plain = false;
    }
}
