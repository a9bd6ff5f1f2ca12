//! The lookup: a URL, and what answers it.

use super::answers::Answers;
use super::node::LeafId;
use super::path::end_of_segments;
use super::reading::Reading;
use super::site::{Unanswered, push_query};
use super::table::Frozen;
use super::target::Target;
use super::tree::{Leaf, Tail, TailKind, Tree};
use super::walk::Answering;
use crate::template::percent::encode_segment;

impl Frozen {
    /// Looks a URL up, and takes it apart. The host is one that was asked beside the URL. What is found is a leaf whose route may
    /// redirect, or have needs; a [`Reading`] of it is made from the target.
    #[inline(always)]
    pub(crate) fn lookup<'u>(
        &self,
        url: &'u str,
        host: Option<&'u str>,
        method: &str,
        answers: &dyn Answers,
        target: &mut Target<'u>,
    ) -> Result<LeafId, Unanswered> {
        self.site.parse(url, host, target)?;
        let ask = target.ask(answers);
        let mut found = Answering::new(&self.tree, &ask, &self.routes);
        self.tree.walk(&ask, &mut found);
        let Some(first) = found.first else { return Err(Unanswered::Nothing) };
        let is_open = matches!(method, "GET" | "HEAD") && self.tree.leaf(first).open_page.is_some();
        let id = if found.others.is_empty() && is_open { first } else { self.narrowest(&found, method)? };
        match if self.tree.folds || target.is_escaped() { self.respelt(id, target) } else { None } {
            Some(address) => Err(Unanswered::NonCanonical(address)),
            None => Ok(id),
        }
    }

    /// The same as a call, so that it is copied into those alone whose cost counts.
    #[inline(never)]
    pub(crate) fn lookup_outlined<'u>(
        &self,
        url: &'u str,
        host: Option<&'u str>,
        (method, answers): (&str, &dyn Answers),
        target: &mut Target<'u>,
    ) -> Result<LeafId, Unanswered> {
        self.lookup(url, host, method, answers, target)
    }

    /// The leaf that answers a method, of those that accept a URL.
    #[inline(never)]
    fn narrowest(&self, found: &Answering<'_, '_>, method: &str) -> Result<LeafId, Unanswered> {
        let accepted = found.narrowest();
        self.choose(&accepted, method).ok_or(Unanswered::OtherMethods(accepted))
    }

    /// Takes a URL apart.
    #[inline(never)]
    pub(crate) fn parse<'u>(
        &self,
        url: &'u str,
        host: Option<&'u str>,
        target: &mut Target<'u>,
    ) -> Result<(), Unanswered> {
        self.site.parse(url, host, target)
    }

    /// The address of a path that the route that answers it writes in another way.
    #[inline(never)]
    fn respelt(&self, id: LeafId, target: &Target<'_>) -> Option<String> {
        let leaf = self.tree.leaf(id);
        let in_its_case = target.has_other_keys() || leaf.is_respelt;
        let respelt = if in_its_case { respelt(&self.tree, id, target) } else { None };
        let mut address = self.site.address(respelt.or_else(|| with_slashes(leaf, target))?);
        push_query(&mut address, target.sent.query);
        Some(address)
    }

    /// Whether a `GET` of the URL comes to a page, whatever it asks of the visitor.
    pub(crate) fn shows_page(&self, url: &str, host: Option<&str>, answers: &dyn Answers) -> bool {
        let found = self.lookup_outlined(url, host, ("GET", answers), &mut Target::default());
        found.is_ok_and(|id| self.route(self.tree.leaf(id).route).page.is_some())
    }

    /// How a route reads a URL, if it answers it just so.
    pub(crate) fn read<'t, 'u>(&'t self, url: &'u str, method: &str, answers: &dyn Answers) -> Option<Reading<'t, 'u>> {
        let mut target = Target::default();
        let id = self.lookup_outlined(url, None, (method, answers), &mut target).ok()?;
        Some(Reading::new(self, id, &mut target))
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
