//! Name and values → URL: the inverse of matching.
//!
//! A [`Link`] is checked against the rules of its route, expanded by RFC 6570, written in the canonical form of
//! the site, and then read back: a URL that would mean something else is refused. From the page that is shown a
//! link inherits what the two addresses share. It costs one expansion and, where another route could capture it, one lookup.

mod check;
mod current_page;
mod direct;
mod error;
mod fast_path;
mod fields;
mod make;
mod slug;
mod values;

pub use current_page::Active;
pub use error::{LinkError, LinkErrorKind};
pub use make::Link;
pub use slug::slug;
pub use values::LinkValue;
