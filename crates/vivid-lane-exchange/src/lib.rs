//! Route tables from and to other forms.
//!
//! - [`openapi`]: an OpenAPI description becomes a table, and a table a description.
//! - [`sitemap`]: the pages of a table as a sitemap, as a stream.
//! - [`typescript`]: a module that makes a table's links, typed.
//! - [`rewrite`] and [`write_table`]: the formats of the table file among each other.
//!
//! Whatever has no counterpart in the other form is told in [`Note`]s, never left out silently. The crate reads texts and
//! writes texts; files are the caller's.
//!
//! ```
//! use vivid_lane::declare::Syntax;
//! use vivid_lane::Source;
//! use vivid_lane_exchange::rewrite;
//!
//! let yaml = Source::yaml("# The start.\nroutes:\n  home: { path: /, page: home }\n");
//! let rewritten = rewrite(yaml, Syntax::Toml)?;
//! assert_eq!(rewritten.text, "# The start.\n[routes.home]\npath = \"/\"\npage = \"home\"\n");
//! # Ok::<(), vivid_lane::TableError>(())
//! ```

mod note;
pub mod openapi;
pub mod sitemap;
pub mod typescript;
mod write;

pub use note::{Note, Notes};
pub use write::{Rewritten, data_to_json, rewrite, write_data, write_table};
