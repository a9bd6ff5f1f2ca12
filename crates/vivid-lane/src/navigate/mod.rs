//! Moving between pages: what changes from one to the next, and where a visitor has been.
//!
//! [`transition`] compares two matches level by level; [`History`] keeps addresses and decides them anew. Both
//! know nothing of browsers, and cost a decision for each move.

mod history;
mod transition;

pub use history::History;
pub use transition::{Change, Transition, transition};
