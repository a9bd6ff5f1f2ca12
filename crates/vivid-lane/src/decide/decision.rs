//! What is answered.

use std::borrow::Cow;
use std::fmt;

use super::place::Place;
use super::unavailable::Unavailable;
use crate::lookup::{BadPath, MOST_BYTES, MOST_SEGMENTS, Match, Position, Table};
use crate::template::percent::Undecodable;

/// The answer to a request.
#[derive(Debug)]
#[allow(clippy::large_enum_variant, reason = "a page is the common case, and must cost no allocation")]
pub enum Decision<'t, 'u, P = String> {
    /// Show a page (status 200).
    Page(Match<'t, 'u, P>),
    /// Redirect the visitor, in one step (status 301, 302, 303, 307 or 308).
    Redirect(Redirect<'t>),
    /// The visitor does not meet a need of the page: redirect to the sign-in page (status 303), or refuse (status 403).
    Unmet(Unmet<'t, 'u, P>),
    /// No route answers the URL (always status 404).
    NotFound(NotFound<'t, 'u, P>),
    /// The URL has a page, but not for this method (status 405).
    WrongMethod(WrongMethod<'t, 'u, P>),
    /// The request asks which methods the URL accepts (status 204).
    Options(Allow<'t>),
    /// The target of the request is not a valid URL, or is too long (status 400 or 414).
    BadRequest(BadRequest),
    /// A list or a need could not be asked, and the answer depends on it (status 503).
    Unavailable(Unavailable),
}

/// What kind of decision it is, for programs that count or label them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[allow(missing_docs, reason = "they are those of `Decision`")]
pub enum DecisionKind {
    Page,
    Redirect,
    Unmet,
    NotFound,
    WrongMethod,
    Options,
    BadRequest,
    Unavailable,
}

impl DecisionKind {
    /// All of them, in the order of their declaration.
    pub const ALL: [Self; 8] = [
        Self::Page,
        Self::Redirect,
        Self::Unmet,
        Self::NotFound,
        Self::WrongMethod,
        Self::Options,
        Self::BadRequest,
        Self::Unavailable,
    ];

    /// The word for it: `page`, `redirect`, `unmet`, `not-found`, `wrong-method`, `options`, `bad-request` or `unavailable`.
    #[must_use]
    pub const fn as_str(self) -> &'static str {
        match self {
            Self::Page => "page",
            Self::Redirect => "redirect",
            Self::Unmet => "unmet",
            Self::NotFound => "not-found",
            Self::WrongMethod => "wrong-method",
            Self::Options => "options",
            Self::BadRequest => "bad-request",
            Self::Unavailable => "unavailable",
        }
    }
}

impl<P> Decision<'_, '_, P> {
    /// The kind of the decision. The tool, the service and the modules for JavaScript use its word.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Request, Table};
    ///
    /// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
    /// assert_eq!(table.decide(&Request::get("/nowhere")).kind().as_str(), "not-found");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub const fn kind(&self) -> DecisionKind {
        match self {
            Self::Page(_) => DecisionKind::Page,
            Self::Redirect(_) => DecisionKind::Redirect,
            Self::Unmet(_) => DecisionKind::Unmet,
            Self::NotFound(_) => DecisionKind::NotFound,
            Self::WrongMethod(_) => DecisionKind::WrongMethod,
            Self::Options(_) => DecisionKind::Options,
            Self::BadRequest(_) => DecisionKind::BadRequest,
            Self::Unavailable(_) => DecisionKind::Unavailable,
        }
    }

    /// The status code (RFC 9110, section 15).
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Request, Table};
    ///
    /// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
    /// assert_eq!(table.decide(&Request::get("/")).status(), 200);
    /// assert_eq!(table.decide(&Request::get("//")).status(), 308);
    /// assert_eq!(table.decide(&Request::get("/nowhere")).status(), 404);
    /// assert_eq!(table.decide(&Request::get("/%zz")).status(), 400);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn status(&self) -> u16 {
        match self {
            Self::Page(_) => 200,
            Self::Redirect(redirect) => redirect.status,
            Self::Unmet(unmet) => unmet.status(),
            Self::NotFound(_) => 404,
            Self::WrongMethod(_) => 405,
            Self::Options(_) => 204,
            Self::BadRequest(bad) => bad.status(),
            Self::Unavailable(_) => 503,
        }
    }

    /// The value for the `Location` field (RFC 9110, section 10.2.2) of a redirect. It is ASCII without spaces and
    /// control characters, whatever the request was.
    #[must_use]
    pub fn location(&self) -> Option<&str> {
        match self {
            Self::Redirect(redirect) => Some(&redirect.location),
            Self::Unmet(unmet) => unmet.location(),
            _ => None,
        }
    }
}

