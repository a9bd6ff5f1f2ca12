//! Converts route tables from and to other formats.
//!
//! - [`openapi`] turns an OpenAPI description into a table, and a table into a description.
//! - [`sitemap`] writes the pages of a table as a sitemap, as a stream, and reads sitemaps.
//! - [`typescript`] writes a table as a typed module that matches, decides and links in browsers and node.
//! - [`rewrite`] and [`write_table`] convert between TOML, JSON and YAML, and keep the order of keys and the comments.
//!
//! A conversion reports everything that it cannot carry over, as [`Note`]s. The crate reads and writes texts; opening files is up
//! to the caller.
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
pub use write::{Rewritten, data_to_json, rewrite, without_controls, write_data, write_table};
