//! The patterns of a table, and which of two is the narrower.
//!
//! A table may have thousands of patterns at one place, and most of them have nothing to do with each other: what their texts begin
//! and end with says so ([`meeting`]). The texts that rules name one by one, as an `enum` does, are numbered, and a pattern is a set of
//! numbers: a word of bits speaks of 64 texts at once. All others are compared by their automata, which are made when they are needed.

use std::borrow::Cow;
use std::cell::OnceCell;
use std::sync::Arc;

use hashbrown::{HashMap, HashSet};

use super::meeting::{Affixes, meeting};
use super::order::{pieces_set, segment_set};
use crate::lookup::{Pattern, PatternId, Piece};
use crate::rule::{Check, Dfa, Narrower, Relation, TooLarge, ValueSet, unmarked};

/// Patterns and what is known of their pairs.
#[derive(Debug, Default)]
pub(super) struct Patterns {
    pub(super) all: Vec<Pattern>,
    known: Vec<Known>,
    /// The texts that rules name one by one, and the number of each.
    texts: Vec<String>,
    numbers: HashMap<String, u32>,
    /// The pairs that were compared and accept a common text, the lower number first.
    pairs: HashMap<(PatternId, PatternId), Narrower>,
    /// The same for pieces that are left without what both patterns begin and end with. Thousands of pairs come to the same.
    rests: HashMap<[Vec<Piece<usize>>; 2], Option<Narrower>>,
    /// The pairs that it would take too long to compare. They are taken to share a text, with neither of them the narrower.
    unproven: HashSet<(PatternId, PatternId)>,
}

/// A pattern.
#[derive(Debug)]
struct Known {
    set: OnceCell<ValueSet>,
    /// All its texts, where its rules name them one by one.
    named: Option<Named>,
    is_sole: bool,
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
    /// Notes a pattern that is new.
    pub(super) fn add(&mut self, pattern: Pattern) -> Result<PatternId, TooLarge> {
        let id = PatternId(u32::try_from(self.all.len()).map_err(|_| TooLarge::Numbers)?);
        let mut values = pattern.pieces.iter().filter_map(Piece::value);
        let known = if pattern.has_text() && values.any(|check| !check.is_choice) {
            let is_one = |check: &Check| check.ruled_set().is_some_and(|set| set.sole_word().is_some());
            let is_sole = |piece: &Piece| piece.value().is_none_or(|check| is_one(check) && check.is_exact());
            Known { set: OnceCell::new(), named: None, is_sole: pattern.pieces.iter().all(is_sole) }
        } else {
            let set = segment_set(&pattern)?;
            let texts = if set.is_choice { set.texts.few_words(MOST_NAMED) } else { None };
            let is_sole = set.is_exact() && set.texts.count() == Some(1);
            let named = texts.map(|texts| self.named(texts));
            Known { set: OnceCell::from(set), named, is_sole }
        };
        self.known.push(known);
        self.all.push(pattern);
        Ok(id)
    }

    fn named(&mut self, texts: Vec<String>) -> Named {
        let mut numbers: Vec<u32> = texts.into_iter().map(|text| self.number(text)).collect();
        numbers.sort_unstable();
        let mut bits = vec![0; numbers.last().map_or(0, |last| *last as usize / 64 + 1)];
        numbers.iter().for_each(|&number| bits[number as usize / 64] |= 1 << (number % 64));
        Named { numbers, bits: bits.into_boxed_slice() }
    }

    fn number(&mut self, text: String) -> u32 {
        // There are fewer texts than bytes in a file.
        let next = u32::try_from(self.texts.len()).unwrap_or(u32::MAX);
        *self.numbers.entry(text).or_insert_with_key(|text| {
            self.texts.push(text.clone());
            next
        })
    }

    fn known(&self, pattern: PatternId) -> &Known {
        &self.known[pattern.0 as usize]
    }

    pub(super) fn pattern(&self, pattern: PatternId) -> &Pattern {
        &self.all[pattern.0 as usize]
    }

    /// What the pattern accepts.
    #[inline]
    pub(super) fn set(&self, pattern: PatternId) -> Result<&ValueSet, TooLarge> {
        let known = &self.known(pattern).set;
        if let Some(set) = known.get() {
            return Ok(set);
        }
        self.made(pattern)
    }

