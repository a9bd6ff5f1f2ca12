//! YAML 1.2 (core schema) → document.

use super::code::Code;
use std::collections::HashMap;
use std::sync::Arc;

use granit_parser::{Event, Marker, Parser, ScalarStyle, Span as Marks, StrInput};

use super::finding::Report;
use super::node::{DEEPEST, Entry, Node, NodeKind, too_deep, unique};
use super::source::{Origin, Span};

/// How many times as much as a text has may come of its anchors and aliases.
const MOST_UNFOLDED: usize = 10;
/// What may come of them however short the text is.
const LEAST_UNFOLDED: usize = 10_000;

/// Reads a source as YAML, in which an alias is an error: a table says what it says.
pub(super) fn read(origin: &Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    read_as(origin, report, None)
}

/// Reads a source as YAML and follows its aliases.
pub(super) fn read_with_aliases(origin: &Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    let budget = origin.text().len().saturating_mul(MOST_UNFOLDED).max(LEAST_UNFOLDED);
    read_as(origin, report, Some(Anchors { nodes: HashMap::new(), budget }))
}

/// The values that have an anchor.
struct Anchors {
    nodes: HashMap<usize, Anchored>,
    /// How much more may come of them: values, and bytes of their texts.
    budget: usize,
}

struct Anchored {
    node: Node,
    weight: usize,
    /// How deep values are nested in it.
    height: usize,
}

impl Anchors {
    /// Takes what a copy weighs from what is left.
    fn pay(&mut self, weight: usize) -> Option<()> {
        self.budget = self.budget.checked_sub(weight)?;
        Some(())
    }
}

