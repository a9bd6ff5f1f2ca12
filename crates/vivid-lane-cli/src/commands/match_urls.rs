//! `match`: what each URL leads to.

use std::io::{self, BufRead, Write};

use serde_json::{Map, Value as Json};
use vivid_lane::{Decision, Match, Request, Table};

use crate::Outcome;
use crate::args::{Format, MatchArgs};
use crate::output::{BAD, FAINT, Failure, GOOD, NAME, STRONG, Styled, data_to_json, json_line, shown, width};

pub(super) fn run(table: &Table, args: &MatchArgs, format: Format, out: &mut dyn Write) -> Result<Outcome, Failure> {
    let mut all_answered = true;
    let mut answer = |url: &[u8], out: &mut dyn Write| -> Result<(), Failure> {
        let decision = table.decide(&Request::get(url));
        all_answered &= matches!(decision, Decision::Page(_));
        match format {
            Format::Text => text(url, &decision, out)?,
            Format::Json => json_line(out, to_json(url, &decision))?,
        }
        Ok(())
    };
    for url in &args.urls {
        if url == "-" {
            let mut input = io::stdin().lock();
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

fn text(url: &[u8], decision: &Decision<'_, '_>, out: &mut dyn Write) -> io::Result<()> {
    let url = shown(&String::from_utf8_lossy(url));
    let url = Styled(STRONG, url.as_str());
    let status = decision.status();
    match decision {
        Decision::Page(found) => {
            writeln!(out, "{}  {url}  →  {}", Styled(GOOD, status), Styled(NAME, found.route().name()))?;
            rows(&page_rows(found), out)
        }
        Decision::NotFound(missing) => {
            writeln!(out, "{}  {url}  →  not found", Styled(BAD, status))?;
            rows(&missing.fallback().map(|page| ("fallback", page.clone())).into_iter().collect::<Vec<_>>(), out)
        }
        Decision::BadRequest(bad) => {
            writeln!(out, "{}  {url}  →  bad request", Styled(BAD, status))?;
            rows(&[("reason", bad.to_string())], out)
        }
        // The library may learn decisions before the tool does.
        _ => writeln!(out, "{status}  {url}"),
    }
}

fn page_rows(found: &Match<'_, '_>) -> Vec<(&'static str, String)> {
    let mut rows = vec![("page", found.page().clone()), ("path", found.route().path().to_string())];
    let params: Vec<String> = found.params().map(|(name, value)| format!("{name} = {}", shown(&value))).collect();
    if !params.is_empty() {
        rows.push(("params", params.join(", ")));
    }
    let frames: Vec<&str> = found.frames().collect();
    if !frames.is_empty() {
        rows.push(("frames", frames.join(" › ")));
    }
    let levels: Vec<String> = found
        .levels()
        .map(|level| format!("{} {}", level.own_name(level.route().name()), shown(level.covered())))
        .collect();
    if levels.len() > 1 {
        rows.push(("chain", levels.join(" › ")));
    }
    rows
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

fn to_json(url: &[u8], decision: &Decision<'_, '_>) -> Map<String, Json> {
    let mut object = Map::new();
    object.insert("url".into(), String::from_utf8_lossy(url).into());
    let outcome = match decision {
        Decision::Page(_) => "page",
        Decision::NotFound(_) => "not-found",
        Decision::BadRequest(_) => "bad-request",
        _ => "other",
    };
    object.insert("outcome".into(), outcome.into());
    object.insert("status".into(), decision.status().into());
    match decision {
        Decision::Page(found) => {
            object.insert("route".into(), found.route().name().into());
            object.insert("page".into(), found.page().as_str().into());
            object.insert("frames".into(), found.frames().collect());
            let params = found.params().map(|(name, value)| (name.to_owned(), Json::from(value)));
            object.insert("params".into(), Json::Object(params.collect()));
            if !found.data().is_empty() {
                object.insert("data".into(), data_to_json(found.data()));
            }
        }
        Decision::NotFound(missing) => {
            if let Some(page) = missing.fallback() {
                object.insert("page".into(), page.as_str().into());
            }
        }
        Decision::BadRequest(bad) => {
            object.insert("reason".into(), bad.to_string().into());
        }
        _ => {}
    }
    object
}
