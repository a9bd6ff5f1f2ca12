//! JSON (RFC 8259) → document.

use super::code::Code;
use std::sync::Arc;

use jsonc_parser::ast::{ObjectPropName, Value};
use jsonc_parser::common::{Range, Ranged};
use jsonc_parser::{CollectOptions, ParseOptions, parse_to_ast};

use super::finding::Report;
use super::node::{DEEPEST, Entry, Node, NodeKind, too_deep, unique};
use super::source::{Origin, Span};

/// Plain JSON, without the liberties that the parser can take.
const PLAIN: ParseOptions = ParseOptions {
    allow_comments: false,
    allow_loose_object_property_names: false,
    allow_trailing_commas: false,
    allow_missing_commas: false,
    allow_single_quoted_strings: false,
    allow_hexadecimal_numbers: false,
    allow_unary_plus_numbers: false,
    allow_bare_decimal_point_numbers: false,
    allow_non_finite_numbers: false,
    allow_extended_string_escapes: false,
};

/// Reads a source as JSON.
pub(super) fn read(origin: &Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    if let Some(at) = first_too_deep(origin.text()) {
        let span = Span::new(origin, at..at + 1);
        report.add(Code::Json, Some(&span), too_deep());
        return Vec::new();
    }
    let value = match parse_to_ast(origin.text(), &CollectOptions::default(), &PLAIN) {
        Ok(parsed) => parsed.value,
        Err(error) => {
            let span = span(origin, error.range());
            report.add(Code::Json, Some(&span), format!("this is not JSON: {}", error.kind()));
            return Vec::new();
        }
    };
    match value {
        Some(Value::Object(object)) => match node(origin, Value::Object(object), report).kind {
            NodeKind::Table(entries) => entries,
            _ => Vec::new(),
        },
        other => {
            let place = other.map(|value| span(origin, value.range()));
            report.add(Code::Json, place.as_ref(), "expected a JSON object, such as one with `site` and `routes`");
            Vec::new()
        }
    }
}

fn span(origin: &Arc<Origin>, range: Range) -> Span {
    Span::new(origin, range.start..range.end)
}

/// Where the first value begins that is nested too deep. The parser would call itself for each level.
fn first_too_deep(text: &str) -> Option<usize> {
    let (mut depth, mut is_text, mut is_escaped) = (0_usize, false, false);
    text.bytes().position(|byte| {
        match byte {
            _ if is_escaped => is_escaped = false,
            b'\\' if is_text => is_escaped = true,
            b'"' => is_text = !is_text,
            b'[' | b'{' if !is_text => depth += 1,
            b']' | b'}' if !is_text => depth = depth.saturating_sub(1),
            _ => {}
        }
        depth > DEEPEST + 1
    })
}

fn node(origin: &Arc<Origin>, value: Value<'_>, report: &mut Report) -> Node {
    let place = span(origin, value.range());
    let kind = match value {
        Value::StringLit(text) => NodeKind::Text(text.value.into_owned()),
        Value::BooleanLit(value) => NodeKind::Bool(value.value),
        Value::NullKeyword(_) => NodeKind::Null,
        Value::NumberLit(number) => NodeKind::number(number.value, &place, report),
        Value::Array(array) => {
            NodeKind::List(array.elements.into_iter().map(|value| node(origin, value, report)).collect())
        }
        Value::Object(object) => {
            let entries = object.properties.into_iter().map(|property| {
                let at = span(origin, property.name.range());
                let key = match property.name {
                    ObjectPropName::String(text) => text.value.into_owned(),
                    ObjectPropName::Word(word) => word.value.to_owned(),
                };
                Entry { key: key.into(), span: at, value: node(origin, property.value, report) }
            });
            let entries = entries.collect();
            NodeKind::Table(unique(entries, report))
        }
    };
    Node { span: place, kind }
}
