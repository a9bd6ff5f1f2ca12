//! The address of a request, as it is counted: its path without what one redirect would take away, and the values of its query.

use crate::text;

/// The parts of an address.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct Address {
    /// The segments, decoded.
    pub(super) segments: Vec<String>,
    /// Whether the path ends with a slash.
    pub(super) has_slash: bool,
    pub(super) query: Vec<(String, String)>,
}

impl Address {
    /// Reads the target of a request; `None` for one that no table has an answer for.
    pub(super) fn read(target: &str) -> Option<Self> {
        let target = target.split('#').next().unwrap_or_default();
        // A proxy is asked for whole URLs.
        let target = match target.find("://") {
            Some(at) if !target.starts_with('/') => {
                let rest = &target[at + 3..];
                rest.find('/').map_or("/", |at| &rest[at..])
            }
            _ => target,
        };
        let (path, query) = target.split_once('?').unwrap_or((target, ""));
        let inner = path.strip_prefix('/')?;
        let mut segments: Vec<String> = Vec::new();
        for raw in inner.split('/') {
            let segment = text::decode(raw)?;
            match &*segment {
                "" | "." => {}
                ".." => drop(segments.pop()),
                _ if segment.chars().any(char::is_control) => return None,
                _ => segments.push(segment),
            }
        }
        let has_slash = inner.ends_with('/') && !segments.is_empty();
        let pairs = query.split('&').filter(|pair| !pair.is_empty()).map(|pair| {
            let (name, value) = pair.split_once('=').unwrap_or((pair, ""));
            (text::decode_form(name), text::decode_form(value))
        });
        Some(Self { segments, has_slash, query: pairs.collect() })
    }

    /// As it stands in a sample; what is read from it is the same address.
    pub(super) fn written(&self) -> String {
        let mut out = String::new();
        for segment in &self.segments {
            out.push('/');
            text::encode(&mut out, segment);
        }
        if self.segments.is_empty() {
            out.push('/');
        }
        for (at, (name, value)) in self.query.iter().enumerate() {
            out.push(if at == 0 { '?' } else { '&' });
            text::encode(&mut out, name);
            out.push('=');
            text::encode(&mut out, value);
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_written_is_read(target in "/[a-z/.%0-9+?&=]{0,24}") {
            if let Some(address) = Address::read(&target) {
                let again = Address::read(&address.written());
                prop_assert_eq!(again, Some(Address { has_slash: false, ..address }));
            }
        }
    }
}
