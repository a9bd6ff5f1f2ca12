//! Routes that are never reached, and links that another route would answer.

use crate::declare::Code;
use std::sync::Arc;

use super::Subject;
use crate::analyse::ways::{Way, Ways, path_of, split_by};
use crate::compile::is_within;
use crate::declare::Report;
use crate::lookup::{Accepted, RouteId};
use crate::rule::{Certainty, SEPARATOR, TooLarge, work};

/// A route that wins over another on some path of its, and that path.
struct Shadower {
    route: RouteId,
    path: String,
    /// Whether it is certain, whatever functions say.
    is_exact: bool,
}

/// What becomes of the paths of a route.
#[derive(Default)]
struct Reachability {
    /// Whether there is a path on which nothing wins over it.
    is_reached: bool,
    /// Whether there is one unless functions let everything pass.
    may_be_reached: bool,
    rivals: Vec<Shadower>,
}

impl Reachability {
    /// Whether there is nothing more to find out: it is reached, and not everywhere.
    fn is_told(&self) -> bool {
        self.is_reached && self.rivals.iter().any(|rival| rival.is_exact)
    }
}

/// Finds routes all of whose URLs are answered by others, and routes some of whose links would be.
pub(super) fn unreachable_and_captured(subject: &Subject<'_>, ways: &Ways<'_>, report: &mut Report) {
    let mut skipped = Vec::new();
    for id in subject.routes() {
        let route = subject.frozen().route(id);
        // A direct route is known to have no rivals.
        if !route.answers() || route.has_safe_links {
            continue;
        }
        // One route takes no more than its part of what may be spent on all.
        let Ok(Some(fate)) = work::within(work::left() / 8, || fate(subject, ways, id)) else {
            skipped.push(id);
            continue;
        };
        let Some(first) = fate.rivals.first() else { continue };
        let address = |path: &str| ways.address(route, path).unwrap_or_else(|| path.to_owned());
        let names: Vec<String> = fate.rivals.iter().map(|rival| subject.name(rival.route).to_owned()).collect();
        let is_redirect = route.extras.onward.is_some();
        let what = if is_redirect { "the redirect " } else { "" };
        if !fate.is_reached {
            let verb = if fate.may_be_reached { "may never be reached" } else { "can never be reached" };
            let by = match names.as_slice() {
                [one] => format!("`{one}` answers all its URLs"),
                [first, second] => format!("`{first}` and `{second}` together answer all its URLs"),
                [first, second, rest @ ..] => {
                    format!("`{first}`, `{second}` and {} more together answer all its URLs", rest.len())
                }
                [] => String::new(),
            };
            let code = if is_redirect { Code::HiddenRedirect } else { Code::Unreachable };
            let witness = address(&first.path);
            report
                .add(code, subject.place(id), format!("{what}`{}` {verb}: {by}, such as `{witness}`", route.name))
                .help_with("remove it, widen its rules, or narrow those of the others")
                .witnessed(witness)
                .route(&*route.name)
                .about(names);
        } else if let Some(first) = fate.rivals.iter().find(|rival| rival.is_exact).filter(|_| !is_redirect) {
            let witness = address(&first.path);
            let message = format!(
                "a link to `{}` can be captured: `{}` answers `{witness}` in its place",
                route.name,
                subject.name(first.route)
            );
            report
                .add(Code::CapturedLink, subject.place(id), message)
                .help_with("`link` refuses such a link; to avoid that, let the rule exclude these values")
                .witnessed(witness)
                .route(&*route.name)
                .route(subject.name(first.route));
        }
    }
    let Some(&first) = skipped.first() else { return };
    let others = match skipped.len() {
        1 => String::new(),
        count => format!(" and {} more", count - 1),
    };
    let message = format!(
        "whether `{}`{others} can be reached, and linked to, was not checked: too many other routes share their paths",
        subject.name(first)
    );
    skipped
        .iter()
        .fold(report.add(Code::ReachNotChecked, subject.place(first), message), |finding, &id| {
            finding.route(subject.name(id))
        })
        .help_with("narrow the rules of these routes");
}

/// Follows all paths of a route; `None` where it shares them with too many others.
fn fate(subject: &Subject<'_>, ways: &Ways<'_>, id: RouteId) -> Result<Option<Reachability>, TooLarge> {
    let mut fate = Reachability::default();
    for way in ways.of_route(id) {
        let Some(sharing) = ways.sharing(way) else { return Ok(None) };
        let others: Vec<Way<'_>> = sharing
            .into_iter()
            .map(|leaf| ways.get(leaf))
            .filter(|other| other.leaf != way.leaf && (other.route == id || answers_all_that(subject, other.route, id)))
            .collect();
        if others.iter().all(|other| other.route == id) {
            (fate.is_reached, fate.may_be_reached) = (true, true);
            continue;
        }
        let sets: Vec<Arc<_>> = others.iter().map(|other| ways.set(*other)).collect::<Result<_, _>>()?;
        split_by(&*ways.set(way)?, &sets, &mut |word, accepting| {
            // Whoever wins is found by holding each against each.
            work::spend(3 * accepting.len() * accepting.len())?;
            let segments = word.iter().filter(|&&byte| byte == SEPARATOR).count();
            let accepting = || accepting.iter().map(|&at| others[at]);
            // A list may hold nothing just now, so a route that asks one hides no other: to ask several lists in turn, or one
            // before a route for all else, is what lists are for.
            let accepting = |least: Certainty| {
                accepting().filter(move |other| other.certainty <= least || other.route == id).chain([way])
            };
            let by_certain = winners(subject, id, accepting(Certainty::Exact), segments);
            let by_all = winners(subject, id, accepting(Certainty::Filtered), segments);
            fate.is_reached |= by_all.contains(&id);
            fate.may_be_reached |= by_certain.contains(&id);
            let rivals = by_certain.iter().map(|one| (*one, true)).chain(by_all.iter().map(|one| (*one, false)));
            for (route, is_exact) in rivals.filter(|(route, _)| *route != id) {
                if !fate.rivals.iter().any(|known| known.route == route) {
                    fate.rivals.push(Shadower { route, path: path_of(word), is_exact });
                }
            }
            Ok(!fate.is_told())
        })?;
        if fate.is_told() {
            break;
        }
    }
    Ok(Some(fate))
}

/// Whether a route answers a URL whose path it shares with another, whatever host and query the other one demands.
fn answers_all_that(subject: &Subject<'_>, rival: RouteId, id: RouteId) -> bool {
    let (one, other) = (subject.frozen().route(rival), subject.frozen().route(id));
    one.answers() && is_within(other, one, &subject.demands).unwrap_or(false)
}

/// The routes that answer the methods of one, where these ways accept a path of so many segments.
fn winners<'w>(
    subject: &Subject<'_>,
    id: RouteId,
    ways: impl Iterator<Item = Way<'w>>,
    segments: usize,
) -> Vec<RouteId> {
    let frozen = subject.frozen();
    let mut accepted: Accepted = ways.map(|way| way.leaf).collect();
    frozen.tree.retain_narrowest(&mut accepted, segments);
    let methods = frozen.route(id).methods.0.iter();
    // What is narrower hides a route from all methods, even from those that it does not answer itself.
    let chosen = methods.filter_map(|method| frozen.choose(&accepted, method).or_else(|| accepted.first().copied()));
    chosen.map(|leaf| frozen.tree.leaf(leaf).route).collect()
}
