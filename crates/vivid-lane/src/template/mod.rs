//! URI Templates (RFC 6570), all four levels but the `:n` prefix modifier, which cannot be read back.
//!
//! A [`Template`] is literals and [`Expression`]s: `/nights/{date}{?page}` has two of each. Parsing keeps the place of every part, so
//! that a mistake is shown where it is; expansion with [`Values`] percent-encodes as the operator of the expression wants (RFC 6570,
//! section 3.2). Both are linear in the length of their input. Reading a URL back through a template is the business of
//! [`lookup`](crate::lookup).

pub(crate) mod bytes;
mod error;
mod expand;
mod parse;
mod parts;
pub(crate) mod percent;
mod value;

pub use error::TemplateError;
pub use parts::{Expression, Operator, Part, Template, Variable};
pub use value::{Value, Values};
