//! Any bytes as the cookies of a request: a session is found where it stands as a cookie of its own, wherever that is, and not where it is a
//! part of something else.

#![no_main]

#[allow(dead_code, reason = "the tool's own file")]
#[path = "../../crates/vivid-lane-cli/src/serve/cookie.rs"]
mod cookie;

use http::header::COOKIE;
use http::{HeaderMap, HeaderValue};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|fields: Vec<&[u8]>| {
    let mut headers = HeaderMap::new();
    for field in fields.into_iter().take(4) {
        if let Ok(field) = HeaderValue::from_bytes(field) {
            headers.append(COOKIE, field);
        }
    }
    let found = cookie::token(&headers).map(str::to_owned);
    // Told of the same pairs one by one, as HTTP/2 may do (RFC 9113, section 8.2.3), it finds the same.
    let mut apart = HeaderMap::new();
    let mut joined: Vec<&str> = Vec::new();
    for pair in
        headers.get_all(COOKIE).iter().filter_map(|field| field.to_str().ok()).flat_map(|field| field.split("; "))
    {
        apart.append(COOKIE, HeaderValue::from_str(pair).expect("a part of a field"));
        joined.push(pair);
    }
    assert_eq!(cookie::token(&apart), found.as_deref());
    match &found {
        Some(token) => assert!(joined.contains(&format!("{}={token}", cookie::NAME).as_str()), "{token}"),
        None => {
            headers.append(COOKIE, HeaderValue::from_static("a=b; session=0123; c=d"));
            assert_eq!(cookie::token(&headers), Some("0123"));
        }
    }
});
