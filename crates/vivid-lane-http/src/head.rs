//! What of a request is decided by.

use http::request::Parts;
use http::{HeaderMap, Method, Request, Uri};

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
}
