//! Segments that are not literal.

use std::borrow::Cow;
use std::sync::Arc;

use smallvec::SmallVec;
use smol_str::SmolStr;

use super::answers::Answers;
use crate::rule::{Check, Shape, Simple, has_delimiters, marked, unmarked};
use crate::template::bytes::first_of;

/// The index of a pattern in its table.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct PatternId(pub(crate) u32);

/// Text and values in turn, within one segment.
#[derive(Debug)]
pub(crate) struct Pattern {
    pub(crate) pieces: Box<[Piece]>,
    /// Whether one of the values has items, so that a delimiter differs from the same character as text.
    is_marked: bool,
    cut: Cut,
}

/// How a segment is cut into its pieces.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Cut {
    /// By the automata of the values.
    Sought,
    /// Every value but the last ends where the first byte of the text after it stands, as its set has no such byte.
    AtByte,
    /// Every value is any text, and the last piece is one: each ends where the text after it first stands.
    AtText,
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

/// Where a segment has a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Affix {
    Start,
    End,
}

/// Where each piece of a segment starts and ends, in bytes of its decoded text.
pub(crate) type Split = SmallVec<[(usize, usize); 4]>;

impl Pattern {
    pub(crate) fn new(pieces: Vec<Piece>) -> Self {
        let is_marked = pieces.iter().filter_map(Piece::value).any(|check| check.join.is_some());
        let ends_at_byte = |pair: &[Piece]| match pair {
            [Piece::Value(check), Piece::Text(text)] => {
                let set = check.ruled_set();
                text.as_bytes().first().zip(set).is_some_and(|(&byte, set)| !set.uses(byte))
            }
            [Piece::Text(_), _] => true,
            _ => false,
        };
        let is_any = |piece: &Piece| piece.value().is_none_or(|check| check.ruled_set().is_none());
        let ends_at_text =
            |pair: &[Piece]| pair[0].value().is_none() || pair[1].text().is_some_and(|text| !text.is_empty());
        let ends_with_value = pieces.last().is_some_and(|piece| piece.value().is_some());
        let cut = match &*pieces {
            _ if is_marked => Cut::Sought,
            all if all.windows(2).all(ends_at_byte) => Cut::AtByte,
            all if ends_with_value && all.iter().all(is_any) && all.windows(2).all(ends_at_text) => Cut::AtText,
            _ => Cut::Sought,
        };
        Self { pieces: pieces.into(), is_marked, cut }
    }

    /// Whether it has text besides values that is more than dots.
    pub(crate) fn has_text(&self) -> bool {
        self.pieces.iter().filter_map(Piece::text).any(|text| text.bytes().any(|byte| byte != b'.'))
    }

    /// The text that all segments begin with, else the one that all end with.
    pub(crate) fn affix(&self) -> Option<(Affix, &str)> {
        let start = self.pieces.first().and_then(Piece::text).map(|text| (Affix::Start, text));
        start.or_else(|| Some((Affix::End, self.pieces.last()?.text()?)))
    }

    /// Whether a segment fits; it is given decoded and as it was sent.
    pub(crate) fn accepts_segment<'u>(&self, text: &str, raw: impl FnOnce() -> &'u str, answers: &dyn Answers) -> bool {
        if self.is_marked { self.accepts(&self.readable(text, raw()), answers) } else { self.accepts(text, answers) }
    }

    /// A segment in the form that the pattern reads: decoded, and with marks where it tells delimiters from text.
    pub(crate) fn readable<'t>(&self, text: &'t str, raw: &str) -> Cow<'t, str> {
        // What could not be decoded was refused before the lookup.
        if self.is_marked && has_delimiters(raw) {
            Cow::Owned(marked(raw).unwrap_or_default())
        } else {
            Cow::Borrowed(text)
        }
    }

    /// The code that judges a segment, where it is one value and there is code for its rule.
    pub(crate) fn simple(&self) -> Option<Simple> {
        match &*self.pieces {
            [Piece::Value(check)] if check.is_any() => Some(Simple::Any),
            [Piece::Value(check)] => check.simple(),
            _ => None,
        }
    }

    /// Whether a decoded segment fits.
    pub(crate) fn accepts(&self, text: &str, answers: &dyn Answers) -> bool {
        match &*self.pieces {
            [Piece::Value(check)] => !text.is_empty() && allows(check, text, answers),
            [Piece::Text(before), Piece::Value(check)] => {
                self.after(text, before).is_some_and(|value| !value.is_empty() && allows(check, value, answers))
            }
            [Piece::Value(check), Piece::Text(after)] => {
                self.before(text, after).is_some_and(|value| !value.is_empty() && allows(check, value, answers))
            }
            _ => self.split(text).is_some_and(|split| {
                self.pieces.iter().zip(split).all(|(piece, (start, end))| match piece {
                    Piece::Text(_) => true,
                    Piece::Value(check) => allows(check, &text[start..end], answers),
                })
            }),
        }
    }

    /// What follows a text.
    fn after<'t>(&self, text: &'t str, start: &str) -> Option<&'t str> {
        if !self.is_marked {
            return text.strip_prefix(start);
        }
        text.get(start.len()..).filter(|_| begins_with(text.as_bytes(), start))
    }

    /// What goes before a text.
    fn before<'t>(&self, text: &'t str, end: &str) -> Option<&'t str> {
        if !self.is_marked {
            return text.strip_suffix(end);
        }
        let at = text.len().checked_sub(end.len())?;
        text.get(..at).filter(|_| begins_with(&text.as_bytes()[at..], end))
    }

    /// The same form with any values in it.
    pub(crate) fn without_rules(&self) -> Self {
        let any = Arc::new(Check::any());
        let piece = |piece: &Piece| piece.map(|_| Arc::clone(&any));
        Self { pieces: self.pieces.iter().map(piece).collect(), is_marked: self.is_marked, cut: Cut::Sought }
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
                let value = self.after(text, before).filter(|value| check.fits_set(value))?;
                let cut = text.len() - value.len();
                return Some(SmallVec::from_slice(&[(0, cut), (cut, text.len())]));
            }
            [Piece::Value(check), Piece::Text(after)] => {
                let value = self.before(text, after).filter(|value| check.fits_set(value))?;
                return Some(SmallVec::from_slice(&[(0, value.len()), (value.len(), text.len())]));
            }
            _ if self.cut != Cut::Sought => return self.split_at_texts(text),
            _ if !self.has_texts(text) => return None,
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

