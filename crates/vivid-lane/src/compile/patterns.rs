//! The patterns of a table, and which of two is the narrower.
//!
//! A table may have thousands of patterns at one place, an `enum` for each route say, and most of them have nothing to do
//! with each other. The texts that such rules name are numbered, each pattern is a set of numbers, and only patterns that
//! share a number are compared: for those, a word of bits speaks of 64 texts at once. What names no texts is compared
//! by its automaton, with everything else.

use hashbrown::HashMap;

use crate::lookup::{Pattern, PatternId};
use crate::rule::{Dfa, Narrower, Relation, TooLarge, ValueSet};

use super::order::segment_set;

/// Patterns and what is known of their pairs.
#[derive(Debug, Default)]
pub(super) struct Patterns {
    sets: Vec<Known>,
    /// The texts that rules name one by one, and the number of each.
    texts: Vec<String>,
    numbers: HashMap<String, u32>,
    /// The pairs that were compared and accept a common text, the lower number first.
    pairs: HashMap<(PatternId, PatternId), Narrower>,
}

/// A pattern.
#[derive(Debug)]
struct Known {
    set: ValueSet,
    /// All its texts, where its rules name them one by one.
    named: Option<Named>,
    /// How many texts it accepts; `None` without end.
    count: Option<u64>,
}

/// Texts by their numbers: in order, and as bits.
#[derive(Debug)]
struct Named {
    numbers: Vec<u32>,
    bits: Box<[u64]>,
}

/// The most texts of one pattern that are numbered.
const MOST_NAMED: usize = 1 << 14;

impl Patterns {
    /// Notes the pattern whose number is the next one.
    pub(super) fn add(&mut self, pattern: &Pattern) -> Result<(), TooLarge> {
        let set = segment_set(pattern)?;
        let texts = if set.is_choice { set.texts.few_words(MOST_NAMED) } else { None };
        let named = texts.map(|texts| {
            let mut numbers: Vec<u32> = texts.into_iter().map(|text| self.number(text)).collect();
            numbers.sort_unstable();
            let mut bits = vec![0; numbers.last().map_or(0, |last| *last as usize / 64 + 1)];
            numbers.iter().for_each(|&number| bits[number as usize / 64] |= 1 << (number % 64));
            Named { numbers, bits: bits.into_boxed_slice() }
        });
        let count = set.texts.count();
        self.sets.push(Known { set, named, count });
        Ok(())
    }

    fn number(&mut self, text: String) -> u32 {
        // There are fewer texts than bytes in a file.
        let next = u32::try_from(self.texts.len()).unwrap_or(u32::MAX);
        *self.numbers.entry(text).or_insert_with_key(|text| {
            self.texts.push(text.clone());
            next
        })
    }

    /// What the pattern accepts.
    pub(super) fn set(&self, pattern: PatternId) -> &ValueSet {
        &self.sets[pattern.0 as usize].set
    }

    /// The text, where the pattern accepts one only.
    pub(super) fn sole(&self, pattern: PatternId) -> Option<String> {
        let known = &self.sets[pattern.0 as usize];
        if known.count == Some(1) { known.set.sole() } else { None }
    }

    /// Whether the pattern can accept the text.
    pub(super) fn accepts(&self, pattern: PatternId, text: &str) -> bool {
        let set = &self.set(pattern).texts;
        let mut state = set.start();
        // Most texts are refused by their first bytes.
        let is_alive = text.bytes().all(|byte| {
            state = set.step(state, byte);
            !Dfa::is_dead(state)
        });
        is_alive && set.is_final(state)
    }

    /// Which of two patterns is the narrower; `None` where no text is in both.
    pub(super) fn narrower(&mut self, left: PatternId, right: PatternId) -> Result<Option<Narrower>, TooLarge> {
        if left == right {
            return Ok(Some(Narrower::Same));
        }
        if left > right {
            return Ok(self.narrower(right, left)?.map(Narrower::flipped));
        }
        if let Some(known) = self.pairs.get(&(left, right)) {
            return Ok(Some(*known));
        }
        let narrower = self.compare(left, right)?;
        if let Some(narrower) = narrower {
            self.pairs.insert((left, right), narrower);
        }
        Ok(narrower)
    }

    fn compare(&self, left: PatternId, right: PatternId) -> Result<Option<Narrower>, TooLarge> {
        let (one, other) = (&self.sets[left.0 as usize], &self.sets[right.0 as usize]);
        let shared: u64 = match (&one.named, &other.named) {
            (Some(one), Some(other)) => {
                one.bits.iter().zip(&other.bits).map(|(one, other)| u64::from((one & other).count_ones())).sum()
            }
            (Some(named), None) | (None, Some(named)) => {
                let theirs = if one.named.is_some() { &other.set.texts } else { &one.set.texts };
                let is_theirs = |number: &&u32| theirs.contains(self.texts[**number as usize].as_bytes());
                named.numbers.iter().filter(is_theirs).count() as u64
            }
            (None, None) => return Ok(one.set.compare(&other.set)?.narrower()),
        };
        let narrower = || one.set.narrower(&other.set, one.count == Some(shared), other.count == Some(shared));
        Ok((shared > 0).then(narrower))
    }

