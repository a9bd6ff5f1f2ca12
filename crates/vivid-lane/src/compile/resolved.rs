//! What a declared route is known to be, once its ancestors have been read.

use std::sync::Arc;

use smallvec::SmallVec;
use smol_str::SmolStr;

use crate::declare::{Need, Placed, RedirectTo, Span};
use crate::lookup::{Methods, PageId, Param, ParamKind, PathVariant, RouteId};
use crate::template::Template;

/// A route that knows its ancestors.
#[derive(Debug)]
pub(super) struct ResolvedRoute {
    pub(super) name: SmolStr,
    pub(super) name_span: Option<Span>,
    pub(super) path_span: Option<Span>,
    pub(super) parent: Option<RouteId>,
    pub(super) level: u16,
    pub(super) page: Option<PageId>,
    pub(super) fallback: Option<PageId>,
    pub(super) methods: Methods,
    pub(super) host: Option<Box<Host>>,
    /// The ways to fill the optional parts of the path.
    pub(super) all_variants: SmallVec<[PathVariant; 1]>,
    pub(super) params: Arc<[Param]>,
    pub(super) redirect: Option<Box<RedirectTo>>,
    /// Whether the route itself names its methods.
    pub(super) has_methods: bool,
    /// What visitors must meet, by name, the outermost first.
    pub(super) needs: Vec<Placed<SmolStr>>,
    /// The route under which the table is mounted that declares this one; names are looked up there first.
    pub(super) scope: Option<RouteId>,
    /// Could the paths of the route and of all its ancestors be read?
    pub(super) is_sound: bool,
}

/// The host of a route, its own or an ancestor's.
#[derive(Debug, Clone)]
pub(super) struct Host {
    pub(super) template: Template,
    /// Text, or the index of a parameter.
    pub(super) pieces: Vec<Result<String, u16>>,
}

impl ResolvedRoute {
    /// Whether the route answers URLs.
    pub(super) fn answers(&self) -> bool {
        self.page.is_some() || self.redirect.is_some()
    }

    /// The ways to fill the optional parts of the path; a tail that must have a segment is in all of them.
    pub(super) fn variants(&self) -> impl Iterator<Item = &PathVariant> {
        let needs_tail = |param: &Param| param.kind == ParamKind::Items && param.check.values.count().0 > 0;
        let tail_is_needed = self.params.iter().any(needs_tail);
        self.all_variants.iter().filter(move |variant| !tail_is_needed || variant.tail.is_some())
    }
}

/// A declared need, and where it was declared.
#[derive(Debug)]
pub(super) struct ScopedNeed {
    pub(super) need: Need,
    pub(super) scope: Option<RouteId>,
}
