//! What a page is shown with.

use std::borrow::Cow;
use std::fmt;
use std::sync::Arc;

use http::header::{CONTENT_TYPE, LOCATION};
use http::request::Parts;
use http::{HeaderMap, HeaderValue, Method, Response, StatusCode};
use serde_core::de::DeserializeOwned;
use vivid_lane::{Link, Position, Table};

use crate::body::ReadError;
use crate::handler::{Found, Missing};
use crate::head::is_from_this_site;
use crate::visitor::Identity;
use crate::{Body, Failure};

/// A visit to a page, with all that the page may need. `S` is the state that all pages of the program share.
///
/// See [`Pages`](crate::Pages) for an example.
pub struct Visit<S = ()> {
    /// Shared with whoever has to say that the page does not exist after all.
    head: Arc<Parts>,
    body: Body,
    state: Arc<S>,
}

impl<S> fmt::Debug for Visit<S> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Visit").field("method", &self.head.method).field("uri", &self.head.uri).finish_non_exhaustive()
    }
}

impl<S> Visit<S> {
    pub(crate) fn new(head: Arc<Parts>, body: Body, state: Arc<S>) -> Self {
        Self { head, body, state }
    }

    /// The state that all pages share: connections to databases, settings, sessions.
    #[must_use]
    pub fn state(&self) -> &S {
        &self.state
    }

    /// The method of the request.
    #[must_use]
    pub fn method(&self) -> &Method {
        &self.head.method
    }

    /// The header fields of the request.
    #[must_use]
    pub fn headers(&self) -> &HeaderMap {
        &self.head.headers
    }

    /// The request without its body, with the extensions that layers have added.
    #[must_use]
    pub fn head(&self) -> &Parts {
        &self.head
    }

    /// The match of the request; `None` if the page is a fallback.
    #[must_use]
    pub fn found(&self) -> Option<&Found> {
        self.head.extensions.get()
    }

    /// What is known about the missing page; `None` unless the page is a fallback.
    #[must_use]
    pub fn missing(&self) -> Option<&Missing> {
        self.head.extensions.get()
    }

    /// The position in the table: that of the match, or the deepest route that covers a missing address; `None` if no
    /// route covers it.
    #[must_use]
    pub fn position(&self) -> Option<Position<'_, '_, ()>> {
        self.found().map(Found::position).or_else(|| self.missing()?.position())
    }

    /// The frames around the page, outermost first.
    #[must_use]
    pub fn frames(&self) -> Vec<&str> {
        match (self.found(), self.missing()) {
            (Some(found), _) => found.get().frames().collect(),
            (None, Some(missing)) => missing.frames(),
            (None, None) => Vec::new(),
        }
    }

    /// The text of a parameter.
    #[must_use]
    pub fn param(&self, name: &str) -> Option<String> {
        self.position()?.param(name).map(Cow::into_owned)
    }

    /// The parameters as a struct of the program, by serde: a field for each parameter, of the same name.
    ///
    /// # Errors
    /// A value that its field does not take: in the path the page [does not exist](Failure::not_found), in the query the request is
    /// wrong (400), and the visitor sees which. The same holds for [`get`](Self::get).
    pub fn params<T: DeserializeOwned>(&self) -> Result<T, Failure> {
        Ok(self.position().ok_or_else(Failure::not_found)?.params()?)
    }

    /// The value of a parameter as a type of the program, by serde ([`Position::get`]).
    ///
    /// # Errors
    /// Those of [`params`](Self::params), and a name that the route does not have (500).
    ///
    /// # Example
    /// ```
    /// use http::Request;
    /// use tower::ServiceExt;
    /// use vivid_lane::Table;
    /// use vivid_lane_http::{Body, Failure, Pages, Routed, Visit, html};
    ///
    /// async fn nights(visit: Visit) -> Result<http::Response<Body>, Failure> {
    ///     let page: Option<u32> = visit.get("page")?;
    ///     Ok(html(format!("page {}", page.unwrap_or(1))))
    /// }
    ///
    /// # fn main() -> Result<(), vivid_lane_http::BoxError> {
    /// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
    /// let table = Table::from_toml("[routes.nights]\npath = '/nights{?page}'\npage = 'nights'\nparams.page = 'integer'")?;
    /// let site = Routed::new(Pages::new(()).page("nights", nights).bind(&table)?);
    /// // The table's rule is wider than the type: the address is at fault, and no error of the server.
    /// let request = Request::get("/nights?page=5000000000").body(Body::default())?;
    /// assert_eq!(site.oneshot(request).await?.status(), 400);
    /// # Ok(()) })
    /// # }
    /// ```
    pub fn get<T: DeserializeOwned>(&self, name: &str) -> Result<T, Failure> {
        Ok(self.position().ok_or_else(Failure::not_found)?.get(name)?)
    }

