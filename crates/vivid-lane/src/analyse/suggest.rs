//! Addresses near one that nothing has.

use std::fmt;

use super::near::{Obstacle, nearest_literal, refusal, ways};
use crate::decide::{Decision, NotFound};
use crate::declare::nearest;
use crate::lookup::{Edge, Param, PatternId, Piece, QueryRefusal, RouteId, SegmentStep, Target, Unanswered};
use crate::template::percent::{decode_form, encode_unreserved};

/// How many suggestions are made.
const MOST: usize = 3;
/// How many nodes and ways are looked at, and how many addresses are tried: who asks for gibberish must not cost more than the answer is
/// worth. All of it together is less than two hundred decisions.
const MOST_LOOKS: usize = 400;
const MOST_TRIED: usize = 50;
/// The values of a rule that names so many at most are compared with one that it refused.
const MOST_VALUES: usize = 64;

/// An address that the visitor may have meant.
///
/// # Example
/// ```
/// use vivid_lane::{Decision, Request, Table};
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
/// let suggestions = |url: &str| {
///     let Decision::NotFound(missing) = table.decide(&Request::get(url)) else { panic!() };
///     missing.suggestions().iter().map(|one| one.to_string()).collect::<Vec<_>>()
/// };
/// assert_eq!(suggestions("/nihgts/2031-04-02"), ["/nights/2031-04-02: `nights` for `nihgts`"]);
/// assert_eq!(suggestions("/nights/2031-02-30"), ["/nights: `date` refused `2031-02-30`: no such day"]);
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Suggestion<'t> {
    url: String,
    route: &'t str,
    reason: String,
}

impl<'t> Suggestion<'t> {
    /// The address; it leads to a page.
    #[must_use]
    pub fn url(&self) -> &str {
        &self.url
    }

    /// The name of its route.
    #[must_use]
    pub fn route(&self) -> &'t str {
        self.route
    }

    /// How it differs from the address that was asked for, in a few words.
    #[must_use]
    pub fn reason(&self) -> &str {
        &self.reason
    }
}

impl fmt::Display for Suggestion<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.url, self.reason)
    }
}

