//! The declared table: what a person writes, in a file or with the builder, and what is wrong with it.
//!
//! [`TableSpec`] and [`RouteSpec`] are the build form: mutable, rich, and with a place in a file for every
//! word that came from one. They are lowered once, by [`crate::compile`], into the frozen
//! [`Table`](crate::Table), which shares nothing with them. This module predicates words and types only; what a
//! path means and how routes relate is decided later.

mod comment;
mod data;
mod document;
mod finding;
mod format;
mod json;
mod keys;
mod nearest;
mod pages;
mod read;
mod redirect;
mod rule;
mod site;
mod source;
mod spec;
mod toml;
mod write;
mod yaml;

pub use data::Data;
pub use document::{Document, DocumentItem, DocumentKey};
pub(crate) use finding::Report;
pub use finding::{Finding, Place, Severity, TableError};
pub use format::Format;
pub use keys::table_schema;
pub(crate) use nearest::{expected_one_of, nearest};
pub(crate) use redirect::Aim;
pub use redirect::{Need, RedirectTo};
pub use rule::Rule;
pub(crate) use site::SiteSpec;
pub use site::{Case, Location, Overlaps, Slash};
pub(crate) use source::{Placed, Span};
pub use source::{Source, Syntax};
pub use spec::{RouteSpec, TableSpec};