/// A redirect.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Request, Table};
///
/// let table = Table::from_toml("[routes.nights]\npath = '/nights'\npage = 'nights'")?;
/// let Decision::Redirect(redirect) = table.decide(&Request::get("/./nights//?year=2031")) else { panic!() };
/// assert_eq!((redirect.status(), redirect.location()), (308, "/nights?year=2031"));
/// assert_eq!(redirect.to_string(), "the address in its canonical form");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Redirect<'t> {
    pub(super) status: u16,
    pub(super) location: String,
    /// The name of the route that says so.
    pub(super) route: Option<&'t str>,
    pub(super) is_external: bool,
}

impl<'t> Redirect<'t> {
    /// The status: 301, 302, 303, 307 or 308.
    #[must_use]
    pub fn status(&self) -> u16 {
        self.status
    }

    /// The final address; it does not redirect further.
    #[must_use]
    pub fn location(&self) -> &str {
        &self.location
    }

    /// The name of the route that declares the redirect; `None` where the redirect only brings the URL into its
    /// canonical form.
    #[must_use]
    pub fn route(&self) -> Option<&'t str> {
        self.route
    }

    /// Whether the redirect leads to another site.
    #[must_use]
    pub fn is_external(&self) -> bool {
        self.is_external
    }
}

impl fmt::Display for Redirect<'_> {
    /// The reason.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.route {
            Some(route) => write!(f, "`{route}` redirects there"),
            None => f.write_str("the address in its canonical form"),
        }
    }
}

/// A need of the page that the visitor does not meet, such as being signed in.
#[derive(Debug)]
pub struct Unmet<'t, 'u, P = String> {
    pub(super) need: &'t str,
    pub(super) location: Option<String>,
    /// Boxed, so that the common decisions stay small.
    pub(super) place: Box<Place<'t, 'u, P>>,
}

impl<'t, P> Unmet<'t, '_, P> {
    /// The name of the need.
    #[must_use]
    pub fn need(&self) -> &'t str {
        self.need
    }

    /// The address of the route that the need names as `otherwise`, usually the sign-in page, with the requested
    /// address as `return` in its query. `None` if the need names no route.
    #[must_use]
    pub fn location(&self) -> Option<&str> {
        self.location.as_deref()
    }

    /// 303 if there is an address to go to, else 403.
    #[must_use]
    pub fn status(&self) -> u16 {
        if self.location.is_some() { 303 } else { 403 }
    }

    /// The position in the table of the page that the visitor may not see. It is looked up on each call.
    #[must_use]
    pub fn position(&self) -> Option<Position<'t, '_, P>> {
        self.place.position()
    }
}

/// The URL is answered by no route.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Request, Table};
///
/// let table = Table::from_toml(r#"
///     site.frame = "shell"
///     [routes.talks]
///     path = "{/lang}/talks"
///     page = "talk-list"
///     frame = "with-calendar"
///     fallback = "no-such-talk"
///     params.lang = ["en", "cy"]
///     [routes.talks.talk]
///     path = "/{number}"
///     page = "talk"
///     params.number = "integer"
/// "#)?;
/// let Decision::NotFound(missing) = table.decide(&Request::get("/cy/talks/tonight")) else { panic!() };
/// assert_eq!(missing.fallback().unwrap(), "no-such-talk");
/// assert_eq!(missing.frames(), ["shell", "with-calendar"]);
/// let position = missing.position().unwrap();
/// assert_eq!(position.param("lang").as_deref(), Some("cy"));
/// assert_eq!(position.link("talks.talk").set("number", 3).to_url().unwrap(), "/cy/talks/3");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug)]
pub struct NotFound<'t, 'u, P = String> {
    pub(super) place: Place<'t, 'u, P>,
}

