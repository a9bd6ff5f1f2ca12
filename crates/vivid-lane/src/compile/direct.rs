//! Which links need no look back.
//!
//! A link is read back before it is handed out: another, narrower route could answer it, or its values could be read in
//! another way. Most routes have neither to fear, which is known once their tree stands.

use smallvec::SmallVec;

use super::draft::{DraftEdge, Word};
use super::tree_builder::TreeBuilder;
use crate::lookup::{LeafId, NodeId, ParamKind, PatternId, Route, RouteId};
use crate::rule::{Narrower, TooLarge};
use crate::template::percent::kinds;

/// The most nodes and literals that are looked at for one route. A route that would need more is read back.
const MOST_STEPS: usize = 256;

impl TreeBuilder {
    /// The routes of which every link with values that their rules accept is read as that route with those values.
    pub(super) fn direct_routes(&mut self, routes: &[Route]) -> Result<Vec<RouteId>, TooLarge> {
        let mut direct = Vec::new();
        let all_words = std::mem::take(&mut self.draft.words);
        for id in (0..).map(LeafId).take(self.draft.answering) {
            let route = self.leaf(id).route;
            let words = self.leaf(id).words.of(&all_words);
            if self.reads_in_one_way(id, words, &routes[route.index()]) && !self.may_be_captured(words)? {
                direct.push(route);
            }
        }
        self.draft.words = all_words;
        Ok(direct)
    }

    /// Whether every parameter is a whole segment of the only way through the path, and nothing else affects what is read.
    fn reads_in_one_way(&self, id: LeafId, words: &[Word], route: &Route) -> bool {
        let leaf = self.leaf(id);
        let is_plain = |word: &Word| match word {
            Word::Literal(node) => kinds(self.draft.text_of(*node).as_bytes()).is_plain(),
            Word::Pattern(_) => true,
        };
        let captures = self.captures(id);
        !self.draft.folds
            && !words.is_empty()
            && words.iter().all(is_plain)
            && leaf.tail.is_none()
            && route.extras.host.is_none()
            && route.extras.query.is_empty()
            && route.takes_values_as_they_are
            && route.params.iter().all(|param| param.kind == ParamKind::Segment && !param.is_optional)
            && captures.len() == route.params.len()
            && captures.iter().enumerate().all(|(at, one)| one.is_whole && usize::from(one.param) == at)
    }

    /// Could a URL of this way be answered by another that is not the wider?
    fn may_be_captured(&mut self, words: &[Word]) -> Result<bool, TooLarge> {
        let mut left = MOST_STEPS;
        let mut at = NodeId(0);
        for (index, word) in words.iter().enumerate() {
            let rest = &words[index + 1..];
            let node = self.node(at);
            let mut rivals: SmallVec<[NodeId; 8]> = SmallVec::new();
            let mut next = None;
            match word {
                Word::Literal(literal) => {
                    let text = self.draft.text_of(*literal);
                    next = Some(*literal);
                    // A pattern that accepts this text only is no wider.
                    let is_sole = |edge: &&_| self.sole_is(edge, text);
                    rivals.extend(node.edges.iter().filter(is_sole).map(|edge| edge.target));
                }
                Word::Pattern(pattern) => {
                    let looked_at = node.literals() + node.edges.len();
                    if looked_at > left {
                        return Ok(true);
                    }
                    left -= looked_at;
                    let accepted = self.draft.literals(at).filter(|(text, _)| self.may_accept(*pattern, text));
                    rivals.extend(accepted.map(|(_, target)| target));
                    for index in 0..node.edges.len() {
                        let edge = self.node(at).edges[index];
                        if edge.pattern == *pattern && !edge.is_tail {
                            next = Some(edge.target);
                        } else if edge.pattern == *pattern {
                            rivals.push(edge.target);
                        } else if let Some(narrower) = self.patterns.narrower(*pattern, edge.pattern)?
                            && narrower != Narrower::Left
                        {
                            rivals.push(edge.target);
                        }
                    }
                }
            }
            if rivals.into_iter().any(|rival| self.may_lead_on(rival, rest, &mut left)) {
                return Ok(true);
            }
            let Some(next) = next else { return Ok(true) };
            at = next;
        }
        Ok(!self.node(at).is_end() || self.draft.has_several_leaves(at))
    }

    fn sole_is(&self, edge: &DraftEdge, text: &str) -> bool {
        self.patterns.is_sole(edge.pattern) && self.may_accept(edge.pattern, text)
    }

    fn may_accept(&self, pattern: PatternId, text: &str) -> bool {
        self.patterns.accepts(pattern, text).unwrap_or(true)
    }

    /// Could something end below a node whose segments are these? Two patterns are taken to share a value.
    fn may_lead_on(&self, at: NodeId, rest: &[Word], left: &mut usize) -> bool {
        let node = self.node(at);
        let Some((word, rest)) = rest.split_first() else { return node.is_end() };
        if *left <= node.literals() + node.edges.len() {
            return true;
        }
        *left -= 1 + node.edges.len();
        let by_edges = node.edges.iter().any(|edge| match word {
            Word::Literal(node) if !self.may_accept(edge.pattern, self.draft.text_of(*node)) => false,
            _ => edge.is_tail || self.may_lead_on(edge.target, rest, left),
        });
        by_edges
            || match word {
                Word::Literal(node) => {
                    let text = self.draft.text_of(*node);
                    self.draft.literal(at, text).is_some_and(|target| self.may_lead_on(target, rest, left))
                }
                Word::Pattern(pattern) => {
                    *left = left.saturating_sub(node.literals());
                    self.draft
                        .literals(at)
                        .any(|(text, target)| self.may_accept(*pattern, text) && self.may_lead_on(target, rest, left))
                }
            }
    }
}
