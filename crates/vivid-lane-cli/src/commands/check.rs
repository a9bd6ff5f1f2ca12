//! `check`: everything that is wrong with a table.

use std::io::Write;

use serde_json::{Map, Value as Json};
use vivid_lane::Finding;

use crate::Outcome;
use crate::args::Format;
use crate::output::{Failure, GOOD, Styled, json_line};
use crate::table_file::TableFile;

pub(super) fn run(file: &TableFile, format: Format, out: &mut dyn Write) -> Result<Outcome, Failure> {
    let error = match file.build() {
        Ok(table) => {
            if format == Format::Text {
                let routes = table.routes().len();
                let pages = table.routes().filter(|route| route.page().is_some()).count();
                writeln!(out, "{}: {routes} routes, {pages} with a page, no findings", Styled(GOOD, "fine"))?;
            }
            return Ok(Outcome::Fine);
        }
        Err(error) => error,
    };
    if error.is_unreadable() {
        return Err(Failure::Table(file.render(error.findings())));
    }
    match format {
        Format::Text => {
            write!(out, "{}", file.render(error.findings()))?;
            let count = error.findings().len();
            writeln!(out, "{count} {}", if count == 1 { "finding" } else { "findings" })?;
        }
        Format::Json => error.findings().iter().try_for_each(|finding| json_line(out, to_json(finding)))?,
    }
    Ok(Outcome::Findings)
}

fn to_json(finding: &Finding) -> Map<String, Json> {
    let mut object = Map::new();
    object.insert("severity".into(), finding.severity().as_str().into());
    object.insert("code".into(), finding.code().into());
    object.insert("message".into(), finding.message().into());
    if let Some(help) = finding.help() {
        object.insert("help".into(), help.into());
    }
    object.insert("routes".into(), finding.routes().iter().map(String::as_str).collect());
    if let Some(witness) = finding.witness() {
        object.insert("witness".into(), witness.into());
    }
    if let Some(place) = finding.place() {
        if let Some(file) = place.file() {
            object.insert("file".into(), file.into());
        }
        object.insert("line".into(), place.line().into());
        object.insert("column".into(), place.column().into());
    }
    object
}
