//! The common case of a lookup, in as few steps as there are: a `GET` of a path that needs no decoding, in a table
//! whose nodes say on the way which branch is the narrower.
//!
//! The walk goes from slot to slot, and notes on the way where values stand; what is rare stands apart. It gives the same answers
//! as the general path, or none: where anything is out of the ordinary (an escape, an empty segment, a node without an order, a
//! leaf that asks for a host) it says so, and the general path begins anew.

use super::answers::Answers;
use super::ask::{Target, is_vacant_query, pairs};
use super::marks::{CHUNK, Few, Many, Marks};
use super::path::{MOST_FEW, Spans, end_of_path};
use super::pattern::{PatternId, Quick};
use super::reading::{Reading, has_empty_value};
use super::route::PageId;
use super::slot::{Follows, Slot};
use super::table::Frozen;
use super::tree::{Branch, Edge, Leaf, LeafId, Outcome, QueryRole, Tree};
use crate::rule::Simple;
use crate::template::percent::kinds;

/// What the fast path finds.
pub(crate) enum FastPath {
    /// A page that is shown to whoever asks.
    Page(Short),
    /// Nothing has this path, and it is in its normal form.
    Miss,
    /// The general path has to be asked.
    Unsure,
}

/// What has to be known of a page that was found, so that its values can be read.
pub(crate) struct Short {
    pub(crate) page: PageId,
    leaf: LeafId,
    values: Places,
    /// Where the path ends.
    end: usize,
}

/// Where the values of a path begin and end, a byte each.
pub(super) type Places = [u16; MOST_FEW];

impl Frozen {
    /// Looks up a `GET` of a URL that begins with a slash.
    #[inline(always)]
    pub(crate) fn fast_path(&self, url: &str, answers: &dyn Answers) -> FastPath {
        let bytes = url.as_bytes();
        let length = bytes.len();
        if length > self.longest_fast || bytes.first() != Some(&b'/') {
            return FastPath::Unsure;
        }
        let mut values = [0; MOST_FEW];
        let mut end = length;
        let outcome = match length {
            CHUNK..=Few::LONGEST => match Few::of(bytes) {
                (marks, true) => self.tree.walk(bytes, marks, 1, answers, &mut values),
                (marks, false) => self.few(url, marks, &mut end, answers, &mut values),
            },
            0..CHUNK => self.tiny(url, &mut end, answers, &mut values),
            _ => self.many(url, &mut end, answers, &mut values),
        };
        match outcome {
            Outcome::Ends(id) => {
                let leaf = self.tree.leaf(id);
                match leaf.open_page {
                    Some(page) if leaf.query == QueryRole::None && end == length => {
                        FastPath::Page(Short { page, leaf: id, values, end })
                    }
                    Some(page) if self.query_fits(leaf, url, end, answers) => {
                        FastPath::Page(Short { page, leaf: id, values, end })
                    }
                    _ => FastPath::Unsure,
                }
            }
            Outcome::Nothing if is_plain_miss(bytes, end) => FastPath::Miss,
            Outcome::Nothing | Outcome::Unsure => FastPath::Unsure,
        }
    }

    /// A URL with bytes that are rare in paths: a query begins there, or the path has them.
    #[inline(never)]
    fn few(&self, url: &str, marks: Few, end: &mut usize, answers: &dyn Answers, values: &mut Places) -> Outcome {
        let Some(path) = path_of(url) else { return Outcome::Unsure };
        *end = path.len();
        match path.len() {
            0..CHUNK => self.fill_up(path, answers, values),
            _ => self.tree.walk(path, marks.up_to(path.len()), 1, answers, values),
        }
    }

