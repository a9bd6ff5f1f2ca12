//! What was asked for, in bounded space.
//!
//! Addresses are put together by their shape: the address with numbers masked. Of each shape the addresses with the smallest hashes are kept, as many for
//! each as there is room for; where there are more shapes than room, the shapes with the smallest hashes. Which are kept is decided by the set
//! of all addresses alone, and what is kept at the end was kept from its first request on, so that its count is exact.

use std::collections::{BTreeMap, BTreeSet};

use hashbrown::HashMap;

use super::address::Address;
use super::class::{Kinds, masked};
use crate::template::percent;

/// How many addresses are kept.
const MOST: usize = 1 << 18;
/// The longest address that is looked at.
const LONGEST: usize = 4096;

/// What was seen of one address.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Seen {
    /// Hits that got a page, by method.
    pub(super) hits: BTreeMap<String, u64>,
    /// How many of them had a slash at the end of the path.
    pub(super) with_slash: u64,
    hash: u64,
}

impl Seen {
    fn again(&mut self, method: &str, hits: u64, with_slash: u64) {
        self.with_slash = self.with_slash.saturating_add(with_slash);
        match self.hits.get_mut(method) {
            Some(count) => *count = count.saturating_add(hits),
            None => drop(self.hits.insert(method.to_owned(), hits)),
        }
    }

    pub(super) fn total(&self) -> u64 {
        self.hits.values().sum()
    }
}

/// What is known of all addresses of a shape, also of those that are not kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Shape {
    hash: u64,
    /// Addresses that are kept, by hash.
    kept: BTreeSet<(u64, String)>,
    /// How many were left out; at least.
    pub(super) is_cut: bool,
    /// For each segment, then for each value of the query: what all of them are.
    pub(super) kinds: Vec<Kinds>,
}

/// How many requests were left out, and why.
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

/// A row of a sample, to be written and read again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Observed {
    /// The address: a path, with its query.
    pub address: String,
    /// Hits by method.
    pub hits: BTreeMap<String, u64>,
    /// How many of them had a slash at the end of the path.
    pub with_slash: u64,
    /// Of what kinds all values of its shape are; a number of this version.
    pub kinds: Vec<u32>,
    /// Were addresses of its shape left out?
    pub is_cut: bool,
}

