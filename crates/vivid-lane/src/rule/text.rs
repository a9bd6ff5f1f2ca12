//! The set of all values: what a segment can carry at all.

use std::sync::{Arc, LazyLock};

use super::classes::Classes;
use super::dfa::Dfa;
use super::work;

/// Where a byte stands in a UTF-8 text (RFC 3629, section 4).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Utf8 {
    Start,
    Whole,
    /// This many continuation bytes to come.
    Tail(u8),
    /// One continuation byte of that range, then this many.
    Ranged(u8, u8, u8),
}

impl Utf8 {
    fn step(self, byte: u8) -> Option<Self> {
        let after = |count| if count == 0 { Self::Whole } else { Self::Tail(count) };
        match self {
            Self::Start | Self::Whole => Some(match byte {
                0x20..=0x7E => Self::Whole,
                0xC2..=0xDF => Self::Tail(1),
                0xE0 => Self::Ranged(0xA0, 0xBF, 1),
                0xE1..=0xEC | 0xEE..=0xEF => Self::Tail(2),
                0xED => Self::Ranged(0x80, 0x9F, 1),
                0xF0 => Self::Ranged(0x90, 0xBF, 2),
                0xF1..=0xF3 => Self::Tail(3),
                0xF4 => Self::Ranged(0x80, 0x8F, 2),
                _ => return None,
            }),
            Self::Tail(count) => (0x80..=0xBF).contains(&byte).then(|| after(count - 1)),
            Self::Ranged(low, high, count) => (low..=high).contains(&byte).then(|| after(count)),
        }
    }
}

/// Every value: at least one character, none of them a control character.
pub(crate) static TEXT: LazyLock<Arc<Dfa>> = LazyLock::new(|| {
    // What `step` tells apart.
    let classes = Classes::by(&|byte| match byte {
        0x20..=0x7E => 1,
        0x80..=0x8F => 2,
        0x90..=0x9F => 3,
        0xA0..=0xBF => 4,
        0xC2..=0xDF => 5,
        0xE0 => 6,
        0xED => 7,
        0xE1..=0xEF => 8,
        0xF0 => 9,
        0xF1..=0xF3 => 10,
        0xF4 => 11,
        _ => 0,
    });
    let text = work::for_all(|| {
        Dfa::explore(classes, Utf8::Start, &|&state, byte| state.step(byte), &|&state| state == Utf8::Whole)
    });
    Arc::new(text.unwrap_or_else(|_| unreachable!("so few states are not too many")).with_marks())
});

/// Every value, an empty one too.
pub(crate) static ANYTHING: LazyLock<Arc<Dfa>> = LazyLock::new(|| {
    let all = work::for_all(|| TEXT.with_empty());
    Arc::new(all.unwrap_or_else(|_| unreachable!("so few states are not too many")))
});
