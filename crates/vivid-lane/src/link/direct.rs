//! Links of the plainest kind.

use super::values::InlineValues;
use crate::lookup::{MOST_BYTES, Param, Route};
use crate::template::percent::kinds;

/// The URL of a page whose parameters are whole segments, from texts that stand in a URL as they are; `None` where
/// anything else is to be said, also where it has more bytes than the limit.
pub(super) fn direct(route: &Route, texts: &InlineValues<'_>) -> Option<String> {
    if !route.has_safe_links || route.page.is_none() || route.extras.onward.is_some() {
        return None;
    }
    let (mut params, mut texts) = (&*route.params, texts.all_of(&route.params)?);
    let bytes = texts.iter().fold(route.path.as_str().len(), |bytes, text| bytes + text.len());
    let mut url = String::with_capacity(bytes);
    for literal in route.path.texts() {
        let text = match literal {
            Some(literal) => literal,
            None => {
                let ([Param { check, .. }, next @ ..], [text, others @ ..]) = (params, texts) else { return None };
                (params, texts) = (next, others);
                let is_plain = kinds(text.as_bytes()).is_unreserved() && !matches!(*text, "" | "." | "..");
                if !is_plain || !(check.is_any() || (check.list.is_none() && check.accepts(text))) {
                    return None;
                }
                text
            }
        };
        url.push_str(text);
    }
    (url.len() <= MOST_BYTES).then_some(url)
}