    /// Who the visitor is, as the table found out for a need ([`Visitor::identity`](crate::Visitor::identity)). `None`
    /// if the table did not have to ask, or if the program does not know the visitor. [`identify`](Self::identify) asks
    /// in any case.
    #[must_use]
    pub fn identity<I: Send + Sync + 'static>(&self) -> Option<&I> {
        self.head.extensions.get::<Identity>()?.known()
    }

    /// Who the visitor is; looked up if the table has not done so. `None` for a visitor whom the program does not know.
    ///
    /// # Errors
    /// It is not known at the moment (503).
    pub async fn identify<I: Send + Sync + 'static>(&self) -> Result<Option<Arc<I>>, Failure> {
        let Some(identity) = self.head.extensions.get::<Identity>() else { return Ok(None) };
        let asked = identity.ask(&self.head).await;
        asked.map_err(|retry_after| {
            Failure::unavailable("nobody can tell at the moment who the visitor is", retry_after)
        })
    }

    /// The table, without its handlers.
    #[must_use]
    pub fn table(&self) -> Option<&Table<()>> {
        self.found().map(|found| found.position().table()).or_else(|| self.missing().map(Missing::table))
    }

    /// Starts a link from here; it inherits the values that the two addresses share.
    ///
    /// # Errors
    /// The page is not one of a table.
    pub fn link(&self, name: &str) -> Result<Link<'_, ()>, Failure> {
        match (self.position(), self.table()) {
            (Some(position), _) => Ok(position.link(name)),
            (None, Some(table)) => Ok(table.link(name)),
            (None, None) => Err(Failure::of("a link needs a page that a table shows")),
        }
    }

    /// Starts a link to the current address with all its values, so that you can change some.
    ///
    /// # Errors
    /// There is nothing at this address.
    pub fn link_here(&self) -> Result<Link<'_, ()>, Failure> {
        Ok(self.position().ok_or_else(Failure::not_found)?.link_here())
    }

    /// A redirect to a link, after a form for example; the browser follows it with `GET` (303).
    ///
    /// # Errors
    /// The link cannot be made.
    pub fn see_other(&self, link: &Link<'_, ()>) -> Result<Response<Body>, Failure> {
        see_other(&link.to_url()?)
    }

    /// A redirect (303) to the return address of this sign-in page. Without one, or if it is no page of this table, or
    /// the sign-in page itself, it leads to the default.
    ///
    /// # Errors
    /// The default is no URL.
    pub fn see_return(&self, default: &str) -> Result<Response<Body>, Failure> {
        let wanted = self.param("return").unwrap_or_default();
        let (Some(table), Some(own)) = (self.table(), self.position()) else { return see_other(default) };
        let asked = vivid_lane::Request::get(&wanted).meets(&|_: &str| true).lists(&|_: &str, _: &str| true);
        let address = table.return_address(&asked, default);
        let is_here = table.find(address).is_some_and(|found| found.route().name() == own.route().name());
        see_other(if is_here { default } else { address })
    }

    /// Reads the body as the fields of a form. One that a page of another site sent is refused, as it comes with the cookies of the visitor;
    /// where others are to send forms, read what they send from [`take_body`](Self::take_body).
    ///
    /// # Errors
    /// Another site sent it (403); it is no form (415), has more bytes than the limit (413), or fields that do not fit (422). It was read already (500).
    pub async fn form<T: DeserializeOwned>(&mut self, limit: usize) -> Result<T, Failure> {
        if !self.is_from_this_site() {
            return Err(Failure::new(StatusCode::FORBIDDEN, "the form was sent by another site"));
        }
        let sent = self.read(limit, "application/x-www-form-urlencoded", |_| false).await?;
        serde_html_form::from_bytes(&sent).map_err(|error| unfit(&error))
    }

    /// Reads the body as JSON.
    ///
    /// # Errors
    /// It is no JSON (415, 400), has more bytes than the limit (413), or values that do not fit (422). It was read already (500).
    pub async fn json<T: DeserializeOwned>(&mut self, limit: usize) -> Result<T, Failure> {
        let sent = self.read(limit, "application/json", |kind| kind.ends_with("+json")).await?;
        serde_json::from_slice(&sent).map_err(|error| match error.classify() {
            serde_json::error::Category::Data => unfit(&error),
            _ => Failure::new(StatusCode::BAD_REQUEST, format!("the body is not JSON: {error}")),
        })
    }

    /// Takes the body, to read it by other means; empty if it was read already.
    #[must_use]
    pub fn take_body(&mut self) -> Body {
        std::mem::take(&mut self.body)
    }

    async fn read(&mut self, limit: usize, wanted: &str, fits: impl Fn(&str) -> bool) -> Result<bytes::Bytes, Failure> {
        let kind = self.head.headers.get(CONTENT_TYPE).and_then(|kind| kind.to_str().ok()).unwrap_or_default();
        let kind = kind.split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
        if kind != wanted && !fits(&kind) {
            let found = if kind.is_empty() { "no type".to_owned() } else { format!("`{kind}`") };
            let detail = format!("expected a body of type `{wanted}`, found {found}");
            return Err(Failure::new(StatusCode::UNSUPPORTED_MEDIA_TYPE, detail));
        }
        self.take_body().read(limit).await.map_err(|error| match error {
            ReadError::TooLong => {
                Failure::new(StatusCode::PAYLOAD_TOO_LARGE, format!("the body may have {limit} bytes, and it has more"))
            }
            ReadError::TooSlow => Failure::new(StatusCode::REQUEST_TIMEOUT, "the body arrives too slowly"),
            ReadError::Broken => Failure::new(StatusCode::BAD_REQUEST, "the body is broken, or ends too early"),
        })
    }

    /// Whether the request was made from a page of this site, or by no page at all ([`is_from_this_site`]).
    #[must_use]
    pub fn is_from_this_site(&self) -> bool {
        is_from_this_site(&self.head)
    }
}

fn unfit(error: &dyn fmt::Display) -> Failure {
    Failure::new(StatusCode::UNPROCESSABLE_ENTITY, format!("the body does not fit: {error}"))
}

/// Leads on to a URL, to be asked for with `GET`.
fn see_other(url: &str) -> Result<Response<Body>, Failure> {
    let mut response = Response::new(Body::default());
    *response.status_mut() = StatusCode::SEE_OTHER;
    response.headers_mut().insert(LOCATION, HeaderValue::from_str(url)?);
    Ok(response)
}
