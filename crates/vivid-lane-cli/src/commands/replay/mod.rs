//! `replay`: what visitors really met.

mod report;

use std::io::{BufRead, BufReader, Read, Write};
use std::path::Path;

use vivid_lane::Table;

use crate::Outcome;
use crate::args::{Format, ReplayArgs};
use crate::output::{Failure, json_line};
use crate::replay::{self, Summary};
use crate::system::System;
use crate::table_file::TableFile;
use crate::visitor::Visitor;
use report::Report;

pub(super) fn run(
    system: &dyn System,
    file: TableFile,
    args: &ReplayArgs,
    format: Format,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let name = file.name().to_owned();
    let mut summary = Summary::of(&file.fingerprint());
    let table = &file.into_table()?;
    let visitor = Visitor::new(system, table, args.visitor.host.as_deref(), &args.visitor.known)?;
    let mut broken = None;
    for path in &args.logs {
        if args.merge {
            merge(path, &mut summary)?;
        } else {
            let (more, error) = read_log(table, &visitor, args, path)?;
            summary.merge(more);
            broken = broken.or(error);
        }
    }
    if args.partial {
        let line = serde_json::to_string(&summary).map_err(|error| Failure::Output(error.into()))?;
        writeln!(out, "{line}")?;
    } else {
        let report = Report::new(table, &visitor, &summary, args.top);
        // First, as whoever reads the report may stop in the middle.
        if let Some(path) = &args.draw {
            crate::picture::draw(system, report.map(table, &name), path, err)?;
        }
        if let Some(path) = &args.html {
            report.html(system, table, &name, path, err)?;
        }
        match format {
            Format::Text => report.text(out)?,
            Format::Json => json_line(out, report.json())?,
        }
    }
    // What was read has been printed; that it is not all must still be said.
    broken.map_or(Ok(Outcome::Fine), Err)
}

/// The longest summary, in bytes: there are bounded counters in it, and a name for each route of a large table.
const LONGEST_SUMMARY: u64 = 256 << 20;

/// Runs one log through the table.
fn read_log(
    table: &Table,
    visitor: &Visitor<'_>,
    args: &ReplayArgs,
    path: &Path,
) -> Result<(Summary, Option<Failure>), Failure> {
    let visitor = replay::Visitor {
        host: visitor.host(),
        is_listed: &|list, value| visitor.is_listed(list, value),
        is_met: &|need| visitor.meets(need),
    };
    replay::read_log(path, |log| replay::run(table, &visitor, &replay::name_of(path), log, args.counters))
}

/// Adds the summaries of a file, one a line.
fn merge(path: &Path, summary: &mut Summary) -> Result<(), Failure> {
    let failure = |error| Failure::Log { path: path.to_owned(), error };
    let mut log = BufReader::new(replay::open(path, None)?);
    for number in 1.. {
        let mut line = Vec::new();
        if (&mut log).take(LONGEST_SUMMARY + 1).read_until(b'\n', &mut line).map_err(failure)? == 0 {
            break;
        }
        if line.len() as u64 > LONGEST_SUMMARY {
            let path = path.display();
            let message =
                format!("{path}:{number}: a summary may have {} MiB, this line has more", LONGEST_SUMMARY >> 20);
            return Err(Failure::Argument(message));
        }
        let line = String::from_utf8_lossy(&line);
        if line.trim().is_empty() {
            continue;
        }
        let more = Summary::read(&line, &summary.table).map_err(|reason| {
            let path = path.display();
            Failure::Argument(format!(
                "{path}:{number}: not a summary that `replay --partial` wrote with this table: {reason}"
            ))
        })?;
        summary.merge(more);
    }
    Ok(())
}
