//! Texts in addresses, and in TOML.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_decode_str, utf8_percent_encode};
use toml_writer::{ToTomlValue, TomlStringBuilder};

/// All but the unreserved characters (RFC 3986, section 2.3).
const ESCAPED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// Appends a text with everything but unreserved characters escaped.
pub(crate) fn encode(out: &mut String, text: &str) {
    out.extend(utf8_percent_encode(text, ESCAPED));
}

/// Whether a text needs no escapes.
pub(crate) fn is_plain(text: &str) -> bool {
    utf8_percent_encode(text, ESCAPED).all(|part| !part.starts_with('%'))
}

/// A segment without its escapes; `None` if one of them is wrong, or if it holds what no segment may.
pub(crate) fn decode(raw: &str) -> Option<String> {
    let is_escape = |after: &str| after.bytes().take(2).filter(u8::is_ascii_hexdigit).count() == 2;
    let decoded =
        percent_decode_str(raw).decode_utf8().ok().filter(|text| !text.contains(|c: char| c.is_ascii_control()))?;
    raw.split('%').skip(1).all(is_escape).then(|| decoded.into_owned())
}

/// A name or a value of a query, in which nothing is wrong (WHATWG, URL, section 5.1).
pub(crate) fn decode_form(raw: &str) -> String {
    percent_decode_str(&raw.replace('+', " ")).decode_utf8_lossy().into_owned()
}

/// A basic string of TOML.
pub(crate) fn quoted(text: &str) -> String {
    TomlStringBuilder::new(text).as_basic().to_toml_value()
}
