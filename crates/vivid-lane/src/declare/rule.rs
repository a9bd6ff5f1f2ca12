//! Rules as they are declared.

use smol_str::SmolStr;

use super::data::Data;
use super::source::{Placed, Span};

/// Which values a parameter may have: keywords of JSON Schema (2020-12).
///
/// The keywords are read and proven when the table is built.
///
/// # Example
/// ```
/// use vivid_lane::{RouteSpec, Rule, TableSpec};
///
/// let table = TableSpec::new()
///     .param("lang", Rule::one_of(["en", "cy", "is"]))
///     .route(
///         RouteSpec::new("exposure")
///             .path("/{lang}/exposures/{number}")
///             .page("exposure")
///             .param("number", Rule::integer().minimum(1).maximum(9999)),
///     )
///     .build()?;
/// assert!(table.find("/cy/exposures/42").is_some());
/// assert!(table.find("/fr/exposures/42").is_none());
/// assert!(table.find("/cy/exposures/042").is_none());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct Rule {
    pub(crate) span: Option<Span>,
    pub(crate) keywords: Vec<(Placed<SmolStr>, Placed<Data>)>,
}

impl Rule {
    /// A rule that accepts every value.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// A rule as it stands within another one: a format, a list of values, or a table of keywords.
    pub(crate) fn from_data(data: &Data) -> Option<Self> {
        match data {
            Data::Text(name) => Some(Self::format(name)),
            Data::List(values) => Some(Self::one_of(values.iter().cloned())),
            Data::Table(keywords) => {
                Some(keywords.iter().fold(Self::new(), |rule, (name, value)| rule.keyword(name, value.clone())))
            }
            _ => None,
        }
    }

    fn into_data(self) -> Data {
        Data::Table(self.keywords.into_iter().map(|(name, value)| (name.value.into(), value.value)).collect())
    }

    /// A list whose items follow a rule: `{?tag*}` reads `?tag=a&tag=b`, `{?tag}` reads `?tag=a,b`.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, Rule, TableSpec};
    ///
    /// let plates = RouteSpec::new("plates").path("/plates{?band*}").page("plates");
    /// let table = TableSpec::new().route(plates.param("band", Rule::list_of(Rule::one_of(["u", "b", "v"])))).build()?;
    /// let found = table.find("/plates?band=b&band=v").unwrap();
    /// assert_eq!(found.list("band"), ["b", "v"]);
    /// assert!(table.find("/plates?band=b&band=x").is_none());
    /// assert_eq!(table.link("plates").set("band", vec!["b", "v"]).to_url().unwrap(), "/plates?band=b&band=v");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn list_of(items: Self) -> Self {
        Self::new().keyword("type", "array").keyword("items", items.into_data())
    }

    /// Pairs of names and values: `{?filter*}` reads all of the query that no other parameter takes. The values follow
    /// a rule.
    #[must_use]
    pub fn pairs_of(values: Self) -> Self {
        Self::new().keyword("type", "object").keyword("additionalProperties", values.into_data())
    }

    /// Sets the rule for the names of pairs.
    #[must_use]
    pub fn property_names(self, names: Self) -> Self {
        self.keyword("propertyNames", names.into_data())
    }

    /// Refuses a list with the same item twice.
    #[must_use]
    pub fn unique_items(self) -> Self {
        self.keyword("uniqueItems", true)
    }

    /// Sets the least number of pairs.
    #[must_use]
    pub fn min_properties(self, pairs: i64) -> Self {
        self.keyword("minProperties", pairs)
    }

    /// Sets the greatest number of pairs.
    #[must_use]
    pub fn max_properties(self, pairs: i64) -> Self {
        self.keyword("maxProperties", pairs)
    }

    /// Adds a keyword with its value, as in a table file.
    #[must_use]
    pub fn keyword(mut self, name: impl Into<String>, value: impl Into<Data>) -> Self {
        self.keywords.push((name.into().into(), value.into().into()));
        self
    }

    /// A whole number from 0 on, without leading zeros, such as an id. It is narrower than `slug`.
    #[must_use]
    pub fn natural() -> Self {
        Self::new().keyword("format", "natural")
    }

    /// A whole number in canonical form: `7` or `-7`, not `007`.
    #[must_use]
    pub fn integer() -> Self {
        Self::new().keyword("type", "integer")
    }

    /// A decimal number in canonical form: `0.5`, not `.50`.
    #[must_use]
    pub fn number() -> Self {
        Self::new().keyword("type", "number")
    }

    /// A value in a format: one that is built in, such as `date`, or one that the program defines.
    pub fn format(name: impl Into<String>) -> Self {
        Self::new().keyword("format", Data::Text(name.into()))
    }

    /// One of these values.
    pub fn one_of<T: Into<Data>>(values: impl IntoIterator<Item = T>) -> Self {
        Self::new().keyword("enum", Data::List(values.into_iter().map(Into::into).collect()))
    }

    /// A value in which the regular expression finds a match; anchor it with `^` and `$` to cover the whole value.
    pub fn pattern(pattern: impl Into<String>) -> Self {
        Self::new().keyword("pattern", Data::Text(pattern.into()))
    }

    /// A value that is in a live list, which comes with each request.
    pub fn listed(list: impl Into<String>) -> Self {
        Self::new().keyword("listed", Data::Text(list.into()))
    }

    /// Sets the least number.
    #[must_use]
    pub fn minimum(self, least: impl Into<Data>) -> Self {
        self.keyword("minimum", least)
    }

    /// Sets the greatest number.
    #[must_use]
    pub fn maximum(self, most: impl Into<Data>) -> Self {
        self.keyword("maximum", most)
    }

    /// Accepts only multiples of a number.
    #[must_use]
    pub fn multiple_of(self, step: impl Into<Data>) -> Self {
        self.keyword("multipleOf", step)
    }

    /// Sets the least length, in characters.
    #[must_use]
    pub fn min_length(self, characters: i64) -> Self {
        self.keyword("minLength", characters)
    }

    /// Sets the greatest length, in characters.
    #[must_use]
    pub fn max_length(self, characters: i64) -> Self {
        self.keyword("maxLength", characters)
    }

    /// Sets the least number of items of a list.
    #[must_use]
    pub fn min_items(self, items: i64) -> Self {
        self.keyword("minItems", items)
    }

    /// Sets the greatest number of items of a list.
    #[must_use]
    pub fn max_items(self, items: i64) -> Self {
        self.keyword("maxItems", items)
    }

    /// Sets the value that an absent optional parameter has. A link leaves it out.
    #[must_use]
    pub fn default_value(self, value: impl Into<Data>) -> Self {
        self.keyword("default", value)
    }

    /// Keywords and values in their order.
    pub(crate) fn keywords(&self) -> impl Iterator<Item = (&str, &Data)> {
        self.keywords.iter().map(|(name, value)| (name.value.as_str(), &value.value))
    }

    /// The place of a keyword's value, or of the whole rule.
    pub(crate) fn place(&self, keyword: Option<usize>) -> Option<&Span> {
        keyword.and_then(|index| self.keywords.get(index)?.1.span.as_ref()).or(self.span.as_ref())
    }
}
