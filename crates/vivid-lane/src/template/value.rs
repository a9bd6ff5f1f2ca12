//! The values that a template is expanded with.

/// One value: a text, a list of texts, or a list of pairs (RFC 6570, section 2.3).
///
/// # Example
/// ```
/// use vivid_lane::Value;
///
/// assert_eq!(Value::from("moon"), Value::Text("moon".into()));
/// assert_eq!(Value::from(7), Value::Text("7".into()));
/// assert_eq!(Value::from(vec!["a", "b"]), Value::List(vec!["a".into(), "b".into()]));
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Value {
    /// One text.
    Text(String),
    /// An ordered list of texts; an empty one counts as undefined.
    List(Vec<String>),
    /// An ordered list of names and texts; an empty one counts as undefined.
    Pairs(Vec<(String, String)>),
}

impl Value {
    /// A list of pairs.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::template::{Template, Values};
    /// use vivid_lane::Value;
    ///
    /// let filter = Value::pairs([("colour", "red"), ("year", "2031")]);
    /// let url = Template::parse("/plates{?filter*}")?.expand(&Values::new().set("filter", filter));
    /// assert_eq!(url, "/plates?colour=red&year=2031");
    /// # Ok::<(), vivid_lane::template::TemplateError>(())
    /// ```
    pub fn pairs<N: Into<String>, T: Into<String>>(pairs: impl IntoIterator<Item = (N, T)>) -> Self {
        Self::Pairs(pairs.into_iter().map(|(name, text)| (name.into(), text.into())).collect())
    }

    /// The text, if this is one.
    #[must_use]
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Self::Text(text) => Some(text),
            _ => None,
        }
    }

    /// Whether this is an empty list, which the RFC treats as if it were not there.
    pub(crate) fn is_undefined(&self) -> bool {
        match self {
            Self::Text(_) => false,
            Self::List(items) => items.is_empty(),
            Self::Pairs(pairs) => pairs.is_empty(),
        }
    }
}

impl From<&str> for Value {
    fn from(text: &str) -> Self {
        Self::Text(text.to_owned())
    }
}

impl From<&String> for Value {
    fn from(text: &String) -> Self {
        Self::Text(text.clone())
    }
}

impl From<String> for Value {
    fn from(text: String) -> Self {
        Self::Text(text)
    }
}

impl From<bool> for Value {
    fn from(value: bool) -> Self {
        Self::Text(value.to_string())
    }
}

macro_rules! from_integer {
    ($($integer:ty),*) => {$(
        impl From<$integer> for Value {
            fn from(value: $integer) -> Self {
                Self::Text(value.to_string())
            }
        }
    )*};
}
from_integer!(i8, i16, i32, i64, isize, u8, u16, u32, u64, usize);

impl<T: Into<String>> From<Vec<T>> for Value {
    fn from(items: Vec<T>) -> Self {
        Self::List(items.into_iter().map(Into::into).collect())
    }
}

/// The values of variables, by name.
///
/// # Example
/// ```
/// use vivid_lane::template::{Template, Values};
///
/// let template = Template::parse("/search{?q,page}")?;
/// let values = Values::new().set("page", 2).set("q", "new moon");
/// assert_eq!(template.expand(&values), "/search?q=new%20moon&page=2");
/// # Ok::<(), vivid_lane::template::TemplateError>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Values {
    /// In the order of the names. They are few, so a list is quicker than a tree.
    entries: Vec<(String, Value)>,
}

impl Values {
    /// An empty set of values.
    #[must_use]
    pub const fn new() -> Self {
        Self { entries: Vec::new() }
    }

    /// Sets a value and returns the set; an earlier value of that name is replaced.
    #[must_use]
    pub fn set(mut self, name: impl Into<String>, value: impl Into<Value>) -> Self {
        self.insert(name, value);
        self
    }

    /// Sets a value in place; an earlier value of that name is replaced.
    pub fn insert(&mut self, name: impl Into<String>, value: impl Into<Value>) {
        let (name, value) = (name.into(), value.into());
        match self.place(&name) {
            Ok(at) => self.entries[at].1 = value,
            Err(at) => self.entries.insert(at, (name, value)),
        }
    }

    /// Where the value of a name stands, or would stand.
    fn place(&self, name: &str) -> Result<usize, usize> {
        self.entries.binary_search_by(|(known, _)| known.as_str().cmp(name))
    }

    /// Removes a value.
    pub fn remove(&mut self, name: &str) -> Option<Value> {
        self.place(name).ok().map(|at| self.entries.remove(at).1)
    }

    /// The value of a name. An empty list counts as absent.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&Value> {
        let (_, value) = &self.entries[self.place(name).ok()?];
        Some(value).filter(|value| !value.is_undefined())
    }

    /// Names and values, in the order of the names.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (&str, &Value)> {
        self.entries.iter().map(|(name, value)| (name.as_str(), value))
    }

    /// Whether the set is empty.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }
}

impl<N: Into<String>, V: Into<Value>> FromIterator<(N, V)> for Values {
    fn from_iter<I: IntoIterator<Item = (N, V)>>(entries: I) -> Self {
        entries.into_iter().fold(Self::new(), |values, (name, value)| values.set(name, value))
    }
}

impl IntoIterator for Values {
    type Item = (String, Value);
    type IntoIter = std::vec::IntoIter<(String, Value)>;

    /// Names and values, in the order of the names.
    fn into_iter(self) -> Self::IntoIter {
        self.entries.into_iter()
    }
}
