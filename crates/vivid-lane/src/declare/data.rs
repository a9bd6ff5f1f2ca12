//! The user's own data, handed through.

/// A value of a route's `data`. The table file may hold any data there, and a match hands it out.
///
/// # Example
/// ```
/// use vivid_lane::Table;
///
/// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'\ndata.title = 'Welcome'")?;
/// let home = table.route("home").unwrap();
/// assert_eq!(home.data().get("title").and_then(|title| title.as_text()), Some("Welcome"));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub enum Data {
    /// No value; TOML cannot express it.
    Null,
    /// True or false.
    Bool(bool),
    /// A whole number.
    Integer(i64),
    /// Any other number.
    Float(f64),
    /// A text. Dates of a TOML file become text, too.
    Text(String),
    /// A list.
    List(Vec<Data>),
    /// Values by name, in the order of the file.
    Table(Vec<(String, Data)>),
}

impl Data {
    /// The value under a name, if this is a table that has it.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&Self> {
        match self {
            Self::Table(entries) => entries.iter().find(|(known, _)| known == name).map(|(_, value)| value),
            _ => None,
        }
    }

    /// The text, if this is one.
    #[must_use]
    pub fn as_text(&self) -> Option<&str> {
        match self {
            Self::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The text that a single value has in a URL; `None` for null, a list or a table.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::declare::Data;
    ///
    /// assert_eq!(Data::Integer(7).to_url_text().as_deref(), Some("7"));
    /// assert_eq!(Data::default().to_url_text(), None);
    /// ```
    #[must_use]
    pub fn to_url_text(&self) -> Option<String> {
        match self {
            Self::Text(text) => Some(text.clone()),
            Self::Bool(value) => Some(value.to_string()),
            Self::Integer(number) => Some(number.to_string()),
            Self::Float(number) => Some(number.to_string()),
            Self::Null | Self::List(_) | Self::Table(_) => None,
        }
    }

    /// Whether this is a table without entries.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        matches!(self, Self::Table(entries) if entries.is_empty())
    }
}

impl Default for Data {
    /// A table without entries.
    fn default() -> Self {
        Self::Table(Vec::new())
    }
}

impl From<&str> for Data {
    fn from(text: &str) -> Self {
        Self::Text(text.to_owned())
    }
}

impl From<String> for Data {
    fn from(text: String) -> Self {
        Self::Text(text)
    }
}

impl From<i64> for Data {
    fn from(number: i64) -> Self {
        Self::Integer(number)
    }
}

impl From<f64> for Data {
    fn from(number: f64) -> Self {
        Self::Float(number)
    }
}

impl From<bool> for Data {
    fn from(value: bool) -> Self {
        Self::Bool(value)
    }
}

impl<T: Into<Data>> From<Vec<T>> for Data {
    fn from(items: Vec<T>) -> Self {
        Self::List(items.into_iter().map(Into::into).collect())
    }
}
