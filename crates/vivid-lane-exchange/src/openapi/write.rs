//! Table → description.

use std::collections::{HashMap, HashSet};

use vivid_lane::declare::{Data, Slash};
use vivid_lane::lookup::{ParamKind, Parameter, Shape};
use vivid_lane::template::{Operator, Part, Template};
use vivid_lane::{RouteRef, Table};

use super::name::{Names, legal};
use super::{Exported, KEPT};
use crate::note::Notes;

/// In how many ways the optional parts of one path are written.
const MOST_WAYS: usize = 64;

/// Writes a table as an OpenAPI 3.1 description. An optional part of a path, which a description cannot have, becomes a path
/// of its own with and without it.
///
/// # Example
/// ```
/// use vivid_lane::Table;
/// use vivid_lane_exchange::openapi;
///
/// let table = Table::from_toml("[routes.archive]\npath = '/archive{/year}'\npage = 'archive'\nparams.year = 'digits'")?;
/// let written = openapi::write(&table);
/// let paths = written.document.get("paths").unwrap();
/// assert!(paths.get("/archive").is_some() && paths.get("/archive/{year}").is_some());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[must_use]
pub fn write(table: &Table) -> Exported {
    let mut writer =
        Writer { notes: Notes::default(), ids: Names::default(), paths: Vec::new(), places: HashMap::new(), table };
    // The names of routes go before those that are made for a second way.
    let routes: Vec<RouteRef<'_>> = table.routes().collect();
    let mut ids = Vec::new();
    for route in &routes {
        let page = route.page().map(String::as_str).unwrap_or_default();
        let id = if !page.is_empty() && legal(page) == route.name() { page } else { route.name() };
        ids.push(writer.ids.take(id));
    }
    for (route, id) in routes.into_iter().zip(ids) {
        writer.route(route, &id);
    }
    let info = [("title", Data::from("Pages of a route table")), ("version", Data::from("1"))];
    let info = info.into_iter().map(|(name, value)| (name.to_owned(), value)).collect();
    let mut document = vec![("openapi".to_owned(), Data::from("3.1.0")), ("info".to_owned(), Data::Table(info))];
    let server = format!("{}{}", table.origin().unwrap_or_default(), table.base());
    if !server.is_empty() {
        document.push(("servers".to_owned(), Data::List(vec![Data::Table(vec![("url".to_owned(), server.into())])])));
    }
    document.push(("paths".to_owned(), Data::Table(writer.paths)));
    Exported { document: Data::Table(document), notes: writer.notes }
}

struct Writer<'t> {
    table: &'t Table,
    notes: Notes,
    ids: Names,
    paths: Vec<(String, Data)>,
    /// Where each path stands.
    places: HashMap<String, usize>,
}

/// One way to fill the optional parts of a path, as a description writes it.
struct Way<'t> {
    text: String,
    names: HashSet<&'t str>,
}

impl<'t> Writer<'t> {
    fn left_out(&mut self, subject: &str, route: RouteRef<'_>, reason: &str) {
        self.notes.left_out(subject, None, format!("`{}`: {reason}", route.name()));
    }

    fn route(&mut self, route: RouteRef<'t>, id: &str) {
        for (subject, is_there) in [
            ("frame", route.frame().is_some()),
            ("fallback", route.fallback().is_some()),
            ("needs", route.needs().len() > 0),
            ("host", route.host().is_some()),
        ] {
            if is_there {
                self.left_out(subject, route, &format!("a description has no `{subject}`"));
            }
        }
        if route.redirect_status().is_some() {
            return self.left_out("redirect", route, "a description has no redirects");
        }
        if route.page().is_none() {
            return;
        }
        let Some(ways) = self.ways(route) else { return };
        let mut id = Some(id.to_owned());
        for way in ways {
            let id = id.take().unwrap_or_else(|| self.ids.take(route.name()));
            let operation = self.operation(route, &id, &way);
            let methods: Vec<String> = route.methods().map(str::to_ascii_lowercase).collect();
            for (at, method) in methods.iter().enumerate() {
                // An operation has an id of its own.
                let mut operation = operation.clone();
                if let (1.., Data::Table(entries)) = (at, &mut operation) {
                    entries[0].1 = self.ids.take(&format!("{}-{method}", route.name())).into();
                }
                self.put(&way.text, method, operation, route);
            }
        }
        let data = route.data();
        if let Data::Table(entries) = data {
            for (name, _) in entries.iter().filter(|(name, _)| !KEPT.contains(&name.as_str())) {
                self.left_out("data", route, &format!("a description has no place for `data.{name}`"));
            }
        }
    }

