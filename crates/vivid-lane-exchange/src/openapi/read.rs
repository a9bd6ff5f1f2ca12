//! Description → table.

use std::collections::{HashMap, HashSet};

use vivid_lane::declare::{Data, Document, DocumentItem, DocumentKey, Slash};
use vivid_lane::{RouteSpec, Rule, Source, TableSpec};

use super::name::{Names, legal, made_of};
use super::parameter::{Parameters, Place, Read};
use super::path::{convert, query_variable, starred};
use super::reference::References;
use super::trial::Trials;
use super::{Imported, KEPT, Kind, METHODS, OpenApiError};
use crate::note::Notes;

/// Reads an OpenAPI description in JSON or YAML.
///
/// # Errors
/// The text is not in its format, is of another version, or has no paths.
pub fn read(source: Source) -> Result<Imported, OpenApiError> {
    let document = Document::read(source)?;
    let root = document.root();
    let version = root.get("openapi").or_else(|| root.get("swagger"));
    let is_known = |version: &str| {
        ["3.0", "3.1"]
            .iter()
            .any(|known| version.strip_prefix(known).is_some_and(|rest| rest.is_empty() || rest.starts_with('.')))
    };
    let found = version.map(|version| match version.to_data() {
        Data::Text(text) => text,
        Data::Float(number) => number.to_string(),
        _ => version.describe().to_owned(),
    });
    if root.get("openapi").is_none() || !found.as_deref().is_some_and(is_known) {
        return Err(OpenApiError { kind: Kind::Version { found } });
    }
    let mut reader = Reader {
        references: References::new(&document),
        trials: Trials::default(),
        notes: Notes::default(),
        names: Names::default(),
        known: HashSet::new(),
        operations: Vec::new(),
    };
    for finding in document.findings() {
        reader.notes.left_out("text", finding.place().cloned(), finding.message());
    }
    let mut table = TableSpec::new();
    for (key, value) in root.entries() {
        match key.name() {
            "openapi" => {}
            "servers" => table = reader.server(table, value),
            "paths" => value.entries().for_each(|(path, item)| reader.path(path, item)),
            "components" => {
                let message = "of `components`, only the parts that parameters refer to are read";
                reader.notes.left_out("components", Some(key.place()), message);
            }
            _ => reader.no_counterpart(key),
        }
    }
    if reader.operations.is_empty() {
        return Err(OpenApiError { kind: Kind::NoPaths });
    }
    Ok(reader.finish(table))
}

struct Reader<'d> {
    references: References<'d>,
    trials: Trials,
    notes: Notes,
    names: Names,
    /// Paths, as the table has them, and methods.
    known: HashSet<(String, &'d str)>,
    operations: Vec<Operation<'d>>,
}

/// A route to be.
struct Operation<'d> {
    route: RouteSpec,
    /// The path as the table has it, without its query expressions.
    path: String,
    key: DocumentKey<'d>,
    ends_with_slash: bool,
    is_root: bool,
}

impl<'d> Reader<'d> {
    fn no_counterpart(&mut self, key: DocumentKey<'d>) {
        let message = format!("`{}` has no counterpart in a table", key.name().escape_debug());
        self.notes.left_out(key.name(), Some(key.place()), message);
    }

    /// Origin and base, from the first server.
    fn server(&mut self, table: TableSpec, servers: DocumentItem<'d>) -> TableSpec {
        let mut all = servers.items();
        let Some(first) = all.next() else { return table };
        for other in all {
            let message = "a table has one origin: only the first of the servers is read";
            self.notes.left_out("servers", Some(other.place()), message);
        }
        let Some(template) = first.get("url").and_then(DocumentItem::as_text) else { return table };
        let mut url = template.to_owned();
        for (name, variable) in first.get("variables").into_iter().flat_map(DocumentItem::entries) {
            let value = variable.get("default").and_then(DocumentItem::as_text).unwrap_or_default();
            url = url.replace(&format!("{{{}}}", name.name()), value);
            let message =
                format!("a server has no variables in a table: `{}` is `{}`", name.name(), value.escape_debug());
            self.notes.changed("servers", Some(name.place()), message);
        }
        let (origin, base) = match url.parse::<http::Uri>() {
            Ok(uri) if matches!(uri.scheme_str(), Some("http" | "https")) => (origin(&uri), uri.path().to_owned()),
            Ok(uri) if url.starts_with('/') => (None, uri.path().to_owned()),
            _ => {
                let message =
                    format!("the server `{}` is neither a URL nor a path; it is left out", url.escape_debug());
                self.notes.left_out("servers", Some(first.place()), message);
                return table;
            }
        };
        let table = match origin {
            Some(origin) => table.origin(origin),
            None => table,
        };
        let base = base.trim_end_matches('/');
        if base.is_empty() { table } else { table.base(base) }
    }

