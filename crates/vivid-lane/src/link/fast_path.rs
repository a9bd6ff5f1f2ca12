//! Links of a few texts that need nothing done to them, as most are. Where anything is out of the ordinary these ways give
//! up, and the long one begins anew, so that every refusal has its words.

use super::make::Link;
use super::values::InlineValues;
use crate::lookup::{NoLists, Param, ParamKind, Route};
use crate::rule::Shape;
use crate::template::percent::kinds;

/// The URL of a page whose parameters are whole segments, from texts that stand in a URL as they are; `None` where
/// anything else is to be said, also where it has more bytes than the limit.
pub(super) fn direct(route: &Route, texts: &InlineValues<'_>, limit: usize) -> Option<String> {
    if !route.has_safe_links || route.page.is_none() || route.extras.onward.is_some() {
        return None;
    }
    let texts = texts.all_of(&route.params)?;
    let bytes = texts.iter().fold(route.path.as_str().len(), |bytes, text| bytes + text.len());
    let mut url = String::with_capacity(bytes);
    let mut values = route.params.iter().zip(texts);
    for literal in route.path.texts() {
        let text = match literal {
            Some(literal) => literal,
            None => {
                let (Param { check, .. }, text) = values.next()?;
                let is_plain = kinds(text.as_bytes()).is_unreserved() && !matches!(*text, "" | "." | "..");
                if !is_plain || !(check.is_any() || (check.list.is_none() && check.accepts(text))) {
                    return None;
                }
                text
            }
        };
        url.push_str(text);
    }
    (url.len() <= limit).then_some(url)
}

impl<P> Link<'_, P> {
    /// The URL of a route whose values are texts that need nothing done to them, as most are; `None` where anything else is
    /// to be said.
    pub(super) fn quick(&self, route: &Route) -> Option<String> {
        let frozen = self.table().frozen();
        let texts = self.texts();
        if !self.has_only_texts() || !route.takes_values_as_they_are || route.extras.host.is_some() {
            return None;
        }
        let mut absent = (0..route.params.len()).filter(|&index| texts.at(index).is_none());
        if absent.clone().any(|index| !route.params[index].is_optional) {
            return None;
        }
        let is_fine = |(index, text): (usize, &str)| {
            let param = &route.params[index];
            match text {
                _ if param.check.shape() != Shape::One => false,
                "" => matches!(param.kind, ParamKind::Query | ParamKind::Fragment) && param.check.is_any(),
                "." | ".." => false,
                text => {
                    param.check.list.is_none() && !kinds(text.as_bytes()).has_control() && param.check.accepts(text)
                }
            }
        };
        if !texts.iter().all(is_fine) {
            return None;
        }
        let url = route.path.expand_texts(|name| texts.at(texts.place(&route.params, name)?));
        if url.len() > frozen.limits.bytes || !url.starts_with('/') {
            return None;
        }
        if route.has_safe_links {
            return Some(url);
        }
        let url = frozen.site.address(url);
        let method = route.methods.0.first().map_or("GET", |method| &**method);
        let found = frozen.read(&url, method, &NoLists)?;
        let is_same = |(index, text): (usize, &str)| {
            route.params[index].kind == ParamKind::Fragment || found.text(index).is_some_and(|read| read == text)
        };
        let is_read_back = *found.route().name == *route.name
            && texts.iter().all(is_same)
            && absent.all(|index| found.value_at(index).is_none());
        is_read_back.then_some(url)
    }
}
