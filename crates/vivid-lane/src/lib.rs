//! Vivid Lane: one route table for server, browser, tests and tooling.
//!
//! A **route table** declares the pages of a site: their paths, the rules for values in paths and queries, redirects, and the pages for what
//! is missing. Build it once, and it tells which page a URL leads to, and which URL leads to a page. Matching is the exact
//! inverse of making a link (RFC 6570): each link is read back as the same route with the same values.
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
//! Where two routes fit a URL, the narrower one answers, whatever the order: `/objects/tonight` goes before `/objects/{object}`. A table in
//! which neither of two routes is narrower is not built; the error names a URL that both accept. A lookup takes time linear in the length of the
//! URL, and about as long as a few lookups in a hash map, however many routes there are.
//!
//! # Where to read on
//!
//! In the order of the job:
//!
//! 1. [`declare`]: write a table in a file ([`Source`]; [`table_file`] lists every key) or in Rust ([`TableSpec`], [`RouteSpec`], [`Rule`]),
//!    and read what is wrong with it ([`TableError`], [`findings`]).
//! 2. [`lookup`]: build a [`Table`], find a [`Match`], and read its values: as text ([`Position::param`]), typed
//!    ([`Position::get`]) or as a struct ([`Position::params`]).
//! 3. [`link`]: make a URL from the name of a route ([`Table::link`]), or from the page that is shown ([`Position::link`]).
//! 4. [`decide`]: answer a [`Request`]: pages, redirects, methods, needs, live lists, missing pages.
//! 5. [`navigate`]: compare two pages, and keep a history without a browser.
//! 6. [`analyse`]: review a table before it ships ([`Review`]), compare two tables ([`analyse::Differences`]), and explain why a URL is
//!    answered as it is ([`Table::explain`]).
//!
//! [`template`] is RFC 6570 by itself. [`design`] has the reasons. The crates `vivid-lane-http` (a server), `vivid-lane-macros` (typed routes),
//! `vivid-lane-exchange` (other formats) and `vivid-lane-learn` (a table from a log) build on this one.
//!
//! # Features
//!
//! All are on by default. With none of them the crate reads TOML, matches, links and decides.
//!
//! - `json`, `yaml`: table files in these formats.
//! - `analyse`: the module of that name.
//!
//! The crate does no I/O, prints nothing, starts no thread and reads no clock.

#![cfg_attr(docsrs, feature(doc_cfg))]
#![cfg_attr(
    not(all(feature = "analyse", feature = "json", feature = "yaml")),
    allow(dead_code, unused_imports, reason = "what only a feature uses is little, and stays where it belongs")
)]

#[cfg(feature = "analyse")]
pub mod analyse;
mod compile;
pub mod decide;
pub mod declare;
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

/// The table file: every key, path operator, rule and format.
#[doc = include_str!("../TABLE.md")]
pub mod table_file {}

/// The codes of findings, each with an example and the mend.
#[doc = include_str!("../FINDINGS.md")]
pub mod findings {}

/// The reasons behind the design.
#[doc = include_str!("../DESIGN.md")]
pub mod design {}

#[cfg(doctest)]
#[doc = include_str!("../README.md")]
struct Readme;
