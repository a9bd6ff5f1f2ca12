//! What holds for all of a site: its way with slashes and with letter case, what in a query says nothing of a page, and what chooses the page of a
//! script.

use std::collections::{BTreeMap, BTreeSet};

use super::address::Address;
use super::class::{Kind, Kinds, masked};
use super::sample::Sampled;

/// In so many places, and with so many values, a name in the query tells where visitors come from.
const MANY_PLACES: usize = 4;
const MANY_VALUES: usize = 12;
/// How many pages a script has at most, for its query to choose among them.
const MOST_CHOICES: usize = 24;
/// Endings of scripts.
const SCRIPTS: [&str; 9] = ["cgi", "php", "asp", "aspx", "jsp", "do", "pl", "py", "cfm"];

#[derive(Debug, Default)]
pub(super) struct Habits {
    /// Whether paths end with a slash.
    pub(super) has_slash: bool,
    /// Whether one page is asked for in small letters and in capitals.
    pub(super) folds_case: bool,
    /// Names in the query that stand everywhere.
    pub(super) ignored: BTreeSet<String>,
    /// By the path of a script, the name in the query whose value chooses the page.
    choosers: BTreeMap<Vec<String>, String>,
}

/// An address as it is learned.
pub(super) struct Adapted {
    pub(super) address: Address,
    pub(super) kinds: Vec<Kinds>,
    /// What of the query chooses the page, and its value.
    pub(super) choice: Option<(String, String)>,
}

impl Habits {
    pub(super) fn of(sample: &[Sampled<'_>]) -> Self {
        let inner = || sample.iter().filter(|row| !row.address.segments.is_empty());
        let hits: u64 = inner().map(|row| row.seen.total()).sum();
        let with_slash: u64 = inner().map(|row| row.seen.with_slash).sum();
        Self {
            has_slash: 2 * with_slash > hits,
            folds_case: folds_case(sample),
            ignored: ignored(sample),
            choosers: choosers(sample),
        }
    }

    /// An address without what says nothing of its page.
    pub(super) fn adapted(&self, row: &Sampled<'_>) -> Adapted {
        let mut address = row.address.clone();
        let mut kinds = row.kinds.to_vec();
        let mut choice = None;
        let chooser = self.choosers.get(&address.segments);
        for at in (0..address.query.len()).rev() {
            let is_choice = chooser == Some(&address.query[at].0);
            if is_choice || self.ignored.contains(&address.query[at].0) {
                let pair = address.query.remove(at);
                if kinds.len() > address.segments.len() + at {
                    kinds.remove(address.segments.len() + at);
                }
                if is_choice {
                    choice = Some(pair);
                }
            }
        }
        if self.folds_case {
            address.segments.iter_mut().for_each(|segment| *segment = segment.to_lowercase());
        }
        Adapted { address, kinds, choice }
    }
}

/// Whether most addresses with capitals are asked for in small letters as well.
fn folds_case(sample: &[Sampled<'_>]) -> bool {
    let small: BTreeSet<String> = sample.iter().map(|row| row.address.segments.join("/")).collect();
    let (mut all, mut twins, mut count) = (0_u64, 0_u64, 0);
    for row in sample {
        let path = row.address.segments.join("/");
        let lower = path.to_lowercase();
        if lower == path {
            continue;
        }
        all += row.seen.total();
        if small.contains(&lower) {
            twins += row.seen.total();
            count += 1;
        }
    }
    count >= 3 && 2 * twins > all
}

/// Names that stand in many places with many values: they say where a visitor comes from. Nearly all requests are for a part of the
/// site, by its first segment, in which such a name was seen. (A name that one route has, whose path begins with a parameter, stands in many parts, too,
/// but in those that few ask for.)
fn ignored(sample: &[Sampled<'_>]) -> BTreeSet<String> {
    let mut parts: BTreeMap<String, u64> = BTreeMap::new();
    let mut seen: BTreeMap<&str, (BTreeSet<String>, BTreeSet<&str>)> = BTreeMap::new();
    for row in sample {
        let part = row.address.segments.first().map_or(String::new(), |segment| masked(segment, Kinds::of(segment)));
        for (name, value) in &row.address.query {
            let (places, values) = seen.entry(name).or_default();
            if !places.contains(&part) {
                places.insert(part.clone());
            }
            if values.len() <= MANY_VALUES {
                values.insert(value);
            }
        }
        *parts.entry(part).or_default() += row.seen.total();
    }
    let all: u64 = parts.values().sum();
    let is_usual = |name: &str| name.starts_with("utm_");
    let is_everywhere = |(places, values): &(BTreeSet<String>, BTreeSet<&str>)| {
        let hits: u64 = places.iter().map(|place| parts[place]).sum();
        places.len() >= MANY_PLACES && values.len() >= MANY_VALUES && 5 * hits > 4 * all
    };
    let names = seen.iter().filter(|(name, seen)| is_usual(name) || is_everywhere(seen));
    names.map(|(name, _)| (*name).to_owned()).collect()
}

/// For each script, the name in the query that nearly all requests have, with few words as values.
fn choosers(sample: &[Sampled<'_>]) -> BTreeMap<Vec<String>, String> {
    struct Name {
        hits: u64,
        values: BTreeSet<String>,
        is_of_words: bool,
    }
    let mut scripts: BTreeMap<&[String], (u64, BTreeMap<&str, Name>)> = BTreeMap::new();
    for row in sample {
        let ending = row.address.segments.last().and_then(|last| last.rsplit_once('.')).map(|(_, ending)| ending);
        if !ending.is_some_and(|ending| SCRIPTS.contains(&ending)) {
            continue;
        }
        let hits = row.seen.total();
        let (all, names) = scripts.entry(&row.address.segments).or_default();
        *all += hits;
        for (at, (name, value)) in row.address.query.iter().enumerate() {
            let is_again = row.address.query[..at].iter().any(|(before, _)| before == name);
            let known = names.entry(name).or_insert(Name { hits: 0, values: BTreeSet::new(), is_of_words: true });
            known.hits += hits;
            known.is_of_words &= !is_again && Kinds::of(value).best() == Some(Kind::Slug);
            if known.values.len() <= MOST_CHOICES {
                known.values.insert(value.clone());
            }
        }
    }
    let chooser = |(path, (all, names)): (&[String], (u64, BTreeMap<&str, Name>))| {
        let is_name =
            |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_');
        let fits = |text: &str, name: &Name| {
            is_name(text)
                && name.is_of_words
                && (2..=MOST_CHOICES).contains(&name.values.len())
                && name.hits * 20 >= all * 19
        };
        let best =
            names.into_iter().filter(|(text, name)| fits(text, name)).min_by_key(|(_, name)| name.values.len())?;
        Some((path.to_vec(), best.0.to_owned()))
    };
    scripts.into_iter().filter_map(chooser).collect()
}
