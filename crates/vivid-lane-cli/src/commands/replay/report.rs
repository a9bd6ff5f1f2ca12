//! What a log comes to, held against the table: as text, as JSON, and as a page.

use std::io::{self, Write};
use std::path::Path;

use anstyle::Style;
use serde::Serialize;
use serde_json::{Map, Value as Json, json};
use vivid_lane::analyse::Suggestion;
use vivid_lane::decide::DecisionKind;
use vivid_lane::{Decision, Request, Table};

use crate::output::Failure;
use crate::output::{FAINT, NAME, STRONG, Styled, counted, grouped, shown, width};
use crate::picture::{Place, SiteMap, Sort, Spot};
use crate::replay::Summary;
use crate::report;
use crate::system::System;
use crate::visitor::Visitor;

/// An address that nothing has, how often it was asked for, and what may have been meant.
struct Wanted<'a> {
    url: &'a str,
    hits: u64,
    suggestions: Vec<Suggestion<'a>>,
    /// The route below which it stands, and what goes on from there.
    below: Option<(&'a str, String)>,
}

/// A summary, held against the table.
pub(super) struct Report<'a> {
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
    pub(super) fn new(table: &'a Table, visitor: &Visitor<'_>, summary: &'a Summary, top: usize) -> Self {
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
            let (suggestions, below) = match table.decide(&request) {
                Decision::NotFound(missing) => {
                    let below = missing.position().map(|position| {
                        let covered: usize = position.levels().map(|level| level.covered().len()).sum();
                        (position.route().name(), position.path().get(covered..).unwrap_or_default().to_owned())
                    });
                    (missing.suggestions(), below)
                }
                _ => (Vec::new(), None),
            };
            Wanted { url, hits, suggestions, below }
        };
        let missing = missing.into_iter().take(top).map(wanted).collect();
        Self { summary, pages, redirects, never, missing, top }
    }

    /// The site with its hits: how often each route was reached, and where the most wanted missing addresses would stand.
    pub(super) fn map(&self, table: &Table, name: &str) -> SiteMap {
        let mut map = SiteMap::of(table, name);
        for place in &mut map.places {
            let hits = place.route.as_ref().and_then(|route| self.summary.routes.get(route)).copied();
            place.hits = Some(hits.unwrap_or(0)).filter(|_| !place.page.is_empty());
            if place.hits == Some(0) {
                place.sort = Sort::Quiet;
            }
        }
        let wanted = |wanted: &Wanted<'a>| {
            let rest = wanted.below.as_ref().map(|(_, rest)| rest.as_str()).filter(|rest| !rest.is_empty());
            let place = Place {
                path: rest.unwrap_or(wanted.url).to_owned(),
                page: "missing".to_owned(),
                notes: wanted.suggestions.first().map(|near| format!("near {}", near.url())).into_iter().collect(),
                hits: Some(wanted.hits),
                sort: Sort::Missing,
                ..Place::default()
            };
            (Spot::Below(wanted.below.as_ref().map_or("", |(route, _)| route)), vec![place])
        };
        map.put(self.missing.iter().map(wanted).collect());
        map.subtitle = format!("{} · {}", counted_requests(self.summary.requests), map.subtitle);
        map.legend = vec![(Sort::Quiet, "never reached"), (Sort::Missing, "asked for, and missing")];
        map
    }

    pub(super) fn json(&self) -> Map<String, Json> {
        let hits = |routes: &[(&str, u64)]| -> Json {
            routes.iter().map(|(route, hits)| json!({ "route": route, "hits": hits })).collect()
        };
        let mut object = Map::new();
        object.insert("requests".into(), self.summary.requests.into());
        for kind in DecisionKind::ALL.map(DecisionKind::as_str) {
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

    /// All that is to be said, in the order in which it is read.
    fn sections(&self) -> Vec<Section<'_>> {
        let summary = self.summary;
        let kinds = DecisionKind::ALL.map(DecisionKind::as_str).into_iter();
        let outcomes = kinds.filter_map(|kind| Some((kind, *summary.outcomes.get(kind)?)));
        let outcomes =
            outcomes.map(|(kind, hits)| Row::new(hits, kind.replace('-', " ")).remark(share(hits, summary.requests)));
        let canonical =
            (summary.canonical > 0).then(|| Row::new(summary.canonical, "to the canonical address".to_owned()));
        let missing = self.missing.iter().map(|wanted| {
            let row = Row::new(wanted.hits, shown(wanted.url));
            match wanted.suggestions.first() {
                Some(near) => row.near(near.url()).remark(near.reason().to_owned()),
                None => row,
            }
        });
        let too_few = (summary.missing_error > 0)
            .then(|| format!("each may have been asked for up to {} times more", summary.missing_error));
        let mut apart: Vec<_> = summary.statuses.iter().filter(|statuses| !statuses.agree()).collect();
        apart.sort_by_key(|statuses| std::cmp::Reverse(statuses.hits));
        let apart = apart.into_iter().take(self.top).map(|one| {
            let text = format!("{} in the log, {} by the table", one.logged, one.decided);
            Row::new(one.hits, text).remark(format!("such as {}", one.example))
        });
        let unread = summary.unread.iter().map(|unread| {
            let text: String = unread.text.chars().take(60).collect();
            let place = format!("{}:{}: {}", unread.log, unread.line, unread.reason);
            Row { count: String::new(), text: place, remark: shown(&text), ..Row::default() }
        });
        let never = format!("never reached: {}", counted(self.never.len(), "route"));
        let all = [
            Section::of("outcome", outcomes.collect()),
            Section::of("pages", self.named(&self.pages).collect()),
            Section::of("redirects taken", canonical.into_iter().chain(self.named(&self.redirects)).collect()),
            Section { words: self.never.clone(), ..Section::of(never, Vec::new()) },
            Section { note: too_few, ..Section::of("most wanted missing addresses", missing.collect()) },
            Section::of("where log and table differ", apart.collect()),
            Section::of("first lines that could not be read", unread.collect()),
        ];
        all.into_iter().filter(|section| !section.rows.is_empty() || !section.words.is_empty()).collect()
    }

    /// How many requests there were, and how many lines that are none.
    fn requests(&self) -> String {
        let malformed = match self.summary.malformed {
            0 => String::new(),
            count => format!(", and {} that could not be read", counted_lines(count)),
        };
        format!("{}{malformed}", counted_requests(self.summary.requests))
    }

    pub(super) fn text(&self, out: &mut dyn Write) -> io::Result<()> {
        writeln!(out, "{}", Styled(STRONG, self.requests()))?;
        self.sections().iter().try_for_each(|section| section.text(out))
    }

    /// The report as a page to send round.
    pub(super) fn html(
        &self,
        system: &dyn System,
        table: &Table,
        name: &str,
        path: &Path,
        err: &mut dyn Write,
    ) -> Result<(), Failure> {
        #[derive(Serialize)]
        struct Content<'a> {
            summary: String,
            sections: Vec<Section<'a>>,
        }
        let content = Content { summary: self.requests(), sections: self.sections() };
        let title = table.origin().unwrap_or(name);
        let subtitle = format!("What visitors met, by the access log and {name}");
        let report = report::Report { template: report::REPLAY, title, subtitle, content };
        report::write(system, &report, Some(self.map(table, name)), path, err)
    }

    /// Routes and their hits, the first of them.
    fn named(&self, routes: &[(&str, u64)]) -> impl Iterator<Item = Row> {
        let rest: u64 = routes.iter().skip(self.top).map(|(_, hits)| hits).sum();
        let others = routes.len().saturating_sub(self.top);
        let name = |(name, hits): &(&str, u64)| Row { is_name: true, ..Row::new(*hits, (*name).to_owned()) };
        let rows: Vec<Row> = routes.iter().take(self.top).map(name).collect();
        rows.into_iter().chain((others > 0).then(|| Row::new(rest, format!("{others} others"))))
    }
}

