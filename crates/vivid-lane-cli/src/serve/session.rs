//! Who meets which needs: a cookie that only this server can have written.

use cookie::{Cookie, CookieJar, Key, SameSite};
use http::header::{COOKIE, LOCATION, SET_COOKIE};
use http::request::Parts;
use http::{HeaderMap, HeaderValue, Response, StatusCode};
use vivid_lane::Request;
use vivid_lane_http::Body;

use super::{State, form, now};

/// The key with which cookies are signed, a new one each time the server starts.
pub(super) struct Session {
    key: Key,
}

/// The name of the cookie.
const NAME: &str = "needs";

impl Session {
    pub(super) fn new() -> Self {
        Self { key: Key::generate() }
    }

    /// The needs that a cookie says are met.
    pub(super) fn needs(&self, headers: &HeaderMap) -> Vec<String> {
        let mut jar = CookieJar::new();
        let sent = headers.get_all(COOKIE).iter().filter_map(|value| value.to_str().ok());
        sent.flat_map(Cookie::split_parse).flatten().for_each(|cookie| jar.add_original(cookie.into_owned()));
        let needs = jar.signed(&self.key).get(NAME).map(|cookie| cookie.value().to_owned());
        let needs = needs.iter().flat_map(|needs| needs.split(' ')).filter(|need| !need.is_empty());
        needs.map(str::to_owned).collect()
    }

    /// The field that makes a browser keep these needs.
    fn field(&self, needs: &[&str]) -> Option<HeaderValue> {
        let mut jar = CookieJar::new();
        let cookie = Cookie::build((NAME, needs.join(" "))).http_only(true).same_site(SameSite::Lax).path("/");
        jar.signed_mut(&self.key).add(cookie);
        let field = jar.delta().next().map(ToString::to_string)?;
        HeaderValue::from_str(&field).ok()
    }
}

/// Signs in or out, and leads back to the page that was wanted.
pub(super) fn change(state: &State, head: &Parts, sent: &[u8]) -> Response<Body> {
    let table = now(state);
    let sent = form::pairs(sent);
    let known: Vec<&str> = table.needs().collect();
    let needs: Vec<&str> = form::all(&sent, "need").into_iter().filter(|need| known.contains(need)).collect();
    let back = form::first(&sent, "return").unwrap_or("/");
    let host = head.headers.get(http::header::HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    let is_met = |need: &str| needs.contains(&need) || state.meets.iter().any(|met| met == need);
    let lists = |list: &str, value: &str| state.is_listed(list, value);
    let wanted = Request::get(back).host(host).meets(&is_met).lists(&lists);
    let location = table.return_address(&wanted, "/");
    let mut response = Response::new(Body::default());
    *response.status_mut() = StatusCode::SEE_OTHER;
    let headers = response.headers_mut();
    headers.extend(HeaderValue::from_str(location).ok().map(|value| (LOCATION, value)));
    headers.extend(state.session.field(&needs).map(|value| (SET_COOKIE, value)));
    response
}