    /// A longer URL.
    #[inline(never)]
    fn many(&self, url: &str, end: &mut usize, answers: &dyn Answers, values: &mut Places) -> Outcome {
        let (mut marks, is_plain) = Many::of(url.as_bytes());
        let mut path = url.as_bytes();
        if !is_plain {
            let Some(plain) = path_of(url) else { return Outcome::Unsure };
            (path, marks, *end) = (plain, marks.up_to(plain.len()), plain.len());
        }
        match path.len() {
            0..CHUNK => self.fill_up(path, answers, values),
            _ => self.tree.walk(path, marks, 1, answers, values),
        }
    }

    /// A shorter one.
    #[inline(never)]
    fn tiny(&self, url: &str, end: &mut usize, answers: &dyn Answers, values: &mut Places) -> Outcome {
        let Some(path) = path_of(url) else { return Outcome::Unsure };
        *end = path.len();
        self.fill_up(path, answers, values)
    }

    /// Walks with a path that has fewer bytes than are looked at at once: on a copy that ends with it.
    #[inline]
    fn fill_up(&self, path: &[u8], answers: &dyn Answers, values: &mut Places) -> Outcome {
        let before = CHUNK - path.len().min(CHUNK);
        let word = |bytes: &[u8; 8]| u128::from(u64::from_le_bytes(*bytes));
        let text = match (path.first_chunk::<8>(), path.last_chunk::<8>()) {
            (Some(first), Some(last)) => word(first) << (8 * before) | word(last) << 64,
            _ => path.iter().rev().fold(0, |word, &byte| word << 8 | u128::from(byte)) << (8 * before).min(127),
        };
        let filler = u128::from_le_bytes([b'a'; CHUNK]) >> (8 * (CHUNK - before)).min(127);
        let filled = if before == 0 { text } else { text | filler }.to_le_bytes();
        if path.len() < 2 {
            return self.tree.slots.get(self.tree.root_slot as usize).map_or(Outcome::Unsure, Slot::here);
        }
        let (marks, _) = Few::of_chunk(&filled);
        let outcome = self.tree.walk(&filled, marks, before + 1, answers, values);
        #[allow(clippy::cast_possible_truncation, reason = "both halves are below sixteen")]
        let shift = (before | before << 8) as u16;
        values.iter_mut().for_each(|place| *place = place.wrapping_sub(shift));
        outcome
    }

    /// Does the query of a URL leave it at a leaf that its path leads to?
    #[inline(never)]
    fn query_fits(&self, leaf: &Leaf, url: &str, end: usize, answers: &dyn Answers) -> bool {
        let Some(rest) = url.get(end..).filter(|rest| !rest.is_empty()) else {
            return leaf.query != QueryRole::Required;
        };
        let Some(query) = rest.strip_prefix('?') else { return false };
        let kinds = kinds(query.as_bytes());
        if kinds.has_fragment() || is_vacant_query(query.as_bytes()) {
            return false;
        }
        match leaf.query {
            QueryRole::None => true,
            QueryRole::Chooses => false,
            QueryRole::Judged | QueryRole::Required => {
                let pairs = pairs(query).collect();
                !has_empty_value(query) && self.route(leaf.route).query.refusal(&pairs, answers).is_none()
            }
        }
    }

    /// How a URL is read whose page was found.
    #[inline(always)]
    pub(crate) fn fast_reading<'t, 'u>(
        &'t self,
        found: &Short,
        url: &'u str,
        host: Option<&'u str>,
    ) -> Reading<'t, 'u> {
        let (path, query) = url.split_at_checked(found.end).unwrap_or_default();
        // What is there begins with a question mark, which was looked at.
        let (sent, query) = (path, query.get(1..));
        // The path of the root, without a slash at its end, is empty.
        let path = if found.end > 1 { sent } else { "" };
        let mut reading = Reading::at(self, found.leaf, Target { host, path, sent, query }, Spans::few(found.values));
        if reading.target.query.is_some() {
            reading.find_query_values();
        }
        reading
    }
}

/// The path of a URL, if nothing in it has to be escaped or is escaped.
fn path_of(url: &str) -> Option<&[u8]> {
    let path = &url.as_bytes()[..end_of_path(url)];
    kinds(path).is_plain().then_some(path)
}

