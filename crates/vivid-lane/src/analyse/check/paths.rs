//! What the variants of paths say: letter case, and tails without an end.

use crate::declare::Code;
use hashbrown::HashMap;

use super::Subject;
use crate::analyse::ways::{Way, Ways, Word, path_of};
use crate::declare::Report;
use crate::lookup::{ParamKind, RouteId, folded};

/// Finds routes whose paths differ only by the letter case of their literals.
pub(super) fn letter_case(subject: &Subject<'_>, ways: &Ways<'_>, report: &mut Report) {
    let mut seen: HashMap<Vec<Result<String, usize>>, Way<'_>> = HashMap::new();
    let mut reported: Vec<(RouteId, RouteId)> = Vec::new();
    for way in ways.all() {
        let key = way.words.iter().map(|word| match word {
            Word::Literal(text) => Ok(folded(text).into_owned()),
            Word::Set(set) => Err(std::sync::Arc::as_ptr(set).addr()),
        });
        let known = *seen.entry(key.collect()).or_insert(way);
        let is_same = |(left, right): (&Word<'_>, &Word<'_>)| match (left, right) {
            (Word::Literal(left), Word::Literal(right)) => left == right,
            _ => true,
        };
        let pair = (known.route, way.route);
        if known.words.iter().zip(way.words).all(is_same) || known.route == way.route || reported.contains(&pair) {
            continue;
        }
        reported.push(pair);
        let witness = ways.set(way).ok().and_then(|set| set.shortest()).map(|word| path_of(&word));
        let witness = witness.and_then(|path| ways.address(subject.frozen().route(way.route), &path));
        let (one, other) = (subject.name(way.route), subject.name(known.route));
        let message = format!("the paths of `{one}` and `{other}` differ only by letter case");
        let finding = report.add(Code::LetterCase, subject.place(way.route), message);
        finding
            .help_with("write both alike, or make one a redirect to the other; `case = \"fold\"` under `[site]` takes either spelling")
            .route(one)
            .route(other);
        if let Some(witness) = witness {
            finding.witnessed(witness);
        }
    }
}

/// Finds tails that take any segments, and any number of them.
pub(super) fn unbounded(subject: &Subject<'_>, ways: &Ways<'_>, report: &mut Report) {
    for id in subject.routes() {
        let route = subject.frozen().route(id);
        let tail = route
            .params
            .iter()
            .find(|param| matches!(param.kind, ParamKind::Items | ParamKind::Rest) && param.check.is_any_of_its_form());
        let Some(tail) = tail.filter(|tail| tail.level == route.level && route.answers()) else { continue };
        let takes_all = ways.of_route(id).any(|way| matches!(way.words, [Word::Set(_)]));
        let name = &tail.name;
        let span = subject.place(id);
        let finding = if takes_all && route.extras.host.is_none() {
            let message = format!(
                "`{}` takes every URL that no other route does: `{{{name}}}` has no limit, so nothing is ever missing",
                route.name
            );
            report.add(Code::CatchAll, span, message)
        } else {
            let message =
                format!("`{}` takes any number of segments, with any text in them: `{name}` has no limit", route.name);
            report.add(Code::OpenTail, span, message)
        };
        let bound = match tail.kind {
            ParamKind::Items => {
                format!("limit it: `params.{name} = {{ maxItems = 8 }}`, or a rule for each segment")
            }
            _ => format!("limit it: `params.{name} = {{ maxLength = 200 }}`, or a `pattern`"),
        };
        finding.help_with(bound).route(&*route.name);
        let path = ways.of_route(id).next().and_then(|way| ways.set(way).ok()?.shortest());
        if let Some(witness) = path.and_then(|word| ways.address(route, &path_of(&word))) {
            finding.witnessed(witness);
        }
    }
}
