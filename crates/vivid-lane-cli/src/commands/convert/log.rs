//! A table learned from access logs.

use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Read, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use vivid_lane::{Decision, Request, Table};
use vivid_lane_exchange::sitemap::SitemapFile;
use vivid_lane_learn::{Learner, LeftOut, Observed};

use crate::Outcome;
use crate::args::{ConvertArgs, From};
use crate::output::{FAINT, Failure, GOOD, Styled, grouped};
use crate::progress::during;
use crate::replay::{self, Counting, Line};
use crate::system::System;
use crate::table_file::TableFile;

/// The version of the form in which samples are written.
const VERSION: u32 = 1;
/// The longest sample, in bytes.
const LONGEST: u64 = 1 << 30;
/// How many hits an address of a sitemap counts for.
const CARED_FOR: u64 = 20;

/// A sample as it is written, in one line.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Sample {
    /// The version of this form.
    sample: u32,
    requests: u64,
    malformed: u64,
    /// Requests that the table to be kept answers.
    kept: u64,
    redirects: u64,
    missing_requests: u64,
    failed: u64,
    unreadable: u64,
    missing: BTreeMap<String, u64>,
    addresses: Vec<Address>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Address {
    address: String,
    hits: BTreeMap<String, u64>,
    with_slash: u64,
    kinds: Vec<u32>,
    is_cut: bool,
}

/// What one thread has seen.
struct Seen<'a> {
    learner: Learner,
    /// A table whose addresses need not be learned.
    keep: Option<&'a Table>,
    counts: Counts,
}

#[derive(Debug, Default, Clone, Copy)]
struct Counts {
    requests: u64,
    malformed: u64,
    kept: u64,
}

impl Counts {
    fn add(&mut self, other: Self) {
        self.requests = self.requests.saturating_add(other.requests);
        self.malformed = self.malformed.saturating_add(other.malformed);
        self.kept = self.kept.saturating_add(other.kept);
    }
}

impl Counting for Seen<'_> {
    fn line(&mut self, line: &Line<'_>) {
        self.counts.requests += 1;
        if self.keep.is_some_and(|table| is_answered(table, line)) {
            self.counts.kept += 1;
            return;
        }
        // What is no UTF-8 is no address of a page.
        let target = std::str::from_utf8(&line.target).unwrap_or_default();
        self.learner.see(&line.method, target, line.status, 1);
    }

    fn unread(&mut self, _: u64, _: &str, _: &[u8]) {
        self.counts.malformed += 1;
    }
}

fn is_answered(table: &Table, line: &Line<'_>) -> bool {
    let listed = |_: &str, _: &str| true;
    let request = Request::new(&line.method, &*line.target).meets(&|_| true).lists(&listed);
    !matches!(table.decide(&request), Decision::NotFound(_) | Decision::BadRequest(_))
}

/// Reads all inputs: what was seen, and why one of them broke off if it did.
fn gather(system: &dyn System, args: &ConvertArgs) -> Result<(Learner, Counts, Option<Failure>), Failure> {
    if args.inputs.is_empty() {
        let reason = match args.from {
            From::Sitemap => "expected a sitemap: `convert --from sitemap FILE…`, or `-` for standard input",
            _ => "expected access logs: `convert --from log LOG…`, or `-` for standard input",
        };
        return Err(Failure::Argument(reason.to_owned()));
    }
    let keep = args.keep.as_ref().map(|path| TableFile::load(system, Some(path)).and_then(TableFile::into_table));
    let keep = keep.transpose()?;
    let (mut learner, mut counts, mut broken) = (Learner::default(), Counts::default(), None);
    if args.from == From::Sitemap {
        let mut files: Vec<(PathBuf, usize)> = args.inputs.iter().rev().map(|path| (path.clone(), 0)).collect();
        while let Some((path, depth)) = files.pop() {
            for file in read_sitemap(&path, keep.as_ref(), &mut learner, &mut counts)? {
                // What an index names stands beside it; an index names no other one.
                let name = file.rsplit('/').next().unwrap_or_default().to_owned();
                if depth == 0 {
                    files.push((path.with_file_name(name), 1));
                }
            }
        }
        return Ok((learner, counts, None));
    }
    for path in &args.inputs {
        if args.merge {
            restore(path, &mut learner, &mut counts)?;
            continue;
        }
        let new = || Seen { learner: Learner::default(), keep: keep.as_ref(), counts: Counts::default() };
        let (all, error) = replay::read_log(path, |log| replay::count(log, new))?;
        for seen in all {
            learner.merge(&seen.learner);
            counts.add(seen.counts);
        }
        broken = broken.or(error);
    }
    Ok((learner, counts, broken))
}