    /// What two patterns have to do with each other, with a text of both.
    pub(super) fn relation(&self, left: PatternId, right: PatternId) -> Result<Relation, TooLarge> {
        self.set(left).compare(self.set(right))
    }

    /// The pairs of some patterns that accept a common text, by their places, and which of the two is the narrower.
    pub(super) fn sharing(&mut self, patterns: &[PatternId]) -> Result<Vec<(usize, usize, Narrower)>, TooLarge> {
        let mut found = Vec::new();
        for (left, right) in self.candidates(patterns) {
            found.extend(self.narrower(patterns[left], patterns[right])?.map(|narrower| (left, right, narrower)));
        }
        Ok(found)
    }

    /// The pairs of places that may share a text.
    fn candidates(&self, patterns: &[PatternId]) -> Vec<(usize, usize)> {
        let mut by_number: HashMap<u32, Vec<usize>> = HashMap::new();
        let mut others = Vec::new();
        for (at, pattern) in patterns.iter().enumerate() {
            match &self.sets[pattern.0 as usize].named {
                Some(named) => named.numbers.iter().for_each(|number| by_number.entry(*number).or_default().push(at)),
                None => others.push(at),
            }
        }
        let pairs_of = |count: usize| count * count.saturating_sub(1) / 2;
        if by_number.values().map(|places| pairs_of(places.len())).sum::<usize>() >= pairs_of(patterns.len()) {
            return (0..patterns.len()).flat_map(|one| (one + 1..patterns.len()).map(move |two| (one, two))).collect();
        }
        let mut pairs: Vec<(usize, usize)> = Vec::new();
        for places in by_number.values() {
            for (index, &one) in places.iter().enumerate() {
                pairs.extend(places[index + 1..].iter().map(|&two| (one, two)));
            }
        }
        for &other in &others {
            pairs.extend((0..patterns.len()).filter(|&at| at != other).map(|at| (at.min(other), at.max(other))));
        }
        pairs.sort_unstable();
        pairs.dedup();
        pairs
    }

    /// All pairs that were found to accept a common text.
    pub(super) fn into_pairs(self) -> HashMap<(PatternId, PatternId), Narrower> {
        self.pairs
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use proptest::prelude::*;

    use super::*;
    use crate::declare::Rule;
    use crate::lookup::Piece;
    use crate::rule::Check;

    fn rule() -> impl Strategy<Value = Rule> {
        let words =
            || prop::collection::btree_set(prop::sample::select(vec!["1", "2", "17", "moon", "mars", "x"]), 1..5);
        prop_oneof![
            4 => words().prop_map(|words| Rule::one_of(words.into_iter().map(str::to_owned))),
            1 => words().prop_map(|words| Rule::one_of(words.into_iter().map(str::to_owned)).max_length(2)),
            1 => words().prop_map(|words| Rule::pattern(format!("^({})$", Vec::from_iter(words).join("|")))),
            1 => Just(Rule::integer()),
            1 => Just(Rule::integer().minimum(2).maximum(17)),
            1 => Just(Rule::new()),
        ]
    }

    proptest! {
        /// Whether their texts are numbered or their automata walked, two patterns are compared to the same end, and no pair
        /// that shares a text is left out.
        #[test]
        fn names_and_automata_agree(rules in prop::collection::vec(rule(), 2..8)) {
            let mut patterns = Patterns::default();
            let mut ids = Vec::new();
            for (id, rule) in (0..).map(PatternId).zip(&rules) {
                // A rule that no value meets is refused before it gets here.
                let Ok(check) = Check::new(rule, &[], &[]) else { return Ok(()) };
                patterns.add(&Pattern::new(vec![Piece::Value(Arc::new(check))])).expect("a small set");
                ids.push(id);
            }
            let sharing = patterns.sharing(&ids).expect("small sets");
            for left in 0..ids.len() {
                for right in left + 1..ids.len() {
                    let wanted = patterns.relation(ids[left], ids[right]).expect("small sets").narrower();
                    let found = sharing.iter().find(|pair| (pair.0, pair.1) == (left, right)).map(|pair| pair.2);
                    prop_assert_eq!(found, wanted, "{:?} and {:?}", &rules[left], &rules[right]);
                }
            }
            for (id, rule) in ids.iter().zip(&rules) {
                let texts = &patterns.set(*id).texts;
                let few = texts.few_words(64).map(|words| words.len() as u64);
                prop_assert_eq!(texts.count(), few, "{:?}", rule);
            }
        }
    }
}
