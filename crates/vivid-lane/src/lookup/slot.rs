//! The slots of the fast path: what each literal is, and where what follows it is found.
//!
//! A slot is one line of the cache. It holds a literal and how to choose among the literals that follow it: a key is taken of the
//! next segment (its first bytes and its length, where these tell the literals apart; else its last bytes, or more), and a multiplier
//! that was sought when the table was built sends each key to a slot of its own. Where nothing but one pattern follows a literal, as
//! in `/objects/{object}`, slot and pattern are one step:
//!
//! ```text
//! nights ─ {date} ─┬─ exposures          slot of `nights`:  a date follows, then `exposures` or `sky`
//!                  └─ sky                slot of `exposures`, slot of `sky`
//! ```

use smallvec::SmallVec;

use super::pattern::{PatternId, Quick};
use crate::rule::TooLarge;

/// The index of a node.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct NodeId(pub(crate) u32);

/// The index of a leaf.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct LeafId(pub(crate) u32);

/// What a lookup that ends at a node comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Outcome {
    Ends(LeafId),
    Nothing,
    /// That depends on what else is asked.
    Unsure,
}

/// A literal, what follows it, and what a lookup comes to that ends with either.
#[derive(Debug, Clone, Copy)]
#[repr(align(64))]
pub(crate) struct Slot {
    /// The first eight bytes of the literal, and its last eight where it has more.
    pub(super) head: u64,
    pub(super) tail: u64,
    /// Which bytes of the first eight tell apart the literals that follow, where these do.
    pub(super) mask: u64,
    multiplier: u64,
    /// Where the slots of the literals that follow begin, and how many there are.
    base: u32,
    size: u32,
    /// The code of what a lookup comes to that ends with the literal.
    pub(super) here: u32,
    /// The code of what a lookup comes to that ends with the pattern that follows at once; of a pattern that stands beside literals
    /// the slot that it leads to.
    pub(super) after: u32,
    /// The node where the walk stands after both.
    pub(super) node: NodeId,
    /// Where the literal stands among the texts of the tree.
    pub(super) text: u32,
    /// The pattern that follows at once.
    pub(super) pattern: PatternId,
    pub(super) length: u8,
    /// How many bits of the head are beyond the literal; and whether one that is sought here may stand in the next slot.
    beyond: u8,
    pub(super) follows: Follows,
    key: Key,
}

/// The pattern that follows a literal.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Follows {
    /// None that is known here.
    Nothing,
    /// The first of what stands beside literals.
    ElseAny,
    ElseInteger,
    ElseDate,
    /// The same, a tail of any segments.
    ElseTail,
    /// All that follows.
    Any,
    Integer,
    Date,
    /// The same, one that is asked itself.
    Pattern,
}

impl Follows {
    /// Whether it is all that follows.
    #[inline(always)]
    pub(super) fn is_all(self) -> bool {
        self >= Self::Any
    }
}

/// What tells literals apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Key {
    /// Their first bytes, as many as the shortest has, and their length.
    Head,
    /// Their last eight bytes.
    Tail,
    /// Both.
    Ends,
    /// All of their text.
    Whole,
}

/// The bit of `beyond` that says that there is more in the next slot.
const HAS_MORE: u8 = 0x80;

/// The codes of outcomes that are no leaf; no other code is as large.
pub(super) const NOTHING: u32 = u32::MAX;
pub(super) const UNSURE: u32 = u32::MAX - 1;

impl Slot {
    pub(super) const VACANT: Self = Self {
        // No text has such a byte.
        head: u64::MAX,
        tail: 0,
        mask: 0,
        multiplier: 0,
        base: 0,
        size: 0,
        here: NOTHING,
        after: NOTHING,
        node: NodeId(0),
        text: 0,
        pattern: PatternId(0),
        length: 63,
        beyond: 0,
        follows: Follows::Nothing,
        key: Key::Head,
    };

    fn is_vacant(&self) -> bool {
        self.head == u64::MAX
    }

    /// Whether this is the head of the literal, as far as that goes.
    #[inline(always)]
    pub(super) fn has_head(&self, word: u64) -> bool {
        (word ^ self.head) << (self.beyond & 63) == 0
    }

    pub(super) fn has_more(&self) -> bool {
        self.beyond & HAS_MORE != 0
    }

