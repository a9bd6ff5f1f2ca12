//! The common case of a lookup, in as few steps as there are: a `GET` of a path that needs no decoding, in a table
//! whose nodes say on the way which branch is the narrower.
//!
//! It gives the same answers as the general walk, or none: where anything is out of the ordinary (an escape, an empty
//! segment, a node without an order, an ending that asks for a host) it says so, and the general walk begins anew.

use super::ask::{Lists, Target};
use super::path::{Ends, MOST_FEW};
use super::pattern::{Answer, PatternId};
use super::reading::Reading;
use super::route::PageId;
use super::table::Frozen;
use super::tree::{EndingId, Key, NodeId, Outcome, Tree};
use crate::template::percent::kinds;

/// What the short way finds.
pub(crate) enum Express<'t, 'u> {
    /// A page that is shown to whoever asks.
    Page(PageId, Reading<'t, 'u>),
    /// Nothing has this path, and it is in its normal form.
    Miss,
    /// The general walk has to be asked.
    Unsure,
}

/// A branch that is left to try: at this segment, from this edge on.
#[derive(Clone, Copy, Default)]
struct Branch {
    at: u32,
    edge: u32,
    /// The edge after the last one of the node.
    last: u32,
}

/// A path that was cut at its slashes.
struct Cut<'u> {
    bytes: &'u [u8],
    ends: [u16; MOST_FEW],
    count: usize,
    /// Where the path ends.
    end: usize,
}

impl Frozen {
    /// Looks up a `GET` of a URL that begins with a slash.
    #[inline]
    pub(crate) fn express<'t, 'u>(&'t self, url: &'u str, host: Option<&'u str>, lists: &dyn Lists) -> Express<'t, 'u> {
        if !self.site.is_plain || url.len() > self.limits.bytes {
            return Express::Unsure;
        }
        let Some(cut) = Cut::new(url) else { return Express::Unsure };
        let end = cut.end;
        let has_query = end < url.len();
        match self.tree.descend(&cut, has_query, lists) {
            Descent::Found(id) => {
                let (path, query) = url.split_at(end);
                if query.starts_with('#') {
                    return Express::Unsure;
                }
                let query = query.strip_prefix('?');
                if query.is_some_and(|query| kinds(query.as_bytes()).is_odd_query()) {
                    return Express::Unsure;
                }
                let target = Target { host, path, sent: path, query };
                let ending = self.tree.ending(id);
                match ending.open_page {
                    Some(page) => Express::Page(page, Reading::at(self, id, ending.route, target, Ends::few(cut.ends))),
                    None => Express::Unsure,
                }
            }
            Descent::Miss if cut.is_normal() => Express::Miss,
            _ => Express::Unsure,
        }
    }
}

enum Descent {
    Found(EndingId),
    Miss,
    Unsure,
}

const LOW_BITS: u64 = 0x7f7f_7f7f_7f7f_7f7f;
const ONES: u64 = 0x0101_0101_0101_0101;

/// The high bit of each byte that is a slash or a question mark: they differ in one bit, so one comparison finds
/// both.
fn marks(word: u64) -> u64 {
    let difference = (word | (ONES * 0x10)) ^ (ONES * u64::from(b'?'));
    !(((difference & LOW_BITS) + LOW_BITS) | difference | LOW_BITS)
}

impl<'u> Cut<'u> {
    /// Cuts the path of a URL at its slashes; `None` for one that has too many, or does not begin with one.
    #[inline]
    fn new(url: &'u str) -> Option<Self> {
        let bytes = url.as_bytes();
        if bytes.first() != Some(&b'/') {
            return None;
        }
        let mut cut = Self { bytes, ends: [0; MOST_FEW], count: 0, end: bytes.len() };
        let mut seen = 0;
        let (words, rest) = bytes.as_chunks::<8>();
        // The first slash begins the first segment, and ends none.
        let mut skipped = !0xff;
        let mut base = 0;
        for word in words {
            cut.note(marks(u64::from_le_bytes(*word)) & skipped, base, &mut seen);
            skipped = !0;
            base += 8;
        }
        if let (Some(last), false) = (bytes.last_chunk::<8>(), rest.is_empty()) {
            // The last eight bytes, without those that were looked at before.
            let word = u64::from_le_bytes(*last) >> (64 - 8 * rest.len());
            cut.note(marks(word), base, &mut seen);
        } else {
            for (offset, &byte) in rest.iter().enumerate().filter(|(offset, _)| base + offset > 0) {
                cut.note(marks(u64::from(byte)) & 0xff, base + offset, &mut seen);
            }
        }
        // A question mark has a bit that a slash has not.
        if seen & 0x10 != 0 {
            cut.at_query()?;
        }
        cut.push(cut.end);
        (cut.count < MOST_FEW).then_some(cut)
    }

    /// Notes the places of marks in a word.
    #[inline]
    fn note(&mut self, mut found: u64, base: usize, seen: &mut u8) {
        while found != 0 {
            let at = base + found.trailing_zeros() as usize / 8;
            *seen |= self.bytes.get(at).copied().unwrap_or_default();
            self.push(at);
            found &= found - 1;
        }
    }

    /// Notes an end. Where there is no room, the count still tells that there are too many.
    #[inline]
    fn push(&mut self, at: usize) {
        // URLs longer than that are refused before.
        #[allow(clippy::cast_possible_truncation, reason = "at most the limit of a URL")]
        let narrow = at as u16;
        if let Some(end) = self.ends.get_mut(self.count) {
            *end = narrow;
        }
        self.count += 1;
    }

