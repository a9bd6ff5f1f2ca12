//! Why a link was not made.

use std::fmt;

use crate::template::Value;

/// Why a link could not be made. [`Display`](fmt::Display) gives the reason and how to mend it.
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
    /// Boxed, so that what is made without an error stays small.
    inner: Box<Inner>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct Inner {
    route: String,
    kind: Problem,
}

/// The kind of reason why a link could not be made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum LinkErrorKind {
    /// No route has that name.
    UnknownRoute,
    /// The route only groups others.
    Group,
    /// The route only redirects.
    Redirect,
    /// An absolute URL needs an origin, and the table declares none.
    NoOrigin,
    /// The values could not be read from a struct.
    Unreadable,
    /// An optional value is given without one that must stand before it.
    Gap,
    /// The route has no parameter of that name.
    UnknownParam,
    /// A parameter has no value.
    Missing,
    /// A value is a text where a list is wanted, or has too few or too many items.
    Form,
    /// The rule of a parameter, or of all URLs, refuses the value.
    Refused,
    /// The URL would be too long.
    Long,
    /// Another, narrower route would answer the URL.
    Captured,
    /// The URL would be read as other values than those that were given.
    NotReversible,
}

/// What keeps a link from being made, with what is said of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Problem {
    UnknownRoute {
        near: Option<String>,
    },
    Group,
    /// The name of the route that it leads to, unless that is another site.
    Redirect {
        to: Option<String>,
    },
    NoOrigin,
    /// What serde could not write.
    Unreadable {
        reason: String,
    },
    /// A value stands after one that is absent.
    Gap {
        name: String,
        before: String,
    },
    UnknownParam {
        name: String,
        near: Option<String>,
    },
    Missing {
        name: String,
    },
    Form {
        name: String,
        expected: &'static str,
    },
    Count {
        name: String,
        found: usize,
        least: usize,
        most: Option<usize>,
    },
    Empty {
        name: String,
    },
    Refused {
        name: String,
        value: String,
        reason: String,
    },
    Dots {
        segment: String,
    },
    Control {
        name: String,
        found: char,
    },
    Long {
        limit: usize,
        found: usize,
    },
    Captured {
        by: String,
        url: String,
    },
    Unread {
        url: String,
    },
    NotReversible {
        name: String,
        given: Option<Value>,
        read: Option<Value>,
        url: String,
    },
}

impl LinkError {
    pub(super) fn new(route: &str, kind: Problem) -> Self {
        Self { inner: Box::new(Inner { route: route.to_owned(), kind }) }
    }

    /// The name of the route to which a link was requested.
    #[must_use]
    pub fn route(&self) -> &str {
        &self.inner.route
    }

    /// The kind of reason.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    /// use vivid_lane::link::LinkErrorKind;
    ///
    /// let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night'\nparams.date = 'date'")?;
    /// let error = table.link("night").set("date", "2031-02-30").to_url().unwrap_err();
    /// assert_eq!((error.kind(), error.param()), (LinkErrorKind::Refused, Some("date")));
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn kind(&self) -> LinkErrorKind {
        match &self.inner.kind {
            Problem::UnknownRoute { .. } => LinkErrorKind::UnknownRoute,
            Problem::Group => LinkErrorKind::Group,
            Problem::Redirect { .. } => LinkErrorKind::Redirect,
            Problem::NoOrigin => LinkErrorKind::NoOrigin,
            Problem::Unreadable { .. } => LinkErrorKind::Unreadable,
            Problem::Gap { .. } => LinkErrorKind::Gap,
            Problem::UnknownParam { .. } => LinkErrorKind::UnknownParam,
            Problem::Missing { .. } => LinkErrorKind::Missing,
            Problem::Form { .. } | Problem::Count { .. } => LinkErrorKind::Form,
            Problem::Empty { .. } | Problem::Refused { .. } | Problem::Dots { .. } | Problem::Control { .. } => {
                LinkErrorKind::Refused
            }
            Problem::Long { .. } => LinkErrorKind::Long,
            Problem::Captured { .. } => LinkErrorKind::Captured,
            Problem::Unread { .. } | Problem::NotReversible { .. } => LinkErrorKind::NotReversible,
        }
    }

