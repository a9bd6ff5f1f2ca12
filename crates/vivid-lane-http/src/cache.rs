//! Answers of live lists that are kept for a while.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use vivid_lane::Answer;

/// For whom, of which list, and which value was asked.
type Key = (String, String, String);

/// Answers, each for so long, and at most so many. When there are too many, the half that was added first goes.
pub(crate) struct Cache {
    time: Duration,
    most: usize,
    kept: Mutex<Halves>,
}

#[derive(Default)]
struct Halves {
    younger: HashMap<Key, (Instant, bool)>,
    older: HashMap<Key, (Instant, bool)>,
}

impl Cache {
    pub(crate) fn new(time: Duration, most: usize) -> Self {
        Self { time, most: most.max(2), kept: Mutex::default() }
    }

    pub(crate) fn get(&self, key: &Key) -> Option<Answer> {
        let kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        let &(since, is_listed) = kept.younger.get(key).or_else(|| kept.older.get(key))?;
        (since.elapsed() < self.time).then(|| is_listed.into())
    }

    /// Keeps a yes or a no. An unknown answer is asked for again.
    pub(crate) fn keep(&self, key: Key, answer: Answer) {
        let is_listed = match answer {
            Answer::Yes => true,
            Answer::No => false,
            _ => return,
        };
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if kept.younger.len() >= self.most / 2 {
            kept.older = std::mem::take(&mut kept.younger);
        }
        kept.younger.insert(key, (Instant::now(), is_listed));
    }
}
