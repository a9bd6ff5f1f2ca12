//! The lookup: a URL in its parts, and what answers it.

use super::answers::Answers;
use super::ask::{Parts, pairs};
use super::fast_path::FastPath;
use super::path::BadPath;
use super::reading::Reading;
use super::site::Parsed;
use super::table::Frozen;
use super::tree::{Accepted, LeafId, Tree};
use crate::template::percent::encode_segment;

/// What answers a URL.
#[derive(Debug)]
#[allow(clippy::large_enum_variant, reason = "the common case, which must cost no allocation")]
pub(crate) enum Looked<'t, 'u> {
    /// A route, with a page or a redirect.
    Answer(Reading<'t, 'u>),
    /// A page, but the table spells this path in another letter case.
    Respelt(String),
    /// Routes, but none for the method.
    OtherMethods(Accepted),
    Nothing,
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
            pairs(query, &mut parts.query).map_err(BadPath::Undecodable)?;
        }
        parts.target.host = parts.target.host.or(host);
        Ok(cut)
    }

    /// Looks a URL up.
    pub(crate) fn look<'t, 'u>(&'t self, parts: &Parts<'u>, method: &str, answers: &dyn Answers) -> Looked<'t, 'u> {
        let accepted = self.tree.find(&parts.ask(answers), &self.routes);
        if accepted.is_empty() {
            return Looked::Nothing;
        }
        let Some(id) = self.choose(&accepted, method) else { return Looked::OtherMethods(accepted) };
        if self.tree.folds
            && let Some(path) = respelt(&self.tree, id, parts)
        {
            let query = parts.target.query.map_or_else(String::new, |query| format!("?{query}"));
            return Looked::Respelt(self.site.address(format!("{path}{query}")));
        }
        Looked::Answer(Reading::new(self, id, parts))
    }

    /// How a route reads a URL, if it answers it just so.
    pub(crate) fn read<'t, 'u>(&'t self, url: &'u str, method: &str, answers: &dyn Answers) -> Option<Reading<'t, 'u>> {
        if method == "GET"
            && let FastPath::Page(found) = self.fast_path(url, answers)
        {
            return Some(self.fast_reading(&found, url, None));
        }
        let mut parts = Parts::default();
        let Ok(Parsed::Plain) = self.parse(url, None, &mut parts) else { return None };
        match self.look(&parts, method, answers) {
            Looked::Answer(reading) => Some(reading),
            _ => None,
        }
    }
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