    /// The slot in which the search for a segment begins, of which are given: the eight bytes from its start on, its length,
    /// and its text.
    #[inline(always)]
    pub(super) fn first_for(&self, word: u64, length: usize, text: impl FnOnce() -> u64) -> u32 {
        let key = if self.key == Key::Head { head_key(word, self.mask, length) } else { text() };
        self.place(key)
    }

    #[inline(always)]
    fn place(&self, key: u64) -> u32 {
        self.base + place_of(key, self.multiplier, u64::from(self.size))
    }

    /// The key of a segment, where its first bytes do not tell.
    #[inline(never)]
    pub(super) fn long_key(&self, text: &[u8]) -> u64 {
        key_of(self.key, text, self.mask)
    }
}

impl Outcome {
    fn code(self) -> u32 {
        match self {
            Self::Ends(LeafId(leaf)) => leaf,
            Self::Nothing => NOTHING,
            Self::Unsure => UNSURE,
        }
    }
}

#[inline(always)]
fn head_key(word: u64, mask: u64, length: usize) -> u64 {
    (word & mask) ^ length as u64
}

/// A number below that of the slots.
#[inline(always)]
fn place_of(key: u64, multiplier: u64, size: u64) -> u32 {
    let hash = key.wrapping_mul(multiplier) >> 32;
    #[allow(clippy::cast_possible_truncation, reason = "the product is below the number of slots")]
    let place = ((hash * size) >> 32) as u32;
    place
}

/// The first eight bytes of a text.
fn head(text: &[u8]) -> u64 {
    text.iter().take(8).rev().fold(0, |word, &byte| word << 8 | u64::from(byte))
}

fn key_of(key: Key, text: &[u8], mask: u64) -> u64 {
    let tail = text.last_chunk::<8>().map_or_else(|| head(text) << 8, |last| u64::from_le_bytes(*last));
    match key {
        Key::Head => head_key(head(text), mask, text.len()),
        Key::Tail => tail,
        Key::Ends => mixed(head(text), tail),
        Key::Whole => {
            let (words, rest) = text.as_chunks::<8>();
            let hash = words.iter().fold(text.len() as u64, |hash, word| mixed(hash, u64::from_le_bytes(*word)));
            rest.iter().fold(hash, |hash, &byte| mixed(hash, u64::from(byte)))
        }
    }
}

fn mixed(left: u64, right: u64) -> u64 {
    right ^ left.rotate_left(29).wrapping_mul(0x9e37_79b9_7f4a_7c15)
}

/// The longest literal that has a slot: its end is found in one word of marks.
pub(crate) const LONGEST: usize = 62;

/// Most nodes have few literals.
type Keys = SmallVec<[u64; 4]>;
/// The slots of some literals.
pub(crate) type Places = SmallVec<[u32; 4]>;

/// How literals that follow one slot are spread over slots of their own.
pub(crate) struct Spread {
    key: Key,
    mask: u64,
    multiplier: u64,
    size: usize,
    /// How many slots there are with those that are moved beyond the last.
    taken: usize,
}

impl Spread {
    pub(crate) fn of(literals: &[(&str, u32)]) -> Self {
        let shortest = literals.iter().map(|(text, _)| text.len()).min().unwrap_or_default();
        let mask = if shortest >= 8 { u64::MAX } else { (1 << (8 * shortest)) - 1 };
        if literals.len() < 2 {
            return Self { key: Key::Head, mask, multiplier: 0, size: literals.len(), taken: literals.len() };
        }
        let keys_by = |key| literals.iter().map(|(text, _)| key_of(key, text.as_bytes(), mask)).collect::<Keys>();
        let is_told_apart = |keys: &Keys| {
            let mut sorted = keys.clone();
            sorted.sort_unstable();
            sorted.windows(2).all(|pair| pair[0] != pair[1])
        };
        let mut choice = (Key::Whole, Keys::new());
        for key in [Key::Head, Key::Tail, Key::Ends, Key::Whole] {
            choice = (key, keys_by(key));
            if is_told_apart(&choice.1) {
                break;
            }
        }
        let (key, keys) = choice;
        let (multiplier, size) = spread(&keys);
        let mut begins: Keys = keys.iter().map(|key| place_of(*key, multiplier, size as u64).into()).collect();
        begins.sort_unstable();
        let end = begins.iter().fold(0, |end: u64, begin| end.max(*begin) + 1);
        Self { key, mask, multiplier, size, taken: size.max(usize::try_from(end).unwrap_or_default()) }
    }

