//! What a link is given.
//!
//! Most links are given a few texts. They are kept in the link itself, borrowed, so that it takes one allocation: its URL.

use std::borrow::Cow;

use crate::lookup::Param;
use crate::template::Value;
use crate::template::bytes::Brief;

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

/// The texts of the first parameters of a route, each in its place.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct InlineValues<'v> {
    /// Empty for one that is owned.
    texts: [&'v str; MOST],
    /// A bit for each that is given.
    given: u8,
}

/// Texts that had to be taken over, in the same places.
pub(super) type OwnedTexts = [String; MOST];

impl<'v> InlineValues<'v> {
    pub(super) fn is_empty(&self) -> bool {
        self.given == 0
    }

    /// The place of a parameter, if there is room for it.
    #[inline]
    pub(super) fn place(&self, params: &[Param], name: &str) -> Option<usize> {
        let brief = Brief::of(name);
        let is_same = |param: &Param| param.brief_name == brief && (brief.is_whole() || *param.name == *name);
        params.iter().take(MOST).position(is_same)
    }

    /// The next place that is empty, if a parameter is the one that it is for.
    #[inline]
    pub(super) fn next_place(&self, params: &[Param], name: &str) -> Option<usize> {
        let (next, brief) = (self.given.trailing_ones() as usize, Brief::of(name));
        let is_it = next < MOST && brief.is_whole() && params.get(next)?.brief_name == brief;
        is_it.then_some(next)
    }

    /// Puts a text into a place, and forgets the one that was there.
    #[inline]
    pub(super) fn put(&mut self, place: usize, text: &'v str) {
        if let Some(slot) = self.texts.get_mut(place) {
            *slot = text;
            self.given |= 1 << place;
        }
    }

    /// The same with those that are owned.
    pub(super) fn with<'a>(&'a self, owned: &'a OwnedTexts) -> InlineValues<'a> {
        let mut all: InlineValues<'a> = *self;
        for (text, owned) in all.texts.iter_mut().zip(owned).filter(|(text, _)| text.is_empty()) {
            *text = owned;
        }
        all
    }

    /// The text of a place.
    #[inline]
    pub(super) fn at(&self, place: usize) -> Option<&'v str> {
        let text = *self.texts.get(place)?;
        if self.given >> place & 1 != 0 { Some(text) } else { None }
    }

    /// Places and their texts.
    pub(super) fn iter(&self) -> impl Iterator<Item = (usize, &'v str)> {
        (0..MOST).filter_map(|place| Some((place, self.at(place)?)))
    }

    /// All texts, where these parameters have one each.
    #[inline]
    pub(super) fn all_of(&self, params: &[Param]) -> Option<&[&'v str]> {
        let texts = self.texts.get(..params.len())?;
        if usize::from(self.given) == (1 << texts.len()) - 1 { Some(texts) } else { None }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use crate::{RouteSpec, TableSpec};

    proptest! {
        /// However long texts are, in whatever order they come, borrowed or not, and whatever was there before: each stands in
        /// its place.
        #[test]
        fn texts_stand_in_their_places(
            texts in prop::collection::vec("[a-zé]{1,40}", 6),
            count in 1..=6_usize,
            given in prop::collection::vec((0..6_usize, "[a-z]{0,9}", any::<bool>()), 0..6),
            order in prop_oneof![Just([0, 1, 2, 3, 4, 5]), Just([0, 1, 2, 3, 4, 5]).prop_shuffle()],
            is_owned in prop_oneof![Just([false; 6]), prop::array::uniform6(any::<bool>())],
        ) {
            let path: String = (0..count).map(|at| format!("/{{p{at}}}")).collect();
            let table = TableSpec::new().route(RouteSpec::new("r").path(path).page("r")).build().unwrap();
            let given = given.iter().filter(|(at, ..)| *at < count).map(|(at, text, is_owned)| (*at, text, *is_owned));
            let last = order.iter().filter(|at| **at < count).map(|&at| (at, &texts[at], is_owned[at]));
            let link = given.chain(last).fold(table.link("r"), |link, (at, text, is_owned)| match is_owned {
                true => link.set(format!("p{at}"), text.clone()),
                false => link.set(format!("p{at}"), text),
            });
            let url = link.to_url().unwrap();
            let found = table.find(&url).unwrap();
            let read: Vec<String> = found.texts().map(|(_, text)| text.into_owned()).collect();
            prop_assert_eq!(&read, &texts[..count]);
        }
    }
}
