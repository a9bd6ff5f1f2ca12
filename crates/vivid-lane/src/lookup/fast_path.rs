//! The common case of a lookup, in as few steps as there are: a `GET` of a path that needs no decoding, in a table
//! whose nodes say on the way which branch is the narrower.
//!
//! The walk goes from slot to slot, and notes on the way where values stand; what is rare stands apart. It gives the same answers
//! as the general path, or none: where anything is out of the ordinary (an escape, an empty segment, a node without an order, a
//! leaf that asks for a host) it says so, and the general path begins anew.

use super::answers::Answers;
use super::ask::{Pairs, Target, is_vacant_query, pairs};
use super::conditions::FEW;
use super::marks::{CHUNK, Few, Many, Marks};
use super::path::{MOST_FEW, MorePlaces, Place, Spans};
use super::plain_path::{Noted, Path, Places, fill_up, path_of};
use super::reading::{Reading, names};
use super::route::PageId;
use super::slot::{Follows, LeafId, NOTHING, Slot, UNSURE};
use super::table::Frozen;
use super::tree::{Branch, Edge, Leaf, QueryRole, Tree};
use crate::rule::Simple;
use crate::template::bytes::first_of;

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
    /// Whether those in the query were noted too.
    is_noted: bool,
    /// Where the path ends.
    end: usize,
}

impl Frozen {
    /// Looks up a `GET` of a URL that begins with a slash.
    #[inline(always)]
    pub(crate) fn fast_path(&self, url: &str, answers: &dyn Answers) -> FastPath {
        let bytes = url.as_bytes();
        let length = bytes.len();
        if length > self.longest_fast || bytes.first() != Some(&b'/') {
            return FastPath::Unsure;
        }
        let mut values = [Place::NONE; MOST_FEW];
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
        let Some(page) = leaf.unguarded_page else { return FastPath::Unsure };
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
        values.iter_mut().for_each(|place| *place = place.less(shift));
        code
    }

    /// Whether the query of a URL leaves it at a leaf that its path leads to. Then it tells whether the values in it were noted,
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
        let mut places =
            values.get_mut(first..first + route.extras.query.params.len()).filter(|places| places.len() <= FEW);
        if let Some(places) = &mut places {
            route.extras.query.note(query, places);
        }
        let fits = match places.as_ref().filter(|_| route.extras.query.has_params_only()) {
            _ if leaf.query == QueryRole::None => true,
            Some(places) => route.extras.query.fits(query, places, answers),
            None => {
                let pairs: Pairs<'_> = pairs(query).collect();
                // An empty value may be there for nothing.
                pairs.iter().all(|pair| !pair.raw.is_empty())
                    && !route.has_defaults
                    && route.extras.query.refusal(&pairs, answers).is_none()
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
        let matcher = &self.route(leaf.route).extras.query;
        let query = query.filter(|_| !found.is_noted && leaf.reads_much)?;
        Some(Box::new(MorePlaces::of_query(matcher.places(names(query)))))
    }
}

/// How a walk goes on that has come to nothing.
enum Back {
    /// At a slot, from that place of the path on.
    To {
        slot: u32,
        start: usize,
    },
    End(u32),
}

impl Tree {
    /// Walks down the tree, and notes where values stand. Gives the code of an outcome. In WebAssembly, which is downloaded, it is
    /// not copied into all that call it.
    #[cfg_attr(not(target_arch = "wasm32"), inline(always))]
    #[cfg_attr(target_arch = "wasm32", inline(never))]
    fn walk<M: Marks>(&self, path: &Path<'_, M>, answers: &dyn Answers, values: &mut Places) -> u32 {
        match self.descend(path, answers, values) {
            _ if path.is_unsure.get() => UNSURE,
            // Another address may have what is missing under this one.
            NOTHING if !path.marks.is_normal(path.bytes, 0) => UNSURE,
            code => code,
        }
    }

