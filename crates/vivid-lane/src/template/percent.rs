//! Percent-encoding, RFC 3986 section 2.1.

use std::borrow::Cow;

use super::bytes::first_of;

const HEX: &[u8; 16] = b"0123456789ABCDEF";

/// Whether the byte is one that never needs an escape (RFC 3986, section 2.3).
pub(crate) const fn is_unreserved(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'.' | b'_' | b'~')
}

/// Whether the byte is a delimiter of URIs (RFC 3986, section 2.2).
pub(crate) const fn is_reserved(byte: u8) -> bool {
    matches!(
        byte,
        b':' | b'/'
            | b'?'
            | b'#'
            | b'['
            | b']'
            | b'@'
            | b'!'
            | b'$'
            | b'&'
            | b'\''
            | b'('
            | b')'
            | b'*'
            | b'+'
            | b','
            | b';'
            | b'='
    )
}

/// The byte that the two hexadecimal digits after a `%` stand for.
pub(crate) fn triplet(after: &[u8]) -> Option<u8> {
    let digit = |byte: u8| char::from(byte).to_digit(16);
    let high = digit(*after.first()?)?;
    let low = digit(*after.get(1)?)?;
    u8::try_from(high * 16 + low).ok()
}

fn push_escape(out: &mut String, byte: u8) {
    out.push('%');
    out.push(char::from(HEX[usize::from(byte >> 4)]));
    out.push(char::from(HEX[usize::from(byte & 15)]));
}

/// Appends `value` with everything but unreserved characters escaped.
pub(crate) fn encode_unreserved(out: &mut String, value: &str) {
    if kinds(value.as_bytes()).is_unreserved() {
        out.push_str(value);
        return;
    }
    for byte in value.bytes() {
        if is_unreserved(byte) { out.push(char::from(byte)) } else { push_escape(out, byte) }
    }
}

/// Appends `value` with unreserved and reserved characters and existing triplets kept, the rest escaped.
pub(crate) fn encode_reserved(out: &mut String, value: &str) {
    let bytes = value.as_bytes();
    if kinds(bytes).is_plain() {
        out.push_str(value);
        return;
    }
    for (at, &byte) in bytes.iter().enumerate() {
        let keep = is_unreserved(byte) || is_reserved(byte) || (byte == b'%' && triplet(&bytes[at + 1..]).is_some());
        if keep { out.push(char::from(byte)) } else { push_escape(out, byte) }
    }
}

/// Why a piece of a URL has no decoded form.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Undecodable {
    /// A `%` that two hexadecimal digits do not follow.
    Escape,
    /// The decoded bytes are not UTF-8.
    Utf8,
    /// The decoded text holds a control character (U+0000 to U+001F, U+007F).
    Control,
}

/// Decodes the escapes of one segment; borrows where there are none.
pub(crate) fn decode(raw: &str) -> Result<Cow<'_, str>, Undecodable> {
    let kinds = kinds(raw.as_bytes());
    if !kinds.has_escape() {
        return if kinds.has_control() { Err(Undecodable::Control) } else { Ok(Cow::Borrowed(raw)) };
    }
    decoded(raw).map(Cow::Owned)
}

/// Decodes what has an escape in it.
fn decoded(raw: &str) -> Result<String, Undecodable> {
    let bytes = raw.as_bytes();
    let first = bytes.iter().position(|&byte| byte == b'%').unwrap_or(bytes.len());
    let mut out = Vec::with_capacity(bytes.len());
    out.extend_from_slice(&bytes[..first]);
    let mut at = first;
    while let Some(&byte) = bytes.get(at) {
        if byte == b'%' {
            out.push(triplet(&bytes[at + 1..]).ok_or(Undecodable::Escape)?);
            at += 3;
        } else {
            out.push(byte);
            at += 1;
        }
    }
    let text = String::from_utf8(out).map_err(|_| Undecodable::Utf8)?;
    if text.bytes().any(|byte| byte.is_ascii_control()) { Err(Undecodable::Control) } else { Ok(text) }
}

/// Decodes a name or value of a query (WHATWG, URL, section 5.1): a plus stands for a space, a `%` that two hexadecimal
/// digits do not follow for itself, and what is not UTF-8 becomes U+FFFD. So nothing that is sent is wrong.
pub(crate) fn decode_form(raw: &str) -> Cow<'_, str> {
    let bytes = raw.as_bytes();
    let first = first_of(bytes, 0, [b'%', b'+']);
    if first == bytes.len() {
        return Cow::Borrowed(raw);
    }
    let mut out = Vec::with_capacity(bytes.len());
    out.extend_from_slice(&bytes[..first]);
    let mut at = first;
    while let Some(&byte) = bytes.get(at) {
        let escaped = if byte == b'%' { triplet(&bytes[at + 1..]) } else { None };
        out.push(escaped.unwrap_or(if byte == b'+' { b' ' } else { byte }));
        at += if escaped.is_some() { 3 } else { 1 };
    }
    match String::from_utf8_lossy(&out) {
        Cow::Owned(text) => Cow::Owned(text),
        // It is UTF-8, so the bytes are the text.
        Cow::Borrowed(_) => Cow::Owned(String::from_utf8(out).unwrap_or_default()),
    }
}

