//! The redirects that keep old addresses alive.

use std::cell::LazyCell;
use std::collections::{HashMap, HashSet};
use std::fmt::{self, Write};

use smol_str::{SmolStr, format_smolstr};

use super::trace::{End, RouteTrace, Traced, end, for_each_part, link, request, values};
use crate::analyse::ways::Ways;
use crate::decide::Decision;
use crate::declare::{Code, Data, Finding, RouteSpec, Rule, TableSpec, basic_string};
use crate::lookup::{LeafId, ParamKind, RouteId, RouteRef, Table};
use crate::template::{Operator, Part, Template};

/// A redirect for addresses of the old table that no page answers now. [`Display`](fmt::Display) writes it as an entry
/// for a table file in TOML.
///
/// # Example
/// ```
/// use vivid_lane::analyse::Differences;
/// use vivid_lane::{RouteSpec, TableSpec};
///
/// let talks = |path: &str| TableSpec::new().route(RouteSpec::new("talk").path(path).page("talk"));
/// let differences = Differences::between(talks("/lectures/{talk}"), talks("/talks/{talk}"))?;
/// let expected = "[routes.old-talk]\npath     = \"/lectures/{talk}\"\nredirect = \"talk\"\n";
/// assert_eq!(differences.redirects()[0].to_string(), expected);
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct ProposedRedirect {
    route: SmolStr,
    spec: RouteSpec,
    to: SmolStr,
    is_partial: bool,
}

impl ProposedRedirect {
    /// The route of the old table whose addresses are redirected.
    #[must_use]
    pub fn route(&self) -> &str {
        &self.route
    }

    /// The route of the new table that the redirect leads to.
    #[must_use]
    pub fn to(&self) -> &str {
        &self.to
    }

    /// Whether some of the old addresses stay broken. That happens where a page of the new table answers other
    /// addresses of the same form: a redirect for all of them would hide that page.
    #[must_use]
    pub fn is_partial(&self) -> bool {
        self.is_partial
    }

    /// The redirect as a declaration, ready to be added to a [`TableSpec`].
    #[must_use]
    pub fn spec(&self) -> &RouteSpec {
        &self.spec
    }
}

impl fmt::Display for ProposedRedirect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = |text: &str| Data::from(text).to_toml();
        if self.is_partial {
            writeln!(f, "# In part: a page answers other addresses of this form now.")?;
        }
        writeln!(f, "[routes.{}]", key(&self.spec.name.value))?;
        if let Some(path) = &self.spec.path {
            writeln!(f, "path     = {}", text(&path.value))?;
        }
        if let Some(host) = &self.spec.extras.host {
            writeln!(f, "host     = {}", text(&host.value))?;
        }
        if !self.spec.extras.required.is_empty() {
            let names: Vec<Data> =
                self.spec.extras.required.iter().map(|name| Data::from(name.value.as_str())).collect();
            writeln!(f, "required = {}", Data::List(names).to_toml())?;
        }
        for (name, rule) in &self.spec.params {
            let keywords = rule.keywords().map(|(name, value)| (name.to_owned(), value.clone())).collect();
            writeln!(f, "params.{} = {}", key(&name.value), Data::Table(keywords).to_toml())?;
        }
        if self.spec.extras.priority != 0 {
            writeln!(f, "priority = {}", self.spec.extras.priority)?;
        }
        writeln!(f, "redirect = {}", text(&self.to))
    }
}

/// A key as TOML writes it.
fn key(name: &str) -> String {
    let is_bare = !name.is_empty() && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"-_".contains(&byte));
    if is_bare { name.to_owned() } else { Data::from(name).to_toml() }
}

/// What is proposed, beside the declaration.
#[derive(Debug)]
pub(super) struct Proposal {
    /// The route of the old table, and that of the new one.
    route: SmolStr,
    to: SmolStr,
    is_partial: bool,
}

