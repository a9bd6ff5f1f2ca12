//! Why a link was not made.

use std::fmt;

/// A link that could not be made. [`Display`](fmt::Display) says why and how to mend it.
///
/// # Example
/// ```
/// use vivid_lane::Table;
///
/// let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night'")?;
/// let error = table.link("nihgt").to_url().unwrap_err();
/// assert_eq!(error.to_string(), "no route is named `nihgt`; did you mean `night`?");
/// let error = table.link("night").to_url().unwrap_err();
/// assert_eq!(error.to_string(), "a link to `night` needs a value for `date`");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkError {
    route: String,
    kind: Kind,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Kind {
    UnknownRoute { near: Option<String> },
    Group,
    UnknownParam { name: String, near: Option<String> },
    Missing { name: String },
    NotText { name: String },
    Empty { name: String },
    Dots { name: String, value: String },
    Control { name: String, found: char },
    Long { limit: usize, found: usize },
    Captured { by: String, url: String },
}

impl LinkError {
    fn new(route: &str, kind: Kind) -> Self {
        Self { route: route.to_owned(), kind }
    }

    pub(super) fn unknown_route(route: &str, near: Option<&str>) -> Self {
        Self::new(route, Kind::UnknownRoute { near: near.map(str::to_owned) })
    }

    pub(super) fn group(route: &str) -> Self {
        Self::new(route, Kind::Group)
    }

    pub(super) fn unknown_param(route: &str, name: &str, near: Option<&str>) -> Self {
        Self::new(route, Kind::UnknownParam { name: name.to_owned(), near: near.map(str::to_owned) })
    }

    pub(super) fn missing(route: &str, name: &str) -> Self {
        Self::new(route, Kind::Missing { name: name.to_owned() })
    }

    pub(super) fn not_text(route: &str, name: &str) -> Self {
        Self::new(route, Kind::NotText { name: name.to_owned() })
    }

    pub(super) fn empty(route: &str, name: &str) -> Self {
        Self::new(route, Kind::Empty { name: name.to_owned() })
    }

    pub(super) fn dots(route: &str, name: &str, value: &str) -> Self {
        Self::new(route, Kind::Dots { name: name.to_owned(), value: value.to_owned() })
    }

    pub(super) fn control(route: &str, name: &str, found: char) -> Self {
        Self::new(route, Kind::Control { name: name.to_owned(), found })
    }

    pub(super) fn long(route: &str, limit: usize, found: usize) -> Self {
        Self::new(route, Kind::Long { limit, found })
    }

    pub(super) fn captured(route: &str, by: &str, url: &str) -> Self {
        Self::new(route, Kind::Captured { by: by.to_owned(), url: url.to_owned() })
    }

    /// The name for which a link was asked.
    #[must_use]
    pub fn route(&self) -> &str {
        &self.route
    }

    /// Does no route have that name?
    #[must_use]
    pub fn is_unknown_route(&self) -> bool {
        matches!(self.kind, Kind::UnknownRoute { .. })
    }

    /// Would another, narrower route answer the link?
    #[must_use]
    pub fn is_captured(&self) -> bool {
        matches!(self.kind, Kind::Captured { .. })
    }
}

fn did_you_mean(f: &mut fmt::Formatter<'_>, near: Option<&String>) -> fmt::Result {
    near.map_or(Ok(()), |near| write!(f, "; did you mean `{near}`?"))
}

impl fmt::Display for LinkError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let route = self.route.escape_debug();
        match &self.kind {
            Kind::UnknownRoute { near } => {
                write!(f, "no route is named `{route}`")?;
                did_you_mean(f, near.as_ref())
            }
            Kind::Group => write!(f, "`{route}` has no page: it only groups other routes; link to one of those"),
            Kind::UnknownParam { name, near } => {
                write!(f, "`{route}` has no parameter `{}`", name.escape_debug())?;
                did_you_mean(f, near.as_ref())
            }
            Kind::Missing { name } => write!(f, "a link to `{route}` needs a value for `{name}`"),
            Kind::NotText { name } => write!(f, "expected one value for `{name}` of `{route}`, found a list"),
            Kind::Empty { name } => write!(f, "expected at least one character for `{name}` of `{route}`, found none"),
            Kind::Dots { name, value } => {
                write!(f, "`{value}` for `{name}` of `{route}` would be removed from the URL as a dot segment")
            }
            Kind::Control { name, found } => {
                write!(
                    f,
                    "the value for `{name}` of `{route}` holds the control character {found:?}, which no URL may hold"
                )
            }
            Kind::Long { limit, found } => {
                write!(f, "the link to `{route}` would have {found} bytes; a URL may have {limit}")
            }
            Kind::Captured { by, url } => {
                write!(
                    f,
                    "`{url}` would be answered by the narrower route `{by}`, not by `{route}`; link to `{by}` instead"
                )
            }
        }
    }
}

impl std::error::Error for LinkError {}
