//! TOML 1.0, as people write tables: a header for each route, a line for each rule.

use toml_writer::{ToTomlKey, ToTomlValue};
use vivid_lane::declare::Data;

use super::tree::{Branch, Leaf, Value};
use crate::note::Notes;

pub(super) fn write(tree: &Branch, notes: &mut Notes) -> String {
    let mut writer = Writer { notes, out: String::new() };
    // A value after a header would belong to that header's table.
    for leaf in tree.entries.iter().filter(|leaf| matches!(leaf.value, Value::Data(_))) {
        writer.value("", leaf, &leaf.key);
    }
    for leaf in &tree.entries {
        match &leaf.value {
            Value::Table(branch) if matches!(leaf.key.as_str(), "routes" | "needs") => writer.group(leaf, branch),
            Value::Table(branch) => {
                writer.table(&leaf.key.to_toml_key(), leaf, &leaf.above, branch, &[]);
            }
            Value::Data(_) => {}
        }
    }
    if !tree.at_end.is_empty() {
        writer.out.push('\n');
    }
    writer.comments(&tree.at_end);
    writer.out
}

/// Tables within a route that are no routes.
const ON_A_LINE: &[&str] = &["params", "redirect", "data"];

struct Writer<'n> {
    notes: &'n mut Notes,
    out: String,
}

impl Writer<'_> {
    /// A table that has no header of its own, but whose tables have.
    fn group(&mut self, leaf: &Leaf, branch: &Branch) {
        let path = leaf.key.to_toml_key();
        let mut above = leaf.above.clone();
        above.extend(leaf.beside.clone());
        let is_table = |leaf: &&Leaf| matches!(leaf.value, Value::Table(_));
        let (tables, values): (Vec<&Leaf>, Vec<&Leaf>) = branch.entries.iter().partition(is_table);
        if tables.is_empty() || !values.is_empty() {
            self.header(&path, &std::mem::take(&mut above), None);
        }
        // No table could be made of these; they are written so that the error has their place.
        values.into_iter().for_each(|leaf| self.value("", leaf, &leaf.key));
        for leaf in tables {
            above.extend(leaf.above.iter().cloned());
            if let Value::Table(inner) = &leaf.value {
                let path = format!("{path}.{}", leaf.key.to_toml_key());
                self.table(&path, leaf, &std::mem::take(&mut above), inner, ON_A_LINE);
            }
        }
    }

    /// A table with a header: its values first, then the tables that are not written on a line.
    fn table(&mut self, path: &str, leaf: &Leaf, above: &[String], branch: &Branch, on_a_line: &[&str]) {
        self.header(path, above, leaf.beside.as_deref());
        let is_child = |leaf: &&Leaf| {
            matches!(leaf.value, Value::Table(_)) && !on_a_line.is_empty() && !on_a_line.contains(&leaf.key.as_str())
        };
        let (children, values): (Vec<&Leaf>, Vec<&Leaf>) = branch.entries.iter().partition(is_child);
        for one in values {
            match &one.value {
                Value::Table(inner) if matches!(one.key.as_str(), "params" | "data") && !inner.entries.is_empty() => {
                    self.dotted(one, inner);
                }
                _ => self.value("", one, &leaf.key),
            }
        }
        for child in children {
            if let Value::Table(inner) = &child.value {
                let path = format!("{path}.{}", child.key.to_toml_key());
                self.table(&path, child, &child.above, inner, on_a_line);
            }
        }
    }

    /// Stands apart from what is before it.
    fn header(&mut self, path: &str, above: &[String], beside: Option<&str>) {
        if !self.out.is_empty() {
            self.out.push('\n');
        }
        self.comments(above);
        self.out.push_str(&format!("[{path}]"));
        self.end_line(beside);
    }

    /// `params.date = "date"`, a line for each.
    fn dotted(&mut self, leaf: &Leaf, inner: &Branch) {
        self.comments(&leaf.above);
        self.comments(leaf.beside.as_slice());
        for one in &inner.entries {
            self.value(&format!("{}.", leaf.key.to_toml_key()), one, &leaf.key);
        }
    }

    /// A value on one line, with the comments about it, and those within it, above.
    fn value(&mut self, before: &str, leaf: &Leaf, owner: &str) {
        let Some(value) = self.toml(&leaf.value.to_data(), &format!("{owner}.{}", leaf.key)) else { return };
        self.comments(&leaf.above);
        self.comments(&leaf.value.comments());
        self.out.push_str(&format!("{before}{} = {value}", leaf.key.to_toml_key()));
        self.end_line(leaf.beside.as_deref());
    }

    fn end_line(&mut self, beside: Option<&str>) {
        if let Some(beside) = beside {
            self.out.push_str(&format!("  # {beside}"));
        }
        self.out.push('\n');
    }

    /// Each on a line of its own; an empty one parts two paragraphs.
    fn comments(&mut self, lines: &[impl AsRef<str>]) {
        for line in lines.iter().map(AsRef::as_ref) {
            if !line.is_empty() {
                self.out.push_str("# ");
                self.out.push_str(line);
            }
            self.out.push('\n');
        }
    }

    /// `None` for a nothing, which TOML does not have.
    fn toml(&mut self, data: &Data, name: &str) -> Option<String> {
        Some(match data {
            Data::Null => {
                let message = format!("TOML has no null: `{name}` is left out");
                self.notes.left_out("null", None, message);
                return None;
            }
            Data::Bool(value) => value.to_toml_value(),
            Data::Integer(number) => number.to_toml_value(),
            Data::Float(number) => number.to_toml_value(),
            Data::Text(text) => text.to_toml_value(),
            Data::List(items) => {
                let items: Vec<String> = items.iter().filter_map(|item| self.toml(item, name)).collect();
                format!("[{}]", items.join(", "))
            }
            Data::Table(entries) => {
                let entry = |(key, value): &(String, Data)| {
                    let value = self.toml(value, &format!("{name}.{key}"))?;
                    Some(format!("{} = {value}", key.to_toml_key()))
                };
                let entries: Vec<String> = entries.iter().filter_map(entry).collect();
                if entries.is_empty() { "{}".to_owned() } else { format!("{{ {} }}", entries.join(", ")) }
            }
        })
    }
}
