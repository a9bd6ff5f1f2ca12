//! The lookup: a URL in its parts, and what answers it.

use super::answers::Answers;
use super::ask::{Parts, pairs};
use super::fast_path::FastPath;
use super::path::BadPath;
use super::reading::Reading;
use super::route::PageId;
use super::site::{Parsed, push_query};
use super::slot::LeafId;
use super::table::Frozen;
use super::tree::{Accepted, Leaf, Tail, TailKind, Tree};
use crate::template::percent::encode_segment;

/// What a URL comes to.
#[derive(Debug)]
#[allow(clippy::large_enum_variant, reason = "the common case, which must cost no allocation")]
pub(crate) enum Lookup<'t, 'u> {
    /// A route, which may redirect, have needs, or want another address.
    Route(Reading<'t, 'u>),
    /// A URL that is not in its canonical form, and the address that is.
    NonCanonical(String),
    /// Routes, but none for the method.
    OtherMethods(Accepted),
    Nothing,
    Bad(BadPath),
}

impl Frozen {
    /// Takes a URL apart; the host is one that was asked beside it. The parts are written in place, as they
    /// are large.
    pub(crate) fn parse<'u>(
        &self,
        url: &'u str,
        host: Option<&'u str>,
        parts: &mut Parts<'u>,
    ) -> Result<Parsed, BadPath> {
        let cut = self.site.cut(url, self.limits, parts)?;
        if let Some(query) = parts.target.query {
            parts.query.extend(pairs(query));
        }
        parts.target.host = parts.target.host.or(host);
        Ok(cut)
    }

    /// Looks a URL up by the fast path, and goes on by the general one where that is not sure. The host is one that was
    /// asked beside the URL.
    ///
    /// What is found is handed on and not back: to `page` for a page that is shown to whoever asks, and to `general`, which
    /// begins with [`general_path`](Self::general_path), where the fast path does not know. A return value that holds
    /// either is copied twice, and its room is made for each lookup.
    #[inline(always)]
    pub(crate) fn lookup<'t, 'u, R>(
        &'t self,
        url: &'u str,
        host: Option<&'u str>,
        (method, answers): (&str, &dyn Answers),
        page: impl FnOnce(PageId, Reading<'t, 'u>) -> R,
        miss: impl FnOnce() -> R,
        general: impl FnOnce() -> R,
    ) -> R {
        if matches!(method, "GET" | "HEAD") {
            match self.fast_path(url, answers) {
                FastPath::Page(found) => return page(found.page, self.fast_reading(&found, url, host)),
                FastPath::Miss => return miss(),
                FastPath::Unsure => {}
            }
        }
        general()
    }

    /// Looks a URL up, whatever it has and asks.
    #[inline(never)]
    pub(crate) fn general_path<'t, 'u>(
        &'t self,
        url: &'u str,
        host: Option<&'u str>,
        method: &str,
        answers: &dyn Answers,
    ) -> Lookup<'t, 'u> {
        let mut parts = Parts::default();
        match self.parse(url, host, &mut parts) {
            Ok(Parsed::Plain) => {}
            Ok(Parsed::NonCanonical(address)) => return Lookup::NonCanonical(address),
            Ok(Parsed::Outside) => return Lookup::Nothing,
            Err(reason) => return Lookup::Bad(reason),
        };
        let accepted = self.tree.find(&parts.ask(answers), &self.routes);
        if accepted.is_empty() {
            return Lookup::Nothing;
        }
        let Some(id) = self.choose(&accepted, method) else { return Lookup::OtherMethods(accepted) };
        // The table may spell this path in another letter case.
        if self.tree.folds
            && let Some(path) = respelt(&self.tree, id, &parts)
        {
            return Lookup::NonCanonical(self.address_of(&path, &parts));
        }
        if let Some(path) = with_slashes(self.tree.leaf(id), &parts) {
            return Lookup::NonCanonical(self.address_of(&path, &parts));
        }
        Lookup::Route(Reading::new(self, id, &parts))
    }

    /// The address of a path below the base, with the query that was asked.
    fn address_of(&self, path: &str, parts: &Parts<'_>) -> String {
        let mut address = self.site.address(path.to_owned());
        push_query(&mut address, parts.target.query);
        address
    }

    /// Whether a `GET` of the URL comes to a page, whatever it asks of the visitor.
    pub(crate) fn shows_page(&self, url: &str, host: Option<&str>, answers: &dyn Answers) -> bool {
        let general = || matches!(self.general_path(url, host, "GET", answers), Lookup::Route(reading) if reading.route().page.is_some());
        self.lookup(url, host, ("GET", answers), |_, _| true, || false, general)
    }

    /// How a route reads a URL, if it answers it just so.
    pub(crate) fn read<'t, 'u>(&'t self, url: &'u str, method: &str, answers: &dyn Answers) -> Option<Reading<'t, 'u>> {
        let general = || match self.general_path(url, None, method, answers) {
            Lookup::Route(reading) => Some(reading),
            _ => None,
        };
        self.lookup(url, None, (method, answers), |_, reading| Some(reading), || None, general)
    }
}

/// The path with its tail as a link writes it, where a slash in it is escaped.
fn with_slashes(leaf: &Leaf, parts: &Parts<'_>) -> Option<String> {
    let segments = &parts.segments;
    if !segments.is_escaped() || !matches!(leaf.tail, Some(Tail { kind: TailKind::Rest, .. })) {
        return None;
    }
    let (before, tail) = segments.path.split_at(segments.start(leaf.steps.count as usize - 1));
    tail.contains("%2F").then(|| format!("{before}{}", tail.replace("%2F", "/")))
}

/// The path with its literals as the route declares them, where that is another letter case.
#[cold]
fn respelt(tree: &Tree, id: LeafId, parts: &Parts<'_>) -> Option<String> {
    let segments = &parts.segments;
    let differs = |at: usize| tree.spelling(id, at).is_some_and(|text| text != segments.text(at));
    if !(0..segments.len()).any(differs) {
        return None;
    }
    let mut path = String::with_capacity(segments.path.len());
    for (at, raw) in segments.raws().enumerate() {
        path.push('/');
        match tree.spelling(id, at) {
            Some(text) => encode_segment(&mut path, text),
            None => path.push_str(raw),
        }
    }
    Some(path)
}
