//! Coming back: to a wanted address, and to the current title.

use super::Request;
use super::decision::{Decision, Redirect};
use crate::link::LinkError;
use crate::lookup::{Match, Table};
use crate::template::Value;

impl<P> Table<P> {
    /// The address to return to after signing in: the URL of the request if it leads to a page of this table, else the
    /// default. The request says which needs the visitor meets and what the lists hold.
    ///
    /// Nothing else is accepted, whatever a stranger has put into a link: no URL with a scheme or host, no
    /// `//host`, no backslash, no control character, no address that the table does not have, and none that
    /// itself leads on.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Request, RouteSpec, TableSpec};
    ///
    /// let table = TableSpec::new().route(RouteSpec::new("logbook").path("/logbook").page("logbook")).build()?;
    /// let back = |wanted: &str| table.return_address(&Request::get(wanted), "/").to_owned();
    /// assert_eq!(back("/logbook?year=2031"), "/logbook?year=2031");
    /// assert_eq!(back("https://elsewhere.example/logbook"), "/");
    /// assert_eq!(back("//elsewhere.example/logbook"), "/");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn return_address<'u>(&self, request: &Request<'u>, default: &'u str) -> &'u str {
        let Ok(wanted) = request.url else { return default };
        let bytes = wanted.as_bytes();
        let is_path = bytes.first() == Some(&b'/') && !matches!(bytes.get(1), Some(b'/' | b'\\'));
        // Browsers take a backslash for a slash, and leave control characters out.
        let is_clean = wanted.bytes().all(|byte| byte.is_ascii_graphic() && byte != b'\\');
        if is_path && is_clean && matches!(self.decide(&Request { counters: None, ..*request }), Decision::Page(_)) {
            wanted
        } else {
            default
        }
    }
}

impl<'t, P> Match<'t, '_, P> {
    /// A redirect to the current form of this address, if a descriptive part of it (such as a title after an id) has
    /// changed; `None` if the address is current. Other values in the query are kept.
    ///
    /// # Errors
    /// The route has no such parameter, or its rule refuses the value.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::link::slug;
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml(r#"
    ///     [routes.object]
    ///     path = "/objects/{id}-{title}"
    ///     page = "object"
    ///     params.id = "integer"
    /// "#)?;
    /// let found = table.find("/objects/57-smoke-ring?view=wide").unwrap();
    /// let redirect = found.redirect_to_current("title", slug("The Ring Nebula"))?.unwrap();
    /// assert_eq!((redirect.status(), redirect.location()), (308, "/objects/57-the-ring-nebula?view=wide"));
    /// assert_eq!(found.redirect_to_current("title", "smoke-ring")?, None);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn redirect_to_current(&self, param: &str, value: impl Into<Value>) -> Result<Option<Redirect<'t>>, LinkError> {
        let (reading, value) = (self.reading(), value.into());
        if self.value(param).as_ref() == Some(&value) {
            return Ok(None);
        }
        let link = self.table().link_to(reading.route_id(), reading.values()).set(param, value);
        let location = self.table().with_rest(link.to_url()?, reading);
        let route = Some(self.route().name());
        Ok(Some(Redirect { status: 308, location, route, is_external: false }))
    }
}
