//! Routes that accept a path but for one thing.

use std::ops::Range;

use crate::declare::nearest;
use crate::lookup::{Ask, LeafId, NodeId, PatternId, Piece, Route, Tree};
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

/// All ways that accept a path, or would but for one obstacle, in the order in which they are tried: as many as so many looks at nodes,
/// and ways, find.
pub(super) fn ways(tree: &Tree, routes: &[Route], ask: &Ask<'_, '_>, most: usize) -> Vec<(LeafId, Option<Obstacle>)> {
    let mut walk = Walk { tree, routes, ask, left: most, found: Vec::new() };
    walk.node(tree.root(), 0, None);
    walk.found.truncate(most);
    walk.found
}

struct Walk<'a, 'u> {
    tree: &'a Tree,
    routes: &'a [Route],
    ask: &'a Ask<'a, 'u>,
    /// How many more nodes are looked at.
    left: usize,
    found: Vec<(LeafId, Option<Obstacle>)>,
}

impl Walk<'_, '_> {
    fn node(&mut self, id: NodeId, at: usize, obstacle: Option<Obstacle>) {
        let tree = self.tree;
        let node = tree.node(id);
        let target = self.ask.target;
        let Some(left) = self.left.checked_sub(1 + tree.leaves(node).count()) else { return };
        self.left = left;
        if at == target.len() {
            for leaf in tree.leaves(node) {
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
        let text = target.text(at);
        // Where nothing of the path but a stray beginning fits, a route is no candidate.
        if obstacle.is_none() && at > 0 {
            let left_over = Obstacle::LeftOver { segments: target.len() - at };
            self.found.extend(tree.leaves(node).map(|leaf| (leaf, Some(left_over.clone()))));
        }
        if let Some(next) = tree.literal(id, text) {
            self.node(next, at + 1, obstacle.clone());
        } else if obstacle.is_none()
            && let Some((near, target)) = nearest_literal(tree, id, text)
        {
            let expected = near.to_owned();
            self.node(target, at + 1, Some(Obstacle::Literal { segment: at, expected }));
        }
        for edge in tree.edges(node) {
            if tree.pattern(edge.pattern).accepts_segment(text, || target.raw(at), self.ask.answers) {
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
        let Some(left) = self.left.checked_sub(self.tree.literals(node).len() + self.tree.edges(node).len()) else {
            return;
        };
        self.left = left;
        let literals = self.tree.literals(node).map(|(text, target)| (Some(text.to_owned()), target));
        let edges = self.tree.edges(node).iter().filter(|edge| edge.target != id).map(|edge| (None, edge.target));
        for (expected, target) in literals.chain(edges) {
            let leaves = self.tree.leaves(self.tree.node(target));
            let missing = Obstacle::Missing { expected };
            self.found.extend(leaves.map(|leaf| (leaf, Some(missing.clone()))));
        }
    }
}

/// So many literals are compared with a word one by one.
const MOST_COMPARED: usize = 64;

/// The literal after a node that is nearest to a word. Where they are many, they are searched as they stand, in order: then one slip is
/// forgiven, or more where what stands before them leaves few literals.
pub(super) fn nearest_literal<'t>(tree: &'t Tree, id: NodeId, word: &str) -> Option<(&'t str, NodeId)> {
    let sorted = Sorted { tree, children: tree.children(tree.node(id)) };
    let near = match sorted.children.len() {
        few if few <= MOST_COMPARED => sorted.nearest(word, 0..few),
        _ => sorted.search(&tree.as_stored(word)),
    }?;
    Some((near, tree.literal(id, near)?))
}

/// The literals after a node, in the order of their bytes.
struct Sorted<'t> {
    tree: &'t Tree,
    children: &'t [NodeId],
}

impl<'t> Sorted<'t> {
    fn text(&self, at: usize) -> &'t str {
        self.tree.text_of(self.children[at])
    }

    fn nearest(&self, word: &str, within: Range<usize>) -> Option<&'t str> {
        nearest(word, within.map(|at| self.text(at)))
    }

    /// Where those begin, of some that share so many bytes, whose next byte is not less.
    fn begin(&self, within: &Range<usize>, depth: usize, byte: u8) -> usize {
        let children = &self.children[within.clone()];
        let is_before = |child: &NodeId| self.tree.text_of(*child).as_bytes().get(depth) < Some(&byte);
        within.start + children.partition_point(is_before)
    }

    /// Those whose next byte is this one.
    fn with(&self, within: &Range<usize>, depth: usize, byte: u8) -> Range<usize> {
        let start = self.begin(within, depth, byte);
        let end = byte.checked_add(1).map_or(within.end, |next| self.begin(within, depth, next));
        start..end
    }

    /// The one that goes on with these bytes, of some that share so many.
    fn exact(&self, within: &Range<usize>, depth: usize, rest: &[&[u8]]) -> Option<&'t str> {
        let wanted = || rest.iter().copied().flatten();
        let compare = |child: &NodeId| self.tree.text_of(*child).as_bytes()[depth..].iter().cmp(wanted());
        let at = self.children[within.clone()].binary_search_by(compare).ok()?;
        Some(self.text(within.start + at))
    }

    /// The first literal that one slip turns into the word: where the word leaves the literals, step by step.
    fn search(&self, word: &str) -> Option<&'t str> {
        /// In longer words a slip cannot be distinguished from a guess.
        const LONGEST: usize = 64;
        let bytes = word.as_bytes();
        if bytes.len() > LONGEST || bytes.len() < 2 {
            return None;
        }
        let mut within = 0..self.children.len();
        for depth in 0..=bytes.len() {
            if within.len() <= MOST_COMPARED {
                return self.nearest(word, within);
            }
            let from = &bytes[depth..];
            let after = from.get(1..).unwrap_or_default();
            if let [byte, next, rest @ ..] = from
                && let Some(swapped) = self.exact(&within, depth, &[&[*next, *byte], rest])
            {
                return Some(swapped);
            }
            let too_many = from.first().and_then(|_| self.exact(&within, depth, &[after]));
            if too_many.is_some() {
                return too_many;
            }
            // A wrong letter, or one too few: whatever the literals go on with here.
            let mut left = self.begin(&within, depth, 0)..within.end;
            while let Some(&next) = (!left.is_empty()).then(|| self.text(left.start).as_bytes().get(depth)).flatten() {
                let part = self.with(&left, depth, next);
                let wrong = from.first().and_then(|_| self.exact(&part, depth + 1, &[after]));
                if let Some(found) = wrong.or_else(|| self.exact(&part, depth + 1, &[from])) {
                    return Some(found);
                }
                left.start = part.end;
            }
            within = self.with(&within, depth, *from.first()?);
        }
        None
    }
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
