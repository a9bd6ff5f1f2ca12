//! Who meets which needs: a cookie with a random token, which means something to this run of the server only.

use std::collections::VecDeque;
use std::fmt::Write;
use std::sync::{Mutex, MutexGuard, PoisonError};

use http::header::{ACCEPT, LOCATION, SET_COOKIE};
use http::request::Parts;
use http::{HeaderMap, HeaderValue, Response, StatusCode};
use vivid_lane::Request;
use vivid_lane_http::Body;

use super::cookie::{NAME, token};
use super::{State, form, now};

/// How many visitors are remembered; the one that signed in first is forgotten for the next.
const MOST_VISITORS: usize = 1000;

/// The visitors that signed in since the server started.
#[derive(Default)]
pub(super) struct Session {
    visitors: Mutex<VecDeque<SignedIn>>,
}

struct SignedIn {
    token: String,
    needs: Vec<String>,
}

impl Session {
    fn visitors(&self) -> MutexGuard<'_, VecDeque<SignedIn>> {
        self.visitors.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The needs that a visitor meets.
    pub(super) fn needs(&self, headers: &HeaderMap) -> Vec<String> {
        let Some(token) = token(headers) else { return Vec::new() };
        self.visitors().iter().find(|one| one.token == token).map(|one| one.needs.clone()).unwrap_or_default()
    }

    /// Remembers what a visitor meets from now on, and gives the field that makes a browser send its token.
    fn change(&self, headers: &HeaderMap, needs: &[&str]) -> Option<HeaderValue> {
        let mut visitors = self.visitors();
        visitors.retain(|one| Some(one.token.as_str()) != token(headers));
        if needs.is_empty() {
            return Some(HeaderValue::from_static("session=; Path=/; Max-Age=0"));
        }
        // Without random numbers nobody is signed in.
        let mut random = [0; 16];
        getrandom::fill(&mut random).ok()?;
        let token = random.iter().fold(String::new(), |mut token, byte| {
            let _ = write!(token, "{byte:02x}");
            token
        });
        let field = HeaderValue::from_str(&format!("{NAME}={token}; Path=/; HttpOnly; SameSite=Lax")).ok()?;
        visitors.push_back(SignedIn { token, needs: needs.iter().map(|&need| need.to_owned()).collect() });
        if visitors.len() > MOST_VISITORS {
            visitors.pop_front();
        }
        Some(field)
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
    // An application asks with `fetch`, and wants to know what came of it.
    let accept = head.headers.get(ACCEPT).and_then(|accept| accept.to_str().ok()).unwrap_or_default();
    let is_asked_by_program = accept.contains("application/json");
    let mut response = if is_asked_by_program { needs_as_json(&needs, state) } else { Response::new(Body::default()) };
    if !is_asked_by_program {
        *response.status_mut() = StatusCode::SEE_OTHER;
    }
    let headers = response.headers_mut();
    headers
        .extend(HeaderValue::from_str(location).ok().filter(|_| !is_asked_by_program).map(|value| (LOCATION, value)));
    headers.extend(state.session.change(&head.headers, &needs).map(|value| (SET_COOKIE, value)));
    response
}

/// Says which needs a visitor meets: what an application asks when it is loaded.
pub(super) fn tell(state: &State, headers: &HeaderMap) -> Response<Body> {
    let needs = state.session.needs(headers);
    needs_as_json(&needs.iter().map(String::as_str).collect::<Vec<_>>(), state)
}

fn needs_as_json(needs: &[&str], state: &State) -> Response<Body> {
    let mut all: Vec<&str> = needs.iter().copied().chain(state.meets.iter().map(String::as_str)).collect();
    all.sort_unstable();
    all.dedup();
    super::of_type("application/json", serde_json::json!({ "needs": all }).to_string())
}
