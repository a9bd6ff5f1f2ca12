//! The sample as a tree of segments.

use std::collections::BTreeMap;

use super::address::Address;
use super::class::Kinds;
use super::sample::Seen;

/// How many values of a query parameter are kept apart.
const MOST_VALUES: usize = 64;

/// What a label begins with that is no segment, but a name in the query and its value. No segment has a control character.
pub(super) const CHOICE: char = '\u{1}';

/// A segment, with what was seen at it and below it.
#[derive(Debug, Clone, Default)]
pub(super) struct Node {
    /// What all values of its shape are; nothing is known of the root.
    pub(super) kinds: Option<Kinds>,
    pub(super) page: Page,
    pub(super) children: BTreeMap<String, Node>,
}

/// What was seen of one page.
#[derive(Debug, Clone, Default)]
pub(super) struct Page {
    /// Hits by method.
    pub(super) hits: BTreeMap<String, u64>,
    /// Hits of addresses with a slash at the end.
    pub(super) with_slash: u64,
    pub(super) query: BTreeMap<String, Asked>,
    /// Addresses with their hits, the most wanted of them.
    pub(super) examples: Vec<(u64, String)>,
}

/// What was seen of one parameter of the query.
#[derive(Debug, Clone)]
pub(super) struct Asked {
    pub(super) hits: u64,
    pub(super) kinds: Kinds,
    pub(super) values: BTreeMap<String, u64>,
    /// Whether there are more values than are kept apart.
    pub(super) is_open: bool,
    /// Whether it stands several times in one address.
    pub(super) is_repeated: bool,
}

impl Page {
    pub(super) fn total(&self) -> u64 {
        self.hits.values().sum()
    }

    fn merge(&mut self, other: Self) {
        for (method, hits) in other.hits {
            *self.hits.entry(method).or_default() += hits;
        }
        self.with_slash += other.with_slash;
        for (name, asked) in other.query {
            match self.query.get_mut(&name) {
                Some(known) => known.merge(asked),
                None => drop(self.query.insert(name, asked)),
            }
        }
        self.examples.extend(other.examples);
        self.examples.sort_by(|one, other| other.0.cmp(&one.0).then_with(|| one.1.cmp(&other.1)));
        self.examples.truncate(3);
    }
}

impl Asked {
    fn of(value: &str, kinds: Kinds, hits: u64) -> Self {
        Self { hits, kinds, values: BTreeMap::from([(value.to_owned(), hits)]), is_open: false, is_repeated: false }
    }

    fn merge(&mut self, other: Self) {
        self.hits += other.hits;
        self.kinds = self.kinds.and(other.kinds);
        self.is_repeated |= other.is_repeated;
        self.is_open |= other.is_open;
        for (value, hits) in other.values {
            *self.values.entry(value).or_default() += hits;
        }
        while self.values.len() > MOST_VALUES {
            self.is_open = true;
            self.values.pop_last();
        }
    }
}

impl Node {
    /// Adds an address, with what of its query chooses the page, and as it was asked for.
    pub(super) fn add(
        &mut self,
        address: &Address,
        seen: &Seen,
        kinds: &[Kinds],
        choice: Option<(String, String)>,
        text: &str,
    ) {
        let mut node = self;
        let mut kinds = kinds.iter().copied();
        for segment in &address.segments {
            let kind = kinds.next().unwrap_or(Kinds::of(segment));
            node = node.children.entry(segment.clone()).or_default();
            node.kinds = Some(node.kinds.map_or(kind, |known| known.and(kind)));
        }
        if let Some((name, value)) = choice {
            node = node.children.entry(format!("{CHOICE}{name}={value}")).or_default();
        }
        let hits = seen.total();
        let mut query: BTreeMap<String, Asked> = BTreeMap::new();
        for (name, value) in &address.query {
            let kind = kinds.next().unwrap_or(Kinds::of(value));
            let asked = Asked::of(value, kind, hits);
            match query.get_mut(name) {
                Some(known) => {
                    known.merge(asked);
                    // The address was asked for once with both.
                    known.hits -= hits;
                    known.is_repeated = true;
                }
                None => drop(query.insert(name.clone(), asked)),
            }
        }
        let examples = vec![(hits, text.to_owned())];
        let hits = seen.hits.iter().map(|(method, hits)| (method.to_string(), *hits)).collect();
        node.page.merge(Page { hits, with_slash: seen.with_slash, query, examples });
    }

    /// Adds what was seen at another node, and below it.
    pub(super) fn merge(&mut self, other: Self) {
        self.kinds = match (self.kinds, other.kinds) {
            (Some(own), Some(other)) => Some(own.and(other)),
            (own, other) => own.or(other),
        };
        self.page.merge(other.page);
        for (label, child) in other.children {
            match self.children.get_mut(&label) {
                Some(known) => known.merge(child),
                None => drop(self.children.insert(label, child)),
            }
        }
    }

    /// All hits at the node and below it.
    pub(super) fn total(&self) -> u64 {
        let mut total = 0_u64;
        let mut open = vec![self];
        while let Some(node) = open.pop() {
            total = total.saturating_add(node.page.total());
            open.extend(node.children.values());
        }
        total
    }
}
