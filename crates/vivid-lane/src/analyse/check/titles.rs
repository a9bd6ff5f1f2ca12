//! Finds pages without a title in tables that have titles.

use super::Subject;
use crate::declare::{Code, Data, Report};
use crate::lookup::RouteId;

/// How many routes the message names. The finding lists all of them.
const MOST_NAMED: usize = 4;

/// Finds pages without a title, in a table that has titles.
pub(super) fn missing_titles(subject: &Subject<'_>, report: &mut Report) {
    let routes = &subject.frozen().routes;
    let mut has_title = Vec::with_capacity(routes.len());
    for route in routes {
        let is_own = matches!(&route.extras.data, Data::Table(all) if all.iter().any(|(name, _)| name == "title"));
        // Routes are sorted, parents before their children.
        let is_inherited = route.parent.is_some_and(|parent| has_title[parent.index()]);
        has_title.push(is_own || is_inherited);
    }
    let is_without = |id: &RouteId| subject.frozen().route(*id).page.is_some() && !has_title[id.index()];
    let without: Vec<RouteId> = subject.routes().filter(is_without).collect();
    let (true, Some(first)) = (has_title.contains(&true), without.first()) else { return };
    let named: Vec<String> = without.iter().take(MOST_NAMED).map(|id| format!("`{}`", subject.name(*id))).collect();
    let others = match without.len().saturating_sub(MOST_NAMED) {
        0 => String::new(),
        others => format!(" and {others} more"),
    };
    let message = format!("pages without a title: {}{others}", named.join(", "));
    report
        .add(Code::MissingTitle, subject.place(*first), message)
        .help_with("write `data.title = \"…\"` on the route, or on one above it")
        .about(without.iter().map(|id| subject.name(*id).to_owned()).collect::<Vec<String>>());
}