    fn put(&mut self, path: &str, method: &str, operation: Data, route: RouteRef<'_>) {
        if !super::METHODS.contains(&method) {
            return self.left_out(
                "methods",
                route,
                &format!("a description has no method `{}`", method.to_uppercase()),
            );
        }
        let at = *self.places.entry(path.to_owned()).or_insert_with(|| {
            self.paths.push((path.to_owned(), Data::default()));
            self.paths.len() - 1
        });
        let Data::Table(entries) = &mut self.paths[at].1 else { return };
        if entries.iter().any(|(known, _)| known == method) {
            return self.left_out("path", route, &format!("another route has `{path}` with the same method already"));
        }
        entries.push((method.to_owned(), operation));
    }

    fn operation(&mut self, route: RouteRef<'t>, id: &str, way: &Way<'t>) -> Data {
        let mut out = vec![("operationId".to_owned(), Data::from(id))];
        if let Data::Table(entries) = route.data() {
            out.extend(entries.iter().filter(|(name, _)| KEPT.contains(&name.as_str())).cloned());
        }
        let mut parameters = Vec::new();
        for parameter in route.parameters() {
            let is_in_path = matches!(parameter.kind(), ParamKind::Segment | ParamKind::Items | ParamKind::Rest);
            if !is_in_path || way.names.contains(parameter.name()) {
                parameters.extend(self.parameter(route, parameter));
            }
        }
        if !parameters.is_empty() {
            out.push(("parameters".to_owned(), Data::List(parameters)));
        }
        Data::Table(out)
    }

    fn parameter(&mut self, route: RouteRef<'t>, parameter: Parameter<'t>) -> Option<Data> {
        let name = decoded(parameter.name());
        let mut out = vec![("name".to_owned(), Data::from(name))];
        match parameter.kind() {
            ParamKind::Segment => {
                out.push(("in".to_owned(), "path".into()));
                out.push(("required".to_owned(), true.into()));
                let style = match operator_of(route.path(), parameter.name()) {
                    Some(Operator::Label) => Some("label"),
                    Some(Operator::PathStyle) => Some("matrix"),
                    _ => None,
                };
                out.extend(style.map(|style| ("style".to_owned(), style.into())));
                if parameter.is_exploded() {
                    out.push(("explode".to_owned(), true.into()));
                }
            }
            ParamKind::Query | ParamKind::Pairs => {
                out.push(("in".to_owned(), "query".into()));
                if !parameter.is_optional() {
                    out.push(("required".to_owned(), true.into()));
                }
                // In a query each item stands for itself where nothing else is said.
                if parameter.shape() != Shape::One && !parameter.is_exploded() {
                    out.push(("explode".to_owned(), false.into()));
                }
            }
            ParamKind::Host | ParamKind::Fragment => {
                let reason = format!("`{}` is in no part of a URL that a description has", parameter.name());
                self.left_out("parameter", route, &reason);
                return None;
            }
            // The ways of the path have left these routes out.
            ParamKind::Items | ParamKind::Rest => return None,
        }
        out.push(("schema".to_owned(), self.schema(route, parameter)));
        Some(Data::Table(out))
    }

