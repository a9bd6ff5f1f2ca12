//! What was asked for, in bounded space.
//!
//! Addresses are put together by their family: the first segment, and what kind of text each other one is. Of each family the addresses with
//! the smallest hashes are kept, as many for each as there is room for; where there are more families than room, the families with the
//! smallest hashes. Which are kept is decided by the set of all addresses alone, and what is kept at the end was kept from its
//! first request on, so that its count is exact. Of those that are not kept, the kinds of their values are known.

use std::collections::{BTreeMap, BTreeSet};

use hashbrown::HashMap;
use smallvec::{SmallVec, smallvec};
use smol_str::SmolStr;

use super::address::Address;
use super::class::{Kinds, mask, masked};
use crate::text;

/// How many addresses are kept.
const MOST: usize = 1 << 17;
/// The longest address that is looked at, and the most segments of its path. Routes may be nested a little deeper.
const LONGEST: usize = 4096;
const DEEPEST: usize = 64;

/// Hits by method, most often of one.
pub(super) type Hits = SmallVec<[(SmolStr, u64); 1]>;

/// What was seen of one address.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Seen {
    /// Hits that got a page, by method.
    pub(super) hits: Hits,
    /// How many of them had a slash at the end of the path.
    pub(super) with_slash: u64,
    hash: u64,
}

impl Seen {
    fn again(&mut self, method: &str, hits: u64, with_slash: u64) {
        self.with_slash = self.with_slash.saturating_add(with_slash);
        match self.hits.iter_mut().find(|(known, _)| known == method) {
            Some((_, count)) => *count = count.saturating_add(hits),
            None => {
                self.hits.push((method.into(), hits));
                self.hits.sort_unstable();
            }
        }
    }

    pub(super) fn total(&self) -> u64 {
        self.hits.iter().map(|(_, hits)| hits).sum()
    }

    pub(super) fn methods(&self) -> impl Iterator<Item = &str> {
        self.hits.iter().map(|(method, _)| method.as_str())
    }
}

/// What is known of all addresses of a family, also of those that are not kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Family {
    hash: u64,
    /// Addresses that are kept, by hash.
    kept: BTreeSet<(u64, String)>,
    /// How many were left out; at least.
    pub(super) is_cut: bool,
    /// For each segment, then for each value of the query: what all of them are.
    pub(super) kinds: Vec<Kinds>,
}

/// How many requests were not learned from, and why.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LeftOut {
    /// Answers that are no page: redirects.
    pub redirects: u64,
    /// Answers with status 404 or 410.
    pub missing: u64,
    /// Answers with another status of an error.
    pub failed: u64,
    /// Targets that are no address of a page.
    pub unreadable: u64,
}

/// A row of a sample, for writing it out and reading it back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Observed {
    /// The address: a path, with its query.
    pub address: String,
    /// Hits by method.
    pub hits: BTreeMap<String, u64>,
    /// How many of them had a slash at the end of the path.
    pub with_slash: u64,
    /// For each value, a bit set of the kinds that all values there have. Its meaning belongs to this version.
    pub kinds: Vec<u32>,
    /// Whether addresses of the same form were dropped for want of room.
    pub is_cut: bool,
}

/// Collects requests from which a table can be learned.
///
/// # Example
/// ```
/// use vivid_lane_learn::Learner;
///
/// let mut learner = Learner::default();
/// for day in 1..=20 {
///     learner.see("GET", &format!("/nights/2031-04-{day:02}"), 200, 3);
/// }
/// learner.see("GET", "/about", 200, 40);
/// learner.see("GET", "/nihgts", 404, 2);
/// let table = learner.learn().build()?;
/// assert_eq!(table.find("/nights/2031-05-01").unwrap().param("date").as_deref(), Some("2031-05-01"));
/// assert!(table.find("/nights/soon").is_none());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct Learner {
    most: usize,
    pub(super) addresses: HashMap<String, Seen>,
    pub(super) families: HashMap<String, Family>,
    /// How many addresses of a family are kept.
    each: usize,
    /// Where there are more families than room, the largest hash of those that are kept.
    last: Option<u64>,
    pub(super) missing: BTreeMap<String, u64>,
    left_out: LeftOut,
}