    fn path(&mut self, key: DocumentKey<'d>, item: DocumentItem<'d>) {
        if key.name().starts_with("x-") {
            return self.no_counterpart(key);
        }
        let item = match self.references.follow(item) {
            Ok(item) => item,
            Err(lost) => {
                let message = format!("`{}`: {}", key.name().escape_debug(), lost.reason());
                return self.notes.left_out("path", Some(key.place()), message);
            }
        };
        let shared = item.get("parameters");
        for (inner, operation) in item.entries() {
            match inner.name() {
                "parameters" => {}
                method if METHODS.contains(&method) => self.operation(key, inner, operation, shared),
                _ => self.no_counterpart(inner),
            }
        }
    }

    fn operation(
        &mut self,
        path: DocumentKey<'d>,
        method: DocumentKey<'d>,
        item: DocumentItem<'d>,
        shared: Option<DocumentItem<'d>>,
    ) {
        let of = format!("{} `{}`", method.name().to_ascii_uppercase(), path.name().escape_debug());
        // A table answers these by itself, wherever it answers anything.
        if method.name() == "options" {
            let message = format!("{of}: a table answers OPTIONS by itself");
            return self.notes.left_out("options", Some(method.place()), message);
        }
        let mut parameters =
            Parameters { references: &mut self.references, trials: &mut self.trials, notes: &mut self.notes }.read(
                item.get("parameters"),
                shared,
                &of,
            );
        let styles: Vec<(String, (Place, bool))> = parameters
            .iter()
            .filter(|one| matches!(one.place, Place::Path | Place::Label | Place::Matrix))
            .map(|one| (one.name.clone(), (one.place, one.is_exploded)))
            .collect();
        let style = |name: &str| {
            styles.iter().find(|(known, _)| known == name).map_or((Place::Path, false), |(_, style)| *style)
        };
        let converted = convert(path.name(), &path.place(), style, &mut self.notes);
        // The style of a value is no part of a path.
        let bare = converted.text.replace("{.", "{").replace("{;", "{").replace("*}", "}");
        if !self.known.insert((bare, method.name())) {
            let message = format!("{of}: another path with this method is written `{}` as well", converted.text);
            return self.notes.left_out("path", Some(path.place()), message);
        }
        for (name, _) in &converted.names {
            if !styles.iter().any(|(known, _)| known == name) {
                let message =
                    format!("{of}: `{}` stands in the path but is not declared; it has no rule", name.escape_debug());
                self.notes.changed("parameter", Some(path.place()), message);
            }
        }
        parameters.retain(|one| {
            let is_there = matches!(one.place, Place::Query | Place::Pairs)
                || converted.names.iter().any(|(name, _)| *name == one.name);
            if !is_there {
                let message =
                    format!("{of}: `{}` is declared in the path, but does not stand there", one.name.escape_debug());
                self.notes.left_out("parameter", Some(one.at.clone()), message);
            }
            is_there
        });
        let (name, page) = self.name(path, method, item);
        let mut route = RouteSpec::new(name).page(page);
        if method.name() != "get" {
            route = route.methods([method.name().to_ascii_uppercase()]);
        }
        let mut text = converted.text.clone();
        let placed = in_order(&parameters, &converted.names);
        route = self.parameters(route, &placed, &converted.names, &mut text, &of);
        route = route.path(&text);
        for (inner, value) in item.entries() {
            match inner.name() {
                "operationId" | "parameters" => {}
                kept if KEPT.contains(&kept) && !matches!(value.to_data(), Data::Null) => {
                    route = route.data(kept, value.to_data());
                }
                _ => self.no_counterpart(inner),
            }
        }
        let is_root = converted.text == "/";
        self.operations.push(Operation {
            route,
            path: converted.text,
            key: path,
            ends_with_slash: converted.ends_with_slash,
            is_root,
        });
    }

    /// The name of the route, and of its page.
    fn name(&mut self, path: DocumentKey<'d>, method: DocumentKey<'d>, item: DocumentItem<'d>) -> (String, String) {
        let given = item.get("operationId");
        let Some(id) = given.and_then(DocumentItem::as_text).filter(|id| !id.is_empty()) else {
            let name = self.names.take(&made_of(path.name(), method.name()));
            return (name.clone(), name);
        };
        let wanted = legal(id);
        let name = self.names.take(&wanted);
        let place = given.map(DocumentItem::place);
        if name != wanted {
            let message =
                format!("`{}` is the `operationId` of two operations: this one is named `{name}`", id.escape_debug());
            self.notes.renamed("operationId", place, message);
            return (name.clone(), name);
        }
        if name != id {
            let message = format!("`{}` cannot be the name of a route: it is named `{name}`", id.escape_debug());
            self.notes.renamed("operationId", place, message);
        }
        (name, id.to_owned())
    }