fn read_as(origin: &Arc<Origin>, report: &mut Report, anchors: Option<Anchors>) -> Vec<Entry> {
    let mut reader = Reader { origin, report, events: Parser::new_from_str(origin.text()), anchors };
    match reader.document() {
        Ok(Some(Node { kind: NodeKind::Table(entries), .. })) => entries,
        Ok(other) => {
            let place = other.map(|node| node.span);
            reader.report.add(
                Code::Yaml,
                place.as_ref(),
                "expected a YAML mapping, such as one with `site` and `routes`",
            );
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
    events: Parser<'a, StrInput<'a>>,
    anchors: Option<Anchors>,
}

impl<'a> Reader<'a> {
    fn next(&mut self) -> Result<(Event<'a>, Span), Broken> {
        match self.events.next() {
            Some(Ok((event, marks))) => Ok((event, self.span(marks))),
            Some(Err(error)) => {
                let at = self.byte(*error.marker());
                let width = self.origin.text().get(at..).and_then(|rest| rest.chars().next()).map_or(1, char::len_utf8);
                let span = Span::new(self.origin, at..at + width);
                self.report.add(Code::Yaml, Some(&span), format!("this is not YAML: {}", error.info()));
                Err(Broken)
            }
            None => Err(Broken),
        }
    }

    fn byte(&self, mark: Marker) -> usize {
        mark.byte_offset().unwrap_or(self.origin.text().len())
    }

    fn span(&self, marks: Marks) -> Span {
        Span::new(self.origin, self.byte(marks.start)..self.byte(marks.end))
    }

    fn document(&mut self) -> Result<Option<Node>, Broken> {
        loop {
            match self.next()? {
                (Event::StreamStart | Event::DocumentStart(..), _) => {}
                (Event::StreamEnd | Event::DocumentEnd, _) => return Ok(None),
                (event, span) => {
                    let node = self.node(event, span, 0)?;
                    return self.end().map(|()| Some(node));
                }
            }
        }
    }

    /// What follows the document: nothing.
    fn end(&mut self) -> Result<(), Broken> {
        loop {
            match self.next()? {
                (Event::StreamEnd, _) => return Ok(()),
                (Event::DocumentEnd, _) => {}
                (_, span) => return self.refuse(&span, "expected one YAML document, found a second one"),
            }
        }
    }

    fn refuse<T>(&mut self, span: &Span, message: &str) -> Result<T, Broken> {
        self.report.add(Code::Yaml, Some(span), message);
        Err(Broken)
    }

    fn node(&mut self, event: Event<'a>, span: Span, depth: usize) -> Result<Node, Broken> {
        if depth > DEEPEST {
            return self.too_deep(&span);
        }
        let anchor = match &event {
            Event::Scalar(_, _, anchor, _) | Event::SequenceStart(_, anchor, _) | Event::MappingStart(_, anchor, _) => {
                *anchor
            }
            _ => 0,
        };
        let style = match &event {
            Event::Scalar(_, style, _, _) => Some(*style),
            _ => None,
        };
        let kind = match event {
            Event::Scalar(text, ScalarStyle::Plain, _, None) => self.plain(&text, &span),
            Event::Scalar(text, _, _, _) => NodeKind::Text(text.into_owned()),
            Event::SequenceStart(..) => {
                let mut items = Vec::new();
                loop {
                    match self.next()? {
                        (Event::SequenceEnd, _) => break NodeKind::List(items),
                        (event, span) => items.push(self.node(event, span, depth + 1)?),
                    }
                }
            }
            Event::MappingStart(..) => {
                let mut entries = Vec::new();
                loop {
                    let (key, at) = match self.next()? {
                        (Event::MappingEnd, _) => break NodeKind::Table(unique(entries, self.report)),
                        (Event::Scalar(text, ..), at) => (text.into_owned(), at),
                        (_, at) => return self.refuse(&at, "expected text as a key"),
                    };
                    let (event, span) = self.next()?;
                    entries.push(Entry { key: key.into(), span: at, value: self.node(event, span, depth + 1)? });
                }
            }
            Event::Alias(anchor) => return self.alias(anchor, &span, depth),
            _ => return self.refuse(&span, "expected a value"),
        };
        let span = match style {
            Some(style) => self.scalar_span(style, span),
            None => span,
        };
        let node = Node { span, kind };
        if let Some(anchors) = self.anchors.as_mut().filter(|_| anchor != 0) {
            let (weight, height) = node.weight_and_height();
            if anchors.pay(weight).is_none() {
                return self.too_much(&node.span);
            }
            anchors.nodes.insert(anchor, Anchored { node: node.clone(), weight, height });
        }
        Ok(node)
    }

    fn too_deep<T>(&mut self, span: &Span) -> Result<T, Broken> {
        self.refuse(span, &too_deep())
    }

    fn too_much<T>(&mut self, span: &Span) -> Result<T, Broken> {
        let most =
            format!("the anchors and aliases of a text may make {MOST_UNFOLDED} times as much of it, these make more");
        self.refuse(span, &most)
    }

    /// Where a scalar ends: the parser counts the spaces and comments after it as a part of it.
    fn scalar_span(&self, style: ScalarStyle, span: Span) -> Span {
        let bytes = span.bytes();
        let text = &self.origin.text()[bytes.clone()];
        let length = match style {
            ScalarStyle::DoubleQuoted => {
                let mut is_escaped = false;
                text.bytes().skip(1).position(|byte| {
                    let is_end = byte == b'"' && !is_escaped;
                    is_escaped = byte == b'\\' && !is_escaped;
                    is_end
                })
            }
            // A quote in the text is written twice, so the text ends with the last of them.
            ScalarStyle::SingleQuoted => {
                let mut quotes = 0;
                text.bytes().skip(1).zip(text.bytes().skip(2).chain([b' '])).position(|(byte, next)| {
                    quotes = if byte == b'\'' { quotes + 1 } else { 0 };
                    quotes % 2 == 1 && next != b'\''
                })
            }
            _ => return span,
        };
        length.map_or(span.clone(), |length| Span::new(self.origin, bytes.start..bytes.start + length + 2))
    }

    /// The value that an alias stands for. Aliases of aliases can make a small text huge, and deep.
    fn alias(&mut self, anchor: usize, span: &Span, depth: usize) -> Result<Node, Broken> {
        let Some(anchors) = &mut self.anchors else {
            return self.refuse(span, "an alias has no place in a table file; write the value out");
        };
        let Some(&Anchored { weight, height, .. }) = anchors.nodes.get(&anchor) else {
            return self.refuse(span, "this alias stands within the value that it is an alias of");
        };
        if depth.saturating_add(height) > DEEPEST {
            return self.too_deep(span);
        }
        let copy = anchors.pay(weight).and_then(|()| anchors.nodes.get(&anchor).map(|known| known.node.clone()));
        copy.map_or_else(|| self.too_much(span), Ok)
    }

    /// A scalar without quotes (YAML 1.2.2, section 10.3.2).
    fn plain(&mut self, text: &str, span: &Span) -> NodeKind {
        let digits = text.strip_prefix(['-', '+']).unwrap_or(text);
        match text {
            "" | "~" | "null" | "Null" | "NULL" => NodeKind::Null,
            "true" | "True" | "TRUE" => NodeKind::Bool(true),
            "false" | "False" | "FALSE" => NodeKind::Bool(false),
            _ if digits.starts_with(|c: char| c.is_ascii_digit())
                && digits
                    .bytes()
                    .all(|byte| byte.is_ascii_digit() || matches!(byte, b'.' | b'e' | b'E' | b'+' | b'-'))
                && text.parse::<f64>().is_ok() =>
            {
                NodeKind::number(text, span, self.report)
            }
            _ => NodeKind::Text(text.to_owned()),
        }
    }
}
