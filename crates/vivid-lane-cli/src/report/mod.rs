//! Reports to send round: one file of HTML that holds all that it shows, without a script, light or dark as the reader prefers.

use std::io::Write;
use std::path::Path;

use serde::Serialize;
use vivid_lane::Finding;

use crate::html;
use crate::output::{Failure, GOOD, Styled, entry_of};
use crate::picture::{self, SiteMap};
use crate::system::System;
use crate::table_file::{Excerpt, TableFile};

pub(crate) const CHECK: (&str, &str) = ("check.html", include_str!("check.html"));
#[cfg(not(target_family = "wasm"))]
pub(crate) const REPLAY: (&str, &str) = ("replay.html", include_str!("replay.html"));

/// What a report shows, and the template for that.
#[derive(Debug, Serialize)]
pub(crate) struct Report<'a, T> {
    #[serde(skip)]
    pub(crate) template: (&'static str, &'static str),
    /// The site, or the table file.
    pub(crate) title: &'a str,
    /// What it is a report of.
    pub(crate) subtitle: String,
    pub(crate) content: T,
}

/// A finding, as pages show it.
#[derive(Debug, Serialize)]
pub(crate) struct Item<'a> {
    severity: &'static str,
    code: &'static str,
    /// Where the code is explained.
    entry: String,
    message: &'a str,
    place: Option<Excerpt<'a>>,
    /// Where the message does not show it.
    witness: Option<&'a str>,
    help: Option<&'a str>,
}

impl<'a> Item<'a> {
    pub(crate) fn of(file: &'a TableFile, finding: &'a Finding) -> Self {
        Self {
            severity: finding.severity().as_str(),
            code: finding.code().as_str(),
            entry: entry_of(finding.code()),
            message: finding.message(),
            place: file.excerpt(finding),
            witness: finding.witness().filter(|witness| !finding.message().contains(*witness)),
            help: finding.help(),
        }
    }
}

#[derive(Serialize)]
struct Context<'a, T> {
    style: &'static str,
    map: Option<String>,
    #[serde(flatten)]
    report: &'a Report<'a, T>,
}

/// Writes a report with the map of the site into a file, and says so.
pub(crate) fn write<T: Serialize>(
    system: &dyn System,
    report: &Report<'_, T>,
    map: Option<SiteMap>,
    path: &Path,
    err: &mut dyn Write,
) -> Result<(), Failure> {
    html::can_render()?;
    if !path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("html") || ending.eq_ignore_ascii_case("htm"))
    {
        let name = path.display();
        let reason = format!("a report is HTML; name a file that ends with .html instead of `{name}`");
        return Err(Failure::Argument(reason));
    }
    let map = map.map(picture::svg).transpose()?;
    let context = Context { style: html::STYLE, map, report };
    let text = html::render(&[report.template, ("report.html", include_str!("report.html"))], context)?;
    system.save(path, text.as_bytes()).map_err(|error| Failure::Write { path: path.to_owned(), error })?;
    writeln!(err, "{} {}", Styled(GOOD, "wrote"), path.display())?;
    Ok(())
}