    #[cold]
    fn made(&self, pattern: PatternId) -> Result<&ValueSet, TooLarge> {
        let set = segment_set(self.pattern(pattern))?;
        Ok(self.known(pattern).set.get_or_init(|| set))
    }

    /// Whether the pattern accepts one text only, and always that.
    pub(super) fn is_sole(&self, pattern: PatternId) -> bool {
        self.known(pattern).is_sole
    }

    /// The text, where the pattern accepts one only.
    pub(super) fn sole(&self, pattern: PatternId) -> Result<Option<String>, TooLarge> {
        if self.is_sole(pattern) { Ok(self.set(pattern)?.sole()) } else { Ok(None) }
    }

    /// Whether the pattern can accept the text.
    pub(super) fn accepts(&self, pattern: PatternId, text: &str) -> Result<bool, TooLarge> {
        if let [Piece::Text(start), ..] = &*self.pattern(pattern).pieces
            && !text.starts_with(&**start)
        {
            return Ok(false);
        }
        let set = &self.set(pattern)?.texts;
        let mut state = set.start();
        // Most texts are refused by their first bytes.
        let is_alive = text.bytes().all(|byte| {
            state = set.step(state, byte);
            !Dfa::is_dead(state)
        });
        Ok(is_alive && set.is_final(state))
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
        let narrower = match self.compare(left, right) {
            Err(TooLarge::States | TooLarge::Work) => {
                self.unproven.insert((left, right));
                Some(Narrower::Neither)
            }
            compared => compared?,
        };
        if let Some(narrower) = narrower {
            self.pairs.insert((left, right), narrower);
        }
        Ok(narrower)
    }

    /// Whether it would take too long to compare two patterns.
    pub(super) fn is_unproven(&self, left: PatternId, right: PatternId) -> bool {
        self.unproven.contains(&(left.min(right), left.max(right)))
    }

    fn compare(&mut self, left: PatternId, right: PatternId) -> Result<Option<Narrower>, TooLarge> {
        let sets = [left, right].map(|pattern| &*self.pattern(pattern).pieces);
        if let Some(rests) = without_common_text(sets) {
            let key = rests.each_ref().map(|rest| rest.iter().map(|piece| piece.map(address)).collect::<Vec<_>>());
            if let Some(known) = self.rests.get(&key) {
                return Ok(*known);
            }
            let narrower = pieces_set(&rests[0])?.compare(&pieces_set(&rests[1])?)?.narrower();
            self.rests.insert(key, narrower);
            return Ok(narrower);
        }
        let (one, other) = (self.known(left), self.known(right));
        let (left, right) = (self.set(left)?, self.set(right)?);
        let shared: u64 = match (&one.named, &other.named) {
            (Some(one), Some(other)) => {
                one.bits.iter().zip(&other.bits).map(|(one, other)| u64::from((one & other).count_ones())).sum()
            }
            (Some(named), None) | (None, Some(named)) => {
                let theirs = if one.named.is_some() { &right.texts } else { &left.texts };
                let is_theirs = |number: &&u32| theirs.contains(self.texts[**number as usize].as_bytes());
                named.numbers.iter().filter(is_theirs).count() as u64
            }
            (None, None) => return Ok(left.compare(right)?.narrower()),
        };
        let is_all = |set: &ValueSet| set.texts.count() == Some(shared);
        Ok((shared > 0).then(|| left.narrower(right, is_all(left), is_all(right))))
    }

    /// What two patterns have to do with each other, with a text of both.
    pub(super) fn relation(&self, left: PatternId, right: PatternId) -> Result<Relation, TooLarge> {
        self.set(left)?.compare(self.set(right)?)
    }

    /// The pairs of some patterns that accept a common text, by their places, and which of the two is the narrower.
    pub(super) fn sharing(&mut self, patterns: &[PatternId]) -> Result<Vec<(usize, usize, Narrower)>, TooLarge> {
        let mut found = Vec::new();
        for (left, right) in self.candidates(patterns)? {
            found.extend(self.narrower(patterns[left], patterns[right])?.map(|narrower| (left, right, narrower)));
        }
        Ok(found)
    }

