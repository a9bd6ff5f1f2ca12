//! What to do with a request.
//!
//! [`Table::decide`](crate::Table::decide) answers the one question of a web application with a
//! [`Decision`]. It costs one lookup for a page, one more for a URL that is missing, and one for each step of a
//! redirect, which the visitor is spared.

mod answer;
mod back;
mod counters;
mod decision;
mod live;
mod request;
mod steps;

pub use counters::Counters;
pub use decision::{Allow, BadRequest, Decision, Missing, Redirect, Unmet};
pub use live::{ListsNow, LiveLists};
pub use request::Request;
pub use steps::{Question, Step, Steps};
