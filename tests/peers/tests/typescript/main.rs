//! The module of a table, run in node: it decides and links as the table does, and compiles only what the table has.
//!
//! Needs `node` and the compiler of the language, so it is run by its own script, which brings them.

mod data;
mod guide;
mod law;
#[allow(dead_code, reason = "the laws of the matcher use all of it")]
#[path = "../reference/mod.rs"]
mod reference;
mod registries;
mod types;
mod workshop;
