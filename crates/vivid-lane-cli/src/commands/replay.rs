//! `replay`: what visitors really met.

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::path::Path;

use flate2::bufread::MultiGzDecoder;
use indicatif::{ProgressBar, ProgressStyle};
use serde_json::{Map, Value as Json, json};
use vivid_lane::analyse::Suggestion;
use vivid_lane::{Decision, Request, Table};

use crate::Outcome;
use crate::args::{Format, ReplayArgs};
use crate::output::{FAINT, Failure, NAME, STRONG, Styled, counted, json_line, shown, width};
use crate::replay::{self, Summary};
use crate::system::System;
use crate::table_file::TableFile;
use crate::visitor::Visitor;

pub(super) fn run(
    system: &dyn System,
    file: TableFile,
    args: &ReplayArgs,
    format: Format,
    out: &mut dyn Write,
) -> Result<Outcome, Failure> {
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

/// An address that nothing has, how often it was asked for, and what may have been meant.
struct Wanted<'a> {
    url: &'a str,
    hits: u64,
    suggestions: Vec<Suggestion<'a>>,
}

/// A summary, held against the table.
struct Report<'a> {
    summary: &'a Summary,
    /// Pages by their hits, the most wanted first.
    pages: Vec<(&'a str, u64)>,
    redirects: Vec<(&'a str, u64)>,
    /// Routes of the table that nothing reached.
    never: Vec<&'a str>,
    missing: Vec<Wanted<'a>>,
    top: usize,
}

impl<'a> Report<'a> {
    fn new(table: &'a Table, visitor: &Visitor<'_>, summary: &'a Summary, top: usize) -> Self {
        let is_redirect = |name: &str| table.route(name).is_some_and(|route| route.redirect_status().is_some());
        let mut routes: Vec<(&str, u64)> = summary.routes.iter().map(|(name, hits)| (name.as_str(), *hits)).collect();
        routes.sort_by_key(|(name, hits)| (std::cmp::Reverse(*hits), *name));
        let (redirects, pages) = routes.into_iter().partition(|(name, _)| is_redirect(name));
        let answers = table.routes().filter(|route| route.page().is_some() || route.redirect_status().is_some());
        let never = answers.map(|route| route.name()).filter(|name| !summary.routes.contains_key(*name)).collect();
        let mut missing: Vec<(&String, u64)> = summary.missing.iter().map(|(url, hits)| (url, *hits)).collect();
        missing.sort_by_key(|(url, hits)| (std::cmp::Reverse(*hits), *url));
        let is_listed = |list: &str, value: &str| visitor.is_listed(list, value);
        let is_met = |need: &str| visitor.meets(need);
        let wanted = |(url, hits): (&'a String, u64)| {
            let mut request = Request::get(url).lists(&is_listed).meets(&is_met);
            if let Some(host) = visitor.host() {
                request = request.host(host);
            }
            let suggestions = match table.decide(&request) {
                Decision::NotFound(missing) => missing.suggestions(),
                _ => Vec::new(),
            };
            Wanted { url, hits, suggestions }
        };
        let missing = missing.into_iter().take(top).map(wanted).collect();
        Self { summary, pages, redirects, never, missing, top }
    }

    fn json(&self) -> Map<String, Json> {
        let hits = |routes: &[(&str, u64)]| -> Json {
            routes.iter().map(|(route, hits)| json!({ "route": route, "hits": hits })).collect()
        };
        let mut object = Map::new();
        object.insert("requests".into(), self.summary.requests.into());
        for kind in replay::KINDS {
            let count = self.summary.outcomes.get(kind).copied().unwrap_or(0);
            object.insert(kind.replace('-', "_"), count.into());
        }
        object.insert("malformed".into(), self.summary.malformed.into());
        object.insert("routes".into(), hits(&self.pages));
        object.insert("redirects".into(), hits(&self.redirects));
        object.insert("canonical".into(), self.summary.canonical.into());
        object.insert("never".into(), self.never.iter().copied().collect());
        let missing = self.missing.iter().map(|wanted| {
            let urls: Vec<&str> = wanted.suggestions.iter().map(Suggestion::url).collect();
            json!({ "url": wanted.url, "hits": wanted.hits, "suggestions": urls })
        });
        object.insert("missing".into(), missing.collect());
        object.insert("missing_error".into(), self.summary.missing_error.into());
        object.insert("statuses".into(), serde_json::to_value(&self.summary.statuses).unwrap_or_default());
        object.insert("unread".into(), serde_json::to_value(&self.summary.unread).unwrap_or_default());
        object
    }

    fn text(&self, out: &mut dyn Write) -> io::Result<()> {
        let summary = self.summary;
        let malformed = match summary.malformed {
            0 => String::new(),
            count => format!(", and {} that could not be read", counted_lines(count)),
        };
        writeln!(out, "{}{malformed}", Styled(STRONG, counted_requests(summary.requests)))?;
        let outcomes = replay::KINDS.iter().filter_map(|kind| Some((*kind, *summary.outcomes.get(*kind)?)));
        rows(
            out,
            "outcome",
            outcomes.map(|(kind, hits)| (hits, kind.replace('-', " "), share(hits, summary.requests))),
        )?;
        rows(out, "pages", self.named(&self.pages))?;
        let canonical =
            (summary.canonical > 0).then(|| (summary.canonical, "to the canonical address".to_owned(), String::new()));
        rows(out, "redirects taken", canonical.into_iter().chain(self.named(&self.redirects)))?;
        if !self.never.is_empty() {
            writeln!(out, "\n{}", Styled(STRONG, format!("never reached: {}", counted(self.never.len(), "route"))))?;
            for line in wrapped(&self.never, 108) {
                writeln!(out, "          {}", Styled(NAME, line))?;
            }
        }
        let missing = self.missing.iter().map(|wanted| {
            let near = wanted
                .suggestions
                .first()
                .map_or_else(String::new, |near| format!("→ {}  {}", near.url(), Styled(FAINT, near.reason())));
            (wanted.hits, shown(wanted.url), near)
        });
        rows(out, "most wanted missing addresses", missing)?;
        if summary.missing_error > 0 {
            writeln!(out, "          each may have been asked for up to {} times more", summary.missing_error)?;
        }
        let apart = summary.statuses.iter().filter(|statuses| !statuses.agree());
        let mut apart: Vec<_> = apart.collect();
        apart.sort_by_key(|statuses| std::cmp::Reverse(statuses.hits));
        let apart = apart.into_iter().take(self.top).map(|one| {
            (
                one.hits,
                format!("{} in the log, {} by the table", one.logged, one.decided),
                format!("such as {}", one.example),
            )
        });
        rows(out, "where log and table differ", apart)?;
        if !summary.unread.is_empty() {
            writeln!(out, "\n{}", Styled(STRONG, "first lines that could not be read"))?;
            for unread in &summary.unread {
                let text: String = unread.text.chars().take(60).collect();
                writeln!(out, "          {}:{}: {}  {}", unread.log, unread.line, unread.reason, Styled(FAINT, text))?;
            }
        }
        Ok(())
    }

    /// Routes and their hits, the first of them.
    fn named(&self, routes: &[(&str, u64)]) -> impl Iterator<Item = (u64, String, String)> {
        let rest: u64 = routes.iter().skip(self.top).map(|(_, hits)| hits).sum();
        let others = routes.len().saturating_sub(self.top);
        let rows: Vec<_> = routes
            .iter()
            .take(self.top)
            .map(|(name, hits)| (*hits, Styled(NAME, *name).to_string(), String::new()))
            .collect();
        rows.into_iter().chain((others > 0).then(|| (rest, format!("{others} others"), String::new())))
    }
}

fn counted_requests(count: u64) -> String {
    format!("{} request{}", grouped(count), if count == 1 { "" } else { "s" })
}

fn counted_lines(count: u64) -> String {
    format!("{} line{}", grouped(count), if count == 1 { "" } else { "s" })
}

/// A number with a comma between thousands.
fn grouped(number: u64) -> String {
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

fn share(part: u64, all: u64) -> String {
    format!("{:5.1} %", part as f64 * 100.0 / all.max(1) as f64)
}

/// A heading, and rows of a number, a text and a remark; nothing where there are none.
fn rows(out: &mut dyn Write, heading: &str, rows: impl Iterator<Item = (u64, String, String)>) -> io::Result<()> {
    let rows: Vec<_> = rows.collect();
    if rows.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{}", Styled(STRONG, heading))?;
    let plain = |text: &str| width(&anstream::adapter::strip_str(text).to_string());
    let widest =
        rows.iter().filter(|(_, _, remark)| !remark.is_empty()).map(|(_, text, _)| plain(text)).max().unwrap_or(0);
    for (number, text, remark) in &rows {
        let gap = if remark.is_empty() { 0 } else { widest.saturating_sub(plain(text)) + 2 };
        writeln!(out, "{:>8}  {text}{:gap$}{remark}", grouped(*number), "")?;
    }
    Ok(())
}

/// Words in lines of so many columns at most.
fn wrapped(words: &[&str], columns: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for (at, word) in words.iter().enumerate() {
        let comma = if at + 1 < words.len() { "," } else { "" };
        match lines.last_mut().filter(|line| width(line) + width(word) + 2 <= columns) {
            Some(line) => line.push_str(&format!(" {word}{comma}")),
            None => lines.push(format!("{word}{comma}")),
        }
    }
    lines
}
