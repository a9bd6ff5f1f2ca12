//! The cookie by which a browser says who it is.

use http::HeaderMap;
use http::header::COOKIE;

/// The name of the cookie.
pub(super) const NAME: &str = "session";

/// The token that a browser sends (RFC 6265, section 5.4).
pub(super) fn token(headers: &HeaderMap) -> Option<&str> {
    let fields = headers.get_all(COOKIE).iter().filter_map(|field| field.to_str().ok());
    let mut pairs = fields.flat_map(|field| field.split("; ")).filter_map(|pair| pair.split_once('='));
    pairs.find(|(name, _)| *name == NAME).map(|(_, token)| token)
}