/// Is a URL whose path leads nowhere missing as it stands? One with an empty segment, with one of dots, or with a query that says
/// nothing has another address, and is missing there.
#[inline(never)]
fn is_plain_miss(url: &[u8], end: usize) -> bool {
    let (path, rest) = url.split_at(end.min(url.len()));
    let is_odd = |(&one, &next): (&u8, &u8)| (one == b'/') & ((next == b'/') | (next == b'.'));
    let says_nothing = rest.split_first().is_some_and(|(_, query)| {
        rest[0] == b'?' && query.iter().find(|&&byte| byte != b'&').is_none_or(|&byte| byte == b'#')
    });
    !says_nothing
        && !path.ends_with(b"/")
        && !path.iter().zip(path.iter().skip(1)).fold(false, |any, pair| any | is_odd(pair))
}

/// How a walk goes on that has come to nothing.
enum Back {
    /// At a slot, from that place of the path on, with so many values.
    To {
        slot: u32,
        start: usize,
        values: usize,
    },
    End(Outcome),
}

/// A path that is walked: eight bytes or more.
struct Path<'u, M> {
    bytes: &'u [u8],
    marks: M,
    /// Where the first segment begins.
    first: usize,
}

impl<'u, M: Marks> Path<'u, M> {
    #[inline(always)]
    fn text(&self, start: usize, end: usize) -> &'u [u8] {
        self.bytes.get(start..end).unwrap_or_default()
    }

    /// The eight bytes from a place on; of fewer that are left, these and zeros.
    #[inline(always)]
    fn word(&self, start: usize) -> u64 {
        match self.bytes.get(start..start + 8).and_then(<[u8]>::first_chunk::<8>) {
            Some(word) => u64::from_le_bytes(*word),
            None => self.last_word(start),
        }
    }

    #[inline(always)]
    fn last_word(&self, start: usize) -> u64 {
        let Some(last) = self.bytes.last_chunk::<8>() else { return 0 };
        u64::from_le_bytes(*last) >> ((8 * (start + 8 - self.bytes.len())) & 63)
    }

    /// Is the segment at a place this literal?
    #[inline(always)]
    fn is_literal(&self, tree: &Tree, slot: &Slot, word: u64, ahead: u64, start: usize) -> bool {
        let length = usize::from(slot.length);
        slot.has_head(word)
            && ahead >> (length & 63) & 1 == 1
            && (length <= 8
                || (self.word(start + length - 8) == slot.tail
                    && (length <= 16 || self.is_text(tree, slot, start, length))))
    }

    #[inline(never)]
    fn is_text(&self, tree: &Tree, slot: &Slot, start: usize, length: usize) -> bool {
        let text = tree.text.as_bytes().get(slot.text as usize..slot.text as usize + length);
        text == Some(self.text(start, start + length))
    }

    /// Where a segment of that number begins.
    fn start_of(&self, at: usize) -> usize {
        let mut start = self.first;
        for _ in 0..at {
            start += self.marks.ahead(start).trailing_zeros() as usize + 1;
        }
        start
    }

    #[inline(never)]
    fn is_of(&self, simple: Simple, start: usize, end: usize) -> bool {
        simple.accepts(self.text(start, end))
    }

    /// Does a pattern accept a segment?
    #[inline(never)]
    fn asks(&self, tree: &Tree, pattern: PatternId, start: usize, end: usize, answers: &dyn Answers) -> bool {
        let text = std::str::from_utf8(self.text(start, end)).unwrap_or_default();
        tree.pattern(pattern).accepts_segment(text, || text, answers)
    }

    fn follows(
        &self,
        tree: &Tree,
        quick: Quick,
        pattern: PatternId,
        start: usize,
        end: usize,
        answers: &dyn Answers,
    ) -> bool {
        match quick {
            Quick::Any => true,
            Quick::Integer => self.is_of(Simple::Integer, start, end),
            Quick::Date => self.is_of(Simple::Date, start, end),
            Quick::Whole => self.asks(tree, pattern, start, end, answers),
        }
    }

    /// Can a segment of that length be a value as it stands? One that is empty, or may be of dots, is for the general path, and so
    /// is one that ends beyond the marks.
    #[inline(always)]
    fn is_value(&self, start: usize, length: usize) -> bool {
        length.wrapping_sub(1) < 63 && self.bytes.get(start) != Some(&b'.')
    }
}

