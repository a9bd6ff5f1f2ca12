//! TOML 1.0 → document.
//!
//! The parser of the `toml` crate makes a tree with room for eleven keys in each table, some 1,700 bytes for a route. So
//! a text is cut before each header, `[a.b]`, and what lies between two of them is parsed, turned into nodes, and
//! forgotten:
//!
//! ```text
//! title = "x"            a section without a header: keys of the root
//! [routes.home]          a section: makes `routes` where there is none, and in it `home`
//! path = "/"
//! ```
//!
//! Only what is plain is read in sections. Where something is wrong, a table is opened a second time, or tables are in
//! an array (`[[a]]`), the parser is given the whole text, and says what it has to say.

use std::collections::HashMap;
use std::ops::Range;
use std::sync::Arc;

use smol_str::SmolStr;
use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};
use toml_parser::lexer::TokenKind;

use super::code::Code;
use super::finding::Report;
use super::node::{Entry, Node, NodeKind};
use super::source::{Origin, Span};

/// Reads a source as TOML. What could be read is there even where something could not.
pub(super) fn read(origin: &Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    let mut noted = Report::default();
    if let Some(entries) = in_sections(origin, &mut noted) {
        report.absorb(noted);
        return entries;
    }
    let (table, errors) = DeTable::parse_recoverable(origin.text());
    for error in errors {
        syntax_error(report, origin, error.span().unwrap_or(0..0), error.message());
    }
    Reader { origin, report, offset: 0 }.entries(table.into_inner())
}

fn syntax_error(report: &mut Report, origin: &Arc<Origin>, place: Range<usize>, message: &str) {
    let span = Span::new(origin, place.clone());
    if message == "duplicate key" {
        let name = origin.text().get(place).unwrap_or_default();
        report
            .add(Code::DuplicateName, Some(&span), format!("`{name}` is declared twice"))
            .help_with("give one of the two another name");
    } else {
        report.add(Code::Toml, Some(&span), format!("this is not TOML: {message}"));
    }
}

/// The document, where all of it is plain.
fn in_sections(origin: &Arc<Origin>, report: &mut Report) -> Option<Vec<Entry>> {
    let mut document = Sections { origin, root: Vec::new(), names: HashMap::new() };
    let mut start = 0;
    for end in headers(origin.text()).chain([origin.text().len()]) {
        document.add(start..end, report)?;
        start = end;
    }
    Some(document.root)
}

/// Where the headers of a text begin: the brackets that open a line and stand in no other.
fn headers(text: &str) -> impl Iterator<Item = usize> {
    let (mut depth, mut opens_line) = (0_usize, true);
    toml_parser::Source::new(text).lex().filter_map(move |token| {
        let opened_line = opens_line;
        match token.kind() {
            TokenKind::LeftSquareBracket | TokenKind::LeftCurlyBracket => depth += 1,
            TokenKind::RightSquareBracket | TokenKind::RightCurlyBracket => depth = depth.saturating_sub(1),
            _ => {}
        }
        opens_line = match token.kind() {
            TokenKind::Newline => true,
            TokenKind::Whitespace => opens_line,
            _ => false,
        };
        let is_header = opened_line && depth == 1 && token.kind() == TokenKind::LeftSquareBracket;
        is_header.then(|| token.span().start())
    })
}

/// A document that grows by sections.
struct Sections<'a> {
    origin: &'a Arc<Origin>,
    root: Vec<Entry>,
    /// The positions of the names in large tables, by the place of the table; filled where they are asked for.
    names: HashMap<u32, HashMap<SmolStr, usize>>,
}

/// So many names of a table are looked through one by one.
const FEW: usize = 16;

