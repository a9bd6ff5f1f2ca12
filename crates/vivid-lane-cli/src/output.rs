//! What the tool prints, and what it says when it cannot.

use std::fmt;
use std::io::{self, Write};
use std::path::PathBuf;

use anstyle::{AnsiColor, Style};
use serde_json::{Map, Value as Json};
use vivid_lane::LinkError;
use vivid_lane::declare::Code;
use vivid_lane_exchange::openapi::OpenApiError;
use vivid_lane_exchange::sitemap::SitemapError;
use vivid_lane_exchange::without_controls;

pub(crate) const STRONG: Style = Style::new().bold();
pub(crate) const FAINT: Style = Style::new().dimmed();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default().bold();
pub(crate) const BAD: Style = AnsiColor::Red.on_default().bold();
pub(crate) const NAME: Style = AnsiColor::Cyan.on_default();

/// Where a code of a finding is explained.
pub(crate) fn entry_of(code: Code) -> String {
    format!("{}/docs/FINDINGS.md#{code}", env!("CARGO_PKG_REPOSITORY"))
}

/// Text in a style.
pub(crate) struct Styled<T>(pub(crate) Style, pub(crate) T);

impl<T: fmt::Display> fmt::Display for Styled<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}{}{}", self.0.render(), self.1, self.0.render_reset())
    }
}

/// Why a call could not be carried out.
#[derive(Debug)]
pub(crate) enum Failure {
    /// No table was named, and none is there.
    NoTable { from: PathBuf },
    /// A file cannot be read.
    File { path: PathBuf, error: io::Error },
    /// A file is not UTF-8 from that byte on.
    NotUtf8 { path: PathBuf, at: usize },
    /// The table is wrong; its findings, ready to print.
    Table(String),
    /// The link cannot be made.
    Link(LinkError),
    /// A value on the command line is wrong.
    Argument(String),
    /// The server cannot start, or has broken down.
    #[cfg(feature = "serve")]
    Serve(io::Error),
    #[cfg(not(target_family = "wasm"))]
    /// The demo data cannot be laid out.
    Demo(io::Error),
    #[cfg(not(target_family = "wasm"))]
    /// A log or a summary cannot be read to its end.
    Log { path: PathBuf, error: io::Error },
    /// The editor has gone, or says what nobody can understand.
    #[cfg(feature = "language-server")]
    Editor(String),
    /// A description cannot be read.
    Description { name: String, error: OpenApiError },
    /// A sitemap cannot be made.
    Sitemap(SitemapError),
    /// A file cannot be written.
    Write { path: PathBuf, error: io::Error },
    /// Standard input cannot be read.
    Input(io::Error),
    /// The result cannot be written.
    Output(io::Error),
}

impl From<io::Error> for Failure {
    fn from(error: io::Error) -> Self {
        Self::Output(error)
    }
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::NoTable { from } => write!(
                f,
                "no `routes.toml` in {} or above it; name a table with `--table FILE`, or try `vivid-lane demo`",
                from.display()
            ),
            Self::File { path, error } => write!(f, "cannot read {}: {error}", path.display()),
            #[cfg(not(target_family = "wasm"))]
            Self::Log { path, error } => {
                write!(f, "{} cannot be read to its end: {error}; the lines before that are counted", path.display())
            }
            Self::NotUtf8 { path, at } => {
                write!(f, "{} is not text: byte {at} is not UTF-8; save the file as UTF-8", path.display())
            }
            Self::Table(findings) => f.write_str(findings),
            Self::Link(error) => error.fmt(f),
            Self::Argument(message) => f.write_str(message),
            #[cfg(feature = "serve")]
            Self::Serve(error) => write!(f, "cannot serve: {error}"),
            #[cfg(not(target_family = "wasm"))]
            Self::Demo(error) => write!(f, "cannot lay out the demo data: {error}"),
            #[cfg(feature = "language-server")]
            Self::Editor(reason) => write!(f, "the editor cannot be understood: {reason}"),
            Self::Description { name, error } => match error.syntax() {
                Some(syntax) => write!(f, "{name}: {error}\n{syntax}"),
                None => write!(f, "{name}: {error}"),
            },
            Self::Sitemap(error) => error.fmt(f),
            Self::Write { path, error } => write!(f, "cannot write {}: {error}", path.display()),
            Self::Input(error) => write!(f, "cannot read standard input: {error}"),
            Self::Output(error) => write!(f, "cannot write the result: {error}"),
        }
    }
}

impl Failure {
    /// Tells the failure.
    pub(crate) fn report(&self, err: &mut dyn Write) {
        // Where even this cannot be written, the exit status still tells.
        let _ = match self {
            Self::Table(findings) => write!(err, "{findings}"),
            other => writeln!(err, "{}: {other}", Styled(BAD, "error")),
        };
    }
}

/// Writes one JSON object as one line.
pub(crate) fn json_line(out: &mut dyn Write, object: Map<String, Json>) -> io::Result<()> {
    writeln!(out, "{}", without_controls(Json::Object(object).to_string()))
}

/// A number of things: `1 route`, `2 routes`.
pub(crate) fn counted(count: usize, one: &str) -> String {
    format!("{count} {one}{}", if count == 1 { "" } else { "s" })
}

/// A number with a comma between thousands.
pub(crate) fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut out = String::new();
    for (at, digit) in digits.chars().enumerate() {
        if at > 0 && (digits.len() - at).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

/// How many columns a text takes on a terminal.
pub(crate) fn width(text: &str) -> usize {
    unicode_width::UnicodeWidthStr::width(text)
}

/// Text that may come from anyone, fit for a terminal: control characters are escaped.
pub(crate) fn shown(text: &str) -> String {
    text.chars().flat_map(|c| if c.is_control() { c.escape_debug().collect::<Vec<_>>() } else { vec![c] }).collect()
}
