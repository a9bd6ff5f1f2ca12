//! The server in JavaScript: it answers as the service in Rust does, field by field; and what it does beyond that.
//!
//! Needs `node`, and the compiler of the language for what compiles, so it is run by its own script, which brings them.

mod law;
#[path = "../driver/node.rs"]
mod node;
mod page;
mod service;
mod sites;
mod wire;
