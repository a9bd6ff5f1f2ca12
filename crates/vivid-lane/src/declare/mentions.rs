//! The names in table files: where each is declared, and where it is used. An editor shows them, follows them and completes them.

use super::redirect::{Aim, RedirectTo};
use super::rule::Rule;
use super::source::{Place, Placed};
use super::spec::{RouteSpec, TableSpec};
use super::{Data, Need};
use crate::template::Template;
use smol_str::SmolStr;

/// What a name in a table file refers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum NameKind {
    /// A route, by its full name.
    Route,
    /// A page, or the page of a fallback.
    Page,
    /// A frame.
    Frame,
    /// A need.
    Need,
    /// A live list.
    List,
    /// A parameter. The path or the host of its route declares it; it is used where it gets a rule, is required, or is
    /// passed on by a redirect.
    Param,
}

/// A name in a table file, with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mention {
    kind: NameKind,
    name: String,
    is_declaration: bool,
    route: String,
    place: Place,
}

impl Mention {
    /// What the name refers to.
    #[must_use]
    pub fn kind(&self) -> NameKind {
        self.kind
    }

    /// The name. For a route it is the full name, whatever form the file uses.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Whether the name is declared here, rather than used. Pages and frames are never declared: they belong to the
    /// program.
    #[must_use]
    pub fn is_declaration(&self) -> bool {
        self.is_declaration
    }

    /// The full name of the route in whose declaration the name stands; empty for names outside of routes. A parameter
    /// to which a redirect gives a value belongs to the route that the redirect leads to.
    #[must_use]
    pub fn route(&self) -> &str {
        &self.route
    }

    /// Where it stands.
    #[must_use]
    pub fn place(&self) -> &Place {
        &self.place
    }
}

impl TableSpec {
    /// All names in the table files, in the order of the declaration. A declaration made in Rust has no places, and
    /// therefore no mentions.
    ///
    /// ```
    /// use vivid_lane::{Source, TableSpec, declare::NameKind};
    ///
    /// let table = "[routes.nights]\npath = '/nights'\npage = 'nights'\n[routes.old]\npath = '/old'\nredirect = 'nights'\n";
    /// let mentions = TableSpec::read(Source::toml(table)).mentions();
    /// let nights: Vec<_> = mentions.iter().filter(|one| (one.kind(), one.name()) == (NameKind::Route, "nights")).collect();
    /// assert_eq!(nights.iter().map(|one| (one.place().line(), one.is_declaration())).collect::<Vec<_>>(), [(1, true), (6, false)]);
    /// ```
    #[must_use]
    pub fn mentions(&self) -> Vec<Mention> {
        let mut gathering = Gathering::default();
        gathering.table(self, "");
        gathering.resolve()
    }
}

/// The names that were gathered. Those of routes are looked up once all are known: within their file first.
#[derive(Default)]
struct Gathering {
    mentions: Vec<Mention>,
    /// Names of routes that are used, with the prefix of their file.
    used: Vec<(usize, String)>,
    /// The parameters that redirects give a value, with the mention of the route that they lead to.
    given: Vec<(usize, usize)>,
}

impl Gathering {
    fn table(&mut self, table: &TableSpec, prefix: &str) {
        let site = &table.site;
        self.add(NameKind::Page, site.fallback.as_ref(), false, prefix);
        self.add(NameKind::Frame, site.frame.as_ref(), false, prefix);
        for need in &table.needs {
            self.need(need, prefix);
        }
        self.add(NameKind::List, &table.lists, true, prefix);
        self.rules(&table.params, prefix);
        for route in &table.routes {
            self.route(route, prefix, prefix);
        }
    }

    fn need(&mut self, need: &Need, prefix: &str) {
        self.add(NameKind::Need, Some(&need.name), true, prefix);
        if let Some(otherwise) = &need.otherwise {
            self.use_route(otherwise, prefix, prefix);
        }
    }

