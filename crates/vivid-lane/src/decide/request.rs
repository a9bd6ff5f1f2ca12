//! What is asked.

use std::borrow::Cow;
use std::fmt;

use super::Counters;
use crate::lookup::{Answer, Lists, Needs, Remembered, host_of};

/// A request as a table sees it: method, URL and host, and what is known of the visitor.
///
/// The URL is what stands in the request line: a path with an optional query. It may be any bytes at all;
/// what is no URL is answered by [`Decision::BadRequest`](crate::Decision::BadRequest).
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Request, Table};
///
/// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
/// assert!(matches!(table.decide(&Request::get("/")), Decision::Page(_)));
/// assert!(matches!(table.decide(&Request::get(b"/\xff")), Decision::BadRequest(_)));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Clone, Copy)]
pub struct Request<'u> {
    /// The URL, or the bytes of what is not UTF-8.
    pub(super) url: Result<&'u str, &'u [u8]>,
    pub(super) method: &'u str,
    pub(super) host: Option<&'u str>,
    pub(super) lists: &'u dyn Lists,
    pub(super) needs: &'u dyn Needs,
    pub(super) counters: Option<&'u Counters>,
}

impl fmt::Debug for Request<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Request")
            .field("method", &self.method)
            .field("url", &String::from_utf8_lossy(self.url()))
            .field("host", &self.host)
            .finish_non_exhaustive()
    }
}

impl<'u> Request<'u> {
    /// A `GET` request.
    #[inline]
    pub fn get<U: RequestTarget + ?Sized>(url: &'u U) -> Self {
        Self::new("GET", url)
    }

    /// A request with any method (RFC 9110, section 9); methods are in capitals.
    #[inline]
    pub fn new<U: RequestTarget + ?Sized>(method: &'u str, url: &'u U) -> Self {
        let (lists, needs) = (&|_: &str, _: &str| false, &|_: &str| false);
        Self { url: url.as_text(), method, host: None, lists, needs, counters: None }
    }

    /// Sets the host, as the `Host` field has it; the port is ignored. An absolute URL has a host of its own.
    #[must_use]
    pub fn host(mut self, host: &'u str) -> Self {
        self.host = Some(host_of(host));
        self
    }

    /// Sets the live lists that rules name with `listed`. Without them, no value is listed.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Decision, Request, RouteSpec, Rule, TableSpec};
    ///
    /// let observer = RouteSpec::new("observer").path("/{observer}").page("observer");
    /// let table = TableSpec::new()
    ///     .list("observers")
    ///     .param("observer", Rule::listed("observers"))
    ///     .route(observer)
    ///     .route(RouteSpec::new("other").path("/{page}").page("other"))
    ///     .build()?;
    /// let lists = |list: &str, value: &str| list == "observers" && value == "ada";
    /// let Decision::Page(found) = table.decide(&Request::get("/ada").lists(&lists)) else { panic!() };
    /// assert_eq!(found.page(), "observer");
    /// let Decision::Page(found) = table.decide(&Request::get("/tea").lists(&lists)) else { panic!() };
    /// assert_eq!(found.page(), "other");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn lists(mut self, lists: &'u dyn Lists) -> Self {
        self.lists = lists;
        self
    }

    /// Sets which needs the visitor meets. Without it, the visitor meets none. The function is called only for a need
    /// on which the decision depends, once for each. It returns a `bool`, or anything else that converts to an
    /// [`Answer`](crate::Answer).
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Answer, Need, Request, RouteSpec, TableSpec};
    ///
    /// let logbook = RouteSpec::new("logbook").path("/logbook").page("logbook").needs(["observer"]);
    /// let table = TableSpec::new().need(Need::new("observer")).route(logbook).build()?;
    /// let status = |meets: &dyn Fn(&str) -> Answer| table.decide(&Request::get("/logbook").meets(&meets)).status();
    /// assert_eq!(status(&|need| (need == "observer").into()), 200);
    /// assert_eq!(status(&|_| Answer::No), 403);
    /// assert_eq!(status(&|_| Answer::Unknown { retry_after: Some(30) }), 503);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn meets<F, A>(mut self, meets: &'u F) -> Self
    where
        F: Fn(&str) -> A,
        A: Into<Answer>,
    {
        self.needs = meets;
        self
    }

    pub(crate) fn needs(mut self, needs: &'u dyn Needs) -> Self {
        self.needs = needs;
        self
    }

    /// Counts the decision, and the questions to lists.
    #[must_use]
    pub fn counted(mut self, counters: &'u Counters) -> Self {
        self.counters = Some(counters);
        self
    }

    /// The method.
    #[must_use]
    pub fn method(&self) -> &'u str {
        self.method
    }

    pub(crate) fn asked_host(&self) -> Option<&'u str> {
        self.host
    }

    /// Who answers what is asked on the way.
    pub(crate) fn answers(&self) -> Remembered<'u> {
        Remembered::asking(self.lists, self.needs)
    }

    /// The same visitor, who asks for the page of another URL.
    pub(crate) fn at<'v>(&self, url: &'v str) -> Request<'v>
    where
        'u: 'v,
    {
        Request { url: Ok(url), method: "GET", counters: None, ..*self }
    }

    /// The URL as it was given.
    #[must_use]
    pub fn url(&self) -> &'u [u8] {
        self.url.map_or_else(|bytes| bytes, str::as_bytes)
    }
}

/// The target of a request (RFC 9112, section 3.2): text, or arbitrary bytes.
///
/// # Example
/// ```
/// use vivid_lane::decide::RequestTarget;
///
/// assert_eq!("/nights".as_text(), Ok("/nights"));
/// assert_eq!(b"/nights"[..].as_text(), Ok("/nights"));
/// assert_eq!(b"/\xff".as_text(), Err(&b"/\xff"[..]));
/// ```
pub trait RequestTarget {
    /// The text.
    ///
    /// # Errors
    /// The bytes, where they are not UTF-8.
    fn as_text(&self) -> Result<&str, &[u8]>;
}

impl RequestTarget for str {
    #[inline]
    fn as_text(&self) -> Result<&str, &[u8]> {
        Ok(self)
    }
}

impl RequestTarget for String {
    #[inline]
    fn as_text(&self) -> Result<&str, &[u8]> {
        Ok(self)
    }
}

impl RequestTarget for Cow<'_, str> {
    #[inline]
    fn as_text(&self) -> Result<&str, &[u8]> {
        Ok(self)
    }
}

impl RequestTarget for [u8] {
    fn as_text(&self) -> Result<&str, &[u8]> {
        std::str::from_utf8(self).map_err(|_| self)
    }
}

impl<const N: usize> RequestTarget for [u8; N] {
    fn as_text(&self) -> Result<&str, &[u8]> {
        self[..].as_text()
    }
}

impl RequestTarget for Vec<u8> {
    fn as_text(&self) -> Result<&str, &[u8]> {
        self[..].as_text()
    }
}

impl<T: RequestTarget + ?Sized> RequestTarget for &T {
    #[inline]
    fn as_text(&self) -> Result<&str, &[u8]> {
        (**self).as_text()
    }
}
