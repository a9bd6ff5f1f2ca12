//! How much a proof may cost.
//!
//! Each comparison of sets is bounded by itself ([`MOST_STATES`](super::MOST_STATES)), but a table of a few kilobytes can ask for a great
//! many of them. So whoever builds or examines a table does it [within] a number of steps, and whatever walks automata
//! [spends] them. A step is about what it takes to find the state that follows another, and is counted, never timed: the same
//! table is always treated alike.

use std::cell::Cell;

use super::TooLarge;

thread_local! {
    /// What is left of the innermost allowance. Nothing else is bounded.
    static LEFT: Cell<u64> = const { Cell::new(u64::MAX) };
}

/// Takes steps from what is left.
pub(crate) fn spend(steps: usize) -> Result<(), TooLarge> {
    let steps = u64::try_from(steps).unwrap_or(u64::MAX);
    let left = LEFT.get().checked_sub(steps);
    LEFT.set(left.unwrap_or_default());
    left.map(|_| ()).ok_or(TooLarge::Work)
}

/// Does something that may take so many steps, which are taken from those of whoever calls this.
pub(crate) fn within<T>(steps: u64, run: impl FnOnce() -> T) -> T {
    /// Gives back what is left, also where a panic passes by.
    struct Rest {
        before: u64,
        given: u64,
    }
    impl Drop for Rest {
        fn drop(&mut self) {
            let spent = self.given - LEFT.get();
            LEFT.set(if self.before == u64::MAX { u64::MAX } else { self.before - spent });
        }
    }
    let before = LEFT.get();
    let given = steps.min(before);
    LEFT.set(given);
    let _rest = Rest { before, given };
    run()
}

/// Does something at nobody's cost: what is made once for the whole program, whoever needs it first.
pub(crate) fn for_all<T>(run: impl FnOnce() -> T) -> T {
    struct Rest(u64);
    impl Drop for Rest {
        fn drop(&mut self) {
            LEFT.set(self.0);
        }
    }
    let _rest = Rest(LEFT.replace(u64::MAX));
    run()
}

/// How many steps are left.
pub(crate) fn left() -> u64 {
    LEFT.get()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_spent_within_is_spent_outside() {
        within(100, || {
            assert_eq!(within(30, || (spend(20), spend(20), left())), (Ok(()), Err(TooLarge::Work), 0));
            assert_eq!(left(), 70);
            assert_eq!(within(1000, left), 70);
        });
        assert_eq!(left(), u64::MAX);
        assert_eq!(within(10, || (for_all(|| spend(1 << 40)), left())), (Ok(()), 10));
    }
}
