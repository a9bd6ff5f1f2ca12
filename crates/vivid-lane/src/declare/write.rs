//! Declared table → data in the form of a table file.

use std::collections::HashSet;

use smol_str::SmolStr;

use super::data::Data;
use super::redirect::{Aim, RedirectTo};
use super::rule::Rule;
use super::source::Placed;
use super::spec::{RouteSpec, TableSpec};

impl TableSpec {
    /// The declaration in the structure of a table file: [`read`](Self::read) makes the same table of it. Routes of
    /// mounted tables become ordinary routes. Formats that the program defines are left out, as a file cannot hold a
    /// function.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, Rule, TableSpec};
    ///
    /// let night = RouteSpec::new("night").path("/nights/{date}").page("night").param("date", Rule::format("date"));
    /// let data = TableSpec::new().route(night).to_data();
    /// let night = data.get("routes").and_then(|routes| routes.get("night")).unwrap();
    /// assert_eq!(night.get("path").and_then(|path| path.as_text()), Some("/nights/{date}"));
    /// assert_eq!(night.get("params").and_then(|params| params.get("date")?.as_text()), Some("date"));
    /// ```
    #[must_use]
    pub fn to_data(&self) -> Data {
        let mut out = Vec::new();
        let mut shared = Shared::default();
        self.gather(&Scope::default(), &mut shared);
        if !shared.lists.is_empty() {
            out.push(("lists".to_owned(), Data::from(shared.lists)));
        }
        push_table(&mut out, "site", self.site.to_data());
        push_table(&mut out, "needs", shared.needs);
        push_table(&mut out, "params", params(&self.params));
        let mut scope = Scope::default();
        scope.ruled.extend(self.params.iter().map(|(name, _)| name.value.as_str()));
        let routes = self.routes.iter().map(|route| (route.name.value.to_string(), route.data_in(&scope)));
        out.push(("routes".to_owned(), Data::Table(routes.collect())));
        Data::Table(out)
    }

    /// Gathers what stands at the top, also of the tables that are mounted in this one.
    fn gather<'a>(&'a self, scope: &Scope<'a>, shared: &mut Shared<'a>) {
        for list in &self.lists {
            if !shared.lists.contains(&&*list.value) {
                shared.lists.push(&list.value);
            }
        }
        for need in &self.needs {
            // What an including table says of a need goes before what an included one says.
            if !shared.needs.iter().any(|(known, _)| *known == need.name.value) {
                let otherwise = need.otherwise.iter().map(|to| ("otherwise".to_owned(), scope.name(&to.value).into()));
                shared.needs.push((need.name.value.to_string(), Data::Table(otherwise.collect())));
            }
        }
        self.routes.iter().for_each(|route| route.gather(scope, shared));
    }
}

/// What stands at the top of a table.
#[derive(Default)]
struct Shared<'a> {
    lists: Vec<&'a str>,
    needs: Vec<(String, Data)>,
}

/// Where a route stands.
#[derive(Default, Clone)]
struct Scope<'a> {
    /// The full name of the route around it.
    parent: String,
    /// The parameters for which there is a rule from outside.
    ruled: Vec<&'a str>,
    /// The full name of the route that the table is mounted in, and the names in that table.
    mount: Option<(String, HashSet<String>)>,
}

impl<'a> Scope<'a> {
    /// The full name of what a route of this table names: one of its own goes first.
    fn name(&self, named: &str) -> String {
        match &self.mount {
            Some((mount, own)) if own.contains(named) => format!("{mount}.{named}"),
            _ => named.to_owned(),
        }
    }

    fn within(&self, route: &'a RouteSpec) -> Self {
        let mut scope = self.clone();
        scope.parent = joined(&self.parent, &route.name.value);
        scope.ruled.extend(route.params.iter().map(|(name, _)| name.value.as_str()));
        scope
    }

    fn mounted(&self, table: &'a TableSpec) -> Self {
        let mut scope = self.clone();
        let mut own = HashSet::new();
        table.routes.iter().for_each(|route| route.names("", &mut own));
        scope.mount = Some((self.parent.clone(), own));
        scope
    }
}

fn joined(parent: &str, name: &str) -> String {
    if parent.is_empty() { name.to_owned() } else { format!("{parent}.{name}") }
}

