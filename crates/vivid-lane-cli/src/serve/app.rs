//! A single-page application: its files, and its one page for every URL.

use std::path::{Path, PathBuf};

use bytes::{Bytes, BytesMut};
use http::header::{CONTENT_LENGTH, CONTENT_TYPE};
use http::{HeaderValue, Request, Response, StatusCode};
use http_body_util::Channel;
use tokio::io::AsyncReadExt;
use vivid_lane_http::{Body, Error, Handler, RoutedPages};

use super::{State, now};
use crate::output::Failure;

/// The page that stands for every URL.
const INDEX: &str = "index.html";

/// The largest page that something is put into.
const MOST_PAGE: u64 = 16 * 1024 * 1024;
/// How much of a file is read at a time.
const PIECE: usize = 64 * 1024;

/// What is shown while it is not there.
const MISSING: &str = "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><meta http-equiv=\"refresh\" content=\"1\">\
    <title>No index.html</title><p>There is no file <code>index.html</code> in the folder of the application. This page looks again \
    every second.</p></html>";

/// The folder, which must have an `index.html`.
pub(super) fn folder(named: &Path) -> Result<PathBuf, Failure> {
    let failure = |error| Failure::File { path: named.join(INDEX), error };
    let folder = named.canonicalize().map_err(failure)?;
    std::fs::metadata(folder.join(INDEX)).map_err(failure)?;
    match file(&folder, &format!("/{INDEX}")) {
        Some(_) => Ok(folder),
        None => Err(failure(std::io::Error::other("it is not a file within that folder"))),
    }
}

/// The file that a path means, if it stands in the folder: no way leads out, whatever is escaped, doubled or linked.
fn file(folder: &Path, path: &str) -> Option<PathBuf> {
    let mut wanted = folder.to_owned();
    for segment in path.strip_prefix('/')?.split('/') {
        let text = percent_encoding::percent_decode_str(segment).decode_utf8().ok()?;
        let is_plain = !text.is_empty() && !text.starts_with('.') && !text.contains(['/', '\\', ':', '\0']);
        if !is_plain {
            return None;
        }
        wanted.push(&*text);
    }
    // A link may lead to another place, but not out of the folder, and to nothing that is hidden.
    let real = wanted.canonicalize().ok()?;
    let is_hidden = |part: std::path::Component<'_>| part.as_os_str().as_encoded_bytes().starts_with(b".");
    let below = real.strip_prefix(folder).ok()?;
    (!below.components().any(is_hidden) && real.is_file()).then_some(real)
}

/// A file of the application; else its page, with the status that the table gives the URL.
pub(super) async fn answer(
    state: &State,
    folder: &Path,
    routed: &RoutedPages<Handler>,
    request: Request<Body>,
) -> Result<Response<Body>, Error> {
    let table = now(state);
    let path = request.uri().path();
    // Files stand below the base of the site, as its pages do; a site in the fragment has its document for a base.
    let below = if table.is_in_fragment() { Some(path) } else { path.strip_prefix(table.base()) };
    if let Some(path) = below.and_then(|path| file(folder, path)) {
        let kind = mime_guess::from_path(&path).first_or_octet_stream();
        let is_page = kind.essence_str() == "text/html";
        return read(&path, kind.essence_str(), StatusCode::OK, is_page.then_some(state)).await;
    }
    let answer = super::routed(routed, request).await;
    match answer.status() {
        status @ (StatusCode::OK | StatusCode::NOT_FOUND) => match file(folder, &format!("/{INDEX}")) {
            Some(page) => read(&page, "text/html", status, Some(state)).await,
            // Whoever builds the application is about to write it again; the page asks until then.
            None => Ok(html(MISSING.into(), StatusCode::SERVICE_UNAVAILABLE, state)),
        },
        _ => Ok(answer),
    }
}

