//! Sets of texts that are made of parts: literal bytes, values, repeated segments.

use std::sync::Arc;

use super::classes::{Classes, pair};
use super::dfa::{Dfa, TooLarge};
use super::mark::unmarked;
use super::work;

/// What stands between two segments of a path, where whole paths are compared. No value holds it, for it is
/// no byte of UTF-8; a slash would not do, because a value may hold an escaped one.
pub(crate) const SEPARATOR: u8 = 0xFF;

/// A part of a text.
#[derive(Debug, Clone)]
pub(crate) enum Atom {
    /// This byte, or its mark.
    Byte(u8),
    /// A text of that set.
    Value(Arc<Dfa>),
    /// So many texts of that set, each after that byte, such as a [`SEPARATOR`].
    Repeat { lead: u8, item: Arc<Dfa>, min: u16, max: u16 },
}

/// A place in one of the alternatives: which, at which atom, in which state of its set, after how many items.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct At {
    alternative: u32,
    atom: u32,
    inner: u32,
    count: u16,
}

/// Between two items of a repetition.
const BETWEEN: u32 = u32::MAX;

/// The texts that are made of the atoms of one of the alternatives, in their order.
pub(crate) fn sequence(alternatives: &[Vec<Atom>]) -> Result<Dfa, TooLarge> {
    let mut automata: Vec<&Dfa> = Vec::new();
    let mut bytes = [false; 256];
    for atom in alternatives.iter().flatten() {
        match atom {
            Atom::Byte(byte) => bytes[usize::from(*byte)] = true,
            Atom::Value(set) => automata.push(set),
            Atom::Repeat { lead, item, .. } => {
                bytes[usize::from(*lead)] = true;
                automata.push(item);
            }
        }
    }
    automata.sort_unstable_by_key(|set| std::ptr::from_ref::<Dfa>(set).addr());
    automata.dedup_by_key(|set| std::ptr::from_ref::<Dfa>(set).addr());
    let values = Classes::of_all(automata);
    let classes =
        Classes::by(&|byte| pair(values.class(byte), if is_wanted(&bytes, byte) { u32::from(byte) } else { 256 }));

    let machine = Machine { alternatives };
    let mut start = Vec::new();
    for alternative in 0..u32::try_from(alternatives.len()).map_err(|_| TooLarge::States)? {
        machine.enter(alternative, 0, &mut start);
    }
    start.sort_unstable();
    let step = |places: &Vec<At>, byte| {
        // What there is no allowance for is noticed with the next state.
        work::spend(places.len()).ok()?;
        machine.step(places, byte)
    };
    let set = Dfa::explore(classes, start, &step, &|places| machine.is_end(places))?;
    work::spend(1).map(|()| set)
}

/// Whether a byte is one of those that stand for themselves, or the mark of one.
fn is_wanted(bytes: &[bool; 256], byte: u8) -> bool {
    bytes[usize::from(byte)] || bytes[usize::from(unmarked(byte))]
}

/// Whether a byte is the wanted one, or its mark.
fn is_it(byte: u8, wanted: u8) -> bool {
    byte == wanted || unmarked(byte) == wanted
}

struct Machine<'a> {
    alternatives: &'a [Vec<Atom>],
}

impl Machine<'_> {
    fn atom(&self, alternative: u32, atom: u32) -> Option<&Atom> {
        self.alternatives[alternative as usize].get(atom as usize)
    }

    /// Adds the beginning of an atom; past the last one, the end.
    fn enter(&self, alternative: u32, atom: u32, places: &mut Vec<At>) {
        match self.atom(alternative, atom) {
            Some(Atom::Repeat { .. }) => self.between(At { alternative, atom, inner: BETWEEN, count: 0 }, places),
            Some(Atom::Value(set)) => places.push(At { alternative, atom, inner: set.start(), count: 0 }),
            Some(Atom::Byte(_)) | None => places.push(At { alternative, atom, inner: 0, count: 0 }),
        }
    }

    fn between(&self, at: At, places: &mut Vec<At>) {
        places.push(at);
        if let Some(Atom::Repeat { min, .. }) = self.atom(at.alternative, at.atom)
            && at.count >= *min
        {
            self.enter(at.alternative, at.atom + 1, places);
        }
    }

    fn step(&self, places: &Vec<At>, byte: u8) -> Option<Vec<At>> {
        let mut next = Vec::with_capacity(places.len());
        for &at in places {
            match self.atom(at.alternative, at.atom) {
                Some(Atom::Byte(wanted)) if is_it(byte, *wanted) => self.enter(at.alternative, at.atom + 1, &mut next),
                Some(Atom::Value(set)) => {
                    let inner = set.step(at.inner, byte);
                    if !Dfa::is_dead(inner) {
                        next.push(At { inner, ..at });
                        if set.is_final(inner) {
                            self.enter(at.alternative, at.atom + 1, &mut next);
                        }
                    }
                }
                Some(Atom::Repeat { lead, item, max, .. }) if at.inner == BETWEEN => {
                    if is_it(byte, *lead) && at.count < *max {
                        next.push(At { inner: item.start(), ..at });
                    }
                }
                Some(Atom::Repeat { item, min, max, .. }) => {
                    let inner = item.step(at.inner, byte);
                    if !Dfa::is_dead(inner) {
                        next.push(At { inner, ..at });
                        if item.is_final(inner) {
                            // Without an upper bound, what is over the lower one need not be counted.
                            let most = if *max == u16::MAX { *min } else { *max };
                            self.between(At { inner: BETWEEN, count: (at.count + 1).min(most), ..at }, &mut next);
                        }
                    }
                }
                Some(Atom::Byte(_)) | None => {}
            }
        }
        next.sort_unstable();
        next.dedup();
        (!next.is_empty()).then_some(next)
    }

    fn is_end(&self, places: &[At]) -> bool {
        places.iter().any(|at| self.atom(at.alternative, at.atom).is_none())
    }
}
