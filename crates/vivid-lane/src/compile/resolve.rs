//! Declared routes → routes with their full names, paths and rules.

use crate::declare::Code;
use std::borrow::Cow;
use std::sync::Arc;

use smol_str::{SmolStr, format_smolstr};

use super::Size;
use super::freeze::freeze;
use super::resolved::{Host, Reading, ResolvedRoute, ScopedNeed};
use super::rules::{self, Rules};
use super::shared::{Pages, SharedParams};
use super::tree_builder::TreeBuilder;
use super::variants::ResolvedPath;
use crate::declare::{Case, Location, Need, Placed, Report, RouteSpec, Rule, TableSpec};
use crate::lookup::{Extras, Methods, Names, PageId, Param, Route, RouteId};
use crate::rule::TooLarge;

/// How deep routes may be nested.
const DEEPEST: usize = 64;
/// How many routes a table may have.
const MOST_ROUTES: usize = 1 << 24;

/// Room for at most so many declared routes is kept after they are forgotten.
const MOST_IDLE: usize = 4096;

/// What the walk over the declared routes gives.
#[derive(Debug)]
pub(super) struct Walked {
    /// Parents before their children, as they are frozen; without what names of other routes say.
    pub(super) frozen: Vec<Route>,
    /// What else is known of them.
    pub(super) known: Vec<ResolvedRoute>,
    /// The ways of all that answer URLs.
    pub(super) tree: TreeBuilder,
    /// The names of the pages; the site's fallback is the first.
    pub(super) pages: Vec<String>,
    pub(super) needs: Vec<ScopedNeed>,
    /// The names of the live lists.
    pub(super) lists: Vec<SmolStr>,
    /// The routes by their full names.
    pub(super) names: Names,
}

/// Walks the declared routes, which are so many. Those that are owned are forgotten one by one.
pub(super) fn walk(spec: Cow<'_, TableSpec>, size: Size, report: &mut Report) -> Result<Walked, TooLarge> {
    let mut walker = Walker {
        report,
        pages: Pages::default(),
        frozen: Vec::new(),
        known: Vec::new(),
        tree: TreeBuilder::new(spec.site.case == Case::Fold, size),
        no_extras: Arc::default(),
        spare: None,
        too_large: None,
        names: Names::default(),
        only_get: Methods(["GET".into()].into()),
        no_params: [].into(),
        shared: SharedParams::default(),
        params: Vec::new(),
        rules: Rules::new(),
        needs: Vec::new(),
        scope: None,
        is_in_fragment: spec.site.location == Location::Fragment,
    };
    if let Some(fallback) = &spec.site.fallback {
        walker.page(fallback, None);
    }
    if spec.routes.is_empty() && !walker.report.has_errors() {
        walker
            .report
            .add(Code::NoRoutes, None, "expected at least one route, found none")
            .help_with("declare one: `[routes.home]` with `path = \"/\"` and `page = \"home\"`");
    }
    walker.rules.declare(&spec.formats, &spec.lists, walker.report);
    walker.rules.enter(&spec.params, walker.report);
    walker.declare_needs(&spec.needs);
    walker.reserve(spec.routes.len());
    match spec {
        Cow::Borrowed(spec) => spec.routes.iter().for_each(|route| walker.route(route, None)),
        Cow::Owned(mut spec) => {
            // From the end, where room can be given back while the tree grows.
            spec.routes.reverse();
            while let Some(route) = spec.routes.pop() {
                walker.route(&route, None);
                if spec.routes.len().is_multiple_of(MOST_IDLE) {
                    spec.routes.shrink_to_fit();
                }
            }
        }
    }
    if let Some(too_large) = walker.too_large {
        return Err(too_large);
    }
    Ok(Walked {
        frozen: walker.frozen,
        known: walker.known,
        tree: walker.tree,
        pages: walker.pages.names,
        needs: walker.needs,
        lists: walker.rules.into_lists(),
        names: walker.names,
    })
}

pub(super) struct Walker<'a> {
    pub(super) report: &'a mut Report,
    pages: Pages,
    frozen: Vec<Route>,
    known: Vec<ResolvedRoute>,
    tree: TreeBuilder,
    no_extras: Arc<Extras>,
    /// An empty path: the next route that is below no other takes its room.
    spare: Option<Box<ResolvedPath>>,
    /// What could not be frozen, or put into the tree.
    too_large: Option<TooLarge>,
    names: Names,
    /// What most routes answer, and what many have; shared by them.
    only_get: Methods,
    pub(super) no_params: Arc<[Param]>,
    pub(super) shared: SharedParams,
    /// Those of the route at hand, while they are gathered.
    pub(super) params: Vec<Param>,
    pub(super) rules: Rules,
    needs: Vec<ScopedNeed>,
    scope: Option<RouteId>,
    /// Whether the addresses of pages stand in the fragment.
    pub(super) is_in_fragment: bool,
}