impl<'t, P> NotFound<'t, '_, P> {
    /// Up to three addresses that the visitor may have meant, the likeliest first. They repair a misspelt literal, a
    /// value that does not fit its rule, or a segment that is missing or too much. Each leads to a page for this
    /// visitor.
    ///
    /// They are worked out when they are asked for, in a time that is bounded whatever was asked.
    #[must_use]
    pub fn suggestions(&self) -> Vec<Suggestion<'t>> {
        let request = self.request();
        let frozen = self.table().frozen();
        let Ok(url) = std::str::from_utf8(request.url()) else { return Vec::new() };
        let mut target = Target::default();
        match frozen.parse(url, request.asked_host(), &mut target) {
            Ok(()) => self.near(&target),
            Err(Unanswered::NonCanonical(address)) => {
                let mut canonical = Target::default();
                match frozen.parse(&address, target.sent.host, &mut canonical) {
                    Ok(()) => self.near(&canonical),
                    _ => Vec::new(),
                }
            }
            _ => Vec::new(),
        }
    }

    fn near(&self, target: &Target<'_>) -> Vec<Suggestion<'t>> {
        let segments: Vec<&str> = target.raws().collect();
        let mut tries = self.one_step_away(target, &segments);
        tries.extend(one_segment_less(&segments));
        tries.extend(self.one_literal_more(target, &segments));
        tries.extend(self.misspelt_and_cut(target, &segments));
        // Where the path is right, nothing is missing at its end.
        if tries.iter().any(|one| one.rank == Rank::Query) {
            tries.retain(|one| one.rank != Rank::Missing);
        }
        // Of equally likely ones, the first found stays first.
        tries.sort_by_key(|one| one.rank);
        let found = self.pages_of(tries, target);
        if found.is_empty() { self.pages_of(self.beside(target, &segments), target) } else { found }
    }

    /// The addresses of these that show a page.
    fn pages_of(&self, tries: Vec<Try>, target: &Target<'_>) -> Vec<Suggestion<'t>> {
        let mut found: Vec<Suggestion<'t>> = Vec::new();
        let (mut has_page_above, mut is_set_right) = (false, false);
        for one in tries.into_iter().take(MOST_TRIED) {
            if found.len() == MOST {
                break;
            }
            // One page above is enough: from there the visitor sees the others.
            let is_above = matches!(one.rank, Rank::Cut | Rank::Refused(_) | Rank::LeftOver(_));
            // Nor is anything cut off where setting a segment right is enough.
            if is_above && has_page_above || one.rank == Rank::Cut && is_set_right {
                continue;
            }
            // What was asked beside a page says nothing of the page above it.
            let query = match &one.query {
                Some(query) => Some(query.as_str()).filter(|query| !query.is_empty()),
                None => target.sent.query.filter(|_| !is_above),
            };
            let url = self.url(query, &one.segments);
            if one.rank == Rank::Between && !self.tells(&url, one.segments.len() - one.kept) {
                continue;
            }
            // Where a segment is set right, the query may be wrong besides.
            let bare = query.filter(|_| one.query.is_none()).map(|_| self.url(None, &one.segments));
            let shows = |url: String| Some((self.page_at(&url, target)?, url));
            let Some((route, url)) = shows(url).or_else(|| shows(bare?)) else { continue };
            if !found.iter().any(|known| known.url == url) {
                has_page_above |= is_above;
                is_set_right |= one.rank == Rank::Misspelt;
                found.push(Suggestion { url, route, reason: one.reason });
            }
        }
        found
    }

    /// The address with these segments, and the query that was asked.
    fn url(&self, query: Option<&str>, segments: &[String]) -> String {
        let query = query.map_or_else(String::new, |query| format!("?{query}"));
        self.table().frozen().site.address(format!("/{}{query}", segments.join("/")))
    }

    /// Whether one of the last segments speaks for the route. A literal does, and a rule that not just any word meets.
    fn tells(&self, url: &str, last: usize) -> bool {
        let (frozen, answers) = (self.table().frozen(), self.request().answers());
        let mut target = Target::default();
        if frozen.parse(url, self.request().asked_host(), &mut target).is_err() {
            return false;
        }
        let accepted = frozen.tree.find(&target.ask(&answers), &frozen.routes);
        let Some(leaf) = frozen.choose(&accepted, "GET").map(|leaf| frozen.tree.leaf(leaf)) else {
            return false;
        };
        let steps = frozen.tree.steps(leaf);
        let first = target.len().saturating_sub(last);
        (first..target.len()).filter_map(|at| steps.get(at)).any(|step| match step {
            SegmentStep::Literal => true,
            SegmentStep::Pattern(pattern) => frozen.tree.pattern(*pattern).pieces.iter().any(|piece| match piece {
                Piece::Text(_) => true,
                Piece::Value(check) => check.list.is_some() || !check.accepts("x"),
            }),
        })
    }

    /// The route whose page an address shows to this visitor.
    fn page_at(&self, url: &str, target: &Target<'_>) -> Option<&'t str> {
        let asked = self.request();
        let mut request = asked.at(url);
        if let Some(host) = target.sent.host {
            request = request.host(host);
        }
        match self.table().decide(&request) {
            Decision::Page(found) => Some(found.route().name()),
            _ => None,
        }
    }

    /// Routes that accept the path but for one thing.
    fn one_step_away(&self, target: &Target<'_>, segments: &[&str]) -> Vec<Try> {
        let frozen = self.table().frozen();
        let answers = self.request().answers();
        let ask = target.ask(&answers);
        let mut tries = Vec::new();
        for (leaf, obstacle) in ways(&frozen.tree, &frozen.routes, &ask, MOST_LOOKS) {
            let spelt = |segment, folded| frozen.tree.spelling(leaf, segment).unwrap_or(folded).to_owned();
            let leaf = frozen.tree.leaf(leaf);
            match obstacle {
                None => {
                    let refusal = frozen.route(leaf.route).extras.query.refusal(ask.query(), ask.answers);
                    if let Some(QueryRefusal::Value { name, value, reason }) = refusal {
                        let reason = format!("`{name}` refused `{}`: {reason}", shown(&value));
                        tries.push(Try {
                            query: Some(without(target.sent.query, &name)),
                            ..Try::new(Rank::Query, segments, reason)
                        });
                    }
                }
                Some(Obstacle::Literal { segment, expected }) => {
                    let expected = spelt(segment, &expected);
                    let reason = format!("`{expected}` for `{}`", shown(target.text(segment)));
                    tries.push(Try::replacing(Rank::Misspelt, segments, segment, &expected, reason));
                }
                Some(Obstacle::Pattern { segment, pattern }) => {
                    tries.extend(self.refused(target, segments, leaf.route, segment, pattern));
                }
                Some(Obstacle::LeftOver { segments: count }) => {
                    let kept = segments.len() - count;
                    let reason = format!("without `{}`", shown(&segments[kept..].join("/")));
                    tries.push(Try::new(Rank::LeftOver(count), &segments[..kept], reason));
                }
                Some(Obstacle::Missing { expected: Some(expected) }) => {
                    let expected = spelt(segments.len(), &expected);
                    let reason = format!("goes on with `{expected}`");
                    let mut longer = Try::new(Rank::Missing, segments, reason);
                    longer.push(&expected);
                    tries.push(longer);
                }
                _ => {}
            }
        }
        tries
    }

    /// A value was refused: the nearest one that the rule names, and the page above.
    fn refused(
        &self,
        target: &Target<'_>,
        segments: &[&str],
        route: RouteId,
        segment: usize,
        pattern: PatternId,
    ) -> Vec<Try> {
        let frozen = self.table().frozen();
        let text = target.text(segment);
        let Some((piece, value, why)) = refusal(&frozen.tree, pattern, text, target.raw(segment)) else {
            return Vec::new();
        };
        let pieces = &frozen.tree.pattern(pattern).pieces;
        let mut tries = Vec::new();
        let Piece::Value(check) = &pieces[piece] else { return tries };
        if let Some(words) = check.set().few_words(MOST_VALUES)
            && let Some(near) = nearest(&value, words.iter().map(String::as_str))
        {
            let reason = format!("`{near}` for `{}`", shown(&value));
            let corrected = text.replacen(&value, near, 1);
            tries.push(Try::replacing(Rank::Misspelt, segments, segment, &corrected, reason));
        }
        if segment == 0 {
            // Every visitor knows the way to the root.
            return tries;
        }
        let is_it = |param: &&Param| std::sync::Arc::ptr_eq(&param.texts, check);
        let name = frozen.route(route).params.iter().find(is_it).map_or("it", |param| &*param.name);
        let reason = format!("`{name}` refused `{}`: {why}", shown(&value));
        tries.push(Try::new(Rank::Refused(segments.len() - segment), &segments[..segment], reason));
        tries
    }

    /// A segment is misspelt, and what follows it leads nowhere either: the page that stands at the segment.
    fn misspelt_and_cut(&self, target: &Target<'_>, segments: &[&str]) -> Option<Try> {
        let tree = &self.table().frozen().tree;
        let answers = self.request().answers();
        let mut id = tree.root();
        for (at, text) in target.texts().enumerate() {
            let node = tree.node(id);
            let accepts = |edge: &&Edge| tree.pattern(edge.pattern).accepts_segment(text, || target.raw(at), &answers);
            if let Some(next) = tree.literal(id, text).or(tree.edges(node).iter().find(accepts).map(|edge| edge.target))
            {
                id = next;
                continue;
            }
            let (near, _) = nearest_literal(tree, id, text).filter(|_| at + 1 < segments.len())?;
            let rest = segments[at + 1..].join("/");
            let reason = format!("`{near}` for `{}`, without `{}`", shown(text), shown(&rest));
            let mut one = Try::new(Rank::Cut, &segments[..at], reason);
            one.push(near);
            return Some(one);
        }
        None
    }

    /// What the path could go on with where it leads nowhere, in a group that has no page of its own.
    fn beside(&self, target: &Target<'_>, segments: &[&str]) -> Vec<Try> {
        let tree = &self.table().frozen().tree;
        let mut id = tree.root();
        for (at, text) in target.texts().enumerate() {
            let node = tree.node(id);
            if let Some(next) = tree.literal(id, text) {
                id = next;
                continue;
            }
            // The whole site is no group.
            if at == 0 || tree.literals(node).len() > MOST_VALUES {
                break;
            }
            let reason = format!("instead of `{}`", shown(&segments[at..].join("/")));
            let tries = tree.literals(node).map(|(literal, _)| {
                let mut one = Try::new(Rank::Missing, &segments[..at], reason.clone());
                one.push(literal);
                one
            });
            return tries.collect();
        }
        Vec::new()
    }

    /// A literal is missing somewhere before the end.
    fn one_literal_more(&self, target: &Target<'_>, segments: &[&str]) -> Vec<Try> {
        let tree = &self.table().frozen().tree;
        let mut tries = Vec::new();
        let mut id = tree.root();
        for (at, text) in target.texts().enumerate() {
            let node = tree.node(id);
            if tree.literals(node).len() <= MOST_VALUES {
                for (literal, _) in tree.literals(node) {
                    let mut longer =
                        Try::new(Rank::Between, &segments[..at], format!("with `{literal}` before `{}`", shown(text)));
                    longer.push(literal);
                    longer.kept = longer.segments.len();
                    longer.segments.extend(segments[at..].iter().map(|raw| (*raw).to_owned()));
                    tries.push(longer);
                }
            }
            let answers = self.request().answers();
            let raw = || target.raw(at);
            let edge =
                tree.edges(node).iter().find(|edge| tree.pattern(edge.pattern).accepts_segment(text, raw, &answers));
            match tree.literal(id, text).or(edge.map(|edge| edge.target)) {
                Some(next) => id = next,
                None => break,
            }
        }
        tries
    }
}

/// How likely an address was meant, the likeliest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Rank {
    /// The path fits, and a value of the query was refused.
    Query,
    Misspelt,
    /// One segment is too much, before the end.
    TooMuch,
    /// One is missing, before the end.
    Between,
    /// One is misspelt, and what follows it is cut off.
    Cut,
    /// So many segments are cut off, the first of which was refused.
    Refused(usize),
    /// So many are cut off.
    LeftOver(usize),
    /// One is missing at the end.
    Missing,
}

/// An address that may be that of a page.
struct Try {
    rank: Rank,
    segments: Vec<String>,
    /// The query, where it is another than the one that was asked.
    query: Option<String>,
    /// How many of them stand before those that were asked: a segment that is put in is the last of these.
    kept: usize,
    reason: String,
}

impl Try {
    fn new(rank: Rank, segments: &[&str], reason: String) -> Self {
        let segments: Vec<String> = segments.iter().map(|raw| (*raw).to_owned()).collect();
        Self { rank, kept: segments.len(), segments, query: None, reason }
    }

    fn replacing(rank: Rank, segments: &[&str], at: usize, text: &str, reason: String) -> Self {
        let mut one = Self::new(rank, segments, reason);
        one.segments[at].clear();
        encode_unreserved(&mut one.segments[at], text);
        one
    }

    fn push(&mut self, text: &str) {
        let mut raw = String::new();
        encode_unreserved(&mut raw, text);
        self.segments.push(raw);
    }
}

/// A query without the pairs of a name.
fn without(query: Option<&str>, name: &str) -> String {
    let is_other = |pair: &&str| decode_form(pair.split('=').next().unwrap_or_default()) != name;
    query.unwrap_or_default().split('&').filter(is_other).collect::<Vec<_>>().join("&")
}

/// The path without one of its segments, but for the last.
fn one_segment_less(segments: &[&str]) -> impl Iterator<Item = Try> {
    (0..segments.len().saturating_sub(1)).map(move |at| {
        let mut one = Try::new(Rank::TooMuch, segments, format!("without `{}`", shown(segments[at])));
        one.segments.remove(at);
        one
    })
}

/// A piece of a URL as it may be shown: escaped, and not endless.
pub(super) fn shown(text: &str) -> String {
    const LONGEST: usize = 60;
    let mut shown: String = text.chars().take(LONGEST).flat_map(char::escape_debug).collect();
    if text.chars().nth(LONGEST).is_some() {
        shown.push('…');
    }
    shown
}
