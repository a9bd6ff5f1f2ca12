//! The host of a request, as a host template is asked about it.
//!
//! One host has many spellings: `Moon.Larkfell.example.`, `ada@moon.larkfell.example:8080`. Templates and the values in them are of
//! one: small letters, without user, port and the dot at the end (RFC 3986, section 3.2), and each label that is not ASCII as the
//! letters that the domain name system holds for it (RFC 5890, section 2.3.2.1): `münchen` is `xn--mnchen-3ya`. Letters are only
//! brought to small ones; whoever writes a letter and its accent apart asks for another name.

use std::borrow::Cow;

use crate::template::percent::decode;

/// The most characters of a label that are encoded; no name has longer ones (RFC 1035, section 2.3.4).
const LONGEST_LABEL: usize = 63;

/// The host that an authority names: without user and port.
pub(crate) fn host_of(authority: &str) -> &str {
    let host = authority.rsplit_once('@').map_or(authority, |(_, host)| host);
    match host.rsplit_once(':') {
        Some((host, port)) if port.bytes().all(|byte| byte.is_ascii_digit()) => host,
        _ => host,
    }
}

/// A host in the one spelling that templates are about.
pub(crate) fn normal_host(host: &str) -> Cow<'_, str> {
    let host = host.strip_suffix('.').unwrap_or(host);
    let is_normal = |byte: u8| byte.is_ascii() && !byte.is_ascii_uppercase() && byte != b'%';
    if host.bytes().all(is_normal) {
        return Cow::Borrowed(host);
    }
    let decoded = decode(host).unwrap_or(Cow::Borrowed(host));
    if decoded.is_ascii() {
        return Cow::Owned(decoded.to_ascii_lowercase());
    }
    // The full stops of other scripts part labels too (RFC 3490, section 3.1).
    let labels = decoded.split(['.', '\u{3002}', '\u{FF0E}', '\u{FF61}']).map(|label| {
        let label = label.to_lowercase();
        let is_short = label.chars().nth(LONGEST_LABEL).is_none();
        match punycode::encode(&label) {
            Ok(encoded) if !label.is_ascii() && is_short => format!("xn--{encoded}"),
            _ => label,
        }
    });
    Cow::Owned(labels.collect::<Vec<_>>().join("."))
}

#[cfg(test)]
mod tests {
    use super::{host_of, normal_host};

    #[test]
    fn a_host_has_one_spelling() {
        for (authority, wanted) in [
            ("larkfell.example", "larkfell.example"),
            ("Moon.LARKFELL.example.:8080", "moon.larkfell.example"),
            ("ada:secret@moon.larkfell.example", "moon.larkfell.example"),
            ("a@b@c.example:", "c.example"),
            ("[::1]:8080", "[::1]"),
            ("m\u{fc}nchen.example", "xn--mnchen-3ya.example"),
            ("M\u{dc}NCHEN.example", "xn--mnchen-3ya.example"),
            ("m%C3%BCnchen.example", "xn--mnchen-3ya.example"),
            ("xn--mnchen-3ya.example", "xn--mnchen-3ya.example"),
            ("\u{4f8b}\u{3002}example", "xn--fsq.example"),
            ("%zz", "%zz"),
            ("", ""),
        ] {
            assert_eq!(normal_host(host_of(authority)), wanted, "{authority}");
        }
        assert!(normal_host(&"\u{e9}".repeat(4000)).contains('\u{e9}'), "no name is so long");
    }
}
