//! Where a redirect leads, and what visitors need, as they are declared.

use smol_str::SmolStr;

use super::source::{Placed, Span};

/// The target of a route that redirects.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, RedirectTo, Request, RouteSpec, TableSpec};
///
/// let table = TableSpec::new()
///     .route(RouteSpec::new("night").path("/nights/{date}").page("night"))
///     .route(
///         RouteSpec::new("old").path("/night.cgi{?d}").required(["d"])
///             .redirect(RedirectTo::route("night").param("date", "{d}").status(301)),
///     )
///     .build()?;
/// let Decision::Redirect(redirect) = table.decide(&Request::get("/night.cgi?d=2031-04-02")) else { panic!() };
/// assert_eq!((redirect.status(), redirect.location()), (301, "/nights/2031-04-02"));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct RedirectTo {
    pub(crate) aim: Aim,
    /// Parameters of the target, and templates over the values at hand.
    pub(crate) params: Vec<(Placed<SmolStr>, Placed<SmolStr>)>,
    pub(crate) status: Option<Placed<i64>>,
    pub(crate) span: Option<Span>,
}

/// What a redirect names.
#[derive(Debug, Clone)]
pub(crate) enum Aim {
    /// A route of this table.
    Route(Placed<SmolStr>),
    /// A template for a URL of another site.
    Url(Placed<SmolStr>),
}

impl RedirectTo {
    /// Redirects to a route of the table, given by its full name. Parameters that both routes have are passed on.
    pub fn route(name: impl Into<String>) -> Self {
        Self { aim: Aim::Route(name.into().into()), params: Vec::new(), status: None, span: None }
    }

    /// Redirects to another site: a template for an absolute URL, over the parameters of the route.
    pub fn url(template: impl Into<String>) -> Self {
        Self { aim: Aim::Url(template.into().into()), params: Vec::new(), status: None, span: None }
    }

    /// Sets a parameter of the target: a text that may contain values of the redirecting route, as in `{year}-{month}`.
    #[must_use]
    pub fn param(mut self, name: impl Into<String>, value: impl Into<String>) -> Self {
        self.params.push((name.into().into(), value.into().into()));
        self
    }

    /// Sets the status: 301, 302, 303, 307 or 308 (RFC 9110, section 15.4). The default is 308.
    #[must_use]
    pub fn status(mut self, status: u16) -> Self {
        self.status = Some(i64::from(status).into());
        self
    }
}

impl From<&str> for RedirectTo {
    fn from(name: &str) -> Self {
        Self::route(name)
    }
}

/// A condition that visitors must meet, such as being signed in, and the route to which other visitors are redirected.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Need, Request, RouteSpec, TableSpec};
///
/// let table = TableSpec::new()
///     .need(Need::new("observer").otherwise("sign-in"))
///     .route(RouteSpec::new("sign-in").path("/sign-in{?return}").page("sign-in"))
///     .route(RouteSpec::new("logbook").path("/logbook").page("logbook").needs(["observer"]))
///     .build()?;
/// let request = Request::get("/logbook?year=2031");
/// let Decision::Unmet(unmet) = table.decide(&request) else { panic!() };
/// assert_eq!(unmet.location(), Some("/sign-in?return=%2Flogbook%3Fyear%3D2031"));
/// assert!(matches!(table.decide(&request.meets(&|need| need == "observer")), Decision::Page(_)));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct Need {
    pub(crate) name: Placed<SmolStr>,
    pub(crate) otherwise: Option<Placed<SmolStr>>,
}

impl Need {
    /// A need with a name. Without [`otherwise`](Self::otherwise), visitors who do not meet it are refused (status
    /// 403).
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into().into(), otherwise: None }
    }

    /// Sets the route, by its full name, to which visitors are redirected who do not meet the need. Its path declares
    /// `{?return}`, which carries the requested address.
    #[must_use]
    pub fn otherwise(mut self, route: impl Into<String>) -> Self {
        self.otherwise = Some(route.into().into());
        self
    }
}
