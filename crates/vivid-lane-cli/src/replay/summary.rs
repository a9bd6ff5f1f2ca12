//! What a log comes to, and how summaries are added up.
//!
//! Adding up is a sum, a union or a least in every field, so neither order nor grouping matters. The addresses that
//! nothing has are counted with a bounded number of counters for each log; a merged summary has those of all its parts.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// How many lines that could not be read are kept.
const MOST_UNREAD: usize = 5;

/// The version of the form in which summaries are written.
const VERSION: u32 = 2;

/// What a log, or a part of one, comes to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct Summary {
    /// The version of this form.
    pub(crate) summary: u32,
    /// What tells the texts of the table from those of others.
    pub(crate) table: String,
    pub(crate) requests: u64,
    /// Decisions by kind.
    pub(crate) outcomes: BTreeMap<String, u64>,
    /// Pages shown and redirects taken, by route.
    pub(crate) routes: BTreeMap<String, u64>,
    /// Redirects to the canonical form of an address.
    pub(crate) canonical: u64,
    /// The status in the log and the status by the table.
    pub(crate) statuses: Vec<Statuses>,
    /// Addresses that nothing has.
    pub(crate) missing: BTreeMap<String, u64>,
    /// By how much a count in `missing` may be too low.
    pub(crate) missing_error: u64,
    pub(crate) malformed: u64,
    /// The first of the lines that could not be read.
    pub(crate) unread: Vec<Unread>,
}

/// How often a status in the log met a status by the table.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Statuses {
    pub(crate) logged: u16,
    pub(crate) decided: u16,
    pub(crate) hits: u64,
    /// Of the URLs that met it, the first in the order of the alphabet.
    pub(crate) example: String,
}

/// A line that could not be read.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub(crate) struct Unread {
    pub(crate) log: String,
    pub(crate) line: u64,
    pub(crate) reason: String,
    /// Its beginning.
    pub(crate) text: String,
}

impl Default for Summary {
    fn default() -> Self {
        Self {
            summary: VERSION,
            table: String::new(),
            requests: 0,
            outcomes: BTreeMap::new(),
            routes: BTreeMap::new(),
            canonical: 0,
            statuses: Vec::new(),
            missing: BTreeMap::new(),
            missing_error: 0,
            malformed: 0,
            unread: Vec::new(),
        }
    }
}

impl Summary {
    /// A summary of nothing, for a table.
    pub(crate) fn of(table: &str) -> Self {
        Self { table: table.to_owned(), ..Self::default() }
    }

    /// Reads a summary that was written before, for the same table.
    pub(crate) fn read(line: &str, table: &str) -> Result<Self, String> {
        /// What all versions have.
        #[derive(Deserialize)]
        struct Versioned {
            summary: u32,
        }
        let Versioned { summary: version } = serde_json::from_str(line).map_err(|error| error.to_string())?;
        if version != VERSION {
            return Err(format!("expected a summary of version {VERSION}, found version {version}"));
        }
        let summary: Self = serde_json::from_str(line).map_err(|error| error.to_string())?;
        if summary.table == table {
            Ok(summary)
        } else {
            Err("it was made with another table, or another state of this one".to_owned())
        }
    }

    /// Adds another summary.
    pub(crate) fn merge(&mut self, other: Self) {
        self.requests = self.requests.saturating_add(other.requests);
        add_all(&mut self.outcomes, other.outcomes);
        add_all(&mut self.routes, other.routes);
        self.canonical = self.canonical.saturating_add(other.canonical);
        add_all(&mut self.missing, other.missing);
        self.missing_error = self.missing_error.saturating_add(other.missing_error);
        self.malformed = self.malformed.saturating_add(other.malformed);
        other.statuses.into_iter().for_each(|statuses| self.count(statuses));
        self.unread.extend(other.unread);
        self.unread.sort_unstable();
        self.unread.truncate(MOST_UNREAD);
    }

    /// Counts a pair of statuses.
    pub(super) fn count(&mut self, one: Statuses) {
        let place =
            self.statuses.binary_search_by_key(&(one.logged, one.decided), |known| (known.logged, known.decided));
        match place {
            Ok(at) => {
                let known = &mut self.statuses[at];
                known.hits = known.hits.saturating_add(one.hits);
                if one.example < known.example {
                    known.example = one.example;
                }
            }
            Err(at) => self.statuses.insert(at, one),
        }
    }

    /// Notes a line that could not be read.
    pub(super) fn note_unread(&mut self, unread: impl FnOnce() -> Unread) {
        self.malformed += 1;
        // The lines come in their order, so the first are the first.
        if self.unread.len() < MOST_UNREAD {
            self.unread.push(unread());
        }
    }
}

impl Statuses {
    /// Whether the table says what the server said: a page, a redirect, or the same refusal.
    pub(crate) fn agree(&self) -> bool {
        let kind = |status: u16| match status {
            200..=299 | 304 => 200,
            301 | 302 | 303 | 307 | 308 => 301,
            other => other,
        };
        kind(self.logged) == kind(self.decided)
    }
}

fn add_all(counts: &mut BTreeMap<String, u64>, more: BTreeMap<String, u64>) {
    for (name, hits) in more {
        let count = counts.entry(name).or_default();
        *count = count.saturating_add(hits);
    }
}

#[cfg(test)]
pub(super) mod tests {
    use proptest::prelude::*;

    use super::*;

    fn counts() -> impl Strategy<Value = BTreeMap<String, u64>> {
        prop::collection::btree_map("[a-c]", 0u64..9, 0..4)
    }

    pub(in super::super) fn summaries() -> impl Strategy<Value = Summary> {
        let statuses = prop::collection::vec((0u16..3, 0u16..3, 1u64..9, "[a-c]"), 0..5);
        let unread = prop::collection::vec(("[a-b]", 0u64..9, "[a-b]", "[a-b]"), 0..7);
        (counts(), counts(), counts(), 0u64..9, statuses, unread).prop_map(
            |(outcomes, routes, missing, number, statuses, unread)| {
                let mut summary = Summary {
                    requests: number,
                    outcomes,
                    routes,
                    missing,
                    missing_error: number,
                    ..Summary::default()
                };
                for (logged, decided, hits, example) in statuses {
                    summary.count(Statuses { logged, decided, hits, example });
                }
                let unread = unread.into_iter().map(|(log, line, reason, text)| Unread { log, line, reason, text });
                summary.merge(Summary { unread: unread.collect(), ..Summary::default() });
                summary
            },
        )
    }

    fn sum(parts: impl IntoIterator<Item = Summary>) -> Summary {
        parts.into_iter().fold(Summary::default(), |mut all, part| {
            all.merge(part);
            all
        })
    }

    proptest! {
        #[test]
        fn neither_order_nor_grouping_matters(one in summaries(), two in summaries(), three in summaries()) {
            let all = sum([one.clone(), two.clone(), three.clone()]);
            prop_assert_eq!(&sum([three.clone(), one.clone(), two.clone()]), &all);
            prop_assert_eq!(&sum([one.clone(), sum([two, three])]), &all);
            prop_assert_eq!(sum([one.clone()]), one);
        }

        #[test]
        fn what_is_written_is_read(summary in summaries()) {
            let written = serde_json::to_string(&summary).unwrap();
            prop_assert_eq!(Summary::read(&written, ""), Ok(summary));
            prop_assert!(Summary::read(&written, "other").is_err());
            let newer = written.replacen("\"summary\":2", "\"summary\":3", 1);
            prop_assert!(Summary::read(&newer, "").unwrap_err().contains("found version 3"));
        }
    }
}