/// A part of the report: rows, or words, below a heading.
#[derive(Debug, Serialize)]
struct Section<'a> {
    heading: String,
    rows: Vec<Row>,
    words: Vec<&'a str>,
    note: Option<String>,
}

/// A row: a number, what it counts, and what there is to say of it.
#[derive(Debug, Default, Serialize)]
struct Row {
    count: String,
    text: String,
    /// Whether the text is the name of a route.
    is_name: bool,
    /// An address that may have been meant.
    near: Option<String>,
    remark: String,
}

impl Row {
    fn new(count: u64, text: String) -> Self {
        Self { count: grouped(count), text, ..Self::default() }
    }

    fn remark(self, remark: String) -> Self {
        Self { remark, ..self }
    }

    fn near(self, url: &str) -> Self {
        Self { near: Some(url.to_owned()), ..self }
    }
}

impl Section<'_> {
    fn of(heading: impl Into<String>, rows: Vec<Row>) -> Self {
        Self { heading: heading.into(), rows, words: Vec::new(), note: None }
    }

    fn text(&self, out: &mut dyn Write) -> io::Result<()> {
        writeln!(out, "\n{}", Styled(STRONG, &self.heading))?;
        let has_remark = |row: &&Row| !row.remark.is_empty() || row.near.is_some();
        let widest = self.rows.iter().filter(has_remark).map(|row| width(&row.text)).max().unwrap_or(0);
        for row in &self.rows {
            let style = if row.is_name { NAME } else { Style::new() };
            let gap = if has_remark(&row) { widest.saturating_sub(width(&row.text)) + 2 } else { 0 };
            let near = row.near.as_ref().map_or_else(String::new, |near| format!("→ {near}  "));
            let faint = if row.near.is_some() || row.count.is_empty() { FAINT } else { Style::new() };
            let (count, text, remark) = (&row.count, Styled(style, &row.text), Styled(faint, &row.remark));
            writeln!(out, "{count:>8}  {text}{:gap$}{near}{remark}", "")?;
        }
        for line in wrapped(&self.words, 108) {
            writeln!(out, "          {}", Styled(NAME, line))?;
        }
        self.note.iter().try_for_each(|note| writeln!(out, "          {note}"))
    }
}

fn counted_requests(count: u64) -> String {
    format!("{} request{}", grouped(count), if count == 1 { "" } else { "s" })
}

fn counted_lines(count: u64) -> String {
    format!("{} line{}", grouped(count), if count == 1 { "" } else { "s" })
}

fn share(part: u64, all: u64) -> String {
    format!("{:5.1} %", part as f64 * 100.0 / all.max(1) as f64)
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
