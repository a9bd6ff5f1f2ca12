//! What to do with a request.
//!
//! [`Table::decide`](crate::Table::decide) takes a [`Request`] (method, URL, host, and who answers questions about the visitor) and gives
//! a [`Decision`]: a page, a redirect, or one of the refusals, each with its status. Redirects are followed to their end, so that the
//! visitor needs but one. [`Table::decide_in_steps`](crate::Table::decide_in_steps) stops at each [`Question`](crate::Question) that
//! needs a database, and goes on with the answer.
//!
//! A decision costs one lookup, and one more for each step of a redirect or each question in steps. Where a missing page stands
//! ([`NotFound`]) is looked up when it is asked for.

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
pub use decision::{Allow, BadRequest, Decision, DecisionKind, NotFound, Redirect, Unmet, WrongMethod};
pub use live::{ListsNow, LiveLists};
pub use request::{Request, RequestTarget};
pub use steps::{Step, Steps};
pub use unavailable::Unavailable;
