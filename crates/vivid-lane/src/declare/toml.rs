//! TOML 1.0 → document.

use super::code::Code;
use std::ops::Range;
use std::sync::Arc;

use toml::de::{DeTable, DeValue};

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
            .add(Code::DuplicateName, Some(&span), format!("`{name}` is declared a second time"))
            .help_with("give one of the two another name");
    } else {
        report.add(Code::Toml, Some(&span), format!("this is not TOML: {message}"));
    }
}

struct Reader<'a> {
    origin: &'a Arc<Origin>,
    report: &'a mut Report,
}

impl Reader<'_> {
    /// The entries of a table in the order of the file, which the parser does not keep.
    fn entries(&mut self, table: DeTable<'_>) -> Vec<Entry> {
        let mut entries: Vec<(usize, Entry)> = table
            .into_iter()
            .filter_map(|(key, value)| {
                let (at, span) = (key.span().start, Span::new(self.origin, key.span()));
                let place = Span::new(self.origin, value.span());
                let value = self.node(place, value.into_inner())?;
                Some((at, Entry { key: key.into_inner().into_owned(), span, value }))
            })
            .collect();
        entries.sort_unstable_by_key(|(at, _)| *at);
        entries.into_iter().map(|(_, entry)| entry).collect()
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
                        let place = Span::new(self.origin, item.span());
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