impl RouteSpec {
    fn names(&self, parent: &str, names: &mut HashSet<String>) {
        let name = joined(parent, &self.name.value);
        let mounted = self.extras.mounted.iter().flat_map(|table| &table.routes);
        self.routes.iter().chain(mounted).for_each(|route| route.names(&name, names));
        names.insert(name);
    }

    fn gather<'a>(&'a self, scope: &Scope<'a>, shared: &mut Shared<'a>) {
        let scope = scope.within(self);
        self.routes.iter().for_each(|route| route.gather(&scope, shared));
        self.extras.mounted.iter().for_each(|table| table.gather(&scope.mounted(table), shared));
    }

    fn data_in(&self, scope: &Scope<'_>) -> Data {
        let mut out = Vec::new();
        let mut text = |name: &str, value: Option<&Placed<SmolStr>>| {
            out.extend(value.map(|value| (name.to_owned(), value.value.as_str().into())));
        };
        text("path", self.path.as_ref());
        text("host", self.extras.host.as_ref());
        text("page", self.page.as_ref());
        text("frame", self.extras.frame.as_ref());
        text("fallback", self.extras.fallback.as_ref());
        out.extend(self.extras.no_fallback.then(|| ("fallback".to_owned(), false.into())));
        out.extend(self.redirect.as_ref().map(|to| ("redirect".to_owned(), to.data_in(scope))));
        for (name, values) in
            [("methods", &self.extras.methods), ("required", &self.extras.required), ("needs", &self.extras.needs)]
        {
            if !values.is_empty() {
                let values: Vec<&str> = values.iter().map(|value| value.value.as_str()).collect();
                out.push((name.to_owned(), values.into()));
            }
        }
        if self.extras.priority != 0 {
            out.push(("priority".to_owned(), self.extras.priority.into()));
        }
        push_table(&mut out, "params", params(&self.params));
        if !self.extras.data.is_empty() {
            out.push(("data".to_owned(), self.extras.data.clone()));
        }
        let scope = scope.within(self);
        out.extend(self.routes.iter().map(|route| (route.name.value.to_string(), route.data_in(&scope))));
        for table in &self.extras.mounted {
            let mut inner = scope.mounted(table);
            // The rules that the table shares by name, as far as nothing around it has one.
            let own: Vec<_> = table.params.iter().filter(|(name, _)| !scope.ruled.contains(&&*name.value)).collect();
            inner.ruled.extend(own.iter().map(|(name, _)| name.value.as_str()));
            for route in &table.routes {
                let mut route = route.clone();
                for (name, rule) in &own {
                    if !route.params.iter().any(|(known, _)| known.value == name.value) {
                        route.params.push((name.clone(), rule.clone()));
                    }
                }
                out.push((route.name.value.to_string(), route.data_in(&inner)));
            }
        }
        Data::Table(out)
    }
}

impl RedirectTo {
    fn data_in(&self, scope: &Scope<'_>) -> Data {
        let (key, aim) = match &self.aim {
            Aim::Route(name) => ("to", scope.name(&name.value)),
            Aim::Url(url) => ("url", url.value.to_string()),
        };
        if key == "to" && self.params.is_empty() && self.status.is_none() {
            return aim.into();
        }
        let mut out = vec![(key.to_owned(), aim.into())];
        let values = self.params.iter().map(|(name, value)| (name.value.to_string(), value.value.as_str().into()));
        push_table(&mut out, "params", values.collect());
        out.extend(self.status.as_ref().map(|status| ("status".to_owned(), status.value.into())));
        Data::Table(out)
    }
}

/// Adds a table, unless it is empty.
fn push_table(out: &mut Vec<(String, Data)>, name: &str, entries: Vec<(String, Data)>) {
    if !entries.is_empty() {
        out.push((name.to_owned(), Data::Table(entries)));
    }
}

fn params(params: &[(Placed<SmolStr>, Rule)]) -> Vec<(String, Data)> {
    params.iter().map(|(name, rule)| (name.value.to_string(), rule.to_data())).collect()
}

impl Rule {
    /// The rule in its short form where it has one.
    fn to_data(&self) -> Data {
        match self.keywords.as_slice() {
            [(name, value)] if name.value == "format" && value.value.as_text().is_some() => value.value.clone(),
            [(name, value)] if name.value == "enum" && matches!(value.value, Data::List(_)) => value.value.clone(),
            _ => Data::Table(self.keywords().map(|(name, value)| (name.to_owned(), value.clone())).collect()),
        }
    }
}
