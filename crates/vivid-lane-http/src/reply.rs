//! The responses that the service gives by itself.

use http::header::{ALLOW, CACHE_CONTROL, CONTENT_TYPE, LOCATION, RETRY_AFTER, VARY};
use http::{HeaderMap, HeaderValue, Response, StatusCode};
use serde_json::{Map, Value, json};

use crate::Body;
use crate::accept::Form;

/// A response that is being put together.
pub(crate) struct Reply<'a> {
    pub(crate) status: u16,
    /// What is wrong, beyond the name of the status.
    pub(crate) detail: String,
    /// Addresses that may have been meant.
    pub(crate) near: Vec<String>,
    pub(crate) location: Option<&'a str>,
    pub(crate) allow: Option<String>,
    /// After how many seconds it is worth asking again.
    pub(crate) retry_after: Option<u32>,
    /// How long, and by whom, the response may be kept.
    pub(crate) cache: Option<String>,
}

impl<'a> Reply<'a> {
    pub(crate) fn new(status: u16, detail: impl Into<String>) -> Self {
        Self {
            status,
            detail: detail.into(),
            near: Vec::new(),
            location: None,
            allow: None,
            retry_after: None,
            cache: None,
        }
    }

    /// What is said of a host that is none.
    pub(crate) fn bad_host() -> Self {
        Self::new(400, "expected one `Host` field with a host, with or without a port")
    }

    pub(crate) fn to(status: u16, location: &'a str) -> Self {
        Self { location: Some(location), ..Self::new(status, "") }
    }

    /// The response, in a form, about a path.
    pub(crate) fn respond(self, form: Form, path: &str) -> Response<Body> {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let has_body = status != StatusCode::NO_CONTENT;
        let (kind, text) = match form {
            Form::Plain => ("text/plain; charset=utf-8", self.plain(status)),
            Form::Html => ("text/html; charset=utf-8", self.html(status)),
            Form::Json => ("application/problem+json", self.json(status, path)),
        };
        let mut response = Response::new(if has_body { Body::from(text) } else { Body::default() });
        *response.status_mut() = status;
        let headers = response.headers_mut();
        if has_body {
            headers.insert(CONTENT_TYPE, HeaderValue::from_static(kind));
            headers.insert(VARY, HeaderValue::from_static("Accept"));
        }
        self.put_fields(headers);
        response
    }

    /// What stands in the fields of the response, whatever its body is.
    fn put_fields(&self, headers: &mut HeaderMap) {
        let retry_after = self.retry_after.map(|seconds| seconds.to_string());
        let fields = [
            (LOCATION, self.location),
            (ALLOW, self.allow.as_deref()),
            (RETRY_AFTER, retry_after.as_deref()),
            (CACHE_CONTROL, self.cache.as_deref()),
        ];
        for (name, value) in fields {
            // A table writes nothing that a field may not hold; what is no value is left out, never passed on.
            if let Some(value) = value.and_then(|value| HeaderValue::from_str(value).ok()) {
                headers.insert(name, value);
            }
        }
    }

    /// The same for a response whose body a page makes.
    pub(crate) fn stamp(&self) -> Stamp {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
        let mut fields = HeaderMap::new();
        self.put_fields(&mut fields);
        Stamp { status, fields }
    }

    fn title(status: StatusCode) -> &'static str {
        status.canonical_reason().unwrap_or("Error")
    }

    fn plain(&self, status: StatusCode) -> String {
        let mut text = format!("{} {}\n", status.as_u16(), Self::title(status));
        for line in self.location.into_iter().chain(Some(self.detail.as_str()).filter(|text| !text.is_empty())) {
            text.push_str(line);
            text.push('\n');
        }
        text
    }

    fn html(&self, status: StatusCode) -> String {
        let title = Self::title(status);
        let mut text = format!(
            "<!DOCTYPE html>\n<html lang=\"en\">\n<meta charset=\"utf-8\">\n<title>{0} {title}</title>\n<h1>{title}</h1>\n",
            status.as_u16()
        );
        if !self.detail.is_empty() {
            text.push_str(&format!("<p>{}</p>\n", escaped(&self.detail)));
        }
        if let Some(location) = self.location {
            let location = escaped(location);
            text.push_str(&format!("<p><a href=\"{location}\">{location}</a></p>\n"));
        }
        if !self.near.is_empty() {
            text.push_str("<p>Near it:</p>\n<ul>\n");
            for url in &self.near {
                let url = escaped(url);
                text.push_str(&format!("<li><a href=\"{url}\">{url}</a></li>\n"));
            }
            text.push_str("</ul>\n");
        }
        text.push_str("</html>\n");
        text
    }

    /// Problem details (RFC 9457, section 3).
    fn json(&self, status: StatusCode, path: &str) -> String {
        let mut problem = Map::new();
        problem.insert("type".into(), "about:blank".into());
        problem.insert("title".into(), Self::title(status).into());
        problem.insert("status".into(), status.as_u16().into());
        if !self.detail.is_empty() {
            problem.insert("detail".into(), self.detail.as_str().into());
        }
        problem.insert("instance".into(), path.into());
        if let Some(location) = self.location {
            problem.insert("location".into(), location.into());
        }
        if !self.near.is_empty() {
            problem.insert("near".into(), json!(self.near));
        }
        Value::Object(problem).to_string()
    }
}

/// The status and the fields that the response of a fallback has, whatever its page says.
pub(crate) struct Stamp {
    pub(crate) status: StatusCode,
    fields: HeaderMap,
}

impl Stamp {
    pub(crate) fn put_on<T>(&self, mut response: Response<T>) -> Response<T> {
        *response.status_mut() = self.status;
        for (name, value) in &self.fields {
            response.headers_mut().insert(name, value.clone());
        }
        response
    }
}

/// The response of a page, or of a fallback.
pub(crate) fn stamped<T>(response: Response<T>, stamp: Option<&Stamp>) -> Response<T> {
    match stamp {
        Some(stamp) => stamp.put_on(response),
        None => response,
    }
}

/// Text as HTML has it, also within quotes.
fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            c => out.push(c),
        }
    }
    out
}
