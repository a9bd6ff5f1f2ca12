//! `check`: everything that can be found about a table before it ships.

use std::io::Write;

use vivid_lane::declare::Severity;
use vivid_lane::{Finding, Review};

use crate::Outcome;
use crate::args::{CheckArgs, Format};
use crate::json;
use crate::output::{BAD, Failure, GOOD, Styled, counted, json_line};
use crate::sarif;
use crate::system::System;
use crate::table_file::{TableFile, read_text};

pub(super) fn run(
    system: &dyn System,
    mut file: TableFile,
    args: &CheckArgs,
    format: Format,
    out: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let mut review = Review::new(file.take_spec());
    if let Some(path) = &args.handlers {
        let text = read_text(system, path)?;
        review = review.handlers(text.lines().map(str::trim).filter(|name| !name.is_empty()));
    }
    let reviewed = review.run();
    let findings = reviewed.findings();
    if reviewed.is_unreadable() {
        return Err(Failure::Table(file.render(findings)));
    }
    match format {
        _ if args.sarif => json_line(out, sarif::log(file.name(), findings))?,
        Format::Json => findings.iter().try_for_each(|finding| json_line(out, json::finding(finding)))?,
        Format::Text => {
            write!(out, "{}", file.render(findings))?;
            let verdict = match reviewed.table() {
                _ if reviewed.worst() <= Some(Severity::Note) => Styled(GOOD, "fine"),
                Some(_) => Styled(GOOD, "works"),
                None => Styled(BAD, "broken"),
            };
            let size = reviewed.table().map_or_else(String::new, |table| {
                let pages = table.routes().filter(|route| route.page().is_some()).count();
                format!("{}, {pages} with a page, ", counted(table.routes().len(), "route"))
            });
            writeln!(out, "{verdict}: {size}{}", count(findings))?;
        }
    }
    let least = if args.strict { Severity::Warning } else { Severity::Error };
    Ok(if reviewed.worst() >= Some(least) { Outcome::Findings } else { Outcome::Fine })
}

fn count(findings: &[Finding]) -> String {
    let of = |severity, one: &str| {
        let count = findings.iter().filter(|finding| finding.severity() == severity).count();
        (count > 0).then(|| counted(count, one))
    };
    let counts = [of(Severity::Error, "error"), of(Severity::Warning, "warning"), of(Severity::Note, "note")];
    let counts: Vec<String> = counts.into_iter().flatten().collect();
    if counts.is_empty() { "no findings".to_owned() } else { counts.join(", ") }
}
