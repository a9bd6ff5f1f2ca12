//! The built table, and what it finds.
//!
//! A [`Table`] is immutable, `Send + Sync` and shared: cloning it copies two pointers. [`Table::find`] looks a URL up and gives a
//! [`Match`]: the route, its page, the chain of its ancestors ([`Level`]s), and the values in the URL. A match borrows from the table
//! and the URL, and decodes a value when it is asked for; an [`OwnedMatch`] outlives both.
//!
//! All routes stand in one tree of segments. A node is where a lookup stands after some segments; a leaf is where the path of a
//! route ends. Literals are found by a key, patterns are tried in turn, the narrower first:
//!
//! ```text
//! / ─ nights ─ leaf of `nights`
//!        └── {date} ─ leaf of `nights.night`
//!                └── exposures ─ …
//! ```
//!
//! A URL is cut once into a `Target`. Where something in its path is escaped, the path is decoded once; whatever comes
//! after it sees segments of a text. One walk goes down the tree, a line of the cache for each segment; it visits each node at
//! most once for each segment, and remembers nothing on the way. What it is made for is a `Visitor`: what answers a path, or what
//! covers it. A match of up to eight values in its path allocates nothing, unless something is escaped. What only the caller knows (live
//! [`Lists`], [`Needs`]) is asked on the way, each question once.

mod answers;
mod bind;
mod conditions;
mod export;
mod found;
mod host;
mod look;
mod names;
mod node;
mod owned;
mod parameter;
mod path;
mod path_variant;
mod pattern;
mod places;
mod reading;
mod route;
mod scan;
mod site;
mod table;
mod target;
mod tree;
mod typed;
mod walk;

pub use crate::rule::{Automaton, Shape, Test};
pub use answers::{Answer, Lists, Needs, Question};
pub(crate) use answers::{Answers, Known, NoLists, Remembered};
pub use bind::BindError;
pub(crate) use conditions::{HostMatcher, Methods, QueryMatcher, QueryParam, QueryRefusal, Rest};
// For the crate of other formats, which is written beside this one; not for programs.
#[doc(hidden)]
pub use export::{
    Export, ExportedHost, ExportedJoin, ExportedLeaf, ExportedNode, ExportedParam, ExportedQueryParam,
    ExportedRedirect, ExportedRoute, ExportedRule, ExportedTail, ExportedValues, Side,
};
pub use found::{FoundValues, Level, Levels, Match, Position};
pub(crate) use host::{host_of, normal_host};
pub(crate) use names::Names;
pub(crate) use node::{LeafId, NONE, NodeId, Nodes};
pub use owned::{OwnedMatch, OwnedPosition};
pub use parameter::Parameter;
pub(crate) use path::{BadPath, MOST_BYTES, MOST_SEGMENTS, end_of_path, end_of_segments, normal_path};
pub use path_variant::PathVariant;
pub(crate) use path_variant::Segment;
pub(crate) use pattern::{Affix, Pattern, PatternId, Piece};
pub(crate) use places::MOST as MOST_PLACES;
pub(crate) use reading::Reading;
pub use route::ParamKind;
pub(crate) use route::{
    Destination, Extras, Filling, NeedEntry, NeedId, OwnPath, PageId, Param, RedirectRule, Route, RouteId,
};
pub(crate) use site::{Site, Unanswered, host_in};
pub(crate) use table::Frozen;
pub use table::{RouteRef, Routes, Table};
pub(crate) use target::{Ask, Target};
pub(crate) use tree::{
    Accepted, Capture, Choice, Cover, Edge, Leaf, Order, SegmentStep, Stretch, Tail, TailKind, Tree, folded,
};
pub use typed::ParamError;
pub(crate) use walk::{Visitor, is_writable_tail};
