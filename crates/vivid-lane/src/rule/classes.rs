//! Which bytes automata tell apart.

use hashbrown::HashMap;

use super::mark::MARKS;

/// All bytes in the order in which they read best, so that witnesses do.
const READABLE_FIRST: [u8; 256] = {
    // Letters and digits, other unreserved characters, all else, and the marks that stand for characters at last.
    const fn rank(byte: u8) -> u8 {
        match byte {
            b'a'..=b'z' => 0,
            b'0'..=b'9' => 1,
            b'A'..=b'Z' => 2,
            b'-' => 3,
            b'_' => 4,
            b'.' => 5,
            b'~' => 6,
            _ => {
                let mut at = 0;
                while at < MARKS.len() {
                    if MARKS[at].0 == byte {
                        return 8;
                    }
                    at += 1;
                }
                7
            }
        }
    }
    let (mut order, mut count, mut wanted) = ([0; 256], 0, 0);
    while wanted <= 8 {
        let mut byte = 0;
        while byte < 256 {
            if rank(byte as u8) == wanted {
                order[count] = byte as u8;
                count += 1;
            }
            byte += 1;
        }
        wanted += 1;
    }
    order
};

/// Which bytes an automaton tells apart: byte → class.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Classes {
    pub(super) of: [u8; 256],
    /// One byte of each class, a readable one where there is one.
    pub(super) representatives: Vec<u8>,
}

impl Classes {
    /// The coarsest classes that tell apart what `key` tells apart.
    ///
    /// Keys are numbers, and the function is no type parameter, so that all callers share one copy of this code.
    pub(crate) fn by(key: &dyn Fn(u8) -> u32) -> Self {
        let mut ids: HashMap<u32, u8> = HashMap::new();
        // Neighbours are mostly alike.
        let mut last = None;
        Self::numbered(&mut |byte, fresh| {
            let key = key(byte);
            let id = match last {
                Some((known, id)) if known == key => id,
                _ => *ids.entry(key).or_insert(fresh),
            };
            last = Some((key, id));
            id
        })
    }

    /// Classes by their numbers: `number` is given each byte, in the order in which they read best, and the number of a new class.
    fn numbered(number: &mut dyn FnMut(u8, u8) -> u8) -> Self {
        let mut of = [0; 256];
        let mut representatives = Vec::new();
        for byte in READABLE_FIRST {
            // There are at most 256 classes, so the last has the number 255.
            let fresh = u8::try_from(representatives.len()).unwrap_or(u8::MAX);
            let id = number(byte, fresh);
            if usize::from(id) == representatives.len() {
                representatives.push(byte);
            }
            of[usize::from(byte)] = id;
        }
        Self { of, representatives }
    }

    /// Classes that tell apart what either does.
    pub(super) fn and(&self, other: &Self) -> Self {
        let columns = other.count();
        let mut ids: Vec<Option<u8>> = vec![None; self.count() * columns];
        Self::numbered(&mut |byte, fresh| {
            let place = usize::from(self.class(byte)) * columns + usize::from(other.class(byte));
            *ids[place].get_or_insert(fresh)
        })
    }

    /// A class for each byte of some, and one for all others.
    pub(crate) fn of_bytes(own: &dyn Fn(u8) -> bool) -> Self {
        Self::by(&|byte| if own(byte) { u32::from(byte) } else { 256 })
    }

    pub(super) fn class(&self, byte: u8) -> u8 {
        self.of[usize::from(byte)]
    }

    /// One byte of each class.
    pub(crate) fn representatives(&self) -> impl Iterator<Item = u8> {
        self.representatives.iter().copied()
    }

    pub(super) fn count(&self) -> usize {
        self.representatives.len()
    }
}

/// One key of a class and something else.
pub(super) fn pair(class: u8, other: u32) -> u32 {
    other << 8 | u32::from(class)
}