    fn schema(&mut self, route: RouteRef<'t>, parameter: Parameter<'t>) -> Data {
        let mut out = Vec::new();
        if parameter.keywords().all(|(name, _)| !matches!(name, "type" | "enum" | "const")) {
            let kind = match parameter.shape() {
                Shape::One => "string",
                Shape::List => "array",
                Shape::Pairs => "object",
            };
            out.push(("type".to_owned(), kind.into()));
        }
        // A list has a schema for its items (OpenAPI 3.0 wants one).
        if parameter.shape() == Shape::List && parameter.keyword("items").is_none() {
            out.push(("items".to_owned(), Data::Table(vec![("type".to_owned(), "string".into())])));
        }
        for (name, value) in parameter.keywords() {
            match name {
                "listed" => {
                    let reason = format!("a description has no live lists: `{}` takes any value", parameter.name());
                    self.left_out("listed", route, &reason);
                }
                "items" | "additionalProperties" | "propertyNames" => {
                    let inner = if name == "propertyNames" { parameter.names() } else { parameter.items() };
                    out.extend(inner.map(|inner| (name.to_owned(), self.schema(route, inner))));
                }
                "default" if !parameter.is_optional() || parameter.kind() == ParamKind::Segment => {
                    let reason = format!("`{}` is in the path, where a description has no default", parameter.name());
                    self.left_out("default", route, &reason);
                }
                _ => out.push((name.to_owned(), value.clone())),
            }
        }
        Data::Table(out)
    }

    /// The paths that a route has, the one with most parts first; `None` for a route that a description cannot have.
    fn ways(&mut self, route: RouteRef<'t>) -> Option<Vec<Way<'t>>> {
        if route.parameters().any(|one| matches!(one.kind(), ParamKind::Items | ParamKind::Rest)) {
            self.left_out("path", route, "a description has no parameter that holds slashes");
            return None;
        }
        let variants = route.path_variants();
        if variants.len() > MOST_WAYS {
            self.left_out("path", route, "its optional parts can be filled in too many ways to write each");
            return None;
        }
        let names: Vec<&str> = route.parameters().map(Parameter::name).collect();
        let filled = variants.iter().map(|variant| variant.filled().map(|param| names[param]).collect());
        let ways: Option<Vec<Way<'t>>> = filled.map(|names| self.way(route.path(), names)).collect();
        if ways.is_none() {
            self.left_out("path", route, "a description has no value under another name in the query");
        }
        ways
    }

    /// The path with the parameters of these names; `None` where it has a value under another name in the query.
    fn way(&self, template: &Template, names: HashSet<&'t str>) -> Option<Way<'t>> {
        let (mut path, mut query) = (String::new(), String::new());
        for part in template.parts() {
            let expression = match part {
                Part::Literal(text) if query.is_empty() => {
                    let (before, after) = text.split_at(text.find('?').unwrap_or(text.len()));
                    path.push_str(before);
                    query.push_str(after);
                    continue;
                }
                Part::Literal(text) => {
                    query.push_str(text);
                    continue;
                }
                Part::Expression(expression) => expression,
            };
            match expression.operator() {
                Operator::Query | Operator::Continuation | Operator::Fragment => continue,
                _ if !query.is_empty() => return None,
                _ => {}
            }
            for (at, variable) in expression.variables().enumerate().filter(|(_, one)| names.contains(one.name())) {
                path.push_str(match expression.operator() {
                    Operator::Segment => "/",
                    Operator::Simple if at > 0 => ",",
                    // A dot or a semicolon is part of the style of the value.
                    _ => "",
                });
                path.extend(["{", variable.name(), "}"]);
            }
        }
        if path.is_empty() || (self.table.slash() == Slash::Always && path != "/") {
            path.push('/');
        }
        Some(Way { text: path + &query, names })
    }
}

/// The operator of the expression that a parameter stands in.
fn operator_of(template: &Template, name: &str) -> Option<Operator> {
    template.parts().find_map(|part| match part {
        Part::Expression(one) if one.variables().any(|variable| variable.name() == name) => Some(one.operator()),
        _ => None,
    })
}

/// The name of a query parameter as it stands in URLs.
fn decoded(name: &str) -> String {
    form_urlencoded::parse(format!("{}=", name.replace('+', "%2B")).as_bytes())
        .next()
        .map_or_else(|| name.to_owned(), |(name, _)| name.into_owned())
}
