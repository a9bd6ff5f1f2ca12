//! What a URL could have meant.

use std::fmt;

use super::near::{Obstacle, refusal, ways};
use super::suggest::shown;
use crate::decide::Request;
use crate::lookup::{
    Ask, Capture, Destination, Leaf, LeafId, ParamKind, PatternId, Piece, QueryRefusal, Route, RouteRef, Table, Target,
    Unanswered, end_of_segments, is_writable_tail,
};
use crate::rule::Narrower;

/// Explains how a URL is answered: lists every route that came close, the closest last. If a route answers, it stands
/// at the very end.
///
/// # Example
/// ```
/// use vivid_lane::{Request, Table};
///
/// let table = Table::from_toml(r#"
///     [routes.nights]
///     path = "/nights"
///     page = "night-list"
///     [routes.nights.night]
///     path = "/{date}"
///     page = "night"
///     params.date = "date"
/// "#)?;
/// let explanation = table.explain(&Request::get("/nights/2031-02-30"));
/// let lines: Vec<String> = explanation.candidates().iter().map(|one| one.to_string()).collect();
/// assert_eq!(lines, [
///     "nights: one segment left over: `2031-02-30`",
///     "nights.night: `date` refused `2031-02-30`: no such day",
/// ]);
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug)]
pub struct Explanation<'t, P = String> {
    candidates: Vec<Candidate<'t, P>>,
}

impl<'t, P> Explanation<'t, P> {
    /// The routes that came close, the closest last.
    #[must_use]
    pub fn candidates(&self) -> &[Candidate<'t, P>] {
        &self.candidates
    }
}

/// A route that came close to answering a URL.
#[derive(Debug)]
pub struct Candidate<'t, P = String> {
    route: RouteRef<'t, P>,
    verdict: Verdict,
    reason: String,
}

impl<'t, P> Candidate<'t, P> {
    /// The route.
    #[must_use]
    pub fn route(&self) -> RouteRef<'t, P> {
        self.route
    }

    /// The outcome: whether the route won, or why it lost.
    #[must_use]
    pub fn verdict(&self) -> Verdict {
        self.verdict
    }

    /// The outcome as a sentence.
    #[must_use]
    pub fn reason(&self) -> &str {
        &self.reason
    }
}

impl<P> fmt::Display for Candidate<'_, P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.route.name(), self.reason)
    }
}

/// How close a candidate came; the order runs from far off to the winner.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Verdict {
    /// The URL goes on after the path of the route ends.
    LeftOver,
    /// The path of the route goes on after the URL ends.
    Missing,
    /// A value does not fit its rule.
    Refused,
    /// A fixed segment is spelt differently in the URL.
    Misspelt,
    /// The route has another host, or expects another query or method.
    Elsewhere,
    /// The route accepts the URL, but another route is narrower or has precedence.
    Beaten,
    /// The route answers.
    Answers,
}

