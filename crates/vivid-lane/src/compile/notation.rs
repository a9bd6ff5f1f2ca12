//! Paths that are written in another notation than that of URI Templates.
//!
//! Other programs write `/lines/:line`, `/lines/[line]` or `/lines/{line:int}`. Some of these are no templates,
//! others are, but of literals that nobody means. Both are found here, with the path that is meant.

use std::ops::Range;

/// What is written in another notation, and what is meant.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct OtherNotation {
    /// The first piece of the path that is.
    pub(super) place: Range<usize>,
    /// The path as a URI Template.
    pub(super) path: String,
    /// The rules that stood in the path: names of parameters, and words.
    pub(super) rules: Vec<(String, String)>,
}

/// Which bytes stand in marks of other notations: for all others it is zero.
static MARKS: [u8; 256] = {
    let mut marks = [0; 256];
    let mut of = b":[<*?".as_slice();
    while let [mark, rest @ ..] = of {
        marks[*mark as usize] = 1;
        of = rest;
    }
    marks
};

impl OtherNotation {
    /// Looks a path through; `None` where all of it may be meant as it stands.
    pub(super) fn find(path: &str) -> Option<Self> {
        // Hardly any path has the marks of another notation.
        let is_mark = |pair: &[u8]| matches!(pair, [b':' | b'[' | b'<' | b'*', _] | [b'?', b'}' | b',']);
        let marks = path.bytes().fold(0, |marks, byte| marks | MARKS[usize::from(byte)]);
        if marks == 0 || (!path.as_bytes().windows(2).any(is_mark) && !path.ends_with('*')) {
            return None;
        }
        let mut found = Self { place: 0..0, path: String::with_capacity(path.len()), rules: Vec::new() };
        let mut start = 0;
        for segment in segments(path) {
            let end = start + segment.len();
            if let Some(meant) = found.meant(segment) {
                if found.place.is_empty() {
                    found.place = start + usize::from(segment.starts_with('/'))..end;
                }
                found.path.push_str(&meant);
            } else {
                found.path.push_str(segment);
            }
            start = end;
        }
        (!found.place.is_empty()).then_some(found)
    }

    /// What a segment means, with the slash before it; `None` where it may mean itself.
    fn meant(&mut self, segment: &str) -> Option<String> {
        let (slash, text) = segment.strip_prefix('/').map_or(("", segment), |text| ("/", text));
        let within = |open: char, close: char| text.strip_prefix(open)?.strip_suffix(close);
        if matches!(text, "*" | "**") {
            return Some(format!("{slash}{{+rest}}"));
        }
        // In doubled brackets it may be absent, and brings its slash; after three dots it takes the rest of the path.
        let in_brackets = within('[', ']').map(|inside| {
            let doubled = inside.strip_prefix('[').and_then(|inside| inside.strip_suffix(']'));
            (doubled.unwrap_or(inside), doubled.is_some())
        });
        if let Some((inside, may_be_absent)) = in_brackets {
            let (name, is_rest) = inside.strip_prefix("...").map_or((inside, false), |name| (name, true));
            match (may_be_absent, is_rest) {
                (true, _) if !is_name(name) => {}
                (true, true) => return Some(format!("{{/{name}*}}")),
                (true, false) => return Some(format!("{{/{name}}}")),
                (false, true) if is_name(name) => return Some(format!("{slash}{{+{name}}}")),
                (false, _) => {}
            }
        }
        if let Some((word, name)) = within('<', '>').and_then(|inside| inside.split_once(':'))
            && is_name(word)
            && is_name(name)
        {
            self.rules.push((name.to_owned(), word.to_owned()));
            return Some(format!("{slash}{{{name}}}"));
        }
        let name = text.strip_prefix(':').or_else(|| within('[', ']')).or_else(|| within('<', '>'));
        if let Some(name) = name.filter(|name| is_name(name)) {
            return Some(format!("{slash}{{{name}}}"));
        }
        // A whole segment that may be absent, or there several times, brings its slash.
        let alone = within('{', '}').filter(|_| !slash.is_empty());
        if let Some(name) = alone.and_then(|inside| inside.strip_suffix('?')).filter(|name| is_name(name)) {
            return Some(format!("{{/{name}}}"));
        }
        if let Some(name) = alone.and_then(|inside| inside.strip_suffix("[]")).filter(|name| is_name(name)) {
            return Some(format!("{{/{name}*}}"));
        }
        let mut out = String::from(slash);
        let mut is_other = false;
        let mut rest = text;
        while let Some((before, after)) = rest.split_once('{') {
            let Some((inside, after)) = after.split_once('}') else { break };
            let meant = self.expression(inside);
            is_other |= meant != inside;
            out.push_str(&format!("{before}{{{meant}}}"));
            rest = after;
        }
        out.push_str(rest);
        is_other.then_some(out)
    }