impl Pattern {
    /// Whether the texts between the values are there, in their order. Most segments that do not fit lack one.
    fn has_texts(&self, text: &str) -> bool {
        let mut rest = text.as_bytes();
        self.pieces.iter().filter_map(Piece::text).all(|wanted| {
            let mut places = 0..(rest.len() + 1).saturating_sub(wanted.len());
            let found = places.find(|&at| begins_with(&rest[at..], wanted));
            rest = found.and_then(|at| rest.get(at + wanted.len()..)).unwrap_or_default();
            found.is_some()
        })
    }

    /// Reads a segment whose values end where the text after them begins.
    fn split_at_texts(&self, text: &str) -> Option<Split> {
        let mut split = Split::new();
        let mut at = 0;
        for (index, piece) in self.pieces.iter().enumerate() {
            let rest = text.get(at..)?;
            let length = self.length_of(index, rest)?;
            if piece.value().is_some_and(|check| !check.fits_set(&rest[..length])) {
                return None;
            }
            split.push((at, at + length));
            at += length;
        }
        (at == text.len()).then_some(split)
    }

    /// How long the piece of that number is, with which a text begins.
    fn length_of(&self, index: usize, text: &str) -> Option<usize> {
        match (self.pieces.get(index)?, self.pieces.get(index + 1)) {
            (Piece::Text(wanted), _) => text.starts_with(&**wanted).then_some(wanted.len()),
            (Piece::Value(_), None) => Some(text.len()),
            (Piece::Value(_), Some(next)) => {
                let (next, bytes) = (next.text()?.as_bytes(), text.as_bytes());
                let first = *next.first()?;
                // A value has one character at least.
                let mut at = first_of(bytes, 1, [first, first]);
                while self.cut == Cut::AtText && at < bytes.len() && !bytes[at..].starts_with(next) {
                    at = first_of(bytes, at + 1, [first, first]);
                }
                (at < bytes.len()).then_some(at)
            }
        }
    }
}

/// Whether a text, which may hold marks, begins with another, which holds none.
fn begins_with(text: &[u8], start: &str) -> bool {
    text.len() >= start.len()
        && text.iter().zip(start.as_bytes()).all(|(&one, &wanted)| one == wanted || unmarked(one) == wanted)
}

/// Whether a rule accepts a text, and the text or its items are in the live lists that the rule names.
pub(super) fn allows(check: &Check, value: &str, answers: &dyn Answers) -> bool {
    check.accepts(value)
        && match (&check.join, &check.list) {
            (_, None) => true,
            (None, Some(list)) => answers.is_listed(list, value),
            (Some(join), Some(_)) => are_listed(check, join.items(value).iter().map(String::as_str), answers),
        }
}

/// Whether the items are in the live lists that the rule names for them. For pairs they are names and values in turn.
pub(super) fn are_listed<'v>(check: &Check, items: impl Iterator<Item = &'v str>, answers: &dyn Answers) -> bool {
    let lists = check.list_of_items();
    let is_pairs = check.shape() == Shape::Pairs;
    items.enumerate().all(|(at, item)| {
        let list = if is_pairs { lists[at % 2] } else { lists[0] };
        list.is_none_or(|list| answers.is_listed(list, item))
    })
}

impl Piece {
    /// Where the piece can start, so that it ends at one of the good places.
    fn starts(&self, text: &str, good: &[bool]) -> Vec<bool> {
        let bytes = text.as_bytes();
        let mut starts = vec![false; good.len()];
        match self {
            Self::Text(wanted) => {
                for (at, start) in starts.iter_mut().enumerate() {
                    *start = begins_with(&bytes[at..], wanted) && good[at + wanted.len()];
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
                    let (mut alive, mut after) = (vec![false; set.states()], vec![false; set.states()]);
                    for at in (0..=bytes.len()).rev() {
                        std::mem::swap(&mut alive, &mut after);
                        for (state, is_alive) in (0..).zip(&mut alive) {
                            *is_alive = (set.is_final(state) && good[at])
                                || bytes.get(at).is_some_and(|&byte| after[set.step(state, byte) as usize]);
                        }
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
