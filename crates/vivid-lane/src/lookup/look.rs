//! The lookup: a URL, and what answers it.

use super::answers::Answers;
use super::node::LeafId;
use super::path::{BadPath, end_of_segments};
use super::reading::Reading;
use super::site::{Parsed, push_query};
use super::table::Frozen;
use super::target::Target;
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
    /// Looks a URL up. The host is one that was asked beside the URL.
    #[inline]
    pub(crate) fn lookup<'t, 'u>(
        &'t self,
        url: &'u str,
        host: Option<&'u str>,
        method: &str,
        answers: &dyn Answers,
    ) -> Lookup<'t, 'u> {
        let mut target = Target::default();
        match self.site.parse(url, host, &mut target) {
            Ok(Parsed::Plain) => {}
            Ok(Parsed::NonCanonical(address)) => return Lookup::NonCanonical(address),
            Ok(Parsed::Outside) => return Lookup::Nothing,
            Err(reason) => return Lookup::Bad(reason),
        };
        let accepted = self.tree.find(&target.ask(answers), &self.routes);
        let id = match (accepted.as_slice(), method) {
            ([], _) => return Lookup::Nothing,
            (&[one], "GET" | "HEAD") if self.tree.leaf(one).open_page.is_some() => one,
            _ => match self.choose(&accepted, method) {
                Some(one) => one,
                None => return Lookup::OtherMethods(accepted),
            },
        };
        if self.tree.folds || target.is_escaped() {
            let leaf = self.tree.leaf(id);
            // The table may spell this path in another letter case.
            let respelt =
                if target.has_other_keys() || leaf.is_respelt { respelt(&self.tree, id, &target) } else { None };
            if let Some(path) = respelt.or_else(|| with_slashes(leaf, &target)) {
                let mut address = self.site.address(path);
                push_query(&mut address, target.sent.query);
                return Lookup::NonCanonical(address);
            }
        }
        Lookup::Route(Reading::new(self, id, &mut target))
    }

    /// Whether a `GET` of the URL comes to a page, whatever it asks of the visitor.
    pub(crate) fn shows_page(&self, url: &str, host: Option<&str>, answers: &dyn Answers) -> bool {
        matches!(self.lookup(url, host, "GET", answers), Lookup::Route(reading) if reading.route().page.is_some())
    }

    /// How a route reads a URL, if it answers it just so.
    pub(crate) fn read<'t, 'u>(&'t self, url: &'u str, method: &str, answers: &dyn Answers) -> Option<Reading<'t, 'u>> {
        match self.lookup(url, None, method, answers) {
            Lookup::Route(reading) => Some(reading),
            _ => None,
        }
    }
}

/// The path with its tail as a link writes it, where a slash in it is escaped.
fn with_slashes(leaf: &Leaf, target: &Target<'_>) -> Option<String> {
    if !target.is_escaped() || !matches!(leaf.tail, Some(Tail { kind: TailKind::Rest, .. })) {
        return None;
    }
    let path = target.sent.path;
    let (before, tail) = path.split_at(end_of_segments(path, leaf.steps.count as usize - 1));
    tail.contains("%2F").then(|| format!("{before}{}", tail.replace("%2F", "/")))
}

/// The path with its literals as the route declares them, where that is another letter case.
#[cold]
fn respelt(tree: &Tree, id: LeafId, target: &Target<'_>) -> Option<String> {
    let differs = |at: usize| tree.spelling(id, at).is_some_and(|text| text != target.text(at));
    if !(0..target.len()).any(differs) {
        return None;
    }
    let mut path = String::with_capacity(target.sent.path.len());
    for (at, raw) in target.raws().enumerate() {
        path.push('/');
        match tree.spelling(id, at) {
            Some(text) => encode_segment(&mut path, text),
            None => path.push_str(raw),
        }
    }
    Some(path)
}
