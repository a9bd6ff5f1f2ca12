//! The frozen table and the lookup.
//!
//! A [`Table`] is immutable and shared: cloning it copies two pointers. [`Table::find`] walks a tree of
//! segments; what it gives back borrows from the table and the URL. [`crate::compile`] makes the tree,
//! nothing here changes it. A lookup visits each tree node at most once for each segment of the URL.

mod found;
mod path;
mod table;
mod tree;

pub use found::{Level, Levels, Match, Params};
pub(crate) use path::{BadPath, Limits, Segments};
pub(crate) use table::{Frozen, PageId, Param, Route, RouteId};
pub use table::{RouteRef, Routes, Table};
pub(crate) use tree::{Capture, Edge, Ending, Node, NodeId, Tree};
