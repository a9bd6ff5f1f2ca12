//! Document → declared table: which words mean what.

use std::sync::Arc;

use smol_str::SmolStr;

use super::code::Code;
use super::data::Data;
use super::finding::{Finding, Report};
use super::keys::{self, KeyRow};
use super::nearest::{expected_one_of, nearest};
use super::node::{Entry, Node, NodeKind};
use super::redirect::{Aim, Need, RedirectTo};
use super::rule::Rule;
use super::source::{Origin, Placed, Source};
use super::spec::{RouteSpec, TableSpec};
use super::syntax;

/// The most bytes of table files that are read for one table; it keeps places within 32 bits.
pub(super) const LONGEST: usize = 256 << 20;
/// How deep files may include each other.
const DEEPEST_INCLUDE: usize = 32;

impl TableSpec {
    /// Reads a table file that includes no other. Problems are kept, and [`build`](Self::build) reports them.
    #[must_use]
    pub fn read(source: Source) -> Self {
        table(source, &mut |name| Err(format!("this program has no way to read `{name}`")))
    }

    /// Reads a table file and the files that it includes. The function gets the name that stands after `include`, and
    /// returns the text, or the reason why there is none.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Source, TableSpec};
    ///
    /// let main = Source::toml("[routes.plates]\npath = '/plates'\ninclude = 'plates.toml'").named("routes.toml");
    /// let table = TableSpec::read_with(main, &mut |name| match name {
    ///     "plates.toml" => Ok(Source::toml("[routes.plate]\npath = '/{plate}'\npage = 'plate'").named(name)),
    ///     _ => Err("no such file".to_owned()),
    /// })
    /// .build()?;
    /// assert_eq!(table.find("/plates/b-1021").unwrap().route().name(), "plates.plate");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn read_with(source: Source, include: &mut dyn FnMut(&str) -> Result<Source, String>) -> Self {
        table(source, include)
    }
}

/// Reads a table file; what is wrong is kept in the report of the result.
fn table(source: Source, include: &mut dyn FnMut(&str) -> Result<Source, String>) -> TableSpec {
    let mut reader = Reader { report: Report::default(), include, open: Vec::new(), budget: LONGEST };
    let mut spec = reader.file(source, None);
    spec.report = reader.report;
    spec
}

/// Reads what an entry says of one route, which stands by itself.
pub(super) fn route(entry: Entry, report: &mut Report) -> RouteSpec {
    let mut include = |_: &str| Err("nothing can be included here".to_owned());
    let mut reader =
        Reader { report: std::mem::take(report), include: &mut include, open: Vec::new(), budget: LONGEST };
    let route = reader.route(entry);
    *report = reader.report;
    route
}

/// Whether a table is a misspelt key and not a route: its name is nearly a key, and it has no key of a route.
fn is_slip(name: &str, value: &Node, known: &[KeyRow]) -> bool {
    fn is_route(value: &Node) -> bool {
        let NodeKind::Table(entries) = &value.kind else { return false };
        let tells = |entry: &Entry| matches!(entry.key.as_str(), "path" | "page" | "redirect" | "include");
        entries.iter().any(|entry| tells(entry) || is_route(&entry.value))
    }
    matches!(value.kind, NodeKind::Table(_)) && nearest(name, keys::names(known)).is_some() && !is_route(value)
}

pub(super) struct Reader<'a> {
    report: Report,
    include: &'a mut dyn FnMut(&str) -> Result<Source, String>,
    /// The names of the files that are being read, the outermost first.
    open: Vec<String>,
    /// How many more bytes are read.
    budget: usize,
}

