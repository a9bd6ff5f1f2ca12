//! What is wrong with a table.

use std::fmt;

use super::code::{Code, Severity};
use super::source::{Place, Span};

/// One problem of a table: where it is, what was expected, and how to mend it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    severity: Severity,
    code: Code,
    message: String,
    help: Option<String>,
    routes: Vec<String>,
    witness: Option<String>,
    only: [Option<String>; 2],
    place: Option<Place>,
}

impl Finding {
    /// How serious it is.
    #[must_use]
    pub fn severity(&self) -> Severity {
        self.severity
    }

    /// The kind of the finding, such as [`Code::UnknownKey`]; it compares equal to its word, `unknown-key`.
    #[must_use]
    pub fn code(&self) -> Code {
        self.code
    }

    /// What was expected and what was found.
    #[must_use]
    pub fn message(&self) -> &str {
        &self.message
    }

    /// How to mend it, if that is known.
    #[must_use]
    pub fn help(&self) -> Option<&str> {
        self.help.as_deref()
    }

    /// The names of the routes that the finding is about.
    #[must_use]
    pub fn routes(&self) -> &[String] {
        &self.routes
    }

    /// A URL that proves the finding.
    #[must_use]
    pub fn witness(&self) -> Option<&str> {
        self.witness.as_deref()
    }

    /// For a finding about two routes: a text that only the first accepts, at the place where they differ. It is a
    /// value of a segment, a whole path, or a pair of the query.
    #[must_use]
    pub fn only_first(&self) -> Option<&str> {
        self.only[0].as_deref()
    }

    /// For a finding about two routes: a text that only the second accepts at that place.
    #[must_use]
    pub fn only_second(&self) -> Option<&str> {
        self.only[1].as_deref()
    }

    /// Where it stands in the table file, if the table was read from one.
    #[must_use]
    pub fn place(&self) -> Option<&Place> {
        self.place.as_ref()
    }

    fn new(code: Code, message: String, place: Option<Place>) -> Self {
        Self {
            severity: code.severity(),
            code,
            message,
            help: None,
            routes: Vec::new(),
            witness: None,
            only: [None, None],
            place,
        }
    }

    pub(crate) fn help_with(&mut self, help: impl Into<String>) -> &mut Self {
        self.help = Some(help.into());
        self
    }

    pub(crate) fn route(&mut self, name: impl AsRef<str>) -> &mut Self {
        self.routes.push(name.as_ref().to_owned());
        self
    }

    pub(crate) fn about(&mut self, names: impl IntoIterator<Item = impl AsRef<str>>) {
        self.routes.extend(names.into_iter().map(|name| name.as_ref().to_owned()));
    }

    /// What of two routes only the first accepts, and what only the second.
    pub(crate) fn contrasted(&mut self, only: [Option<String>; 2]) -> &mut Self {
        self.only = only;
        self
    }

    pub(crate) fn witnessed(&mut self, url: impl Into<String>) -> &mut Self {
        self.witness = Some(url.into());
        self
    }
}

impl fmt::Display for Finding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(place) = &self.place {
            write!(f, "{place}: ")?;
        }
        f.write_str(&self.message)?;
        if let Some(help) = &self.help {
            write!(f, "; {help}")?;
        }
        Ok(())
    }
}

/// Why a table cannot be built: all findings about it.
///
/// # Example
/// ```
/// use vivid_lane::Table;
///
/// let error = Table::from_toml("[routes.home]\npath = 'home'\npage = 'home'\ncolour = 'red'").unwrap_err();
/// let codes: Vec<_> = error.findings().iter().map(|finding| finding.code().as_str()).collect();
/// assert_eq!(codes, ["path-start", "unknown-key"]);
/// assert_eq!(error.findings()[0].place().map(|place| (place.line(), place.column())), Some((2, 8)));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TableError {
    findings: Vec<Finding>,
}

impl TableError {
    /// Everything that was found, in the order of the file; at least one is an error.
    #[must_use]
    pub fn findings(&self) -> &[Finding] {
        &self.findings
    }

    /// Whether there is no table at all, because the text is too long, empty, or not in its format.
    #[must_use]
    pub fn is_unreadable(&self) -> bool {
        self.findings
            .iter()
            .any(|finding| finding.code.is_of_reading() || matches!(finding.code, Code::TooLarge | Code::NoRoutes))
    }
}

impl fmt::Display for TableError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, finding) in self.findings.iter().enumerate() {
            if at > 0 {
                f.write_str("\n")?;
            }
            finding.fmt(f)?;
        }
        Ok(())
    }
}

impl std::error::Error for TableError {}

/// Gathers findings while a table is read and built, so that all are reported at once.
#[derive(Debug, Clone, Default)]
pub(crate) struct Report {
    findings: Vec<Finding>,
    /// How many findings of each severity are kept.
    kept: [usize; 3],
    /// How many findings there are beyond those that are kept, the worst severity among them, and the last of them.
    more: usize,
    worst: Option<Severity>,
    surplus: Option<Finding>,
}

/// How many findings of one severity are kept, so that a file that is wrong throughout is reported in linear time.
const MOST_FINDINGS: usize = 1000;

impl Report {
    /// Notes a finding, and gives it back so that help, routes and a witness can be added.
    pub(crate) fn add(&mut self, code: Code, span: Option<&Span>, message: impl Into<String>) -> &mut Finding {
        let (severity, message) = (code.severity(), message.into());
        let kept = &mut self.kept[severity as usize];
        if *kept == MOST_FINDINGS {
            self.more += 1;
            self.worst = self.worst.max(Some(severity));
            // What is added to it is lost with it, as nobody reads that far.
            return self.surplus.insert(Finding::new(code, message, None));
        }
        *kept += 1;
        let at = self.findings.len();
        self.findings.push(Finding::new(code, message, span.map(Span::place)));
        &mut self.findings[at]
    }

    /// A report that goes on from these findings.
    pub(crate) fn from_findings(findings: Vec<Finding>) -> Self {
        let mut report = Self::default();
        findings.iter().for_each(|finding| report.kept[finding.severity as usize] += 1);
        Self { findings, ..report }
    }

    /// Whether there is an error among the findings.
    pub(crate) fn has_errors(&self) -> bool {
        self.findings.iter().any(|finding| finding.severity == Severity::Error)
    }

    /// Adds what another report holds.
    pub(crate) fn absorb(&mut self, other: Self) {
        self.findings.extend(other.findings);
        self.more += other.more;
        self.worst = self.worst.max(other.worst);
        self.kept.iter_mut().zip(other.kept).for_each(|(kept, more)| *kept += more);
    }

    /// The findings in the order of the file, those without a place last.
    pub(crate) fn into_findings(mut self) -> Vec<Finding> {
        self.findings.sort_by_key(|finding| match &finding.place {
            Some(place) => (0, place.file().map(str::to_owned), place.range().start),
            None => (1, None, 0),
        });
        if self.more > 0 {
            let message = format!("{} more findings are not listed", self.more);
            let severity = self.worst.unwrap_or(Severity::Error);
            self.findings.push(Finding { severity, ..Finding::new(Code::More, message, None) });
        }
        self.findings
    }

    /// The findings as an error.
    pub(crate) fn into_error(self) -> TableError {
        TableError { findings: self.into_findings() }
    }
}
