//! URI Templates, RFC 6570: parsing and expansion.
//!
//! A [`Template`] is a sequence of [`Part`]s, each literal text or an [`Expression`]. All four levels of
//! the RFC are here except the prefix modifier (`{name:3}`), which throws characters away and so cannot be
//! reversed; it is refused with that reason.
//!
//! This module knows nothing of routes: what a template means when it is read backwards is the business of
//! [`crate::compile`]. Parsing and expansion are linear in the length of their input.

mod error;
mod expand;
mod parse;
pub(crate) mod percent;
mod value;

pub use error::TemplateError;
pub use parse::{Expression, Operator, Part, Template, Variable};
pub use value::{Value, Values};