/// Adds the redirects for what is broken to the routes of the new table, at their end.
pub(super) fn propose(traced: Traced, before: &Table, after: &Table, new: &mut TableSpec) -> Vec<Proposal> {
    let mut taken: HashSet<SmolStr> = new.routes.iter().map(|route| route.name.value.clone()).collect();
    let mut proposals = Vec::new();
    let ways = LazyCell::new(|| Ways::of(before.frozen()).ok());
    for trace in traced.old.into_iter().filter(|trace| !trace.broken.is_empty()) {
        let route = before.route_ref(trace.route);
        // What its query refuses, another route of its path may have answered.
        let keeps_query = is_demanding(route)
            || (route.frozen_route().extras.query.asks
                && ways.as_ref().is_none_or(|ways| shares_paths(ways, route, |other| other != route.id())));
        let Some(to) = target(&trace, route, keeps_query, before, after) else { continue };
        let base = format!("old-{}", route.name().replace('.', "-"));
        let names = std::iter::once(base.clone().into()).chain((2..).map(|number| format_smolstr!("{base}-{number}")));
        let Some(name) = names.into_iter().find(|name| !taken.contains(name)) else { continue };
        taken.insert(name.clone());
        new.routes.push(entry(&name, route, keeps_query).redirect(to.name()));
        proposals.push(Proposal { route: route.name().into(), to: to.name().into(), is_partial: false });
    }
    // There may be as many as the table has routes.
    new.routes.shrink_to_fit();
    proposals.shrink_to_fit();
    proposals
}

/// The route that all broken addresses of a route can be sent to: where its page is now, a page above it, the root.
fn target<'t>(
    trace: &RouteTrace,
    route: RouteRef<'_>,
    keeps_query: bool,
    before: &Table,
    after: &'t Table,
) -> Option<RouteRef<'t>> {
    let above = std::iter::successors(route.parent(), |route| route.parent()).filter_map(|one| after.route(one.name()));
    let root = after.find("/").map(|found| found.route());
    let values: Vec<_> = trace.broken.iter().filter_map(|broken| values(before, route, &broken.url)).collect();
    let takes_all = |to: &RouteRef<'t>| {
        to.page().is_some()
            && values.iter().all(|values| link(after, to.id(), values).is_some())
            && requires_no_more(route, *to)
            && (!keeps_query || takes_query(route, *to))
    };
    trace.counterpart.map(|id| after.route_ref(id)).into_iter().chain(above).chain(root).find(takes_all)
}

/// Whether a route has every value that another must have.
fn requires_no_more(route: RouteRef<'_>, to: RouteRef<'_>) -> bool {
    let own = || route.frozen_route().params.iter();
    to.frozen_route().params.iter().filter(|param| !param.is_optional).all(|needed| {
        own().any(|param| param.name == needed.name && (!param.is_optional || param.check.default.is_some()))
    })
}

/// Whether a route takes the values that another has in its query, by the same rules or by none.
fn takes_query(route: RouteRef<'_>, to: RouteRef<'_>) -> bool {
    let is_query = |kind| matches!(kind, ParamKind::Query | ParamKind::Pairs);
    route.frozen_route().params.iter().filter(|own| is_query(own.kind)).all(|own| {
        let mut others = to.frozen_route().params.iter().filter(|other| other.name == own.name);
        others.all(|other| other.check.declared().is_empty() || other.check.declared() == own.check.declared())
    })
}

/// Whether a route answers only with some query.
fn is_demanding(route: RouteRef<'_>) -> bool {
    let query = &route.frozen_route().extras.query;
    !query.literals.is_empty() || query.params.iter().any(|param| param.is_required)
}

/// Whether one of those routes of the table may have a path of this one.
fn shares_paths(ways: &Ways<'_>, route: RouteRef<'_>, with: impl Fn(RouteId) -> bool) -> bool {
    let is_one = |leaf: &LeafId| with(ways.get(*leaf).route);
    ways.of_route(route.id()).any(|way| ways.sharing(way).is_none_or(|sharing| sharing.iter().any(is_one)))
}

