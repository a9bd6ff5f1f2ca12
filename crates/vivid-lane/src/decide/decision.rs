//! What is answered.

use std::fmt;

use super::Request;
use crate::matcher::{Accepted, Ask, BadPath, Match, Segments, Table, Target, pairs};
use crate::template::percent::Undecodable;

/// What to do with a request.
#[derive(Debug)]
#[non_exhaustive]
#[allow(clippy::large_enum_variant, reason = "a page is the common case, and must cost no allocation")]
pub enum Decision<'t, 'u, P = String> {
    /// Show a page (status 200).
    Page(Match<'t, 'u, P>),
    /// Nothing has that URL (status 404, always).
    NotFound(Missing<'t, P>),
    /// The URL has a page, but not for that method (status 405).
    WrongMethod(WrongMethod<'t>),
    /// What was sent is no URL of any site (status 400 or 414).
    BadRequest(BadRequest),
}

impl<P> Decision<'_, '_, P> {
    /// The status code (RFC 9110, section 15).
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Request, Table};
    ///
    /// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
    /// assert_eq!(table.decide(&Request::get("/")).status(), 200);
    /// assert_eq!(table.decide(&Request::get("/nowhere")).status(), 404);
    /// assert_eq!(table.decide(&Request::get("/%zz")).status(), 400);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn status(&self) -> u16 {
        match self {
            Self::Page(_) => 200,
            Self::NotFound(_) => 404,
            Self::WrongMethod(_) => 405,
            Self::BadRequest(bad) => bad.status(),
        }
    }
}

/// A URL that nothing has.
#[derive(Debug)]
pub struct Missing<'t, P = String> {
    fallback: Option<&'t P>,
}

impl<'t, P> Missing<'t, P> {
    /// The page to show: that of the nearest route with a `fallback` whose path covers the URL, else the site's.
    #[must_use]
    pub fn fallback(&self) -> Option<&'t P> {
        self.fallback
    }
}

/// A method that the URL does not answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WrongMethod<'t> {
    allow: Vec<&'t str>,
}

impl<'t> WrongMethod<'t> {
    /// The methods that the URL answers, for the `Allow` field (RFC 9110, section 10.2.1).
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Decision, Request, RouteSpec, TableSpec};
    ///
    /// let sign_in = RouteSpec::new("sign-in").path("/sign-in").page("sign-in").methods(["GET", "POST"]);
    /// let table = TableSpec::new().route(sign_in).build()?;
    /// let Decision::WrongMethod(wrong) = table.decide(&Request::new("PUT", "/sign-in")) else { panic!() };
    /// assert_eq!(wrong.allow(), ["GET", "HEAD", "OPTIONS", "POST"]);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn allow(&self) -> &[&'t str] {
        &self.allow
    }
}

/// Why a request is refused before it is looked up. [`Display`](fmt::Display) gives the reason.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BadRequest {
    kind: Bad,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Bad {
    Utf8,
    Path(BadPath),
}

impl BadRequest {
    /// 414 for a URL that is too long, 400 for any other reason.
    #[must_use]
    pub fn status(&self) -> u16 {
        match self.kind {
            Bad::Path(BadPath::Long { .. } | BadPath::Deep { .. }) => 414,
            _ => 400,
        }
    }
}

impl fmt::Display for BadRequest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.kind {
            Bad::Utf8 | Bad::Path(BadPath::Undecodable(Undecodable::Utf8)) => f.write_str("the URL is not UTF-8"),
            Bad::Path(BadPath::NoSlash) => f.write_str("expected a path that starts with `/`"),
            Bad::Path(BadPath::Long { limit }) => write!(f, "the URL is longer than {limit} bytes"),
            Bad::Path(BadPath::Deep { limit }) => write!(f, "the path has more than {limit} segments"),
            Bad::Path(BadPath::Undecodable(Undecodable::Escape)) => {
                f.write_str("expected two hexadecimal digits after `%`")
            }
            Bad::Path(BadPath::Undecodable(Undecodable::Control)) => f.write_str("the URL holds a control character"),
        }
    }
}

impl<P> Table<P> {
    /// Decides what to do with a request.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Decision, Request, Table};
    ///
    /// let table = Table::from_toml(r#"
    ///     [site]
    ///     fallback = "lost"
    ///     [routes.plates]
    ///     path = "/plates"
    ///     page = "plate-list"
    ///     fallback = "no-such-plate"
    /// "#)?;
    /// let Decision::NotFound(missing) = table.decide(&Request::get("/plates/7")) else { panic!() };
    /// assert_eq!(missing.fallback().unwrap(), "no-such-plate");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn decide<'u>(&self, request: &Request<'u>) -> Decision<'_, 'u, P> {
        let bad = |kind| Decision::BadRequest(BadRequest { kind });
        let frozen = self.frozen();
        let limits = frozen.limits;
        if request.url.len() > limits.bytes {
            return bad(Bad::Path(BadPath::Long { limit: limits.bytes }));
        }
        let Ok(url) = std::str::from_utf8(request.url) else { return bad(Bad::Utf8) };
        let target = Target::parse(url);
        let target = Target { host: target.host.or(request.host), ..target };
        let segments = match Segments::split(target.path, limits) {
            Ok(segments) => segments,
            Err(reason) => return bad(Bad::Path(reason)),
        };
        let query = match pairs(target.query.unwrap_or_default()) {
            Ok(query) => query,
            Err(reason) => return bad(Bad::Path(BadPath::Undecodable(reason))),
        };
        let ask = Ask { segments: &segments, query: &query, host: target.host, lists: request.lists };
        let accepted = frozen.tree.find(&ask, &frozen.routes);
        if accepted.is_empty() {
            return Decision::NotFound(Missing { fallback: self.fallback_for(&ask) });
        }
        let found = frozen.choose(&accepted, request.method).and_then(|ending| Match::new(self, ending, &ask, target));
        match found {
            Some(found) => Decision::Page(found),
            None => Decision::WrongMethod(WrongMethod { allow: self.allow(&accepted) }),
        }
    }

    /// The methods of all endings.
    fn allow(&self, accepted: &Accepted) -> Vec<&str> {
        let frozen = self.frozen();
        let mut allow: Vec<&str> = Vec::new();
        for ending in accepted {
            for method in &frozen.route(frozen.tree.ending(*ending).route).methods.0 {
                allow.push(method);
                if **method == *"GET" {
                    allow.push("HEAD");
                }
            }
        }
        allow.push("OPTIONS");
        allow.sort_unstable();
        allow.dedup();
        allow
    }

    fn fallback_for(&self, ask: &Ask<'_, '_>) -> Option<&P> {
        let frozen = self.frozen();
        let nearest = frozen.fallbacks.covering(ask, &frozen.routes);
        let page = nearest.and_then(|ending| frozen.route(frozen.fallbacks.ending(ending).route).fallback);
        page.or(frozen.fallback).map(|page| self.page(page))
    }
}