impl Default for Learner {
    fn default() -> Self {
        Self::with_room(MOST)
    }
}

impl Learner {
    /// A learner that keeps at most so many addresses.
    #[must_use]
    pub fn with_room(most: usize) -> Self {
        let most = most.max(1);
        Self {
            most,
            addresses: HashMap::new(),
            families: HashMap::new(),
            each: most.next_power_of_two(),
            last: None,
            missing: BTreeMap::new(),
            left_out: LeftOut::default(),
        }
    }

    /// The requests that were not learned from.
    #[must_use]
    pub fn left_out(&self) -> &LeftOut {
        &self.left_out
    }

    /// Adds requests: a method, an address, how often it was requested, and the status of the answer.
    pub fn see(&mut self, method: &str, target: &str, status: u16, hits: u64) {
        let count = match status {
            200..=299 | 304 => return self.page(method, target, hits),
            300..=399 => &mut self.left_out.redirects,
            404 | 410 => {
                if target.len() <= LONGEST
                    && let Some(address) = Address::read(target)
                {
                    self.miss(&Address { query: Vec::new(), ..address }.written(), hits);
                }
                &mut self.left_out.missing
            }
            _ => &mut self.left_out.failed,
        };
        *count = count.saturating_add(hits);
    }

    fn page(&mut self, method: &str, target: &str, hits: u64) {
        // A page has what its `GET` has for `HEAD`, and any page answers `OPTIONS`.
        let method = match method {
            "HEAD" => "GET",
            "OPTIONS" => return,
            other => other,
        };
        // Most addresses come again, written as they are kept.
        let is_short = target.len() <= LONGEST;
        if is_short && let Some(seen) = self.addresses.get_mut(target) {
            return seen.again(method, hits, 0);
        }
        if is_short && let Some(parts) = Parts::of_plain(target) {
            return self.new_page(&parts, target, method, hits, 0);
        }
        let address = is_short.then(|| Address::read(target)).flatten();
        let Some(address) = address.filter(|address| address.segments.len() <= DEEPEST) else {
            self.left_out.unreadable = self.left_out.unreadable.saturating_add(hits);
            return;
        };
        let text = address.written();
        let with_slash = if address.has_slash { hits } else { 0 };
        match self.addresses.get_mut(&text) {
            Some(seen) => seen.again(method, hits, with_slash),
            None => self.new_page(&Parts::of(&address), &text, method, hits, with_slash),
        }
    }

    /// Takes note of an address that is not kept.
    fn new_page(&mut self, parts: &Parts<'_>, text: &str, method: &str, hits: u64, with_slash: u64) {
        let seen = Seen { hits: smallvec![(method.into(), hits)], with_slash, hash: hash(text) };
        self.add(&parts.family(), text, seen, &parts.kinds, false);
        if self.addresses.len() > self.most + self.most / 4 {
            self.tidy();
        }
    }

    /// Adds an address that is not kept yet, where it belongs to those that are.
    fn add(&mut self, family: &str, text: &str, seen: Seen, kinds: &[Kinds], is_cut: bool) {
        let known = match self.families.get_mut(family) {
            Some(known) => known,
            None => {
                let hash = hash(family);
                // It would not be kept.
                if self.last.is_some_and(|last| hash > last) {
                    return;
                }
                let new = Family { hash, kept: BTreeSet::new(), is_cut: false, kinds: vec![Kinds::ANY; kinds.len()] };
                self.families.entry(family.to_owned()).or_insert(new)
            }
        };
        known.kinds.iter_mut().zip(kinds).for_each(|(known, kinds)| *known = known.and(*kinds));
        known.is_cut |= is_cut;
        // It would go at once: there is never more room later.
        let is_last = |last: &(u64, String)| (last.0, last.1.as_str()) < (seen.hash, text);
        if known.kept.len() >= self.each && known.kept.last().is_some_and(is_last) {
            known.is_cut = true;
            return;
        }
        known.kept.insert((seen.hash, text.to_owned()));
        self.addresses.insert(text.to_owned(), seen);
        while known.kept.len() > self.each {
            known.is_cut = true;
            if let Some((_, text)) = known.kept.pop_last() {
                self.addresses.remove(&text);
            }
        }
    }

