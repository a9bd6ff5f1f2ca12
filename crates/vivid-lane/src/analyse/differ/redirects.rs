//! The redirects that keep old addresses alive.

use std::collections::HashSet;
use std::fmt::{self, Write};

use super::trace::{Fate, Traced, link};
use crate::matcher::{ParamKind, RouteRef, Table};
use crate::table::{Data, RouteSpec, Rule, TableSpec};
use crate::template::{Operator, Part};

/// A redirect for the addresses of a route that lead nowhere now. Its text, by [`Display`](fmt::Display), is an entry
/// for a table file in TOML.
///
/// # Example
/// ```
/// use vivid_lane::{Differences, RouteSpec, TableSpec};
///
/// let talks = |path: &str| TableSpec::new().route(RouteSpec::new("talk").path(path).page("talk"));
/// let differences = Differences::between(talks("/lectures/{talk}"), talks("/talks/{talk}"))?;
/// let expected = "[routes.old-talk]\npath     = \"/lectures/{talk}\"\nredirect = \"talk\"\n";
/// assert_eq!(differences.redirects()[0].to_string(), expected);
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct ProposedRedirect {
    route: String,
    spec: RouteSpec,
    to: String,
}

impl ProposedRedirect {
    /// The route of the old table whose addresses it keeps alive.
    #[must_use]
    pub fn route(&self) -> &str {
        &self.route
    }

    /// The route of the new table that it leads to.
    #[must_use]
    pub fn to(&self) -> &str {
        &self.to
    }

    /// The entry as the builder takes it.
    #[must_use]
    pub fn spec(&self) -> &RouteSpec {
        &self.spec
    }
}

impl fmt::Display for ProposedRedirect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = |text: &str| Data::from(text).to_toml();
        writeln!(f, "[routes.{}]", key(&self.spec.name.value))?;
        if let Some(path) = &self.spec.path {
            writeln!(f, "path     = {}", text(&path.value))?;
        }
        if let Some(host) = &self.spec.host {
            writeln!(f, "host     = {}", text(&host.value))?;
        }
        if !self.spec.required.is_empty() {
            let names: Vec<Data> = self.spec.required.iter().map(|name| Data::from(name.value.as_str())).collect();
            writeln!(f, "required = {}", Data::List(names).to_toml())?;
        }
        for (name, rule) in &self.spec.params {
            let keywords = rule.keywords().map(|(name, value)| (name.to_owned(), value.clone())).collect();
            writeln!(f, "params.{} = {}", key(&name.value), Data::Table(keywords).to_toml())?;
        }
        if self.spec.priority != 0 {
            writeln!(f, "priority = {}", self.spec.priority)?;
        }
        writeln!(f, "redirect = {}", text(&self.to))
    }
}

/// A key as TOML writes it.
fn key(name: &str) -> String {
    let is_bare = !name.is_empty() && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"-_".contains(&byte));
    if is_bare { name.to_owned() } else { Data::from(name).to_toml() }
}

/// The redirects for what is broken, with which the new table can still be built.
pub(super) fn propose(traced: &Traced, before: &Table, after: &Table, new: TableSpec) -> Vec<ProposedRedirect> {
    let mut taken: HashSet<String> = new.routes.iter().map(|route| route.name.value.clone()).collect();
    let mut proposed = Vec::new();
    for fate in traced.old.iter().filter(|fate| !fate.broken.is_empty()) {
        let route = before.route_ref(fate.route);
        let Some(to) = target(fate, route, after) else { continue };
        let base = format!("old-{}", route.name().replace('.', "-"));
        let names = std::iter::once(base.clone()).chain((2..).map(|number| format!("{base}-{number}")));
        let Some(name) = names.into_iter().find(|name| !taken.contains(name)) else { continue };
        taken.insert(name.clone());
        let spec = entry(&name, route).redirect(to.name());
        proposed.push(ProposedRedirect { route: route.name().to_owned(), spec, to: to.name().to_owned() });
    }
    fitting(proposed, &new)
}

/// The route that all broken addresses of a route can be sent to: where its page is now, a page above it, the root.
fn target<'t>(fate: &Fate, route: RouteRef<'_>, after: &'t Table) -> Option<RouteRef<'t>> {
    let above = std::iter::successors(route.parent(), |route| route.parent()).filter_map(|one| after.route(one.name()));
    let root = after.find("/").map(|found| found.route());
    let takes_all = |to: &RouteRef<'t>| {
        to.page().is_some()
            && fate.broken.iter().all(|broken| link(after, to.id(), &broken.values).is_some())
            && requires_no_more(route, *to)
    };
    fate.counterpart.map(|id| after.route_ref(id)).into_iter().chain(above).chain(root).find(takes_all)
}

