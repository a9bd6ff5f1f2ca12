//! Tables as text, in each format of the table file.

mod json;
mod toml;
mod tree;
mod yaml;

use vivid_lane::{Data, Document, Source, TableError, TableSpec};

use crate::note::Notes;
use tree::Branch;

/// A format of the table file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum TableFormat {
    /// TOML 1.0.
    Toml,
    /// JSON (RFC 8259).
    Json,
    /// YAML 1.2.
    Yaml,
}

/// A table file in another format.
#[derive(Debug, Clone)]
pub struct Rewritten {
    /// The text.
    pub text: String,
    /// What the other format cannot hold.
    pub notes: Notes,
}

/// Writes a table file in another format, with its keys in their order and, where both formats have them, its comments.
/// Nothing is read into it: what the file says stands in the other one too, word for word, and so does `include`.
///
/// # Errors
/// The text is not in its format.
pub fn rewrite(source: Source, to: TableFormat) -> Result<Rewritten, TableError> {
    let document = Document::read(source)?;
    let mut notes = Notes::default();
    let tree = Branch::of_document(&document);
    let text = written(&tree, to, &mut notes);
    Ok(Rewritten { text, notes })
}

/// A declared table as the text of a table file.
///
/// # Example
/// ```
/// use vivid_lane::{RouteSpec, TableSpec};
/// use vivid_lane_exchange::{TableFormat, write_table};
///
/// let table = TableSpec::new().route(RouteSpec::new("home").path("/").page("home"));
/// assert_eq!(write_table(&table, TableFormat::Yaml), "routes:\n  home:\n    path: /\n    page: home\n");
/// ```
#[must_use]
pub fn write_table(table: &TableSpec, to: TableFormat) -> String {
    // A declared table holds nothing that a format lacks, but for a nothing in its data, which is left out.
    written(&Branch::of_data(&table.to_data()), to, &mut Notes::default())
}

/// Any data as a text.
#[must_use]
pub fn write_data(data: &Data, to: TableFormat) -> String {
    written(&Branch::of_data(data), to, &mut Notes::default())
}

fn written(tree: &Branch, to: TableFormat, notes: &mut Notes) -> String {
    match to {
        TableFormat::Toml => toml::write(tree, notes),
        TableFormat::Json => json::write(tree, notes),
        TableFormat::Yaml => yaml::write(tree),
    }
}
