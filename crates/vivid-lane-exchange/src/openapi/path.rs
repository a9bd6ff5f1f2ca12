//! A path of a description → a path of a table.

use std::fmt::Write;

use super::parameter::Place;
use crate::note::Notes;
use vivid_lane::declare::Place as At;

/// A name as an expression has it, with a star where each item stands for itself.
pub(super) fn starred(name: &str, is_exploded: bool) -> String {
    format!("{name}{}", if is_exploded { "*" } else { "" })
}

/// A path as a table has it.
pub(super) struct Converted {
    /// The template, without its query expressions.
    pub(super) text: String,
    /// Whether the path ends with a slash that is not its first.
    pub(super) ends_with_slash: bool,
    /// The names in the table by the names in the description, in the order of the path.
    pub(super) names: Vec<(String, String)>,
}

/// Writes a path as a template: `/nights/{date}`. The function says in which style a parameter of the path is written.
pub(super) fn convert(path: &str, at: &At, style: impl Fn(&str) -> (Place, bool), notes: &mut Notes) -> Converted {
    let shown = path.escape_debug();
    let mut text = String::with_capacity(path.len());
    let mut names: Vec<(String, String)> = Vec::new();
    let mut path = path;
    if let Some((before, fragment)) = path.split_once('#') {
        let message =
            format!("`{shown}`: a fragment is never sent to a server; `#{}` is left out", fragment.escape_debug());
        notes.left_out("fragment", Some(at.clone()), message);
        path = before;
    }
    if !path.starts_with('/') {
        notes.changed("path", Some(at.clone()), format!("`{shown}`: a path begins with a slash; one is added"));
        text.push('/');
    }
    let (path, query) = path.split_once('?').map_or((path, None), |(path, query)| (path, Some(query)));
    let mut rest = path;
    while let Some(c) = rest.chars().next() {
        let inner = rest.strip_prefix('{').and_then(|rest| rest.split_once('}'));
        if let Some((name, after)) = inner.filter(|(name, _)| !name.is_empty() && !name.contains(['{', '/'])) {
            let known = names.iter().any(|(known, _)| known == name);
            if known {
                let message = format!(
                    "`{shown}`: `{}` stands in the path twice; the second has another name",
                    name.escape_debug()
                );
                notes.renamed("parameter", Some(at.clone()), message);
            }
            let own = free(&variable(name), &names);
            if own != name && !known {
                let message = format!("`{shown}`: the parameter `{}` is named `{own}`", name.escape_debug());
                notes.renamed("parameter", Some(at.clone()), message);
            }
            let (place, is_exploded) = style(name);
            let operator = match place {
                Place::Label => ".",
                Place::Matrix => ";",
                _ => "",
            };
            // A string takes whatever is written.
            let _ = write!(text, "{{{operator}{}}}", starred(&own, is_exploded));
            names.push((name.to_owned(), own));
            rest = after;
            continue;
        }
        if c == '/' && text.ends_with('/') {
            let message = format!("`{shown}`: a table has no empty segments; of two slashes one is left out");
            notes.changed("path", Some(at.clone()), message);
        } else {
            push_literal(&mut text, c, &rest[c.len_utf8()..]);
        }
        rest = &rest[c.len_utf8()..];
    }
    let ends_with_slash = text.len() > 1 && text.ends_with('/');
    if ends_with_slash {
        text.pop();
    }
    if let Some(query) = query.filter(|query| !query.is_empty()) {
        text.push('?');
        for c in query.chars() {
            push_literal(&mut text, c, "00");
        }
    }
    Converted { text, ends_with_slash, names }
}

/// A name that no other parameter of the path has.
fn free(name: &str, names: &[(String, String)]) -> String {
    let mut free = name.to_owned();
    let mut number = 2;
    while names.iter().any(|(_, known)| *known == free) {
        free = format!("{name}_{number}");
        number += 1;
    }
    free
}

/// Characters that a literal of a template cannot have (RFC 6570, section 2.1) are written as escapes.
fn push_literal(text: &mut String, c: char, after: &str) {
    let is_escape = c == '%' && after.len() > 1 && after.as_bytes()[..2].iter().all(u8::is_ascii_hexdigit);
    if is_escape || !(c.is_control() || " \"%<>\\^`{|}".contains(c)) {
        return text.push(c);
    }
    let mut bytes = [0; 4];
    for byte in c.encode_utf8(&mut bytes).bytes() {
        let _ = write!(text, "%{byte:02X}");
    }
}

/// The name of a variable in a path (RFC 6570, section 2.3): what it may not have becomes `_`.
pub(super) fn variable(name: &str) -> String {
    let name: String = name.chars().map(|c| if c.is_ascii_alphanumeric() || c == '_' { c } else { '_' }).collect();
    if name.is_empty() { "_".to_owned() } else { name }
}

/// The name of a variable in a query, which is also the name in the URL: what it may not have is written as an escape.
pub(super) fn query_variable(name: &str) -> String {
    let mut out = String::with_capacity(name.len());
    for byte in name.bytes() {
        if byte.is_ascii_alphanumeric() || byte == b'_' {
            out.push(char::from(byte));
        } else {
            let _ = write!(out, "%{byte:02X}");
        }
    }
    out
}
