//! Calls of the built tool.

use std::ffi::OsStr;
use std::io::Write;
use std::path::PathBuf;
use std::process::{Command, Stdio};

pub(crate) const DEMO: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/demo/larkfell/routes.toml");

#[derive(Debug)]
pub(crate) struct Run {
    pub(crate) status: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

pub(crate) fn tool<S: AsRef<OsStr>>(arguments: &[S], input: &[u8]) -> Run {
    let mut child = Command::new(env!("CARGO_BIN_EXE_vivid-lane"))
        .args(arguments)
        .current_dir(env!("CARGO_TARGET_TMPDIR"))
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the tool starts");
    // A tool that does not read its input closes it early, which is no failure of the test.
    let _ = child.stdin.take().expect("a pipe").write_all(input);
    let output = child.wait_with_output().expect("the tool ends");
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).expect("the tool writes UTF-8");
    Run {
        status: output.status.code().expect("no signal ends the tool"),
        out: text(output.stdout),
        err: text(output.stderr),
    }
}

pub(crate) fn demo(call: &str) -> Run {
    let words: Vec<&str> = ["--table", DEMO].into_iter().chain(call.split(' ')).collect();
    tool(&words, b"")
}

/// A file of this test run.
pub(crate) fn file(name: &str, bytes: &[u8]) -> PathBuf {
    let path = PathBuf::from(env!("CARGO_TARGET_TMPDIR")).join(name);
    std::fs::write(&path, bytes).expect("the file is written");
    path
}

pub(crate) fn with_table(name: &str, bytes: &[u8], call: &[&str]) -> Run {
    let path = file(name, bytes);
    let words: Vec<&OsStr> =
        [OsStr::new("--table"), path.as_os_str()].into_iter().chain(call.iter().map(OsStr::new)).collect();
    tool(&words, b"")
}
