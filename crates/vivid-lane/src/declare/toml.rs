//! TOML 1.0 → document, by the `toml` crate.

use std::ops::Range;
use std::sync::Arc;

use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};

use super::code::Code;
use super::finding::Report;
use super::node::{Entry, Node, NodeKind};
use super::source::{Origin, Span};

/// Reads a source as TOML. What could be read is there even where something could not.
pub(super) fn read(origin: &Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    let (table, errors) = DeTable::parse_recoverable(origin.text());
    for error in errors {
        syntax_error(report, origin, error.span().unwrap_or(0..0), error.message());
    }
    Reader { origin, report }.entries(table.into_inner())
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

/// Turns what was parsed into nodes.
struct Reader<'a> {
    origin: &'a Arc<Origin>,
    report: &'a mut Report,
}

impl Reader<'_> {
    fn span(&self, place: Range<usize>) -> Span {
        Span::new(self.origin, place)
    }

    /// The entries of a table in the order of the file, which the parser does not keep.
    fn entries(&mut self, table: DeTable<'_>) -> Vec<Entry> {
        let mut entries: Vec<Entry> = table.into_iter().filter_map(|(key, value)| self.entry(key, value)).collect();
        entries.sort_unstable_by_key(|entry| entry.span.start());
        entries
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