/// A route above others, and its path, with which theirs begin.
#[derive(Clone, Copy)]
struct Parent<'a> {
    id: RouteId,
    path: &'a ResolvedPath,
    host: Option<&'a Host>,
}

impl Walker<'_> {
    /// Makes room for siblings.
    fn reserve(&mut self, count: usize) {
        if self.too_large.is_some() {
            return;
        }
        self.frozen.reserve(count);
        self.known.reserve(count);
        let frozen = &self.frozen;
        self.names.reserve(count, |id| &frozen[id.index()].name);
    }

    fn siblings(&mut self, routes: &[RouteSpec], parent: Parent<'_>) {
        self.reserve(routes.len());
        for route in routes {
            self.route(route, Some(parent));
        }
    }

    /// The routes of another table, as children of a route.
    fn mounted(&mut self, table: &TableSpec, parent: Parent<'_>) {
        self.report.absorb(table.report.clone());
        self.rules.declare(&table.formats, &table.lists, self.report);
        // What the including table says of a name goes before what the included one shares by name.
        let own: Vec<(Placed<SmolStr>, Rule)> =
            table.params.iter().filter(|(name, _)| !self.rules.has(&name.value)).cloned().collect();
        self.rules.enter(&own, self.report);
        let outer = self.scope.replace(parent.id);
        self.declare_needs(&table.needs);
        self.siblings(&table.routes, parent);
        self.scope = outer;
        self.rules.leave(&own);
    }

    /// Adds the needs of a table. What an including table says of a need goes before what an included one says.
    fn declare_needs(&mut self, needs: &[Need]) {
        for need in needs {
            rules::wrong_name(&need.name, "need", self.report);
            match self.needs.iter().find(|known| known.need.name.value == need.name.value) {
                Some(known) if known.scope == self.scope => {
                    let message = format!("the need `{}` is declared twice", need.name.value);
                    self.report.add(Code::DuplicateNeed, need.name.span.as_ref(), message);
                }
                Some(_) => {}
                None => self.needs.push(ScopedNeed { need: need.clone(), scope: self.scope }),
            }
        }
    }

    fn full_name(&self, parent: Option<RouteId>, own: &str) -> SmolStr {
        match parent {
            Some(id) => format_smolstr!("{}.{own}", self.frozen[id.index()].name),
            None => own.into(),
        }
    }

    fn route(&mut self, spec: &RouteSpec, within: Option<Parent<'_>>) {
        // The name of a route that was too large is known, and the route is not.
        if self.too_large.is_some() {
            return;
        }
        let parent = within.map(|within| within.id);
        let name = self.full_name(parent, &spec.name.value);
        let above = parent.map(|id| &self.known[id.index()]);
        let level = parent.map_or(0, |id| self.frozen[id.index()].level + 1);
        let path = match (above, within) {
            (Some(above), Some(within)) => Box::new(within.path.for_children(level - 1, above.answers)),
            _ => self.spare.take().unwrap_or_default(),
        };
        let host = within.and_then(|within| within.host).map(|host| Box::new(host.clone()));
        let mut needs = above.map_or_else(Vec::new, |above| above.needs.clone());
        let is_sound = above.is_none_or(|above| above.is_sound);
        let span = spec.name.span.as_ref();
        if usize::from(level) >= DEEPEST {
            let message = format!("routes may be nested {DEEPEST} deep, `{name}` is deeper");
            self.report.add(Code::TooDeep, span, message).route(name.as_str());
            return;
        }
        if self.frozen.len() >= MOST_ROUTES {
            if self.frozen.len() == MOST_ROUTES {
                self.report.add(
                    Code::TooManyRoutes,
                    span,
                    format!("a table may have {MOST_ROUTES} routes, this one has more"),
                );
            }
            return;
        }
        let id = RouteId::of(self.frozen.len());
        let frozen = &self.frozen;
        if self.names.add(id, &name, |id| &frozen[id.index()].name).is_some() {
            self.report
                .add(Code::DuplicateName, span, format!("the route `{name}` is declared twice"))
                .help_with("give one of the two another name")
                .route(name.as_str());
        }
        if let Some(finding) = rules::wrong_name(&spec.name, "route", self.report) {
            finding.route(name.as_str());
        }
        for need in &spec.extras.needs {
            if !needs.iter().any(|known| known.value == need.value) {
                needs.push(need.clone());
            }
        }
        let known = ResolvedRoute {
            name_span: spec.name.span.clone(),
            path_span: spec.path.as_ref().and_then(|path| path.span.clone()),
            variants: Vec::new(),
            redirect: spec.redirect.clone(),
            needs,
            scope: self.scope,
            has_methods: !spec.extras.methods.is_empty(),
            answers: spec.page.is_some() || spec.redirect.is_some(),
            is_sound: is_sound && (spec.path.is_some() || (spec.page.is_none() && spec.redirect.is_none())),
        };
        let mut reading = Reading {
            parent,
            level,
            page: spec.page.as_ref().map(|page| self.page(page, Some(&name))),
            fallback: spec.extras.fallback.as_ref().map(|page| self.page(page, Some(&name))),
            methods: self.methods(&spec.extras.methods, &name),
            host,
            params: Arc::clone(&self.no_params),
            path,
            template: None,
            known,
            name,
        };
        // What form a value has is a matter of its rule.
        self.rules.enter(&spec.params, self.report);
        if let Some(host) = &spec.extras.host {
            self.host(host, &mut reading);
        }
        if let Some(path) = &spec.path {
            // A host that cannot be read is no reason not to read the path.
            self.path(path, &mut reading, is_sound);
        }
        let is_leaf = spec.routes.is_empty() && spec.extras.mounted.is_empty();
        if !spec.damaged {
            self.purpose(spec, &reading.name, is_leaf);
        }
        self.params(&spec.extras.required, &mut reading);
        let (mut path, host) = match self.keep(spec, id, reading) {
            Ok(kept) => kept,
            Err(too_large) => {
                let (name, span) = (self.full_name(parent, &spec.name.value), spec.name.span.as_ref());
                super::report_too_large(too_large, Some((&name, span)), self.report);
                self.too_large = Some(too_large);
                return;
            }
        };
        if is_leaf {
            path.clear();
            self.spare = Some(path);
            return self.rules.leave(&spec.params);
        }
        let parent = Parent { id, path: &path, host: host.as_deref() };
        self.siblings(&spec.routes, parent);
        for table in &spec.extras.mounted {
            self.mounted(table, parent);
        }
        self.rules.leave(&spec.params);
    }

    /// Freezes a route that was read, and puts its ways into the tree. Gives what those below it go on from.
    fn keep(
        &mut self,
        spec: &RouteSpec,
        id: RouteId,
        mut reading: Reading,
    ) -> Result<(Box<ResolvedPath>, Option<Box<Host>>), TooLarge> {
        self.frozen.push(freeze(spec, &mut reading, &self.no_extras)?);
        let Reading { mut path, host, params, mut known, .. } = reading;
        if known.answers && known.is_sound {
            self.tree.add(&params, &path.variants, id)?;
        }
        let is_plain = known.answers && matches!(path.variants.as_slice(), [only] if only.tail.is_none());
        if !is_plain {
            let has_children = !spec.routes.is_empty() || !spec.extras.mounted.is_empty();
            known.variants =
                if has_children { path.variants.to_vec() } else { std::mem::take(&mut path.variants).into_vec() };
        }
        self.known.push(known);
        Ok((path, host))
    }

    /// The page of that name, for a route or the site.
    fn page(&mut self, page: &Placed<SmolStr>, route: Option<&str>) -> PageId {
        if page.value.is_empty() {
            let finding =
                self.report.add(Code::EmptyPage, page.span.as_ref(), "expected the name of a page, found nothing");
            finding.help_with("name the page, or leave the key out");
            if let Some(route) = route {
                finding.route(route);
            }
        }
        self.pages.id(&page.value)
    }

    fn methods(&mut self, declared: &[Placed<SmolStr>], route: &str) -> Methods {
        for method in declared {
            let is_token =
                !method.value.is_empty() && method.value.bytes().all(|byte| byte.is_ascii_uppercase() || byte == b'-');
            if !is_token {
                let message =
                    format!("expected a method in capitals such as `POST`, found `{}`", method.value.escape_debug());
                self.report.add(Code::Method, method.span.as_ref(), message).route(route);
            }
        }
        if declared.is_empty() {
            return self.only_get.clone();
        }
        Methods(declared.iter().map(|method| method.value.as_str().into()).collect())
    }

    /// Whether the route shows something, groups something, and says where it is.
    fn purpose(&mut self, route: &RouteSpec, name: &SmolStr, is_leaf: bool) {
        let (span, has_path) = (route.name.span.as_ref(), route.path.is_some());
        if route.page.is_some() && !has_path {
            self.report
                .add(Code::MissingPath, span, format!("the route `{name}` has a page but no path"))
                .help_with("add `path = \"/…\"`")
                .route(name);
        }
        if let Some(redirect) = &route.redirect {
            let span = redirect.span.as_ref().or(span);
            if route.page.is_some() {
                self.report
                    .add(Code::Redirect, span, format!("the route `{name}` has a page and a redirect"))
                    .help_with("a route does one of the two: leave one out")
                    .route(name);
            }
            if !has_path {
                self.report
                    .add(Code::MissingPath, span, format!("the route `{name}` has a redirect but no path"))
                    .help_with("add `path = \"/…\"`")
                    .route(name);
            }
        }
        if route.page.is_none() && route.redirect.is_none() && is_leaf {
            let message = format!("the route `{name}` does nothing: it has no page, no redirect and no child routes");
            self.report
                .add(Code::MissingPage, span, message)
                .help_with("add `page = \"…\"`, `redirect = \"…\"`, or routes below it")
                .route(name);
        }
    }
}
