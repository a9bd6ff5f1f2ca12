//! From one page to the next: what stays, and what changes.

use crate::lookup::{Level, Match, RouteRef};
use crate::template::Value;

/// What changes when the visitor goes from one page to another.
///
/// The levels of the two chains that are the same routes stay; below the first that differs, those of the old
/// page are left and those of the new one are entered. The same page shown with other values is a change too:
/// its levels stay, and the parameters are listed.
///
/// # Example
/// ```
/// use vivid_lane::navigate::transition;
/// use vivid_lane::{RouteSpec, TableSpec};
///
/// let night = RouteSpec::new("night").path("/{date}").page("night");
/// let exposures = RouteSpec::new("exposures").path("/exposures").page("exposures");
/// let nights = RouteSpec::new("nights").path("/nights").page("nights");
/// let table = TableSpec::new().route(nights.route(night.route(exposures))).build()?;
///
/// let from = table.find("/nights/2031-04-02/exposures").unwrap();
/// let to = table.find("/nights/2031-04-03").unwrap();
/// let change = transition(Some(&from), &to);
/// let names = |routes: &[vivid_lane::RouteRef<'_>]| routes.iter().map(|route| route.name().to_owned()).collect::<Vec<_>>();
/// assert_eq!(names(change.kept()), ["nights", "nights.night"]);
/// assert_eq!(names(change.left()), ["nights.night.exposures"]);
/// assert_eq!(change.changed()[0].name(), "date");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone)]
pub struct Transition<'t, P = String> {
    kept: Vec<RouteRef<'t, P>>,
    left: Vec<RouteRef<'t, P>>,
    entered: Vec<RouteRef<'t, P>>,
    changed: Vec<Change<'t>>,
}

/// A parameter whose value differs between two pages.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Change<'t> {
    name: &'t str,
    route: &'t str,
    before: Option<Value>,
    after: Option<Value>,
}

impl<'t> Change<'t> {
    /// The name of the parameter.
    #[must_use]
    pub fn name(&self) -> &'t str {
        self.name
    }

    /// The name of the route that declares it, which is one of the kept routes.
    #[must_use]
    pub fn route(&self) -> &'t str {
        self.route
    }

    /// The old value.
    #[must_use]
    pub fn before(&self) -> Option<&Value> {
        self.before.as_ref()
    }

    /// The new value.
    #[must_use]
    pub fn after(&self) -> Option<&Value> {
        self.after.as_ref()
    }
}

impl<'t, P> Transition<'t, P> {
    /// The routes that both pages share, outermost first.
    #[must_use]
    pub fn kept(&self) -> &[RouteRef<'t, P>] {
        &self.kept
    }

    /// The routes that only the old page has, innermost first: the order in which their frames are removed.
    #[must_use]
    pub fn left(&self) -> &[RouteRef<'t, P>] {
        &self.left
    }

    /// The routes that only the new page has, outermost first: the order in which their frames are added.
    #[must_use]
    pub fn entered(&self) -> &[RouteRef<'t, P>] {
        &self.entered
    }

    /// The parameters of the shared routes whose values differ, outermost first.
    #[must_use]
    pub fn changed(&self) -> &[Change<'t>] {
        &self.changed
    }

    /// Whether nothing changes: both are the same page with the same values.
    #[must_use]
    pub fn is_nothing(&self) -> bool {
        self.left.is_empty() && self.entered.is_empty() && self.changed.is_empty()
    }
}

/// Compares two pages; `from` is `None` for the first page that is shown.
#[must_use]
pub fn transition<'t, P>(from: Option<&Match<'t, '_, P>>, to: &Match<'t, '_, P>) -> Transition<'t, P> {
    let mut change = Transition { kept: Vec::new(), left: Vec::new(), entered: Vec::new(), changed: Vec::new() };
    let mut old = from.into_iter().flat_map(|from| from.levels()).peekable();
    let mut new = to.levels().peekable();
    while let (Some(before), Some(after)) = (old.peek(), new.peek()) {
        if before.route() != after.route() {
            break;
        }
        change.kept.push(after.route());
        change.changed.extend(changes(before, after));
        old.next();
        new.next();
    }
    change.left = old.map(|level| level.route()).collect();
    change.left.reverse();
    change.entered = new.map(|level| level.route()).collect();
    change
}

/// The parameters that a level itself declares and whose values differ.
fn changes<'t, P>(before: &Level<'_, 't, '_, P>, after: &Level<'_, 't, '_, P>) -> Vec<Change<'t>> {
    let (route, old) = (after.route().name(), before.values().collect::<Vec<_>>());
    let new: Vec<(&'t str, Value)> = after.values().collect();
    let value = |values: &[(&'t str, Value)], name| {
        values.iter().find(|(known, _)| *known == name).map(|(_, value)| value.clone())
    };
    let mut names: Vec<&'t str> = old.iter().chain(&new).map(|(name, _)| *name).collect();
    names.dedup();
    let mut seen = Vec::new();
    names.retain(|name| {
        !seen.contains(name) && {
            seen.push(*name);
            true
        }
    });
    let change = |name| Change { name, route, before: value(&old, name), after: value(&new, name) };
    names.into_iter().map(change).filter(|change| change.before != change.after).collect()
}
