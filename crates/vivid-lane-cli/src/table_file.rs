//! The table file: finding it, reading it, and showing what is wrong with it.

use std::path::{Path, PathBuf};

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use vivid_lane::{Finding, Severity, Source, Table, TableError, TableSpec};

use crate::output::Failure;

/// The demo table, so that `demo` runs wherever the tool is installed.
const DEMO: &str = include_str!("../../../demo/larkfell/routes.toml");

/// The text of a table file, and the name under which it is spoken of.
#[derive(Debug, Clone)]
pub(crate) struct TableFile {
    name: String,
    text: String,
}

impl TableFile {
    /// The demo table.
    pub(crate) fn demo() -> Self {
        Self { name: "demo/larkfell/routes.toml".to_owned(), text: DEMO.to_owned() }
    }

    /// Reads the named file, or `routes.toml` in this folder or the nearest above it.
    pub(crate) fn load(named: Option<&Path>) -> Result<Self, Failure> {
        let path = match named {
            Some(path) => path.to_owned(),
            None => nearest_table()?,
        };
        let bytes = std::fs::read(&path).map_err(|error| Failure::File { path: path.clone(), error })?;
        let text = String::from_utf8(bytes)
            .map_err(|error| Failure::NotUtf8 { path: path.clone(), at: error.utf8_error().valid_up_to() })?;
        Ok(Self { name: path.display().to_string(), text })
    }

    /// Builds the table, with the findings as they are where it cannot be built.
    pub(crate) fn build(&self) -> Result<Table, TableError> {
        TableSpec::read(Source::toml(self.text.as_str()).named(self.name.as_str())).build()
    }

    /// Builds the table, for commands that can do nothing without one.
    pub(crate) fn table(&self) -> Result<Table, Failure> {
        self.build().map_err(|error| Failure::Table(self.render(error.findings())))
    }

    /// Findings for people: the message, the lines of the file that it is about, and the mend.
    pub(crate) fn render(&self, findings: &[Finding]) -> String {
        let renderer = Renderer::styled();
        findings.iter().map(|finding| renderer.render(&[self.group(finding)]) + "\n\n").collect()
    }

    fn group<'a>(&'a self, finding: &'a Finding) -> Group<'a> {
        let level = match finding.severity() {
            Severity::Error => Level::ERROR,
            Severity::Warning => Level::WARNING,
            Severity::Note => Level::NOTE,
        };
        let mut group = Group::with_title(level.primary_title(finding.message()).id(finding.code()));
        if let Some(place) = finding.place() {
            let mark = AnnotationKind::Primary.span(place.range());
            group = group.element(Snippet::source(&self.text).path(&self.name).annotation(mark));
        }
        if let Some(witness) = finding.witness() {
            group = group.element(Level::NOTE.message(format!("`{witness}` shows it")));
        }
        if let Some(help) = finding.help() {
            group = group.element(Level::HELP.message(help));
        }
        group
    }
}

fn nearest_table() -> Result<PathBuf, Failure> {
    let here = std::env::current_dir().map_err(|error| Failure::File { path: ".".into(), error })?;
    let found = here.ancestors().map(|folder| folder.join("routes.toml")).find(|path| path.is_file());
    found.ok_or(Failure::NoTable { from: here })
}