    /// Forgets what comes after the first question mark.
    fn at_query(&mut self) -> Option<()> {
        let known = self.ends.get(..self.count)?;
        self.count = known.iter().position(|&at| self.bytes[usize::from(at)] == b'?')?;
        self.end = usize::from(self.ends[self.count]);
        Some(())
    }

    /// A segment: where it begins and ends.
    #[inline]
    fn bounds(&self, at: usize) -> (usize, usize) {
        let start = at.checked_sub(1).and_then(|before| self.ends.get(before)).map_or(0, |&end| usize::from(end)) + 1;
        (start, self.ends.get(at).map_or(0, |&end| usize::from(end)))
    }

    /// Is there nothing in the path that another spelling of it would not have?
    #[inline(never)]
    fn is_normal(&self) -> bool {
        let is_odd = |at: usize| {
            let (start, end) = self.bounds(at);
            matches!(&self.bytes[start..end], b"" | b"." | b"..")
        };
        kinds(&self.bytes[..self.end]).is_plain() && !(0..self.count).any(is_odd)
    }
}

impl Tree {
    /// Goes down the tree, the narrower branch first.
    #[inline]
    fn descend(&self, cut: &Cut<'_>, has_query: bool, lists: &dyn Lists) -> Descent {
        // The root of a site is a path of its own.
        if cut.count == 1 && cut.ends[0] == 1 {
            return Descent::Unsure;
        }
        let mut branches = [Branch::default(); MOST_FEW];
        let mut open = 0;
        let mut id = self.root();
        let mut at = 0;
        let mut start = 1;
        loop {
            let Some(node) = self.nodes.get(id.0 as usize) else { return Descent::Unsure };
            if !node.is_usual {
                return Descent::Unsure;
            }
            let mut branch = Branch { at: 0, edge: 0, last: 0 };
            if at == cut.count {
                match node.outcome(has_query) {
                    Outcome::Ends(ending) => return Descent::Found(ending),
                    Outcome::Unsure => return Descent::Unsure,
                    Outcome::Nothing => {}
                }
            } else {
                let Some(&end) = cut.ends.get(at) else { return Descent::Unsure };
                let end = usize::from(end);
                // A path on this way has few segments.
                #[allow(clippy::cast_possible_truncation, reason = "below the number of ends")]
                let narrow = at as u32;
                branch = Branch { at: narrow, edge: node.edges.start, last: node.edges.start + node.edges.count };
                if node.children.count > 0
                    && let Some(target) = self.probe(id, cut.bytes, start, end)
                {
                    if branch.edge < branch.last {
                        let Some(free) = branches.get_mut(open) else { return Descent::Unsure };
                        *free = branch;
                        open += 1;
                    }
                    id = target;
                    at += 1;
                    start = end + 1;
                    continue;
                }
            }
            // The edges of this node, and where none leads on, those of the last branch that is left.
            loop {
                let segment = branch.at as usize;
                let (from, to) = cut.bounds(segment);
                match self.follow(&mut branch, cut.bytes.get(from..to).unwrap_or_default(), lists) {
                    Followed::To(target) => {
                        if branch.edge < branch.last {
                            let Some(free) = branches.get_mut(open) else { return Descent::Unsure };
                            *free = branch;
                            open += 1;
                        }
                        (id, at, start) = (target, segment + 1, to + 1);
                        break;
                    }
                    Followed::Unsure => return Descent::Unsure,
                    Followed::Nowhere => {}
                }
                let Some(last) = open.checked_sub(1) else { return Descent::Miss };
                open = last;
                branch = branches.get(open).copied().unwrap_or_default();
            }
        }
    }

    /// The first edge of a branch that accepts a segment; the branch is then what is left of it.
    #[inline]
    fn follow(&self, branch: &mut Branch, text: &[u8], lists: &dyn Lists) -> Followed {
        while branch.edge < branch.last {
            let Some(one) = self.edges.get(branch.edge as usize) else { return Followed::Unsure };
            branch.edge += 1;
            match one.quick.accepts(text) {
                Answer::Yes => return Followed::To(one.target),
                Answer::No => {}
                Answer::Decode => return Followed::Unsure,
                Answer::Ask => match self.ask(one.pattern, text, lists) {
                    Some(true) => return Followed::To(one.target),
                    Some(false) => {}
                    None => return Followed::Unsure,
                },
            }
        }
        Followed::Nowhere
    }

    /// Does a whole pattern accept a segment? `None` where the segment has to be decoded first.
    #[inline(never)]
    fn ask(&self, pattern: PatternId, text: &[u8], lists: &dyn Lists) -> Option<bool> {
        let text = std::str::from_utf8(text).ok().filter(|text| kinds(text.as_bytes()).is_plain())?;
        Some(self.pattern(pattern).accepts(text, lists))
    }

    /// The node that a literal leads to.
    #[inline]
    fn probe(&self, parent: NodeId, bytes: &[u8], start: usize, end: usize) -> Option<NodeId> {
        let key = Key::within(bytes, start, end);
        let mut slot = key.slot(parent, self.slots);
        loop {
            let node = self.nodes.get(slot as usize)?;
            if node.is_after(parent, key) && (!key.is_partial() || self.text_of(node).as_bytes() == &bytes[start..end])
            {
                return Some(NodeId(slot));
            }
            if node.is_vacant() {
                return None;
            }
            slot = self.next_slot(slot);
        }
    }
}

enum Followed {
    To(NodeId),
    Nowhere,
    Unsure,
}
