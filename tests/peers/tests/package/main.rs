//! The package for JavaScript beside the tool that is built of Rust: the same calls, on the same files, print the same to the byte, write the
//! same files, and end with the same status.
//!
//! Needs `node`, the tool in `VIVID_LANE_TOOL` and the unpacked package in `VIVID_LANE_PACKAGE`; `.ci/wasm` brings them.

mod calls;
#[allow(dead_code, reason = "the laws of the matcher use all of it")]
#[path = "../reference/mod.rs"]
mod reference;
mod shop;
mod tables;

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use crate::shop::{Shop, package, tool};

/// Commands whose help is the same; that of the tool as a whole lists more of them, and that of `convert` what it learns from logs.
const COMMANDS: [&str; 7] = ["init", "check", "tree", "match", "link", "diff", "schema"];

#[test]
fn calls_on_the_demo_print_the_same() {
    let mut shop = Shop::new("demo");
    shop.demo();
    for command in COMMANDS {
        shop.call(&[command, "--help"]);
        shop.call(&["help", command]);
        shop.call(&[command, "--colour"]);
        shop.call(&["--format", "xml", command]);
    }
    for call in calls::ON_THE_DEMO {
        shop.call(&call.split(' ').collect::<Vec<_>>());
        shop.call(&["--format", "json"].into_iter().chain(call.split(' ')).collect::<Vec<_>>());
    }
    for (call, input) in calls::WITH_INPUT {
        shop.call_with(&call.split(' ').collect::<Vec<_>>(), input.as_bytes());
    }
    for call in calls::ON_ALL_THE_DEMO {
        shop.call(&call.split('|').collect::<Vec<_>>());
    }
    shop.hold();
}

#[test]
fn tables_of_the_data_files_print_the_same() {
    let mut shop = Shop::new("data");
    for (at, (text, requests)) in tables::of_data().into_iter().enumerate() {
        let name = format!("table{at}.toml");
        shop.file(&name, text.as_bytes());
        shop.all_about(&name, &requests);
    }
    shop.hold();
}

#[test]
fn generated_tables_print_the_same() {
    let mut shop = Shop::new("generated");
    let mut before = None;
    for (at, (text, ending, urls)) in tables::generated().into_iter().enumerate() {
        let name = format!("table{at}.{ending}");
        shop.file(&name, text.as_bytes());
        shop.all_about(&name, &urls);
        if let Some(before) = before.replace(name.clone()) {
            shop.call(&["diff", &before, &name]);
            shop.call(&["--format", "json", "diff", &before, &name]);
        }
        // Cut off somewhere.
        let name = format!("cut{at}.{ending}");
        shop.file(&name, &text.as_bytes()[..text.len() * (at % 7 + 1) / 8]);
        shop.call(&["--table", &name, "check"]);
    }
    shop.hold();
}

/// What a process prints, and its status.
fn ran(command: &mut Command) -> (i32, String, String) {
    let output = command.stdin(Stdio::null()).output().expect("the program starts");
    let text = |bytes| String::from_utf8(bytes).expect("UTF-8");
    (output.status.code().expect("no signal ends it"), text(output.stdout), text(output.stderr))
}

fn node() -> Command {
    let mut node = Command::new("node");
    node.arg(package().join("bin.js"));
    node
}

#[test]
fn the_program_is_the_tool() {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/larkfell");
    let variables: [&[(&str, &str)]; 4] =
        [&[], &[("CLICOLOR_FORCE", "1")], &[("CLICOLOR_FORCE", "1"), ("NO_COLOR", "1")], &[("CLICOLOR", "1")]];
    for variables in variables {
        for call in [
            "check",
            "match --explain /objects/tonight /nihgts",
            "link nights.night date=x",
            "tree --hlep",
            "check --help",
        ] {
            let run = |mut command: Command| {
                ran(command.args(call.split(' ')).current_dir(&demo).envs(variables.iter().copied()))
            };
            assert_eq!(run(node()), run(Command::new(tool())), "{call} with {variables:?}");
        }
    }
    // In a terminal, with its colours and its width.
    let in_terminal = |program: &str| {
        let script = format!("stty cols 61 rows 24; {program} match --help; {program} check; {program} tree");
        let mut command = Command::new("script");
        command.args(["--quiet", "--return", "--command", &script, "/dev/null"]);
        ran(command.current_dir(&demo).env("TERM", "xterm").env_remove("CI"))
    };
    let bin = package().join("bin.js");
    let ours = in_terminal(&format!("node {}", bin.display()));
    assert!(ours.1.contains("\u{1b}["), "no colours in {ours:?}");
    assert_eq!(ours, in_terminal(&tool().display().to_string()));
    // A reader that has seen enough.
    let first_line = |program: &str| {
        let mut command = Command::new("bash");
        command.args(["-c", &format!("set -o pipefail; {program} match - < urls.txt | head -1")]);
        ran(command.current_dir(shop::scratch("pipe")))
    };
    let urls = "/nights\n".repeat(20_000);
    std::fs::write(shop::scratch("pipe").join("urls.txt"), urls).expect("a file");
    std::fs::write(shop::scratch("pipe").join("routes.toml"), "[routes.nights]\npath = '/nights'\npage = 'nights'\n")
        .expect("a file");
    assert_eq!(first_line(&format!("node {}", bin.display())), first_line(&tool().display().to_string()));
}

/// A process that ends with the test.
struct Running(Child);

impl Drop for Running {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[test]
fn modules_are_written_again_after_each_save() {
    let folder = shop::scratch("watched");
    let table = |path: &str| {
        format!(
            "[routes.nights]\npath = '{path}'\npage = 'nights'\n[routes.more]\npath = '/more'\ninclude = 'more.toml'\n"
        )
    };
    std::fs::write(folder.join("more.toml"), "[routes.about]\npath = '/about'\npage = 'about'\n").expect("a file");
    std::fs::write(folder.join("routes.toml"), table("/nights")).expect("a file");
    let child = node()
        .args(["convert", "--to", "typescript", "--out", "made", "--watch"])
        .current_dir(&folder)
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .expect("node starts");
    let mut child = Running(child);
    let mut lines = BufReader::new(child.0.stderr.take().expect("a pipe")).lines().map(|line| line.expect("a line"));
    let made = folder.join("made/table.ts");
    let until = |text: &str| {
        let begin = Instant::now();
        while !std::fs::read_to_string(&made).is_ok_and(|made| made.contains(text)) {
            assert!(begin.elapsed() < Duration::from_secs(30), "no {text} in what is made");
            std::thread::sleep(Duration::from_millis(20));
        }
    };
    assert_eq!(lines.next().as_deref(), Some("wrote 3 files in made"));
    until("/nights");
    std::fs::write(folder.join("routes.toml"), table("/evenings")).expect("a file");
    until("/evenings");
    std::fs::write(folder.join("more.toml"), "[routes.about]\npath = '/about-us'\npage = 'about'\n").expect("a file");
    until("/about-us");
    std::fs::write(folder.join("routes.toml"), table("nowhere")).expect("a file");
    let mistake = lines.find(|line| line.starts_with("error"));
    assert_eq!(mistake.as_deref(), Some("error[path-start]: expected a path that starts with `/`, found `nowhere`"));
    std::fs::write(folder.join("routes.toml"), table("/mended")).expect("a file");
    until("/mended");
}

#[test]
fn the_functions_do_what_they_promise() {
    let output = ran(Command::new("node")
        .args(["--expose-gc", "--test", "--test-reporter=tap"])
        .arg(shop::script("functions.mjs")));
    assert_eq!(output.0, 0, "{}{}", output.1, output.2);
}
