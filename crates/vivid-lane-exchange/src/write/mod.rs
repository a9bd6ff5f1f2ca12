//! Tables as text, in each format of the table file.

mod json;
mod toml;
mod tree;
mod yaml;

use vivid_lane::declare::{Data, Document, Syntax};
use vivid_lane::{Source, TableError, TableSpec};

use crate::note::Notes;
pub use json::{data_to_json, without_controls};
use tree::Branch;

/// The result of writing a table file in another format.
#[derive(Debug, Clone)]
pub struct Rewritten {
    /// The table file in the other format.
    pub text: String,
    /// Notes on what the other format cannot hold.
    pub notes: Notes,
}

/// Writes a table file in another format, with its keys in their order and, if both formats have them, its comments.
/// Nothing is interpreted: the result says the same word for word, `include` too. In its own format a file stays as it
/// is, to the last space.
///
/// # Errors
/// The text is not in its format, has a key twice, or a number that does not fit: not all of it would be there.
pub fn rewrite(source: Source, to: Syntax) -> Result<Rewritten, TableError> {
    let document = Document::read(source)?.whole()?;
    let mut notes = Notes::default();
    if document.syntax() == to {
        return Ok(Rewritten { text: document.text().to_owned(), notes });
    }
    let tree = Branch::of_document(&document);
    let text = written(&tree, to, &mut notes);
    Ok(Rewritten { text, notes })
}

/// Writes a declaration as a table file.
///
/// # Example
/// ```
/// use vivid_lane::declare::Syntax;
/// use vivid_lane::{RouteSpec, TableSpec};
/// use vivid_lane_exchange::write_table;
///
/// let table = TableSpec::new().route(RouteSpec::new("home").path("/").page("home"));
/// assert_eq!(write_table(&table, Syntax::Yaml), "routes:\n  home:\n    path: /\n    page: home\n");
/// ```
#[must_use]
pub fn write_table(table: &TableSpec, to: Syntax) -> String {
    // A declared table holds nothing that a format lacks, but for a nothing in its data, which is left out.
    written(&Branch::of_data(&table.to_data()), to, &mut Notes::default())
}

/// Writes any data in a format.
#[must_use]
pub fn write_data(data: &Data, to: Syntax) -> String {
    written(&Branch::of_data(data), to, &mut Notes::default())
}

fn written(tree: &Branch, to: Syntax, notes: &mut Notes) -> String {
    match to {
        Syntax::Toml => toml::write(tree, notes),
        Syntax::Json => json::write(tree, notes),
        Syntax::Yaml => yaml::write(tree),
    }
}
