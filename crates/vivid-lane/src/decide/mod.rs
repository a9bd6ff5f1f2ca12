//! What to do with a request.
//!
//! [`Table::decide`](crate::Table::decide) answers the one question of a web application with a
//! [`Decision`]. It costs one lookup for a page, one more for a URL that is missing, and one for each step of a
//! redirect, which the visitor is spared.

mod back;
mod counters;
mod decision;
mod live;
mod outcome;
mod place;
mod request;
mod steps;
mod unavailable;

pub use counters::Counters;
pub use decision::{Allow, BadRequest, Decision, NotFound, Redirect, Unmet, WrongMethod};
pub use live::{ListsNow, LiveLists};
pub use request::Request;
pub use steps::{Step, Steps};
pub use unavailable::Unavailable;
