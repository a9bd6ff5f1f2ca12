//! A program for node.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, ChildStdout, Command, Stdio};

/// A program in node that serves, and ends with the test.
pub(crate) struct Node {
    child: Child,
    pub(crate) address: String,
    /// Kept open, as the program writes to it.
    _out: BufReader<ChildStdout>,
}

impl Node {
    /// Starts a program, which says where it is.
    pub(crate) fn start(program: &Path, arguments: &[&str]) -> Self {
        let mut child =
            Command::new("node").arg(program).args(arguments).stdout(Stdio::piped()).spawn().expect("node starts");
        let mut out = BufReader::new(child.stdout.take().expect("a pipe"));
        let mut said = String::new();
        out.read_line(&mut said).expect("it says where it is");
        Self { child, address: said.trim().trim_start_matches("http://").to_owned(), _out: out }
    }
}

impl Drop for Node {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
