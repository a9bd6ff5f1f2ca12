//! Names of routes.

use std::collections::HashSet;

/// Names that are taken already.
#[derive(Debug, Default)]
pub(super) struct Names {
    taken: HashSet<String>,
}

impl Names {
    /// The name, or the first of `name-2`, `name-3` and so on that is free.
    pub(super) fn take(&mut self, name: &str) -> String {
        let mut free = name.to_owned();
        let mut number = 2;
        while self.taken.contains(&free) {
            free = format!("{name}-{number}");
            number += 1;
        }
        self.taken.insert(free.clone());
        free
    }
}

/// A text with only what the name of a route may have; what it may not have becomes `-`.
pub(super) fn legal(text: &str) -> String {
    let mut name = String::with_capacity(text.len());
    for c in text.chars() {
        if c.is_alphanumeric() || matches!(c, '-' | '_') {
            name.push(c);
        } else if !name.ends_with('-') && !name.is_empty() {
            name.push('-');
        }
    }
    let name = name.trim_end_matches('-');
    if name.is_empty() { "route".to_owned() } else { name.to_owned() }
}

/// The name of an operation that has none: `nights-date` for `GET /nights/{date}`, `nights-date-put` for `PUT`.
pub(super) fn made_of(path: &str, method: &str) -> String {
    let name = if path.chars().any(char::is_alphanumeric) { legal(path) } else { "root".to_owned() };
    if method == "get" { name } else { format!("{name}-{method}") }
}
