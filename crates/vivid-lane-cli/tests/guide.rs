//! Runs the guide and the README: what a chapter shows is what the tool prints.
//!
//! Each chapter is worked through in an empty folder. A block that opens with a file name in a comment (`# routes.toml`), or that
//! follows `<!-- file: NAME -->`, is written to that file. A `console` block is run: its lines after `$ ` are given to a shell, and
//! the lines below each must be what comes back, on either stream.
//!
//! `GUIDE=write cargo test -p vivid-lane-cli --test guide` writes what came back into the chapters instead.

use std::path::{Path, PathBuf};
use std::process::Command;

const PROJECT: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");

fn read(path: &Path) -> String {
    std::fs::read_to_string(path).unwrap_or_else(|error| panic!("{}: {error}", path.display()))
}

/// The Markdown files of a folder of the project, in the order of their names.
fn pages(folder: &str) -> Vec<PathBuf> {
    let folder = Path::new(PROJECT).join(folder);
    let entries = std::fs::read_dir(&folder).unwrap_or_else(|error| panic!("{}: {error}", folder.display()));
    let mut pages: Vec<PathBuf> = entries.map(|entry| entry.expect("an entry").path()).collect();
    pages.retain(|page| page.extension().is_some_and(|ending| ending == "md"));
    pages.sort();
    pages
}

/// What a shell in `folder` prints for a command, on both streams.
fn shell(folder: &Path, command: &str) -> String {
    let tool = Path::new(env!("CARGO_BIN_EXE_vivid-lane")).parent().expect("the tool stands in a folder");
    let path = format!("{}:{}", tool.display(), std::env::var("PATH").unwrap_or_default());
    let output = Command::new("bash")
        .args(["-c", &format!("exec 2>&1\n{command}")])
        .current_dir(folder)
        .env("PATH", path)
        .env_remove("CLICOLOR_FORCE")
        .output()
        .expect("a shell starts");
    String::from_utf8(output.stdout).expect("the tool writes UTF-8")
}

/// The file that a block is written to, if it says one.
fn file_of(before: &str, body: &[&str]) -> Option<String> {
    if let Some(name) = before.strip_prefix("<!-- file: ") {
        return name.strip_suffix(" -->").map(str::to_owned);
    }
    let comment = body.first()?;
    let name = ["# ", "// "].iter().find_map(|mark| comment.strip_prefix(mark))?;
    let is_name = name.contains('.') && !name.contains(' ');
    is_name.then(|| name.to_owned())
}

/// A console block as it would be printed now.
fn run_console(folder: &Path, body: &[&str]) -> Vec<String> {
    let mut printed = Vec::new();
    let mut lines = body.iter().peekable();
    while let Some(line) = lines.next() {
        let Some(first) = line.strip_prefix("$ ") else { continue };
        let mut command = first.to_owned();
        printed.push((*line).to_owned());
        while command.ends_with('\\') {
            let more = lines.next().expect("a command goes on after a backslash");
            command = format!("{command}\n{more}");
            printed.push((*more).to_owned());
        }
        printed.extend(shell(folder, &command).lines().map(|line| line.trim_end().to_owned()));
    }
    printed
}

/// The chapter as it is when everything in it has been done, in an empty folder.
fn work_through(text: &str, folder: &Path) -> String {
    let mut done: Vec<String> = Vec::new();
    let lines: Vec<&str> = text.lines().collect();
    let mut at = 0;
    while at < lines.len() {
        done.push(lines[at].to_owned());
        if let Some(language) = lines[at].strip_prefix("```") {
            let end = (at + 1..lines.len()).find(|&line| lines[line] == "```").expect("a block is closed");
            let body = &lines[at + 1..end];
            if language == "console" {
                done.extend(run_console(folder, body));
            } else {
                if let Some(name) = file_of(if at > 0 { lines[at - 1] } else { "" }, body) {
                    let path = folder.join(name);
                    std::fs::create_dir_all(path.parent().expect("a file stands in a folder")).expect("a folder");
                    std::fs::write(path, body.join("\n") + "\n").expect("the file is written");
                }
                done.extend(body.iter().map(|line| (*line).to_owned()));
            }
            done.push(lines[end].to_owned());
            at = end;
        }
        at += 1;
    }
    done.join("\n") + "\n"
}

#[test]
fn pages_show_what_the_tool_prints() {
    let mut commands = 0;
    for page in pages("docs/guide").into_iter().chain([Path::new(PROJECT).join("README.md")]) {
        let text = read(&page);
        commands += text.lines().filter(|line| line.starts_with("$ vivid-lane")).count();
        let folder = tempfile::tempdir().expect("an empty folder");
        let done = work_through(&text, folder.path());
        if std::env::var_os("GUIDE").is_some_and(|word| word == "write") {
            std::fs::write(&page, &done).expect("the chapter is written");
            continue;
        }
        for (number, (shown, printed)) in text.lines().zip(done.lines()).enumerate() {
            let place = format!("{}:{}", page.display(), number + 1);
            assert_eq!(shown, printed, "{place}: shown on the left, printed on the right; `GUIDE=write` mends it");
        }
        assert_eq!(text, done, "{}", page.display());
    }
    assert!(commands > 50, "only {commands} commands are shown");
}

#[test]
fn chapters_are_short() {
    for page in pages("docs/guide") {
        let lines = read(&page).lines().count();
        assert!(lines <= 120, "{} has {lines} lines", page.display());
    }
    assert!(read(&Path::new(PROJECT).join("README.md")).lines().count() <= 150);
}

/// The anchor that a heading gets on code hosts: small letters, hyphens for spaces, and nothing else that is no letter or digit.
fn anchor(heading: &str) -> String {
    let kept = heading.chars().filter(|c| c.is_alphanumeric() || matches!(c, ' ' | '-' | '_'));
    kept.collect::<String>().to_lowercase().replace(' ', "-")
}

/// The targets of the links of a page, apart from its code.
fn targets(text: &str) -> Vec<String> {
    let mut is_code = false;
    let mut found = Vec::new();
    for line in text.lines() {
        if line.starts_with("```") {
            is_code = !is_code;
        }
        if !is_code {
            let links = line.match_indices("](").map(|(at, mark)| &line[at + mark.len()..]);
            found.extend(links.filter_map(|rest| rest.split_once(')')).map(|(target, _)| target.to_owned()));
        }
    }
    found
}

#[test]
fn links_lead_somewhere() {
    let folders = [".", "docs", "docs/guide", "examples/replay-cluster", "crates/vivid-lane-cli"];
    let mut links = 0;
    for page in folders.iter().flat_map(|folder| pages(folder)) {
        for target in targets(&read(&page)) {
            if target.contains("://") || target.starts_with("mailto:") {
                continue;
            }
            links += 1;
            let (file, part) = target.split_once('#').unwrap_or((&target, ""));
            let file = if file.is_empty() {
                page.clone()
            } else {
                page.parent().expect("a page stands in a folder").join(file)
            };
            assert!(file.exists(), "{}: `{target}` leads nowhere", page.display());
            if !part.is_empty() {
                let text = read(&file);
                let headings =
                    text.lines().filter(|line| line.starts_with('#')).map(|line| line.trim_start_matches('#').trim());
                assert!(
                    headings.map(anchor).any(|one| one == part),
                    "{}: `{target}` has no such heading",
                    page.display()
                );
            }
        }
    }
    assert!(links > 50, "only {links} links");
}
