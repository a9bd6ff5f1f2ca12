//! TOML 1.0 → document.

use std::ops::Range;

use toml::de::{DeTable, DeValue};

use super::Report;
use super::document::{Entry, Kind, Node};
use super::source::{Source, Span};

/// Reads a source as TOML. What could be read is there even where something could not.
pub(super) fn read(source: Source, report: &mut Report) -> Vec<Entry> {
    let text = source.text().to_owned();
    let span_of = report.sources.add(source);
    let (table, errors) = DeTable::parse_recoverable(&text);
    for error in errors {
        let place = error.span().unwrap_or(0..0);
        syntax_error(report, &text, span_of(place.clone()), place, error.message());
    }
    let mut reader = Reader { span_of: &span_of, report };
    reader.entries(table.into_inner())
}

fn syntax_error(report: &mut Report, text: &str, span: Span, place: Range<usize>, message: &str) {
    if message == "duplicate key" {
        let name = text.get(place).unwrap_or_default();
        report
            .error("duplicate-name", Some(span), format!("`{name}` is declared a second time"))
            .help_with("give one of the two another name");
    } else {
        report.error("toml", Some(span), format!("this is not TOML: {message}"));
    }
}

struct Reader<'a, F> {
    span_of: &'a F,
    report: &'a mut Report,
}

impl<F: Fn(Range<usize>) -> Span> Reader<'_, F> {
    /// The entries of a table in the order of the file, which the parser does not keep.
    fn entries(&mut self, table: DeTable<'_>) -> Vec<Entry> {
        let mut entries: Vec<(usize, Entry)> = table
            .into_iter()
            .filter_map(|(key, value)| {
                let (at, span) = (key.span().start, (self.span_of)(key.span()));
                let place = (self.span_of)(value.span());
                let value = self.node(place, value.into_inner())?;
                Some((at, Entry { key: key.into_inner().into_owned(), span, value }))
            })
            .collect();
        entries.sort_by_key(|(at, _)| *at);
        entries.into_iter().map(|(_, entry)| entry).collect()
    }

    fn node(&mut self, span: Span, value: DeValue<'_>) -> Option<Node> {
        let kind = match value {
            DeValue::String(text) => Kind::Text(text.into_owned()),
            DeValue::Boolean(value) => Kind::Bool(value),
            DeValue::Datetime(moment) => Kind::Moment(moment.to_string()),
            DeValue::Integer(digits) => match i64::from_str_radix(digits.as_str(), digits.radix()) {
                Ok(number) => Kind::Integer(number),
                Err(_) => return self.too_large(span),
            },
            DeValue::Float(digits) => match digits.as_str().parse::<f64>() {
                Ok(number) if number.is_finite() => Kind::Float(number),
                _ => return self.too_large(span),
            },
            DeValue::Array(items) => Kind::List(
                items
                    .into_iter()
                    .filter_map(|item| {
                        let place = (self.span_of)(item.span());
                        self.node(place, item.into_inner())
                    })
                    .collect(),
            ),
            DeValue::Table(table) => Kind::Table(self.entries(table)),
        };
        Some(Node { span, kind })
    }

    fn too_large(&mut self, span: Span) -> Option<Node> {
        self.report.error("number", Some(span), "this number does not fit; expected one between -2^63 and 2^63 - 1");
        None
    }
}
