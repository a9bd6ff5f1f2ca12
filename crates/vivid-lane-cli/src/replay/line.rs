//! A line of the Common or the Combined Log Format.
//!
//! `host ident user [time] "METHOD target HTTP/1.1" status bytes`, and in the combined form `"referrer" "agent"` after it.

use std::borrow::Cow;

/// What a line says of a request.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Line<'a> {
    pub(crate) method: Cow<'a, str>,
    pub(crate) target: Cow<'a, [u8]>,
    pub(crate) status: u16,
}

/// Reads a line; else says what is wrong with it.
pub(super) fn parse(line: &[u8]) -> Result<Line<'_>, &'static str> {
    let open = memchr::memchr(b'"', line).ok_or("no request in quotes")?;
    let time = &line[..open];
    if !(time.contains(&b'[') && time.trim_ascii_end().ends_with(b"]")) {
        return Err("no time in brackets before the request");
    }
    let rest = &line[open + 1..];
    let (end, has_escape) = closing_quote(rest).ok_or("the quotes around the request do not close")?;
    let request = if has_escape { Cow::Owned(unescaped(&rest[..end])) } else { Cow::Borrowed(&rest[..end]) };
    let status =
        rest[end + 1..].strip_prefix(b" ").and_then(status).ok_or("no status of three digits after the request")?;
    let (method, target) = match request {
        Cow::Borrowed(request) => {
            let (method, target) = cut(request)?;
            (Cow::Borrowed(method), Cow::Borrowed(target))
        }
        Cow::Owned(request) => {
            let (method, target) = cut(&request)?;
            (Cow::Owned(method.to_owned()), Cow::Owned(target.to_vec()))
        }
    };
    Ok(Line { method, target, status })
}

const BAD_METHOD: &str = "the request does not begin with a method";

/// Method and target of a request line; HTTP/0.9 has no version.
fn cut(request: &[u8]) -> Result<(&str, &[u8]), &'static str> {
    let space = memchr::memchr(b' ', request).ok_or("the request has no target")?;
    let (method, rest) = (&request[..space], &request[space + 1..]);
    let is_method = !method.is_empty() && method.iter().all(|byte| byte.is_ascii_alphabetic() || *byte == b'-');
    let method = std::str::from_utf8(method).ok().filter(|_| is_method).ok_or(BAD_METHOD)?;
    let target = match memchr::memrchr(b' ', rest) {
        Some(at) if rest[at + 1..].starts_with(b"HTTP/") => &rest[..at],
        _ => rest,
    };
    if target.is_empty() { Err("the request has no target") } else { Ok((method, target)) }
}

fn status(text: &[u8]) -> Option<u16> {
    let (digits, rest) = text.split_at_checked(3)?;
    let is_end = rest.first().is_none_or(|byte| *byte == b' ');
    let is_status = is_end && digits.iter().all(u8::is_ascii_digit) && digits[0] != b'0';
    is_status.then(|| digits.iter().fold(0, |status, digit| status * 10 + u16::from(digit - b'0')))
}

/// Where a quoted text ends, and whether there is an escape in it.
fn closing_quote(text: &[u8]) -> Option<(usize, bool)> {
    let mut from = 0;
    let mut has_escape = false;
    loop {
        let at = from + memchr::memchr2(b'"', b'\\', &text[from..])?;
        if text[at] == b'"' {
            return Some((at, has_escape));
        }
        has_escape = true;
        from = at + 2;
        if from > text.len() {
            return None;
        }
    }
}

/// Undoes what servers do to quotes, backslashes and bytes that cannot be printed.
fn unescaped(text: &[u8]) -> Vec<u8> {
    let digit = |at: usize| text.get(at).and_then(|byte| char::from(*byte).to_digit(16));
    let mut out = Vec::with_capacity(text.len());
    let mut at = 0;
    while let Some(&byte) = text.get(at) {
        let (byte, length) = match (byte, text.get(at + 1)) {
            (b'\\', Some(b'x')) => match (digit(at + 2), digit(at + 3)) {
                // Two hexadecimal digits are below 256.
                (Some(high), Some(low)) => (u8::try_from(high * 16 + low).unwrap_or(b'?'), 4),
                _ => (byte, 1),
            },
            (b'\\', Some(b'n')) => (b'\n', 2),
            (b'\\', Some(b't')) => (b'\t', 2),
            (b'\\', Some(b'r')) => (b'\r', 2),
            (b'\\', Some(&escaped)) => (escaped, 2),
            _ => (byte, 1),
        };
        out.push(byte);
        at += length;
    }
    out
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn lines_as_servers_write_them() {
        let ok = |line: &str| {
            parse(line.as_bytes())
                .map(|line| format!("{} {} {}", line.method, String::from_utf8_lossy(&line.target), line.status))
        };
        let common = r#"192.0.2.7 - ada [02/Apr/2031:21:04:05 +0000] "GET /nights/2031-04-02?a=b HTTP/1.1" 200 5120"#;
        let cases = [
            (common.to_owned(), Ok("GET /nights/2031-04-02?a=b 200")),
            (
                format!(r#"{common} "https://larkfell.example/" "Mozilla/5.0 \"x\"""#),
                Ok("GET /nights/2031-04-02?a=b 200"),
            ),
            (r#"::1 - - [x] "GET /a b HTTP/1.0" 400 -"#.to_owned(), Ok("GET /a b 400")),
            (r#"::1 - - [x] "GET /old" 404"#.to_owned(), Ok("GET /old 404")),
            (r#"::1 - - [x] "GET /\"a\"\x41\\ HTTP/1.1" 404 0"#.to_owned(), Ok(r#"GET /"a"A\ 404"#)),
            (r#"::1 - - [x] "\x50OST /a HTTP/1.1" 200 0"#.to_owned(), Ok("POST /a 200")),
            (r#"::1 - - [x] "-" 408 0"#.to_owned(), Err("the request has no target")),
            (r#"::1 - - [x] "\x16\x03 \x01" 400 0"#.to_owned(), Err(BAD_METHOD)),
            (r#"::1 - - [x] "GET /a HTTP/1.1" 20 0"#.to_owned(), Err("no status of three digits after the request")),
            (r#"::1 - - [x] "GET /a HTTP/1.1"#.to_owned(), Err("the quotes around the request do not close")),
            (r#"::1 - - "GET /a HTTP/1.1" 200 0"#.to_owned(), Err("no time in brackets before the request")),
            ("half a li".to_owned(), Err("no request in quotes")),
            (String::new(), Err("no request in quotes")),
        ];
        for (line, expected) in cases {
            assert_eq!(ok(&line), expected.map(str::to_owned), "{line}");
        }
    }

    proptest! {
        #[test]
        fn any_bytes_are_a_line_or_not(line in prop::collection::vec(prop::sample::select(&b"\"\\[] GETx20/-\xff"[..]), 0..60)) {
            let _ = parse(&line);
        }

        #[test]
        fn what_was_written_is_read(target in "/[!-~&&[^\"\\\\]]{0,40}", status in 100u16..1000) {
            let line = format!("h - - [t] \"GET {target} HTTP/1.1\" {status} 1");
            let read = parse(line.as_bytes()).unwrap();
            prop_assert_eq!((&*read.method, &*read.target, read.status), ("GET", target.as_bytes(), status));
        }
    }
}
