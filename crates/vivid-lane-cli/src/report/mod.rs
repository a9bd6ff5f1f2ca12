//! Reports to send round: one file of HTML that holds all that it shows, without a script, light or dark as the reader prefers.

use std::io::Write;
use std::path::Path;

use serde::Serialize;

use crate::html;
use crate::output::{Failure, GOOD, Styled};
use crate::picture::{self, SiteMap};
use crate::system::System;

pub(crate) const CHECK: (&str, &str) = ("check.html", include_str!("check.html"));
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
    let map = map.map(picture::svg).transpose()?;
    let context = Context { style: html::STYLE, map, report };
    let text = html::render(&[report.template, ("report.html", include_str!("report.html"))], context)?;
    system.save(path, text.as_bytes()).map_err(|error| Failure::Write { path: path.to_owned(), error })?;
    writeln!(err, "{} {}", Styled(GOOD, "wrote"), path.display())?;
    Ok(())
}
