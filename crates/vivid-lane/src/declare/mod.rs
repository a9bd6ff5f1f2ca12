//! The declared table: what a table file or the builder says.
//!
//! A [`TableSpec`] holds [`RouteSpec`]s and [`Rule`]s as they were declared, and the place of
//! every word that came from a file. TOML, JSON and YAML are read into one [`Document`], which also keeps order and comments for
//! whoever writes it again. [`TableSpec::build`](crate::TableSpec::build) lowers it once into a [`Table`](crate::Table).
//!
//! All mistakes of a table are reported at once: each is a [`Finding`] with a code, a place, a message that says what was
//! expected, and how to mend it. Reading is linear in the length of the text.

mod code;
mod comment;
mod data;
mod document;
mod finding;
mod format;
#[cfg(feature = "json")]
mod json;
mod keys;
mod mentions;
mod nearest;
mod node;
mod pages;
mod read;
mod redirect;
mod rule;
mod site;
mod site_keys;
mod source;
mod spec;
mod syntax;
mod toml;
mod write;
#[cfg(feature = "yaml")]
mod yaml;

pub use code::{Code, Severity};
pub use data::Data;
pub use document::{Document, DocumentItem, DocumentKey};
pub(crate) use finding::Report;
pub use finding::{Finding, TableError};
pub use format::Format;
pub use keys::table_schema;
pub use mentions::{Mention, NameKind};
pub(crate) use nearest::{expected_one_of, nearest, usual_word};
pub(crate) use redirect::Aim;
pub use redirect::{Need, RedirectTo};
pub use rule::Rule;
pub(crate) use site::SiteSpec;
pub use site::{Case, Location, Overlaps, Slash};
pub(crate) use site_keys::SiteKey;
pub use source::{Place, Source, Syntax};
pub(crate) use source::{Placed, Span};
pub use spec::{RouteSpec, TableSpec};
#[cfg(feature = "analyse")]
pub(crate) use toml::basic_string;
