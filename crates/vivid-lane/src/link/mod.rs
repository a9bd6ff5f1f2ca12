//! Links from route names.

mod error;
mod make;

pub use error::LinkError;
pub use make::Link;