    /// How many slots it takes.
    pub(crate) fn taken(&self) -> usize {
        self.taken
    }
}

/// Slots that are being filled.
pub(crate) struct Slots {
    all: Vec<Slot>,
}

impl Slots {
    /// The slot in which nothing ever is found.
    pub(crate) const NONE: u32 = 0;

    /// Room for so many slots. What stands at a line of the cache is copied when it grows or shrinks.
    pub(crate) fn of(count: usize) -> Self {
        let mut all = Vec::with_capacity(count + 1);
        all.push(Slot::VACANT);
        Self { all }
    }

    pub(crate) fn finish(mut self) -> Vec<Slot> {
        if self.all.capacity() - self.all.len() > self.all.len() / 16 {
            self.all.shrink_to_fit();
        }
        self.all
    }

    /// A slot without a literal, of a node that no literal leads to.
    pub(crate) fn bare(&mut self) -> Result<u32, TooLarge> {
        self.all.push(Slot::VACANT);
        narrow(self.all.len() - 1)
    }

    /// Fills in what a lookup comes to at a slot, and at which node it then stands.
    pub(crate) fn ends(&mut self, slot: u32, node: NodeId, outcome: Outcome) {
        let slot = &mut self.all[slot as usize];
        (slot.here, slot.node) = (outcome.code(), node);
    }

    /// Fills in the pattern that follows at once.
    pub(crate) fn follows(&mut self, slot: u32, pattern: (PatternId, Quick), target: NodeId, outcome: Outcome) {
        let slot = &mut self.all[slot as usize];
        slot.pattern = pattern.0;
        slot.follows = match pattern.1 {
            Quick::Any => Follows::Any,
            Quick::Integer => Follows::Integer,
            Quick::Date => Follows::Date,
            Quick::Whole => Follows::Pattern,
        };
        (slot.after, slot.node) = (outcome.code(), target);
    }

    /// Fills in the first pattern that stands beside literals, and the slot that it leads to.
    pub(crate) fn stands_beside(&mut self, slot: u32, quick: Quick, is_tail: bool, target: u32) {
        let slot = &mut self.all[slot as usize];
        slot.follows = match (quick, is_tail) {
            (Quick::Any, true) => Follows::ElseTail,
            (Quick::Any, false) => Follows::ElseAny,
            (Quick::Integer, false) => Follows::ElseInteger,
            (Quick::Date, false) => Follows::ElseDate,
            _ => return,
        };
        slot.after = target;
    }

    /// Gives each of the literals that follow a slot, of which text and place in the tree's texts are given, one of its own.
    pub(crate) fn literals(
        &mut self,
        after: u32,
        literals: &[(&str, u32)],
        spread: &Spread,
    ) -> Result<Places, TooLarge> {
        let &Spread { key, mask, multiplier, size, taken } = spread;
        let base = narrow(self.all.len())?;
        let slot = &mut self.all[after as usize];
        (slot.mask, slot.multiplier, slot.base, slot.size, slot.key) = (mask, multiplier, base, narrow(size)?, key);
        let slot = *slot;
        self.all.resize(base as usize + taken, Slot::VACANT);
        let mut places = Places::with_capacity(literals.len());
        for &(text, start) in literals {
            let key = if literals.len() == 1 { 0 } else { key_of(key, text.as_bytes(), mask) };
            let mut place = slot.place(key) as usize;
            while self.all.get(place).is_some_and(|slot| !slot.is_vacant()) {
                self.all[place].beyond |= HAS_MORE;
                place += 1;
            }
            let bytes = text.as_bytes();
            #[allow(clippy::cast_possible_truncation, reason = "no longer literal has a slot")]
            let length = bytes.len() as u8;
            self.all[place] = Slot {
                head: head(bytes),
                tail: bytes.last_chunk::<8>().map_or(0, |last| u64::from_le_bytes(*last)),
                text: start,
                length,
                beyond: (64 - 8 * length.min(8)) | (self.all[place].beyond & HAS_MORE),
                ..Slot::VACANT
            };
            places.push(narrow(place)?);
        }
        Ok(places)
    }
}

fn narrow(at: usize) -> Result<u32, TooLarge> {
    u32::try_from(at).map_err(|_| TooLarge::Numbers)
}