/// Where a value stands.
#[inline(always)]
fn place(start: usize, end: usize) -> u16 {
    #[allow(clippy::cast_possible_truncation, reason = "no longer URL goes this way than a byte can count")]
    let place = (start | end << 8) as u16;
    place
}

impl Tree {
    /// Walks down the tree, the narrower branch first, and notes where values stand. The first segment begins at a place in the
    /// path, which has eight bytes or more.
    #[inline(always)]
    fn walk<M: Marks>(
        &self,
        bytes: &[u8],
        marks: M,
        first: usize,
        answers: &dyn Answers,
        values: &mut Places,
    ) -> Outcome {
        let path = Path { bytes, marks, first };
        let Some(mut slot) = self.slots.get(self.root_slot as usize) else { return Outcome::Unsure };
        let (mut start, mut count) = (first, 0);
        'down: loop {
            let mut ahead = path.marks.ahead(start);
            let back = 'here: {
                if slot.follows != Follows::Nothing {
                    let length = ahead.trailing_zeros() as usize;
                    let end = start + length;
                    if !path.is_value(start, length) {
                        return Outcome::Unsure;
                    }
                    let fits = match slot.follows {
                        Follows::Any => true,
                        Follows::Integer => path.is_of(Simple::Integer, start, end),
                        Follows::Date => path.is_of(Simple::Date, start, end),
                        Follows::Nothing | Follows::Pattern => self.asked_after(&path, slot, start, end, answers),
                    };
                    if !fits {
                        break 'here self.resume(&path, slot, start, count, answers, values);
                    }
                    let Some(value) = values.get_mut(count) else { return Outcome::Unsure };
                    *value = place(start, end);
                    count += 1;
                    if end == bytes.len() {
                        match slot.after() {
                            Outcome::Nothing => break 'here self.resume(&path, slot, start, count, answers, values),
                            outcome => return outcome,
                        }
                    }
                    start = end + 1;
                    ahead = path.marks.ahead(start);
                }
                let word = path.word(start);
                let length = ahead.trailing_zeros();
                let at = slot.first_for(word, length, || slot.long_key(path.text(start, start + length as usize)));
                let Some(mut next) = self.slots.get(at as usize) else { return Outcome::Unsure };
                if !path.is_literal(self, next, word, ahead, start) {
                    match self.further(&path, at, word, ahead, start) {
                        Some(other) => next = other,
                        None => break 'here self.edges_after(&path, slot, start, count, answers, values),
                    }
                }
                start += usize::from(next.length);
                slot = next;
                if start < bytes.len() {
                    start += 1;
                    continue 'down;
                }
                match slot.here() {
                    Outcome::Nothing => self.resume(&path, slot, start, count, answers, values),
                    outcome => return outcome,
                }
            };
            match back {
                Back::To { slot: target, start: place, values } => {
                    let Some(target) = self.slots.get(target as usize) else { return Outcome::Unsure };
                    (slot, start, count) = (target, place, values);
                }
                Back::End(outcome) => return outcome,
            }
        }
    }

    /// The literal in one of the slots after one that is taken by another.
    #[inline(never)]
    fn further<M: Marks>(&self, path: &Path<'_, M>, mut at: u32, word: u64, ahead: u64, start: usize) -> Option<&Slot> {
        while self.slots.get(at as usize)?.has_more() {
            at += 1;
            let slot = self.slots.get(at as usize)?;
            if path.is_literal(self, slot, word, ahead, start) {
                return Some(slot);
            }
        }
        None
    }

    /// Does the pattern that follows a slot at once accept a segment?
    #[inline(never)]
    fn asked_after<M: Marks>(
        &self,
        path: &Path<'_, M>,
        slot: &Slot,
        start: usize,
        end: usize,
        answers: &dyn Answers,
    ) -> bool {
        path.asks(self, slot.pattern, start, end, answers)
    }

    /// Goes on where no literal that follows a slot is the segment.
    #[inline(never)]
    fn edges_after<M: Marks>(
        &self,
        path: &Path<'_, M>,
        slot: &Slot,
        start: usize,
        count: usize,
        answers: &dyn Answers,
        values: &mut Places,
    ) -> Back {
        let node = self.node(slot.node);
        if !node.is_usual {
            return Back::End(Outcome::Unsure);
        }
        self.back(path, node.edges.of(&self.edges), node.resume, start, count, answers, values)
    }

    /// Goes on where what follows a slot has come to nothing.
    #[inline(never)]
    fn resume<M: Marks>(
        &self,
        path: &Path<'_, M>,
        slot: &Slot,
        start: usize,
        count: usize,
        answers: &dyn Answers,
        values: &mut Places,
    ) -> Back {
        // A pattern that is all that follows a literal leaves the same to try as the literal does.
        self.back(path, &[], self.node(slot.node).resume, start, count, answers, values)
    }

    /// Tries some edges, and where none of them leads on, those of the branches that are left.
    #[allow(clippy::too_many_arguments, reason = "all that a walk knows")]
    fn back<'t, M: Marks>(
        &'t self,
        path: &Path<'_, M>,
        mut edges: &'t [Edge],
        mut next: u32,
        mut start: usize,
        mut count: usize,
        answers: &dyn Answers,
        values: &mut Places,
    ) -> Back {
        loop {
            if !edges.is_empty() {
                let length = path.marks.ahead(start).trailing_zeros() as usize;
                if !path.is_value(start, length) {
                    return Back::End(Outcome::Unsure);
                }
                let end = start + length;
                for edge in edges {
                    let end = if edge.is_tail {
                        match self.tail(path, edge, start, answers) {
                            Ok(true) => path.bytes.len(),
                            Ok(false) => continue,
                            Err(()) => return Back::End(Outcome::Unsure),
                        }
                    } else if path.follows(self, edge.quick, edge.pattern, start, end, answers) {
                        end
                    } else {
                        continue;
                    };
                    let Some(value) = values.get_mut(count) else { return Back::End(Outcome::Unsure) };
                    *value = place(start, end);
                    if end < path.bytes.len() {
                        return Back::To { slot: edge.slot, start: end + 1, values: count + 1 };
                    }
                    let Some(target) = self.slots.get(edge.slot as usize) else { return Back::End(Outcome::Unsure) };
                    match target.here() {
                        Outcome::Nothing => {}
                        outcome => return Back::End(outcome),
                    }
                }
            }
            if next == Branch::NONE {
                return Back::End(Outcome::Nothing);
            }
            let Some(branch) = self.branches.get(next as usize) else { return Back::End(Outcome::Unsure) };
            (edges, next, count) = (branch.edges.of(&self.edges), branch.next, usize::from(branch.values));
            start = path.start_of(usize::from(branch.at));
        }
    }

    /// Does a tail take all segments from a place on? An error where one of them is for the general path.
    fn tail<M: Marks>(
        &self,
        path: &Path<'_, M>,
        edge: &Edge,
        mut start: usize,
        answers: &dyn Answers,
    ) -> Result<bool, ()> {
        loop {
            let length = path.marks.ahead(start).trailing_zeros() as usize;
            if !path.is_value(start, length) {
                return Err(());
            }
            let end = start + length;
            if !path.follows(self, edge.quick, edge.pattern, start, end, answers) {
                return Ok(false);
            }
            if end == path.bytes.len() {
                return Ok(true);
            }
            start = end + 1;
        }
    }
}
