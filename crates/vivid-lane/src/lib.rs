//! Vivid Lane: one route table as the contract for server, browser, tests and tooling.
//!
//! Declare a table, in a file or with the builder, and build it once:
//!
//! ```
//! use vivid_lane::{Decision, Request, Table};
//!
//! let table = Table::from_toml(r#"
//!     [site]
//!     fallback = "lost"
//!     [routes.nights]
//!     path = "/nights"
//!     page = "night-list"
//!     [routes.nights.night]
//!     path = "/{date}"
//!     page = "night"
//! "#)?;
//!
//! // A URL to a page …
//! let Decision::Page(found) = table.decide(&Request::get("/nights/2031-04-02")) else { panic!() };
//! assert_eq!(found.page(), "night");
//! assert_eq!(found.param("date").as_deref(), Some("2031-04-02"));
//!
//! // … a name and values back to the URL …
//! assert_eq!(table.link("nights.night").set("date", "2031-04-02").to_url()?, "/nights/2031-04-02");
//!
//! // … and gibberish to the page for what is missing.
//! let Decision::NotFound(missing) = table.decide(&Request::get("/nihgts")) else { panic!() };
//! assert_eq!(missing.fallback().map(String::as_str), Some("lost"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```
//!
//! Matching is the inverse of link generation (RFC 6570). The narrower route wins, whatever the order of
//! declaration: `/objects/tonight` before `/objects/{object}`.
//!
//! The crate does no I/O, prints nothing, starts no thread and reads no clock. The modules run one way:
//! declared table → compiled → matched or linked → decided.

mod analyse;
mod compile;
mod decide;
mod declare;
mod link;
mod lookup;
mod navigate;
mod rule;
mod template;

pub use analyse::{
    Candidate, Difference, DifferenceKind, Differences, Explanation, NotCompared, ProposedRedirect, Review, Reviewed,
    Suggestion, Verdict,
};
pub use decide::{
    Allow, BadRequest, Counters, Decision, ListsNow, LiveLists, NotFound, Redirect, Request, Step, Steps, Unavailable,
    Unmet, WrongMethod,
};
pub use declare::{
    Case, Data, Document, DocumentItem, DocumentKey, Finding, Format, Location, Need, Overlaps, Place, RedirectTo,
    RouteSpec, Rule, Severity, Slash, Source, Syntax, TableError, TableSpec, table_schema,
};
pub use link::{Active, Link, LinkError, LinkValue, slug};
pub use lookup::{
    Answer, BindError, FoundValues, Level, Levels, Lists, Match, Needs, OwnedMatch, OwnedPosition, ParamError,
    ParamKind, Parameter, Position, Question, RouteRef, Routes, Table,
};
pub use navigate::{Change, History, Transition, transition};
pub use rule::Automaton;
pub use template::{Expression, Operator, Part, Template, TemplateError, Value, Values, Variable};

/// The reasons behind the design.
#[doc = include_str!("../DESIGN.md")]
pub mod design {}

#[cfg(doctest)]
#[doc = include_str!("../README.md")]
struct Readme;
