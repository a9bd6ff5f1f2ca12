//! Links of a few texts that need nothing done to them, as most are. Where anything is out of the ordinary these ways give
//! up, and the long one begins anew, so that every refusal has its words.

use super::make::Link;
use crate::lookup::{NoLists, ParamKind, Route};
use crate::rule::Shape;
use crate::template::percent::kinds;

impl<P> Link<'_, P> {
    /// The URL of a route whose parameters are whole segments, from texts that stand in a URL as they are; `None` where
    /// anything else is to be said.
    pub(super) fn direct(&self, route: &Route) -> Option<String> {
        if !route.has_safe_links || self.more.is_some() || self.texts.len() != route.params.len() {
            return None;
        }
        let mut url = String::with_capacity(route.path.as_str().len() + self.texts.bytes());
        let is_written = route.path.fill(&mut url, |index| {
            let (param, text) = (route.params.get(index)?, self.texts.at(index)?);
            let is_plain = kinds(text.as_bytes()).is_unreserved() && !matches!(text, "" | "." | "..");
            let check = &param.check;
            (is_plain && (check.is_any() || (check.list.is_none() && check.accepts(text)))).then_some(text)
        });
        if !is_written {
            return None;
        }
        (url.len() <= self.table().frozen().limits.bytes).then_some(url)
    }

    /// The URL of a route whose values are texts that need nothing done to them, as most are; `None` where anything else is
    /// to be said.
    pub(super) fn quick(&self, route: &Route) -> Option<String> {
        let frozen = self.table().frozen();
        let has_others = !self.values().is_empty() || !self.inherited().is_empty();
        if has_others || !route.takes_values_as_they_are || route.extras.host.is_some() {
            return None;
        }
        let is_absent = |index: usize| self.texts.iter().all(|(given, _)| given != index);
        let mut absent = (0..route.params.len()).filter(|&index| is_absent(index));
        if self.texts.len() < route.params.len() && absent.clone().any(|index| !route.params[index].is_optional) {
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
        if !self.texts.iter().all(is_fine) {
            return None;
        }
        let url = route.path.expand_texts(|name| self.texts.get(&route.params, name));
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
            && self.texts.iter().all(is_same)
            && absent.all(|index| found.value_at(index).is_none());
        is_read_back.then_some(url)
    }
}
