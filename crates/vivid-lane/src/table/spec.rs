//! The build form of a table.

use super::data::Data;
use super::finding::Report;
use super::read;
use super::source::{Source, Span};

/// A value and, where it came from a file, its place there.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Placed<T> {
    pub(crate) value: T,
    pub(crate) span: Option<Span>,
}

impl<T> Placed<T> {
    pub(crate) fn new(value: T, span: Span) -> Self {
        Self { value, span: Some(span) }
    }
}

impl<T> From<T> for Placed<T> {
    fn from(value: T) -> Self {
        Self { value, span: None }
    }
}

/// A table as it is declared, before it is built.
///
/// It reads like the table file; everything that is wrong with it is reported by
/// [`build`](Self::build), all at once.
///
/// # Example
/// ```
/// use vivid_lane::{RouteSpec, TableSpec};
///
/// let table = TableSpec::new()
///     .fallback("lost")
///     .route(RouteSpec::new("home").path("/").page("home"))
///     .route(
///         RouteSpec::new("nights").path("/nights").page("night-list").frame("with-calendar")
///             .route(RouteSpec::new("night").path("/{date}").page("night")),
///     )
///     .build()?;
/// assert_eq!(table.find("/nights/2031-04-02").unwrap().page(), "night");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct TableSpec {
    pub(crate) report: Report,
    pub(crate) fallback: Option<Placed<String>>,
    pub(crate) routes: Vec<RouteSpec>,
}

/// A route as it is declared.
///
/// A route without a page only groups its children. See [`TableSpec`] for an example.
#[derive(Debug, Clone, Default)]
pub struct RouteSpec {
    pub(crate) name: Placed<String>,
    pub(crate) path: Option<Placed<String>>,
    pub(crate) page: Option<Placed<String>>,
    pub(crate) frame: Option<Placed<String>>,
    pub(crate) fallback: Option<Placed<String>>,
    pub(crate) data: Data,
    pub(crate) routes: Vec<RouteSpec>,
    /// Was something about the route unreadable? Then what follows from its absence is not reported as well.
    pub(crate) damaged: bool,
}

impl Default for Placed<String> {
    fn default() -> Self {
        String::new().into()
    }
}

impl TableSpec {
    /// A table without routes.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Reads a table file. What is wrong with it is kept and reported by [`build`](Self::build).
    #[must_use]
    pub fn read(source: Source) -> Self {
        read::table(source)
    }

    /// The page for a URL that no route answers.
    #[must_use]
    pub fn fallback(mut self, page: impl Into<String>) -> Self {
        self.fallback = Some(page.into().into());
        self
    }

    /// Adds a route.
    #[must_use]
    pub fn route(mut self, route: RouteSpec) -> Self {
        self.routes.push(route);
        self
    }
}

impl RouteSpec {
    /// A route of that name. The name of a child is prefixed by its parent's: `nights.night`.
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into().into(), ..Self::default() }
    }

    /// The path, a URI Template (RFC 6570), appended to the parent's.
    #[must_use]
    pub fn path(mut self, path: impl Into<String>) -> Self {
        self.path = Some(path.into().into());
        self
    }

    /// The page that the route shows.
    #[must_use]
    pub fn page(mut self, page: impl Into<String>) -> Self {
        self.page = Some(page.into().into());
        self
    }

    /// A wrapper around the pages of the route and its descendants.
    #[must_use]
    pub fn frame(mut self, frame: impl Into<String>) -> Self {
        self.frame = Some(frame.into().into());
        self
    }

    /// The page for a URL under this route that no route answers.
    #[must_use]
    pub fn fallback(mut self, page: impl Into<String>) -> Self {
        self.fallback = Some(page.into().into());
        self
    }

    /// A value of the user's own, handed out with a match.
    #[must_use]
    pub fn data(mut self, name: impl Into<String>, value: impl Into<Data>) -> Self {
        if let Data::Table(entries) = &mut self.data {
            entries.push((name.into(), value.into()));
        }
        self
    }

    /// Adds a child.
    #[must_use]
    pub fn route(mut self, route: RouteSpec) -> Self {
        self.routes.push(route);
        self
    }
}
