//! The nodes of the tree, and how the literals that follow them are found.
//!
//! All literals are in one hash table, and the node is the entry itself: one line of the cache. Each node has a salt of its own, chosen so
//! that few of its literals collide. The hashes begin with a number that is drawn for each table, so nobody can make literals that do.

use std::ops::Range;

use super::scan::small;
use crate::rule::Simple;

/// The index of a node.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub(crate) struct NodeId(pub(crate) u32);

/// The index of a leaf.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct LeafId(pub(crate) u32);

/// No node, no leaf, no edge.
pub(crate) const NONE: u32 = u32::MAX;

/// The state of a walk after some segments.
#[derive(Debug, Clone, Copy)]
#[repr(align(64))]
pub(crate) struct Node {
    /// The literal that leads to it, if one does.
    key: Key,
    /// The place of its text among the texts of the tree.
    text: u32,
    /// Spreads the literals that follow.
    salt: u32,
    /// The nodes of the literals that follow, in the order of the bytes of their texts: a range of `Tree::children`.
    pub(crate) children: u32,
    pub(crate) child_count: u32,
    /// The first of the leaves that end here.
    pub(crate) leaf: u32,
    /// The edge to try where no literal fits, or the choice among edges: the first of its own, else what a node before it has left.
    pub(crate) onward: u32,
    /// Its own edges: a range of `Tree::edges`.
    pub(crate) first_edge: u32,
    pub(crate) edge_count: u32,
    /// Where its first edge takes one segment by a rule for which there is code: that rule, and the node behind it.
    pub(crate) target: u32,
    pub(crate) simple: Option<Simple>,
    /// Whether of two ways on that accept a common segment the earlier is always the narrower. Then the first way that leads to a
    /// leaf is the right one.
    pub(crate) is_ordered: bool,
    /// Whether other ways have to be followed once one was found that leads over this node to a leaf.
    pub(crate) goes_on: bool,
    /// Whether a literal that hashes to this entry may be in one of the next.
    has_more: bool,
}

/// What identifies a literal of up to sixteen bytes, and most of the longer ones.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Key {
    /// The first eight bytes.
    head: u64,
    /// The last eight, if it is longer.
    tail: u64,
    /// The node before it.
    before: u32,
    length: u32,
}

impl Node {
    /// An entry without a literal.
    pub(crate) const VACANT: Self = Self {
        key: Key { head: 0, tail: 0, before: NONE, length: 0 },
        text: 0,
        salt: 0,
        children: 0,
        child_count: 0,
        leaf: NONE,
        onward: NONE,
        first_edge: 0,
        edge_count: 0,
        target: NONE,
        simple: None,
        is_ordered: true,
        goes_on: false,
        has_more: false,
    };

    fn has_literal(&self) -> bool {
        self.key.before != NONE
    }

    /// The place of its text among the texts of the tree.
    pub(crate) fn text(&self) -> Range<usize> {
        self.text as usize..self.text as usize + self.key.length as usize
    }
}

/// How the entries of the table are found.
#[derive(Debug, Clone, Copy, Default)]
struct Hashing {
    /// How many entries are there for literals.
    entries: u32,
    /// What all hashes begin with.
    seed: u64,
}

/// A product folded in two, so that every bit of both sides has an effect on every bit.
#[inline(always)]
fn fold(left: u64, right: u64) -> u64 {
    let product = u128::from(left) * u128::from(right);
    #[allow(clippy::cast_possible_truncation, reason = "both halves are taken")]
    let halves = product as u64 ^ (product >> 64) as u64;
    halves
}

/// The eight bytes from a place on, which are there.
#[inline(always)]
fn word(bytes: &[u8], start: usize) -> u64 {
    bytes.get(start..start + 8).and_then(<[u8]>::first_chunk).map_or(0, |word| u64::from_le_bytes(*word))
}

/// Up to eight bytes as a number, with zeros after them.
#[inline(always)]
fn head(bytes: &[u8], start: usize, length: usize) -> u64 {
    let spare = (8 * (8 - length)) & 63;
    if length == 0 {
        return 0;
    }
    if let Some(word) = bytes.get(start..start + 8).and_then(<[u8]>::first_chunk) {
        return u64::from_le_bytes(*word) << spare >> spare;
    }
    match bytes.last_chunk::<8>() {
        Some(last) => u64::from_le_bytes(*last) >> ((8 * (start + 8 - bytes.len())) & 63) << spare >> spare,
        None => small(bytes.get(start..start + length).unwrap_or_default()),
    }
}

