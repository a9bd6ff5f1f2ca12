//! What a link is given.
//!
//! Most links are given a few short texts. They are kept one after the other, so that a link takes two allocations: one for
//! them, and its URL.

use std::borrow::Cow;

use crate::lookup::Param;
use crate::template::Value;

/// A value that is handed to a link: a text, which may be borrowed, or any other [`Value`].
///
/// # Example
/// ```
/// use vivid_lane::{Table, Value};
///
/// let table = Table::from_toml("[routes.files]\npath = '/files{/path*}{?page}'\npage = 'files'")?;
/// let link = table.link("files").set("path", vec!["a", "b"]).set("page", 2);
/// assert_eq!(link.to_url()?, "/files/a/b?page=2");
/// assert_eq!(link.set("page", Value::from("3")).to_url()?, "/files/a/b?page=3");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkValue<'v> {
    kind: Problem<'v>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Problem<'v> {
    Text(Cow<'v, str>),
    Other(Value),
}

impl LinkValue<'_> {
    /// The text, where the value is one.
    pub(super) fn as_text(&self) -> Option<&str> {
        match &self.kind {
            Problem::Text(text) => Some(text),
            Problem::Other(value) => value.as_text(),
        }
    }

    pub(super) fn into_value(self) -> Value {
        match self.kind {
            Problem::Text(text) => Value::Text(text.into_owned()),
            Problem::Other(value) => value,
        }
    }
}

impl<'v> From<&'v str> for LinkValue<'v> {
    fn from(text: &'v str) -> Self {
        Self { kind: Problem::Text(Cow::Borrowed(text)) }
    }
}

impl<'v> From<&'v String> for LinkValue<'v> {
    fn from(text: &'v String) -> Self {
        Self::from(text.as_str())
    }
}

impl<'v> From<Cow<'v, str>> for LinkValue<'v> {
    fn from(text: Cow<'v, str>) -> Self {
        Self { kind: Problem::Text(text) }
    }
}

impl From<String> for LinkValue<'_> {
    fn from(text: String) -> Self {
        Self { kind: Problem::Text(Cow::Owned(text)) }
    }
}

impl From<Value> for LinkValue<'_> {
    fn from(value: Value) -> Self {
        Self { kind: Problem::Other(value) }
    }
}

impl<T: Into<String>> From<Vec<T>> for LinkValue<'_> {
    fn from(items: Vec<T>) -> Self {
        Value::from(items).into()
    }
}

macro_rules! from_plain {
    ($($plain:ty),*) => {$(
        impl From<$plain> for LinkValue<'_> {
            fn from(value: $plain) -> Self {
                Value::from(value).into()
            }
        }
    )*};
}
from_plain!(bool, i8, i16, i32, i64, isize, u8, u16, u32, u64, usize);

/// How many bytes there is room for at first: more than the values of most links have.
const ROOM: usize = 64;
/// How many texts there is room for.
const MOST: usize = 8;

/// InlineValues for parameters of one route, one after the other.
#[derive(Debug, Clone, Default)]
pub(super) struct InlineValues {
    /// The texts, one after the other.
    buffer: String,
    /// The parameters by their index, and where the text of each ends.
    ends: [(u16, u16); MOST],
    count: usize,
}

impl InlineValues {
    pub(super) fn len(&self) -> usize {
        self.count
    }

    pub(super) fn is_empty(&self) -> bool {
        self.count == 0
    }

    fn ends(&self) -> &[(u16, u16)] {
        self.ends.get(..self.count).unwrap_or_default()
    }

    /// Adds the text of a parameter that has none; `false` where it is not one of these, or has one, and where there is no
    /// room.
    pub(super) fn push(&mut self, params: &[Param], name: &str, text: &str) -> bool {
        // Most are given in their order.
        let next = self.count;
        let is_next = params.get(next).is_some_and(|param| *param.name == *name);
        let found = if is_next { Some(next) } else { params.iter().position(|param| *param.name == *name) };
        let Some(index) = found else { return false };
        let (Ok(index), Ok(end)) = (u16::try_from(index), u16::try_from(self.buffer.len() + text.len())) else {
            return false;
        };
        if self.ends().iter().any(|(known, _)| *known == index) {
            return false;
        }
        let Some(place) = self.ends.get_mut(next) else { return false };
        *place = (index, end);
        self.count += 1;
        if self.buffer.capacity() == 0 {
            self.buffer.reserve(ROOM.max(text.len()));
        }
        self.buffer.push_str(text);
        true
    }

    /// Indices of parameters and their texts, in the order in which they were given.
    pub(super) fn iter(&self) -> impl Iterator<Item = (usize, &str)> {
        let mut start = 0;
        self.ends().iter().map(move |&(index, end)| {
            let text = &self.buffer[start..usize::from(end)];
            start = usize::from(end);
            (usize::from(index), text)
        })
    }

    /// How many bytes all texts have.
    pub(super) fn bytes(&self) -> usize {
        self.buffer.len()
    }

    /// The text of the parameter with that index.
    pub(super) fn at(&self, index: usize) -> Option<&str> {
        let ends = self.ends();
        let is_it = |(param, _): &(u16, u16)| usize::from(*param) == index;
        let place = match ends.get(index) {
            Some(end) if is_it(end) => index,
            _ => ends.iter().position(is_it)?,
        };
        let start = place.checked_sub(1).map_or(0, |before| usize::from(ends[before].1));
        self.buffer.get(start..usize::from(ends[place].1))
    }

    /// The text of the parameter of that name.
    pub(super) fn get(&self, params: &[Param], name: &str) -> Option<&str> {
        self.iter().find(|(index, _)| *params[*index].name == *name).map(|(_, text)| text)
    }
}