    /// Takes note of what all addresses of the family of one are.
    fn know(&mut self, text: &str, kinds: &[Kinds], is_cut: bool) {
        let Some(address) = Address::read(text) else { return };
        if let Some(family) = self.families.get_mut(&Parts::of(&address).family()) {
            family.kinds.iter_mut().zip(kinds).for_each(|(known, kinds)| *known = known.and(*kinds));
            family.is_cut |= is_cut;
        }
    }

    fn miss(&mut self, path: &str, hits: u64) {
        match self.missing.get_mut(path) {
            Some(count) => *count = count.saturating_add(hits),
            None => drop(self.missing.insert(path.to_owned(), hits)),
        }
        // Of missing addresses, those with the smallest hashes are kept: what is asked for often is seen in any sample of them.
        let most = self.most / 8 + 1;
        if self.missing.len() > most + most / 4 {
            self.tidy_missing();
        }
    }

    fn tidy_missing(&mut self) {
        let most = self.most / 8 + 1;
        if self.missing.len() > most {
            let mut all: Vec<(u64, String)> = self.missing.keys().map(|path| (hash(path), path.clone())).collect();
            all.sort_unstable();
            for (_, path) in all.into_iter().skip(most) {
                self.missing.remove(&path);
            }
        }
    }

    /// Brings the sample to its size.
    fn tidy(&mut self) {
        self.tidy_missing();
        if self.addresses.len() <= self.most {
            return;
        }
        let kept = |each: usize| self.families.values().map(|family| family.kept.len().min(each)).sum::<usize>();
        while self.each > 1 && kept(self.each) > self.most {
            self.each /= 2;
        }
        for family in self.families.values_mut() {
            while family.kept.len() > self.each {
                family.is_cut = true;
                if let Some((_, text)) = family.kept.pop_last() {
                    self.addresses.remove(&text);
                }
            }
        }
        if self.families.len() > self.most {
            let mut all: Vec<(u64, String)> =
                self.families.iter().map(|(text, family)| (family.hash, text.clone())).collect();
            all.sort_unstable();
            self.last = all.get(self.most - 1).map(|(hash, _)| *hash);
            for (_, text) in all.into_iter().skip(self.most) {
                self.forget(&text);
            }
        }
    }

    /// Adds everything that another learner has collected.
    pub fn merge(&mut self, other: &Self) {
        self.each = self.each.min(other.each);
        self.last = match (self.last, other.last) {
            (Some(one), Some(other)) => Some(one.min(other)),
            (one, other) => one.or(other),
        };
        let counts = [
            (&mut self.left_out.redirects, other.left_out.redirects),
            (&mut self.left_out.missing, other.left_out.missing),
            (&mut self.left_out.failed, other.left_out.failed),
            (&mut self.left_out.unreadable, other.left_out.unreadable),
        ];
        counts.into_iter().for_each(|(count, more)| *count = count.saturating_add(more));
        other.missing.iter().for_each(|(path, hits)| self.miss(path, *hits));
        // What the other has left out is not kept here either.
        if let Some(last) = self.last {
            let gone: Vec<String> =
                self.families.iter().filter(|(_, family)| family.hash > last).map(|(text, _)| text.clone()).collect();
            gone.into_iter().for_each(|text| self.forget(&text));
        }
        for family in other.families.values() {
            for (_, text) in &family.kept {
                let Some(seen) = other.addresses.get(text) else { continue };
                match self.addresses.get_mut(text) {
                    Some(known) => {
                        known.with_slash = known.with_slash.saturating_add(seen.with_slash);
                        seen.hits.iter().for_each(|(method, hits)| known.again(method, *hits, 0));
                        self.know(text, &family.kinds, family.is_cut);
                    }
                    None => {
                        let name = Address::read(text).map(|address| Parts::of(&address).family()).unwrap_or_default();
                        self.add(&name, text, seen.clone(), &family.kinds, family.is_cut);
                    }
                }
            }
            if self.addresses.len() > self.most + self.most / 4 {
                self.tidy();
            }
        }
        self.tidy();
    }