    /// Routes are at most so deep as documents may be.
    fn route(&mut self, route: &RouteSpec, parent: &str, prefix: &str) {
        let name = joined(parent, &route.name.value);
        if let Some(span) = &route.name.span {
            let (kind, place) = (NameKind::Route, span.place());
            self.mentions.push(Mention { kind, name: name.clone(), is_declaration: true, route: name.clone(), place });
        }
        self.add(NameKind::Page, route.page.as_ref(), false, &name);
        self.add(NameKind::Page, route.extras.fallback.as_ref(), false, &name);
        self.add(NameKind::Frame, route.extras.frame.as_ref(), false, &name);
        self.add(NameKind::Need, &route.extras.needs, false, &name);
        self.variables(route.path.as_ref(), true, &name);
        self.variables(route.extras.host.as_ref(), true, &name);
        self.add(NameKind::Param, &route.extras.required, false, &name);
        self.rules(&route.params, &name);
        if let Some(redirect) = &route.redirect {
            self.redirect(redirect, &name, prefix);
        }
        for child in &route.routes {
            self.route(child, &name, prefix);
        }
        for table in &route.extras.mounted {
            self.table(table, &name);
        }
    }

    fn redirect(&mut self, redirect: &RedirectTo, route: &str, prefix: &str) {
        for (_, value) in &redirect.params {
            self.variables(Some(value), false, route);
        }
        match &redirect.aim {
            Aim::Url(url) => self.variables(Some(url), false, route),
            Aim::Route(target) => {
                let at = self.mentions.len();
                self.use_route(target, route, prefix);
                let begin = self.mentions.len();
                self.add(NameKind::Param, redirect.params.iter().map(|(name, _)| name), false, route);
                if begin > at {
                    self.given.extend((begin..self.mentions.len()).map(|param| (param, at)));
                }
            }
        }
    }

    /// The variables of a template, where it stands as it is: without an escape of its file's format before them.
    fn variables(&mut self, template: Option<&Placed<SmolStr>>, is_declaration: bool, route: &str) {
        let Some(text) = template else { return };
        let Ok(template) = Template::parse(&text.value) else { return };
        for variable in template.variables() {
            let span = text.within(variable.place().start, variable.name().len());
            let span = span.filter(|span| span.text() == variable.name());
            self.add(
                NameKind::Param,
                span.map(|span| Placed::new(variable.name().into(), span)).as_ref(),
                is_declaration,
                route,
            );
        }
    }

    fn rules(&mut self, rules: &[(Placed<SmolStr>, Rule)], route: &str) {
        for (param, rule) in rules {
            self.add(NameKind::Param, Some(param), false, route);
            for (keyword, value) in &rule.keywords {
                if let ("listed", Data::Text(list), Some(span)) = (keyword.value.as_str(), &value.value, &value.span) {
                    let (kind, name, place) = (NameKind::List, list.to_string(), span.place());
                    self.mentions.push(Mention { kind, name, is_declaration: false, route: route.to_owned(), place });
                }
            }
        }
    }

    fn add<'a>(
        &mut self,
        kind: NameKind,
        names: impl IntoIterator<Item = &'a Placed<SmolStr>>,
        is_declaration: bool,
        route: &str,
    ) {
        for name in names {
            let Some(span) = &name.span else { continue };
            let (name, route, place) = (name.value.to_string(), route.to_owned(), span.place());
            self.mentions.push(Mention { kind, name, is_declaration, route, place });
        }
    }

    fn use_route(&mut self, target: &Placed<SmolStr>, route: &str, prefix: &str) {
        self.used.push((self.mentions.len(), prefix.to_owned()));
        let known = self.mentions.len();
        self.add(NameKind::Route, Some(target), false, route);
        if self.mentions.len() == known {
            self.used.pop();
        }
    }

    fn resolve(mut self) -> Vec<Mention> {
        let declared: hashbrown::HashSet<String> =
            self.mentions.iter().filter(|one| one.is_declaration).map(|one| one.name.clone()).collect();
        for (at, prefix) in self.used {
            let within = joined(&prefix, &self.mentions[at].name);
            if declared.contains(&within) {
                self.mentions[at].name = within;
            }
        }
        for (param, target) in self.given {
            self.mentions[param].route = self.mentions[target].name.clone();
        }
        self.mentions
    }
}

fn joined(parent: &str, name: &str) -> String {
    if parent.is_empty() { name.to_owned() } else { format!("{parent}.{name}") }
}
