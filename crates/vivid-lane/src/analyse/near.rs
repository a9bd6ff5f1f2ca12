//! Routes that accept a path but for one thing.

use crate::declare::nearest;
use crate::lookup::{Ask, LeafId, Node, NodeId, PatternId, Piece, Route, Tree};
use crate::rule::plain;

/// What keeps a way from accepting a path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Obstacle {
    /// This segment is nearly, but not quite, the literal.
    Literal { segment: usize, expected: String },
    /// The pattern refused this segment.
    Pattern { segment: usize, pattern: PatternId },
    /// So many segments are left over.
    LeftOver { segments: usize },
    /// A segment is missing: that literal, or a value.
    Missing { expected: Option<String> },
    /// The tail refused what it should take.
    Tail,
}

/// All ways that accept a path, or would but for one obstacle, in the order in which they are tried. Where a
/// node has more literals than `most`, none of them is compared with a word that is not among them.
pub(super) fn ways(tree: &Tree, routes: &[Route], ask: &Ask<'_, '_>, most: usize) -> Vec<(LeafId, Option<Obstacle>)> {
    let mut walk = Walk { tree, routes, ask, most, found: Vec::new() };
    walk.node(tree.root(), 0, None);
    walk.found
}

struct Walk<'a, 'u> {
    tree: &'a Tree,
    routes: &'a [Route],
    ask: &'a Ask<'a, 'u>,
    most: usize,
    found: Vec<(LeafId, Option<Obstacle>)>,
}

impl Walk<'_, '_> {
    fn node(&mut self, id: NodeId, at: usize, obstacle: Option<Obstacle>) {
        let tree = self.tree;
        let node = tree.node(id);
        let segments = self.ask.segments;
        if at == segments.len() {
            for &leaf in tree.leaves(node) {
                let fits = tree.tail_fits(tree.leaf(leaf), self.ask, self.routes);
                match &obstacle {
                    Some(obstacle) if fits => self.found.push((leaf, Some(obstacle.clone()))),
                    Some(_) => {}
                    None => self.found.push((leaf, (!fits).then_some(Obstacle::Tail))),
                }
            }
            if obstacle.is_none() {
                self.one_more(id);
            }
            return;
        }
        let text = segments.text(at);
        // Where nothing of the path but a stray beginning fits, a route is no candidate.
        if obstacle.is_none() && at > 0 {
            let left_over = Obstacle::LeftOver { segments: segments.len() - at };
            self.found.extend(tree.leaves(node).iter().map(|&leaf| (leaf, Some(left_over.clone()))));
        }
        if let Some(target) = tree.literal(node, text) {
            self.node(target, at + 1, obstacle.clone());
        } else if obstacle.is_none()
            && tree.literals(node).len() <= self.most
            && let Some((near, target)) = nearest_literal(tree, node, text)
        {
            let expected = near.to_owned();
            self.node(target, at + 1, Some(Obstacle::Literal { segment: at, expected }));
        }
        for edge in tree.edges(node) {
            if tree.pattern(edge.pattern).accepts_segment(text, || segments.raw(at), self.ask.answers) {
                self.node(edge.target, at + 1, obstacle.clone());
            } else if obstacle.is_none() {
                let refused = Obstacle::Pattern { segment: at, pattern: edge.pattern };
                self.node(edge.target, at + 1, Some(refused));
            }
        }
    }

    /// What ends one segment further on.
    fn one_more(&mut self, id: NodeId) {
        let node = self.tree.node(id);
        if self.tree.literals(node).len() > self.most {
            return;
        }
        let literals = self.tree.literals(node).map(|(text, target)| (Some(text.to_owned()), target));
        let edges = self.tree.edges(node).iter().filter(|edge| edge.target != id).map(|edge| (None, edge.target));
        for (expected, target) in literals.chain(edges) {
            let leaves = self.tree.leaves(self.tree.node(target));
            let missing = Obstacle::Missing { expected };
            self.found.extend(leaves.iter().map(|&leaf| (leaf, Some(missing.clone()))));
        }
    }
}

/// The literal after a node that is nearest to a word.
fn nearest_literal<'t>(tree: &'t Tree, node: &Node, word: &str) -> Option<(&'t str, NodeId)> {
    let near = nearest(word, tree.literals(node).map(|(text, _)| text))?;
    tree.literals(node).find(|(text, _)| *text == near)
}

/// Which value of a pattern refused a segment, and why.
pub(super) fn refusal(tree: &Tree, pattern: PatternId, text: &str, raw: &str) -> Option<(usize, String, String)> {
    let pattern = tree.pattern(pattern);
    let text = &*pattern.readable(text, raw);
    let split = pattern.split(text).or_else(|| pattern.without_rules().split(text))?;
    for (index, (piece, (start, end))) in pattern.pieces.iter().zip(split).enumerate() {
        let value = &text[start..end];
        let Piece::Value(check) = piece else { continue };
        if let Some(reason) = check.refusal(value) {
            return Some((index, plain(value), reason));
        }
        if let Some(list) = &check.list {
            return Some((index, plain(value), format!("not in the list `{list}`")));
        }
    }
    None
}
