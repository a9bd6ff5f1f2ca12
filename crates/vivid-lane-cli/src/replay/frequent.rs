//! The most frequent texts of a stream, with a bounded number of counters (Misra and Gries, 1982).
//!
//! A count may be too low, never too high, and by no more than [`error`](Frequent::error). A text that came more often
//! than that is there.

use std::collections::{BTreeMap, HashMap};

/// Counters for texts.
#[derive(Debug)]
pub(super) struct Frequent {
    counts: HashMap<Box<[u8]>, u64>,
    most: usize,
    error: u64,
}

impl Frequent {
    /// At most so many counters.
    pub(super) fn new(most: usize) -> Self {
        Self { counts: HashMap::new(), most: most.max(1), error: 0 }
    }

    pub(super) fn add(&mut self, text: &[u8]) {
        if let Some(count) = self.counts.get_mut(text) {
            *count += 1;
        } else if self.counts.len() < self.most {
            self.counts.insert(text.into(), 1);
        } else {
            // One from each, and from the newcomer: so no more is taken away than came.
            self.error += 1;
            self.counts.retain(|_, count| {
                *count -= 1;
                *count > 0
            });
        }
    }

    /// By how much a count may be too low.
    pub(super) fn error(&self) -> u64 {
        self.error
    }

    pub(super) fn into_counts(self) -> BTreeMap<String, u64> {
        let mut counts = BTreeMap::new();
        for (text, count) in self.counts {
            *counts.entry(String::from_utf8_lossy(&text).into_owned()).or_default() += count;
        }
        counts
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn no_count_is_off_by_more_than_the_error(stream in prop::collection::vec(0u8..20, 0..300), most in 1usize..25) {
            let mut frequent = Frequent::new(most);
            stream.iter().for_each(|text| frequent.add(&[*text]));
            let error = frequent.error();
            prop_assert!(frequent.counts.len() <= most);
            prop_assert!(error <= stream.len() as u64 / (most as u64 + 1));
            for text in 0..20 {
                let exact = stream.iter().filter(|one| **one == text).count() as u64;
                let count = frequent.counts.get(&[text][..]).copied().unwrap_or(0);
                prop_assert!(count <= exact && exact <= count + error);
            }
        }
    }
}
