//! What a declared route is known to be, once its ancestors have been read.

use std::sync::Arc;

use smol_str::SmolStr;

use super::variants::ResolvedPath;
use crate::declare::{Need, Placed, RedirectTo, Span};
use crate::lookup::{Methods, PageId, Param, ParamKind, PathVariant, RouteId};
use crate::template::Template;

/// What the passes after the first want to know of a route beside its frozen form.
#[derive(Debug)]
pub(super) struct ResolvedRoute {
    pub(super) name_span: Option<Span>,
    pub(super) path_span: Option<Span>,
    /// The ways to fill the optional parts of the path; none where there is [one plain way](Self::has_one_plain_way).
    pub(super) variants: Vec<PathVariant>,
    pub(super) redirect: Option<Arc<RedirectTo>>,
    /// What visitors must meet, by name, the outermost first.
    pub(super) needs: Vec<Placed<SmolStr>>,
    /// The route under which the table is mounted that declares this one; names are looked up there first.
    pub(super) scope: Option<RouteId>,
    /// Whether the route itself names its methods.
    pub(super) has_methods: bool,
    /// Whether the route answers URLs.
    pub(super) answers: bool,
    /// Could the paths of the route and of all its ancestors be read?
    pub(super) is_sound: bool,
}

/// A route that is being read.
pub(super) struct Reading {
    pub(super) name: SmolStr,
    pub(super) parent: Option<RouteId>,
    pub(super) level: u16,
    pub(super) page: Option<PageId>,
    pub(super) fallback: Option<PageId>,
    pub(super) methods: Methods,
    pub(super) host: Option<Box<Host>>,
    pub(super) params: Arc<[Param]>,
    pub(super) path: Box<ResolvedPath>,
    /// The template of the whole path, where it is the route's own as it was read.
    pub(super) template: Option<Template>,
    pub(super) known: ResolvedRoute,
}

/// The host of a route, its own or an ancestor's.
#[derive(Debug, Clone)]
pub(super) struct Host {
    pub(super) template: Template,
    /// Text, or the index of a parameter.
    pub(super) pieces: Vec<Result<String, u16>>,
}

impl ResolvedRoute {
    /// Whether the route answers URLs by one way without a tail. Then all that is to be known of the way is in the tree.
    pub(super) fn has_one_plain_way(&self) -> bool {
        self.variants.is_empty()
    }
}

/// The variants of a path in which its route is met; a tail that must have a segment is in all of them.
pub(super) fn met<'v>(variants: &'v [PathVariant], params: &[Param]) -> impl Iterator<Item = &'v PathVariant> {
    let needs_tail = |param: &Param| param.kind == ParamKind::Items && param.check.values.count().0 > 0;
    let tail_is_needed = params.iter().any(needs_tail);
    variants.iter().filter(move |variant| !tail_is_needed || variant.tail.is_some())
}

/// A declared need, and where it was declared.
#[derive(Debug)]
pub(super) struct ScopedNeed {
    pub(super) need: Need,
    pub(super) scope: Option<RouteId>,
}
