//! Formats of the user's own.

use std::fmt;
use std::sync::Arc;

/// A format that the program defines: a name, a predicate, and an optional pattern that describes the accepted values,
/// which serves the proof that routes do not overlap.
///
/// # Example
/// ```
/// use vivid_lane::declare::Format;
/// use vivid_lane::{RouteSpec, Rule, TableSpec};
///
/// // The last digit of a plate's number is the sum of the others.
/// let plate = Format::new("plate", |value| {
///     let mut digits: Vec<u32> = value.chars().filter_map(|c| c.to_digit(10)).collect();
///     digits.pop() == Some(digits.iter().sum::<u32>() % 10)
/// });
/// let table = TableSpec::new()
///     .format(plate.described_by("^[0-9]{4}$"))
///     .route(RouteSpec::new("plate").path("/plates/{plate}").page("plate").param("plate", Rule::format("plate")))
///     .build()?;
/// assert!(table.find("/plates/1024").is_none());
/// assert!(table.find("/plates/1236").is_some());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Clone)]
pub struct Format {
    pub(crate) name: String,
    pub(crate) predicate: Arc<dyn Fn(&str) -> bool + Send + Sync>,
    pub(crate) pattern: Option<String>,
}

impl Format {
    /// A format with a name and a function that says whether a value has the format. The function gets decoded values,
    /// and should take time linear in their length.
    pub fn new(name: impl Into<String>, predicate: impl Fn(&str) -> bool + Send + Sync + 'static) -> Self {
        Self { name: name.into(), predicate: Arc::new(predicate), pattern: None }
    }

    /// Adds a pattern that every value of the format matches. The function is not called for a value that does not
    /// match.
    #[must_use]
    pub fn described_by(mut self, pattern: impl Into<String>) -> Self {
        self.pattern = Some(pattern.into());
        self
    }
}

impl fmt::Debug for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Format").field("name", &self.name).field("pattern", &self.pattern).finish_non_exhaustive()
    }
}