impl<P> Table<P> {
    /// Explains the [decision](Self::decide) on a request. It walks the whole table, so call it for people, not for
    /// every request.
    #[must_use]
    pub fn explain(&self, request: &Request<'_>) -> Explanation<'_, P> {
        self.explained(request).unwrap_or(Explanation { candidates: Vec::new() })
    }

    /// `None` for what is no URL: no route comes into question.
    fn explained(&self, request: &Request<'_>) -> Option<Explanation<'_, P>> {
        let frozen = self.frozen();
        let url = std::str::from_utf8(request.url()).ok()?;
        let mut target = Target::default();
        match frozen.parse(url, request.asked_host(), &mut target) {
            Ok(()) => Some(self.explained_parts(&target, request)),
            // What the canonical form means is what the URL means.
            Err(Unanswered::NonCanonical(address)) => {
                let mut canonical = Target::default();
                frozen.parse(&address, target.sent.host, &mut canonical).ok()?;
                Some(self.explained_parts(&canonical, request))
            }
            Err(_) => None,
        }
    }

    fn explained_parts(&self, target: &Target<'_>, request: &Request<'_>) -> Explanation<'_, P> {
        let frozen = self.frozen();
        let answers = request.answers();
        let ask = target.ask(&answers);
        let accepted = frozen.tree.find(&ask, &frozen.routes);
        let winner = frozen.choose(&accepted, request.method());
        let predicate = Judge { table: self, ask: &ask, method: request.method(), winner };
        let mut candidates: Vec<(LeafId, Candidate<'_, P>)> = Vec::new();
        for (leaf, obstacle) in ways(&frozen.tree, &frozen.routes, &ask, usize::MAX) {
            let one = predicate.candidate(leaf, obstacle);
            let known = candidates.iter_mut().find(|(_, known)| known.route == one.route);
            match known {
                // Of several ways through one route, the one that came closest speaks for it.
                Some((at, known)) if known.verdict < one.verdict => (*at, *known) = (leaf, one),
                Some(_) => {}
                None => candidates.push((leaf, one)),
            }
        }
        if winner.is_some() {
            // Where the URL is answered, what lies below it was never in question.
            candidates.retain(|(_, one)| one.verdict != Verdict::Missing);
        }
        let mut candidates: Vec<Candidate<'_, P>> = candidates.into_iter().map(|(_, one)| one).collect();
        candidates.sort_by_key(|one| one.verdict as u32);
        Explanation { candidates }
    }
}

struct Judge<'a, 't, 'u, P> {
    table: &'t Table<P>,
    ask: &'a Ask<'a, 'u>,
    method: &'a str,
    winner: Option<LeafId>,
}

impl<'t, P> Judge<'_, 't, '_, P> {
    fn candidate(&self, id: LeafId, obstacle: Option<Obstacle>) -> Candidate<'t, P> {
        let frozen = self.table.frozen();
        let leaf = frozen.tree.leaf(id);
        let (verdict, reason) = match obstacle {
            Some(obstacle) => self.obstacle(leaf, obstacle),
            None => self.beyond_the_path(id, leaf),
        };
        Candidate { route: self.table.route_ref(leaf.route), verdict, reason }
    }

    fn obstacle(&self, leaf: &Leaf, obstacle: Obstacle) -> (Verdict, String) {
        let frozen = self.table.frozen();
        let route = frozen.route(leaf.route);
        let target = self.ask.target;
        match obstacle {
            Obstacle::Literal { segment, expected } => {
                (Verdict::Misspelt, format!("`{}` is not `{expected}`", shown(target.text(segment))))
            }
            Obstacle::Pattern { segment, pattern } => {
                let text = target.text(segment);
                let reason = match refusal(&frozen.tree, pattern, text, target.raw(segment)) {
                    Some((piece, value, reason)) => {
                        format!(
                            "`{}` refused `{}`: {reason}",
                            param_at(route, frozen.tree.captures(leaf), leaf, segment, piece),
                            shown(&value)
                        )
                    }
                    None => {
                        format!("`{}` is not of the form `{}`", shown(text), self.form(route, leaf, segment, pattern))
                    }
                };
                (Verdict::Refused, reason)
            }
            Obstacle::LeftOver { segments: count } => {
                let first = end_of_segments(target.sent.path, target.len() - count);
                let rest = shown(&target.sent.path[first..]);
                let reason = match count {
                    1 => format!("one segment left over: `{}`", rest.trim_start_matches('/')),
                    _ => format!("{} segments left over: `{rest}`", in_words(count)),
                };
                (Verdict::LeftOver, reason)
            }
            Obstacle::Missing { expected } => {
                let what = match expected {
                    Some(literal) => format!("/{literal}"),
                    None => {
                        let at = target.len();
                        let names =
                            frozen.tree.captures(leaf).iter().filter(|capture| usize::from(capture.segment) == at);
                        let tail = leaf.tail.as_ref().map(|tail| tail.param);
                        let params: Vec<u16> = names.map(|capture| capture.param).chain(tail).collect();
                        params
                            .iter()
                            .map(|param| format!("`{}`", route.params[usize::from(*param)].name))
                            .collect::<Vec<_>>()
                            .join(" and ")
                    }
                };
                let what = if what.starts_with('/') { format!("`{what}`") } else { format!("a value for {what}") };
                (Verdict::Missing, format!("needs {what}, but the URL ends here"))
            }
            Obstacle::Tail => (Verdict::Refused, self.tail(route, leaf)),
        }
    }

    /// A pattern as it is written.
    fn form(&self, route: &Route, leaf: &Leaf, segment: usize, pattern: PatternId) -> String {
        let tree = &self.table.frozen().tree;
        let captures = tree.captures(leaf);
        let pieces = tree.pattern(pattern).pieces.iter().enumerate();
        let written = pieces.map(|(index, piece)| match piece {
            Piece::Text(text) => text.to_string(),
            Piece::Value(_) => format!("{{{}}}", param_at(route, captures, leaf, segment, index)),
        });
        written.collect()
    }

