//! TOML 1.0, as people write tables: a header for each route, a line for each rule.

use toml_edit::{Array, DocumentMut, InlineTable, Item, Key, Table, Value as Toml};
use vivid_lane::Data;

use super::tree::{Branch, Leaf, Value};
use crate::note::Notes;

pub(super) fn write(tree: &Branch, notes: &mut Notes) -> String {
    let mut document = DocumentMut::new();
    let mut writer = Writer { notes, position: 0 };
    for leaf in &tree.entries {
        match (&leaf.value, leaf.key.as_str()) {
            (Value::Table(branch), "routes" | "needs") => writer.group(document.as_table_mut(), leaf, branch),
            (Value::Table(branch), _) => {
                let table = writer.table(branch, &[], &leaf.key);
                writer.put(document.as_table_mut(), leaf, table, leaf.above.clone());
            }
            _ => writer.value(document.as_table_mut(), leaf, &leaf.key),
        }
    }
    let mut text = document.to_string();
    if !tree.at_end.is_empty() {
        text.push('\n');
    }
    for line in &tree.at_end {
        text.push_str(format!("# {line}").trim_end());
        text.push('\n');
    }
    // The first header has nothing to stand apart from.
    text.strip_prefix('\n').map(str::to_owned).unwrap_or(text)
}

/// Tables within a route that are no routes.
const ON_A_LINE: &[&str] = &["params", "redirect", "data"];

struct Writer<'n> {
    notes: &'n mut Notes,
    /// Tables are printed in the order of their numbers.
    position: isize,
}

impl Writer<'_> {
    /// A table that has no header of its own, but whose tables have.
    fn group(&mut self, parent: &mut Table, leaf: &Leaf, branch: &Branch) {
        let mut group = Table::new();
        group.set_implicit(true);
        let mut above = leaf.above.clone();
        above.extend(leaf.beside.clone());
        for leaf in &branch.entries {
            let lines = std::mem::take(&mut above).into_iter().chain(leaf.above.iter().cloned()).collect();
            match &leaf.value {
                Value::Table(branch) => {
                    let table = self.table(branch, ON_A_LINE, &leaf.key);
                    self.put(&mut group, leaf, table, lines);
                }
                // No table could be made of this; it is written so that the error is told where it stands.
                Value::Data(_) => self.value(&mut group, leaf, &leaf.key),
            }
        }
        if branch.entries.is_empty() {
            group.set_implicit(false);
        }
        parent.insert_formatted(&Key::new(&leaf.key), Item::Table(group));
    }

    /// A table with a header: its values first, then the tables that are not written on a line.
    fn table(&mut self, branch: &Branch, on_a_line: &[&str], name: &str) -> Table {
        let mut table = Table::new();
        self.position += 1;
        table.set_position(Some(self.position));
        let is_child = |leaf: &Leaf| !on_a_line.is_empty() && !on_a_line.contains(&leaf.key.as_str());
        let (children, values): (Vec<&Leaf>, Vec<&Leaf>) =
            branch.entries.iter().partition(|leaf| matches!(leaf.value, Value::Table(_)) && is_child(leaf));
        for leaf in values {
            match &leaf.value {
                Value::Table(inner) if matches!(leaf.key.as_str(), "params" | "data") && !inner.entries.is_empty() => {
                    self.dotted(&mut table, leaf, inner);
                }
                _ => self.value(&mut table, leaf, name),
            }
        }
        for leaf in children {
            if let Value::Table(inner) = &leaf.value {
                let inner = self.table(inner, on_a_line, &leaf.key);
                self.put(&mut table, leaf, inner, leaf.above.clone());
            }
        }
        table
    }

    fn put(&mut self, parent: &mut Table, leaf: &Leaf, mut table: Table, above: Vec<String>) {
        let mut prefix = String::from("\n");
        above.iter().for_each(|line| push_comment(&mut prefix, line));
        table.decor_mut().set_prefix(prefix);
        if let Some(beside) = &leaf.beside {
            table.decor_mut().set_suffix(format!("  # {beside}"));
        }
        parent.insert_formatted(&Key::new(&leaf.key), Item::Table(table));
    }

    /// `params.date = "date"`, a line for each.
    fn dotted(&mut self, table: &mut Table, leaf: &Leaf, inner: &Branch) {
        let mut dotted = Table::new();
        dotted.set_dotted(true);
        let mut above = leaf.above.clone();
        above.extend(leaf.beside.clone());
        for one in &inner.entries {
            let within = one.value.comments().into_iter().map(str::to_owned);
            let own = Leaf {
                key: one.key.clone(),
                above: std::mem::take(&mut above).into_iter().chain(one.above.iter().cloned()).chain(within).collect(),
                beside: one.beside.clone(),
                value: Value::Data(one.value.to_data()),
            };
            self.value(&mut dotted, &own, &leaf.key);
        }
        table.insert_formatted(&Key::new(&leaf.key), Item::Table(dotted));
    }

    /// A value on one line, with the comments about it, and those within it, above.
    fn value(&mut self, table: &mut Table, leaf: &Leaf, owner: &str) {
        let Some(mut value) = self.toml(&leaf.value.to_data(), &format!("{owner}.{}", leaf.key)) else { return };
        let mut prefix = String::new();
        leaf.above.iter().for_each(|line| push_comment(&mut prefix, line));
        leaf.value.comments().iter().for_each(|line| push_comment(&mut prefix, line));
        if let Some(beside) = &leaf.beside {
            value.decor_mut().set_suffix(format!("  # {beside}"));
        }
        let mut key = Key::new(&leaf.key);
        if table.is_dotted() {
            // Within a dotted key the first part carries what stands above the line.
            key.dotted_decor_mut().set_prefix("");
        }
        key.leaf_decor_mut().set_prefix(prefix);
        table.insert_formatted(&key, Item::Value(value));
    }

    /// `None` for a nothing, which TOML does not have.
    fn toml(&mut self, data: &Data, name: &str) -> Option<Toml> {
        Some(match data {
            Data::Null => {
                let message = format!("TOML has no null: `{name}` is left out");
                self.notes.left_out("null", None, message);
                return None;
            }
            Data::Bool(value) => (*value).into(),
            Data::Integer(number) => (*number).into(),
            Data::Float(number) => (*number).into(),
            Data::Text(text) => text.as_str().into(),
            Data::List(items) => items.iter().filter_map(|item| self.toml(item, name)).collect::<Array>().into(),
            Data::Table(entries) => {
                let mut table = InlineTable::new();
                for (key, value) in entries {
                    if let Some(value) = self.toml(value, &format!("{name}.{key}")) {
                        table.insert(key, value);
                    }
                }
                table.into()
            }
        })
    }
}

/// An empty line parts two paragraphs.
fn push_comment(prefix: &mut String, line: &str) {
    if !line.is_empty() {
        prefix.push_str("# ");
        prefix.push_str(line);
    }
    prefix.push('\n');
}
