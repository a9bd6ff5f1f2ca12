//! Declared routes → routes with their full names, paths and rules.

use crate::declare::Code;
use std::borrow::Cow;
use std::sync::Arc;

use smol_str::{SmolStr, format_smolstr};

use super::notation::OtherNotation;
use super::rules::{self, Rules};
use super::shared::{Pages, SharedParams};
use super::variants::{PathProblem, PathVariant, ResolvedPath};
use crate::declare::{
    Data, Location, Need, Placed, RedirectTo, Report, RouteSpec, Rule, Span, TableSpec, expected_one_of, usual_word,
};
use crate::lookup::{Methods, Names, PageId, Param, ParamKind, RouteId};
use crate::rule::{MOST_STATES, in_words};
use crate::template::percent::encode_unreserved;
use crate::template::{Operator, Part, Template, TemplateError};

/// How deep routes may be nested.
const DEEPEST: usize = 64;
/// How many routes a table may have.
const MOST_ROUTES: usize = 1 << 24;

/// A route that knows its ancestors.
#[derive(Debug)]
pub(super) struct ResolvedRoute {
    pub(super) name: SmolStr,
    pub(super) name_span: Option<Span>,
    pub(super) path_span: Option<Span>,
    pub(super) parent: Option<RouteId>,
    pub(super) level: u16,
    /// The path as the route declares it, where it is not its template.
    pub(super) own_path: Option<Box<str>>,
    pub(super) page: Option<PageId>,
    pub(super) frame: Option<Box<str>>,
    pub(super) fallback: Option<PageId>,
    pub(super) no_fallback: bool,
    pub(super) is_parent: bool,
    pub(super) data: Data,
    pub(super) methods: Methods,
    pub(super) priority: i64,
    pub(super) host: Option<Box<Host>>,
    pub(super) path: ResolvedPath,
    /// The template of the whole path, where it is the route's own as it was read.
    pub(super) template: Option<Template>,
    pub(super) params: Arc<[Param]>,
    pub(super) redirect: Option<Box<RedirectTo>>,
    /// Did the route itself say which methods it answers?
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
    /// Does the route answer URLs?
    pub(super) fn answers(&self) -> bool {
        self.page.is_some() || self.redirect.is_some()
    }

    /// The ways to fill the optional parts of the path; a tail that must have a segment is in all of them.
    pub(super) fn variants(&self) -> impl Iterator<Item = &PathVariant> {
        let needs_tail = |param: &Param| param.kind == ParamKind::Items && param.check.values.count().0 > 0;
        let tail_is_needed = self.params.iter().any(needs_tail);
        self.path.variants.iter().filter(move |variant| !tail_is_needed || variant.tail.is_some())
    }
}

/// A declared need, and where it was declared.
#[derive(Debug)]
pub(super) struct ScopedNeed {
    pub(super) need: Need,
    pub(super) scope: Option<RouteId>,
}

/// What the walk over the declared routes gives.
#[derive(Debug)]
pub(super) struct Walked {
    /// Parents before their children.
    pub(super) routes: Vec<ResolvedRoute>,
    /// The names of the pages; the site's fallback is the first.
    pub(super) pages: Vec<String>,
    pub(super) needs: Vec<ScopedNeed>,
    /// The names of the live lists.
    pub(super) lists: Vec<SmolStr>,
    /// The routes by their full names.
    pub(super) names: Names,
}

/// Walks the declared routes. Those that are owned are forgotten one by one.
pub(super) fn walk(spec: Cow<'_, TableSpec>, report: &mut Report) -> Walked {
    let mut walker = Walker {
        report,
        pages: Pages::default(),
        routes: Vec::new(),
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
    Walked {
        routes: walker.routes,
        pages: walker.pages.names,
        needs: walker.needs,
        lists: walker.rules.into_lists(),
        names: walker.names,
    }
}

struct Walker<'a> {
    report: &'a mut Report,
    pages: Pages,
    routes: Vec<ResolvedRoute>,
    names: Names,
    /// What most routes answer, and what many have; shared by them.
    only_get: Methods,
    no_params: Arc<[Param]>,
    shared: SharedParams,
    /// Those of the route at hand, while they are gathered.
    params: Vec<Param>,
    rules: Rules,
    needs: Vec<ScopedNeed>,
    scope: Option<RouteId>,
    /// Do the addresses of pages stand in the fragment?
    is_in_fragment: bool,
}