/// Gathers what visitors asked for.
///
/// # Example
/// ```
/// use vivid_lane::learn::Learner;
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
    pub(super) shapes: HashMap<String, Shape>,
    /// How many addresses of a shape are kept.
    each: usize,
    /// Where there are more shapes than room, the largest hash of those that are kept.
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
    /// A learner that keeps so many addresses at most.
    #[must_use]
    pub fn with_room(most: usize) -> Self {
        let most = most.max(1);
        Self {
            most,
            addresses: HashMap::new(),
            shapes: HashMap::new(),
            each: most.next_power_of_two(),
            last: None,
            missing: BTreeMap::new(),
            left_out: LeftOut::default(),
        }
    }

    /// What was left out so far.
    #[must_use]
    pub fn left_out(&self) -> &LeftOut {
        &self.left_out
    }

    /// Takes note of a request that was made so often, with the status of its answer.
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
        // Most addresses come again, and stand as they are kept.
        if is_plain(target)
            && let Some(seen) = self.addresses.get_mut(target)
        {
            return seen.again(method, hits, 0);
        }
        let address = (target.len() <= LONGEST).then(|| Address::read(target)).flatten();
        let Some(address) = address else {
            self.left_out.unreadable = self.left_out.unreadable.saturating_add(hits);
            return;
        };
        let text = address.written();
        let with_slash = if address.has_slash { hits } else { 0 };
        let kinds =
            |values: &mut dyn Iterator<Item = &String>| values.map(|value| Kinds::of(value)).collect::<Vec<_>>();
        if let Some(seen) = self.addresses.get_mut(&text) {
            return seen.again(method, hits, with_slash);
        }
        let values = &mut address.segments.iter().chain(address.query.iter().map(|(_, value)| value));
        let seen = Seen { hits: BTreeMap::from([(method.to_owned(), hits)]), with_slash, hash: hash(&text) };
        self.add(&shape_of(&address), text, seen, &kinds(values), false);
        if self.addresses.len() > self.most + self.most / 4 {
            self.tidy();
        }
    }

    /// Adds an address that is not kept yet, where it belongs to those that are.
    fn add(&mut self, shape: &str, text: String, seen: Seen, kinds: &[Kinds], is_cut: bool) {
        if !self.shapes.contains_key(shape) {
            let hash = hash(shape);
            // It would not be kept.
            if self.last.is_some_and(|last| hash > last) {
                return;
            }
            let new = Shape { hash, kept: BTreeSet::new(), is_cut: false, kinds: vec![Kinds::ANY; kinds.len()] };
            self.shapes.insert(shape.to_owned(), new);
        }
        let Some(known) = self.shapes.get_mut(shape) else { return };
        known.kinds.iter_mut().zip(kinds).for_each(|(known, kinds)| *known = known.and(*kinds));
        known.is_cut |= is_cut;
        known.kept.insert((seen.hash, text.clone()));
        self.addresses.insert(text, seen);
        while known.kept.len() > self.each {
            known.is_cut = true;
            if let Some((_, text)) = known.kept.pop_last() {
                self.addresses.remove(&text);
            }
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
        let kept = |each: usize| self.shapes.values().map(|shape| shape.kept.len().min(each)).sum::<usize>();
        while self.each > 1 && kept(self.each) > self.most {
            self.each /= 2;
        }
        for shape in self.shapes.values_mut() {
            while shape.kept.len() > self.each {
                shape.is_cut = true;
                if let Some((_, text)) = shape.kept.pop_last() {
                    self.addresses.remove(&text);
                }
            }
        }
        if self.shapes.len() > self.most {
            let mut all: Vec<(u64, String)> =
                self.shapes.iter().map(|(text, shape)| (shape.hash, text.clone())).collect();
            all.sort_unstable();
            self.last = all.get(self.most - 1).map(|(hash, _)| *hash);
            for (_, text) in all.into_iter().skip(self.most) {
                self.forget(&text);
            }
        }
    }

    /// Adds what another learner has seen.
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
                self.shapes.iter().filter(|(_, shape)| shape.hash > last).map(|(text, _)| text.clone()).collect();
            gone.into_iter().for_each(|text| self.forget(&text));
        }
        for row in other.rows() {
            self.restore(&row);
        }
        self.tidy();
    }

    fn forget(&mut self, shape: &str) {
        for (_, text) in self.shapes.remove(shape).into_iter().flat_map(|shape| shape.kept) {
            self.addresses.remove(&text);
        }
    }

    /// The sample at its size.
    pub(super) fn tidied(&self) -> Self {
        let mut tidied = self.clone();
        tidied.tidy();
        tidied
    }

    /// What is kept, row by row, in an order that does not depend on that of the requests.
    pub fn rows(&self) -> impl Iterator<Item = Observed> + use<> {
        let tidied = self.tidied();
        let mut rows: Vec<Observed> = Vec::with_capacity(tidied.addresses.len());
        for shape in tidied.shapes.values() {
            for (_, text) in &shape.kept {
                let Some(seen) = tidied.addresses.get(text) else { continue };
                rows.push(Observed {
                    address: text.clone(),
                    hits: seen.hits.clone(),
                    with_slash: seen.with_slash,
                    kinds: shape.kinds.iter().map(|kinds| kinds.bits()).collect(),
                    is_cut: shape.is_cut,
                });
            }
        }
        rows.sort_by(|one, other| one.address.cmp(&other.address));
        rows.into_iter()
    }

    /// The missing addresses that are kept, with how often each was asked for.
    pub fn missing(&self) -> impl Iterator<Item = (String, u64)> + use<> {
        self.tidied().missing.into_iter()
    }

    /// Takes a row over that a learner with as much room has written.
    pub fn restore(&mut self, row: &Observed) {
        let Some(address) = Address::read(&row.address) else { return };
        let text = address.written();
        if let Some(seen) = self.addresses.get_mut(&text) {
            seen.with_slash = seen.with_slash.saturating_add(row.with_slash);
            for (method, hits) in &row.hits {
                let count = seen.hits.entry(method.clone()).or_default();
                *count = count.saturating_add(*hits);
            }
            if let Some(shape) = self.shapes.get_mut(&shape_of(&address)) {
                let kinds = row.kinds.iter().map(|bits| Kinds::from_bits(*bits));
                shape.kinds.iter_mut().zip(kinds).for_each(|(known, kinds)| *known = known.and(kinds));
                shape.is_cut |= row.is_cut;
            }
            return;
        }
        let seen = Seen { hits: row.hits.clone(), with_slash: row.with_slash, hash: hash(&text) };
        let kinds: Vec<Kinds> = row.kinds.iter().map(|bits| Kinds::from_bits(*bits)).collect();
        self.add(&shape_of(&address), text, seen, &kinds, row.is_cut);
    }

    /// Takes missing addresses and counts over that a learner has written.
    pub fn restore_counts(&mut self, missing: impl IntoIterator<Item = (String, u64)>, left_out: &LeftOut) {
        missing.into_iter().for_each(|(path, hits)| self.miss(&path, hits));
        self.left_out.redirects = self.left_out.redirects.saturating_add(left_out.redirects);
        self.left_out.missing = self.left_out.missing.saturating_add(left_out.missing);
        self.left_out.failed = self.left_out.failed.saturating_add(left_out.failed);
        self.left_out.unreadable = self.left_out.unreadable.saturating_add(left_out.unreadable);
    }

    /// The addresses that are kept, with what was seen of each, and what all of its shape are.
    pub(super) fn sample(&self) -> Vec<(Address, &Seen, &[Kinds])> {
        let mut all: Vec<(&String, (Address, &Seen, &[Kinds]))> = Vec::new();
        for shape in self.shapes.values() {
            for (_, text) in &shape.kept {
                if let (Some(address), Some(seen)) = (Address::read(text), self.addresses.get(text)) {
                    all.push((text, (address, seen, &shape.kinds)));
                }
            }
        }
        all.sort_by(|one, other| one.0.cmp(other.0));
        all.into_iter().map(|(_, row)| row).collect()
    }
}

