//! Which of many sets of texts may have a text in common, without a look at each pair.
//!
//! The common beginnings of sets distinguish most of them: `/w17-{id}` and `/w18-{id}` need no comparison. The beginnings are
//! sorted, so that all those that a text begins with are found together, the shorter before the longer. If the beginnings distinguish too
//! few, the ends are sorted in the same way.

use std::borrow::Cow;

use crate::rule::TooLarge;

/// The most pairs that are looked at: of sets at one place, and of nodes and ways in a whole proof.
pub(super) const MOST_PAIRS: usize = 1 << 22;

/// What is known of the texts of a set.
#[derive(Debug, Clone, Default)]
pub(super) struct Affixes<'t> {
    /// What all of them begin with.
    pub(super) start: Cow<'t, [u8]>,
    /// What all of them end with.
    pub(super) end: Cow<'t, [u8]>,
    /// Whether there is no other text than `start`.
    pub(super) is_whole: bool,
}

impl Affixes<'_> {
    fn may_meet(&self, other: &Self) -> bool {
        let (shorter, longer) = if self.start.len() <= other.start.len() { (self, other) } else { (other, self) };
        if !longer.start.starts_with(&shorter.start) || (shorter.is_whole && shorter.start != longer.start) {
            return false;
        }
        let (shorter, longer) = if self.end.len() <= other.end.len() { (self, other) } else { (other, self) };
        longer.end.ends_with(&shorter.end) && (!shorter.is_whole || shorter.end == longer.end)
    }
}

/// Pairs of sets, by their numbers, that may have a text in common: the lower number first, each pair once. A set that is the sum of
/// others is given once for each of these, with the same number. All numbers are below the given one.
pub(super) fn meeting(sets: &[(usize, Affixes<'_>)], numbers: usize) -> Result<Vec<(usize, usize)>, TooLarge> {
    let by_start: Vec<Cow<'_, [u8]>> = sets.iter().map(|(_, set)| Cow::Borrowed(&*set.start)).collect();
    let by_start = Sorted::new(sets, by_start);
    let mut chosen = (by_start.count(), by_start);
    if chosen.0 > 4 * sets.len() {
        let backwards = |set: &Affixes<'_>| Cow::Owned(set.end.iter().rev().copied().collect());
        let by_end = Sorted::new(sets, sets.iter().map(|(_, set)| backwards(set)).collect());
        let count = by_end.count();
        if count < chosen.0 {
            chosen = (count, by_end);
        }
    }
    let all = numbers * numbers.saturating_sub(1) / 2;
    if chosen.0.min(all) > MOST_PAIRS {
        return Err(TooLarge::Pairs);
    }
    if chosen.0 >= all {
        return Ok((0..numbers).flat_map(|one| (one + 1..numbers).map(move |two| (one, two))).collect());
    }
    let mut pairs = Vec::new();
    chosen.1.visit(|at, before| {
        for &other in before {
            let ((left, one), (right, two)) = (&sets[at], &sets[other]);
            if left != right && one.may_meet(two) {
                pairs.push((*left.min(right), *left.max(right)));
            }
        }
    });
    pairs.sort_unstable();
    pairs.dedup();
    Ok(pairs)
}

/// Sets in the order of what their texts begin with, or of what they end with, read backwards.
struct Sorted<'s, 't> {
    sets: &'s [(usize, Affixes<'t>)],
    keys: Vec<Cow<'s, [u8]>>,
    places: Vec<usize>,
}

impl<'s, 't> Sorted<'s, 't> {
    fn new(sets: &'s [(usize, Affixes<'t>)], keys: Vec<Cow<'s, [u8]>>) -> Self {
        let mut places: Vec<usize> = (0..sets.len()).collect();
        places
            .sort_unstable_by(|&one, &two| (&keys[one], sets[one].1.is_whole).cmp(&(&keys[two], sets[two].1.is_whole)));
        Self { sets, keys, places }
    }

    /// Visits each set with all before it that it may meet.
    fn visit(&self, mut each: impl FnMut(usize, &[usize])) {
        // Those that the texts of the set at hand may belong to.
        let mut open: Vec<usize> = Vec::new();
        for &at in &self.places {
            let is_open = |&other: &usize| match self.sets[other].1.is_whole {
                true => self.keys[at] == self.keys[other],
                false => self.keys[at].starts_with(&self.keys[other]),
            };
            while open.last().is_some_and(|other| !is_open(other)) {
                open.pop();
            }
            each(at, &open);
            open.push(at);
        }
    }

    /// How many pairs there are.
    fn count(&self) -> usize {
        let mut count = 0_usize;
        self.visit(|_, before| count = count.saturating_add(before.len()));
        count
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn what_begins_or_ends_in_its_own_way_meets_nothing() {
        let text = |number: usize| Cow::Owned(format!("-{number}-").into_bytes());
        for is_start in [true, false] {
            let set = |at| match is_start {
                true => Affixes { start: text(at), ..Affixes::default() },
                false => Affixes { end: text(at), ..Affixes::default() },
            };
            let sets: Vec<_> = (0..1000).map(|at| (at, set(at))).collect();
            assert_eq!(meeting(&sets, 1000), Ok(Vec::new()));
        }
    }

    proptest! {
        /// No pair is missing, whether beginnings or ends are used.
        #[test]
        fn all_pairs_are_found(texts in prop::collection::vec(("[ab]{0,3}", "[ab]{0,3}", prop::bool::ANY), 0..40)) {
            let set = |(at, (start, end, is_whole)): (usize, &'_ (String, String, bool))| {
                let affixes = Affixes { start: start.clone().into_bytes().into(), end: end.clone().into_bytes().into(), is_whole: false };
                let whole = Affixes { end: affixes.start.clone(), is_whole: true, ..affixes.clone() };
                (at, if *is_whole { whole } else { affixes })
            };
            let sets: Vec<_> = texts.iter().enumerate().map(set).collect();
            let found = meeting(&sets, sets.len()).expect("few");
            let is_found = |pair| found.binary_search(&pair).is_ok();
            for (at, one) in &sets {
                let mut wanted = sets.iter().filter(|(other, two)| at < other && one.may_meet(two));
                prop_assert!(wanted.all(|(other, _)| is_found((*at, *other))));
            }
        }
    }
}