    /// The pairs of places that may share a text.
    pub(super) fn candidates(&self, patterns: &[PatternId]) -> Result<Vec<(usize, usize)>, TooLarge> {
        let mut sets: Vec<(usize, Affixes<'_>)> = Vec::new();
        for (at, &pattern) in patterns.iter().enumerate() {
            match &self.known(pattern).named {
                Some(named) => {
                    let text = |number: &u32| {
                        let text = unmarked_text(self.texts[*number as usize].as_bytes().into());
                        Affixes { start: text.clone(), end: text, is_whole: true }
                    };
                    sets.extend(named.numbers.iter().map(|number| (at, text(number))));
                }
                None => sets.push((at, Affixes::of_pattern(self.pattern(pattern)))),
            }
        }
        meeting(&sets, patterns.len())
    }

    /// All pairs that were found to accept a common text.
    pub(super) fn into_pairs(self) -> (Vec<Pattern>, HashMap<(PatternId, PatternId), Narrower>) {
        (self.all, self.pairs)
    }
}

/// The pieces of two patterns without the text that both begin with and the text that both end with; `None` where there is none, or
/// where it is not certain that what is left is compared to the same end.
fn without_common_text([left, right]: [&[Piece]; 2]) -> Option<[Vec<Piece>; 2]> {
    let text = |piece: Option<&Piece>| piece.and_then(Piece::text).unwrap_or_default().to_owned();
    let common = |one: &str, other: &str| {
        let bytes = one.bytes().zip(other.bytes()).take_while(|(one, other)| one == other).count();
        (0..=bytes).rev().find(|&at| one.is_char_boundary(at)).unwrap_or(0)
    };
    let starts = [text(left.first()), text(right.first())];
    let at_start = common(&starts[0], &starts[1]);
    let ends = [text(left.last()), text(right.last())];
    let backwards = |text: &str| text.chars().rev().collect::<String>();
    let at_end = common(&backwards(&ends[0]), &backwards(&ends[1]));
    let is_only_dots = |text: &str| text.bytes().all(|byte| byte == b'.');
    // No segment is of one or two dots; where there is more, that takes nothing away.
    if is_only_dots(&starts[0][..at_start]) && is_only_dots(&ends[0][ends[0].len() - at_end..]) {
        return None;
    }
    let rest = |pieces: &[Piece]| {
        let mut rest = pieces.to_vec();
        if let Some(Piece::Text(text)) = rest.first_mut() {
            *text = text[at_start..].into();
        }
        if let Some(Piece::Text(text)) = rest.last_mut() {
            *text = text[..text.len() - at_end].into();
        }
        rest.retain(|piece| piece.text().is_none_or(|text| !text.is_empty()));
        rest
    };
    Some([rest(left), rest(right)])
}

/// What tells rules apart: those that say the same are one, and all that accept everything count as one.
pub(super) fn address(check: &Arc<Check>) -> usize {
    if check.is_any() { 0 } else { Arc::as_ptr(check).addr() }
}

/// A text with its marks replaced by their characters.
fn unmarked_text(text: Cow<'_, [u8]>) -> Cow<'_, [u8]> {
    if text.iter().any(|&byte| unmarked(byte) != byte) {
        text.iter().map(|&byte| unmarked(byte)).collect::<Vec<_>>().into()
    } else {
        text
    }
}

impl Affixes<'_> {
    pub(super) fn of_pattern(pattern: &Pattern) -> Affixes<'_> {
        fn text(piece: Option<&Piece>) -> Cow<'_, [u8]> {
            match piece {
                Some(Piece::Text(text)) => text.as_bytes().into(),
                Some(Piece::Value(check)) => check.ruled_set().map_or_else(Vec::new, Dfa::common_start).into(),
                None => Cow::default(),
            }
        }
        let pieces = &*pattern.pieces;
        // What a value ends with is not looked for.
        let end = pieces.last().filter(|piece| piece.value().is_none());
        let is_whole = pieces.len() == 1 && end.is_some();
        Affixes { start: text(pieces.first()), end: text(end), is_whole }
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
            for rule in &rules {
                // A rule that no value meets is refused before it gets here.
                let Ok(check) = Check::new(rule, &[], &[]) else { return Ok(()) };
                ids.push(patterns.add(Pattern::new(vec![Piece::Value(Arc::new(check))])).expect("a small set"));
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
                let texts = &patterns.set(*id).expect("a small set").texts;
                let few = texts.few_words(64).map(|words| words.len() as u64);
                prop_assert_eq!(texts.count(), few, "{:?}", rule);
            }
        }
    }
}
