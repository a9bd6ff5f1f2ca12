//! The built tool as a server.

use std::process::{Command, Stdio};

/// A server that ends with the test.
pub(crate) struct Server {
    child: std::process::Child,
    /// Kept open, as the server writes to it.
    _out: std::io::BufReader<std::process::ChildStdout>,
    /// Where it is, without a slash at the end.
    pub(crate) url: String,
}

impl Drop for Server {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Lets the tool serve a table on a free port.
pub(crate) fn serve(tool: &str, table: &str, more: &[&str]) -> Server {
    use std::io::BufRead;
    let mut child = Command::new(tool)
        .args([&["--table", table, "serve", "--port", "0"], more].concat())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("the tool starts");
    let mut said = String::new();
    let mut out = std::io::BufReader::new(child.stdout.take().expect("a pipe"));
    out.read_line(&mut said).expect("it says where it is");
    let url = said.trim_end().rsplit(' ').next().expect("a URL").to_owned();
    Server { child, _out: out, url }
}