/// Learns the addresses of one file of a sitemap; gives the names of others.
fn read_sitemap(
    path: &Path,
    keep: Option<&Table>,
    learner: &mut Learner,
    counts: &mut Counts,
) -> Result<Vec<String>, Failure> {
    let (read, broken) = replay::read_log(path, |file| (SitemapFile::read(BufReader::new(file)), None))?;
    let failure = |reason| Failure::Argument(format!("{}: {reason}", path.display()));
    let file = broken.map_or(read.map_err(failure), Err)?;
    for url in &file.urls {
        counts.requests += 1;
        let line = Line { method: "GET".into(), target: url.as_bytes().into(), status: 200 };
        if keep.is_some_and(|table| is_answered(table, &line)) {
            counts.kept += 1;
        } else {
            // Each is a page that somebody cares for.
            learner.see("GET", url, 200, CARED_FOR);
        }
    }
    Ok(file.files)
}

/// The learned table; a summary goes to `err`.
pub(super) fn learn(system: &dyn System, args: &ConvertArgs, err: &mut dyn Write) -> Result<String, Failure> {
    let (learner, counts, broken) = gather(system, args)?;
    let learned = during("learning", || learner.learn());
    if let Some(broken) = broken {
        broken.report(err);
    }
    if learned.routes() == 0 {
        let reason = match counts {
            Counts { requests: 0, .. } => "there is no request in it".to_owned(),
            Counts { kept, requests, .. } if kept == requests => "the table has an answer for every request".to_owned(),
            _ => "no request in it got a page".to_owned(),
        };
        return Err(Failure::Argument(format!("nothing can be learned: {reason}")));
    }
    let mut summary = vec![format!("{} routes from {} requests", learned.routes(), grouped(counts.requests))];
    let left_out = learned.left_out();
    let rest = [
        (counts.kept, "that the table answers"),
        (left_out.redirects, "redirects"),
        (left_out.missing, "missing"),
        (left_out.failed, "failed"),
        (left_out.unreadable, "of no address"),
        (counts.malformed, "lines that could not be read"),
    ];
    summary.extend(
        rest.into_iter().filter(|(count, _)| *count > 0).map(|(count, what)| format!("{} {what}", grouped(count))),
    );
    writeln!(err, "{} {}", Styled(GOOD, "learned"), Styled(FAINT, summary.join(" · ")))?;
    Ok(learned.to_toml().to_owned())
}

/// Prints what was seen, to be merged.
pub(super) fn partial(
    system: &dyn System,
    args: &ConvertArgs,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Outcome, Failure> {
    if !matches!(args.from, From::Log | From::Sitemap) {
        return Err(Failure::Argument(
            "`--partial` works only with `--from log` and `--from sitemap`; leave it out".to_owned(),
        ));
    }
    let (learner, counts, broken) = gather(system, args)?;
    let left_out = learner.left_out();
    let sample = Sample {
        sample: VERSION,
        requests: counts.requests,
        malformed: counts.malformed,
        kept: counts.kept,
        redirects: left_out.redirects,
        missing_requests: left_out.missing,
        failed: left_out.failed,
        unreadable: left_out.unreadable,
        missing: learner.missing().collect(),
        addresses: learner.rows().map(address).collect(),
    };
    serde_json::to_writer(&mut *out, &sample).map_err(|error| Failure::Output(error.into()))?;
    writeln!(out)?;
    if let Some(broken) = broken {
        broken.report(err);
    }
    Ok(Outcome::Fine)
}

fn address(row: Observed) -> Address {
    let Observed { address, hits, with_slash, kinds, is_cut } = row;
    Address { address, hits, with_slash, kinds, is_cut }
}

/// Adds the samples of a file, one a line.
fn restore(path: &Path, learner: &mut Learner, counts: &mut Counts) -> Result<(), Failure> {
    let failure = |error| Failure::Log { path: path.to_owned(), error };
    let mut file = BufReader::new(replay::open(path, None)?);
    for number in 1.. {
        let mut line = Vec::new();
        if (&mut file).take(LONGEST).read_until(b'\n', &mut line).map_err(failure)? == 0 {
            break;
        }
        if line.trim_ascii().is_empty() {
            continue;
        }
        let failure = |reason: String| {
            Failure::Argument(format!(
                "{}:{number}: not a sample that `convert --from log --partial` wrote: {reason}",
                path.display()
            ))
        };
        let sample: Sample = serde_json::from_slice(&line).map_err(|error| failure(error.to_string()))?;
        if sample.sample != VERSION {
            return Err(failure(format!("expected version {VERSION}, found version {}", sample.sample)));
        }
        counts.add(Counts { requests: sample.requests, malformed: sample.malformed, kept: sample.kept });
        let mut other = Learner::default();
        let left_out = LeftOut {
            redirects: sample.redirects,
            missing: sample.missing_requests,
            failed: sample.failed,
            unreadable: sample.unreadable,
        };
        other.restore_counts(sample.missing, &left_out);
        for Address { address, hits, with_slash, kinds, is_cut } in sample.addresses {
            other.restore(&Observed { address, hits, with_slash, kinds, is_cut });
        }
        learner.merge(&other);
    }
    Ok(())
}
