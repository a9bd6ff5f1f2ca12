//! The frozen table and the lookup.
//!
//! A [`Table`] is immutable and shared: cloning it copies two pointers. A lookup cuts a URL into its parts and walks a
//! tree of segments; the [`Match`] borrows from the table and the URL. [`crate::compile`] makes the tree,
//! nothing here changes it. A lookup visits each tree node at most once for each segment of the URL.

mod answers;
mod ask;
mod bind;
mod conditions;
mod fast_path;
mod found;
mod look;
mod memory;
mod owned;
mod parameter;
mod path;
mod pattern;
mod reading;
mod route;
mod site;
mod table;
mod tree;
mod typed;
mod walk;

pub(crate) use answers::{Always, Answers, Known, Remembered};
pub use answers::{Answer, Lists, Needs, Question};
pub(crate) use ask::{Ask, Target, without_port};
pub use bind::BindError;
pub(crate) use conditions::{FEW, HostMatcher, Methods, QueryMatcher, QueryParam, QueryRefusal};
pub(crate) use fast_path::{FastPath, LONGEST as LONGEST_FAST};
pub use found::{FoundValues, Level, Levels, Match, Position};
pub(crate) use look::{Looked, Parsed, Parts};
pub use owned::{OwnedMatch, OwnedPosition};
pub use parameter::Parameter;
pub(crate) use path::{BadPath, Limits, end_of_path, normal_path};
pub(crate) use pattern::{Pattern, PatternId, Piece};
pub(crate) use reading::Reading;
pub use route::ParamKind;
pub(crate) use route::{Destination, Filling, NeedEntry, NeedId, PageId, Param, RedirectRule, Route, RouteId};
pub(crate) use site::Site;
pub(crate) use table::Frozen;
pub use table::{RouteRef, Routes, Table};
pub(crate) use tree::{
    Accepted, Branch, Capture, Cover, Edge, Key, Leaf, LeafId, Node, NodeId, Order, Outcome, Step, Stretch, Tail,
    TailKind, Tree, folded,
};
pub use typed::ParamError;