impl Walker<'_> {
    /// Makes room for siblings.
    fn reserve(&mut self, count: usize) {
        self.routes.reserve(count);
        let known = &self.routes;
        self.names.reserve(count, |id| &known[id.0 as usize].name);
    }

    fn siblings(&mut self, routes: &[RouteSpec], parent: RouteId) {
        self.reserve(routes.len());
        for route in routes {
            self.route(route, Some(parent));
        }
    }

    /// The routes of another table, as children of a route.
    fn mounted(&mut self, table: &TableSpec, parent: RouteId) {
        self.report.absorb(table.report.clone());
        self.rules.declare(&table.formats, &table.lists, self.report);
        // What the including table says of a name goes before what the included one shares by name.
        let own: Vec<(Placed<SmolStr>, Rule)> =
            table.params.iter().filter(|(name, _)| !self.rules.has(&name.value)).cloned().collect();
        self.rules.enter(&own, self.report);
        let outer = self.scope.replace(parent);
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
                    let message = format!("the need `{}` is declared a second time", need.name.value);
                    self.report.add(Code::DuplicateNeed, need.name.span.as_ref(), message);
                }
                Some(_) => {}
                None => self.needs.push(ScopedNeed { need: need.clone(), scope: self.scope }),
            }
        }
    }

    fn full_name(&self, parent: Option<RouteId>, own: &str) -> SmolStr {
        match parent {
            Some(RouteId(id)) => format_smolstr!("{}.{own}", self.routes[id as usize].name),
            None => own.into(),
        }
    }

    fn route(&mut self, spec: &RouteSpec, parent: Option<RouteId>) {
        let name = self.full_name(parent, &spec.name.value);
        let above = parent.map(|RouteId(id)| &self.routes[id as usize]);
        let level = above.map_or(0, |above| above.level + 1);
        let path =
            above.map_or_else(ResolvedPath::default, |above| above.path.for_children(above.level, above.answers()));
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
        let id = RouteId(u32::try_from(self.routes.len()).unwrap_or(u32::MAX));
        let known = &self.routes;
        if self.names.add(id, &name, |id| &known[id.0 as usize].name).is_some() {
            self.report
                .add(Code::DuplicateName, span, format!("the route `{name}` is declared a second time"))
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
        let mut route = ResolvedRoute {
            name_span: spec.name.span.clone(),
            path_span: spec.path.as_ref().and_then(|path| path.span.clone()),
            parent,
            level,
            own_path: None,
            page: spec.page.as_ref().map(|page| self.page(page, Some(&name))),
            frame: spec.frame.as_ref().map(|frame| frame.value.as_str().into()),
            fallback: spec.fallback.as_ref().map(|page| self.page(page, Some(&name))),
            no_fallback: spec.no_fallback,
            is_parent: !spec.routes.is_empty() || !spec.mounted.is_empty(),
            data: spec.data.clone(),
            methods: self.methods(&spec.methods, &name),
            priority: spec.priority,
            host,
            path,
            template: None,
            params: Arc::clone(&self.no_params),
            redirect: spec.redirect.clone(),
            has_methods: !spec.methods.is_empty(),
            needs,
            scope: self.scope,
            is_sound,
            name,
        };
        if spec.path.is_none() && route.answers() {
            route.is_sound = false;
        }
        // What form a value has is a matter of its rule.
        self.rules.enter(&spec.params, self.report);
        if let Some(host) = &spec.host {
            self.host(host, &mut route);
        }
        if let Some(path) = &spec.path {
            // A host that cannot be read is no reason not to read the path.
            self.path(path, &mut route, is_sound);
        }
        if !spec.damaged {
            self.purpose(&route, spec.path.is_some(), spec.routes.is_empty() && spec.mounted.is_empty());
        }
        self.params(&spec.required, &mut route);
        let is_template =
            |path: &&Placed<SmolStr>| route.template.as_ref().is_some_and(|known| known.as_str() == path.value);
        route.own_path = spec.path.as_ref().filter(|path| !is_template(path)).map(|path| path.value.as_str().into());
        self.routes.push(route);
        self.siblings(&spec.routes, id);
        for table in &spec.mounted {
            self.mounted(table, id);
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

    /// Does the route show something, group something, and say where it is?
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

    /// Goes on with the route's own path.
    fn path(&mut self, path: &Placed<SmolStr>, route: &mut ResolvedRoute, ancestors_are_sound: bool) {
        let starts_well = path.value.starts_with('/')
            || ["{/", "{?", "{&", "{#", "?"].iter().any(|start| path.value.starts_with(start))
            || (route.level > 0 && ["{.", "{;"].iter().any(|start| path.value.starts_with(start)));
        if !starts_well {
            let found =
                if path.value.is_empty() { "nothing".to_owned() } else { format!("`{}`", beginning(&path.value)) };
            self.report
                .add(
                    Code::PathStart,
                    path.span.as_ref(),
                    format!("expected a path that starts with `/`, found {found}"),
                )
                .help_with(format!("write `/{}`", beginning(&path.value)))
                .route(&route.name);
            route.is_sound = false;
            return;
        }
        // A lone slash stands for the parent's own path, so that no `//` comes of joining the two.
        let (text, skipped) = match path.value.strip_prefix('/') {
            Some(rest) if rest.is_empty() || rest.starts_with(['?', '{']) && is_query(rest) => (rest, 1),
            _ => (path.value.as_str(), 0),
        };
        let template = match Template::parse(text) {
            Ok(template) => template,
            Err(error) => return self.bad_template(&error, path, skipped, route),
        };
        self.other_notation(path, route);
        if !ancestors_are_sound {
            return;
        }
        let rules = &self.rules;
        if let Err(problem) = route.path.extend(&template, route.level, &|name| rules.shape_of(name)) {
            return self.bad_path(problem, path, skipped, route);
        }
        if route.level == 0 {
            route.template = Some(template);
        }
        if self.is_in_fragment && route.path.has_fragment() {
            self.report
                .add(
                    Code::Fragment,
                    path.span.as_ref(),
                    "the address of a page is in the fragment, so it has no fragment of its own",
                )
                .help_with(
                    "leave out `{#…}`, or put the address into the path with `location = \"path\"` under `[site]`",
                )
                .route(&route.name);
        }
    }

    fn host(&mut self, host: &Placed<SmolStr>, route: &mut ResolvedRoute) {
        let template = match Template::parse(&host.value) {
            Ok(template) => template,
            Err(error) => return self.bad_template(&error, host, 0, route),
        };
        if let Some(above) = &route.host {
            let message = format!("`{}` has the host `{}` from an ancestor already", route.name, above.template);
            self.report.add(Code::RepeatedHost, host.span.as_ref(), message).route(&route.name);
            return;
        }
        let mut pieces = Vec::new();
        for part in template.parts() {
            match part {
                Part::Literal(text)
                    if text.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'-')) =>
                {
                    pieces.push(Ok(text.to_ascii_lowercase()));
                }
                Part::Expression(expression)
                    if expression.operator() == Operator::Simple
                        && let Some(variable) = expression.sole_variable() =>
                {
                    match route.path.host_param(variable, route.level) {
                        Ok(param) => pieces.push(Err(param)),
                        Err(problem) => self.bad_path(problem, host, 0, route),
                    }
                }
                _ => {
                    let message = format!(
                        "expected a host such as `{{club}}.larkfell.example`, found `{}`",
                        host.value.escape_debug()
                    );
                    self.report.add(Code::Host, host.span.as_ref(), message).route(&route.name);
                    route.is_sound = false;
                }
            }
        }
        route.host = Some(Box::new(Host { template, pieces }));
    }

    fn bad_template(
        &mut self,
        error: &TemplateError,
        text: &Placed<SmolStr>,
        skipped: usize,
        route: &mut ResolvedRoute,
    ) {
        let span = within(text, skipped + error.offset(), error.width());
        let meant = OtherNotation::find(&text.value);
        let finding = self.report.add(Code::Template, span.as_ref(), error.to_string()).route(&route.name);
        if let Some(meant) = meant {
            finding.help_with(meant_by(&meant));
        }
        route.is_sound = false;
    }

    /// Warns of a literal that is a parameter in another notation.
    fn other_notation(&mut self, path: &Placed<SmolStr>, route: &ResolvedRoute) {
        let Some(meant) = OtherNotation::find(&path.value) else { return };
        let piece = &path.value[meant.place.clone()];
        let span = within(path, meant.place.start, meant.place.len());
        self.report
            .add(Code::OtherNotation, span.as_ref(), format!("`{piece}` is the text itself, and no parameter"))
            .help_with(format!("{}, or escape it to say that it is meant: `{}`", meant_by(&meant), escaped(piece)))
            .route(&route.name);
    }

    fn bad_path(&mut self, problem: PathProblem, text: &Placed<SmolStr>, skipped: usize, route: &mut ResolvedRoute) {
        let span = within(text, skipped + problem.place.start, problem.place.len());
        let finding = self.report.add(problem.code, span.as_ref(), problem.message).route(&route.name);
        if let Some(help) = problem.help {
            finding.help_with(help);
        }
        route.is_sound = false;
    }

    /// Gives each parameter of the chain the rule that is nearest to this route.
    fn params(&mut self, required: &[Placed<SmolStr>], route: &mut ResolvedRoute) {
        for name in required {
            match route.path.params.iter_mut().find(|param| param.name == name.value) {
                Some(param) => {
                    param.is_optional = false;
                    let index = route.path.params.iter().position(|param| param.name == name.value);
                    let index = index.and_then(|index| u16::try_from(index).ok());
                    route.path.variants.retain(|variant| {
                        index.is_none_or(|index| {
                            !is_in_path(&route.path.params[usize::from(index)])
                                || variant.filled().any(|filled| filled == index)
                        })
                    });
                }
                None => {
                    let known: Vec<&str> = route.path.params.iter().map(|param| param.name.as_str()).collect();
                    let help = if known.is_empty() {
                        "the path has none".to_owned()
                    } else {
                        expected_one_of(&name.value, &known)
                    };
                    let message =
                        format!("`required` names `{}`, which is no parameter of `{}`", name.value, route.name);
                    self.report
                        .add(Code::UnknownParameter, name.span.as_ref(), message)
                        .help_with(help)
                        .route(&route.name);
                }
            }
        }
        if route.path.params.is_empty() {
            return;
        }
        let mut params = std::mem::take(&mut self.params);
        for declared in &route.path.params {
            let mut check = self.rules.of(&declared.name, declared.shape);
            if check.shape() != declared.shape && !check.declared().is_empty() {
                let message = format!(
                    "the rule of `{}` is of {}, and its path makes {} of it",
                    declared.name,
                    in_words(check.shape()),
                    in_words(declared.shape)
                );
                self.report.add(Code::Rule, route.path_span.as_ref(), message).route(&route.name);
            }
            if check.shape() != declared.shape {
                check = self.rules.any(declared.shape);
            }
            let is_own = declared.level == route.level;
            if is_own
                && declared.is_exploded
                && declared.kind == ParamKind::Query
                && self.rules.shape_of(&declared.name).is_none()
            {
                let name = &declared.name;
                let message = format!("`{{?{name}*}}` is a list: all values of `{name}` in the query");
                self.report
                    .add(Code::UntypedList, route.path_span.as_ref(), message)
                    .help_with(format!("write `params.{name}.type = \"array\"` to say so, or `\"object\"` for the rest of the query, names and values"))
                    .route(&route.name);
            }
            let texts = self.rules.of_texts(&check, declared.kind, declared.join.as_ref()).unwrap_or_else(|_| {
                let message = format!(
                    "the automaton of all values of `{}` would have more than {MOST_STATES} states",
                    declared.name
                );
                self.report
                    .add(Code::RuleTooLarge, route.path_span.as_ref(), message)
                    .help_with("make the rule of its items, or their number, smaller")
                    .route(&route.name);
                Arc::clone(&check)
            });
            params.push(Param {
                name: declared.name.clone(),
                level: declared.level,
                kind: declared.kind,
                is_optional: declared.is_optional,
                check,
                texts,
                is_exploded: declared.is_exploded,
            });
        }
        route.params = self.shared.of(&params);
        params.clear();
        self.params = params;
    }
}

