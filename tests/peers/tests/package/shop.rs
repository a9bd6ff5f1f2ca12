//! Two folders with the same files: in one the tool is called, in the other the package.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use serde_json::{Value as Json, json};

pub(crate) struct Shop {
    folder: PathBuf,
    cases: Vec<Json>,
}

/// The tool that is built of Rust.
pub(crate) fn tool() -> PathBuf {
    std::env::var_os("VIVID_LANE_TOOL").expect("VIVID_LANE_TOOL names the built tool").into()
}

/// The folder of the package.
pub(crate) fn package() -> PathBuf {
    std::env::var_os("VIVID_LANE_PACKAGE").expect("VIVID_LANE_PACKAGE names the unpacked package").into()
}

/// A script of this test.
pub(crate) fn script(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/package").join(name)
}

/// A folder for a test.
pub(crate) fn scratch(name: &str) -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("package-{name}-{}", std::process::id()));
    std::fs::create_dir_all(&folder).expect("the folder can be made");
    folder
}

impl Shop {
    pub(crate) fn new(name: &str) -> Self {
        let folder = scratch(name);
        for side in ["tool", "package"] {
            let _ = std::fs::remove_dir_all(folder.join(side));
            std::fs::create_dir_all(folder.join(side)).expect("the folder can be made");
        }
        Self { folder, cases: Vec::new() }
    }

    /// A file on both sides.
    pub(crate) fn file(&self, name: &str, bytes: &[u8]) {
        for side in ["tool", "package"] {
            let path = self.folder.join(side).join(name);
            std::fs::create_dir_all(path.parent().expect("a folder")).expect("the folder can be made");
            std::fs::write(path, bytes).expect("the file can be written");
        }
    }

    /// The demo data on both sides.
    pub(crate) fn demo(&self) {
        let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/larkfell");
        for (name, bytes) in files(&demo) {
            self.file(&name, &bytes);
        }
    }

    pub(crate) fn call(&mut self, words: &[&str]) {
        self.call_with(words, b"");
    }

    /// Calls the tool, for the package to be called as well.
    pub(crate) fn call_with(&mut self, words: &[&str], input: &[u8]) {
        let mut child = Command::new(tool())
            .args(words)
            .current_dir(self.folder.join("tool"))
            .env("CLICOLOR_FORCE", "1")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("the tool starts");
        // A tool that does not read its input closes it early, which is no failure of the test.
        let _ = child.stdin.take().expect("a pipe").write_all(input);
        let output = child.wait_with_output().expect("the tool ends");
        let text = |bytes| String::from_utf8(bytes).expect("UTF-8");
        self.cases.push(json!({
            "words": words,
            "input": String::from_utf8_lossy(input),
            "status": output.status.code(),
            "out": text(output.stdout),
            "err": text(output.stderr),
        }));
    }

    /// The commands that need nothing but a table.
    pub(crate) fn all_about(&mut self, table: &str, urls: &[String]) {
        self.call(&["--table", table, "check"]);
        for words in [&["check"][..], &["tree"], &["convert", "--to", "yaml"], &["convert", "--to", "json"]] {
            self.call(&[&["--table", table, "--format", "json"], words].concat());
        }
        for to in ["toml", "openapi", "sitemap", "typescript"] {
            self.call(&["--table", table, "convert", "--to", to]);
        }
        if !urls.is_empty() {
            let urls: Vec<&str> = urls.iter().map(String::as_str).collect();
            self.call(&[&["--table", table, "match", "--explain", "--"], urls.as_slice()].concat());
            self.call(&[&["--table", table, "--format", "json", "match", "--explain", "--"], urls.as_slice()].concat());
        }
    }

    /// Calls the package as the tool was called, and holds one against the other.
    pub(crate) fn hold(self) {
        assert!(self.cases.len() > 20, "only {} calls", self.cases.len());
        let cases = self.folder.join("cases.json");
        std::fs::write(&cases, Json::from(self.cases).to_string()).expect("the file can be written");
        let output = Command::new("node")
            .arg(script("run.mjs"))
            .arg(package().join("node.js"))
            .arg(&cases)
            .current_dir(self.folder.join("package"))
            .output()
            .expect("node starts");
        let told = String::from_utf8_lossy(&output.stdout) + String::from_utf8_lossy(&output.stderr);
        assert!(output.status.success(), "{told}");
        let (tool, package) = (files(&self.folder.join("tool")), files(&self.folder.join("package")));
        assert_eq!(tool.keys().collect::<Vec<_>>(), package.keys().collect::<Vec<_>>());
        for (name, bytes) in &tool {
            assert!(package[name] == *bytes, "{name} differs");
        }
        println!("{told}");
        std::fs::remove_dir_all(&self.folder).expect("the folder can be removed");
    }
}

/// All files below a folder.
fn files(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut all = BTreeMap::new();
    for entry in std::fs::read_dir(folder).expect("a folder") {
        let path = entry.expect("an entry").path();
        let name = path.file_name().expect("a name").to_str().expect("UTF-8").to_owned();
        if path.is_dir() {
            all.extend(files(&path).into_iter().map(|(below, bytes)| (format!("{name}/{below}"), bytes)));
        } else {
            all.insert(name, std::fs::read(&path).expect("the file can be read"));
        }
    }
    all
}
