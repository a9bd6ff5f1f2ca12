//! What to do with a request.
//!
//! [`Table::decide`](crate::Table::decide) answers the one question of a web application with a
//! [`Decision`]. It costs one lookup for a page, and one more for a URL that is missing.

mod decision;
mod request;

pub use decision::{BadRequest, Decision, Missing, WrongMethod};
pub use request::Request;