/// Does a route have every value that another must have?
fn requires_no_more(route: RouteRef<'_>, to: RouteRef<'_>) -> bool {
    let own = || route.frozen_route().params.iter();
    to.frozen_route().params.iter().filter(|param| !param.is_optional).all(|needed| {
        own().any(|param| param.name == needed.name && (!param.is_optional || param.check.default.is_some()))
    })
}

/// An entry for the old addresses of a route, without what need not be there.
fn entry(name: &str, route: RouteRef<'_>) -> RouteSpec {
    let declared = route.frozen_route();
    let text = declared.path.as_str();
    let asks_query = !declared.query.literals.is_empty() || declared.query.params.iter().any(|param| param.is_required);
    let ends: &[&str] = if asks_query { &["{#"] } else { &["?", "{?", "{&", "{#"] };
    let end = ends.iter().filter_map(|end| text.find(end)).min().unwrap_or(text.len());
    let path = &text[..end];
    let mut spec = RouteSpec::new(name).path(if path.is_empty() { "/" } else { path });
    if let Some(host) = route.host() {
        spec = spec.host(host.as_str());
    }
    let is_kept = |name: &str| {
        declared.path.parts().iter().any(|part| match part {
            Part::Expression(one) => {
                let in_query = matches!(one.operator(), Operator::Query | Operator::Continuation | Operator::Fragment);
                (!in_query || asks_query) && one.variables().iter().any(|variable| variable.name() == name)
            }
            Part::Literal(_) => false,
        })
    };
    let optional_by_form = |name: &str| {
        declared.path.parts().iter().any(|part| match part {
            Part::Expression(one) => {
                !matches!(one.operator(), Operator::Simple | Operator::Reserved)
                    && one.variables().iter().any(|variable| variable.name() == name)
            }
            Part::Literal(_) => false,
        })
    };
    for param in &declared.params {
        if param.kind != ParamKind::Host && !is_kept(&param.name) {
            continue;
        }
        if !param.is_optional && param.kind != ParamKind::Host && optional_by_form(&param.name) {
            spec = spec.required([&*param.name]);
        }
        let rule =
            param.check.declared().iter().fold(Rule::new(), |rule, (name, value)| rule.keyword(name, value.clone()));
        if rule.keywords().next().is_some() {
            spec = spec.param(&*param.name, rule);
        }
    }
    spec
}

/// Those of the proposals with which the table can be built. One that overlaps with a page gives way to it; one that
/// is wrong for another reason is left out.
fn fitting(mut proposed: Vec<ProposedRedirect>, new: &TableSpec) -> Vec<ProposedRedirect> {
    loop {
        let table = proposed.iter().fold(new.clone(), |table, one| table.route(one.spec.clone()));
        let Err(error) = table.build() else { return proposed };
        let count = proposed.len();
        let mut gave_way = false;
        for finding in error.findings() {
            let is_meant = |one: &ProposedRedirect| finding.routes().contains(&one.spec.name.value);
            match proposed.iter_mut().find(|one| is_meant(one)) {
                Some(one) if finding.code() == "overlap" && one.spec.priority == 0 => {
                    one.spec.priority = -1;
                    gave_way = true;
                }
                Some(_) => proposed.retain(|one| !is_meant(one)),
                None => {}
            }
        }
        if proposed.len() == count && !gave_way {
            return Vec::new();
        }
    }
}

impl Data {
    /// The value as TOML writes it on one line.
    fn to_toml(&self) -> String {
        let mut out = String::new();
        // A `String` takes whatever is written.
        let _ = self.write_toml(&mut out);
        out
    }

    fn write_toml(&self, out: &mut String) -> fmt::Result {
        match self {
            // TOML has no nothing; an empty text comes nearest.
            Self::Null => out.push_str("\"\""),
            Self::Bool(value) => write!(out, "{value}")?,
            Self::Integer(number) => write!(out, "{number}")?,
            Self::Float(number) => write!(out, "{number:?}")?,
            Self::Text(text) => quoted(out, text)?,
            Self::List(items) => {
                out.push('[');
                for (at, item) in items.iter().enumerate() {
                    out.push_str(if at > 0 { ", " } else { "" });
                    item.write_toml(out)?;
                }
                out.push(']');
            }
            Self::Table(entries) => {
                out.push('{');
                for (at, (name, value)) in entries.iter().enumerate() {
                    out.push_str(if at > 0 { ", " } else { " " });
                    out.push_str(&key(name));
                    out.push_str(" = ");
                    value.write_toml(out)?;
                }
                out.push_str(" }");
            }
        }
        Ok(())
    }
}

/// A basic string (TOML 1.0, String).
fn quoted(out: &mut String, text: &str) -> fmt::Result {
    out.push('"');
    for c in text.chars() {
        match c {
            '"' | '\\' => {
                out.push('\\');
                out.push(c);
            }
            c if c.is_control() => write!(out, "\\u{:04X}", u32::from(c))?,
            c => out.push(c),
        }
    }
    out.push('"');
    Ok(())
}
