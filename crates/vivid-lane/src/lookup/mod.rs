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
//! Most lookups take the fast path: a `GET` of at most 254 bytes whose path has no escapes. It walks on slots, one line of the cache
//! for each literal, and notes on the way where values stand. Whatever is out of the ordinary begins anew on the general path, which
//! visits each node at most once for each segment of the URL. Neither allocates for a match of up to eight values in its path, unless
//! something is escaped. What only the caller knows (live [`Lists`], [`Needs`]) is asked on the way, each question once.

mod answers;
mod ask;
mod bind;
mod conditions;
mod export;
mod fast_path;
mod found;
mod host;
mod look;
mod marks;
mod names;
mod owned;
mod parameter;
mod path;
mod path_variant;
mod pattern;
mod plain_path;
mod reading;
mod route;
mod site;
mod slot;
mod table;
mod tree;
mod typed;
mod walk;

pub use crate::rule::{Automaton, Shape, Test};
pub use answers::{Answer, Lists, Needs, Question};
pub(crate) use answers::{Answers, Known, NoLists, Remembered};
pub(crate) use ask::{Ask, Parts, Target};
pub use bind::BindError;
pub(crate) use conditions::{FEW, HostMatcher, Methods, QueryMatcher, QueryParam, QueryRefusal, Rest};
// For the crate of other formats, which is written beside this one; not for programs.
#[doc(hidden)]
pub use export::{
    Export, ExportedHost, ExportedJoin, ExportedLeaf, ExportedNode, ExportedParam, ExportedQueryParam,
    ExportedRedirect, ExportedRoute, ExportedRule, ExportedTail, ExportedValues, Side,
};
pub use found::{FoundValues, Level, Levels, Match, Position};
pub(crate) use host::{host_of, normal_host};
pub(crate) use look::Lookup;
pub(crate) use marks::LONGEST as LONGEST_FAST;
pub(crate) use names::Names;
pub use owned::{OwnedMatch, OwnedPosition};
pub use parameter::Parameter;
pub(crate) use path::{BadPath, Limits, end_of_path, normal_path};
pub use path_variant::PathVariant;
pub(crate) use path_variant::Segment;
pub(crate) use pattern::{Pattern, PatternId, Piece, Quick};
pub(crate) use reading::Reading;
pub use route::ParamKind;
pub(crate) use route::{
    Destination, Extras, Filling, NeedEntry, NeedId, OwnPath, PageId, Param, RedirectRule, Route, RouteId,
};
pub(crate) use site::{Parsed, Site};
pub(crate) use slot::{LONGEST as LONGEST_LITERAL, LeafId, NodeId, Outcome, Slots, Spread};
pub(crate) use table::Frozen;
pub use table::{RouteRef, Routes, Table};
pub(crate) use tree::{
    Accepted, Branch, Capture, Cover, Edge, Leaf, Node, NodeRef, Order, QueryRole, SegmentStep, Stretch, Tail,
    TailKind, Tree, folded,
};
pub use typed::ParamError;
pub(crate) use walk::is_writable_tail;
