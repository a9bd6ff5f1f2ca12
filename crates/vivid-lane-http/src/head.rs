//! What of a request is decided by.

use http::header::{ACCEPT, HOST, ORIGIN};
use http::request::Parts;
use http::uri::{Authority, PathAndQuery};
use http::{HeaderMap, HeaderValue, Method, Request, Uri, Version};

use crate::accept::{Form, preferred};

/// What is decided by: a request is moved as seldom as can be, as it is large.
#[derive(Clone, Copy)]
pub(crate) struct Head<'r> {
    pub(crate) method: &'r Method,
    pub(crate) uri: &'r Uri,
    pub(crate) headers: &'r HeaderMap,
}

impl<'r, B> From<&'r Request<B>> for Head<'r> {
    fn from(request: &'r Request<B>) -> Self {
        Self { method: request.method(), uri: request.uri(), headers: request.headers() }
    }
}

impl<'r> From<&'r Parts> for Head<'r> {
    fn from(parts: &'r Parts) -> Self {
        Self { method: &parts.method, uri: &parts.uri, headers: &parts.headers }
    }
}

impl<'r> Head<'r> {
    /// The target as the table reads it: a path with its query, an absolute URL, or an asterisk.
    pub(crate) fn target(self) -> std::borrow::Cow<'r, str> {
        match (self.uri.scheme(), self.uri.path_and_query()) {
            (None, Some(target)) => target.as_str().into(),
            _ => self.uri.to_string().into(),
        }
    }

    /// The form in which the client prefers errors.
    pub(crate) fn form(self) -> Form {
        preferred(self.headers.get_all(ACCEPT))
    }

    /// Whether the `Host` fields are what RFC 9112, section 3.2, wants: at most one, and a host with or without a port. Is one
    /// wanted, as by HTTP/1.1, or may it be absent, as from a test?
    pub(crate) fn has_good_host(self, is_wanted: bool) -> bool {
        let mut fields = self.headers.get_all(HOST).iter();
        match (fields.next(), fields.next()) {
            (None, _) => !is_wanted || self.uri.host().is_some(),
            (Some(host), None) => is_host(host),
            (Some(_), Some(_)) => false,
        }
    }
}

/// Whether it is a host, with or without a port, and nothing else (RFC 3986, section 3.2). It may be empty where the target has no
/// authority.
fn is_host(field: &HeaderValue) -> bool {
    // Hardly any host is of another form, and reading an authority copies it.
    let bytes = field.as_bytes();
    let name = bytes.iter().take_while(|&&byte| IS_USUAL[usize::from(byte)]).count();
    match bytes.get(name..) {
        None | Some([]) => true,
        Some([b':', port @ ..]) if port.iter().all(u8::is_ascii_digit) => true,
        Some(_) => {
            let is_port = |rest: &str| rest.strip_prefix(':').unwrap_or(rest).bytes().all(|byte| byte.is_ascii_digit());
            let is_authority = |text: &str| {
                !text.contains('@')
                    && text.parse::<Authority>().is_ok_and(|whole| is_port(&whole.as_str()[whole.host().len()..]))
            };
            field.to_str().is_ok_and(is_authority)
        }
    }
}

/// The bytes of which nearly all names of hosts are made.
const IS_USUAL: [bool; 256] = {
    let mut usual = [false; 256];
    let mut byte = 0;
    while byte < 128_u8 {
        usual[byte as usize] = byte.is_ascii_alphanumeric() || byte == b'.' || byte == b'-';
        byte += 1;
    }
    usual
};

/// What is kept of a request, to tell whoever sent it what went wrong later.
#[derive(Clone)]
pub(crate) struct Origin {
    pub(crate) method: Method,
    target: Option<PathAndQuery>,
    accepted: Vec<HeaderValue>,
}

impl Origin {
    pub(crate) fn path(&self) -> &str {
        self.target.as_ref().map_or("/", PathAndQuery::path)
    }

    pub(crate) fn form(&self) -> Form {
        preferred(&self.accepted)
    }
}

impl From<Head<'_>> for Origin {
    fn from(head: Head<'_>) -> Self {
        Self {
            method: head.method.clone(),
            target: head.uri.path_and_query().cloned(),
            accepted: head.headers.get_all(ACCEPT).iter().cloned().collect(),
        }
    }
}

/// Whether a request was made from a page of this site, or from no page at all. Ask this before a form changes
/// anything: browsers send `Sec-Fetch-Site` or `Origin`, and a page of another site cannot forge them.
///
/// # Example
/// ```
/// use http::Request;
/// use vivid_lane_http::is_from_this_site;
///
/// let asked = |site| Request::post("/sign-in").header("sec-fetch-site", site).body(()).map(|request| request.into_parts().0);
/// assert!(is_from_this_site(&asked("same-origin")?));
/// assert!(!is_from_this_site(&asked("cross-site")?));
/// # Ok::<(), http::Error>(())
/// ```
#[must_use]
pub fn is_from_this_site(head: &Parts) -> bool {
    let field = |name: &str| head.headers.get(name).map(|value| value.to_str().unwrap_or("?"));
    match (field("sec-fetch-site"), field(ORIGIN.as_str())) {
        (Some(site), _) => matches!(site, "same-origin" | "none"),
        (None, Some(origin)) => {
            let own = field(HOST.as_str()).or_else(|| head.uri.authority().map(|own| own.as_str()));
            origin.split_once("://").is_some_and(|(_, host)| own == Some(host))
        }
        (None, None) => true,
    }
}

/// Whether a request names exactly one host, as HTTP/1.1 demands (RFC 9112, section 3.2). A `Server`, and
/// [`Routed`](crate::Routed) on a connection of `hyper`, check this themselves.
///
/// # Example
/// ```
/// use http::Request;
/// use vivid_lane_http::has_good_host;
///
/// assert!(has_good_host(&Request::get("/nights").header("host", "larkfell.example").body(())?));
/// assert!(!has_good_host(&Request::get("/nights").body(())?));
/// assert!(!has_good_host(&Request::get("/nights").header("host", "a@larkfell.example").body(())?));
/// # Ok::<(), http::Error>(())
/// ```
#[must_use]
pub fn has_good_host<B>(request: &Request<B>) -> bool {
    Head::from(request).has_good_host(request.version() == Version::HTTP_11)
}
