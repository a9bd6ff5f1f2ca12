//! What a link is given.
//!
//! Most links are given a few texts. They are kept in the link itself, borrowed, so that it takes one allocation: its URL.

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
    kind: Form<'v>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Form<'v> {
    Text(Cow<'v, str>),
    Other(Value),
}

impl<'v> LinkValue<'v> {
    /// The text, where the value is one.
    #[inline]
    pub(super) fn into_text(self) -> Result<Cow<'v, str>, Value> {
        match self.kind {
            Form::Text(text) => Ok(text),
            Form::Other(Value::Text(text)) => Ok(Cow::Owned(text)),
            Form::Other(value) => Err(value),
        }
    }
}

impl<'v> From<&'v str> for LinkValue<'v> {
    fn from(text: &'v str) -> Self {
        Self { kind: Form::Text(Cow::Borrowed(text)) }
    }
}

impl<'v> From<&'v String> for LinkValue<'v> {
    fn from(text: &'v String) -> Self {
        Self::from(text.as_str())
    }
}

impl<'v> From<Cow<'v, str>> for LinkValue<'v> {
    fn from(text: Cow<'v, str>) -> Self {
        Self { kind: Form::Text(text) }
    }
}

impl From<String> for LinkValue<'_> {
    fn from(text: String) -> Self {
        Self { kind: Form::Text(Cow::Owned(text)) }
    }
}

impl From<Value> for LinkValue<'_> {
    fn from(value: Value) -> Self {
        Self { kind: Form::Other(value) }
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

/// How many texts there is room for.
const MOST: usize = 4;

/// A few texts for parameters of one route, borrowed from whoever gave them where they can be.
#[derive(Debug, Clone)]
pub(super) struct InlineValues<'v> {
    texts: [Cow<'v, str>; MOST],
    /// The parameters by their index, in the order in which the texts were given.
    params: [u16; MOST],
    count: u16,
    /// Whether the texts of the first parameters were given, in their order.
    is_in_order: bool,
}

impl Default for InlineValues<'_> {
    fn default() -> Self {
        Self { texts: [const { Cow::Borrowed("") }; MOST], params: [0; MOST], count: 0, is_in_order: true }
    }
}

impl<'v> InlineValues<'v> {
    pub(super) fn len(&self) -> usize {
        usize::from(self.count)
    }

    pub(super) fn is_empty(&self) -> bool {
        self.count == 0
    }

    fn params(&self) -> &[u16] {
        self.params.get(..self.len()).unwrap_or_default()
    }

    /// Adds the text of a parameter that has none. It is given back where the parameter is not one of these, or has one, and where
    /// there is no room.
    #[inline]
    pub(super) fn push(&mut self, params: &[Param], name: &str, text: Cow<'v, str>) -> Result<(), Cow<'v, str>> {
        let next = self.len();
        // Most are given in their order.
        let is_next = self.is_in_order && params.get(next).is_some_and(|param| *param.name == *name);
        let index = if is_next {
            next
        } else {
            let Some(index) = params.iter().position(|param| *param.name == *name) else { return Err(text) };
            if self.params().iter().any(|known| usize::from(*known) == index) {
                return Err(text);
            }
            index
        };
        let Ok(number) = u16::try_from(index) else { return Err(text) };
        let (Some(place), Some(param)) = (self.texts.get_mut(next), self.params.get_mut(next)) else {
            return Err(text);
        };
        (*place, *param) = (text, number);
        self.count += 1;
        self.is_in_order = is_next;
        Ok(())
    }

    /// Indices of parameters and their texts, in the order in which they were given.
    pub(super) fn iter(&self) -> impl Iterator<Item = (usize, &str)> {
        self.params().iter().zip(&self.texts).map(|(&index, text)| (usize::from(index), &**text))
    }

    /// How many bytes all texts have.
    pub(super) fn bytes(&self) -> usize {
        self.texts.iter().map(|text| text.len()).sum()
    }

    /// The text of the parameter with that index.
    #[inline]
    pub(super) fn at(&self, index: usize) -> Option<&str> {
        let place = if self.is_in_order {
            index
        } else {
            self.params().iter().position(|param| usize::from(*param) == index)?
        };
        if place < self.len() { self.texts.get(place).map(|text| &**text) } else { None }
    }

    /// The text of the parameter of that name.
    pub(super) fn get(&self, params: &[Param], name: &str) -> Option<&str> {
        self.iter().find(|(index, _)| *params[*index].name == *name).map(|(_, text)| text)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use crate::{RouteSpec, TableSpec};

    proptest! {
        /// However long texts are and in whatever order they come, each stands in its place.
        #[test]
        fn texts_stand_in_their_places(texts in prop::collection::vec("[a-zé]{1,40}", 6), order in Just([0, 1, 2, 3, 4, 5]).prop_shuffle()) {
            let route = RouteSpec::new("r").path("/{p0}/{p1}/{p2}/{p3}/{p4}/{p5}").page("r");
            let table = TableSpec::new().route(route).build().unwrap();
            let link = order.iter().fold(table.link("r"), |link, &at| link.set(format!("p{at}"), &texts[at]));
            let url = link.to_url().unwrap();
            let found = table.find(&url).unwrap();
            let read: Vec<String> = found.texts().map(|(_, text)| text.into_owned()).collect();
            prop_assert_eq!(read, texts);
        }
    }
}
