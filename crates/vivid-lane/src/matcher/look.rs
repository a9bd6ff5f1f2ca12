//! The lookup: a URL in its parts, and what answers it.

use super::ask::{Ask, Lists, Pairs, Target, pairs};
use super::path::{BadPath, Segments};
use super::reading::Reading;
use super::site::Cut;
use super::table::Frozen;
use super::tree::{Accepted, Ending};
use crate::template::percent::encode_segment;

/// A URL in its normal form, in its parts.
#[derive(Debug)]
pub(crate) struct Parts<'u> {
    pub(crate) target: Target<'u>,
    pub(crate) segments: Segments<'u>,
    pub(crate) query: Pairs<'u>,
}

impl<'u> Parts<'u> {
    pub(crate) fn ask<'a>(&'a self, lists: &'a dyn Lists) -> Ask<'a, 'u> {
        Ask { segments: &self.segments, query: &self.query, host: self.target.host, lists }
    }
}

/// A URL that was parsed.
#[derive(Debug)]
#[allow(clippy::large_enum_variant, reason = "the common case, which must cost no allocation")]
pub(crate) enum Parsed<'u> {
    Plain(Parts<'u>),
    /// The URL is not in its normal form, which is this address.
    Crooked(String),
    /// The URL does not stand under the base of the site.
    Outside,
}

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
    /// Takes a URL apart; the host is one that was asked beside it.
    pub(crate) fn parse<'u>(&self, url: &'u str, host: Option<&'u str>) -> Result<Parsed<'u>, BadPath> {
        let (target, segments) = match self.site.cut(url, self.limits)? {
            Cut::Plain(target, segments) => (target, segments),
            Cut::Crooked(address, query) => {
                pairs(query.unwrap_or_default()).map_err(BadPath::Undecodable)?;
                return Ok(Parsed::Crooked(address));
            }
            Cut::Outside => return Ok(Parsed::Outside),
        };
        let query = pairs(target.query.unwrap_or_default()).map_err(BadPath::Undecodable)?;
        let target = Target { host: target.host.or(host), ..target };
        Ok(Parsed::Plain(Parts { target, segments, query }))
    }

    /// Looks a URL up.
    pub(crate) fn look<'t, 'u>(&'t self, parts: &Parts<'u>, method: &str, lists: &dyn Lists) -> Looked<'t, 'u> {
        let ask = parts.ask(lists);
        let accepted = self.tree.find(&ask, &self.routes);
        if accepted.is_empty() {
            return Looked::Nothing;
        }
        let Some(id) = self.choose(&accepted, method) else { return Looked::OtherMethods(accepted) };
        if let Some(path) = respelt(self.tree.ending(id), parts) {
            let query = parts.target.query.map_or_else(String::new, |query| format!("?{query}"));
            return Looked::Respelt(self.site.address(&format!("{path}{query}")));
        }
        Looked::Answer(Reading::new(self, id, &ask, parts.target))
    }

    /// How a route reads a URL, if it answers it just so.
    pub(crate) fn read<'t, 'u>(&'t self, url: &'u str, method: &str, lists: &dyn Lists) -> Option<Reading<'t, 'u>> {
        let Ok(Parsed::Plain(parts)) = self.parse(url, None) else { return None };
        match self.look(&parts, method, lists) {
            Looked::Answer(reading) => Some(reading),
            _ => None,
        }
    }
}

/// The path with its literals as the route declares them, where that is another letter case.
fn respelt(ending: &Ending, parts: &Parts<'_>) -> Option<String> {
    let segments = &parts.segments.list;
    let differs = |(at, text): &(u16, Box<str>)| segments[usize::from(*at)].text != **text;
    if !ending.spelling.iter().any(differs) {
        return None;
    }
    let mut path = String::with_capacity(parts.segments.path.len());
    for (at, segment) in segments.iter().enumerate() {
        path.push('/');
        match ending.spelling.iter().find(|(known, _)| usize::from(*known) == at) {
            Some((_, text)) => encode_segment(&mut path, text),
            None => path.push_str(segment.raw),
        }
    }
    Some(path)
}