    /// The parameter at fault, if there is one.
    #[must_use]
    pub fn param(&self) -> Option<&str> {
        match &self.inner.kind {
            Problem::Gap { name, .. }
            | Problem::UnknownParam { name, .. }
            | Problem::Missing { name }
            | Problem::Form { name, .. }
            | Problem::Count { name, .. }
            | Problem::Empty { name }
            | Problem::Refused { name, .. }
            | Problem::Control { name, .. }
            | Problem::NotReversible { name, .. } => Some(name),
            _ => None,
        }
    }
}

/// A value in an error.
struct Shown<'a>(Option<&'a Value>);

impl fmt::Display for Shown<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            None => f.write_str("nothing"),
            Some(Value::Text(text)) => write!(f, "`{}`", text.escape_debug()),
            Some(Value::List(items)) => write!(f, "{items:?}"),
            Some(Value::Pairs(pairs)) => write!(f, "{pairs:?}"),
        }
    }
}

fn did_you_mean(f: &mut fmt::Formatter<'_>, near: Option<&String>) -> fmt::Result {
    near.map_or(Ok(()), |near| write!(f, "; did you mean `{near}`?"))
}

impl fmt::Display for LinkError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let route = self.inner.route.escape_debug();
        match &self.inner.kind {
            Problem::UnknownRoute { near } => {
                write!(f, "no route is named `{route}`")?;
                did_you_mean(f, near.as_ref())
            }
            Problem::Group => write!(f, "`{route}` has no page: it only groups other routes; link to one of those"),
            Problem::Redirect { to: Some(to) } => write!(f, "`{route}` only redirects to `{to}`; link to that"),
            Problem::Redirect { to: None } => write!(f, "`{route}` only redirects to another site; link to that"),
            Problem::NoOrigin => write!(
                f,
                "an absolute link to `{route}` needs the origin of the site; set `origin = \"https://…\"` under `[site]`"
            ),
            Problem::Unreadable { reason } => write!(f, "the values for a link to `{route}` cannot be read: {reason}"),
            Problem::Gap { name, before } => {
                write!(f, "`{name}` of `{route}` stands after `{before}`, which has no value")
            }
            Problem::UnknownParam { name, near } => {
                write!(f, "`{route}` has no parameter `{}`", name.escape_debug())?;
                did_you_mean(f, near.as_ref())
            }
            Problem::Missing { name } => write!(f, "a link to `{route}` needs a value for `{name}`"),
            Problem::Form { name, expected } => write!(f, "expected {expected} for `{name}` of `{route}`"),
            Problem::Count { name, found, least, most } => {
                write!(f, "expected at least {least} ")?;
                most.map_or(Ok(()), |most| write!(f, "and at most {most} "))?;
                write!(f, "items for `{name}` of `{route}`, found {found}")
            }
            Problem::Empty { name } => {
                write!(f, "expected at least one character for `{name}` of `{route}`, found none")
            }
            Problem::Refused { name, value, reason } => {
                write!(f, "`{name}` of `{route}` refused `{}`: {reason}", value.escape_debug())
            }
            Problem::Dots { segment } => {
                write!(f, "the link to `{route}` would have a segment `{segment}`, which is removed from every URL")
            }
            Problem::Control { name, found } => write!(
                f,
                "the value for `{name}` of `{route}` holds the control character {found:?}, which no URL may hold"
            ),
            Problem::Long { limit, found } => {
                write!(f, "the link to `{route}` would have {found} bytes; a URL may have {limit}")
            }
            Problem::Captured { by, url } => {
                write!(f, "`{url}` would be answered by `{by}`, not by `{route}`; link to `{by}` instead")
            }
            Problem::Unread { url } => write!(
                f,
                "`{url}` would not be read as `{route}`: a value holds a character that means something else in a URL"
            ),
            Problem::NotReversible { name, given, read, url } => {
                let (given, read) = (Shown(given.as_ref()), Shown(read.as_ref()));
                write!(f, "`{url}` would be read as `{route}` with {read} for `{name}`, not with {given}")
            }
        }
    }
}

impl std::error::Error for LinkError {}