/// An entry for the old addresses of a route, without what need not be there.
fn entry(name: &str, route: RouteRef<'_>, asks_query: bool) -> RouteSpec {
    let declared = route.frozen_route();
    let text = declared.path.as_str();
    let ends: &[&str] = if asks_query { &["{#"] } else { &["?", "{?", "{&", "{#"] };
    let end = ends.iter().filter_map(|end| text.find(end)).min().unwrap_or(text.len());
    let path = &text[..end];
    let mut spec = RouteSpec::new(name).path(if path.is_empty() { "/" } else { path });
    if let Some(host) = route.host() {
        spec = spec.host(host.as_str());
    }
    let is_kept = |name: &str| {
        declared.path.parts().any(|part| match part {
            Part::Expression(one) => {
                let in_query = matches!(one.operator(), Operator::Query | Operator::Continuation | Operator::Fragment);
                (!in_query || asks_query) && one.variables().any(|variable| variable.name() == name)
            }
            Part::Literal(_) => false,
        })
    };
    let optional_by_form = |name: &str| {
        declared.path.parts().any(|part| match part {
            Part::Expression(one) => {
                !matches!(one.operator(), Operator::Simple | Operator::Reserved)
                    && one.variables().any(|variable| variable.name() == name)
            }
            Part::Literal(_) => false,
        })
    };
    for param in &*declared.params {
        if param.kind != ParamKind::Host && !is_kept(&param.name) {
            continue;
        }
        if !param.is_optional && param.kind != ParamKind::Host && optional_by_form(&param.name) {
            spec = spec.required([&*param.name]);
        }
        let declared = param.check.declared();
        if !declared.is_empty() {
            let mut rule = Rule::new();
            rule.keywords.reserve_exact(declared.len());
            let rule = declared.iter().fold(rule, |rule, (name, value)| rule.keyword(name, value.clone()));
            spec.params.reserve_exact(1);
            spec = spec.param(&*param.name, rule);
        }
    }
    spec
}

/// Those of the proposals with which the table can be built, and which take no address from a page. They are its last routes. One that
/// overlaps with a page gives way to it; one that takes an address is tried without its shorter forms, else left out, as is one
/// that is wrong for another reason.
///
/// It goes by rounds. What is wrong with one may be wrong with another because of it, so of the routes that one finding
/// names only the first is changed in a round. After [`MOST_ROUNDS`] what is unfit is left out.
pub(super) fn fitting(mut proposals: Vec<Proposal>, mut new: TableSpec) -> Vec<ProposedRedirect> {
    let own = new.routes.len() - proposals.len();
    let mut without = None;
    for round in 0.. {
        let mut are_too_many = false;
        let unfit: Vec<(Vec<String>, Unfit)> = match new.build_from() {
            Ok(built) => {
                let takes = accepting(&built, own, &mut new, &mut without);
                takes.into_iter().map(|name| (vec![name], Unfit::Takes)).collect()
            }
            Err(error) => {
                are_too_many = error.findings().iter().any(|one| one.code() == Code::TooManyPairs);
                let named = |one: &Finding| {
                    let why = if one.code() == Code::Overlap { Unfit::Overlaps } else { Unfit::Wrong };
                    (one.routes().to_vec(), why)
                };
                error.findings().iter().map(named).collect()
            }
        };
        let specs = &mut new.routes[own..];
        let mut equals = specs.iter_mut().filter(|one| one.extras.priority == 0).peekable();
        if are_too_many && equals.peek().is_some() {
            // Not all overlaps are reported, so each proposal gives way to whatever it meets.
            equals.for_each(|one| one.extras.priority = -1);
            continue;
        }
        if unfit.is_empty() {
            break;
        }
        let position: HashMap<SmolStr, usize> =
            specs.iter().enumerate().map(|(at, one)| (one.name.value.clone(), at)).collect();
        let (mut changed, mut left_out) = (HashSet::new(), HashSet::new());
        for (names, why) in unfit {
            let mut concerned = names.iter().filter_map(|name| position.get(name.as_str()).copied()).peekable();
            let Some(&at) = concerned.peek() else { continue };
            if concerned.any(|at| changed.contains(&at)) {
                continue;
            }
            changed.insert(at);
            let one = &mut specs[at];
            let optional = optional(one);
            match why {
                _ if round >= MOST_ROUNDS => left_out.extend([at]),
                Unfit::Overlaps if one.extras.priority == 0 => one.extras.priority = -1,
                Unfit::Takes if !optional.is_empty() => {
                    proposals[at].is_partial = true;
                    *one = std::mem::take(one).required(optional);
                }
                _ => left_out.extend([at]),
            }
        }
        if changed.is_empty() {
            break;
        }
        let is_kept = |at: Option<usize>| at.is_none_or(|at| !left_out.contains(&at));
        let (mut at, mut place) = (0.., 0..);
        proposals.retain(|_| is_kept(at.next()));
        new.routes.retain(|_| is_kept(place.next().and_then(|at: usize| at.checked_sub(own))));
    }
    let specs = new.routes.drain(own..);
    specs
        .zip(proposals)
        .map(|(spec, Proposal { route, to, is_partial })| ProposedRedirect { route, spec, to, is_partial })
        .collect()
}

