//! Segments that are not literal.

use std::sync::Arc;

use smallvec::SmallVec;
use smol_str::SmolStr;

use super::answers::Answers;
use crate::rule::{Check, Simple};

/// The index of a pattern in its table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct PatternId(pub(crate) u32);

/// How a pattern is asked without looking at it: the commonest ones are told by a word.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Quick {
    /// Any value.
    Any,
    /// A value of a set for which there is code.
    Integer,
    Date,
    /// The pattern itself must be asked.
    Whole,
}

/// Text and values in turn, within one segment.
#[derive(Debug)]
pub(crate) struct Pattern {
    pub(crate) pieces: Box<[Piece]>,
}

/// A stretch of a segment.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) enum Piece<V = Arc<Check>> {
    Text(SmolStr),
    Value(V),
}

impl<V> Piece<V> {
    /// The text, where it is one.
    pub(crate) fn text(&self) -> Option<&str> {
        match self {
            Self::Text(text) => Some(text),
            Self::Value(_) => None,
        }
    }

    /// The value, where it is one.
    pub(crate) fn value(&self) -> Option<&V> {
        match self {
            Self::Text(_) => None,
            Self::Value(value) => Some(value),
        }
    }

    /// The same piece with another value.
    pub(crate) fn map<W>(&self, value: impl FnOnce(&V) -> W) -> Piece<W> {
        match self {
            Self::Text(text) => Piece::Text(text.clone()),
            Self::Value(own) => Piece::Value(value(own)),
        }
    }
}

/// Where each piece of a segment starts and ends, in bytes of its decoded text.
pub(crate) type Split = SmallVec<[(usize, usize); 4]>;

impl Pattern {
    /// How it is asked first.
    pub(crate) fn quick(&self) -> Quick {
        match &*self.pieces {
            [Piece::Value(check)] if check.is_any() => Quick::Any,
            [Piece::Value(check)] => match check.simple() {
                Some(Simple::Integer) => Quick::Integer,
                Some(Simple::Date) => Quick::Date,
                None => Quick::Whole,
            },
            _ => Quick::Whole,
        }
    }

    /// Does a decoded segment fit?
    pub(crate) fn accepts(&self, text: &str, answers: &dyn Answers) -> bool {
        match &*self.pieces {
            [Piece::Value(check)] => !text.is_empty() && allows(check, text, answers),
            [Piece::Text(before), Piece::Value(check)] => {
                text.strip_prefix(&**before).is_some_and(|value| !value.is_empty() && allows(check, value, answers))
            }
            [Piece::Value(check), Piece::Text(after)] => {
                text.strip_suffix(&**after).is_some_and(|value| !value.is_empty() && allows(check, value, answers))
            }
            _ => self.split(text).is_some_and(|split| {
                self.pieces.iter().zip(split).all(|(piece, (start, end))| match piece {
                    Piece::Text(_) => true,
                    Piece::Value(check) => allows(check, &text[start..end], answers),
                })
            }),
        }
    }

    /// The same form with any values in it.
    pub(crate) fn without_rules(&self) -> Self {
        let any = Arc::new(Check::any());
        let piece = |piece: &Piece| piece.map(|_| Arc::clone(&any));
        Self { pieces: self.pieces.iter().map(piece).collect() }
    }

    /// Reads a segment: of all ways in which every piece fits, the one whose first value is the shortest,
    /// then the second, and so on. Linear in the length of the text, for each state of the rules: first it
    /// finds from the right where the pieces that follow can begin, then it goes from the left.
    pub(crate) fn split(&self, text: &str) -> Option<Split> {
        let bytes = text.as_bytes();
        // Forms that can be read in one way only.
        match &*self.pieces {
            [Piece::Value(_)] => return Some(SmallVec::from_slice(&[(0, bytes.len())])),
            [Piece::Text(before), Piece::Value(check)] => {
                let value = text.strip_prefix(&**before).filter(|value| check.fits_set(value))?;
                let cut = text.len() - value.len();
                return Some(SmallVec::from_slice(&[(0, cut), (cut, text.len())]));
            }
            [Piece::Value(check), Piece::Text(after)] => {
                let value = text.strip_suffix(&**after).filter(|value| check.fits_set(value))?;
                return Some(SmallVec::from_slice(&[(0, value.len()), (value.len(), text.len())]));
            }
            _ => {}
        }
        // For each piece, where the text can be cut so that it and all that follow fit.
        let mut cuts: SmallVec<[Vec<bool>; 4]> = SmallVec::new();
        let mut good = vec![false; bytes.len() + 1];
        good[bytes.len()] = true;
        for piece in self.pieces.iter().rev() {
            let before = piece.starts(text, &good);
            cuts.push(std::mem::replace(&mut good, before));
        }
        if !good[0] {
            return None;
        }
        let mut split = Split::new();
        let mut at = 0;
        for (piece, ends) in self.pieces.iter().zip(cuts.iter().rev()) {
            let end = piece.shortest(bytes, at, ends)?;
            split.push((at, end));
            at = end;
        }
        Some(split)
    }
}

fn allows(check: &Check, value: &str, answers: &dyn Answers) -> bool {
    check.accepts(value) && check.list.as_ref().is_none_or(|list| answers.is_listed(list, value))
}

impl Piece {
    /// Where the piece can start, so that it ends at one of the good places.
    fn starts(&self, text: &str, good: &[bool]) -> Vec<bool> {
        let bytes = text.as_bytes();
        let mut starts = vec![false; good.len()];
        match self {
            Self::Text(wanted) => {
                for (at, start) in starts.iter_mut().enumerate() {
                    *start = bytes[at..].starts_with(wanted.as_bytes()) && good[at + wanted.len()];
                }
            }
            Self::Value(check) => match check.ruled_set() {
                None => {
                    let mut is_good_after = false;
                    for at in (0..bytes.len()).rev() {
                        is_good_after |= good[at + 1];
                        starts[at] = is_good_after && text.is_char_boundary(at);
                    }
                }
                Some(set) => {
                    // The states from which what follows leads to a good end, from the right to the left.
                    let mut alive = vec![false; set.states()];
                    for at in (0..=bytes.len()).rev() {
                        let byte = bytes.get(at);
                        let leads = |state: u32, alive: &[bool]| {
                            (set.is_final(state) && good[at])
                                || byte.is_some_and(|&byte| alive[set.step(state, byte) as usize])
                        };
                        let next: Vec<bool> = (0..).take(set.states()).map(|state| leads(state, &alive)).collect();
                        alive = next;
                        starts[at] = alive[set.start() as usize] && text.is_char_boundary(at);
                    }
                }
            },
        }
        starts
    }

    /// The first good place at which the piece can end that starts here.
    fn shortest(&self, bytes: &[u8], start: usize, good: &[bool]) -> Option<usize> {
        match self {
            Self::Text(wanted) => Some(start + wanted.len()),
            Self::Value(check) => match check.ruled_set() {
                None => (start + 1..=bytes.len()).find(|&end| good[end]),
                Some(set) => {
                    let mut state = set.start();
                    (start..bytes.len()).find_map(|at| {
                        state = set.step(state, bytes[at]);
                        (set.is_final(state) && good[at + 1]).then_some(at + 1)
                    })
                }
            },
        }
    }
}
