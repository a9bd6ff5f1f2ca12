//! The common case of a lookup, in as few steps as there are: a `GET` of a path that needs no decoding, in a table
//! whose nodes say on the way which branch is the narrower.
//!
//! It gives the same answers as the general walk, or none: where anything is out of the ordinary (an escape, an empty
//! segment, a node without an order, an ending that asks for a host) it says so, and the general walk begins anew.

use super::ask::{Lists, Target};
use super::path::{Ends, LOW_BITS, MOST_FEW, ONES, zero_bytes};
use super::pattern::{PatternId, Quick};
use super::reading::Reading;
use super::route::PageId;
use super::table::Frozen;
use super::tree::{EndingId, Key, NodeId, Outcome, Tree};
use crate::template::percent::kinds;

/// What the short way finds.
pub(crate) enum ShortWay<'t, 'u> {
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

/// The longest URL that goes this way; a power of two.
const WIDTH: usize = 128;

/// A path that was cut at its slashes.
struct Cut {
    /// The URL, and nothing after it: so that eight bytes can be read from wherever one stands.
    buffer: [u8; WIDTH + 8],
    ends: [u16; MOST_FEW],
    count: usize,
    /// Where the path ends.
    end: usize,
}

impl Frozen {
    /// Looks up a `GET` of a URL that begins with a slash.
    #[inline]
    pub(crate) fn short_way<'t, 'u>(
        &'t self,
        url: &'u str,
        host: Option<&'u str>,
        lists: &dyn Lists,
    ) -> ShortWay<'t, 'u> {
        if !self.site.is_plain || url.len() > self.limits.bytes {
            return ShortWay::Unsure;
        }
        let Some(cut) = Cut::new(url) else { return ShortWay::Unsure };
        let end = cut.end;
        let has_query = end < url.len();
        match self.tree.descend(&cut, has_query, lists) {
            Descent::Found(id) => {
                let (path, query) = url.split_at(end);
                if query.starts_with('#') {
                    return ShortWay::Unsure;
                }
                let query = query.strip_prefix('?');
                if query.is_some_and(|query| kinds(query.as_bytes()).is_odd_query()) {
                    return ShortWay::Unsure;
                }
                let target = Target { host, path, sent: path, query };
                let ending = self.tree.ending(id);
                match ending.open_page {
                    Some(page) => {
                        ShortWay::Page(page, Reading::at(self, id, ending.route, target, Ends::few(cut.ends)))
                    }
                    None => ShortWay::Unsure,
                }
            }
            Descent::Miss if cut.is_normal() => ShortWay::Miss,
            _ => ShortWay::Unsure,
        }
    }
}

enum Descent {
    Found(EndingId),
    Miss,
    Unsure,
}

/// The high bit of each byte that is a slash or a question mark: they differ in one bit, so one comparison finds
/// both.
fn marks(word: u64) -> u64 {
    zero_bytes((word | (ONES * 0x10)) ^ (ONES * u64::from(b'?')))
}

/// Bytes that are as common as can be, to fill up a word.
const FILLED: u64 = ONES * 0x61;

/// Is every byte of a word one of letters, digits, `-`, `.`, `:` and `/`? They lie between `-` and `z`, and their low
/// five bits are neither zero nor above those of `z`.
#[inline]
fn is_common(word: u64) -> bool {
    let low = word & (ONES * 0x1f);
    let above = low + ONES * (0x80 - 0x1b);
    let not_zero = low + ONES * 0x7f;
    let beyond = word.wrapping_add(ONES * (0x80 - 0x7b));
    let before = word.wrapping_sub(ONES * 0x2d) & !word;
    (above | !not_zero | beyond | before | word) & !LOW_BITS == 0
}

impl Cut {
    /// Cuts the path of a URL at its slashes; `None` for one that has too many, or does not begin with one.
    #[inline]
    fn new(url: &str) -> Option<Self> {
        let mut cut = Self { buffer: [0; WIDTH + 8], ends: [0; MOST_FEW], count: 0, end: url.len() };
        cut.buffer[..WIDTH].get_mut(..url.len())?.copy_from_slice(url.as_bytes());
        if cut.buffer[0] != b'/' {
            return None;
        }
        let mut seen = 0;
        // The first slash begins the first segment, and ends none.
        let mut skipped = !0xff;
        let mut base = 0;
        while base < cut.end {
            let mut found = marks(cut.word(base)) & skipped;
            skipped = !0;
            while found != 0 {
                let at = base + found.trailing_zeros() as usize / 8;
                seen |= cut.buffer[at % WIDTH];
                cut.push(at);
                found &= found - 1;
            }
            base += 8;
        }
        // A question mark has a bit that a slash has not.
        if seen & 0x10 != 0 {
            cut.at_query()?;
        }
        cut.push(cut.end);
        (cut.count < MOST_FEW).then_some(cut)
    }

    /// The eight bytes from a place on.
    #[inline]
    fn word(&self, at: usize) -> u64 {
        let from = &self.buffer[at % WIDTH..];
        from.first_chunk::<8>().map_or(0, |word| u64::from_le_bytes(*word))
    }