impl Reader<'_> {
    /// Reads one file; an included one under the name by which it was asked for.
    fn file(&mut self, source: Source, included_as: Option<String>) -> TableSpec {
        let is_included = included_as.is_some();
        let mut spec = TableSpec::new();
        let Some(budget) = self.budget.checked_sub(source.text.len()) else {
            let message = format!("the files of a table may have {LONGEST} bytes, these have more");
            self.report.add(Code::TooLarge, None, message);
            return spec;
        };
        self.budget = budget;
        let syntax = source.syntax;
        let origin = Origin::new(source);
        self.open.push(included_as.or_else(|| origin.name().map(str::to_owned)).unwrap_or_default());
        let entries = syntax::read(syntax, &origin, false, &mut self.report);
        for entry in entries {
            match entry.key.as_str() {
                "site" if is_included => {
                    self.report
                        .add(Code::IncludedSite, Some(&entry.span), "an included file cannot have a `site` of its own")
                        .help_with("move these keys to the file that includes it");
                }
                "site" => self.site(entry, &mut spec.site),
                // For editors.
                "$schema" => {}
                "params" => spec.params = self.params(entry),
                "needs" => spec.needs = self.needs(entry),
                "lists" => spec.lists = self.texts(entry),
                "routes" => spec.routes = self.children(entry),
                _ => self.unknown_key(&entry, keys::TOP),
            }
        }
        self.open.pop();
        spec
    }

    /// The routes in a table of routes.
    fn children(&mut self, entry: Entry) -> Vec<RouteSpec> {
        let entries = self.entries(entry);
        let mut routes = Vec::with_capacity(entries.len());
        for entry in entries {
            if matches!(entry.value.kind, NodeKind::Table(_)) {
                routes.push(self.route(entry));
            } else {
                let found = entry.value.describe();
                self.report
                    .add(Code::WrongType, Some(&entry.value.span), format!("expected a route, found {found}"))
                    .help_with(format!("write `[routes.{}]` and its keys below it", entry.key));
            }
        }
        routes
    }

    fn route(&mut self, entry: Entry) -> RouteSpec {
        let mut route = RouteSpec { name: Placed::new(entry.key.clone(), entry.span.clone()), ..RouteSpec::default() };
        for entry in self.entries(entry) {
            match entry.key.as_str() {
                "path" => {
                    route.path = self.text(entry);
                    route.damaged |= route.path.is_none();
                }
                "page" => {
                    route.page = self.text(entry);
                    route.damaged |= route.page.is_none();
                }
                "frame" => route.extras.frame = self.text(entry),
                "fallback" => match &entry.value.kind {
                    NodeKind::Bool(false) => route.extras.no_fallback = true,
                    NodeKind::Bool(true) => self.wrong_type(&entry, "the name of a page, or `false`,"),
                    _ => route.extras.fallback = self.text(entry),
                },
                "params" => route.params = self.params(entry),
                "required" => route.extras.required = self.texts(entry),
                "methods" => route.extras.methods = self.texts(entry),
                "host" => route.extras.host = self.text(entry),
                "redirect" => {
                    route.redirect = self.redirect(entry).map(Arc::new);
                    route.damaged |= route.redirect.is_none();
                }
                "needs" => route.extras.needs = self.texts(entry),
                "priority" => match entry.value.kind {
                    NodeKind::Integer(number) => route.extras.priority = number,
                    _ => self.wrong_type(&entry, "a whole number"),
                },
                "include" => self.included(entry, &mut route),
                "data" if matches!(entry.value.kind, NodeKind::Table(_)) => route.extras.data = entry.value.into_data(),
                "data" => self.wrong_type(&entry, "a table"),
                key if is_slip(key, &entry.value, keys::ROUTE) => {
                    route.damaged = true;
                    self.unknown_key(&entry, keys::ROUTE);
                }
                _ if matches!(entry.value.kind, NodeKind::Table(_)) => {
                    let child = self.route(entry);
                    route.routes.push(child);
                }
                key => {
                    route.damaged = true;
                    let is_near = nearest(key, keys::names(keys::ROUTE)).is_some();
                    let finding = self.unknown(&entry, keys::ROUTE);
                    if !is_near {
                        finding.help_with(format!("values of your own belong under `data`: write `data.{key}`"));
                    }
                }
            }
        }
        // There are as many as there are routes.
        route.routes.shrink_to_fit();
        route
    }

    /// A route, or a table that says more.
    fn redirect(&mut self, entry: Entry) -> Option<RedirectTo> {
        let span = entry.value.span.clone();
        if matches!(entry.value.kind, NodeKind::Text(_)) {
            let name = self.text(entry)?;
            return Some(RedirectTo { aim: Aim::Route(name), params: Vec::new(), status: None, span: Some(span) });
        }
        let NodeKind::Table(entries) = entry.value.kind else {
            self.wrong_type(&entry, "the name of a route, or a table with `to` or `url`");
            return None;
        };
        let (mut to, mut url, mut params, mut status) = (None, None, Vec::new(), None);
        for entry in entries {
            match entry.key.as_str() {
                "to" => to = self.text(entry),
                "url" => url = self.text(entry),
                "params" => {
                    for entry in self.entries(entry) {
                        let name = Placed::new(entry.key.clone(), entry.span.clone());
                        params.extend(self.text(entry).map(|value| (name, value)));
                    }
                }
                "status" => match entry.value.kind {
                    NodeKind::Integer(number) => status = Some(Placed::new(number, entry.value.span)),
                    _ => self.wrong_type(&entry, "a status such as 301"),
                },
                _ => self.unknown_key(&entry, keys::REDIRECT),
            }
        }
        let aim = match (to, url) {
            (Some(to), None) => Aim::Route(to),
            (None, Some(url)) => Aim::Url(url),
            (Some(_), Some(_)) => {
                self.report
                    .add(Code::Redirect, Some(&span), "expected `to` or `url` in a redirect, found both")
                    .help_with("`to` names a route of this table, `url` another site");
                return None;
            }
            (None, None) => {
                self.report
                    .add(Code::Redirect, Some(&span), "expected `to` or `url` in a redirect, found neither")
                    .help_with("`to` names a route of this table, `url` another site");
                return None;
            }
        };
        Some(RedirectTo { aim, params, status, span: Some(span) })
    }

    fn needs(&mut self, entry: Entry) -> Vec<Need> {
        let mut needs = Vec::new();
        for entry in self.entries(entry) {
            let mut need = Need { name: Placed::new(entry.key.clone(), entry.span.clone()), otherwise: None };
            for entry in self.entries(entry) {
                match entry.key.as_str() {
                    "otherwise" => need.otherwise = self.text(entry),
                    _ => self.unknown_key(&entry, keys::NEED),
                }
            }
            needs.push(need);
        }
        needs
    }

    /// Makes the routes of another file children of the route.
    fn included(&mut self, entry: Entry, route: &mut RouteSpec) {
        let Some(name) = self.text(entry) else { return };
        let (file, span) = (name.value.to_string(), name.span.as_ref());
        if self.open.contains(&file) {
            let way = self.open.iter().chain([&file]).map(|name| format!("`{name}`")).collect::<Vec<_>>().join(" → ");
            self.report.add(Code::IncludeCircle, span, format!("files include each other in a circle: {way}"));
            return;
        }
        if self.open.len() > DEEPEST_INCLUDE {
            let message = format!("files may include each other {DEEPEST_INCLUDE} deep, this goes deeper");
            self.report.add(Code::IncludeDepth, span, message);
            return;
        }
        match (self.include)(&file) {
            Ok(source) => {
                let source = if source.name.is_some() { source } else { source.named(file.as_str()) };
                let table = self.file(source, Some(file));
                route.extras.mounted.push(table);
            }
            Err(reason) => {
                self.report
                    .add(Code::Include, span, format!("cannot include `{file}`: {reason}"))
                    .help_with("the name is taken relative to the table file");
            }
        }
    }

    fn params(&mut self, entry: Entry) -> Vec<(Placed<SmolStr>, Rule)> {
        let entries = self.entries(entry);
        let mut params = Vec::with_capacity(entries.len());
        for entry in entries {
            let name = Placed::new(entry.key.clone(), entry.span.clone());
            if let Some(rule) = self.rule(entry) {
                params.push((name, rule));
            }
        }
        params
    }

    /// A rule: a table of keywords, the name of a format or type, or a list of values.
    fn rule(&mut self, entry: Entry) -> Option<Rule> {
        let span = entry.value.span.clone();
        let short = |keyword: &str, value: Data| {
            let keyword = Placed::new(keyword.into(), span.clone());
            Some(Rule { span: Some(span.clone()), keywords: vec![(keyword, Placed::new(value, span.clone()))] })
        };
        match entry.value.kind {
            NodeKind::Text(name) => short("format", Data::Text(name)),
            NodeKind::List(_) => short("enum", entry.value.into_data()),
            NodeKind::Table(entries) => {
                let keyword = |entry: Entry| {
                    let place = entry.value.span.clone();
                    (Placed::new(entry.key, entry.span), Placed::new(entry.value.into_data(), place))
                };
                Some(Rule { span: Some(span.clone()), keywords: entries.into_iter().map(keyword).collect() })
            }
            _ => {
                self.wrong_type(&entry, "a rule: a format, a list of values, or a table of keywords");
                None
            }
        }
    }

    pub(super) fn entries(&mut self, entry: Entry) -> Vec<Entry> {
        match entry.value.kind {
            NodeKind::Table(entries) => entries,
            _ => {
                self.wrong_type(&entry, "a table");
                Vec::new()
            }
        }
    }

    pub(super) fn text(&mut self, entry: Entry) -> Option<Placed<SmolStr>> {
        match entry.value.kind {
            NodeKind::Text(text) => Some(Placed::new(text.into(), entry.value.span)),
            _ => {
                self.wrong_type(&entry, "text");
                None
            }
        }
    }

    fn texts(&mut self, entry: Entry) -> Vec<Placed<SmolStr>> {
        let NodeKind::List(items) = entry.value.kind else {
            self.wrong_type(&entry, "a list of texts");
            return Vec::new();
        };
        let item = |value: Node| Entry { key: entry.key.clone(), span: entry.span.clone(), value };
        items.into_iter().filter_map(|node| self.text(item(node))).collect()
    }

    /// One of a few words.
    pub(super) fn word(&mut self, entry: Entry, words: &[&'static str]) -> Option<&'static str> {
        let key = entry.key.clone();
        let text = self.text(entry)?;
        let found = words.iter().copied().find(|word| *word == text.value);
        if found.is_none() {
            self.report
                .add(
                    Code::WrongWord,
                    text.span.as_ref(),
                    format!("unknown word `{}` for `{key}`", text.value.escape_debug()),
                )
                .help_with(expected_one_of(&text.value, words));
        }
        found
    }

    fn wrong_type(&mut self, entry: &Entry, expected: &str) {
        let found = entry.value.describe();
        let message = format!("expected {expected} for `{}`, found {found}", entry.key);
        let finding = self.report.add(Code::WrongType, Some(&entry.value.span), message);
        if found == "a table" {
            let key = &entry.key;
            finding.help_with(format!("`{key}` is a key of the table file, so no route can have that name here"));
        }
    }

    pub(super) fn unknown_key(&mut self, entry: &Entry, known: &[KeyRow]) {
        self.unknown(entry, known);
    }

    fn unknown(&mut self, entry: &Entry, known: &[KeyRow]) -> &mut Finding {
        self.report
            .add(Code::UnknownKey, Some(&entry.span), format!("unknown key `{}`", entry.key.escape_debug()))
            .help_with(expected_one_of(&entry.key, &keys::names(known)))
    }
}
