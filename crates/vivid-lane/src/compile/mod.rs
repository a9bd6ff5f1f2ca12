//! Declared table → frozen table.
//!
//! One pass down: [`resolve`] walks the declared routes, reads each path on from its parent's ([`read_path`]) with the
//! [`rules`] in force, and has the route frozen ([`freeze`]); [`targets`] resolves the names of other routes;
//! [`tree_builder`] puts the ways through each path into the tree; [`order`] compares sets, and [`overlap`] proves with it
//! that no URL has two equally narrow routes; [`layout`] packs the tree. Everything that is wrong is noted and reported
//! together at the end.

mod choice;
mod contrast;
mod direct;
mod draft;
mod freeze;
mod layout;
mod meeting;
mod notation;
mod order;
mod overlap;
mod path_variant;
mod patterns;
mod read_path;
mod resolve;
mod resolved;
mod rules;
mod shared;
mod site;
mod targets;
mod tree_builder;
mod variants;

use crate::declare::Code;
use std::borrow::Cow;
use std::sync::Arc;

use crate::declare::{Report, RouteSpec, Source, Span, TableError, TableSpec};
use crate::lookup::{Destination, Frozen, MOST_SEGMENTS, PageId, Route, RouteId, Table};
use crate::rule::{MOST_STATES, TooLarge, work};

pub(crate) use order::{Demands, demanded, is_within, path_of, query_texts, segment_set, way_set};
pub(crate) use targets::RETURN;

/// How many [steps](work) the proofs of a table may take, and how many more for each route.
const STEPS: u64 = 80_000_000;
const STEPS_OF_A_ROUTE: u64 = 500;

/// How much is declared: how many routes, and about how many segments and values their own paths have. A tree of that size need not
/// move while it grows.
#[derive(Debug, Clone, Copy, Default)]
struct Size {
    routes: usize,
    segments: usize,
    values: usize,
}

/// Of so many routes one is looked at for that.
const ONE_OF: usize = 16;

impl TableSpec {
    /// How much is declared.
    fn size(&self) -> Size {
        fn add(table: &TableSpec, size: &mut Size) {
            table.routes.iter().for_each(|route| of(route, size));
        }
        fn of(route: &RouteSpec, size: &mut Size) {
            if size.routes.is_multiple_of(ONE_OF) {
                let path = route.path.as_ref().map_or("", |path| &path.value).as_bytes();
                // No path has more segments than that, whatever its text.
                let count = |of| path.iter().filter(|byte| **byte == of).count().min(MOST_SEGMENTS);
                size.segments += ONE_OF * count(b'/');
                size.values += ONE_OF * count(b'{');
            }
            size.routes += 1;
            route.routes.iter().for_each(|route| of(route, size));
            route.extras.mounted.iter().for_each(|table| add(table, size));
        }
        let mut size = Size::default();
        add(self, &mut size);
        size
    }

    /// Builds the table: checks the declaration, proves that no two routes compete, and prepares the lookup.
    ///
    /// # Errors
    /// Everything that is wrong with the declaration, each with its place and how to mend it.
    pub fn build(self) -> Result<Table, TableError> {
        Self::build_of(Cow::Owned(self))
    }

    /// Builds the table of a declaration that is needed later on.
    pub(crate) fn build_from(&self) -> Result<Table, TableError> {
        Self::build_of(Cow::Borrowed(self))
    }

    fn build_of(spec: Cow<'_, Self>) -> Result<Table, TableError> {
        let mut report = spec.report.clone();
        let size = spec.size();
        let steps = STEPS + STEPS_OF_A_ROUTE * size.routes as u64;
        let lowered = work::within(steps, || Self::lower(spec, size, &mut report));
        let (frozen, pages) = match lowered {
            Ok(lowered) => lowered,
            Err(too_large) => {
                // What led to it was found before.
                if !report.has_errors() {
                    report_too_large(too_large, None, &mut report);
                }
                return Err(report.into_error());
            }
        };
        if report.has_errors() {
            return Err(report.into_error());
        }
        let frozen = Frozen { findings: report.into_findings(), ..frozen };
        Ok(Table::new(Arc::new(frozen), pages.into()))
    }