/// A multiplier that sends few keys to slots of their own, and more of them as near to that as one of some does; and the number of slots.
fn spread(keys: &[u64]) -> (u64, usize) {
    /// For so many keys a multiplier is sought. No slot is further on than the bits of `displaced`: twice as many, and as many again.
    const FEW: usize = 40;
    // Of many keys some are always moved, whatever the multiplier.
    let tries = if keys.len() > 12 { 8 } else { 32 };
    let mut seed = 0x9e37_79b9_7f4a_7c15_u64;
    let mut next = || {
        seed ^= seed << 13;
        seed ^= seed >> 7;
        seed ^= seed << 17;
        seed | 1
    };
    let count = keys.len();
    if count == 1 {
        return (0, 1);
    }
    if count > FEW {
        return (next(), count + count / 2);
    }
    // With a sixth of the square of the keys, one multiplier in twenty sends all of them apart. So many slots are worth it for few.
    let most = 2 * count;
    let mut best = (usize::MAX, 0, most);
    for size in ((count * count / 6).clamp(count, most)..=most).step_by((count / 4).max(1)) {
        for _ in 0..tries {
            let multiplier = next();
            let moved = displaced(keys, multiplier, size, best.0);
            if moved < best.0 {
                best = (moved, multiplier, size);
            }
            if moved == 0 {
                return (multiplier, size);
            }
        }
    }
    (best.1, best.2)
}

/// How many slots further on, in all, keys stand than where the search for them begins; more than `most` counts as that.
fn displaced(keys: &[u64], multiplier: u64, size: usize, most: usize) -> usize {
    let mut taken = 0_u128;
    let mut moved = 0;
    for &key in keys {
        let begin = place_of(key, multiplier, size as u64);
        let free = (!(taken >> begin)).trailing_zeros();
        taken |= 1 << (begin + free);
        moved += free as usize;
        if moved >= most {
            return most;
        }
    }
    moved
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use proptest::prelude::*;

    use super::*;

    /// A step of the walk touches one line of the cache.
    #[test]
    fn a_slot_is_a_line_of_the_cache() {
        assert_eq!(size_of::<Slot>(), 64);
    }

    /// How many slots are looked at before a literal is found.
    fn steps_to(slots: &[Slot], after: u32, text: &str, found: u32) -> u32 {
        let text = text.as_bytes();
        let slot = &slots[after as usize];
        found - slot.first_for(head(text), text.len(), || slot.long_key(text))
    }

    proptest! {
        /// Every literal is found from where the search for it begins, by slots that say that there is more.
        #[test]
        fn literals_are_found_where_they_stand(texts in prop::collection::btree_set("[a-d]{1,3}|x{0,9}[a-z]{7}y{0,9}", 1..60)) {
            let literals: Vec<(&str, u32)> = texts.iter().map(|text| (text.as_str(), 0)).collect();
            let mut slots = Slots::of(0);
            let after = slots.bare().unwrap();
            let found = slots.literals(after, &literals, &Spread::of(&literals)).unwrap();
            let slots = slots.finish();
            prop_assert_eq!(found.iter().collect::<BTreeSet<_>>().len(), texts.len());
            for (text, &found) in texts.iter().zip(&found) {
                let begin = found - steps_to(&slots, after, text, found);
                prop_assert!((begin..found).all(|at| slots[at as usize].has_more()), "{text}");
                prop_assert!(slots[found as usize].has_head(head(text.as_bytes())) && usize::from(slots[found as usize].length) == text.len());
            }
        }

        /// Literals ask for slots of their own, wherever they differ: a table of many that begin and end alike is no slower.
        #[test]
        fn literals_that_begin_and_end_alike_stand_apart(before in "[a-z]{8}", after in "[a-z]{8,20}") {
            let texts: Vec<String> = (0..1000).map(|number| format!("{before}{number}{after}")).collect();
            let literals: Vec<(&str, u32)> = texts.iter().map(|text| (text.as_str(), 0)).collect();
            let mut slots = Slots::of(0);
            let root = slots.bare().unwrap();
            let found = slots.literals(root, &literals, &Spread::of(&literals)).unwrap();
            let slots = slots.finish();
            let steps: u32 = texts.iter().zip(found).map(|(text, found)| steps_to(&slots, root, text, found)).sum();
            prop_assert!(steps < 3000, "{steps} steps for 1000 literals");
        }
    }
}
