//! Names and values of a query or a form (WHATWG, URL, section 5).

/// The pairs of a form.
pub(super) fn pairs(text: &[u8]) -> Vec<(String, String)> {
    form_urlencoded::parse(text).into_owned().collect()
}

/// The first value of a name.
pub(super) fn first<'p>(pairs: &'p [(String, String)], name: &str) -> Option<&'p str> {
    pairs.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
}

/// All values of a name.
pub(super) fn all<'p>(pairs: &'p [(String, String)], name: &str) -> Vec<&'p str> {
    pairs.iter().filter(|(known, _)| known == name).map(|(_, value)| value.as_str()).collect()
}

/// The query of some pairs.
pub(super) fn written(pairs: impl IntoIterator<Item = (String, String)>) -> String {
    form_urlencoded::Serializer::new(String::new()).extend_pairs(pairs).finish()
}
