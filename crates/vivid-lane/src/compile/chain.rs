//! Declared routes → routes with their full names and paths.

use std::collections::HashMap;

use crate::matcher::{PageId, Param, RouteId};
use crate::table::{Data, Placed, Report, RouteSpec, Span, TableSpec};
use crate::template::{Operator, Part, Template};

/// How deep routes may be nested.
const DEEPEST: usize = 64;

/// A route that knows its ancestors.
#[derive(Debug)]
pub(super) struct Chained {
    pub(super) name: String,
    pub(super) name_span: Option<Span>,
    pub(super) path_span: Option<Span>,
    pub(super) parent: Option<RouteId>,
    pub(super) level: u16,
    pub(super) own_path: String,
    pub(super) page: Option<PageId>,
    pub(super) frame: Option<String>,
    pub(super) fallback: Option<PageId>,
    pub(super) data: Data,
    pub(super) params: Vec<Param>,
    /// The templates of the chain, outermost first, each without a lone slash.
    pub(super) templates: Vec<Template>,
}

/// Page names, each once, in the order in which they are first named.
#[derive(Debug, Default)]
struct Pages {
    ids: HashMap<String, PageId>,
    names: Vec<String>,
}

impl Pages {
    fn id(&mut self, name: &str) -> PageId {
        if let Some(&id) = self.ids.get(name) {
            return id;
        }
        let id = PageId(u32::try_from(self.names.len()).unwrap_or(u32::MAX));
        self.names.push(name.to_owned());
        self.ids.insert(name.to_owned(), id);
        id
    }
}

/// All routes, parents before their children, and the names of the pages. The site's fallback is page 0.
pub(super) fn walk(spec: &mut TableSpec, report: &mut Report) -> (Vec<Chained>, Vec<String>) {
    let mut walker = Walker { report, pages: Pages::default(), routes: Vec::new() };
    if let Some(fallback) = &spec.fallback {
        walker.pages.id(&fallback.value);
    }
    if spec.routes.is_empty() && !walker.report.has_errors() {
        walker
            .report
            .error("no-routes", None, "expected at least one route, found none")
            .help_with("declare one: `[routes.home]` with `path = \"/\"` and `page = \"home\"`");
    }
    walker.siblings(std::mem::take(&mut spec.routes), None);
    (walker.routes, walker.pages.names)
}

struct Walker<'a> {
    report: &'a mut Report,
    pages: Pages,
    routes: Vec<Chained>,
}