impl<'t, 'u, P> NotFound<'t, 'u, P> {
    /// The page to show instead: that of the deepest route with a `fallback` whose path covers the URL, else that of
    /// the site. `None` if neither names one, or if that route says `fallback = false`. It is looked up on each call.
    #[must_use]
    pub fn fallback(&self) -> Option<&'t P> {
        self.place.fallback()
    }

    /// Why a redirect that matches the URL leads to no page; or which parameter refused the last segment of the path, and
    /// why, if no route accepts that segment. It is looked up on each call.
    ///
    /// ```
    /// # use vivid_lane::{Decision, Request, Table};
    /// let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night'\nparams.date = 'date'\n")?;
    /// let Decision::NotFound(missing) = table.decide(&Request::get("/nights/2031-02-30")) else { panic!() };
    /// assert_eq!(missing.reason().unwrap(), "`date` of `night` refused `2031-02-30`: no such day");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn reason(&self) -> Option<Cow<'_, str>> {
        self.place.reason()
    }

    /// The deepest route that covers the URL, with its ancestors and the values that were read; `None` if no route
    /// covers it. If the fallback is that of a route, only this route and its descendants count. You can make links
    /// from here as from a match. It is looked up on each call.
    #[must_use]
    pub fn position(&self) -> Option<Position<'t, '_, P>> {
        self.place.position()
    }

    /// The frames around the fallback, outermost first: the site's, then those of the position.
    #[must_use]
    pub fn frames(&self) -> Vec<&'t str> {
        match self.position() {
            Some(position) => position.frames().collect(),
            None => self.table().frame().into_iter().collect(),
        }
    }

    pub(crate) fn request(&self) -> &super::Request<'u> {
        &self.place.request
    }

    pub(crate) fn table(&self) -> &'t Table<P> {
        self.place.table
    }
}

/// The URL has a page, but not for the method of the request.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Request, RouteSpec, TableSpec};
///
/// let sign_in = RouteSpec::new("sign-in").path("/sign-in").page("sign-in").methods(["GET", "POST"]);
/// let table = TableSpec::new().route(sign_in).build()?;
/// let Decision::WrongMethod(wrong) = table.decide(&Request::new("PUT", "/sign-in")) else { panic!() };
/// assert_eq!(wrong.allow(), ["GET", "HEAD", "OPTIONS", "POST"]);
/// assert_eq!(wrong.position().unwrap().route().name(), "sign-in");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug)]
pub struct WrongMethod<'t, 'u, P = String> {
    pub(super) allow: Allow<'t>,
    /// Boxed, so that the common decisions stay small.
    pub(super) place: Box<Place<'t, 'u, P>>,
}

impl<'t, P> WrongMethod<'t, '_, P> {
    /// The methods that the URL accepts, for the `Allow` field (RFC 9110, section 10.2.1).
    #[must_use]
    pub fn allow(&self) -> &[&'t str] {
        &self.allow.allow
    }

    /// The position in the table of a route that accepts the URL with another method. It is looked up on each call.
    #[must_use]
    pub fn position(&self) -> Option<Position<'t, '_, P>> {
        self.place.position()
    }
}

/// The methods that a URL accepts: the answer to an `OPTIONS` request.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Allow<'t> {
    pub(super) allow: Vec<&'t str>,
}

impl<'t> Allow<'t> {
    /// The methods that the URL accepts, for the `Allow` field (RFC 9110, section 10.2.1).
    #[must_use]
    pub fn allow(&self) -> &[&'t str] {
        &self.allow
    }
}

/// The target of a request was refused before any lookup. [`Display`](fmt::Display) gives the reason.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BadRequest {
    pub(super) kind: Bad,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Bad {
    Utf8,
    Path(BadPath),
}

impl BadRequest {
    /// 414 for a URL that is too long, 400 for any other reason.
    #[must_use]
    pub fn status(&self) -> u16 {
        match self.kind {
            Bad::Path(BadPath::Long | BadPath::Deep) => 414,
            _ => 400,
        }
    }
}

impl fmt::Display for BadRequest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.kind {
            Bad::Utf8 | Bad::Path(BadPath::Undecodable(Undecodable::Utf8)) => f.write_str("the URL is not UTF-8"),
            Bad::Path(BadPath::NoSlash) => f.write_str("expected a path that starts with `/`"),
            Bad::Path(BadPath::Long) => write!(f, "the URL is longer than {MOST_BYTES} bytes"),
            Bad::Path(BadPath::Deep) => write!(f, "the path has more than {MOST_SEGMENTS} segments"),
            Bad::Path(BadPath::Undecodable(Undecodable::Escape)) => {
                f.write_str("expected two hexadecimal digits after `%`")
            }
            Bad::Path(BadPath::Undecodable(Undecodable::Control)) => f.write_str("the URL holds a control character"),
        }
    }
}