/// A page with a message for its developer if the table is broken, and with the script that waits for changes.
fn dressed(page: Vec<u8>, state: &State) -> Vec<u8> {
    let mut more = String::new();
    if let Some(broken) = &state.found().broken {
        let shown = broken.replace('&', "&amp;").replace('<', "&lt;");
        let style = "position:fixed;inset:auto 0 0;max-height:50vh;overflow:auto;margin:0;padding:1rem;background:#3b0d0c;color:#fff;font:13px/1.4 monospace;z-index:2147483647";
        more.push_str(&format!(
            "<pre role=\"alert\" style=\"{style}\">The table is broken; the one before it is served.\n\n{shown}</pre>"
        ));
    }
    if state.changes.is_some() {
        more.push_str("<script src=\"/-/reload.js\"></script>");
    }
    let Ok(mut page) = String::from_utf8(page) else { return more.into_bytes() };
    let end = page.to_ascii_lowercase().rfind("</body>").unwrap_or(page.len());
    page.insert_str(end, &more);
    page.into_bytes()
}

/// A file, piece by piece; a page is read whole, as something is put into it, unless it is very large.
async fn read(path: &Path, kind: &str, status: StatusCode, state: Option<&State>) -> Result<Response<Body>, Error> {
    let mut file = tokio::fs::File::open(path).await.map_err(Error::new)?;
    let length = file.metadata().await.map_err(Error::new)?.len();
    if let Some(state) = state.filter(|_| length <= MOST_PAGE) {
        let mut bytes = Vec::new();
        file.take(MOST_PAGE).read_to_end(&mut bytes).await.map_err(Error::new)?;
        return Ok(html(bytes, status, state));
    }
    let (mut sender, body) = Channel::<Bytes, Error>::new(1);
    tokio::spawn(async move {
        let mut left = length;
        while left > 0 {
            let mut piece = BytesMut::with_capacity(PIECE);
            match file.read_buf(&mut piece).await {
                Ok(0) => break,
                Ok(bytes) => {
                    // It may have grown meanwhile.
                    piece.truncate(usize::try_from(left).unwrap_or(bytes));
                    left = left.saturating_sub(bytes as u64);
                    // Nobody reads any more where it cannot be sent.
                    if sender.send_data(piece.freeze()).await.is_err() {
                        return;
                    }
                }
                Err(error) => return sender.abort(Error::new(error)),
            }
        }
    });
    let kind = if kind.starts_with("text/") { format!("{kind}; charset=utf-8") } else { kind.to_owned() };
    let mut response = response(Body::new(body), &kind, status);
    response.headers_mut().insert(CONTENT_LENGTH, length.into());
    Ok(response)
}

fn html(page: Vec<u8>, status: StatusCode, state: &State) -> Response<Body> {
    response(Body::from(dressed(page, state)), "text/html; charset=utf-8", status)
}

fn response(body: Body, kind: &str, status: StatusCode) -> Response<Body> {
    let mut response = Response::new(body);
    *response.status_mut() = status;
    response.headers_mut().extend(HeaderValue::from_str(kind).ok().map(|kind| (CONTENT_TYPE, kind)));
    response
}

#[cfg(test)]
mod tests {
    use super::file;

    #[test]
    fn no_way_leads_out_of_the_folder() {
        let outside = tempfile::tempdir().expect("a folder");
        std::fs::write(outside.path().join("secret.txt"), "s").expect("a file");
        let folder = outside.path().canonicalize().expect("a folder").join("app");
        std::fs::create_dir_all(folder.join("assets")).expect("a folder");
        std::fs::write(folder.join("assets/main.js"), "m").expect("a file");
        std::fs::write(folder.join(".hidden"), "h").expect("a file");
        #[cfg(unix)]
        std::os::unix::fs::symlink(outside.path().join("secret.txt"), folder.join("link.txt")).expect("a link");
        #[cfg(unix)]
        std::os::unix::fs::symlink(folder.join(".hidden"), folder.join("shown.txt")).expect("a link");
        assert!(file(&folder, "/assets/main.js").is_some());
        assert!(file(&folder, "/assets/m%61in.js").is_some());
        let ways_out = [
            "/../secret.txt",
            "/%2e%2e/secret.txt",
            "/%252e%252e/secret.txt",
            "/assets/../../secret.txt",
            "/..%2fsecret.txt",
            "/assets%2f..%2f..%2fsecret.txt",
            "//secret.txt",
            "/..\\secret.txt",
            "/%5c..%5csecret.txt",
            "/link.txt",
            "/shown.txt",
            "/.hidden",
            "/assets",
            "/",
            "",
            "/assets/main.js%00",
            "/C:/secret.txt",
            "/%ff",
        ];
        for way in ways_out {
            assert_eq!(file(&folder, way), None, "{way}");
        }
    }
}