/// Is a target written as its address is kept, without a query?
fn is_plain(target: &str) -> bool {
    let bytes = target.as_bytes();
    let is_usual = |byte: &u8| percent::is_unreserved(*byte) || *byte == b'/';
    bytes.first() == Some(&b'/')
        && bytes.iter().all(is_usual)
        && (bytes.len() == 1 || bytes.last() != Some(&b'/'))
        && !bytes.windows(2).any(|two| two == b"//" || two == b"/.")
}

/// What addresses of one form have in common: numbers are masked, and the values of the query left out.
fn shape_of(address: &Address) -> String {
    let mut out = String::new();
    for segment in &address.segments {
        out.push('/');
        out.push_str(&masked(segment));
    }
    let mut names: Vec<&str> = address.query.iter().map(|(name, _)| name.as_str()).collect();
    // In the order of the address, as the kinds of its values are.
    names.iter_mut().for_each(|name| {
        out.push('?');
        out.push_str(name);
    });
    out
}

/// FNV-1a, 64 bits, with its bits mixed: the same on every machine.
fn hash(text: &str) -> u64 {
    let hash = text
        .bytes()
        .fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3));
    let mixed = (hash ^ (hash >> 32)).wrapping_mul(0xd6e8_feb8_6659_fd93);
    mixed ^ (mixed >> 32)
}