    fn forget(&mut self, family: &str) {
        for (_, text) in self.families.remove(family).into_iter().flat_map(|family| family.kept) {
            self.addresses.remove(&text);
        }
    }

    /// The sample at its size.
    pub(super) fn tidied(&self) -> Self {
        let mut tidied = self.clone();
        tidied.tidy();
        tidied
    }

    /// The sample as rows. Their order does not depend on the order of the requests.
    pub fn rows(&self) -> impl Iterator<Item = Observed> + use<> {
        let tidied = self.tidied();
        let mut rows: Vec<Observed> = Vec::with_capacity(tidied.addresses.len());
        for family in tidied.families.values() {
            for (_, text) in &family.kept {
                let Some(seen) = tidied.addresses.get(text) else { continue };
                rows.push(Observed {
                    address: text.clone(),
                    hits: seen.hits.iter().map(|(method, hits)| (method.to_string(), *hits)).collect(),
                    with_slash: seen.with_slash,
                    kinds: family.kinds.iter().map(|kinds| kinds.bits()).collect(),
                    is_cut: family.is_cut,
                });
            }
        }
        rows.sort_by(|one, other| one.address.cmp(&other.address));
        rows.into_iter()
    }

    /// The missing addresses in the sample, with the number of requests for each.
    pub fn missing(&self) -> impl Iterator<Item = (String, u64)> + use<> {
        self.tidied().missing.into_iter()
    }

    /// Adds a row that a learner of the same size has written.
    pub fn restore(&mut self, row: &Observed) {
        let Some(address) = Address::read(&row.address) else { return };
        let text = address.written();
        if let Some(seen) = self.addresses.get_mut(&text) {
            seen.with_slash = seen.with_slash.saturating_add(row.with_slash);
            row.hits.iter().for_each(|(method, hits)| seen.again(method, *hits, 0));
            let kinds: Vec<Kinds> = row.kinds.iter().map(|bits| Kinds::from_bits(*bits)).collect();
            self.know(&text, &kinds, row.is_cut);
            return;
        }
        let hits = row.hits.iter().map(|(method, hits)| (method.into(), *hits)).collect();
        let seen = Seen { hits, with_slash: row.with_slash, hash: hash(&text) };
        let kinds: Vec<Kinds> = row.kinds.iter().map(|bits| Kinds::from_bits(*bits)).collect();
        self.add(&Parts::of(&address).family(), &text, seen, &kinds, row.is_cut);
    }

    /// Adds missing addresses and counts that a learner has written.
    pub fn restore_counts(&mut self, missing: impl IntoIterator<Item = (String, u64)>, left_out: &LeftOut) {
        missing.into_iter().for_each(|(path, hits)| self.miss(&path, hits));
        self.left_out.redirects = self.left_out.redirects.saturating_add(left_out.redirects);
        self.left_out.missing = self.left_out.missing.saturating_add(left_out.missing);
        self.left_out.failed = self.left_out.failed.saturating_add(left_out.failed);
        self.left_out.unreadable = self.left_out.unreadable.saturating_add(left_out.unreadable);
    }

    /// The addresses that are kept, in an order that does not depend on that of the requests.
    pub(super) fn sample(&self) -> Vec<Sampled<'_>> {
        let mut all: Vec<Sampled<'_>> = Vec::with_capacity(self.addresses.len());
        for family in self.families.values() {
            // What is kept speaks for itself; of the rest the family knows.
            let kinds: &[Kinds] = if family.is_cut { &family.kinds } else { &[] };
            for (_, text) in &family.kept {
                if let (Some(address), Some(seen)) = (Address::read(text), self.addresses.get(text)) {
                    all.push(Sampled { text, address, seen, kinds });
                }
            }
        }
        all.sort_by_key(|row| row.text);
        all
    }
}

