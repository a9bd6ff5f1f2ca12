//! YAML 1.2: blocks, with what is small on one line. Crates that write YAML have no comments, hence this one.

use std::fmt::Write;

use vivid_lane::declare::Data;

use super::tree::{Branch, Leaf, Value};

/// How long a line with a table on it may be.
const LONGEST_LINE: usize = 110;

pub(super) fn write(tree: &Branch) -> String {
    let mut out = String::new();
    block(&mut out, tree, 0);
    if tree.entries.is_empty() {
        out.push_str("{}\n");
    }
    tree.at_end.iter().for_each(|line| comment(&mut out, line, 0));
    out
}

fn block(out: &mut String, branch: &Branch, depth: usize) {
    for (at, leaf) in branch.entries.iter().enumerate() {
        // The parts of a table stand apart, and so does what is commented.
        let is_part = depth == 0 && matches!(leaf.value, Value::Table(_));
        if at > 0 && (is_part || (depth < 2 && !leaf.above.is_empty())) {
            out.push('\n');
        }
        leaf.above.iter().for_each(|line| comment(out, line, depth));
        entry(out, leaf, depth);
    }
}

fn comment(out: &mut String, line: &str, depth: usize) {
    let text = if line.is_empty() { String::new() } else { format!("{:1$}# {line}", "", depth * 2) };
    out.push_str(&text);
    out.push('\n');
}

fn entry(out: &mut String, leaf: &Leaf, depth: usize) {
    let indent = depth * 2;
    let beside = leaf.beside.as_ref().map(|text| format!("  # {text}")).unwrap_or_default();
    let key = scalar(&leaf.key);
    match &leaf.value {
        Value::Data(data) => {
            let value = flow(data);
            let _ = writeln!(out, "{:indent$}{key}: {value}{beside}", "");
        }
        Value::Table(branch) => {
            let line = flow(&leaf.value.to_data());
            // The tables that people read as one thing: rules and their like.
            let is_small = branch.all_comments().is_empty()
                && branch.entries.iter().all(|leaf| matches!(leaf.value, Value::Data(_)))
                && !branch.entries.iter().any(|leaf| matches!(leaf.key.as_str(), "path" | "origin" | "fallback"))
                && indent + key.len() + line.len() < LONGEST_LINE
                && depth > 0;
            if is_small || branch.entries.is_empty() {
                let _ = writeln!(out, "{:indent$}{key}: {line}{beside}", "");
            } else {
                let _ = writeln!(out, "{:indent$}{key}:{beside}", "");
                block(out, branch, depth + 1);
            }
        }
    }
}

/// A value on one line.
fn flow(data: &Data) -> String {
    match data {
        Data::Null => "null".to_owned(),
        Data::Bool(value) => value.to_string(),
        Data::Integer(number) => number.to_string(),
        Data::Float(number) => format!("{number:?}"),
        Data::Text(text) => scalar(text),
        Data::List(items) => format!("[{}]", items.iter().map(flow).collect::<Vec<_>>().join(", ")),
        Data::Table(entries) if entries.is_empty() => "{}".to_owned(),
        Data::Table(entries) => {
            let entry = |(name, value): &(String, Data)| format!("{}: {}", scalar(name), flow(value));
            format!("{{ {} }}", entries.iter().map(entry).collect::<Vec<_>>().join(", "))
        }
    }
}

/// Words that a reader of YAML, also of an older one, takes for something else than text.
const NOT_TEXT: &[&str] =
    &["null", "true", "false", "yes", "no", "on", "off", "y", "n", "nan", "inf", ".", "..", "-", "~"];

/// A text, in quotes where it could be read as something else.
fn scalar(text: &str) -> String {
    let is_plain = text.starts_with(|c: char| c.is_ascii_alphabetic() || matches!(c, '/' | '_'))
        && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"_./-".contains(&byte))
        && !NOT_TEXT.contains(&text.to_ascii_lowercase().as_str());
    if is_plain { text.to_owned() } else { quoted(text) }
}

/// A double-quoted scalar (YAML 1.2.2, section 7.3.1), which JSON's strings are, but for what is not printable.
fn quoted(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    for c in serde_json::Value::from(text).to_string().chars() {
        match c {
            '\u{7f}'..='\u{9f}' | '\u{2028}' | '\u{2029}' | '\u{feff}' | '\u{fffe}' | '\u{ffff}' => {
                let _ = write!(out, "\\u{:04x}", u32::from(c));
            }
            c => out.push(c),
        }
    }
    out
}