    /// Notes an end. Where there is no room, the count still tells that there are too many.
    #[inline]
    fn push(&mut self, at: usize) {
        // At most the width.
        #[allow(clippy::cast_possible_truncation, reason = "at most the width")]
        let narrow = at as u16;
        self.ends[self.count % MOST_FEW] = narrow;
        self.count += 1;
    }

    /// Forgets what comes after the first question mark.
    #[inline(never)]
    fn at_query(&mut self) -> Option<()> {
        let known = self.ends.get(..self.count)?;
        self.count = known.iter().position(|&at| self.buffer[usize::from(at) % WIDTH] == b'?')?;
        self.end = usize::from(self.ends[self.count]);
        Some(())
    }

    /// Where a segment begins and ends.
    #[inline]
    fn bounds(&self, at: usize) -> (usize, usize) {
        let before = if at == 0 { 0 } else { usize::from(self.ends[(at - 1) % MOST_FEW]) };
        (before + 1, usize::from(self.ends[at % MOST_FEW]))
    }

    fn text(&self, start: usize, end: usize) -> &[u8] {
        self.buffer.get(start..end).unwrap_or_default()
    }

    /// The key of a segment.
    #[inline]
    fn key(&self, start: usize, end: usize) -> Key {
        let length = end - start;
        let head = self.word(start);
        if length >= 8 {
            Key::new(head, self.word(end - 8), length)
        } else {
            Key::new(head & !(!0 << (8 * length)), 0, length)
        }
    }

    /// Can a segment be a value as it stands: not empty, no dots, nothing that is or must be escaped?
    #[inline]
    fn is_value(&self, start: usize, end: usize) -> bool {
        let length = end.saturating_sub(start);
        let head = self.word(start);
        let is_likely = match length {
            0 => return false,
            1..8 => is_common(head | FILLED << (8 * length)),
            8 => is_common(head),
            9..=16 => is_common(head) && is_common(self.word(end - 8)),
            _ => false,
        };
        let is_dots = || matches!(self.text(start, end), b"." | b"..");
        (is_likely || kinds(self.text(start, end)).is_plain()) && !(self.buffer[start % WIDTH] == b'.' && is_dots())
    }

    /// Is there nothing in the path that another spelling of it would not have?
    #[inline(never)]
    fn is_normal(&self) -> bool {
        let is_odd = |at: usize| {
            let (start, end) = self.bounds(at);
            matches!(self.text(start, end), b"" | b"." | b"..")
        };
        kinds(self.text(0, self.end)).is_plain() && !(0..self.count).any(is_odd)
    }
}

impl Tree {
    /// Goes down the tree, the narrower branch first.
    #[inline]
    fn descend(&self, cut: &Cut, has_query: bool, lists: &dyn Lists) -> Descent {
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
                let end = usize::from(cut.ends[at % MOST_FEW]);
                // A path on this way has few segments.
                #[allow(clippy::cast_possible_truncation, reason = "below the number of ends")]
                let narrow = at as u32;
                branch = Branch { at: narrow, edge: node.edges.start, last: node.edges.start + node.edges.count };
                if node.children.count > 0
                    && let Some(target) = self.probe(id, cut, start, end)
                {
                    if branch.edge < branch.last {
                        // There is at most one for each segment.
                        branches[open % MOST_FEW] = branch;
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
                match self.follow(&mut branch, cut, from, to, lists) {
                    Followed::To(target) => {
                        if branch.edge < branch.last {
                            branches[open % MOST_FEW] = branch;
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
                branch = branches[open % MOST_FEW];
            }
        }
    }

    /// The first edge of a branch that accepts a segment; the branch is then what is left of it.
    #[inline]
    fn follow(&self, branch: &mut Branch, cut: &Cut, start: usize, end: usize, lists: &dyn Lists) -> Followed {
        while branch.edge < branch.last {
            let Some(one) = self.edges.get(branch.edge as usize) else { return Followed::Unsure };
            branch.edge += 1;
            match one.quick {
                Quick::Any if cut.is_value(start, end) => return Followed::To(one.target),
                Quick::Any => return Followed::Unsure,
                Quick::Code(code) if code.accepts(cut.text(start, end)) => return Followed::To(one.target),
                // What is escaped could still mean such a value.
                Quick::Code(_) if cut.text(start, end).contains(&b'%') => return Followed::Unsure,
                Quick::Code(_) => {}
                Quick::Whole => match self.ask(one.pattern, cut.text(start, end), lists) {
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
        if !kinds(text).is_plain() || matches!(text, b"" | b"." | b"..") {
            return None;
        }
        let text = std::str::from_utf8(text).ok()?;
        Some(self.pattern(pattern).accepts(text, lists))
    }

    /// The node that a literal leads to.
    #[inline]
    fn probe(&self, parent: NodeId, cut: &Cut, start: usize, end: usize) -> Option<NodeId> {
        let key = cut.key(start, end);
        let mut slot = key.slot(parent, self.slots);
        loop {
            let node = self.nodes.get(slot as usize)?;
            if node.is_after(parent, key)
                && (!key.is_partial() || self.text_of(node).as_bytes() == cut.text(start, end))
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
