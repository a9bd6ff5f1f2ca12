//! TOML 1.0 → document.
//!
//! The `toml` crate makes a tree with room for eleven keys in each table, some 1,700 bytes for a route. So a text is cut
//! before each header, `[a.b]`, and what lies between two of them is read, turned into nodes, and forgotten:
//!
//! ```text
//! title = "x"            a section without a header: keys of the root
//! [routes.home]          a section: makes `routes` where there is none, and in it `home`
//! path = "/"
//! ```
//!
//! Most sections are read from the events of `toml_parser`, on which that crate is built; those with dates and the like
//! by the crate. Where something is wrong, a table is opened a second time, or tables are in an array (`[[a]]`), the
//! crate is given the whole text, and says what it has to say.

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
use super::sorted::sorted;
use super::source::{Origin, Span};
use super::toml_section::{FEW, Name, Room, Section, plain};

/// Reads a source as TOML. What could be read is there even where something could not.
pub(super) fn read(origin: &Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    let text = origin.text();
    let in_sections = |starts: &mut dyn Iterator<Item = usize>| {
        let mut noted = Report::default();
        Some((in_sections(origin, starts, &mut noted)?, noted))
    };
    if let Some((entries, noted)) = in_sections(&mut brackets(text)).or_else(|| in_sections(&mut headers(text))) {
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

/// The document, cut where it is said to have headers; `None` where it cannot be read in sections.
fn in_sections(
    origin: &Arc<Origin>,
    starts: &mut dyn Iterator<Item = usize>,
    report: &mut Report,
) -> Option<Vec<Entry>> {
    let mut document = Sections { origin, root: Vec::new(), names: HashMap::new() };
    let (mut start, mut room) = (0, Room::default());
    for end in starts.chain([origin.text().len()]) {
        let section = plain(origin, start..end, &mut room).or_else(|| document.parsed(start..end, report))?;
        document.add(section)?;
        start = end;
    }
    Some(document.root)
}

/// The brackets that open a line. All headers are among them. One that is none stands within a list or a text, and the section
/// that it ends is not at its end there, which is an error.
fn brackets(text: &str) -> impl Iterator<Item = usize> {
    let mut next = 0;
    text.split_inclusive('\n').filter_map(move |line| {
        next += line.len();
        let rest = line.trim_start_matches([' ', '\t']);
        rest.starts_with('[').then(|| next - rest.len())
    })
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

impl Sections<'_> {
    /// Reads a section by the `toml` crate; `None` where something is wrong, or tables are in an array.
    fn parsed(&self, section: Range<usize>, report: &mut Report) -> Option<Section> {
        let (table, errors) = DeTable::parse_recoverable(self.origin.text().get(section.clone())?);
        if !errors.is_empty() {
            return None;
        }
        let mut reader = Reader { origin: self.origin, report, offset: section.start };
        let (mut names, mut table) = (Vec::new(), table.into_inner());
        if section.start == 0 {
            return Some(Section { names, header: reader.span(0..0), entries: reader.entries(table) });
        }
        loop {
            // A header makes one key in each table above its own, which is the first that begins where the section does.
            let (key, value) = table.into_iter().next()?;
            let place = value.span();
            names.push(Name { span: reader.span(key.span()), name: key.into_inner().into() });
            let DeValue::Table(inner) = value.into_inner() else { return None };
            if place.start == 0 {
                return Some(Section { names, header: reader.span(place), entries: reader.entries(inner) });
            }
            table = inner;
        }
    }

    /// Adds a section; `None` where its table is there already, or cannot be.
    fn add(&mut self, section: Section) -> Option<()> {
        let Section { mut names, header, entries } = section;
        let Some(own) = names.pop() else {
            self.root = entries;
            return Some(());
        };
        let (mut into, mut place) = (&mut self.root, u32::MAX);
        for Name { name, span } in names {
            let at = position(&mut self.names, place, into, &name).unwrap_or(into.len());
            if at == into.len() {
                // It is only named in the headers of those in it.
                let value = Node { span: span.clone(), kind: NodeKind::Table(Vec::new()) };
                into.push(Entry { key: name, span, value });
            }
            let node = &mut into[at].value;
            let is_inline = self.origin.text().as_bytes().get(node.span.bytes().start) == Some(&b'{');
            let NodeKind::Table(entries) = &mut node.kind else { return None };
            if is_inline {
                return None;
            }
            (place, into) = (node.span.start(), entries);
        }
        if position(&mut self.names, place, into, &own.name).is_some() {
            return None;
        }
        into.push(Entry {
            key: own.name,
            span: own.span,
            value: Node { span: header, kind: NodeKind::Table(entries) },
        });
        Some(())
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
        let entries: Vec<Entry> = table.into_iter().filter_map(|(key, value)| self.entry(key, value)).collect();
        sorted(entries, |entry| entry.span.start())
    }

    fn entry(&mut self, key: Spanned<DeString<'_>>, value: Spanned<DeValue<'_>>) -> Option<Entry> {
        let (span, place) = (self.span(key.span()), self.span(value.span()));
        let value = self.node(place, value.into_inner())?;
        Some(Entry { key: key.into_inner().into(), span, value })
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
