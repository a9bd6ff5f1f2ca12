//! `check`: everything that can be found about a table before it ships.

use std::io::Write;

use vivid_lane::declare::Severity;
use vivid_lane::{Finding, Review};

use crate::Outcome;
use crate::args::{CheckArgs, Format};
use crate::json;
use crate::output::{BAD, Failure, GOOD, Styled, counted, json_line};
use crate::progress::during;
use crate::sarif;
use crate::system::System;
use crate::table_file::{TableFile, read_text};

pub(super) fn run(
    system: &dyn System,
    mut file: TableFile,
    args: &CheckArgs,
    format: Format,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let mut review = Review::new(file.take_spec());
    if let Some(path) = &args.handlers {
        let text = read_text(system, path)?;
        review = review.handlers(text.lines().map(str::trim).filter(|name| !name.is_empty()));
    }
    let reviewed = during("checking the table", || review.run());
    let findings = reviewed.findings();
    let verdict = match reviewed.table() {
        _ if reviewed.worst() <= Some(Severity::Note) => "fine",
        Some(_) => "works",
        None => "broken",
    };
    let size = reviewed.table().map_or_else(String::new, |table| {
        let pages = table.routes().filter(|route| route.page().is_some()).count();
        format!("{}, {pages} with a page, ", counted(table.routes().len(), "route"))
    });
    let counts = format!("{size}{}", count(findings));
    if let Some(path) = &args.html {
        page::write(system, &file, &reviewed, (verdict, &counts), path, err)?;
    }
    if reviewed.is_unreadable() {
        return Err(Failure::Table(file.render(findings)));
    }
    match format {
        _ if args.sarif => json_line(out, sarif::log(file.name(), findings))?,
        Format::Json => findings.iter().try_for_each(|finding| json_line(out, json::finding(finding)))?,
        Format::Text => {
            write!(out, "{}", file.render(findings))?;
            let style = if reviewed.table().is_some() { GOOD } else { BAD };
            writeln!(out, "{}: {counts}", Styled(style, verdict))?;
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

/// The findings as a page to send round.
mod page {
    use std::collections::HashMap;
    use std::io::Write;
    use std::path::Path;

    use serde::Serialize;
    use vivid_lane::Finding;
    use vivid_lane::analyse::Reviewed;
    use vivid_lane::declare::Severity;

    use crate::output::Failure;
    use crate::picture::{SiteMap, Sort};
    use crate::report::{self, Item, Report};
    use crate::system::System;
    use crate::table_file::TableFile;

    /// How many findings are on it.
    const MOST: usize = 200;

    #[derive(Serialize)]
    struct Content<'a> {
        verdict: &'a str,
        is_good: bool,
        counts: &'a str,
        findings: Vec<Item<'a>>,
        more: usize,
    }

    pub(super) fn write(
        system: &dyn System,
        file: &TableFile,
        reviewed: &Reviewed,
        (verdict, counts): (&str, &str),
        path: &Path,
        err: &mut dyn Write,
    ) -> Result<(), Failure> {
        let findings = reviewed.findings();
        let content = Content {
            verdict,
            is_good: reviewed.table().is_some(),
            counts,
            findings: findings.iter().take(MOST).map(|finding| Item::of(file, finding)).collect(),
            more: findings.len().saturating_sub(MOST),
        };
        let title = reviewed.table().and_then(|table| table.origin()).unwrap_or(file.name());
        let subtitle = format!("What was found in {}", file.name());
        let map = reviewed.table().map(|table| marked(SiteMap::of(table, file.name()), findings));
        report::write(system, &Report { template: report::CHECK, title, subtitle, content }, map, path, err)
    }

    /// The map, with the routes that something was found about.
    fn marked(mut map: SiteMap, findings: &[Finding]) -> SiteMap {
        let mut worst: HashMap<&str, Severity> = HashMap::new();
        for finding in findings {
            for route in finding.routes() {
                let known = worst.entry(route).or_insert(finding.severity());
                *known = finding.severity().max(*known);
            }
        }
        for place in &mut map.places {
            match place.route.as_deref().and_then(|route| worst.get(route)) {
                Some(Severity::Error) => place.sort = Sort::Missing,
                Some(Severity::Warning) => place.sort = Sort::Changed,
                _ => {}
            }
        }
        if !worst.is_empty() {
            map.legend = vec![(Sort::Missing, "an error"), (Sort::Changed, "a warning")];
        }
        map
    }
}