/// Whether the byte may stand in a segment of a path as it is. Beside `pchar` (RFC 3986, section 3.3) brackets may, as
/// a template can hold them.
pub(crate) const fn is_plain(byte: u8) -> bool {
    is_unreserved(byte) || (is_reserved(byte) && !matches!(byte, b'/' | b'?' | b'#'))
}

/// Appends a segment in its normal form.
pub(crate) fn normalise_into(out: &mut String, raw: &str) {
    let bytes = raw.as_bytes();
    let mut at = 0;
    while let Some(&byte) = bytes.get(at) {
        let escaped = if byte == b'%' { triplet(&bytes[at + 1..]) } else { None };
        match escaped {
            Some(escaped) if is_unreserved(escaped) => out.push(char::from(escaped)),
            Some(escaped) => push_escape(out, escaped),
            None if is_plain(byte) => out.push(char::from(byte)),
            None => push_escape(out, byte),
        }
        at += if escaped.is_some() { 3 } else { 1 };
    }
}

/// Whether a byte may stand where it does in a query, as it is.
fn may_stand_in_query(bytes: &[u8], at: usize) -> bool {
    match bytes[at] {
        b'/' | b'?' => true,
        b'%' => triplet(&bytes[at + 1..]).is_some(),
        byte => is_plain(byte),
    }
}

/// Appends a query so that it holds nothing but what a URL may hold; what may stand there is left as it is.
pub(crate) fn clean_query_into(out: &mut String, raw: &str) {
    for (at, byte) in raw.bytes().enumerate() {
        if may_stand_in_query(raw.as_bytes(), at) { out.push(char::from(byte)) } else { push_escape(out, byte) }
    }
}

/// Appends the bytes of a URL, which need be no text, so that they are nothing but what one may hold.
pub(crate) fn escape_bytes_into(out: &mut String, raw: &[u8]) {
    for (at, &byte) in raw.iter().enumerate() {
        let may_stand = byte == b'#' || may_stand_in_query(raw, at);
        if may_stand { out.push(char::from(byte)) } else { push_escape(out, byte) }
    }
}

/// Appends text as a literal segment of a path.
pub(crate) fn encode_segment(out: &mut String, text: &str) {
    for byte in text.bytes() {
        if is_plain(byte) { out.push(char::from(byte)) } else { push_escape(out, byte) }
    }
}

/// What kinds of bytes a text holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Kinds(u8);

const ESCAPE: u8 = 1;
const UNESCAPED: u8 = 2;
const CONTROL: u8 = 4;
const RESERVED: u8 = 8;

static KINDS: [u8; 256] = {
    let mut table = [0; 256];
    let mut byte = 0;
    while byte < 256 {
        // The loop ends at 256, so nothing is cut off.
        #[allow(clippy::cast_possible_truncation, reason = "below 256")]
        let narrow = byte as u8;
        table[byte] = match narrow {
            b'%' => ESCAPE,
            b'/' => RESERVED,
            _ if narrow.is_ascii_control() => CONTROL,
            _ if is_unreserved(narrow) => 0,
            _ if is_plain(narrow) => RESERVED,
            _ => UNESCAPED,
        };
        byte += 1;
    }
    table
};

/// What kinds of bytes a path holds, in one pass.
#[inline]
pub(crate) fn kinds(path: &[u8]) -> Kinds {
    Kinds(path.iter().fold(0, |kinds, &byte| kinds | KINDS[usize::from(byte)]))
}

impl Kinds {
    /// Whether every byte is one that may stand there as it is.
    pub(crate) fn is_plain(self) -> bool {
        self.0 & !RESERVED == 0
    }

    /// Whether every byte is one that never needs an escape.
    pub(crate) fn is_unreserved(self) -> bool {
        self.0 == 0
    }
    /// Whether there is a `%`.
    pub(crate) fn has_escape(self) -> bool {
        self.0 & ESCAPE != 0
    }

    /// Whether there is a byte that would have to be escaped.
    pub(crate) fn has_unescaped(self) -> bool {
        self.0 & UNESCAPED != 0
    }

    pub(crate) fn has_control(self) -> bool {
        self.0 & CONTROL != 0
    }
}