    fn lower(spec: Cow<'_, Self>, size: Size, report: &mut Report) -> Result<(Frozen, Vec<String>), TooLarge> {
        let declared = spec.site.clone();
        let site = site::site(&declared, report);
        let walked = resolve::walk(spec, size, report)?;
        let resolve::Walked { frozen: mut routes, known, mut tree, pages, needs, lists, names } = walked;
        let needs = targets::Targets { names: &names, routes: &routes, known: &known, report }.needs(&needs);
        for at in 0..known.len() {
            let id = RouteId::of(at);
            let mut targets = targets::Targets { names: &names, routes: &routes, known: &known, report };
            let (onward, needs) = (targets.onward(id), targets.needs_of(id, &needs));
            if let Some(Destination::Route { to, .. }) = onward.as_ref().map(|onward| &onward.aim)
                && !known[at].has_methods
            {
                // What is moved answers the methods that it answered before.
                routes[at].methods = routes[to.index()].methods.clone();
            }
            freeze::lead(&mut routes[at], onward, needs);
        }
        for (id, known) in (0..).map(RouteId::of).zip(&known).filter(|(_, known)| known.is_sound) {
            tree.add_area(known, &routes[id.index()].params, id)?;
        }
        tree.sort()?;
        overlap::prove(&mut tree, &known, &routes, &site, declared.overlaps, report)?;
        if site.is_plain {
            for id in tree.direct_routes(&routes)? {
                routes[id.index()].has_safe_links = true;
            }
        }
        let redirect = |known: &resolved::ResolvedRoute| known.redirect.as_ref()?.span.clone();
        let places =
            (0..).map(RouteId::of).zip(&known).filter_map(|(id, known)| Some((id, redirect(known)?))).collect();
        // The packed tree takes its room.
        drop(known);
        let frozen = Frozen {
            tree: layout::pack(tree, &routes)?,
            has_fallbacks: routes.iter().any(Route::has_own_fallback),
            has_hosts: routes.iter().any(|route| route.extras.host.is_some()),
            routes,
            names,
            fallback: declared.fallback.as_ref().map(|_| PageId::of(0)),
            site,
            needs,
            lists: lists.iter().map(|list| list.as_str().into()).collect(),
            findings: Vec::new(),
        };
        targets::constant_redirects(&frozen, &places, report);
        Ok((frozen, pages))
    }
}

/// Reports what cannot be compared or numbered, with the name of the route at hand and its place.
fn report_too_large(too_large: TooLarge, route: Option<(&str, Option<&Span>)>, report: &mut Report) {
    let (code, message, help) = match too_large {
        TooLarge::States => (
            Code::TooLargeToProve,
            format!("two sets of paths are too large to compare: it would take more than {MOST_STATES} states"),
            "make patterns shorter, or lengths smaller",
        ),
        TooLarge::Work => (
            Code::TooLargeToProve,
            "it would take too long to prove which of these rules and paths is narrower".to_owned(),
            "make patterns shorter, lengths smaller, or have fewer patterns at one place",
        ),
        TooLarge::Pairs => (
            Code::TooManyPairs,
            "too many paths are alike up to their last segments: they cannot all be compared".to_owned(),
            "narrow the rules of the first segments in which they differ",
        ),
        TooLarge::Numbers => (
            Code::TooManyRoutes,
            "the table has more segments, or more text, than can be numbered".to_owned(),
            "divide it into several tables",
        ),
    };
    let (name, span) = route.unzip();
    let finding = report.add(code, span.flatten(), message).help_with(help);
    if let Some(name) = name {
        finding.route(name);
    }
}

impl Table {
    /// Builds a table from a TOML table file.
    ///
    /// # Errors
    /// Everything that is wrong with the file, each with its line and column.
    pub fn from_toml(text: &str) -> Result<Self, TableError> {
        Self::from_source(Source::toml(text))
    }

    /// Builds a table from a source, which can carry the name of its file.
    ///
    /// # Errors
    /// Everything that is wrong with the source, each with its file, line and column.
    pub fn from_source(source: Source) -> Result<Self, TableError> {
        TableSpec::read(source).build()
    }
}
