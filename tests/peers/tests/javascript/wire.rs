//! Requests as bytes, and what comes back: nothing between a test and the wire puts right what was sent.

use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::time::Duration;

/// What came back, without the fields that each connection has for itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Answer {
    pub(crate) status: u16,
    pub(crate) fields: BTreeMap<String, Vec<String>>,
    pub(crate) body: String,
}

/// A connection that is opened again where the server closes it.
pub(crate) struct Wire {
    address: String,
    open: Option<BufReader<TcpStream>>,
}

/// Fields that are about the connection, or the clock.
const OF_CONNECTION: [&str; 4] = ["connection", "date", "keep-alive", "transfer-encoding"];

impl Wire {
    pub(crate) fn to(address: &str) -> Self {
        Self { address: address.to_owned(), open: None }
    }

    /// Sends the bytes of a request; `None` if nothing comes back.
    pub(crate) fn ask(&mut self, request: &[u8]) -> Option<Answer> {
        let is_head = request.starts_with(b"HEAD ");
        // A connection that was kept may have been closed meanwhile.
        let was_open = self.open.is_some();
        self.try_once(request, is_head).or_else(|| if was_open { self.try_once(request, is_head) } else { None })
    }

    fn try_once(&mut self, request: &[u8], is_head: bool) -> Option<Answer> {
        let mut stream = match self.open.take() {
            Some(open) => open,
            None => {
                let stream = TcpStream::connect(&self.address).ok()?;
                stream.set_nodelay(true).ok()?;
                stream.set_read_timeout(Some(Duration::from_secs(20))).ok()?;
                BufReader::new(stream)
            }
        };
        stream.get_mut().write_all(request).ok()?;
        let (answer, is_kept) = read(&mut stream, is_head)?;
        self.open = is_kept.then_some(stream);
        Some(answer)
    }
}

fn line(stream: &mut BufReader<TcpStream>) -> Option<String> {
    let mut line = Vec::new();
    stream.read_until(b'\n', &mut line).ok().filter(|&count| count > 0)?;
    Some(String::from_utf8_lossy(&line).trim_end().to_owned())
}

fn read(stream: &mut BufReader<TcpStream>, is_head: bool) -> Option<(Answer, bool)> {
    let status: u16 = line(stream)?.split(' ').nth(1)?.parse().ok()?;
    let mut fields: BTreeMap<String, Vec<String>> = BTreeMap::new();
    loop {
        let line = line(stream)?;
        let Some((name, value)) = line.split_once(':') else { break };
        fields.entry(name.to_ascii_lowercase()).or_default().push(value.trim().to_owned());
    }
    let first = |name: &str| fields.get(name).and_then(|values| values.first()).cloned();
    let is_kept = first("connection").is_none_or(|said| !said.eq_ignore_ascii_case("close"));
    let mut body = Vec::new();
    if is_head || matches!(status, 204 | 304) {
    } else if let Some(length) = first("content-length").and_then(|length| length.parse().ok()) {
        body.resize(length, 0);
        stream.read_exact(&mut body).ok()?;
    } else if first("transfer-encoding").is_some() {
        loop {
            let size = usize::from_str_radix(&line(stream)?, 16).ok()?;
            let start = body.len();
            body.resize(start + size, 0);
            stream.read_exact(&mut body[start..]).ok()?;
            line(stream)?;
            if size == 0 {
                break;
            }
        }
    } else {
        stream.read_to_end(&mut body).ok()?;
    }
    OF_CONNECTION.iter().for_each(|name| drop(fields.remove(*name)));
    Some((Answer { status, fields, body: String::from_utf8_lossy(&body).into_owned() }, is_kept))
}
