//! Declared routes → routes with their full names, paths and rules.

use crate::declare::Code;
use std::borrow::Cow;
use std::sync::Arc;

use smallvec::SmallVec;
use smol_str::{SmolStr, format_smolstr};

use super::freeze::freeze;
use super::resolved::{ResolvedRoute, ScopedNeed};
use super::rules::{self, Rules};
use super::shared::{Pages, SharedParams};
use super::variants::ResolvedPath;
use crate::declare::{Location, Need, Placed, Report, RouteSpec, Rule, TableSpec};
use crate::lookup::{Extras, Methods, Names, PageId, Param, Route, RouteId};
use crate::rule::TooLarge;
use crate::template::Template;

/// How deep routes may be nested.
const DEEPEST: usize = 64;
/// How many routes a table may have.
const MOST_ROUTES: usize = 1 << 24;

/// What the walk over the declared routes gives.
#[derive(Debug)]
pub(super) struct Walked {
    /// Parents before their children.
    pub(super) routes: Vec<ResolvedRoute>,
    /// The same, as they are frozen; without what names of other routes say.
    pub(super) frozen: Vec<Route>,
    /// The names of the pages; the site's fallback is the first.
    pub(super) pages: Vec<String>,
    pub(super) needs: Vec<ScopedNeed>,
    /// The names of the live lists.
    pub(super) lists: Vec<SmolStr>,
    /// The routes by their full names.
    pub(super) names: Names,
}

/// Walks the declared routes. Those that are owned are forgotten one by one.
pub(super) fn walk(spec: Cow<'_, TableSpec>, report: &mut Report) -> Result<Walked, TooLarge> {
    let mut walker = Walker {
        report,
        pages: Pages::default(),
        routes: Vec::new(),
        frozen: Vec::new(),
        no_extras: Arc::default(),
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
        Cow::Owned(spec) => spec.routes.into_iter().for_each(|route| walker.route(&route, None)),
    }
    if let Some(too_large) = walker.too_large {
        return Err(too_large);
    }
    Ok(Walked {
        routes: walker.routes,
        frozen: walker.frozen,
        pages: walker.pages.names,
        needs: walker.needs,
        lists: walker.rules.into_lists(),
        names: walker.names,
    })
}

pub(super) struct Walker<'a> {
    pub(super) report: &'a mut Report,
    pages: Pages,
    routes: Vec<ResolvedRoute>,
    frozen: Vec<Route>,
    no_extras: Arc<Extras>,
    /// What could not be frozen.
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
}

/// A route that is being read.
pub(super) struct Reading {
    pub(super) route: ResolvedRoute,
    pub(super) path: ResolvedPath,
    /// The template of the whole path, where it is the route's own as it was read.
    pub(super) template: Option<Template>,
}

impl Walker<'_> {
    /// Makes room for siblings.
    fn reserve(&mut self, count: usize) {
        self.routes.reserve(count);
        self.frozen.reserve(count);
        let known = &self.routes;
        self.names.reserve(count, |id| &known[id.index()].name);
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
            Some(id) => format_smolstr!("{}.{own}", self.routes[id.index()].name),
            None => own.into(),
        }
    }

    fn route(&mut self, spec: &RouteSpec, within: Option<Parent<'_>>) {
        let parent = within.map(|within| within.id);
        let name = self.full_name(parent, &spec.name.value);
        let above = parent.map(|id| &self.routes[id.index()]);
        let level = above.map_or(0, |above| above.level + 1);
        let path = above.zip(within).map_or_else(ResolvedPath::default, |(above, within)| {
            within.path.for_children(above.level, above.answers())
        });
        let host = above.and_then(|above| above.host.clone());
        let mut needs = above.map_or_else(Vec::new, |above| above.needs.clone());
        let is_sound = above.is_none_or(|above| above.is_sound);
        let span = spec.name.span.as_ref();
        if usize::from(level) >= DEEPEST {
            let message = format!("routes may be nested {DEEPEST} deep, `{name}` is deeper");
            self.report.add(Code::TooDeep, span, message).route(name.as_str());
            return;
        }
        if self.routes.len() >= MOST_ROUTES {
            if self.routes.len() == MOST_ROUTES {
                self.report.add(
                    Code::TooManyRoutes,
                    span,
                    format!("a table may have {MOST_ROUTES} routes, this one has more"),
                );
            }
            return;
        }
        let id = RouteId::of(self.routes.len());
        let known = &self.routes;
        if self.names.add(id, &name, |id| &known[id.index()].name).is_some() {
            self.report
                .add(Code::DuplicateName, span, format!("the route `{name}` is declared twice"))
                .help_with("give one of the two another name")
                .route(name.as_str());
        }
        if let Some(finding) = rules::wrong_name(&spec.name, "route", self.report) {
            finding.route(name.as_str());
        }
        for need in &spec.needs {
            if !needs.iter().any(|known| known.value == need.value) {
                needs.push(need.clone());
            }
        }
        let route = ResolvedRoute {
            name_span: spec.name.span.clone(),
            path_span: spec.path.as_ref().and_then(|path| path.span.clone()),
            parent,
            level,
            page: spec.page.as_ref().map(|page| self.page(page, Some(&name))),
            fallback: spec.fallback.as_ref().map(|page| self.page(page, Some(&name))),
            methods: self.methods(&spec.methods, &name),
            host,
            all_variants: SmallVec::new(),
            params: Arc::clone(&self.no_params),
            redirect: spec.redirect.clone(),
            has_methods: !spec.methods.is_empty(),
            needs,
            scope: self.scope,
            is_sound,
            name,
        };
        let mut reading = Reading { route, path, template: None };
        if spec.path.is_none() && reading.route.answers() {
            reading.route.is_sound = false;
        }
        // What form a value has is a matter of its rule.
        self.rules.enter(&spec.params, self.report);
        if let Some(host) = &spec.host {
            self.host(host, &mut reading);
        }
        if let Some(path) = &spec.path {
            // A host that cannot be read is no reason not to read the path.
            self.path(path, &mut reading, is_sound);
        }
        if !spec.damaged {
            self.purpose(&reading.route, spec.path.is_some(), spec.routes.is_empty() && spec.mounted.is_empty());
        }
        self.params(&spec.required, &mut reading);
        let Reading { mut route, mut path, template } = reading;
        match freeze(spec, &route, &path, template, &self.no_extras) {
            Ok(frozen) => self.frozen.push(frozen),
            Err(too_large) => {
                self.too_large = Some(too_large);
                return;
            }
        }
        if spec.routes.is_empty() && spec.mounted.is_empty() {
            route.all_variants = std::mem::take(&mut path.variants);
        } else {
            route.all_variants = path.variants.clone();
        }
        self.routes.push(route);
        let parent = Parent { id, path: &path };
        self.siblings(&spec.routes, parent);
        for table in &spec.mounted {
            self.mounted(table, parent);
        }
        self.rules.leave(&spec.params);
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
    fn purpose(&mut self, route: &ResolvedRoute, has_path: bool, is_leaf: bool) {
        let (name, span) = (&route.name, route.name_span.as_ref());
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
        if !route.answers() && is_leaf {
            let message = format!("the route `{name}` does nothing: it has no page, no redirect and no child routes");
            self.report
                .add(Code::MissingPage, span, message)
                .help_with("add `page = \"…\"`, `redirect = \"…\"`, or routes below it")
                .route(name);
        }
    }
}
