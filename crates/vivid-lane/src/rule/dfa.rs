//! Sets of texts as deterministic finite automata over bytes.
//!
//! Two rules are compared as sets, not by a rank of their kinds, so everything here is exact: intersection,
//! concatenation, inclusion with a witness. All constructions go through [`Dfa::explore`], which names the
//! states as it meets them and stops at a limit.

use hashbrown::hash_map::Entry;
use hashbrown::{HashMap, HashSet};
use std::hash::Hash;

use super::classes::{Classes, pair};
use super::mark::{MARKS, unmarked};
use super::work;

/// The state from which nothing is accepted.
const DEAD: u32 = 0;

/// The most states that one automaton may have, and the most pairs of states that a comparison may visit.
pub(crate) const MOST_STATES: usize = 1 << 17;

/// What a comparison costs beside its pairs, in [steps](super::work): to find out which bytes matter to two automata.
const COMPARISON: usize = 32;
/// What a state costs that is made, beside the states that follow it: it stays for a while, and takes memory.
const STATE: usize = 16;

/// What of a table is too large.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum TooLarge {
    /// An automaton would have more than [`MOST_STATES`], or a comparison would visit more pairs of them.
    States,
    /// So many ways through the paths are alike that the proof would have to follow too many pairs of them.
    Pairs,
    /// There are more routes, segments or texts than have a number.
    Numbers,
    /// All proofs of a table together would take too many [steps](super::work).
    Work,
}

impl Classes {
    /// Classes that tell apart what any of the automata does.
    pub(crate) fn of_all<'a>(automata: impl IntoIterator<Item = &'a Dfa>) -> Self {
        let mut automata = automata.into_iter();
        let first = automata.next().map_or_else(|| Self::by(&|_| 0), |first| first.classes.clone());
        automata.fold(first, |classes, other| {
            // Many automata tell apart the same bytes, and then there is nothing to refine.
            if classes == other.classes { classes } else { classes.and(&other.classes) }
        })
    }
}

/// The pairs of states that a comparison has visited: a bit for each where they are few.
enum Visited {
    Bits { columns: usize, bits: Vec<u64> },
    Pairs(HashSet<(u32, u32)>),
}

impl Visited {
    fn new(rows: usize, columns: usize) -> Self {
        match rows.saturating_mul(columns) {
            few if few <= 1 << 14 => Self::Bits { columns, bits: vec![0; few / 64 + 1] },
            _ => Self::Pairs(HashSet::new()),
        }
    }

    fn is_new(&mut self, left: u32, right: u32) -> bool {
        match self {
            Self::Bits { columns, bits } => {
                let place = left as usize * *columns + right as usize;
                let (word, bit) = (&mut bits[place / 64], 1 << (place % 64));
                let is_new = *word & bit == 0;
                *word |= bit;
                is_new
            }
            Self::Pairs(pairs) => pairs.insert((left, right)),
        }
    }
}

/// A set of texts. Every state but [`DEAD`] can still reach an accepting one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Dfa {
    classes: Classes,
    /// For each state and class, the next state.
    next: Vec<u32>,
    accepts: Vec<bool>,
    start: u32,
}

/// What two sets have to do with each other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Comparison {
    /// A shortest text of the left set that the right one lacks.
    pub(crate) only_left: Option<Vec<u8>>,
    /// A shortest text of the right set that the left one lacks.
    pub(crate) only_right: Option<Vec<u8>>,
    /// A shortest text of both.
    pub(crate) both: Option<Vec<u8>>,
}