impl Walker<'_> {
    fn siblings(&mut self, routes: Vec<RouteSpec>, parent: Option<RouteId>) {
        let mut seen: HashMap<String, Option<Span>> = HashMap::with_capacity(routes.len());
        for route in routes {
            if seen.insert(route.name.value.clone(), route.name.span).is_some() {
                let name = self.full_name(parent, &route.name.value);
                self.report
                    .error("duplicate-name", route.name.span, format!("the route `{name}` is declared a second time"))
                    .help_with("give one of the two another name")
                    .route(name);
            }
            self.route(route, parent);
        }
    }

    fn full_name(&self, parent: Option<RouteId>, own: &str) -> String {
        match parent {
            Some(RouteId(id)) => format!("{}.{own}", self.routes[id as usize].name),
            None => own.to_owned(),
        }
    }

    fn route(&mut self, spec: RouteSpec, parent: Option<RouteId>) {
        let name = self.full_name(parent, &spec.name.value);
        let above = parent.map(|RouteId(id)| &self.routes[id as usize]);
        let level = above.map_or(0, |above| above.level + 1);
        let params = above.map_or_else(Vec::new, |above| above.params.clone());
        let templates = above.map_or_else(Vec::new, |above| above.templates.clone());
        if usize::from(level) >= DEEPEST {
            self.report
                .error("too-deep", spec.name.span, format!("routes may be nested {DEEPEST} deep, `{name}` is deeper"))
                .route(name);
            return;
        }
        self.name(&spec.name, &name);
        let mut route = Chained {
            name_span: spec.name.span,
            path_span: spec.path.as_ref().and_then(|path| path.span),
            parent,
            level,
            own_path: spec.path.as_ref().map_or_else(String::new, |path| path.value.clone()),
            page: spec.page.as_ref().map(|page| self.pages.id(&page.value)),
            frame: spec.frame.map(|frame| frame.value),
            fallback: spec.fallback.as_ref().map(|page| self.pages.id(&page.value)),
            data: spec.data,
            params,
            templates,
            name,
        };
        if let Some(path) = &spec.path {
            self.path(path, &mut route);
        }
        if !spec.damaged {
            self.purpose(&route, spec.path.is_some(), spec.routes.is_empty());
        }
        let id = RouteId(u32::try_from(self.routes.len()).unwrap_or(u32::MAX));
        self.routes.push(route);
        self.siblings(spec.routes, Some(id));
    }

    fn name(&mut self, own: &Placed<String>, full: &str) {
        let Some(found) = own.value.chars().find(|&c| !(c.is_alphanumeric() || matches!(c, '-' | '_'))) else {
            if own.value.is_empty() {
                self.report.error("route-name", own.span, "expected a name for the route, found none");
            }
            return;
        };
        self.report
            .error(
                "route-name",
                own.span,
                format!("expected letters, digits, `-` or `_` in the name of a route, found {found:?}"),
            )
            .route(full);
    }

    /// Does the route show something, group something, and say where it is?
    fn purpose(&mut self, route: &Chained, has_path: bool, is_leaf: bool) {
        let name = &route.name;
        if route.page.is_some() && !has_path {
            self.report
                .error("missing-path", route.name_span, format!("the route `{name}` has a page but no path"))
                .help_with("add `path = \"/…\"`")
                .route(name);
        }
        if route.page.is_none() && is_leaf {
            self.report
                .error(
                    "missing-page",
                    route.name_span,
                    format!("the route `{name}` shows nothing: it has no page and no child routes"),
                )
                .help_with("add `page = \"…\"`, or routes below it")
                .route(name);
        }
    }

    /// Reads the route's own path and notes its parameters.
    fn path(&mut self, path: &Placed<String>, route: &mut Chained) {
        // Within the quotes of a plain TOML string, bytes of the value are bytes of the file.
        let quotes = path.span.map_or(0, |span| span.width().saturating_sub(path.value.len()) / 2);
        let place = |offset: usize, width: usize| path.span.map(|span| span.within(quotes + offset, width));
        if !path.value.starts_with('/') && !path.value.starts_with("{/") {
            let found = if path.value.is_empty() { "nothing".to_owned() } else { format!("`{}`", first(&path.value)) };
            self.report
                .error("path-start", path.span, format!("expected a path that starts with `/`, found {found}"))
                .help_with(format!("write `/{}`", first(&path.value)))
                .route(&route.name);
            return;
        }
        let template = match Template::parse(if path.value == "/" { "" } else { &path.value }) {
            Ok(template) => template,
            Err(error) => {
                let span = place(error.offset(), error.width());
                self.report.error("template", span, error.to_string()).route(&route.name);
                return;
            }
        };
        for part in template.parts() {
            match part {
                Part::Literal(_) => {}
                Part::Expression(expression)
                    if expression.operator() == Operator::Simple && expression.variables().len() == 1 =>
                {
                    for variable in expression.variables() {
                        let span = place(variable.place().start, variable.place().len());
                        self.param(variable.name(), span, route);
                    }
                }
                Part::Expression(expression) => {
                    let place = place(expression.place().start, expression.place().len());
                    let text = &template.as_str()[expression.place()];
                    self.report
                        .error("operator", place, format!("expected a parameter such as `{{name}}`, found `{text}`"))
                        .route(&route.name);
                }
            }
        }
        route.templates.push(template);
    }

    fn param(&mut self, name: &str, span: Option<Span>, route: &mut Chained) {
        if let Some(known) = route.params.iter().find(|param| &*param.name == name) {
            let declared = if known.level == route.level { "itself" } else { "an ancestor" };
            let message = format!(
                "the parameter `{name}` of `{}` is declared a second time; {declared} has it already",
                route.name
            );
            self.report
                .error("repeated-parameter", span, message)
                .help_with("a value has one name along a chain of routes: rename one of the two")
                .route(&route.name);
            return;
        }
        route.params.push(Param { name: name.into(), level: route.level });
    }
}

/// The beginning of a text, for an error.
fn first(text: &str) -> &str {
    text.char_indices().nth(60).map_or(text, |(end, _)| &text[..end])
}