    /// What stands in braces, as it is meant.
    fn expression(&mut self, inside: &str) -> String {
        let names = inside.trim_start_matches(['+', '#', '.', '/', ';', '?', '&']);
        let operator = &inside[..inside.len() - names.len()];
        let meant = names.split(',').map(|name| match name.split_once(':') {
            Some((name, word))
                if is_name(name) && !word.is_empty() && !word.bytes().all(|byte| byte.is_ascii_digit()) =>
            {
                self.rules.push((name.to_owned(), word.to_owned()));
                name.to_owned()
            }
            _ => match (name.strip_suffix('?'), name.strip_suffix("[]")) {
                (Some(name), _) if is_name(name) => name.to_owned(),
                (_, Some(name)) if is_name(name) => format!("{name}*"),
                _ => name.to_owned(),
            },
        });
        format!("{operator}{}", meant.collect::<Vec<_>>().join(","))
    }
}

/// The segments of a path, each with the slash before it; what stands in braces is not cut.
fn segments(path: &str) -> impl Iterator<Item = &str> {
    let mut is_inside = false;
    let mut rest = path;
    std::iter::from_fn(move || {
        let end = rest.char_indices().skip(1).find(|&(_, c)| {
            is_inside = (is_inside || c == '{') && c != '}';
            c == '/' && !is_inside
        });
        is_inside = false;
        let (segment, after) = rest.split_at(end.map_or(rest.len(), |(at, _)| at));
        rest = after;
        (!segment.is_empty()).then_some(segment)
    })
}

fn is_name(text: &str) -> bool {
    !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_')
}

#[cfg(test)]
mod tests {
    use super::OtherNotation;

    #[test]
    fn what_is_meant_is_found_and_what_may_be_meant_is_left() {
        for (path, meant) in [
            ("/lines/:line", "/lines/{line}"),
            ("/lines/:line/stops", "/lines/{line}/stops"),
            ("/x/[id]", "/x/{id}"),
            ("/x/<id>", "/x/{id}"),
            ("/y/*", "/y/{+rest}"),
            ("/y/**", "/y/{+rest}"),
            ("/y/[...rest]", "/y/{+rest}"),
            ("/y/[[lang]]/z", "/y{/lang}/z"),
            ("/y/[[...rest]]", "/y{/rest*}"),
            ("/y/<int:id>", "/y/{id}"),
            ("/*/y", "/{+rest}/y"),
            ("/x/{id?}", "/x{/id}"),
            ("{id?}", "{id}"),
            ("/x/{tag[]}", "/x{/tag*}"),
            ("/x{?q,tag[]}", "/x{?q,tag*}"),
            ("/x{?page?}", "/x{?page}"),
            ("/x/{id:int}-{name:slug}", "/x/{id}-{name}"),
            ("/:a/[b]", "/{a}/{b}"),
        ] {
            let found = OtherNotation::find(path).unwrap_or_else(|| panic!("{path} is taken as it is"));
            assert_eq!(found.path, meant, "{path}");
            assert!(OtherNotation::find(meant).is_none(), "{meant} is a template");
        }
        let found = OtherNotation::find("/x/{id:int}").unwrap();
        assert_eq!((found.place, found.rules), (3..11, vec![("id".to_owned(), "int".to_owned())]));
        for path in ["/[...]", "/[[]]", "/[[a-b]]", "/<:id>", "/a**b"] {
            assert_eq!(OtherNotation::find(path), None, "{path}");
        }
        for path in ["/", "", "/a:b", "/x/{id:3}", "/[a", "/a*b", "/::", "/x{/a,b}{?c*}", "/{", "/é/<é>", "/{a/b}/c"]
        {
            assert_eq!(OtherNotation::find(path), None, "{path}");
        }
    }
}