/// The middle of a longer literal is hashed too, so that those are told apart that begin and end alike.
#[inline(never)]
fn with_middle(hash: u64, middle: &[u8]) -> u64 {
    let (words, rest) = middle.as_chunks::<8>();
    let of_word = |hash: u64, word: u64| fold(hash ^ word, 0x9e37_79b9_7f4a_7c15);
    let hash = words.iter().fold(hash, |hash, word| of_word(hash, u64::from_le_bytes(*word)));
    of_word(hash, head(rest, 0, rest.len()))
}

impl Hashing {
    #[inline(always)]
    fn key(self, before: u32, salt: u32, bytes: &[u8], Range { start, end }: Range<usize>) -> (Key, u64) {
        let length = end - start;
        let (head, tail) = match length {
            0..=8 => (head(bytes, start, length), 0),
            _ => (word(bytes, start), word(bytes, end - 8)),
        };
        let salt = u64::from(salt).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        let mut hash = fold(head ^ salt, tail ^ length as u64 ^ self.seed);
        if length > 16 {
            hash = with_middle(hash, bytes.get(start + 8..end - 8).unwrap_or_default());
        }
        #[allow(clippy::cast_possible_truncation, reason = "no text that is looked for is as long")]
        let length = length as u32;
        (Key { head, tail, before, length }, hash)
    }

    /// The entry where the search for a hash begins.
    #[inline(always)]
    fn entry(self, hash: u64) -> u32 {
        #[allow(clippy::cast_possible_truncation, reason = "it is below the number of entries")]
        let entry = (((hash >> 32) * u64::from(self.entries)) >> 32) as u32;
        entry
    }

    fn next(self, at: u32) -> u32 {
        if at + 1 == self.entries { 0 } else { at + 1 }
    }
}

/// The nodes of a tree. Those without a literal come after the entries of the hash table.
#[derive(Debug, Default)]
pub(crate) struct Nodes {
    all: Vec<Node>,
    hashing: Hashing,
}

/// So many salts are tried for the literals of one node, unless they are more than a few: of many some always collide.
const SALTS: u32 = 24;
const FEW: usize = 64;

impl Nodes {
    /// Room for so many literals, and as many other nodes.
    pub(crate) fn new(literals: usize, others: usize, seed: u64) -> Option<Self> {
        let entries = literals + literals / 2 + 1;
        let hashing = Hashing { entries: u32::try_from(entries).ok()?, seed };
        let mut all = Vec::with_capacity(entries + others);
        all.resize(entries, Node::VACANT);
        Some(Self { all, hashing })
    }

    #[inline(always)]
    pub(crate) fn get(&self, id: u32) -> Option<&Node> {
        self.all.get(id as usize)
    }

    /// A node to be filled in; those that were made are there.
    pub(crate) fn of(&mut self, id: u32) -> &mut Node {
        &mut self.all[id as usize]
    }

    /// The node to which a literal leads from another one: some bytes of a text, as literals are stored. All texts of the tree are given.
    #[inline(always)]
    pub(super) fn child(&self, id: u32, node: &Node, bytes: &[u8], place: Range<usize>, texts: &str) -> Option<u32> {
        let length = place.end - place.start;
        let (key, hash) = self.hashing.key(id, node.salt, bytes, place.clone());
        let at = self.hashing.entry(hash);
        let found = self.get(at)?;
        if found.key == key && (length <= 16 || texts.as_bytes().get(found.text()) == bytes.get(place.clone())) {
            return Some(at);
        }
        if found.has_more { self.child_after(at, key, bytes.get(place)?, texts) } else { None }
    }

    /// The node of a literal that is in another entry than that where its search begins.
    #[inline(never)]
    fn child_after(&self, mut at: u32, key: Key, bytes: &[u8], texts: &str) -> Option<u32> {
        loop {
            at = self.hashing.next(at);
            let found = self.get(at)?;
            if found.key == key && (key.length <= 16 || texts.as_bytes().get(found.text()) == Some(bytes)) {
                return Some(at);
            }
            if !found.has_more {
                return None;
            }
        }
    }

    /// Adds a node that no literal leads to.
    pub(crate) fn bare(&mut self) -> Option<u32> {
        self.all.push(Node::VACANT);
        u32::try_from(self.all.len() - 1).ok().filter(|&id| id != NONE)
    }

