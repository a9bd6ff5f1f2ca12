//! Changes to the files of a table, tried before they are offered.

use std::collections::BTreeMap;
use std::ops::Range;
use std::path::{Path, PathBuf};

use serde_json::{Map, Value as Json, json};

use super::desk::{Desk, TableOnDesk, uri_of};

/// What is to be written where. Places are bytes of the files as they are now.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Edits(BTreeMap<PathBuf, Vec<(Range<usize>, String)>>);

impl Edits {
    pub(super) fn one(path: &Path, range: Range<usize>, text: impl Into<String>) -> Self {
        let mut edits = Self::default();
        edits.write(path, range, text);
        edits
    }

    /// Writes a text in place of a range. What is written twice at one place is written once.
    pub(super) fn write(&mut self, path: &Path, range: Range<usize>, text: impl Into<String>) {
        let list = self.0.entry(path.to_owned()).or_default();
        let edit = (range, text.into());
        if !list.contains(&edit) {
            list.push(edit);
        }
    }

    /// The table with these changes.
    pub(super) fn tried(&self, desk: &Desk, table: &TableOnDesk) -> Option<TableOnDesk> {
        let mut texts = BTreeMap::new();
        for (path, edits) in &self.0 {
            let mut edits = edits.clone();
            edits.sort_by_key(|(range, _)| std::cmp::Reverse(range.start));
            let mut text = String::from(&**table.text(path));
            let mut end = text.len();
            for (range, new) in edits {
                if range.end > end || range.start > range.end {
                    return None;
                }
                end = range.start;
                text.replace_range(range, &new);
            }
            texts.insert(path.clone(), text);
        }
        desk.read_with(&table.root, texts)
    }

    /// As a `WorkspaceEdit` of the protocol.
    pub(super) fn to_json(&self, table: &TableOnDesk) -> Json {
        let changes: Map<String, Json> = self
            .0
            .iter()
            .map(|(path, edits)| {
                let text = table.text(path);
                let edit =
                    |(range, new): &(Range<usize>, String)| json!({ "range": text.range(range), "newText": new });
                (uri_of(path), edits.iter().map(edit).collect())
            })
            .collect();
        json!({ "changes": changes })
    }
}
