//! How the items of a list, or the names and values of pairs, stand one after the other in a URL (RFC 6570, section 3.2.1).
//!
//! | template | value | in the URL |
//! | --- | --- | --- |
//! | `{tags}`, `{?tags}` | a list | `a,b` |
//! | `{.tags*}` | a list | `.a.b` |
//! | `{;tags*}` | a list | `;tags=a;tags=b` |
//! | `{keys}` | pairs | `x,1,y,2` |
//! | `{keys*}` | pairs | `x=1,y=2` |
//!
//! A [`Join`] says where such a text is cut, and makes the set of all such texts from the sets of items, names and values. A
//! delimiter parts items only where it is not escaped, so both work on [marked](super::mark) text. `{+tags}` escapes nothing, so
//! there each comma parts two items. Cutting is linear.

use std::sync::Arc;

use super::mark::{COMMA, EQUALS, MARKS, SEMICOLON, plain};
use super::{Atom, Check, Dfa, Many, Shape, TooLarge, sequence};

/// What stands between two items.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) enum Separator {
    /// A comma that is not escaped.
    Comma,
    /// Any comma.
    AnyComma,
    Dot,
    /// A semicolon that is not escaped, and for the items of a list this name and an equals sign.
    Semicolon(Box<str>),
    /// Nothing stands after the one item: a segment of several.
    End,
}

/// How items stand one after the other.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) struct Join {
    pub(crate) separator: Separator,
    /// Whether an equals sign stands between names and values, and no separator.
    pub(crate) is_named: bool,
    pub(crate) shape: Shape,
}

impl Join {
    /// The items of a text, marked; for pairs names and values in turn. What cannot be cut into pairs gives a list of odd length.
    fn cut<'t>(&self, text: &'t str) -> Vec<&'t str> {
        let is_mark = |mark: u8| char::from(mark);
        let mut items: Vec<&str> = match &self.separator {
            Separator::End => vec![text],
            Separator::Comma => text.split(is_mark(COMMA)).collect(),
            Separator::AnyComma => text.split([is_mark(COMMA), ',']).collect(),
            Separator::Dot => text.split('.').collect(),
            Separator::Semicolon(name) => {
                let after = |item: &'t str| match self.shape {
                    Shape::List => item.strip_prefix(&**name).and_then(|item| item.strip_prefix(is_mark(EQUALS))),
                    _ => Some(item),
                };
                // The first item has its name before it already.
                let later = text.split(is_mark(SEMICOLON)).enumerate();
                later.map(|(at, item)| if at == 0 { item } else { after(item).unwrap_or(item) }).collect()
            }
        };
        if self.shape == Shape::Pairs && self.is_named {
            items = items
                .into_iter()
                .flat_map(|item| match item.split_once(|c| c == is_mark(EQUALS) || (c == '=' && self.is_raw())) {
                    Some((name, value)) => vec![name, value],
                    None => vec![item],
                })
                .collect();
        }
        items
    }

    /// The items of a marked text, plain; for pairs names and values in turn.
    pub(crate) fn items(&self, text: &str) -> Vec<String> {
        self.cut(text).into_iter().map(plain).collect()
    }

    /// The set of all texts of so many items.
    pub(crate) fn set(&self, values: &Many) -> Result<Dfa, TooLarge> {
        let item = match values {
            Many::One => return Dfa::words([]),
            Many::List { items, .. } => self.part(&items.set())?,
            Many::Pairs { names, values, .. } => {
                let name = match (self.part(&names.set())?, self.is_named) {
                    (name, true) if self.is_raw() => name.and(&without_byte(b'=')?)?,
                    (name, true) => name.without_mark(EQUALS),
                    (name, false) => name,
                };
                let between = match (self.is_named, &self.separator) {
                    (true, _) if self.is_raw() => b'=',
                    (true, _) => EQUALS,
                    (false, Separator::AnyComma) => b',',
                    (false, _) => COMMA,
                };
                let value = self.part(&values.set())?;
                sequence(&[vec![Atom::Value(Arc::new(name)), Atom::Byte(between), Atom::Value(Arc::new(value))]])?
            }
        };
        let (least, most) = values.count();
        let (lead, after) = match &self.separator {
            Separator::End => return Ok(item),
            Separator::Comma => (COMMA, None),
            Separator::AnyComma => (b',', None),
            Separator::Dot => (b'.', None),
            Separator::Semicolon(name) => (SEMICOLON, Some(name).filter(|_| self.shape == Shape::List)),
        };
        let item = Arc::new(item);
        let later = match after {
            None => Arc::clone(&item),
            Some(name) => {
                let mut atoms: Vec<Atom> = name.bytes().map(Atom::Byte).collect();
                atoms.extend([Atom::Byte(EQUALS), Atom::Value(Arc::clone(&item))]);
                Arc::new(sequence(&[atoms])?)
            }
        };
        let more = Atom::Repeat {
            lead,
            item: later,
            min: least.saturating_sub(1),
            max: if most == u16::MAX { most } else { most.saturating_sub(1) },
        };
        Ok(sequence(&[vec![Atom::Value(item), more]])?.minimised())
    }

    /// Whether nothing is escaped, so that a delimiter is one however it is written.
    fn is_raw(&self) -> bool {
        self.separator == Separator::AnyComma
    }

    /// What of a set can be an item: what holds no separator.
    fn part(&self, set: &Dfa) -> Result<Dfa, TooLarge> {
        Ok(match &self.separator {
            Separator::End => set.clone(),
            Separator::Comma => set.without_mark(COMMA),
            Separator::AnyComma => set.and(&without_byte(b',')?)?,
            Separator::Dot => set.and(&without_byte(b'.')?)?,
            Separator::Semicolon(_) => set.without_mark(SEMICOLON),
        })
    }
}

/// All texts without a byte, marked or not.
fn without_byte(byte: u8) -> Result<Dfa, TooLarge> {
    let is_it = |one: u8| one == byte || MARKS.contains(&(one, byte));
    let classes = super::Classes::by(&|one| u32::from(is_it(one)));
    Dfa::explore(classes, (), &|(), one| (!is_it(one)).then_some(()), &|()| true)
}

impl Check {
    /// The rule of the text that a list or pairs are written as.
    pub(crate) fn joined(base: &Self, join: Join) -> Result<Self, TooLarge> {
        let set = Arc::new(join.set(&base.values)?);
        let (first, second) = match &base.values {
            Many::One => (None, None),
            Many::List { items, .. } => (Some(items), None),
            Many::Pairs { names, values, .. } => (Some(names), Some(values)),
        };
        let list = [first, second].into_iter().flatten().find_map(|rule| rule.list.clone());
        Ok(Self {
            test: super::ValueTest::Automaton(Arc::clone(&set)),
            set: Some(set),
            list,
            // A segment is one of them, and how many there are is another matter.
            values: if join.separator == Separator::End { base.values.of_any_number() } else { base.values.clone() },
            join: Some(join),
            label: base.label.clone(),
            declared: base.declared.clone(),
            ..Self::any()
        })
    }
}