    fn parameters(
        &mut self,
        mut route: RouteSpec,
        parameters: &[(String, &Read)],
        names: &[(String, String)],
        path: &mut String,
        of: &str,
    ) -> RouteSpec {
        let mut query: Vec<String> = Vec::new();
        let mut rest: Option<String> = None;
        let mut required: Vec<String> = Vec::new();
        for (name, one) in parameters {
            let name = name.clone();
            // A value has one name along a route, wherever it stands.
            let is_taken = matches!(one.place, Place::Query | Place::Pairs)
                && (names.iter().any(|(_, known)| *known == name)
                    || query.iter().any(|known| known.trim_end_matches('*') == name));
            if is_taken || name.is_empty() {
                let message = format!(
                    "{of}: `{}` is in the path and in the query; only the path's is read",
                    one.name.escape_debug()
                );
                self.notes.left_out("parameter", Some(one.at.clone()), message);
                continue;
            }
            match one.place {
                Place::Query => query.push(starred(&name, one.is_exploded)),
                Place::Pairs if rest.is_some() => {
                    let message = format!(
                        "{of}: `{}`: only one parameter can take the rest of the query",
                        one.name.escape_debug()
                    );
                    self.notes.left_out("parameter", Some(one.at.clone()), message);
                    continue;
                }
                Place::Pairs => rest = Some(format!("{name}*")),
                Place::Path | Place::Label | Place::Matrix => {}
            }
            if matches!(one.place, Place::Label | Place::Matrix)
                || (one.is_required && matches!(one.place, Place::Query | Place::Pairs))
            {
                required.push(name.clone());
            }
            if !one.keywords.is_empty() {
                let keywords = one.keywords.iter();
                let rule = keywords.fold(Rule::new(), |rule, (keyword, value)| rule.keyword(keyword, value.clone()));
                route = route.param(name, rule);
            }
        }
        query.extend(rest);
        if !query.is_empty() {
            let lead = if path.contains('?') { '&' } else { '?' };
            path.push_str(&format!("{{{lead}{}}}", query.join(",")));
        }
        if required.is_empty() { route } else { route.required(required) }
    }

    /// The table, with one policy for the slash at the end of a path.
    fn finish(mut self, mut table: TableSpec) -> Imported {
        let counted = self.operations.iter().filter(|one| !one.is_root);
        let (with, without): (Vec<_>, Vec<_>) = counted.partition(|one| one.ends_with_slash);
        let is_always = with.len() > without.len();
        if is_always {
            table = table.slash(Slash::Always);
        }
        for one in if is_always { without } else { with } {
            let message = format!(
                "`{}`: a site ends all its paths with a slash or none; this one is read {} it",
                one.key.name().escape_debug(),
                if is_always { "with" } else { "without" }
            );
            self.notes.changed("path", Some(one.key.place()), message);
        }
        // The methods of one path stand together, also where the path was written in two ways.
        let mut first: HashMap<String, usize> = HashMap::new();
        for one in &self.operations {
            let next = first.len();
            first.entry(one.path.clone()).or_insert(next);
        }
        self.operations.sort_by_key(|one| first[&one.path]);
        for one in self.operations {
            table = table.route(one.route);
        }
        Imported { table, notes: self.notes }
    }
}

/// Scheme, host and port of an address (RFC 6454, section 6.2): no name of a user, and no port that goes without saying.
fn origin(uri: &http::Uri) -> Option<String> {
    let (scheme, host) = (uri.scheme_str()?, uri.host()?.to_ascii_lowercase());
    let usual = if scheme == "https" { 443 } else { 80 };
    let port = uri.port_u16().filter(|&port| port != usual).map(|port| format!(":{port}"));
    Some(format!("{scheme}://{host}{}", port.unwrap_or_default()))
}

/// The parameters with their names in the table, in the order in which they stand in a URL, whatever the order in which they
/// are described. One that stands in the path twice is there twice, with another name.
fn in_order<'p>(parameters: &'p [Read], names: &[(String, String)]) -> Vec<(String, &'p Read)> {
    let is_in_path = |one: &&Read| !matches!(one.place, Place::Query | Place::Pairs);
    let path = names.iter().filter_map(|(theirs, ours)| {
        let one = parameters.iter().filter(is_in_path).find(|one| one.name == *theirs)?;
        Some((ours.clone(), one))
    });
    let of = |place: Place| {
        let those = parameters.iter().filter(move |one| one.place == place);
        those.map(|one| (query_variable(&one.name), one))
    };
    path.chain(of(Place::Query)).chain(of(Place::Pairs)).collect()
}
