//! Document → declared table: which words mean what.

use super::document::{Entry, Kind, Node};
use super::finding::Report;
use super::nearest::expected_one_of;
use super::source::Source;
use super::spec::{Placed, RouteSpec, TableSpec};
use super::toml;

const TOP_KEYS: &[&str] = &["site", "routes"];
const SITE_KEYS: &[&str] = &["fallback"];
const ROUTE_KEYS: &[&str] = &["path", "page", "frame", "fallback", "data"];

/// The longest table file that is read, in bytes; it keeps places within 32 bits with room to spare.
const LONGEST_SOURCE: usize = 256 << 20;

/// Reads a table file; what is wrong is kept in the report of the result.
pub(super) fn table(source: Source) -> TableSpec {
    let mut spec = TableSpec::new();
    let report = &mut spec.report;
    if source.text().len() > LONGEST_SOURCE {
        let found = source.text().len();
        report.error("too-large", None, format!("a table file may have {LONGEST_SOURCE} bytes, this one has {found}"));
        return spec;
    }
    for entry in toml::read(source, report) {
        match entry.key.as_str() {
            "site" => site(entry, &mut spec),
            "routes" => spec.routes = children(entry, &mut spec.report),
            _ => unknown_key(&entry, TOP_KEYS, &mut spec.report),
        }
    }
    spec
}

fn site(entry: Entry, spec: &mut TableSpec) {
    let report = &mut spec.report;
    for entry in entries(entry, report) {
        match entry.key.as_str() {
            "fallback" => spec.fallback = text(entry, report),
            _ => unknown_key(&entry, SITE_KEYS, report),
        }
    }
}

/// The routes in a table of routes.
fn children(entry: Entry, report: &mut Report) -> Vec<RouteSpec> {
    let mut routes = Vec::new();
    for entry in entries(entry, report) {
        if matches!(entry.value.kind, Kind::Table(_)) {
            routes.push(route(entry, report));
        } else {
            let found = entry.value.describe();
            report
                .error("wrong-type", Some(entry.value.span), format!("expected a route, found {found}"))
                .help_with(format!("write `[routes.{}]` and its keys below it", entry.key));
        }
    }
    routes
}

fn route(entry: Entry, report: &mut Report) -> RouteSpec {
    let mut route = RouteSpec { name: Placed::new(entry.key.clone(), entry.span), ..RouteSpec::default() };
    for entry in entries(entry, report) {
        match entry.key.as_str() {
            "path" => route.path = text(entry, report).or_else(|| damage(&mut route.damaged)),
            "page" => route.page = text(entry, report).or_else(|| damage(&mut route.damaged)),
            "frame" => route.frame = text(entry, report),
            "fallback" => route.fallback = text(entry, report),
            "data" if matches!(entry.value.kind, Kind::Table(_)) => route.data = entry.value.into_data(),
            "data" => wrong_type(&entry, "a table", report),
            _ if matches!(entry.value.kind, Kind::Table(_)) => route.routes.push(self::route(entry, report)),
            _ => {
                route.damaged = true;
                unknown_key(&entry, ROUTE_KEYS, report);
            }
        }
    }
    route
}

fn damage<T>(damaged: &mut bool) -> Option<T> {
    *damaged = true;
    None
}

fn entries(entry: Entry, report: &mut Report) -> Vec<Entry> {
    if matches!(entry.value.kind, Kind::Table(_)) {
        let Node { kind: Kind::Table(entries), .. } = entry.value else { return Vec::new() };
        return entries;
    }
    wrong_type(&entry, "a table", report);
    Vec::new()
}

fn text(entry: Entry, report: &mut Report) -> Option<Placed<String>> {
    if let Kind::Text(text) = entry.value.kind {
        return Some(Placed::new(text, entry.value.span));
    }
    wrong_type(&entry, "text", report);
    None
}

fn wrong_type(entry: &Entry, expected: &str, report: &mut Report) {
    let found = entry.value.describe();
    let finding = report.error(
        "wrong-type",
        Some(entry.value.span),
        format!("expected {expected} for `{}`, found {found}", entry.key),
    );
    if found == "a table" {
        finding.help_with(format!("`{}` is a key of the table file, so no route can have that name here", entry.key));
    }
}

fn unknown_key(entry: &Entry, known: &[&str], report: &mut Report) {
    report
        .error("unknown-key", Some(entry.span), format!("unknown key `{}`", entry.key.escape_debug()))
        .help_with(expected_one_of(&entry.key, known));
}
