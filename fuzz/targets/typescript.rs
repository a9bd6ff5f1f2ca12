//! Any table as a TypeScript module: nothing in the table is code. Outside of texts, expressions and comments the brackets of the module are
//! balanced, and the name of each route is a text.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vivid_lane::Table;
use vivid_lane_exchange::typescript::{self, Form};

/// The texts of a module that are in double quotes; fails where brackets are not balanced, or something does not end.
fn texts(code: &str) -> Vec<String> {
    let mut texts = Vec::new();
    let mut open = Vec::new();
    let mut rest = code;
    while let Some(one) = rest.chars().next() {
        let after = &rest[one.len_utf8()..];
        rest = match one {
            '"' | '`' => {
                let end = end_of(after, one);
                if one == '"' {
                    texts.push(format!("\"{}", &after[..end]));
                }
                &after[end..]
            }
            '/' if after.starts_with('/') => after.find('\n').map_or("", |end| &after[end..]),
            '/' if after.starts_with('*') => &after[after.find("*/").expect("a comment ends") + 2..],
            // Expressions come first in a call; nothing else in a module is divided.
            '/' => &after[end_of(after, '/')..],
            '(' | '[' | '{' => {
                open.push(one);
                after
            }
            ')' | ']' | '}' => {
                let opened = open.pop().expect("a bracket was opened");
                assert!(matches!((opened, one), ('(', ')') | ('[', ']') | ('{', '}')), "{opened}{one}: {rest:.80}");
                after
            }
            _ => after,
        };
    }
    assert!(open.is_empty(), "{open:?}");
    texts
}

/// Where a text or an expression ends, behind its last mark.
fn end_of(text: &str, mark: char) -> usize {
    let mut chars = text.char_indices();
    while let Some((at, one)) = chars.next() {
        match one {
            '\\' => drop(chars.next()),
            '\n' if mark != '`' => break,
            one if one == mark => return at + one.len_utf8(),
            _ => {}
        }
    }
    panic!("{mark} does not end: {text:.80}");
}

fuzz_target!(|text: &str| {
    let Ok(table) = Table::from_toml(text) else { return };
    for javascript in [false, true] {
        let files = typescript::files(&table, Form { javascript, ..Form::default() }).files;
        let known = texts(&files[0].text);
        for route in table.routes() {
            let name = serde_json::Value::from(route.name()).to_string();
            assert!(known.contains(&name), "{name} is no text of the module");
        }
    }
});
