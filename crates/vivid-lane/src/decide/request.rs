//! What is asked.

/// A request, as far as a table looks at it: the method and the URL.
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
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Request<'u> {
    url: &'u [u8],
}

impl<'u> Request<'u> {
    /// A `GET` request.
    pub fn get<U: AsRef<[u8]> + ?Sized>(url: &'u U) -> Self {
        Self { url: url.as_ref() }
    }

    /// The URL as it was given.
    #[must_use]
    pub fn url(&self) -> &'u [u8] {
        self.url
    }
}
