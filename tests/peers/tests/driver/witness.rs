//! What a server is asked, seen from beside it.

use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::{Arc, Mutex};

/// Passes requests on to a server, and keeps their first lines.
pub(crate) struct Witness {
    pub(crate) url: String,
    seen: Arc<Mutex<Vec<String>>>,
}

impl Witness {
    pub(crate) fn of(server: &str) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let url = format!("http://{}", listener.local_addr().expect("an address"));
        let target = server.trim_start_matches("http://").to_owned();
        let seen = Arc::new(Mutex::new(Vec::new()));
        let keep = Arc::clone(&seen);
        std::thread::spawn(move || {
            for visitor in listener.incoming().flatten() {
                let (target, keep) = (target.clone(), Arc::clone(&keep));
                std::thread::spawn(move || pass_on(visitor, &target, &keep));
            }
        });
        Self { url, seen }
    }

    /// The requests since this was asked last.
    pub(crate) fn seen(&self) -> Vec<String> {
        std::mem::take(&mut *self.seen.lock().expect("nobody panics with it"))
    }
}

/// One request and its answer; then the connection ends.
fn pass_on(mut visitor: TcpStream, target: &str, seen: &Mutex<Vec<String>>) -> Option<()> {
    let mut sent = Vec::new();
    let mut buffer = [0; 4096];
    let head = loop {
        let count = visitor.read(&mut buffer).ok().filter(|&count| count > 0)?;
        sent.extend_from_slice(&buffer[..count]);
        if let Some(end) = sent.windows(4).position(|four| four == b"\r\n\r\n") {
            break end;
        }
    };
    let text = String::from_utf8_lossy(&sent[..head]).into_owned();
    let line = text.lines().next()?.trim_end_matches(" HTTP/1.1").to_owned();
    let length =
        text.lines().find_map(|line| line.to_ascii_lowercase().strip_prefix("content-length: ")?.parse::<usize>().ok());
    let mut body = sent.split_off(head + 4);
    while body.len() < length.unwrap_or(0) {
        let count = visitor.read(&mut buffer).ok().filter(|&count| count > 0)?;
        body.extend_from_slice(&buffer[..count]);
    }
    seen.lock().ok()?.push(line);
    let mut server = TcpStream::connect(target).ok()?;
    let fields = text.lines().filter(|line| !line.to_ascii_lowercase().starts_with("connection:"));
    let request = fields.collect::<Vec<_>>().join("\r\n") + "\r\nConnection: close\r\n\r\n";
    server.write_all(request.as_bytes()).ok()?;
    server.write_all(&body).ok()?;
    std::io::copy(&mut server, &mut visitor).ok().map(drop)
}
