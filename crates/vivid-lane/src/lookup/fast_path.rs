//! The common case of a lookup, in as few steps as there are: a `GET` of a path that needs no decoding, in a table
//! whose nodes say on the way which branch is the narrower.
//!
//! The walk goes from slot to slot, and notes on the way where values stand; what is rare stands apart. It gives the same answers
//! as the general path, or none: where anything is out of the ordinary (an escape, an empty segment, a node without an order, a
//! leaf that asks for a host) it says so, and the general path begins anew.

use std::cell::Cell;

use super::answers::Answers;
use super::ask::{Pairs, Target, is_vacant_query, pairs};
use super::conditions::FEW;
use super::marks::{CHUNK, Few, Many, Marks, first_rare};
use super::path::{MOST_FEW, MorePlaces, Spans, end_of_path};
use super::pattern::{PatternId, Quick};
use super::reading::{Reading, names};
use super::route::PageId;
use super::slot::{Follows, NOTHING, Slot, UNSURE};
use super::table::Frozen;
use super::tree::{Branch, Edge, Leaf, LeafId, QueryRole, Tree};
use crate::rule::Simple;
use crate::template::bytes::first_of;
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
    /// Were those in the query noted too?
    is_noted: bool,
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
        let code = match length {
            CHUNK..=Few::LONGEST => match Few::of(bytes) {
                (marks, true) => self.tree.walk(&Path::new(bytes, url, 0, marks), answers, &mut values),
                (marks, false) => self.few(url, marks, &mut end, answers, &mut values),
            },
            0..CHUNK => self.tiny(url, &mut end, answers, &mut values),
            _ => self.many(url, &mut end, answers, &mut values),
        };
        if code >= UNSURE {
            return if code == NOTHING { FastPath::Miss } else { FastPath::Unsure };
        }
        let id = LeafId(code);
        let leaf = self.tree.leaf(id);
        let Some(page) = leaf.open_page else { return FastPath::Unsure };
        let mut is_noted = false;
        if leaf.query != QueryRole::None || end != length {
            match self.query_fits(leaf, url, end, answers, &mut values) {
                Some(noted) => is_noted = noted,
                None => return FastPath::Unsure,
            }
        }
        FastPath::Page(Short { page, leaf: id, values, is_noted, end })
    }

    /// A URL with bytes that are rare in paths: a query begins there, or the path has them.
    #[inline(never)]
    fn few(&self, url: &str, marks: Few, end: &mut usize, answers: &dyn Answers, values: &mut Places) -> u32 {
        let Some(text) = path_of(url) else { return UNSURE };
        *end = text.len();
        match text.len() {
            0..CHUNK => self.filled(text, &fill_up(text), answers, values),
            _ => {
                let path = Path::new(text.as_bytes(), text, 0, marks.up_to(text.len()));
                self.tree.walk(&path, answers, values)
            }
        }
    }

    /// A longer URL.
    #[inline(never)]
    fn many(&self, url: &str, end: &mut usize, answers: &dyn Answers, values: &mut Places) -> u32 {
        let (mut marks, is_plain) = Many::of(url.as_bytes());
        let mut text = url;
        if !is_plain {
            let Some(path) = path_of(url) else { return UNSURE };
            (text, marks, *end) = (path, marks.up_to(path.len()), path.len());
        }
        match text.len() {
            0..CHUNK => self.filled(text, &fill_up(text), answers, values),
            _ => self.tree.walk(&Path::new(text.as_bytes(), text, 0, marks), answers, values),
        }
    }

    /// A shorter one.
    #[inline(never)]
    fn tiny(&self, url: &str, end: &mut usize, answers: &dyn Answers, values: &mut Places) -> u32 {
        let filled = fill_up(url);
        if Few::of_chunk(&filled).1 {
            return self.filled(url, &filled, answers, values);
        }
        let Some(path) = path_of(url) else { return UNSURE };
        *end = path.len();
        self.filled(path, &fill_up(path), answers, values)
    }

    /// Walks on a copy of a path that ends with it.
    fn filled(&self, text: &str, filled: &[u8; CHUNK], answers: &dyn Answers, values: &mut Places) -> u32 {
        if text.len() < 2 {
            return self.tree.slots.get(self.tree.root_slot as usize).map_or(UNSURE, |slot| slot.here);
        }
        let shift = CHUNK - text.len();
        let (marks, _) = Few::of_chunk(filled);
        let code = self.tree.walk(&Path::new(filled, text, shift, marks), answers, values);
        #[allow(clippy::cast_possible_truncation, reason = "both halves are below sixteen")]
        let by = (shift | shift << 8) as u16;
        values.iter_mut().for_each(|place| *place = place.wrapping_sub(by));
        code
    }

    /// Does the query of a URL leave it at a leaf that its path leads to? Then it tells whether the values in it were noted,
    /// behind those of the path.
    #[inline(never)]
    fn query_fits(
        &self,
        leaf: &Leaf,
        url: &str,
        end: usize,
        answers: &dyn Answers,
        values: &mut Places,
    ) -> Option<bool> {
        let rest = url.get(end..)?;
        if rest.is_empty() {
            return (leaf.query != QueryRole::Required).then_some(false);
        }
        let query = rest.strip_prefix('?')?;
        let has_fragment = first_of(query.as_bytes(), 0, [b'#', b'#']) < query.len();
        if has_fragment || leaf.query == QueryRole::Chooses || is_vacant_query(query.as_bytes()) {
            return None;
        }
        let route = self.route(leaf.route);
        let first = usize::from(leaf.values);
        let mut places = values.get_mut(first..first + route.query.params.len()).filter(|places| places.len() <= FEW);
        if let Some(places) = &mut places {
            route.query.note(query, places);
        }
        let fits = match places.as_ref().filter(|_| route.query.has_params_only()) {
            _ if leaf.query == QueryRole::None => true,
            Some(places) => route.query.fits(query, places, answers),
            None => {
                let pairs: Pairs<'_> = pairs(query).collect();
                // An empty value may be there for nothing.
                pairs.iter().all(|pair| !pair.raw.is_empty())
                    && !route.has_defaults
                    && route.query.refusal(&pairs, answers).is_none()
            }
        };
        fits.then_some(places.is_some())
    }

    /// How a URL is read whose page was found.
    #[inline(always)]
    pub(crate) fn fast_reading<'t, 'u>(
        &'t self,
        found: &Short,
        url: &'u str,
        host: Option<&'u str>,
    ) -> Reading<'t, 'u> {
        let (mut sent, mut query, mut places) = (url, None, None);
        if found.end < url.len() {
            // What is there begins with a question mark, which was looked at.
            (sent, query) = (url.get(..found.end).unwrap_or_default(), url.get(found.end + 1..));
            places = self.query_places(found, query);
        }
        // The path of the root, without a slash at its end, is empty.
        let path = if sent.len() > 1 { sent } else { "" };
        let target = Target { host, path, sent, query };
        Reading::of_parts(self, found.leaf, target, Spans::few(found.values, places), true, found.is_noted)
    }

    /// Where the values of many query parameters stand.
    #[inline(never)]
    fn query_places(&self, found: &Short, query: Option<&str>) -> Option<Box<MorePlaces>> {
        let leaf = self.tree.leaf(found.leaf);
        let matcher = &self.route(leaf.route).query;
        let query = query.filter(|_| !found.is_noted && leaf.reads_much)?;
        Some(Box::new(MorePlaces::of_query(matcher.places(names(query)))))
    }
}

