//! Everything that can be found about a table before it ships.
//!
//! What keeps a table from being built is found while it is built; the passes here look at one that stands. Each kind
//! of finding is one function, and one line in [`PASSES`].

mod handlers;
mod names;
mod paths;
mod reach;
mod titles;

use super::ways::Ways;
use crate::compile::Demands;
use crate::declare::Code;
use crate::declare::{Finding, Report, RouteSpec, Severity, Span, TableSpec};
use crate::lookup::{Frozen, RouteId, Table};
use crate::rule::work;

/// A check of a whole table. It finds routes that no URL reaches, declarations that nothing uses, and pages for which
/// the program has no handler.
///
/// # Example
/// ```
/// use vivid_lane::{Review, RouteSpec, Rule, TableSpec};
///
/// let spec = TableSpec::new()
///     .param("dome", Rule::one_of(["north", "south"]))
///     .route(RouteSpec::new("dome").path("/domes/{dome}").page("dome"))
///     .route(RouteSpec::new("north").path("/domes/north").page("north-dome"))
///     .route(RouteSpec::new("south").path("/domes/south").page("south-dome"));
/// let reviewed = Review::new(spec).run();
/// let finding = &reviewed.findings()[0];
/// assert_eq!((finding.code().as_str(), finding.witness()), ("unreachable", Some("/domes/north")));
/// assert_eq!(finding.routes(), ["dome", "north", "south"]);
/// ```
#[derive(Debug, Clone)]
pub struct Review {
    spec: TableSpec,
    handlers: Option<Vec<String>>,
}

/// What a [`Review`] has found.
#[derive(Debug)]
pub struct Reviewed {
    table: Option<Table>,
    findings: Vec<Finding>,
    is_unreadable: bool,
}

impl Reviewed {
    /// The table, if the declaration has no errors.
    #[must_use]
    pub fn table(&self) -> Option<&Table> {
        self.table.as_ref()
    }

    /// Takes the table out, if the declaration has no errors.
    ///
    /// ```
    /// use vivid_lane::{Review, Source, TableSpec};
    ///
    /// let spec = TableSpec::read(Source::toml("[routes.home]\npath = '/'\npage = 'home'\n"));
    /// let table = Review::new(spec).run().into_table().expect("nothing is wrong with it");
    /// assert_eq!(table.find("/").map(|found| found.page().clone()).as_deref(), Some("home"));
    /// ```
    #[must_use]
    pub fn into_table(self) -> Option<Table> {
        self.table
    }

    /// The findings in the order of the file.
    #[must_use]
    pub fn findings(&self) -> &[Finding] {
        &self.findings
    }

    /// The highest severity among the findings; `None` if there are none.
    #[must_use]
    pub fn worst(&self) -> Option<Severity> {
        self.findings.iter().map(Finding::severity).max()
    }

    /// Whether there is no table at all, because the text is too long, empty, or not in its format.
    #[must_use]
    pub fn is_unreadable(&self) -> bool {
        self.is_unreadable
    }
}

/// What the passes look at.
struct Subject<'a> {
    spec: &'a TableSpec,
    table: &'a Table,
    /// The declarations of the routes, by their number.
    declared: Vec<&'a RouteSpec>,
    handlers: Option<&'a [String]>,
    demands: Demands<'a>,
}

impl<'a> Subject<'a> {
    fn frozen(&self) -> &'a Frozen {
        self.table.frozen()
    }

    fn name(&self, id: RouteId) -> &'a str {
        &self.frozen().route(id).name
    }

    /// The place of a route's path, else that of its name.
    fn place(&self, id: RouteId) -> Option<&'a Span> {
        let declared = self.declared[id.index()];
        declared.path.as_ref().and_then(|path| path.span.as_ref()).or(declared.name.span.as_ref())
    }

    fn routes(&self) -> impl Iterator<Item = RouteId> + use<> {
        (0..).map(RouteId::of).take(self.frozen().routes.len())
    }
}

/// How many [steps](work) it may take to look at all ways, and how many more for each route.
const STEPS: u64 = 20_000_000;
const STEPS_OF_A_ROUTE: u64 = 10_000;

type Pass = fn(&Subject<'_>, &mut Report);
type PathPass = fn(&Subject<'_>, &Ways<'_>, &mut Report);

/// These look at all ways through the paths. What may take all that is allowed comes last.
const PATH_PASSES: &[PathPass] = &[paths::letter_case, paths::unbounded, reach::unreachable_and_captured];

const PASSES: &[Pass] = &[
    names::unused_rules,
    names::unused_lists,
    names::unused_needs,
    names::needs_without_place,
    names::unused_frames,
    titles::missing_titles,
    handlers::compare,
];

impl Review {
    /// A check of a declared table.
    #[must_use]
    pub fn new(spec: TableSpec) -> Self {
        Self { spec, handlers: None }
    }

    /// Compares the pages of the table with the handlers that a program has for them, by name.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Review, RouteSpec, TableSpec};
    ///
    /// let spec = TableSpec::new().route(RouteSpec::new("home").path("/").page("home"));
    /// let reviewed = Review::new(spec).handlers(["hmoe"]).run();
    /// let codes: Vec<_> = reviewed.findings().iter().map(|finding| finding.code().as_str()).collect();
    /// assert_eq!(codes, ["page-without-handler", "handler-without-page"]);
    /// ```
    #[must_use]
    pub fn handlers<T: Into<String>>(mut self, names: impl IntoIterator<Item = T>) -> Self {
        self.handlers = Some(names.into_iter().map(Into::into).collect());
        self
    }

    /// Builds the table, checks it, and returns both the table and the findings.
    #[must_use]
    pub fn run(self) -> Reviewed {
        let table = match self.spec.build_from() {
            Ok(table) => table,
            Err(error) => {
                let is_unreadable = error.is_unreadable();
                return Reviewed { table: None, findings: error.findings().to_vec(), is_unreadable };
            }
        };
        let mut report = Report::from_findings(table.findings().to_vec());
        let mut declared = Vec::new();
        in_order(&self.spec.routes, &mut declared);
        let subject = Subject {
            spec: &self.spec,
            table: &table,
            declared,
            handlers: self.handlers.as_deref(),
            demands: Demands::default(),
        };
        let steps = STEPS + STEPS_OF_A_ROUTE * subject.declared.len() as u64;
        work::within(steps, || match Ways::of(table.frozen()) {
            Ok(ways) => PATH_PASSES.iter().for_each(|pass| pass(&subject, &ways, &mut report)),
            Err(_) => {
                let message = "unreachable routes, captured links, letter case and tails were not looked for: a rule has more \
                               states than can be followed, or all of them together have";
                report.add(Code::PathsNotChecked, None, message).help_with("make patterns shorter, or lengths smaller");
            }
        });
        PASSES.iter().for_each(|pass| pass(&subject, &mut report));
        drop(subject);
        Reviewed { findings: report.into_findings(), table: Some(table), is_unreadable: false }
    }
}

/// The declared routes in the order in which they are numbered: parents before their children.
fn in_order<'a>(routes: &'a [RouteSpec], out: &mut Vec<&'a RouteSpec>) {
    for route in routes {
        out.push(route);
        in_order(&route.routes, out);
        route.extras.mounted.iter().for_each(|table| in_order(&table.routes, out));
    }
}
