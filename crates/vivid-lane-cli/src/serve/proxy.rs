//! Requests that another server answers, such as those to an application's programming interface (RFC 9110, section 7.6).
//!
//! Only the servers that were named are reached. Bodies are streamed both ways, and no connection is kept.

use http::header::{
    CONNECTION, FORWARDED, HOST, HeaderMap, HeaderName, HeaderValue, TE, TRAILER, TRANSFER_ENCODING, UPGRADE, VIA,
};
use http::uri::{Authority, PathAndQuery, Uri};
use http::{Request, Response, StatusCode};
use hyper_util::rt::TokioIo;
use tokio::net::TcpStream;
use vivid_lane_http::Body;

use crate::output::Failure;

/// A path below which another server answers.
#[derive(Debug, Clone)]
pub(crate) struct Proxy {
    /// Without a slash at its end.
    prefix: String,
    authority: Authority,
    /// What takes the place of the prefix; nothing where it stays.
    path: Option<String>,
}

/// What a connection's two ends say to each other alone (RFC 9110, section 7.6.1).
const OF_ONE_CONNECTION: [HeaderName; 5] = [CONNECTION, TE, TRAILER, TRANSFER_ENCODING, UPGRADE];
/// The host that the visitor asked, as older programs read it.
const X_FORWARDED_HOST: HeaderName = HeaderName::from_static("x-forwarded-host");
/// The same, by older programs.
const OF_OLD: [&str; 3] = ["keep-alive", "proxy-connection", "proxy-authenticate"];

impl Proxy {
    /// Reads `/api=http://127.0.0.1:9000`.
    pub(crate) fn read(text: &str) -> Result<Self, Failure> {
        let wrong = |reason: &str| {
            Failure::Argument(format!(
                "expected PATH=URL for `--proxy`, such as /api=http://127.0.0.1:9000, found `{text}`: {reason}"
            ))
        };
        let (prefix, url) = text.split_once('=').ok_or_else(|| wrong("there is no `=`"))?;
        let url: Uri = url.parse().map_err(|_| wrong("what follows the `=` is no URL"))?;
        let prefix = prefix.trim_end_matches('/');
        if !prefix.starts_with('/') {
            return Err(wrong("the path starts with no `/`"));
        }
        match (url.scheme_str(), url.authority()) {
            (Some("http"), Some(authority)) if !authority.as_str().contains('@') => {
                let path = url.path().trim_end_matches('/');
                let path = (!path.is_empty()).then(|| path.to_owned());
                Ok(Self { prefix: prefix.to_owned(), authority: authority.clone(), path })
            }
            _ => Err(wrong("the URL is not of the form http://HOST:PORT")),
        }
    }

    /// Whether a path is one of those that the other server answers.
    pub(crate) fn takes(&self, path: &str) -> bool {
        path.strip_prefix(&*self.prefix).is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
    }

    /// Passes a request on. Where the other server cannot be reached, that is the answer (502). A path with segments of dots is refused: it
    /// might lead that server out of what was named.
    pub(crate) async fn answer(&self, request: Request<Body>) -> Response<Body> {
        if leads_out(&request.uri().path()[self.prefix.len()..]) {
            return super::refused(StatusCode::BAD_REQUEST, "a path with segments of dots is not passed on");
        }
        match self.passed_on(request).await {
            Ok(answer) => answer,
            Err(error) => {
                let text = format!("502 {} cannot be reached: {error}\n", self.authority);
                let mut response = super::of_type("text/plain; charset=utf-8", text);
                *response.status_mut() = StatusCode::BAD_GATEWAY;
                response
            }
        }
    }

    async fn passed_on(
        &self,
        request: Request<Body>,
    ) -> Result<Response<Body>, Box<dyn std::error::Error + Send + Sync>> {
        let (mut head, body) = request.into_parts();
        if let Some(path) = &self.path {
            let sent = head.uri.path_and_query().map_or("/", PathAndQuery::as_str);
            head.uri = format!("{path}{}", &sent[self.prefix.len()..]).parse()?;
        }
        let host = head.headers.get(HOST).and_then(|host| host.to_str().ok()).unwrap_or_default().to_owned();
        of_message(&mut head.headers);
        head.headers.insert(HOST, HeaderValue::from_str(self.authority.as_str())?);
        head.headers.append(
            FORWARDED,
            HeaderValue::from_str(&format!("host=\"{}\";proto=http", host.replace(['"', '\\'], "")))?,
        );
        head.headers.insert(X_FORWARDED_HOST, HeaderValue::from_str(&host)?);
        head.headers.append(VIA, HeaderValue::from_static("1.1 vivid-lane"));
        let port = self.authority.port_u16().unwrap_or(80);
        let stream = TcpStream::connect((self.authority.host().trim_matches(['[', ']']), port)).await?;
        let (mut sender, connection) = hyper::client::conn::http1::handshake(TokioIo::new(stream)).await?;
        // It ends with the answer's body; what went wrong on the way ends the body, too.
        tokio::spawn(connection);
        let (mut head, body) = sender.send_request(Request::from_parts(head, body)).await?.into_parts();
        of_message(&mut head.headers);
        head.headers.append(VIA, HeaderValue::from_static("1.1 vivid-lane"));
        Ok(Response::from_parts(head, Body::new(body)))
    }
}

/// Whether a path has a segment of dots, however it is written.
fn leads_out(path: &str) -> bool {
    let decoded = percent_encoding::percent_decode_str(path).decode_utf8_lossy();
    decoded.split(['/', '\\']).any(|segment| matches!(segment, "." | ".."))
}

/// Leaves what is of the message itself.
fn of_message(headers: &mut HeaderMap) {
    let named: Vec<String> = headers
        .get_all(CONNECTION)
        .iter()
        .filter_map(|field| field.to_str().ok())
        .flat_map(|field| field.split(','))
        .map(|name| name.trim().to_ascii_lowercase())
        .collect();
    named.iter().for_each(|name| drop(headers.remove(name.as_str())));
    OF_ONE_CONNECTION.iter().for_each(|name| drop(headers.remove(name)));
    OF_OLD.iter().for_each(|name| drop(headers.remove(*name)));
}

#[cfg(test)]
mod tests {
    use super::{Proxy, leads_out};

    #[test]
    fn no_path_leads_out() {
        for (path, is_out) in [
            ("/x/y", false),
            ("", false),
            ("/x..y/...", false),
            ("/%252e%252e/", false),
            ("/..", true),
            ("/x/./y", true),
            ("/%2E%2e/admin", true),
            ("/.%2e/admin", true),
            ("/x%2f..%2fadmin", true),
            ("/..%5cadmin", true),
            ("/..\\admin", true),
        ] {
            assert_eq!(leads_out(path), is_out, "{path}");
        }
    }

    #[test]
    fn only_paths_below_the_prefix_are_taken() {
        let proxy = Proxy::read("/api=http://127.0.0.1:9000").expect("a proxy");
        for (path, is_taken) in [("/api", true), ("/api/x", true), ("/apis", false), ("/", false), ("/x/api", false)] {
            assert_eq!(proxy.takes(path), is_taken, "{path}");
        }
    }

    #[test]
    fn what_is_no_proxy_is_refused() {
        for text in
            ["/api", "api=http://127.0.0.1:1", "/api=https://a.example", "/api=127.0.0.1:1", "/api=", "/api=http://"]
        {
            let error = Proxy::read(text).expect_err(text).to_string();
            assert!(error.starts_with("expected PATH=URL for `--proxy`"), "{error}");
        }
    }
}
