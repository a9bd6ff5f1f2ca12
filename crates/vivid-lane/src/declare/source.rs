//! Texts that tables are read from, and places in them.

use std::fmt;
use std::ops::Range;
use std::sync::Arc;

use smol_str::SmolStr;

/// The text of a table file, with the name that error messages use for it.
///
/// # Example
/// ```
/// use vivid_lane::{Source, Table};
///
/// let error = Table::from_source(Source::toml("[routes.home]\npth = '/'").named("routes.toml")).unwrap_err();
/// assert!(error.to_string().contains("routes.toml:2:1: unknown key `pth`"));
/// ```
#[derive(Debug, Clone)]
pub struct Source {
    pub(super) syntax: Syntax,
    pub(super) name: Option<String>,
    pub(super) text: Arc<str>,
}

/// The format of a table file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Syntax {
    /// TOML 1.0.
    Toml,
    /// JSON (RFC 8259).
    Json,
    /// YAML 1.2.
    Yaml,
}

impl Source {
    /// A text in TOML 1.0.
    pub fn toml(text: impl Into<Arc<str>>) -> Self {
        Self { syntax: Syntax::Toml, name: None, text: text.into() }
    }

    /// A text in JSON (RFC 8259).
    pub fn json(text: impl Into<Arc<str>>) -> Self {
        Self { syntax: Syntax::Json, name: None, text: text.into() }
    }

    /// A text in YAML 1.2.
    pub fn yaml(text: impl Into<Arc<str>>) -> Self {
        Self { syntax: Syntax::Yaml, name: None, text: text.into() }
    }

    /// A text whose format follows from the suffix of its file name: `.json`, `.yaml` or `.yml`, else TOML.
    pub fn by_name(name: impl Into<String>, text: impl Into<Arc<str>>) -> Self {
        let name = name.into();
        let source = match name.rsplit('.').next() {
            Some("json") => Self::json(text),
            Some("yaml" | "yml") => Self::yaml(text),
            _ => Self::toml(text),
        };
        source.named(name)
    }

    /// Sets the name of the file.
    #[must_use]
    pub fn named(mut self, name: impl Into<String>) -> Self {
        self.name = Some(name.into());
        self
    }
}

/// A source that is being read, and where its lines begin.
pub(super) struct Origin {
    name: Option<String>,
    text: Arc<str>,
    lines: Vec<u32>,
}

impl Origin {
    pub(super) fn new(source: Source) -> Arc<Self> {
        let lines = std::iter::once(0).chain(source.text.match_indices('\n').map(|(at, _)| narrow(at + 1))).collect();
        Arc::new(Self { name: source.name, text: source.text, lines })
    }

    pub(super) fn text(&self) -> &str {
        &self.text
    }

    pub(super) fn name(&self) -> Option<&str> {
        self.name.as_deref()
    }
}

/// The reader refuses sources that do not fit into 32 bits, so nothing is cut off.
fn narrow(at: usize) -> u32 {
    u32::try_from(at).unwrap_or(u32::MAX)
}

/// A stretch of bytes in a source. It shares the source, so that tables of several files can be joined
/// without renumbering anything.
#[derive(Clone)]
pub(crate) struct Span {
    origin: Arc<Origin>,
    start: u32,
    end: u32,
}

impl fmt::Debug for Span {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}..{}", self.start, self.end)
    }
}

impl Span {
    pub(super) fn new(origin: &Arc<Origin>, range: Range<usize>) -> Self {
        Self { origin: Arc::clone(origin), start: narrow(range.start), end: narrow(range.end.max(range.start)) }
    }

    /// The part of this span that starts `offset` bytes into it and is `width` bytes wide.
    pub(crate) fn within(&self, offset: usize, width: usize) -> Self {
        let at = |bytes: usize| (self.start as usize + bytes).min(self.end as usize);
        Self::new(&self.origin, at(offset)..at(offset + width))
    }

    pub(super) fn start(&self) -> u32 {
        self.start
    }

    pub(super) fn bytes(&self) -> Range<usize> {
        self.start as usize..self.end as usize
    }

    /// What stands there.
    pub(super) fn text(&self) -> &str {
        self.origin.text().get(self.bytes()).unwrap_or_default()
    }

    pub(crate) fn width(&self) -> usize {
        (self.end - self.start) as usize
    }

    /// Line and column for people.
    pub(crate) fn place(&self) -> Place {
        let text = self.origin.text();
        // Whole characters: a reader of a format may count otherwise.
        let start =
            (0..=(self.start as usize).min(text.len())).rev().find(|&at| text.is_char_boundary(at)).unwrap_or(0);
        let end = (self.end as usize).clamp(start, text.len());
        let end = (end..=text.len()).find(|&at| text.is_char_boundary(at)).unwrap_or(text.len());
        let line = self.origin.lines.partition_point(|&begin| begin as usize <= start);
        let begin = self.origin.lines[line.saturating_sub(1)] as usize;
        let column = text[begin..start].chars().count() + 1;
        Place::new(self.origin.name.clone(), line, column, start..end)
    }
}

/// A value and, where it came from a file, its place there.
#[derive(Debug, Clone, Default)]
pub(crate) struct Placed<T> {
    pub(crate) value: T,
    pub(crate) span: Option<Span>,
}

impl<T> Placed<T> {
    pub(crate) fn new(value: T, span: Span) -> Self {
        Self { value, span: Some(span) }
    }
}

impl Placed<SmolStr> {
    /// The place of some bytes of a text, within the quotes of the string that it was written as.
    pub(crate) fn within(&self, offset: usize, width: usize) -> Option<Span> {
        let span = self.span.as_ref()?;
        // A string that is cut off has its opening quote only.
        let quotes = span.width().saturating_sub(self.value.len()).div_ceil(2);
        Some(span.within(quotes + offset, width.max(1)))
    }
}

impl From<String> for Placed<SmolStr> {
    fn from(text: String) -> Self {
        Self::from(SmolStr::from(text))
    }
}

impl<T> From<T> for Placed<T> {
    fn from(value: T) -> Self {
        Self { value, span: None }
    }
}

/// A place in a table file.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Place {
    file: Option<String>,
    line: usize,
    column: usize,
    range: Range<usize>,
}

impl Place {
    pub(super) fn new(file: Option<String>, line: usize, column: usize, range: Range<usize>) -> Self {
        Self { file, line, column, range }
    }

    /// The name of the source, if it has one.
    #[must_use]
    pub fn file(&self) -> Option<&str> {
        self.file.as_deref()
    }

    /// The line, counted from 1.
    #[must_use]
    pub fn line(&self) -> usize {
        self.line
    }

    /// The column in characters, counted from 1.
    #[must_use]
    pub fn column(&self) -> usize {
        self.column
    }

    /// The byte range in the source.
    #[must_use]
    pub fn range(&self) -> Range<usize> {
        self.range.clone()
    }
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.file {
            Some(file) => write!(f, "{file}:{}:{}", self.line, self.column),
            None => write!(f, "line {}, column {}", self.line, self.column),
        }
    }
}
