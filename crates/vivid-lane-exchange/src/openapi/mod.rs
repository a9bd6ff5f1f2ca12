//! OpenAPI 3.0 and 3.1 → table, and table → OpenAPI 3.1.
//!
//! Each path and method of a description is a route: its name is the `operationId`, or made from path and method; its
//! parameters are those in the path and in the query, their schemas become rules. `$ref` is followed within the document,
//! `allOf` is merged where its parts agree. Summary, description, tags and `deprecated` come as the route's `data`. The first
//! server gives origin and base. Reading what was written gives the same table again.
//!
//! ```
//! use vivid_lane::Source;
//! use vivid_lane_exchange::openapi;
//!
//! let read = openapi::read(Source::yaml(r#"
//! openapi: 3.1.0
//! paths:
//!   /nights/{date}:
//!     get:
//!       operationId: night
//!       parameters:
//!         - { name: date, in: path, required: true, schema: { type: string, format: date } }
//!       responses: { "200": { description: A night. } }
//! "#))?;
//! assert_eq!(read.notes.all()[0].message(), "`responses` has no counterpart in a table");
//! let table = read.table.build()?;
//! assert_eq!(table.link("night").set("date", "2031-04-02").to_url()?, "/nights/2031-04-02");
//! assert!(table.find("/nights/2031-02-30").is_none());
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod name;
mod parameter;
mod path;
mod read;
mod reference;
mod schema;
mod trial;
mod write;

use std::fmt;

use vivid_lane::declare::Data;
use vivid_lane::{TableError, TableSpec};

use crate::note::Notes;

pub use read::read;
pub use write::write;

/// The result of reading an OpenAPI description.
#[derive(Debug)]
pub struct Imported {
    /// The declaration of a table. Building it reports contradictions in the description.
    pub table: TableSpec,
    /// Notes on what a table cannot hold.
    pub notes: Notes,
}

/// The result of writing a table as an OpenAPI description.
#[derive(Debug)]
pub struct Exported {
    /// The document, OpenAPI 3.1.
    pub document: Data,
    /// Notes on what a description cannot hold.
    pub notes: Notes,
}

/// Why a text could not be read as an OpenAPI description.
#[derive(Debug)]
pub struct OpenApiError {
    kind: Kind,
}

#[derive(Debug)]
enum Kind {
    Unreadable(TableError),
    Version { found: Option<String> },
    NoPaths,
}

impl OpenApiError {
    /// What is wrong with the text as JSON or YAML, if that is the reason.
    #[must_use]
    pub fn syntax(&self) -> Option<&TableError> {
        match &self.kind {
            Kind::Unreadable(error) => Some(error),
            _ => None,
        }
    }
}

impl From<TableError> for OpenApiError {
    fn from(error: TableError) -> Self {
        Self { kind: Kind::Unreadable(error) }
    }
}

impl fmt::Display for OpenApiError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.kind {
            Kind::Unreadable(_) => f.write_str("the description cannot be read"),
            Kind::Version { found: Some(found) } => {
                write!(
                    f,
                    "expected OpenAPI 3.0 or 3.1, found `{}`; convert the description first",
                    found.escape_debug()
                )
            }
            Kind::Version { found: None } => f.write_str(
                "expected `openapi` with the version 3.0 or 3.1 at the top, found none; is this a description?",
            ),
            Kind::NoPaths => f.write_str("expected `paths` with at least one path and method, found none"),
        }
    }
}

impl std::error::Error for OpenApiError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        self.syntax().map(|error| error as _)
    }
}

/// The methods of a path item, in the order in which they are written.
const METHODS: &[&str] = &["get", "put", "post", "delete", "options", "head", "patch", "trace"];

/// The keys of an operation that come as the data of its route.
const KEPT: &[&str] = &["summary", "description", "tags", "deprecated"];
