//! `replay`: what visitors really met.

mod report;

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::path::Path;

use flate2::bufread::MultiGzDecoder;
use indicatif::{ProgressBar, ProgressStyle};
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
    let visitor = Visitor::new(system, table, &args.visitor)?;
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
        match format {
            Format::Text => report.text(out)?,
            Format::Json => json_line(out, report.json())?,
        }
        if let Some(path) = &args.draw {
            crate::picture::draw(system, report.map(table, &name), path, err)?;
        }
        if let Some(path) = &args.html {
            report.html(system, table, &name, path, err)?;
        }
    }
    // What was read has been printed; that it is not all must still be said.
    broken.map_or(Ok(Outcome::Fine), Err)
}

/// The longest summary, in bytes: there are bounded counters in it, and a name for each route of a large table.
const LONGEST_SUMMARY: u64 = 256 << 20;

fn is_standard_input(path: &Path) -> bool {
    path == Path::new("-")
}

/// A file, or standard input; the bar follows what is read of a file.
fn open(path: &Path, bar: Option<&ProgressBar>) -> Result<Box<dyn Read>, Failure> {
    if is_standard_input(path) {
        return Ok(Box::new(io::stdin()));
    }
    let failure = |error| Failure::File { path: path.to_owned(), error };
    let file = File::open(path).map_err(failure)?;
    let length = file.metadata().map_err(failure)?.len();
    Ok(match bar {
        Some(bar) => {
            bar.set_length(length);
            Box::new(bar.wrap_read(file))
        }
        None => Box::new(file),
    })
}

/// Runs one log, plain or packed by gzip, through the table.
fn read_log(
    table: &Table,
    visitor: &Visitor<'_>,
    args: &ReplayArgs,
    path: &Path,
) -> Result<(Summary, Option<Failure>), Failure> {
    // Drawn on a terminal only, and taken away at the end.
    let bar = ProgressBar::no_length().with_style(
        ProgressStyle::with_template("{bar:40} {percent:>3} %  {bytes_per_sec}  {eta} left")
            .unwrap_or_else(|_| ProgressStyle::default_bar()),
    );
    let failure = |error| Failure::Log { path: path.to_owned(), error };
    let mut log = BufReader::with_capacity(1 << 16, open(path, Some(&bar))?);
    // The first two bytes of a gzip member (RFC 1952, section 2.3.1).
    let is_packed = log.fill_buf().map_err(failure)?.starts_with(&[0x1f, 0x8b]);
    let log: Box<dyn Read> = if is_packed { Box::new(MultiGzDecoder::new(log)) } else { Box::new(log) };
    let name = if is_standard_input(path) { "standard input".to_owned() } else { path.display().to_string() };
    let visitor = replay::Visitor {
        host: visitor.host(),
        is_listed: &|list, value| visitor.is_listed(list, value),
        is_met: &|need| visitor.meets(need),
    };
    let (summary, error) = replay::run(table, &visitor, &name, log, args.counters);
    bar.finish_and_clear();
    Ok((summary, error.map(failure)))
}

/// Adds the summaries of a file, one a line.
fn merge(path: &Path, summary: &mut Summary) -> Result<(), Failure> {
    let failure = |error| Failure::Log { path: path.to_owned(), error };
    let mut log = BufReader::new(open(path, None)?);
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