impl Dfa {
    /// The automaton whose states are what `step` leads to from `start`; `None` is the dead state.
    ///
    /// The functions are no type parameters, so that there is one copy of this code for each type of state.
    pub(crate) fn explore<S: Clone + Eq + Hash>(
        classes: Classes,
        start: S,
        step: &dyn Fn(&S, u8) -> Option<S>,
        accepts: &dyn Fn(&S) -> bool,
    ) -> Result<Self, TooLarge> {
        work::spend(COMPARISON)?;
        let stride = classes.count();
        let mut ids: HashMap<S, u32> = HashMap::from([(start.clone(), 1)]);
        // In the order of their numbers; those before `at` have their row.
        let mut states = vec![start];
        let mut dfa = Self { next: vec![DEAD; stride], accepts: vec![false], start: 1, classes };
        let mut at = 0;
        while let Some(state) = states.get(at).cloned() {
            at += 1;
            work::spend(STATE + stride)?;
            dfa.accepts.push(accepts(&state));
            for class in 0..stride {
                let Some(target) = step(&state, dfa.classes.representatives[class]) else {
                    dfa.next.push(DEAD);
                    continue;
                };
                let fresh = u32::try_from(ids.len() + 1).map_err(|_| TooLarge::States)?;
                let id = match ids.entry(target) {
                    Entry::Occupied(known) => *known.get(),
                    Entry::Vacant(vacant) => {
                        states.push(vacant.key().clone());
                        *vacant.insert(fresh)
                    }
                };
                if ids.len() > MOST_STATES {
                    return Err(TooLarge::States);
                }
                dfa.next.push(id);
            }
        }
        dfa.trim();
        Ok(dfa)
    }

    /// The same set with as few states as possible (Moore's refinement), where that is worth its time.
    pub(crate) fn minimised(self) -> Self {
        // A chain of states, as a number of items makes it, is refined by one state a round.
        const MOST_WORK: usize = 1 << 18;
        let (stride, states) = (self.classes.count(), self.states());
        let mut left = MOST_WORK;
        let mut block: Vec<u32> = self.accepts.iter().map(|&accepts| u32::from(accepts)).collect();
        let mut count = 0;
        loop {
            left = match left.checked_sub(states) {
                // What is left as it is, is no less right.
                Some(left) if work::spend(states * (STATE + stride / 4)).is_ok() => left,
                _ => return self,
            };
            let mut ids: HashMap<Vec<u32>, u32> = HashMap::new();
            let refined: Vec<u32> = (0..states)
                .map(|state| {
                    let targets = self.next[state * stride..][..stride].iter().map(|&target| block[target as usize]);
                    let key: Vec<u32> = std::iter::once(block[state]).chain(targets).collect();
                    let fresh = u32::try_from(ids.len()).unwrap_or(u32::MAX);
                    *ids.entry(key).or_insert(fresh)
                })
                .collect();
            block = refined;
            if ids.len() == count {
                break;
            }
            count = ids.len();
        }
        // State 0 is met first and so keeps the number of the dead state.
        let mut next = vec![DEAD; count * stride];
        let mut accepts = vec![false; count];
        for state in 0..states {
            let at = block[state] as usize;
            accepts[at] = self.accepts[state];
            for class in 0..stride {
                next[at * stride + class] = block[self.next[state * stride + class] as usize];
            }
        }
        Self { start: block[self.start as usize], next, accepts, classes: self.classes }
    }

    /// Sends what can reach no accepting state to the dead one.
    fn trim(&mut self) {
        let stride = self.classes.count();
        let states = self.accepts.len();
        if self.accepts.iter().skip(1).all(|&accepts| accepts) {
            return;
        }
        // The sources of each state, one after the other: where those of a state begin, and then all of them.
        let mut begins = vec![0_usize; states + 1];
        self.next.iter().for_each(|&target| begins[target as usize + 1] += 1);
        (0..states).for_each(|state| begins[state + 1] += begins[state]);
        let (mut sources, mut filled) = (vec![0_u32; self.next.len()], begins.clone());
        for (at, &target) in self.next.iter().enumerate() {
            let place = &mut filled[target as usize];
            sources[*place] = u32::try_from(at / stride).unwrap_or(u32::MAX);
            *place += 1;
        }
        let mut alive = self.accepts.clone();
        let mut waiting: Vec<u32> = (0..).zip(&alive).filter(|(_, alive)| **alive).map(|(id, _)| id).collect();
        while let Some(state) = waiting.pop() {
            for &source in &sources[begins[state as usize]..begins[state as usize + 1]] {
                if !std::mem::replace(&mut alive[source as usize], true) {
                    waiting.push(source);
                }
            }
        }
        let dead = |id: u32| if alive[id as usize] { id } else { DEAD };
        self.next.iter_mut().for_each(|target| *target = dead(*target));
        self.start = dead(self.start);
    }