    fn tail(&self, route: &Route, leaf: &Leaf) -> String {
        let Some(tail) = &leaf.tail else { return "the tail is refused".to_owned() };
        let param = &route.params[usize::from(tail.param)];
        let segments: Vec<&str> = self.ask.target.texts().skip(leaf.steps.count as usize - 1).collect();
        let value = segments.join("/");
        let check = &param.check;
        let reason = match param.kind {
            ParamKind::Items => {
                let of_number = check.refusal_of_number(segments.len(), segments.iter().copied());
                of_number.unwrap_or_else(|| "not in its list".to_owned())
            }
            _ if !is_writable_tail(&value) => {
                "no link can write it, as it holds a `?`, a `#`, an escape, or a segment that is empty or dots"
                    .to_owned()
            }
            _ => param.texts.refusal(&value).unwrap_or_else(|| "not in its list".to_owned()),
        };
        format!("`{}` refused `{}`: {reason}", param.name, shown(&value))
    }

    /// The path fits: what do the rest of the request and the other routes say?
    fn beyond_the_path(&self, id: LeafId, leaf: &Leaf) -> (Verdict, String) {
        let frozen = self.table.frozen();
        let route = frozen.route(leaf.route);
        if let Some(host) = &route.extras.host
            && !host.accepts(self.ask.target.sent.host, self.ask.answers)
        {
            let template = &host.template;
            let asked = self
                .ask
                .target
                .sent
                .host
                .map_or_else(|| "no host was asked".to_owned(), |host| format!("`{}` was asked", shown(host)));
            return (Verdict::Elsewhere, format!("is reached under the host `{template}`; {asked}"));
        }
        if let Some(refusal) = route.extras.query.refusal(self.ask.query(), self.ask.answers) {
            return match refusal {
                QueryRefusal::Literal { name, value } => {
                    (Verdict::Elsewhere, format!("wants the query `{name}={value}`"))
                }
                QueryRefusal::Missing { name } => (Verdict::Elsewhere, format!("wants `{name}` in the query")),
                QueryRefusal::Value { name, value, reason } => {
                    (Verdict::Refused, format!("`{name}` refused `{}`: {reason}", shown(&value)))
                }
            };
        }
        if self.winner == Some(id) {
            let reason = match route.extras.onward.as_ref().map(|onward| &onward.aim) {
                None => "answers".to_owned(),
                Some(Destination::Route { to, .. }) => format!("redirects to `{}`", frozen.route(*to).name),
                Some(Destination::Url(_)) => "redirects to another site".to_owned(),
            };
            return (Verdict::Answers, reason);
        }
        if !route.methods.allows(self.method) {
            let methods = route.methods.0.join(", ");
            return (Verdict::Elsewhere, format!("answers {methods}, not {}", shown(self.method)));
        }
        let Some(winner) = self.winner else {
            return (Verdict::Beaten, "a narrower route takes the URL, but not the method".to_owned());
        };
        let by = frozen.route(frozen.tree.leaf(winner).route);
        let reason = match frozen.tree.order.compare(&frozen.tree, winner, id, self.ask.target.len()) {
            Narrower::Left => format!("fits, but `{}` is narrower", by.name),
            Narrower::LeftAsked => format!("fits, but `{}` is asked first", by.name),
            _ if by.extras.priority > route.extras.priority => {
                format!("fits, but `{}` has the higher priority", by.name)
            }
            _ => format!("fits, but `{}` is declared first", by.name),
        };
        (Verdict::Beaten, reason)
    }
}

/// The name of the parameter whose value is that piece of that segment.
fn param_at<'t>(route: &'t Route, captures: &[Capture], leaf: &Leaf, segment: usize, piece: usize) -> &'t str {
    let is_there = |capture: &&Capture| usize::from(capture.segment) == segment && usize::from(capture.piece) == piece;
    let param = captures.iter().find(is_there).map(|capture| capture.param);
    let param = param.or(leaf.tail.as_ref().map(|tail| tail.param));
    param.map_or("value", |param| &*route.params[usize::from(param)].name)
}

fn in_words(count: usize) -> String {
    match count {
        2 => "two".to_owned(),
        3 => "three".to_owned(),
        4 => "four".to_owned(),
        _ => count.to_string(),
    }
}
