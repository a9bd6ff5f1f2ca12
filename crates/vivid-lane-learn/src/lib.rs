//! A first table, learned from what visitors asked for.
//!
//! A [`Learner`] is shown requests with the status of each answer. It keeps a bounded sample of addresses with exact counts,
//! which does not depend on the order of the requests, so that learners of parts of a log can be [merged](Learner::merge) in any order and
//! grouping. [`Learner::learn`] makes a table of it: a [`Learned`] with the text of a table file, in which each route has a comment.
//!
//! ```text
//! requests ── sample of addresses ── tree of segments ── groups of siblings ── routes ── TOML
//! ```
//!
//! # What is a parameter?
//! Children of one segment are values of a parameter, or fixed segments. Values of a kind of their own (numbers, days, UUIDs, numbers with a
//! word) are parameters. Of words, the division with the shortest description is taken: a fixed segment costs as much
//! as a route costs to declare; a parameter costs as much as its values cost to tell, where a parameter with many hits is expected to have many values,
//! and as what its values differ in below them.
//!
//! # Cost
//! A request costs a lookup by its address. Learning takes time in proportion to the sample, which has 2¹⁷ addresses at most.

#![forbid(unsafe_code)]

mod address;
mod class;
mod partition;
mod routes;
mod sample;
mod site;
mod text;
mod tree;
mod write;

pub use sample::{Learner, LeftOut, Observed};
pub use write::Learned;