    /// The walk itself, the narrower branch first.
    #[inline(always)]
    fn descend<M: Marks>(&self, path: &Path<'_, M>, answers: &dyn Answers, values: &mut Places) -> u32 {
        let Some(mut slot) = self.slots.get(self.root_slot as usize) else { return UNSURE };
        let mut start = path.shift + 1;
        let mut noted = Noted { places: values, count: 0 };
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
                        Follows::Any => path.note(start, end, &mut noted),
                        Follows::Integer => {
                            Simple::Integer.accepts(path.piece(start, end)) && path.note(start, end, &mut noted)
                        }
                        Follows::Date => {
                            Simple::Date.accepts(path.piece(start, end)) && path.note(start, end, &mut noted)
                        }
                        _ => path.asks(self.pattern(slot.pattern), start, end, answers, &mut noted),
                    };
                    if !fits {
                        break 'here self.resume(path, slot, answers, &mut noted);
                    }
                    if end == path.bytes.len() {
                        if slot.after != NOTHING {
                            return slot.after;
                        }
                        break 'here self.resume(path, slot, answers, &mut noted);
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
                            let end = start + length;
                            let fits = match slot.follows {
                                Follows::ElseAny => true,
                                Follows::ElseInteger => Simple::Integer.accepts(path.piece(start, end)),
                                Follows::ElseDate => Simple::Date.accepts(path.piece(start, end)),
                                _ => false,
                            };
                            if !fits || !path.is_value(start, length) {
                                break 'here self.edges_after(path, slot, start, answers, &mut noted);
                            }
                            let Some(target) = self.slots.get(slot.after as usize) else { return UNSURE };
                            if !path.note(start, end, &mut noted) {
                                return UNSURE;
                            }
                            if end < path.bytes.len() {
                                (slot, start) = (target, end + 1);
                                continue 'down;
                            }
                            if target.here != NOTHING {
                                return target.here;
                            }
                            break 'here self.resume(path, target, answers, &mut noted);
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
                self.resume(path, slot, answers, &mut noted)
            };
            match back {
                Back::To { slot: target, start: place } => {
                    let Some(target) = self.slots.get(target as usize) else { return UNSURE };
                    (slot, start) = (target, place);
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
        answers: &dyn Answers,
        noted: &mut Noted<'_>,
    ) -> Back {
        if slot.follows == Follows::ElseTail
            && let Some(code) = self.tail_after(path, slot, start, noted)
        {
            return Back::End(code);
        }
        let node = self.node(slot.node);
        if !node.fits_fast_path {
            return Back::End(UNSURE);
        }
        let edges = self.edges(node);
        if edges.is_empty() {
            return self.resume(path, slot, answers, noted);
        }
        self.back(path, Left { edges, start, next: node.resume }, answers, noted)
    }

    /// What comes of a tail that takes all segments from a place on; nothing where one of them is not for this path.
    #[inline(always)]
    fn tail_after<M: Marks>(
        &self,
        path: &Path<'_, M>,
        slot: &Slot,
        start: usize,
        noted: &mut Noted<'_>,
    ) -> Option<u32> {
        let code = self.slots.get(slot.after as usize)?.here;
        let takes_all = code != NOTHING && path.marks.is_normal(path.bytes, start);
        (takes_all && path.note(start, path.bytes.len(), noted)).then_some(code)
    }

    /// Goes on where what follows a slot has come to nothing.
    #[inline(never)]
    fn resume<M: Marks>(&self, path: &Path<'_, M>, slot: &Slot, answers: &dyn Answers, noted: &mut Noted<'_>) -> Back {
        // A pattern that is all that follows a literal leaves the same to try as the literal does.
        match self.branch(path, self.node(slot.node).resume, noted) {
            Ok(left) => self.back(path, left, answers, noted),
            Err(code) => Back::End(code),
        }
    }

    /// What is left to try by a branch, or what it comes to where there is none.
    fn branch<M: Marks>(&self, path: &Path<'_, M>, branch: u32, noted: &mut Noted<'_>) -> Result<Left<'_>, u32> {
        if branch == Branch::NONE {
            return Err(NOTHING);
        }
        let Branch { at, values, edges, next } = self.branches.get(branch as usize).ok_or(UNSURE)?;
        noted.count = usize::from(*values);
        Ok(Left { edges: edges.of(&self.edges), start: path.start_of(usize::from(*at)), next: *next })
    }

    /// Tries some edges, and where none of them leads on, those of the branches that are left.
    fn back<'t, M: Marks>(
        &'t self,
        path: &Path<'_, M>,
        mut left: Left<'t>,
        answers: &dyn Answers,
        noted: &mut Noted<'_>,
    ) -> Back {
        loop {
            let Left { edges, start, next } = left;
            let length = path.marks.ahead(start).trailing_zeros() as usize;
            if !path.is_value(start, length) {
                return Back::End(UNSURE);
            }
            let count = noted.count;
            for edge in edges {
                noted.count = count;
                let mut end = start + length;
                if edge.is_tail {
                    match self.is_tail(path, edge, start, answers, noted) {
                        Some(true) => end = path.bytes.len(),
                        Some(false) => continue,
                        None => return Back::End(UNSURE),
                    }
                } else if !path.fits(self, edge, start, end, answers, noted) {
                    continue;
                }
                if end < path.bytes.len() {
                    return Back::To { slot: edge.slot, start: end + 1 };
                }
                match self.slots.get(edge.slot as usize).map_or(UNSURE, |target| target.here) {
                    NOTHING => {}
                    code => return Back::End(code),
                }
            }
            match self.branch(path, next, noted) {
                Ok(branch) => left = branch,
                Err(code) => return Back::End(code),
            }
        }
    }

    /// Whether a tail takes all segments from a place on. Then it notes them as one value. Nothing where one of them is for the
    /// general
    /// path.
    fn is_tail<M: Marks>(
        &self,
        path: &Path<'_, M>,
        edge: &Edge,
        first: usize,
        answers: &dyn Answers,
        noted: &mut Noted<'_>,
    ) -> Option<bool> {
        let (count, mut start) = (noted.count, first);
        loop {
            let length = path.marks.ahead(start).trailing_zeros() as usize;
            let end = start + length;
            if !path.is_value(start, length) {
                return None;
            }
            noted.count = count;
            if !path.fits(self, edge, start, end, answers, noted) {
                return Some(false);
            }
            if end == path.bytes.len() {
                noted.count = count;
                return Some(path.note(first, end, noted));
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
    /// The branch after it.
    next: u32,
}
