//! Why a table answers as it does.
//!
//! [`Table::explain`](crate::Table::explain) names every route that a URL could have meant, and why each but
//! one lost. It walks the whole table, so it is for people and not for requests.

mod explain;
mod near;

pub use explain::{Candidate, Explanation, Verdict};
