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
//! # Where to go on
//!
//! In the order of the job:
//!
//! 1. [`declare`]: a table in a file ([`Source`]) or in Rust ([`TableSpec`], [`RouteSpec`], [`Rule`]), and what is found wrong with
//!    it ([`TableError`]).
//! 2. [`lookup`]: the built [`Table`], a [`Match`] with its values, as text ([`Position::param`]), typed
//!    ([`Position::get`]) or as a struct ([`Position::params`]).
//! 3. [`link`]: URLs from route names, from a table ([`Table::link`]) or from the page that is shown ([`Position::link`]).
//! 4. [`decide`]: what to do with a [`Request`]: methods, redirects, needs, live lists, missing pages.
//! 5. [`navigate`]: what changes between two pages; a history without a browser.
//! 6. [`analyse`]: [`Review`] finds what works but was not meant, [`analyse::Differences`] compares two tables,
//!    [`Table::explain`] says why a URL is answered as it is.
//! 7. [`learn`]: a first table, made of what visitors asked for.
//!
//! [`template`] is RFC 6570 alone. [`design`] has the reasons.
//!
//! # Features
//!
//! All are on by default. With none of them the crate reads TOML, matches, links and decides.
//!
//! - `json`, `yaml`: table files in these formats.
//! - `analyse`, `learn`: the modules of these names.
//!
//! The crate does no I/O, prints nothing, starts no thread and reads no clock.

#![cfg_attr(
    not(all(feature = "analyse", feature = "json", feature = "learn", feature = "yaml")),
    allow(dead_code, unused_imports, reason = "what only a feature uses is little, and stays where it belongs")
)]

#[cfg(feature = "analyse")]
pub mod analyse;
mod compile;
pub mod decide;
pub mod declare;
#[cfg(feature = "learn")]
pub mod learn;
pub mod link;
pub mod lookup;
pub mod navigate;
mod rule;
pub mod template;

#[cfg(feature = "analyse")]
pub use analyse::Review;
pub use decide::{Decision, LiveLists, Request};
pub use declare::{Finding, Need, RedirectTo, RouteSpec, Rule, Source, TableError, TableSpec};
pub use link::{Link, LinkError};
pub use lookup::{Answer, Lists, Match, OwnedMatch, Position, Question, RouteRef, Table};
pub use template::Value;

/// The reasons behind the design.
#[doc = include_str!("../DESIGN.md")]
pub mod design {}

#[cfg(doctest)]
#[doc = include_str!("../README.md")]
struct Readme;
