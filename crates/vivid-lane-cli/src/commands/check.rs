//! `check`: everything that is wrong with a table.

use std::io::Write;

use serde_json::{Map, Value as Json};
use vivid_lane::{Finding, Severity};

use crate::Outcome;
use crate::args::Format;
use crate::output::{BAD, Failure, GOOD, Styled, json_line};
use crate::table_file::TableFile;

pub(super) fn run(file: &TableFile, format: Format, out: &mut dyn Write) -> Result<Outcome, Failure> {
    let (findings, size) = match file.build() {
        Ok(table) => {
            let pages = table.routes().filter(|route| route.page().is_some()).count();
            (table.findings().to_vec(), Some((table.routes().len(), pages)))
        }
        Err(error) if error.is_unreadable() => return Err(Failure::Table(file.render(error.findings()))),
        Err(error) => (error.findings().to_vec(), None),
    };
    if format == Format::Json {
        findings.iter().try_for_each(|finding| json_line(out, to_json(finding)))?;
    } else {
        write!(out, "{}", file.render(&findings))?;
        let verdict = match (findings.is_empty(), size.is_some()) {
            (true, _) => Styled(GOOD, "fine"),
            (false, true) => Styled(GOOD, "works"),
            (false, false) => Styled(BAD, "broken"),
        };
        let size = size.map_or_else(String::new, |(routes, pages)| format!("{routes} routes, {pages} with a page, "));
        writeln!(out, "{verdict}: {size}{}", count(&findings))?;
    }
    Ok(if findings.is_empty() { Outcome::Fine } else { Outcome::Findings })
}

fn count(findings: &[Finding]) -> String {
    let of = |severity, one: &str| {
        let count = findings.iter().filter(|finding| finding.severity() == severity).count();
        (count > 0).then(|| format!("{count} {one}{}", if count == 1 { "" } else { "s" }))
    };
    let counts = [of(Severity::Error, "error"), of(Severity::Warning, "warning"), of(Severity::Note, "note")];
    let counts: Vec<String> = counts.into_iter().flatten().collect();
    if counts.is_empty() { "no findings".to_owned() } else { counts.join(", ") }
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