/// The path of a URL, if nothing in it has to be escaped or is escaped. A query with nothing in it has another address, and all
/// that is asked of it is asked there.
fn path_of(url: &str) -> Option<&str> {
    // Most that have a rare byte have a query.
    let rare = if url.len() < CHUNK { 0 } else { first_rare(url.as_bytes()) };
    let end = if url.as_bytes().get(rare) == Some(&b'?') { rare } else { end_of_path(url) };
    let (path, rest) = url.split_at_checked(end)?;
    let is_plain = end == rare || kinds(path.as_bytes()).is_plain();
    (is_plain && !says_nothing(rest.as_bytes())).then_some(path)
}

/// A path of fewer bytes than are looked at at once, with letters before it.
#[inline]
fn fill_up(path: &str) -> [u8; CHUNK] {
    const FILLER: u64 = u64::from_le_bytes([b'a'; 8]);
    let bytes = path.as_bytes();
    let (low, high) = match (bytes.first_chunk::<8>(), bytes.last_chunk::<8>()) {
        (Some(first), Some(last)) => {
            let bits = 8 * (CHUNK - bytes.len());
            let low = if bits < 64 {
                u64::from_le_bytes(*first) << (bits & 63) | FILLER >> ((64 - bits) & 63)
            } else {
                FILLER
            };
            (low, u64::from_le_bytes(*last))
        }
        _ => {
            let word = bytes.iter().rev().fold(0, |word, &byte| word << 8 | u64::from(byte));
            let bits = 64 - 8 * bytes.len();
            (FILLER, if bits < 64 { word << (bits & 63) | FILLER >> ((64 - bits) & 63) } else { FILLER })
        }
    };
    (u128::from(high) << 64 | u128::from(low)).to_le_bytes()
}

/// Is what follows a path a query with nothing in it?
#[inline]
fn says_nothing(rest: &[u8]) -> bool {
    let Some((b'?', query)) = rest.split_first() else { return false };
    query.iter().find(|&&byte| byte != b'&').is_none_or(|&byte| byte == b'#')
}