/// An address of a sample, with what was seen of it, and what all values of its family are where not all are kept.
pub(super) struct Sampled<'a> {
    pub(super) text: &'a str,
    pub(super) address: Address,
    pub(super) seen: &'a Seen,
    pub(super) kinds: &'a [Kinds],
}

/// The parts of an address, borrowed, and what kind of text each is.
struct Parts<'a> {
    segments: SmallVec<[&'a str; 8]>,
    names: SmallVec<[&'a str; 4]>,
    /// Of each segment, then of each value of the query.
    kinds: SmallVec<[Kinds; 12]>,
}

impl<'a> Parts<'a> {
    fn of(address: &'a Address) -> Self {
        let segments: SmallVec<[&str; 8]> = address.segments.iter().map(String::as_str).collect();
        let values = address.query.iter().map(|(_, value)| value.as_str());
        let kinds = segments.iter().copied().chain(values).map(Kinds::of).collect();
        Self { segments, names: address.query.iter().map(|(name, _)| name.as_str()).collect(), kinds }
    }

    /// Those of a target that is written as its address is kept, byte for byte.
    fn of_plain(target: &'a str) -> Option<Self> {
        let (path, query) = target.split_once('?').map_or((target, None), |(path, query)| (path, Some(query)));
        let inner = path.strip_prefix('/')?;
        let is_plain = |text: &str| text::is_plain(text);
        let mut segments: SmallVec<[&str; 8]> = SmallVec::new();
        for segment in inner.split('/').filter(|_| !inner.is_empty()) {
            if segment.is_empty() || segment.starts_with('.') || !is_plain(segment) {
                return None;
            }
            segments.push(segment);
        }
        let mut names: SmallVec<[&str; 4]> = SmallVec::new();
        let mut kinds: SmallVec<[Kinds; 12]> = segments.iter().copied().map(Kinds::of).collect();
        for pair in query.into_iter().flat_map(|query| query.split('&')) {
            let (name, value) = pair.split_once('=')?;
            if !is_plain(name) || !is_plain(value) {
                return None;
            }
            names.push(name);
            kinds.push(Kinds::of(value));
        }
        (segments.len() <= DEEPEST).then_some(Self { segments, names, kinds })
    }

    /// What addresses of one family have in common: the first segment where another one follows, the kinds of the others, and the names in
    /// the query.
    fn family(&self) -> String {
        // No segment has a control character, and a name is written without one.
        let mut out = String::with_capacity(48);
        for (at, (segment, kinds)) in self.segments.iter().zip(&self.kinds).enumerate() {
            out.push('\u{1}');
            if at == 0 && self.segments.len() > 1 {
                out.push_str(&masked(segment, *kinds));
            } else {
                push_words(&mut out, segment, *kinds);
            }
        }
        // In the order of the address, as the kinds of its values are.
        for name in &self.names {
            out.push('\u{2}');
            out.extend(name.escape_debug());
        }
        out
    }
}

/// Writes the mask of a value, in which each word is one letter.
fn push_words(out: &mut String, value: &str, kinds: Kinds) {
    let mut last = '\0';
    mask(value, kinds, |char| {
        let char = if char.is_alphabetic() { 'w' } else { char };
        if !(last == 'w' && matches!(char, 'w' | '-' | '_')) {
            out.push(char);
            last = char;
        }
    });
}

/// FNV-1a, 64 bits, with its bits mixed: the same on every machine.
fn hash(text: &str) -> u64 {
    let hash = text
        .bytes()
        .fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3));
    let mixed = (hash ^ (hash >> 32)).wrapping_mul(0xd6e8_feb8_6659_fd93);
    mixed ^ (mixed >> 32)
}