fn is_in_path(param: &super::variants::ResolvedParam) -> bool {
    matches!(param.kind, ParamKind::Segment | ParamKind::Items | ParamKind::Rest)
}

/// What to write in place of another notation.
fn meant_by(meant: &OtherNotation) -> String {
    let rules = meant
        .rules
        .iter()
        .map(|(name, word)| format!(" and `params.{name} = \"{}\"`", usual_word(word).unwrap_or(word)));
    format!("write `{}`{}", meant.path, rules.collect::<String>())
}

/// A literal with its first character escaped.
fn escaped(piece: &str) -> String {
    let mut out = String::new();
    let (first, rest) = piece.split_at(1);
    encode_unreserved(&mut out, first);
    out + rest
}

/// Is what follows the first slash of a path its query?
fn is_query(rest: &str) -> bool {
    rest.starts_with('?') || rest.starts_with("{?") || rest.starts_with("{&") || rest.starts_with("{#")
}

/// The place of some bytes of a text, within the quotes of the string that it was written as.
pub(super) fn within(text: &Placed<SmolStr>, offset: usize, width: usize) -> Option<Span> {
    let span = text.span.as_ref()?;
    let quotes = span.width().saturating_sub(text.value.len()) / 2;
    Some(span.within(quotes + offset, width.max(1)))
}

/// The beginning of a text, for an error.
fn beginning(text: &str) -> String {
    let shown: String = text.chars().take(60).collect();
    shown.escape_debug().to_string()
}
