//! The table file: finding it, reading it and what it includes, and showing what is wrong with it.

use std::collections::BTreeMap;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use annotate_snippets::{AnnotationKind, Group, Level, Renderer, Snippet};
use vivid_lane::declare::Severity;
use vivid_lane::{Finding, Source, Table, TableError, TableSpec};

use crate::output::{Failure, entry_of};
use crate::progress::during;
use crate::system::System;

/// How many findings are shown with the lines that they are about.
const MOST_SHOWN: usize = 40;

/// A line of a table file, with the part that a finding is about.
#[derive(Debug, serde::Serialize)]
pub(crate) struct Excerpt<'a> {
    file: &'a str,
    line: usize,
    before: &'a str,
    marked: &'a str,
    after: &'a str,
}

/// A table file and the files that it includes, with the names that messages use for them.
#[derive(Debug)]
pub(crate) struct TableFile {
    name: String,
    texts: BTreeMap<String, Arc<str>>,
    spec: TableSpec,
}

impl TableFile {
    /// Reads the named file, or `routes.toml` in this folder or the nearest above it.
    pub(crate) fn load(system: &dyn System, named: Option<&Path>) -> Result<Self, Failure> {
        let path = match named {
            Some(path) => path.to_owned(),
            None => nearest_table(system)?,
        };
        let folder = path.parent().unwrap_or(Path::new("")).to_owned();
        let name = path.display().to_string();
        let text: Arc<str> = read_text(system, &path)?.into();
        let mut texts = BTreeMap::from([(name.clone(), text.clone())]);
        let spec = TableSpec::read_with(Source::by_name(name.as_str(), text), &mut |file| {
            let path = folder.join(file);
            let text: Arc<str> = read_text(system, &path).map_err(|failure| failure.to_string())?.into();
            let name = path.display().to_string();
            texts.insert(name.clone(), text.clone());
            Ok(Source::by_name(name, text))
        });
        Ok(Self { name, texts, spec })
    }

    /// Builds the table, with the findings as they are where it cannot be built.
    pub(crate) fn build(&self) -> Result<Table, TableError> {
        self.spec.clone().build()
    }

    /// A check of the table.
    #[cfg(feature = "serve")]
    pub(crate) fn review(&self) -> vivid_lane::Review {
        vivid_lane::Review::new(self.spec.clone())
    }

    /// The files that the table is made of.
    pub(crate) fn paths(&self) -> impl Iterator<Item = PathBuf> {
        self.texts.keys().map(PathBuf::from)
    }

    /// The texts of the files, by their names.
    #[cfg(feature = "language-server")]
    pub(crate) fn texts(&self) -> &BTreeMap<String, Arc<str>> {
        &self.texts
    }

    /// Whether all files say the same as those of another table.
    pub(crate) fn has_same_texts(&self, other: &Self) -> bool {
        self.texts == other.texts
    }

    /// Builds the table, of a declaration that is not needed again.
    pub(crate) fn into_table(mut self) -> Result<Table, Failure> {
        let spec = self.take_spec();
        let built = during("building the table", || spec.build());
        built.map_err(|error| Failure::Table(self.render(error.findings())))
    }

    /// The table as it is declared, which is then not here any more.
    pub(crate) fn take_spec(&mut self) -> TableSpec {
        std::mem::take(&mut self.spec)
    }

