//! Edges of a node among which a walk chooses by what a segment begins or ends with.
//!
//! Ten thousand siblings `/w17-{id}` are no ten thousand patterns to try: the texts are looked up like literals, and only the edges of
//! those that the segment has are left. An edge may be in one choice only, as it knows what comes after it.

use std::collections::BTreeSet;

use hashbrown::HashMap;

use super::draft::DraftEdge;
use crate::lookup::{Affix, Pattern};

/// Fewer edges are tried one after the other.
pub(super) const FEWEST: usize = 8;

/// Edges of a node, one after the other: all that begin, or all that end, with some text. One whose text begins with that of another
/// comes before it and goes on to it.
#[derive(Debug)]
pub(super) struct Run<'p> {
    pub(super) affix: Affix,
    /// The places of its edges among those of the node.
    pub(super) start: usize,
    pub(super) end: usize,
    /// For each text, the places of its edges.
    pub(super) texts: HashMap<&'p str, Vec<usize>>,
    /// How long the texts are.
    pub(super) lengths: BTreeSet<usize>,
}

impl<'p> Run<'p> {
    /// The runs among the edges of a node that are long enough for a choice.
    pub(super) fn all(edges: &[DraftEdge], patterns: &'p [Pattern]) -> Vec<Self> {
        if edges.len() < FEWEST {
            return Vec::new();
        }
        let mut runs: Vec<Self> = Vec::new();
        for (at, edge) in edges.iter().enumerate() {
            let affix = patterns[edge.pattern.0 as usize].affix().filter(|_| !edge.is_tail);
            let Some((affix, text)) = affix else { continue };
            let is_next = |run: &Self| run.end == at && run.affix == affix && run.after(text).is_none();
            if !runs.last().is_some_and(is_next) {
                runs.push(Self { affix, start: at, end: at, texts: HashMap::new(), lengths: BTreeSet::new() });
            }
            if let Some(run) = runs.last_mut() {
                run.end = at + 1;
                run.texts.entry(text).or_default().push(at);
                run.lengths.insert(text.len());
            }
        }
        runs.retain(|run| run.end - run.start >= FEWEST);
        runs
    }

    /// The first edge of the longest text that a longer one begins with, or ends with.
    pub(super) fn after(&self, text: &str) -> Option<usize> {
        let lengths = self.lengths.range(..text.len()).rev();
        let shorter = lengths.filter_map(|&length| match self.affix {
            Affix::Start => text.get(..length),
            Affix::End => text.get(text.len() - length..),
        });
        shorter.filter_map(|text| self.texts.get(text)?.first().copied()).next()
    }
}