impl Sections<'_> {
    /// Adds a section; `None` where it is not plain.
    fn add(&mut self, section: Range<usize>, report: &mut Report) -> Option<()> {
        let (table, errors) = DeTable::parse_recoverable(self.origin.text().get(section.clone())?);
        if !errors.is_empty() {
            return None;
        }
        let mut reader = Reader { origin: self.origin, report, offset: section.start };
        if section.start == 0 {
            self.root = reader.entries(table.into_inner());
            return Some(());
        }
        let mut into = &mut self.root;
        let mut place = u32::MAX;
        let mut table = table.into_inner();
        loop {
            // A header makes one key in each table above its own, which is the first that begins where the section does.
            let (key, value) = table.into_iter().next()?;
            let is_own = value.span().start == 0;
            let known = position(&mut self.names, place, into, key.get_ref());
            let at = known.unwrap_or(into.len());
            if !value.get_ref().is_table() {
                return None;
            }
            match (is_own, known) {
                (true, None) => {
                    into.extend(reader.entry(key, value));
                    return Some(());
                }
                (true, Some(_)) => return None,
                (false, None) => into.push(reader.empty_table(&key)),
                (false, Some(_)) => {}
            }
            let node = &mut into[at].value;
            let is_inline = self.origin.text().as_bytes().get(node.span.bytes().start) == Some(&b'{');
            let NodeKind::Table(entries) = &mut node.kind else { return None };
            if is_inline {
                return None;
            }
            place = node.span.start();
            into = entries;
            let DeValue::Table(inner) = value.into_inner() else { return None };
            table = inner;
        }
    }
}

/// The position of a name in a table at some place.
fn position(
    names: &mut HashMap<u32, HashMap<SmolStr, usize>>,
    place: u32,
    entries: &[Entry],
    name: &str,
) -> Option<usize> {
    if entries.len() <= FEW {
        return entries.iter().position(|entry| entry.key == name);
    }
    let known = names.entry(place).or_default();
    for (at, entry) in entries.iter().enumerate().skip(known.len()) {
        known.insert(entry.key.clone(), at);
    }
    known.get(name).copied()
}

/// Turns what was parsed into nodes.
struct Reader<'a> {
    origin: &'a Arc<Origin>,
    report: &'a mut Report,
    /// Where in the source the text begins that was parsed.
    offset: usize,
}

impl Reader<'_> {
    fn span(&self, place: Range<usize>) -> Span {
        Span::new(self.origin, self.offset + place.start..self.offset + place.end)
    }

    /// The entries of a table in the order of the file, which the parser does not keep.
    fn entries(&mut self, table: DeTable<'_>) -> Vec<Entry> {
        let mut entries: Vec<Entry> = Vec::with_capacity(table.len());
        entries.extend(table.into_iter().filter_map(|(key, value)| self.entry(key, value)));
        entries.sort_unstable_by_key(|entry| entry.span.start());
        entries
    }

    fn entry(&mut self, key: Spanned<DeString<'_>>, value: Spanned<DeValue<'_>>) -> Option<Entry> {
        let (span, place) = (self.span(key.span()), self.span(value.span()));
        let value = self.node(place, value.into_inner())?;
        Some(Entry { key: key.into_inner().into(), span, value })
    }

    /// A table that is only named in the headers of those in it.
    fn empty_table(&self, key: &Spanned<DeString<'_>>) -> Entry {
        let span = self.span(key.span());
        let value = Node { span: span.clone(), kind: NodeKind::Table(Vec::new()) };
        Entry { key: key.get_ref().as_ref().into(), span, value }
    }

    fn node(&mut self, span: Span, value: DeValue<'_>) -> Option<Node> {
        let kind = match value {
            DeValue::String(text) => NodeKind::Text(text.into_owned()),
            DeValue::Boolean(value) => NodeKind::Bool(value),
            DeValue::Datetime(moment) => NodeKind::Moment(moment.to_string()),
            DeValue::Integer(digits) => match i64::from_str_radix(digits.as_str(), digits.radix()) {
                Ok(number) => NodeKind::Integer(number),
                Err(_) => return self.too_large(span),
            },
            DeValue::Float(digits) => match digits.as_str().parse::<f64>() {
                Ok(number) if number.is_finite() => NodeKind::Float(number),
                _ => return self.too_large(span),
            },
            DeValue::Array(items) => NodeKind::List(
                items
                    .into_iter()
                    .filter_map(|item| {
                        let place = self.span(item.span());
                        self.node(place, item.into_inner())
                    })
                    .collect(),
            ),
            DeValue::Table(table) => NodeKind::Table(self.entries(table)),
        };
        Some(Node { span, kind })
    }

    fn too_large(&mut self, span: Span) -> Option<Node> {
        self.report.add(Code::Number, Some(&span), "this number does not fit; expected one between -2^63 and 2^63 - 1");
        None
    }
}

/// A basic string (TOML 1.0, String).
pub(crate) fn basic_string(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            c if c.is_control() => out.push_str(&format!("\\u{:04X}", u32::from(c))),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}
