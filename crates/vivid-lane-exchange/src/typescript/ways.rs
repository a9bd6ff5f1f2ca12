//! The ways through the tree, by route: the pieces of each segment, from the root on.

use std::collections::HashMap;

use vivid_lane::lookup::{Export, ExportedLeaf};

/// A part of a segment: a text, or the value of the parameter of that index.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Piece {
    Text(String),
    Value(usize),
}

/// One way of a route.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Way {
    pub(super) segments: Vec<Vec<Piece>>,
    /// For each level of the chain, how many segments it covers, and how many pieces of the last; `None` for all of the path.
    pub(super) covers: Vec<Option<(usize, Option<usize>)>>,
    /// Whether it only covers URLs, and answers none.
    pub(super) is_area: bool,
}

/// What leads to a node.
enum Step<'e> {
    Literal(&'e str),
    Pattern(usize),
}

/// For each route its ways, those that answer first; each with the index of its leaf.
pub(super) fn of(export: &Export) -> Vec<Vec<(usize, Way)>> {
    let mut steps: HashMap<usize, (usize, Step<'_>)> = HashMap::new();
    for (at, node) in export.nodes.iter().enumerate() {
        for (text, target) in &node.literals {
            steps.insert(*target, (at, Step::Literal(text)));
        }
        // The node of a tail leads to itself, too.
        for (pattern, target) in node.edges.iter().filter(|(_, target)| *target != at) {
            steps.insert(*target, (at, Step::Pattern(*pattern)));
        }
    }
    let mut ways = vec![Vec::new(); export.routes.len()];
    for (at, node) in export.nodes.iter().enumerate() {
        let leaves = node.leaves.iter().map(|leaf| (*leaf, false)).chain(node.areas.iter().map(|leaf| (*leaf, true)));
        for (id, is_area) in leaves {
            let leaf = &export.leaves[id];
            let segments = segments(export, leaf, &steps, at);
            ways[leaf.route].push((id, Way { segments, covers: leaf.covers.clone(), is_area }));
        }
    }
    for own in &mut ways {
        own.sort_by_key(|(id, way)| (way.is_area, *id));
    }
    ways
}

fn segments(
    export: &Export,
    leaf: &ExportedLeaf,
    steps: &HashMap<usize, (usize, Step<'_>)>,
    end: usize,
) -> Vec<Vec<Piece>> {
    let mut chain = Vec::new();
    let mut at = end;
    while let Some((above, step)) = steps.get(&at) {
        chain.push(step);
        at = *above;
    }
    let mut captures = leaf.captures.iter();
    let mut segments = Vec::new();
    for (at, step) in chain.into_iter().rev().enumerate() {
        let spelt = leaf.spelling.iter().find(|(segment, _)| *segment == at).map(|(_, text)| text.as_str());
        segments.push(match (step, leaf.tail.filter(|tail| tail.first == at)) {
            (Step::Literal(text), _) => vec![Piece::Text(spelt.unwrap_or(text).to_owned())],
            (Step::Pattern(_), Some(tail)) => vec![Piece::Value(tail.param)],
            (Step::Pattern(pattern), None) => {
                let piece = |piece: &Result<String, usize>| match piece {
                    Ok(text) => Piece::Text(text.clone()),
                    // Every value of a path is that of a parameter.
                    Err(_) => Piece::Value(captures.next().copied().flatten().unwrap_or_default()),
                };
                export.patterns[*pattern].iter().map(piece).collect()
            }
        });
    }
    segments
}
