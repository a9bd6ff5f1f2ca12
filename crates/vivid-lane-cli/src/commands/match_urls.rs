//! `match`: what each URL leads to.

use std::io::{self, BufRead, Write};

use anstyle::Style;
use vivid_lane::analyse::{Candidate, Explanation, Verdict};
use vivid_lane::decide::NotFound;
use vivid_lane::{Decision, Match, Position, Request, Table, Value};

use crate::Outcome;
use crate::args::{Format, MatchArgs};
use crate::json;
use crate::output::{BAD, FAINT, Failure, GOOD, NAME, STRONG, Styled, json_line, shown, width};
use crate::system::System;
use crate::visitor::Visitor;

pub(super) fn run(
    system: &dyn System,
    table: &Table,
    args: &MatchArgs,
    format: Format,
    out: &mut dyn Write,
) -> Result<Outcome, Failure> {
    let visitor = Visitor::new(system, table, args.visitor.host.as_deref(), &args.visitor.known)?;
    let is_listed = |list: &str, value: &str| visitor.is_listed(list, value);
    let is_met = |need: &str| visitor.meets(need);
    let mut all_answered = true;
    let mut answer = |url: &[u8], out: &mut dyn Write| -> Result<(), Failure> {
        let mut request = Request::new(&args.method, url).lists(&is_listed).meets(&is_met);
        if let Some(host) = visitor.host() {
            request = request.host(host);
        }
        let decision = table.decide(&request);
        let explanation = args.explain.then(|| table.explain(&request));
        all_answered &= matches!(decision, Decision::Page(_) | Decision::Options(_)) || decision.location().is_some();
        match format {
            Format::Text => text(url, &decision, explanation.as_ref(), out)?,
            Format::Json => json_line(out, json::decision(url, &decision, explanation.as_ref()))?,
        }
        Ok(())
    };
    for url in &args.urls {
        if url == "-" {
            let mut input = system.input();
            let mut line = Vec::new();
            while input.read_until(b'\n', &mut line).map_err(Failure::Input)? > 0 {
                let url = line.strip_suffix(b"\n").unwrap_or(&line);
                answer(url.strip_suffix(b"\r").unwrap_or(url), out)?;
                line.clear();
            }
        } else {
            answer(url.as_encoded_bytes(), out)?;
        }
    }
    Ok(if all_answered { Outcome::Fine } else { Outcome::Findings })
}

/// What a URL leads to and why, without colours.
#[cfg(feature = "language-server")]
pub(super) fn explained(table: &Table, url: &str) -> String {
    let request = Request::get(url);
    let mut out = anstream::StripStream::new(Vec::new());
    let written = text(url.as_bytes(), &table.decide(&request), Some(&table.explain(&request)), &mut out);
    written.map_or_else(|error| error.to_string(), |()| String::from_utf8_lossy(&out.into_inner()).into_owned())
}

fn text(
    url: &[u8],
    decision: &Decision<'_, '_>,
    explanation: Option<&Explanation<'_>>,
    out: &mut dyn Write,
) -> io::Result<()> {
    let url = shown(&String::from_utf8_lossy(url));
    let (style, outcome, details) = match decision {
        Decision::Page(found) => (GOOD, Styled(NAME, found.route().name()).to_string(), page_rows(found)),
        Decision::Redirect(redirect) => {
            (GOOD, Styled(NAME, redirect.location()).to_string(), vec![("because", redirect.to_string())])
        }
        Decision::Unmet(unmet) => {
            let outcome = match unmet.location() {
                Some(location) => Styled(NAME, location).to_string(),
                None => "refused".to_owned(),
            };
            let mut rows = vec![("unmet", unmet.need().to_owned())];
            rows.extend(unmet.position().map(|position| ("page of", position.route().name().to_owned())));
            (if unmet.location().is_some() { GOOD } else { BAD }, outcome, rows)
        }
        Decision::NotFound(missing) => (BAD, "not found".to_owned(), missing_rows(missing)),
        Decision::WrongMethod(wrong) => {
            let mut rows = vec![("allow", wrong.allow().join(", "))];
            rows.extend(wrong.position().map(|position| ("page of", position.route().name().to_owned())));
            (BAD, "wrong method".to_owned(), rows)
        }
        Decision::Options(options) => (GOOD, "options".to_owned(), vec![("allow", options.allow().join(", "))]),
        Decision::BadRequest(bad) => (BAD, "bad request".to_owned(), vec![("reason", bad.to_string())]),
        Decision::Unavailable(unavailable) => {
            (BAD, "unavailable".to_owned(), vec![("because", unavailable.to_string())])
        }
    };
    writeln!(out, "{}  {}  →  {outcome}", Styled(style, decision.status()), Styled(STRONG, url))?;
    rows(&details, out)?;
    match explanation {
        Some(explanation) => candidates(explanation.candidates(), out),
        None => Ok(()),
    }
}

