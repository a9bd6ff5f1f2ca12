//! YAML 1.2 (core schema) → document.

use std::sync::Arc;

use saphyr_parser::{Event, Parser, ScalarStyle, Span as Marks};

use super::Report;
use super::document::{Entry, Kind, Node, unique};
use super::source::{Origin, Span};

/// How deep values may be nested, as in the other formats.
const DEEPEST: usize = 80;

/// Reads a source as YAML.
pub(super) fn read(origin: &Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    let mut reader = Reader {
        origin,
        report,
        bytes: origin.text().char_indices().map(|(at, _)| at).collect(),
        events: Parser::new_from_str(origin.text()),
    };
    match reader.document() {
        Ok(Some(Node { kind: Kind::Table(entries), .. })) => entries,
        Ok(other) => {
            let place = other.map(|node| node.span);
            reader.report.error("yaml", place.as_ref(), "expected a YAML mapping with `site` and `routes`");
            Vec::new()
        }
        Err(Broken) => Vec::new(),
    }
}

/// Reading cannot go on; why is in the report.
struct Broken;

struct Reader<'a> {
    origin: &'a Arc<Origin>,
    report: &'a mut Report,
    /// For each character, the byte at which it starts.
    bytes: Vec<usize>,
    events: Parser<'a, saphyr_parser::StrInput<'a>>,
}

impl<'a> Reader<'a> {
    fn next(&mut self) -> Result<(Event<'a>, Span), Broken> {
        match self.events.next() {
            Some(Ok((event, marks))) => Ok((event, self.span(marks))),
            Some(Err(error)) => {
                let at = self.byte(error.marker().index());
                let span = Span::new(self.origin, at..at + 1);
                self.report.error("yaml", Some(&span), format!("this is not YAML: {}", error.info()));
                Err(Broken)
            }
            None => Err(Broken),
        }
    }

    fn byte(&self, character: usize) -> usize {
        self.bytes.get(character).copied().unwrap_or(self.origin.text().len())
    }

    fn span(&self, marks: Marks) -> Span {
        Span::new(self.origin, self.byte(marks.start.index())..self.byte(marks.end.index()))
    }

    fn document(&mut self) -> Result<Option<Node>, Broken> {
        loop {
            match self.next()? {
                (Event::StreamStart | Event::DocumentStart(_) | Event::Nothing, _) => {}
                (Event::StreamEnd | Event::DocumentEnd, _) => return Ok(None),
                (event, span) => return self.node(event, span, 0).map(Some),
            }
        }
    }

    fn refuse<T>(&mut self, span: &Span, message: &str) -> Result<T, Broken> {
        self.report.error("yaml", Some(span), message);
        Err(Broken)
    }

    fn node(&mut self, event: Event<'a>, span: Span, depth: usize) -> Result<Node, Broken> {
        if depth > DEEPEST {
            return self.refuse(&span, &format!("values may be nested {DEEPEST} deep, this one is deeper"));
        }
        let kind = match event {
            Event::Scalar(text, ScalarStyle::Plain, _, None) => self.plain(&text, &span),
            Event::Scalar(text, _, _, _) => Kind::Text(text.into_owned()),
            Event::SequenceStart(..) => {
                let mut items = Vec::new();
                loop {
                    match self.next()? {
                        (Event::SequenceEnd, _) => break Kind::List(items),
                        (event, span) => items.push(self.node(event, span, depth + 1)?),
                    }
                }
            }
            Event::MappingStart(..) => {
                let mut entries = Vec::new();
                loop {
                    let (key, at) = match self.next()? {
                        (Event::MappingEnd, _) => break Kind::Table(unique(entries, self.report)),
                        (Event::Scalar(text, ..), at) => (text.into_owned(), at),
                        (_, at) => return self.refuse(&at, "expected text as a key"),
                    };
                    let (event, span) = self.next()?;
                    entries.push(Entry { key, span: at, value: self.node(event, span, depth + 1)? });
                }
            }
            // An alias can make a small file unfold into a huge one.
            Event::Alias(_) => return self.refuse(&span, "an alias has no place in a table file; write the value out"),
            _ => return self.refuse(&span, "expected a value"),
        };
        Ok(Node { span, kind })
    }

    /// A scalar without quotes (YAML 1.2.2, section 10.3.2).
    fn plain(&mut self, text: &str, span: &Span) -> Kind {
        let digits = text.strip_prefix(['-', '+']).unwrap_or(text);
        match text {
            "" | "~" | "null" | "Null" | "NULL" => Kind::Null,
            "true" | "True" | "TRUE" => Kind::Bool(true),
            "false" | "False" | "FALSE" => Kind::Bool(false),
            _ if digits.starts_with(|c: char| c.is_ascii_digit())
                && digits
                    .bytes()
                    .all(|byte| byte.is_ascii_digit() || matches!(byte, b'.' | b'e' | b'E' | b'+' | b'-'))
                && text.parse::<f64>().is_ok() =>
            {
                Kind::number(text, span, self.report)
            }
            _ => Kind::Text(text.to_owned()),
        }
    }
}