    /// What tells the texts of this table from those of others, on whatever machine (FNV-1a, 64 bits).
    #[cfg(not(target_family = "wasm"))]
    pub(crate) fn fingerprint(&self) -> String {
        let mut hash = 0xcbf2_9ce4_8422_2325_u64;
        for text in self.texts.values() {
            for byte in text.bytes().chain([0]) {
                hash = (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
            }
        }
        format!("{hash:016x}")
    }

    /// The name that messages use for the file.
    pub(crate) fn name(&self) -> &str {
        &self.name
    }

    /// Builds the table, for commands that can do nothing without one.
    pub(crate) fn table(&self) -> Result<Table, Failure> {
        self.build().map_err(|error| Failure::Table(self.render(error.findings())))
    }

    /// Findings for people: the message, the lines of the file that it is about, and the mend.
    pub(crate) fn render(&self, findings: &[Finding]) -> String {
        let renderer = Renderer::styled();
        let shown = findings.iter().take(MOST_SHOWN).map(|finding| renderer.render(&[self.group(finding)]) + "\n\n");
        let more = findings.len().saturating_sub(MOST_SHOWN);
        let rest = (more > 0).then(|| format!("… and {more} more; `check --format json` lists them\n\n"));
        shown.chain(rest).collect()
    }

    /// The line that a finding is about, and what of it is meant.
    pub(crate) fn excerpt<'a>(&'a self, finding: &'a Finding) -> Option<Excerpt<'a>> {
        let place = finding.place()?;
        let file = place.file().unwrap_or(&self.name);
        let text = self.texts.get(file).map_or("", |text| &**text);
        let range = place.range();
        let start = text.get(..range.start)?.rfind('\n').map_or(0, |at| at + 1);
        let end = text[range.start..].find('\n').map_or(text.len(), |at| range.start + at);
        let marked = range.start..range.end.clamp(range.start, end);
        Some(Excerpt {
            file,
            line: place.line(),
            before: &text[start..range.start],
            marked: text.get(marked.clone()).unwrap_or_default(),
            after: text.get(marked.end..end).unwrap_or_default(),
        })
    }

    fn group<'a>(&'a self, finding: &'a Finding) -> Group<'a> {
        let level = match finding.severity() {
            Severity::Error => Level::ERROR,
            Severity::Warning => Level::WARNING,
            Severity::Note => Level::NOTE,
        };
        let code = finding.code();
        let title = level.primary_title(finding.message()).id(code.as_str()).id_url(entry_of(code));
        let mut group = Group::with_title(title);
        if let Some(place) = finding.place() {
            let name = place.file().unwrap_or(&self.name);
            let text = self.texts.get(name).map_or("", |text| &**text);
            // A place between two characters is shown at the next one, all of it.
            let range = place.range();
            let next = text.get(range.start..).and_then(|rest| rest.chars().next()).map_or(0, char::len_utf8);
            let mark = AnnotationKind::Primary.span(range.start..range.end.max(range.start + next));
            group = group.element(Snippet::source(text).path(name).annotation(mark));
        }
        if let Some(witness) = finding.witness().filter(|witness| !finding.message().contains(*witness)) {
            group = group.element(Level::NOTE.message(format!("for example `{witness}`")));
        }
        if let Some(help) = finding.help() {
            group = group.element(Level::HELP.message(help));
        }
        group
    }
}

/// The most bytes of a file that is read whole.
pub(crate) const MOST_BYTES: u64 = 256 << 20;

pub(crate) fn read_text(system: &dyn System, path: &Path) -> Result<String, Failure> {
    let failure = |error| Failure::File { path: path.to_owned(), error };
    let mut bytes = Vec::new();
    system.open(path).map_err(failure)?.take(MOST_BYTES + 1).read_to_end(&mut bytes).map_err(failure)?;
    if bytes.len() as u64 > MOST_BYTES {
        return Err(failure(io::Error::other(format!("it is longer than {} MiB", MOST_BYTES >> 20))));
    }
    text_of(path, bytes)
}

/// The text of a file that has these bytes.
pub(crate) fn text_of(path: &Path, bytes: Vec<u8>) -> Result<String, Failure> {
    String::from_utf8(bytes)
        .map_err(|error| Failure::NotUtf8 { path: path.to_owned(), at: error.utf8_error().valid_up_to() })
}

pub(crate) fn nearest_table(system: &dyn System) -> Result<PathBuf, Failure> {
    let here = system.here().map_err(|error| Failure::File { path: ".".into(), error })?;
    // Spoken of as the user sees it: by its bare name where it is in this very folder.
    if system.is_file(Path::new("routes.toml")) {
        return Ok("routes.toml".into());
    }
    let found = here.ancestors().map(|folder| folder.join("routes.toml")).find(|path| system.is_file(path));
    found.ok_or(Failure::NoTable { from: here })
}