fn page_rows(found: &Match<'_, '_>) -> Vec<(&'static str, String)> {
    let mut rows = vec![("page", found.page().clone()), ("path", found.route().path().to_string())];
    position_rows(found, &mut rows);
    rows
}

/// What holds of a place in the table: values, frames, and the chain of routes.
fn position_rows(found: &Position<'_, '_>, rows: &mut Vec<(&'static str, String)>) {
    let values: Vec<String> = found.values().map(|(name, value)| format!("{name} = {}", one_line(&value))).collect();
    if !values.is_empty() {
        rows.push(("params", values.join(", ")));
    }
    let frames: Vec<&str> = found.frames().collect();
    if !frames.is_empty() {
        rows.push(("frames", frames.join(" › ")));
    }
    let levels: Vec<String> =
        found.levels().map(|level| format!("{} {}", own_name(level.route().name()), shown(level.covered()))).collect();
    if levels.len() > 1 {
        rows.push(("chain", levels.join(" › ")));
    }
}

fn missing_rows(missing: &NotFound<'_, '_>) -> Vec<(&'static str, String)> {
    let mut rows: Vec<(&'static str, String)> = Vec::new();
    rows.extend(missing.fallback().map(|page| ("fallback", page.clone())));
    let suggestions = missing.suggestions();
    // A suggestion that names the same refusal is enough.
    let is_said = |reason: &str| {
        let refused = |text: &str| text.split_once(" refused ").map(|(_, rest)| rest.to_owned());
        refused(reason).is_some_and(|rest| suggestions.iter().any(|one| refused(one.reason()).as_ref() == Some(&rest)))
    };
    rows.extend(missing.reason().filter(|reason| !is_said(reason)).map(|reason| ("because", shown(&reason))));
    match missing.position() {
        Some(position) => {
            let route = position.route();
            rows.push(("under", format!("{}  {}", Styled(NAME, route.name()), route.path())));
            position_rows(&position, &mut rows);
        }
        None => rows.extend(missing.frames().first().map(|frame| ("frames", (*frame).to_owned()))),
    }
    let widest = suggestions.iter().map(|one| width(one.url())).max().unwrap_or(0);
    for (at, one) in suggestions.iter().enumerate() {
        let gap = widest - width(one.url()) + 2;
        let line = format!("{}{:gap$}{}", Styled(NAME, one.url()), "", one.reason());
        rows.push((if at == 0 { "near" } else { "" }, line));
    }
    rows
}

/// A value on one line.
fn one_line(value: &Value) -> String {
    match value {
        Value::Text(text) => shown(text),
        Value::List(items) => format!("[{}]", items.iter().map(|item| shown(item)).collect::<Vec<_>>().join(", ")),
        Value::Pairs(pairs) => {
            let pairs = pairs.iter().map(|(name, text)| format!("{}={}", shown(name), shown(text)));
            format!("[{}]", pairs.collect::<Vec<_>>().join(", "))
        }
    }
}

/// The last part of a full name.
fn own_name(name: &str) -> &str {
    name.rsplit('.').next().unwrap_or(name)
}

fn rows(rows: &[(&str, String)], out: &mut dyn Write) -> io::Result<()> {
    let widest = rows.iter().map(|(label, _)| width(label)).max().unwrap_or(0);
    for (label, value) in rows {
        let gap = widest - width(label) + 2;
        writeln!(out, "     {}{:gap$}{value}", Styled(FAINT, label), "")?;
    }
    Ok(())
}

/// The candidates in three columns: name, path, and how it fared.
fn candidates(candidates: &[Candidate<'_>], out: &mut dyn Write) -> io::Result<()> {
    if candidates.is_empty() {
        return writeln!(out, "     {}", Styled(FAINT, "no route comes near"));
    }
    let names = candidates.iter().map(|one| width(one.route().name())).max().unwrap_or(0);
    let paths = candidates.iter().map(|one| width(one.route().path().as_str())).max().unwrap_or(0).min(48);
    writeln!(out, "     {}", Styled(FAINT, "could have meant"))?;
    for one in candidates {
        let (name, path) = (one.route().name(), one.route().path().as_str());
        let gap = names - width(name) + 2;
        let path_gap = paths.saturating_sub(width(path)) + 2;
        let (mark, style) = if one.verdict() == Verdict::Answers { ("✓", GOOD) } else { ("·", Style::new()) };
        writeln!(
            out,
            "     {} {}{:gap$}{path}{:path_gap$}{}",
            Styled(style, mark),
            Styled(NAME, name),
            "",
            "",
            Styled(style, one.reason())
        )?;
    }
    Ok(())
}
