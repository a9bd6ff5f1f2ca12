//! A text as a tree of values with places, whatever format it was written in.

use super::code::{Code, Severity};
use super::comment::{Comments, KeyComments};
use super::data::Data;
use super::finding::{Finding, Report, TableError};
use super::node::{Entry, Node, NodeKind};
use super::source::{Origin, Place, Source, Span, Syntax};
use super::syntax;

/// A parsed text in TOML, JSON or YAML that keeps places in the source, the order of keys and, where the format has
/// them, comments. It need not be a route table: `convert` reads all its inputs this way.
///
/// # Example
/// ```
/// use vivid_lane::declare::Document;
/// use vivid_lane::Source;
///
/// let document = Document::read(Source::yaml("# The start.\nroutes:\n  home: { path: / }\n"))?;
/// let (key, routes) = document.root().entries().next().unwrap();
/// assert_eq!((key.name(), key.above()), ("routes", ["The start.".to_owned()].as_slice()));
/// let path = routes.get("home").and_then(|home| home.get("path")).unwrap();
/// assert_eq!((path.as_text(), path.place().line()), (Some("/"), 3));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct Document {
    syntax: Syntax,
    text: String,
    root: Node,
    comments: Comments,
    findings: Vec<Finding>,
}

impl Document {
    /// Parses a text. Aliases in YAML are expanded until the result is ten times as large as the text.
    ///
    /// # Errors
    /// The text is not in its format, is no table of keys and values, or has more than 256 MiB.
    pub fn read(source: Source) -> Result<Self, TableError> {
        let mut report = Report::default();
        if source.text.len() > super::read::LONGEST {
            let message = format!("a text may have {} bytes, this one has more", super::read::LONGEST);
            report.add(Code::TooLarge, None, message);
            return Err(report.into_error());
        }
        let syntax = source.syntax;
        let origin = Origin::new(source);
        let entries = syntax::read(syntax, &origin, true, &mut report);
        let findings = report.into_findings();
        if findings.iter().any(|finding| finding.code().is_of_reading()) {
            return Err(Report::from_findings(findings).into_error());
        }
        let span = Span::new(&origin, 0..origin.text().len());
        let root = Node { span, kind: NodeKind::Table(entries) };
        let comments = if syntax == Syntax::Json { Comments::default() } else { Comments::of(&origin, &root) };
        Ok(Self { syntax, text: origin.text().to_owned(), root, comments, findings })
    }

    /// The document, if it holds all that the text says.
    ///
    /// # Errors
    /// A key is declared twice, or a number does not fit.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Source;
    /// use vivid_lane::declare::Document;
    ///
    /// let text = "[routes.home]\npath = '/'\npage = 'home'\ndata.visitors = 123_456_789_012_345_678_901";
    /// let error = Document::read(Source::toml(text))?.whole().unwrap_err();
    /// assert!(error.to_string().starts_with("line 4, column 17: this number does not fit"));
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    pub fn whole(self) -> Result<Self, TableError> {
        if self.findings.iter().any(|finding| finding.severity() == Severity::Error) {
            return Err(Report::from_findings(self.findings).into_error());
        }
        Ok(self)
    }

    /// The format of the text.
    #[must_use]
    pub fn syntax(&self) -> Syntax {
        self.syntax
    }

    /// The text itself.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Problems that do not stop the reading: names that occur twice, numbers that are too large.
    #[must_use]
    pub fn findings(&self) -> &[Finding] {
        &self.findings
    }

    /// The value that contains all others.
    #[must_use]
    pub fn root(&self) -> DocumentItem<'_> {
        DocumentItem { document: self, node: &self.root }
    }

    /// The comments after the last key.
    #[must_use]
    pub fn comments_at_end(&self) -> &[String] {
        self.comments.at_end()
    }
}

/// A value of a [`Document`].
#[derive(Debug, Clone, Copy)]
pub struct DocumentItem<'d> {
    document: &'d Document,
    node: &'d Node,
}

impl<'d> DocumentItem<'d> {
    /// The value under a key, if this is a table that has it.
    #[must_use]
    pub fn get(self, name: &str) -> Option<Self> {
        match &self.node.kind {
            NodeKind::Table(entries) => {
                entries.iter().find(|entry| entry.key == name).map(|entry| self.of(&entry.value))
            }
            _ => None,
        }
    }

    /// The keys and values of a table, in their order; none for other values.
    pub fn entries(self) -> impl ExactSizeIterator<Item = (DocumentKey<'d>, Self)> {
        let entries: &'d [Entry] = match &self.node.kind {
            NodeKind::Table(entries) => entries,
            _ => &[],
        };
        entries.iter().map(move |entry| (DocumentKey { document: self.document, entry }, self.of(&entry.value)))
    }

    /// The items of a list, in their order; none for other values.
    pub fn items(self) -> impl ExactSizeIterator<Item = Self> {
        let items: &'d [Node] = match &self.node.kind {
            NodeKind::List(items) => items,
            _ => &[],
        };
        items.iter().map(move |node| self.of(node))
    }

    fn of(self, node: &'d Node) -> Self {
        Self { node, ..self }
    }

    /// The text, if this is one.
    #[must_use]
    pub fn as_text(self) -> Option<&'d str> {
        match &self.node.kind {
            NodeKind::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The truth value, if this is one.
    #[must_use]
    pub fn as_bool(self) -> Option<bool> {
        match self.node.kind {
            NodeKind::Bool(value) => Some(value),
            _ => None,
        }
    }

    /// Whether this is a table.
    #[must_use]
    pub fn is_table(self) -> bool {
        matches!(self.node.kind, NodeKind::Table(_))
    }

    /// Whether this is a list.
    #[must_use]
    pub fn is_list(self) -> bool {
        matches!(self.node.kind, NodeKind::List(_))
    }

    /// What kind of value this is, in words, such as `a list`.
    #[must_use]
    pub fn describe(self) -> &'static str {
        self.node.describe()
    }

    /// The value without its places.
    #[must_use]
    pub fn to_data(self) -> Data {
        self.node.clone().into_data()
    }

    /// Where the value stands in the source.
    #[must_use]
    pub fn place(self) -> Place {
        self.node.span.place()
    }
}

/// A key of a [`Document`], with the comments that belong to it.
#[derive(Debug, Clone, Copy)]
pub struct DocumentKey<'d> {
    document: &'d Document,
    entry: &'d Entry,
}

impl<'d> DocumentKey<'d> {
    /// The key itself.
    #[must_use]
    pub fn name(self) -> &'d str {
        &self.entry.key
    }

    /// Where the key stands in the source.
    #[must_use]
    pub fn place(self) -> Place {
        self.entry.span.place()
    }

    fn comments(self) -> Option<&'d KeyComments> {
        self.document.comments.of_key(self.entry.span.start())
    }

    /// The comments above it, a line each, without their mark; an empty text is an empty line.
    #[must_use]
    pub fn above(self) -> &'d [String] {
        self.comments().map_or(&[], |comments| &comments.above)
    }

    /// The comment after it, on its line.
    #[must_use]
    pub fn beside(self) -> Option<&'d str> {
        self.comments()?.beside.as_deref()
    }
}