    /// Gives each of the literals that follow a node its entry. They are given by their text and its place among the texts of the tree.
    pub(crate) fn literals(&mut self, before: u32, literals: &[(&str, u32)], entries: &mut Vec<u32>) {
        let salt = self.salt(before, literals);
        self.all[before as usize].salt = salt;
        entries.clear();
        for &(text, place) in literals {
            let (key, hash) = self.hashing.key(before, salt, text.as_bytes(), 0..text.len());
            let mut at = self.hashing.entry(hash);
            while self.all[at as usize].has_literal() {
                self.all[at as usize].has_more = true;
                at = self.hashing.next(at);
            }
            let node = &mut self.all[at as usize];
            (node.key, node.text) = (key, place);
            entries.push(at);
        }
    }

    /// Of a few salts the one with which the fewest literals collide.
    fn salt(&self, before: u32, literals: &[(&str, u32)]) -> u32 {
        let mut best = (usize::MAX, 0);
        let mut seen = Vec::with_capacity(literals.len());
        for number in 0..if literals.len() > FEW { 1 } else { SALTS } {
            let salt = before.wrapping_mul(SALTS).wrapping_add(number);
            let entry =
                |text: &str| self.hashing.entry(self.hashing.key(before, salt, text.as_bytes(), 0..text.len()).1);
            seen.clear();
            seen.extend(
                literals.iter().map(|(text, _)| entry(text)).filter(|&at| !self.all[at as usize].has_literal()),
            );
            seen.sort_unstable();
            seen.dedup();
            let moved = literals.len() - seen.len();
            if moved < best.0 {
                best = (moved, salt);
            }
            if moved == 0 {
                break;
            }
        }
        best.1
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use proptest::prelude::*;

    use super::*;

    /// Nodes of which the last is a root with these literals, these nodes, and all texts.
    fn nodes_of(texts: &[String]) -> (Nodes, u32, Vec<u32>, String) {
        let mut nodes = Nodes::new(texts.len(), 1, 7).expect("few");
        let root = nodes.bare().expect("few");
        let mut text = String::new();
        let literals: Vec<(&str, u32)> = texts
            .iter()
            .map(|one| {
                text.push_str(one);
                (one.as_str(), u32::try_from(text.len() - one.len()).expect("few"))
            })
            .collect();
        let mut entries = Vec::new();
        nodes.literals(root, &literals, &mut entries);
        (nodes, root, entries, text)
    }

    #[test]
    fn a_node_is_a_line_of_the_cache() {
        assert_eq!(size_of::<Node>(), 64);
    }

    proptest! {
        /// Every literal is found, wherever it stands in what is searched, and nothing else is.
        #[test]
        fn literals_are_found(texts in prop::collection::btree_set("[a-d]{1,3}|x{0,9}[a-z]{7}y{0,9}|[é/]{1,9}", 1..90), after in "[a-z/]{0,9}") {
            let texts: Vec<String> = texts.into_iter().collect();
            let (nodes, id, entries, all) = nodes_of(&texts);
            prop_assert_eq!(entries.iter().collect::<BTreeSet<_>>().len(), texts.len());
            let root = nodes.get(id).expect("it is there");
            for (text, &entry) in texts.iter().zip(&entries) {
                let searched = format!("/{text}{after}");
                let found = |length| nodes.child(id, root, searched.as_bytes(), 1..1 + length, &all);
                prop_assert_eq!(found(text.len()), Some(entry), "{}", text);
                for length in 1..searched.len() {
                    let wanted = texts.iter().position(|one| one.as_bytes() == &searched.as_bytes()[1..1 + length]);
                    prop_assert_eq!(found(length), wanted.map(|at| entries[at]));
                }
                let of_another = nodes.child(entry, root, searched.as_bytes(), 1..1 + text.len(), &all);
                prop_assert_eq!(of_another, None);
            }
        }

        /// A node with many literals that begin and end alike is no slower than any other.
        #[test]
        fn literals_that_begin_and_end_alike_are_spread(before in "[a-z]{8}", after in "[a-z]{8,20}") {
            let texts: Vec<String> = (0..1000).map(|number| format!("{before}{number}{after}")).collect();
            let (nodes, root, entries, _) = nodes_of(&texts);
            let (hashing, salt) = (nodes.hashing, nodes.all[root as usize].salt);
            let begin = |text: &String| hashing.entry(hashing.key(root, salt, text.as_bytes(), 0..text.len()).1);
            let steps: u32 = texts.iter().zip(entries).map(|(text, entry)| entry.saturating_sub(begin(text))).sum();
            prop_assert!(steps < 3000, "{steps} steps for 1000 literals");
        }
    }
}