/// How a walk goes on that has come to nothing.
enum Back {
    /// At a slot, from that place of the path on, with so many values.
    To {
        slot: u32,
        start: usize,
        values: usize,
    },
    End(u32),
}

/// A path that is walked.
struct Path<'u, M> {
    /// Eight bytes or more.
    bytes: &'u [u8],
    /// The same, but for so many bytes that stand before it.
    text: &'u str,
    shift: usize,
    marks: M,
    /// Was there something that only the general path may ask?
    is_unsure: Cell<bool>,
}

impl<'u, M: Marks> Path<'u, M> {
    #[inline(always)]
    fn new(bytes: &'u [u8], text: &'u str, shift: usize, marks: M) -> Self {
        Self { bytes, text, shift, marks, is_unsure: Cell::new(false) }
    }

    #[inline(always)]
    fn piece(&self, start: usize, end: usize) -> &'u [u8] {
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
        text == Some(self.piece(start, start + length))
    }

    /// Where a segment of that number begins.
    fn start_of(&self, at: usize) -> usize {
        let mut start = self.shift + 1;
        for _ in 0..at {
            start += self.marks.ahead(start).trailing_zeros() as usize + 1;
        }
        start
    }

    /// Does a pattern accept a segment?
    #[inline(never)]
    fn asks(&self, tree: &Tree, pattern: PatternId, start: usize, end: usize, answers: &dyn Answers) -> bool {
        let pattern = tree.pattern(pattern);
        if pattern.asks_lists() && !self.marks.is_normal(self.bytes) {
            // A list is asked of the address that such a URL leads to.
            self.is_unsure.set(true);
            return false;
        }
        let text = || self.text.get(start - self.shift..end - self.shift).unwrap_or_default();
        pattern.accepts_plain(self.piece(start, end), text, answers)
    }

    fn fits(&self, tree: &Tree, edge: &Edge, start: usize, end: usize, answers: &dyn Answers) -> bool {
        match edge.quick {
            Quick::Any => true,
            Quick::Integer => Simple::Integer.accepts(self.piece(start, end)),
            Quick::Date => Simple::Date.accepts(self.piece(start, end)),
            Quick::Whole => self.asks(tree, edge.pattern, start, end, answers),
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
    /// Walks down the tree, and notes where values stand. Gives the code of an outcome.
    #[inline(always)]
    fn walk<M: Marks>(&self, path: &Path<'_, M>, answers: &dyn Answers, values: &mut Places) -> u32 {
        match self.descend(path, answers, values) {
            _ if path.is_unsure.get() => UNSURE,
            // Another address may have what is missing under this one.
            NOTHING if !path.marks.is_normal(path.bytes) => UNSURE,
            code => code,
        }
    }

    /// The walk itself, the narrower branch first.
    #[inline(always)]
    fn descend<M: Marks>(&self, path: &Path<'_, M>, answers: &dyn Answers, values: &mut Places) -> u32 {
        let Some(mut slot) = self.slots.get(self.root_slot as usize) else { return UNSURE };
        let (mut start, mut count) = (path.shift + 1, 0);
        'down: loop {
            let mut ahead = path.marks.ahead(start);
            let back = 'here: {
                let follows = slot.follows;
                if follows.is_all() {
                    let length = ahead.trailing_zeros() as usize;
                    let end = start + length;
                    if !path.is_value(start, length) {
                        return UNSURE;
                    }
                    let fits = match follows {
                        Follows::Any => true,
                        Follows::Integer => Simple::Integer.accepts(path.piece(start, end)),
                        Follows::Date => Simple::Date.accepts(path.piece(start, end)),
                        _ => path.asks(self, slot.pattern, start, end, answers),
                    };
                    if !fits {
                        break 'here self.resume(path, slot, answers, values);
                    }
                    let Some(value) = values.get_mut(count) else { return UNSURE };
                    *value = place(start, end);
                    count += 1;
                    if end == path.bytes.len() {
                        if slot.after != NOTHING {
                            return slot.after;
                        }
                        break 'here self.resume(path, slot, answers, values);
                    }
                    start = end + 1;
                    ahead = path.marks.ahead(start);
                }
                let word = path.word(start);
                let length = ahead.trailing_zeros() as usize;
                let at = slot.first_for(word, length, || slot.long_key(path.piece(start, start + length)));
                let Some(mut next) = self.slots.get(at as usize) else { return UNSURE };
                if !path.is_literal(self, next, word, ahead, start) {
                    match if next.has_more() { self.further(path, at, word, ahead, start) } else { None } {
                        Some(other) => next = other,
                        None => {
                            // The first edge beside literals, where it is a common one.
                            let fits = match slot.follows {
                                Follows::ElseAny => true,
                                Follows::ElseInteger => Simple::Integer.accepts(path.piece(start, start + length)),
                                Follows::ElseDate => Simple::Date.accepts(path.piece(start, start + length)),
                                _ => false,
                            };
                            if !fits || !path.is_value(start, length) {
                                break 'here self.edges_after(path, slot, start, count, answers, values);
                            }
                            let Some(value) = values.get_mut(count) else { return UNSURE };
                            let end = start + length;
                            *value = place(start, end);
                            let Some(target) = self.slots.get(slot.after as usize) else { return UNSURE };
                            if end < path.bytes.len() {
                                (slot, start, count) = (target, end + 1, count + 1);
                                continue 'down;
                            }
                            if target.here != NOTHING {
                                return target.here;
                            }
                            break 'here self.resume(path, target, answers, values);
                        }
                    }
                }
                start += usize::from(next.length);
                slot = next;
                if start < path.bytes.len() {
                    start += 1;
                    continue 'down;
                }
                if slot.here != NOTHING {
                    return slot.here;
                }
                self.resume(path, slot, answers, values)
            };
            match back {
                Back::To { slot: target, start: place, values } => {
                    let Some(target) = self.slots.get(target as usize) else { return UNSURE };
                    (slot, start, count) = (target, place, values);
                }
                Back::End(code) => return code,
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
            return Back::End(UNSURE);
        }
        let edges = node.edges.of(&self.edges);
        if edges.is_empty() {
            return self.resume(path, slot, answers, values);
        }
        let left = Left { edges, start, values: count, next: node.resume };
        self.back(path, left, answers, values)
    }

    /// Goes on where what follows a slot has come to nothing.
    #[inline(never)]
    fn resume<M: Marks>(&self, path: &Path<'_, M>, slot: &Slot, answers: &dyn Answers, values: &mut Places) -> Back {
        // A pattern that is all that follows a literal leaves the same to try as the literal does.
        match self.branch(path, self.node(slot.node).resume) {
            Ok(left) => self.back(path, left, answers, values),
            Err(code) => Back::End(code),
        }
    }

    /// What is left to try by a branch, or what it comes to where there is none.
    fn branch<M: Marks>(&self, path: &Path<'_, M>, branch: u32) -> Result<Left<'_>, u32> {
        if branch == Branch::NONE {
            return Err(NOTHING);
        }
        let Branch { at, values, edges, next } = self.branches.get(branch as usize).ok_or(UNSURE)?;
        let start = path.start_of(usize::from(*at));
        Ok(Left { edges: edges.of(&self.edges), start, values: usize::from(*values), next: *next })
    }

    /// Tries some edges, and where none of them leads on, those of the branches that are left.
    fn back<'t, M: Marks>(
        &'t self,
        path: &Path<'_, M>,
        mut left: Left<'t>,
        answers: &dyn Answers,
        values: &mut Places,
    ) -> Back {
        loop {
            let Left { edges, start, values: count, next } = left;
            let length = path.marks.ahead(start).trailing_zeros() as usize;
            let Some(value) = values.get_mut(count).filter(|_| path.is_value(start, length)) else {
                return Back::End(UNSURE);
            };
            for edge in edges {
                let mut end = start + length;
                if edge.is_tail {
                    match self.is_tail(path, edge, start, answers) {
                        Some(true) => end = path.bytes.len(),
                        Some(false) => continue,
                        None => return Back::End(UNSURE),
                    }
                } else if !path.fits(self, edge, start, end, answers) {
                    continue;
                }
                *value = place(start, end);
                if end < path.bytes.len() {
                    return Back::To { slot: edge.slot, start: end + 1, values: count + 1 };
                }
                match self.slots.get(edge.slot as usize).map_or(UNSURE, |target| target.here) {
                    NOTHING => {}
                    code => return Back::End(code),
                }
            }
            match self.branch(path, next) {
                Ok(branch) => left = branch,
                Err(code) => return Back::End(code),
            }
        }
    }

    /// Does a tail take all segments from a place on? Nothing where one of them is for the general path.
    fn is_tail<M: Marks>(
        &self,
        path: &Path<'_, M>,
        edge: &Edge,
        mut start: usize,
        answers: &dyn Answers,
    ) -> Option<bool> {
        loop {
            let length = path.marks.ahead(start).trailing_zeros() as usize;
            let end = start + length;
            if !path.is_value(start, length) {
                return None;
            }
            if !path.fits(self, edge, start, end, answers) {
                return Some(false);
            }
            if end == path.bytes.len() {
                return Some(true);
            }
            start = end + 1;
        }
    }
}

/// What is left to try at a place.
struct Left<'t> {
    /// One at least.
    edges: &'t [Edge],
    start: usize,
    /// How many values stand before it.
    values: usize,
    /// The branch after it.
    next: u32,
}
