//! Links of a few texts that need nothing done to them, as most are. Where anything is out of the ordinary, the long way begins
//! anew, so that every refusal has its words.

use super::make::Link;
use crate::lookup::{MOST_BYTES, NoLists, ParamKind, Route};
use crate::rule::Shape;
use crate::template::percent::kinds;

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
        if url.len() > MOST_BYTES || !url.starts_with('/') {
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
