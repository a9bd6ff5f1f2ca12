//! What one thread has counted.

use vivid_lane::decide::Counters;
use vivid_lane::decide::DecisionKind;
use vivid_lane::{Decision, Request, Table};

use super::Counting;
use super::frequent::Frequent;
use super::line::Line;
use super::summary::{Statuses, Summary, Unread};
use crate::output::shown;

/// How much of a URL or a line is kept.
const MOST_KEPT: usize = 300;

/// Whose requests the log is taken to hold.
pub(crate) struct Visitor<'a> {
    pub(crate) host: Option<&'a str>,
    pub(crate) is_listed: &'a (dyn Fn(&str, &str) -> bool + Sync),
    pub(crate) is_met: &'a (dyn Fn(&str) -> bool + Sync),
}

pub(super) struct Tally<'a> {
    table: &'a Table,
    visitor: &'a Visitor<'a>,
    log: &'a str,
    counters: Counters,
    summary: Summary,
    missing: Frequent,
    outcomes: [u64; DecisionKind::ALL.len()],
}

impl<'a> Tally<'a> {
    pub(super) fn new(table: &'a Table, visitor: &'a Visitor<'a>, log: &'a str, most_missing: usize) -> Self {
        Self {
            table,
            visitor,
            log,
            counters: Counters::new(table),
            summary: Summary::default(),
            missing: Frequent::new(most_missing),
            outcomes: [0; DecisionKind::ALL.len()],
        }
    }

    pub(super) fn into_summary(self) -> Summary {
        let mut summary = self.summary;
        summary.missing_error = self.missing.error();
        summary.missing = self.missing.into_counts();
        let hits = self.counters.routes(self.table).filter(|(_, hits)| *hits > 0);
        summary.routes = hits.map(|(route, hits)| (route.name().to_owned(), hits)).collect();
        let outcomes = DecisionKind::ALL.iter().zip(self.outcomes).filter(|(_, count)| *count > 0);
        summary.outcomes = outcomes.map(|(kind, count)| (kind.as_str().to_owned(), count)).collect();
        summary
    }
}

impl Counting for Tally<'_> {
    fn line(&mut self, line: &Line<'_>) {
        let mut request = Request::new(&line.method, &*line.target).counted(&self.counters);
        request = request.lists(&self.visitor.is_listed).meets(&self.visitor.is_met);
        if let Some(host) = self.visitor.host {
            request = request.host(host);
        }
        let decision = self.table.decide(&request);
        self.summary.requests += 1;
        self.outcomes[decision.kind() as usize] += 1;
        match &decision {
            Decision::Redirect(redirect) if redirect.route().is_none() => self.summary.canonical += 1,
            Decision::NotFound(_) => {
                let end = line.target.iter().position(|byte| *byte == b'#').unwrap_or(line.target.len());
                self.missing.add(&line.target[..end.min(MOST_KEPT)]);
            }
            _ => {}
        }
        let (logged, decided) = (line.status, decision.status());
        let known = self.summary.statuses.iter_mut().find(|known| (known.logged, known.decided) == (logged, decided));
        match known {
            Some(known) => {
                known.hits += 1;
                if *line.target < *known.example.as_bytes() {
                    known.example = beginning(&line.target);
                }
            }
            None => self.summary.count(Statuses { logged, decided, hits: 1, example: beginning(&line.target) }),
        }
    }

    fn unread(&mut self, line: u64, reason: &str, raw: &[u8]) {
        let log = self.log;
        self.summary.note_unread(|| Unread { log: log.into(), line, reason: reason.into(), text: beginning(raw) });
    }
}

/// The beginning of what may be anything.
fn beginning(text: &[u8]) -> String {
    shown(&String::from_utf8_lossy(&text[..text.len().min(MOST_KEPT)]))
}
