//! Names that are declared and never used.

use smol_str::SmolStr;

use super::Subject;
use crate::declare::Code;
use crate::declare::{Placed, Report, RouteSpec, Rule, TableSpec, nearest};
use crate::lookup::Param;

/// Finds rules for parameters that no path below them declares.
pub(super) fn unused_rules(subject: &Subject<'_>, report: &mut Report) {
    let mut at = 0;
    let mut all = Vec::new();
    for route in &subject.spec.routes {
        all.extend(route_rules(subject, route, &mut at, report));
    }
    shared_rules(&subject.spec.params, &all, report);
}

/// The parameters of a route and of all below it.
fn route_rules(subject: &Subject<'_>, route: &RouteSpec, at: &mut usize, report: &mut Report) -> Vec<SmolStr> {
    let own = &subject.frozen().routes[*at];
    let mut names: Vec<SmolStr> = own.params.iter().map(|param| param.name.clone()).collect();
    *at += 1;
    for child in &route.routes {
        names.extend(route_rules(subject, child, at, report));
    }
    for table in &route.extras.mounted {
        let mut below = Vec::new();
        for child in &table.routes {
            below.extend(route_rules(subject, child, at, report));
        }
        shared_rules(&table.params, &below, report);
        names.extend(below);
    }
    names.sort_unstable();
    names.dedup();
    for (name, _) in route.params.iter().filter(|(name, _)| names.binary_search(&name.value).is_err()) {
        let message = format!(
            "there is a rule for `{}`, but neither `{}` nor a route below it has that parameter",
            name.value, own.name
        );
        unused(report, name, message, &names).route(&*own.name);
    }
    names
}

fn shared_rules(rules: &[(Placed<SmolStr>, Rule)], used: &[SmolStr], report: &mut Report) {
    for (name, _) in rules.iter().filter(|(name, _)| !used.contains(&name.value)) {
        let message = format!("there is a rule for `{}`, but no path has that parameter", name.value);
        unused(report, name, message, used);
    }
}

fn unused<'r>(
    report: &'r mut Report,
    name: &Placed<SmolStr>,
    message: String,
    known: &[SmolStr],
) -> &'r mut crate::declare::Finding {
    let help = match nearest(&name.value, known.iter().map(SmolStr::as_str)) {
        Some(near) => format!("did you mean `{near}`? otherwise remove it"),
        None => format!("remove it, or write `{{{}}}` into a path", name.value),
    };
    report.add(Code::UnusedRule, name.span.as_ref(), message).help_with(help)
}

/// Finds live lists that no rule names.
pub(super) fn unused_lists(subject: &Subject<'_>, report: &mut Report) {
    let params = || subject.frozen().routes.iter().flat_map(|route| &*route.params);
    for table in tables(subject.spec) {
        for list in &table.lists {
            let asks = |param: &Param| {
                let of_items = param.check.list_of_items().into_iter().flatten();
                param.check.list.as_deref().into_iter().chain(of_items).any(|known| known == list.value)
            };
            if !params().any(asks) {
                let message = format!("the list `{}` is declared, but no rule names it", list.value);
                let help = format!("remove it, or write `listed = \"{}\"` where its values are wanted", list.value);
                report.add(Code::UnusedList, list.span.as_ref(), message).help_with(help);
            }
        }
    }
}

/// Finds needs that no route has.
pub(super) fn unused_needs(subject: &Subject<'_>, report: &mut Report) {
    for table in tables(subject.spec) {
        for need in &table.needs {
            if !subject.declared.iter().any(|route| route.extras.needs.iter().any(|used| used.value == need.name.value))
            {
                let message = format!("the need `{}` is declared, but no route has it", need.name.value);
                let help = format!("remove it, or write `needs = [\"{}\"]` on a route", need.name.value);
                report.add(Code::UnusedNeed, need.name.span.as_ref(), message).help_with(help);
            }
        }
    }
}

/// Finds needs whose visitors are sent nowhere.
pub(super) fn needs_without_place(subject: &Subject<'_>, report: &mut Report) {
    for table in tables(subject.spec) {
        for need in table.needs.iter().filter(|need| need.otherwise.is_none()) {
            let name = &need.name.value;
            let routes = subject.routes().filter(|id| {
                let route = subject.frozen().route(*id);
                route.page.is_some()
                    && route.extras.needs.iter().any(|need| *subject.frozen().needs[usize::from(need.0)].name == **name)
            });
            let names: Vec<String> = routes.map(|id| subject.name(id).to_owned()).collect();
            let message =
                format!("visitors who do not meet `{name}` are sent nowhere: they are refused with status 403");
            report
                .add(Code::NeedWithoutPlace, need.name.span.as_ref(), message)
                .help_with("name a route with `otherwise = \"…\"`, whose path has `{?return}`")
                .about(names);
        }
    }
}

/// Finds frames that are put around nothing.
pub(super) fn unused_frames(subject: &Subject<'_>, report: &mut Report) {
    let routes = &subject.frozen().routes;
    let mut has_page = vec![false; routes.len()];
    // Children stand after their parents.
    for at in (0..routes.len()).rev() {
        has_page[at] |= routes[at].page.is_some();
        if let (true, Some(parent)) = (has_page[at], routes[at].parent) {
            has_page[parent.index()] = true;
        }
    }
    for (at, route) in subject.declared.iter().enumerate().filter(|(at, _)| !has_page[*at]) {
        if let Some(frame) = &route.extras.frame {
            let name = &routes[at].name;
            let message =
                format!("the frame `{}` is around no page: neither `{name}` nor a route below it has one", frame.value);
            report
                .add(Code::UnusedFrame, frame.span.as_ref(), message)
                .help_with("remove it, or add the pages that it is for")
                .route(&**name);
        }
    }
}

/// A table and all that are mounted in it.
fn tables(spec: &TableSpec) -> Vec<&TableSpec> {
    fn below<'a>(routes: &'a [RouteSpec], out: &mut Vec<&'a TableSpec>) {
        for route in routes {
            below(&route.routes, out);
            for table in &route.extras.mounted {
                out.push(table);
                below(&table.routes, out);
            }
        }
    }
    let mut all = vec![spec];
    below(&spec.routes, &mut all);
    all
}