    /// The set with each [mark](super::mark) taken for its character.
    pub(super) fn with_marks(mut self) -> Self {
        for (mark, character) in MARKS {
            self.classes.of[usize::from(mark)] = self.classes.of[usize::from(character)];
        }
        self
    }

    /// The texts of the set without that mark.
    pub(crate) fn without_mark(&self, mark: u8) -> Self {
        let mut set = self.clone();
        // No text holds the zero byte.
        set.classes.of[usize::from(mark)] = set.classes.of[0];
        set
    }

    /// The bytes that lead somewhere, each once: a mark that is taken for its character is left out.
    fn bytes(&self) -> impl Iterator<Item = u8> {
        (0..=u8::MAX).filter(|&byte| unmarked(byte) == byte || self.class(byte) != self.class(unmarked(byte)))
    }

    /// The set of these texts.
    pub(crate) fn words<'a>(words: impl IntoIterator<Item = &'a str>) -> Result<Self, TooLarge> {
        Self::of_words(words.into_iter().map(str::as_bytes).collect())
    }

    fn of_words(mut sorted: Vec<&[u8]>) -> Result<Self, TooLarge> {
        sorted.sort_unstable();
        let mut is_used = [false; 256];
        sorted.iter().copied().flatten().for_each(|byte| is_used[usize::from(*byte)] = true);
        let classes = Classes::of_bytes(&|byte| is_used[usize::from(byte)]);
        // A state is the stretch of words that share what was read, and how long that is.
        let step = |&(from, to, length): &(usize, usize, usize), byte: u8| {
            let stretch = &sorted[from..to];
            let low = from + stretch.partition_point(|word| word.get(length).is_none_or(|&next| next < byte));
            let high = from + stretch.partition_point(|word| word.get(length).is_none_or(|&next| next <= byte));
            (low < high).then_some((low, high, length + 1))
        };
        let accepts = |&(from, to, length): &(usize, usize, usize)| from < to && sorted[from].len() == length;
        Self::explore(classes, (0, sorted.len(), 0), &step, &accepts).map(Self::with_marks)
    }

    /// The texts of both sets.
    pub(crate) fn and(&self, other: &Self) -> Result<Self, TooLarge> {
        let step = |&(left, right): &(u32, u32), byte: u8| match (self.step(left, byte), other.step(right, byte)) {
            (DEAD, _) | (_, DEAD) => None,
            both => Some(both),
        };
        let accepts = |&(left, right): &(u32, u32)| self.is_final(left) && other.is_final(right);
        Self::explore(Classes::of_all([self, other]), (self.start, other.start), &step, &accepts)
    }

    /// The texts of this set that the other lacks.
    pub(crate) fn without(&self, other: &Self) -> Result<Self, TooLarge> {
        let step = |&(left, right): &(u32, u32), byte: u8| match self.step(left, byte) {
            DEAD => None,
            left => Some((left, other.step(right, byte))),
        };
        let accepts = |&(left, right): &(u32, u32)| self.is_final(left) && !other.is_final(right);
        Self::explore(Classes::of_all([self, other]), (self.start, other.start), &step, &accepts)
    }

    /// Whether the text is in the set. Linear in its length.
    pub(crate) fn contains(&self, text: &[u8]) -> bool {
        self.is_final(text.iter().fold(self.start, |state, &byte| self.step(state, byte)))
    }

    /// Whether the set is empty.
    pub(crate) fn is_empty(&self) -> bool {
        self.start == DEAD
    }

    pub(crate) fn start(&self) -> u32 {
        self.start
    }

    pub(crate) fn step(&self, state: u32, byte: u8) -> u32 {
        self.next[state as usize * self.classes.count() + usize::from(self.classes.class(byte))]
    }

    pub(crate) fn class(&self, byte: u8) -> u8 {
        self.classes.class(byte)
    }

    /// Whether a byte stands in any of the texts. It may seem to where no text leads to a state.
    pub(crate) fn uses(&self, byte: u8) -> bool {
        (0..).take(self.states()).any(|state| !Self::is_dead(self.step(state, byte)))
    }

    pub(crate) fn is_final(&self, state: u32) -> bool {
        self.accepts[state as usize]
    }

    pub(crate) fn is_dead(state: u32) -> bool {
        state == DEAD
    }

    /// The bytes that the automaton takes beside itself.
    pub(crate) fn heap(&self) -> usize {
        size_of_val(&*self.next) + self.accepts.len() + self.classes.representatives.len()
    }

    /// How many states there are, the dead one included.
    pub(crate) fn states(&self) -> usize {
        self.accepts.len()
    }

    /// Compares two sets; visits each pair of states at most once.
    pub(crate) fn compare(&self, other: &Self) -> Result<Comparison, TooLarge> {
        work::spend(COMPARISON)?;
        let classes = Classes::of_all([self, other]);
        let mut visited = Visited::new(self.states(), other.states());
        visited.is_new(self.start, other.start);
        // Each pair with the one before it and the byte between.
        let mut pairs = vec![((self.start, other.start), 0, 0)];
        let mut found = Comparison { only_left: None, only_right: None, both: None };
        let mut at = 0;
        while let Some(&((left, right), _, _)) = pairs.get(at) {
            let place = match (self.is_final(left), other.is_final(right)) {
                (true, true) => Some(&mut found.both),
                (true, false) => Some(&mut found.only_left),
                (false, true) => Some(&mut found.only_right),
                (false, false) => None,
            };
            if let Some(place) = place.filter(|place| place.is_none()) {
                *place = Some(way_to(at, &pairs));
            }
            if found.only_left.is_some() && found.only_right.is_some() && found.both.is_some() {
                break;
            }
            work::spend(1 + classes.count())?;
            for &byte in &classes.representatives {
                let target = (self.step(left, byte), other.step(right, byte));
                if target == (DEAD, DEAD) {
                    continue;
                }
                if visited.is_new(target.0, target.1) {
                    pairs.push((target, at, byte));
                }
            }
            if pairs.len() > MOST_STATES {
                return Err(TooLarge::States);
            }
            at += 1;
        }
        Ok(found)
    }

    /// The set and the empty text.
    pub(crate) fn with_empty(&self) -> Result<Self, TooLarge> {
        // `None` is the place before the first byte, which accepts.
        let step = |at: &Option<u32>, byte: u8| match self.step(at.unwrap_or(self.start), byte) {
            DEAD => None,
            next => Some(Some(next)),
        };
        let accepts = |at: &Option<u32>| at.is_none_or(|state| self.is_final(state));
        Self::explore(self.classes.clone(), None, &step, &accepts)
    }

    /// The texts as paths: each slash becomes a [`SEPARATOR`](super::SEPARATOR), and no segment is empty.
    pub(crate) fn cut_at_slashes(&self) -> Result<Self, TooLarge> {
        let separator = super::SEPARATOR;
        let special = |byte: u8| if byte == b'/' { 1 } else { 2 * u32::from(byte == separator) };
        let classes = Classes::by(&|byte| pair(self.classes.class(byte), special(byte)));
        let step = |&(state, is_begun): &(u32, bool), byte: u8| {
            let read = match byte {
                b'/' => return None,
                _ if byte == separator => b'/',
                _ => byte,
            };
            let next = self.step(state, read);
            (next != DEAD && (is_begun || byte != separator)).then_some((next, byte != separator))
        };
        let accepts = |&(state, is_begun): &(u32, bool)| is_begun && self.is_final(state);
        Self::explore(classes, (self.start, false), &step, &accepts)
    }

    /// The text, where the set has only one.
    pub(crate) fn sole_word(&self) -> Option<Vec<u8>> {
        let mut word = Vec::new();
        let mut state = self.start;
        loop {
            let mut ways = self.bytes().filter(|&byte| self.step(state, byte) != DEAD);
            let way = ways.next();
            if ways.next().is_some() || (self.is_final(state) && way.is_some()) || word.len() > self.states() {
                return None;
            }
            let Some(byte) = way else { return self.is_final(state).then_some(word) };
            word.push(byte);
            state = self.step(state, byte);
        }
    }

    /// What all texts of the set begin with, marks as their characters.
    pub(crate) fn common_start(&self) -> Vec<u8> {
        let mut start = Vec::new();
        let mut state = self.start;
        // A set with a loop that nothing leaves is empty.
        while !self.is_final(state) && start.len() < self.states() {
            let mut ways = self.bytes().filter(|&byte| self.step(state, byte) != DEAD);
            let (Some(byte), None) = (ways.next(), ways.next()) else { break };
            start.push(unmarked(byte));
            state = self.step(state, byte);
        }
        start
    }

    /// The bytes of which the set has all texts of one or more, if that is what it is.
    pub(crate) fn repeated_bytes(&self) -> Option<[bool; 256]> {
        let is_plain = self.states() == 3 && !self.is_final(self.start);
        let mut allowed = [false; 256];
        for byte in 0..=u8::MAX {
            let next = self.step(self.start, byte);
            if !is_plain || (next != DEAD && (!self.is_final(next) || next != self.step(next, byte))) {
                return None;
            }
            allowed[usize::from(byte)] = next != DEAD;
        }
        // From the accepting state the same bytes lead on, and no others.
        let last = (0..=u8::MAX).map(|byte| self.step(self.start, byte)).find(|&next| next != DEAD)?;
        let same = (0..=u8::MAX).all(|byte| (self.step(last, byte) != DEAD) == allowed[usize::from(byte)]);
        same.then_some(allowed)
    }

    /// How many texts the set has; `None` for a number without an end, or too large to count.
    pub(crate) fn count(&self) -> Option<u64> {
        // Every state that is not dead can be part of a text, so a way back to one that is open is a loop without an end.
        const OPEN: Option<u64> = Some(u64::MAX);
        let mut counts: Vec<Option<u64>> = vec![None; self.states()];
        let mut open = vec![(self.start, false)];
        while let Some((state, is_entered)) = open.pop() {
            let mut next: Vec<u32> = self.bytes().map(|byte| self.step(state, byte)).collect();
            next.retain(|&next| next != DEAD);
            if is_entered {
                let own = u64::from(self.is_final(state));
                let sum = next.iter().try_fold(own, |sum, &next| sum.checked_add(counts[next as usize]?));
                counts[state as usize] = Some(sum.filter(|&sum| sum < u64::MAX)?);
            } else if counts[state as usize].is_none() {
                counts[state as usize] = OPEN;
                open.push((state, true));
                next.dedup();
                for next in next {
                    match counts[next as usize] {
                        OPEN => return None,
                        None => open.push((next, false)),
                        Some(_) => {}
                    }
                }
            }
        }
        counts[self.start as usize].or(Some(0))
    }

    /// All words, if there are so many at most.
    pub(crate) fn few_words(&self, most: usize) -> Option<Vec<String>> {
        let mut words = Vec::new();
        let mut open = vec![(self.start(), Vec::new())];
        let mut steps = 0;
        while let Some((state, word)) = open.pop() {
            if self.is_final(state) {
                words.push(String::from_utf8(word.clone()).ok()?);
            }
            steps += 1;
            // A set with a loop has ever longer words.
            if words.len() > most || word.len() > 64 || steps > 64 * most {
                return None;
            }
            let bytes: Vec<u8> = self.bytes().collect();
            let next = bytes.into_iter().rev().map(|byte| (byte, self.step(state, byte)));
            open.extend(next.filter(|(_, next)| !Self::is_dead(*next)).map(|(byte, next)| {
                let mut longer = word.clone();
                longer.push(byte);
                (next, longer)
            }));
        }
        Some(words)
    }

    /// A shortest text of the set.
    pub(crate) fn shortest(&self) -> Option<Vec<u8>> {
        let mut is_met = vec![false; self.states()];
        let mut met = vec![(self.start, 0, 0)];
        let mut at = 0;
        while let Some(&(state, _, _)) = met.get(at).filter(|(state, _, _)| *state != DEAD) {
            if self.is_final(state) {
                return Some(way_to(at, &met));
            }
            for &byte in &self.classes.representatives {
                let next = self.step(state, byte);
                if next != DEAD && !std::mem::replace(&mut is_met[next as usize], true) {
                    met.push((next, at, byte));
                }
            }
            at += 1;
        }
        None
    }
}

/// The bytes on the way to a state, or a pair of them, each with the one before it and the byte between.
pub(crate) fn way_to<S>(mut at: usize, met: &[(S, usize, u8)]) -> Vec<u8> {
    let mut way = Vec::new();
    while at != 0 {
        let (_, before, byte) = met[at];
        way.push(byte);
        at = before;
    }
    way.reverse();
    way
}