/// The optional values in the path that a proposal may lack.
fn optional(spec: &RouteSpec) -> Vec<String> {
    let parts = spec.path.as_ref().and_then(|path| Template::parse(&path.value).ok());
    let names = parts.iter().flat_map(Template::parts).filter_map(|part| match part {
        Part::Expression(one) if matches!(one.operator(), Operator::Segment | Operator::Label) => {
            Some(one.variables().filter(|variable| !variable.is_exploded()).map(|one| one.name().to_owned()))
        }
        _ => None,
    });
    names.flatten().filter(|name| !spec.extras.required.iter().any(|known| known.value == *name)).collect()
}

/// In so many rounds proposals are changed until they fit.
const MOST_ROUNDS: usize = 16;

/// Why a proposal does not fit in.
#[derive(Clone, Copy)]
enum Unfit {
    Overlaps,
    Takes,
    Wrong,
}

/// The proposals that answer an address which the table answers without them. That table is built when one of them may share a
/// path with a route of its own.
fn accepting(built: &Table, own: usize, new: &mut TableSpec, without: &mut Option<Table>) -> Vec<String> {
    let Ok(with) = Ways::of(built.frozen()) else { return Vec::new() };
    let Some(first) = new.routes.get(own).and_then(|one| built.route(&one.name.value)) else { return Vec::new() };
    // They have no routes below them, and stand after all others.
    let proposals = built.routes().skip(first.id().index());
    let proposals: Vec<_> = proposals.filter(|route| shares_paths(&with, *route, |other| other < first.id())).collect();
    if without.is_none() && !proposals.is_empty() {
        let added = new.routes.split_off(own);
        *without = new.build_from().ok();
        new.routes.extend(added);
    }
    let Some(without) = without else { return Vec::new() };
    let Ok(ways) = Ways::of(without.frozen()) else { return Vec::new() };
    let takes = |route: &RouteRef<'_>| {
        let mut takes = false;
        for_each_part(&with, route.id(), &[&with, &ways], &mut |url| {
            let is_own = matches!(built.decide(&request(*route, url)), Decision::Redirect(by) if by.route() == Some(route.name()));
            takes |= is_own && !matches!(end(without, *route, url), End::Nowhere);
            !takes
        });
        takes
    };
    proposals.into_iter().filter(takes).map(|route| route.name().to_owned()).collect()
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
            Self::Text(text) => out.push_str(&basic_string(text)),
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
