//! Pages without a handler, and handlers without a page.

use crate::declare::Code;
use std::collections::BTreeSet;

use super::Subject;
use crate::declare::{Placed, Report, nearest};

/// Compares the names of the pages with those of the handlers, where they are known.
pub(super) fn compare(subject: &Subject<'_>, report: &mut Report) {
    let Some(handlers) = subject.handlers else { return };
    let known: BTreeSet<&str> = handlers.iter().map(String::as_str).collect();
    let mut used: BTreeSet<&str> = BTreeSet::new();
    let site = subject.spec.site.fallback.iter().map(|page| (None, page));
    let declared = subject.declared.iter().zip(subject.routes()).flat_map(|(route, id)| {
        route.page.iter().chain(route.extras.fallback.as_ref()).map(move |page| (Some(id), page))
    });
    for (id, page) in site.chain(declared) {
        let Placed { value, span } = page;
        if !used.insert(value) || known.contains(value.as_str()) {
            continue;
        }
        let finding = report.add(Code::PageWithoutHandler, span.as_ref(), format!("the page `{value}` has no handler"));
        match nearest(value, known.iter().copied()) {
            Some(near) => finding.help_with(format!("did you mean `{near}`?")),
            None => finding.help_with("write the handler, or remove the page"),
        };
        if let Some(id) = id {
            finding.route(subject.name(id));
        }
    }
    for handler in known.difference(&used) {
        let finding = report.add(Code::HandlerWithoutPage, None, format!("the handler `{handler}` has no page"));
        match nearest(handler, used.iter().copied()) {
            Some(near) => finding.help_with(format!("did you mean `{near}`?")),
            None => finding.help_with("use it as the name of a page, or remove it"),
        };
    }
}
