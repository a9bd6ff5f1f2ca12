//! Which form of an answer a client likes best (RFC 9110, section 12.5.1).

use http::HeaderValue;

/// The forms in which the service tells what is wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Form {
    Plain,
    Html,
    /// Problem details (RFC 9457).
    Json,
}

/// Each form with its media types; of equally liked forms the first counts.
const FORMS: [(Form, &[&str]); 3] = [
    (Form::Plain, &["text/plain"]),
    (Form::Html, &["text/html", "application/xhtml+xml"]),
    (Form::Json, &["application/problem+json", "application/json"]),
];

/// The form that a client likes best, by its `Accept` fields; plain text for one that does not say.
pub(crate) fn preferred<'h>(accepted: impl IntoIterator<Item = &'h HeaderValue>) -> Form {
    let ranges: Vec<(&str, u16)> = accepted
        .into_iter()
        .filter_map(|value| value.to_str().ok())
        .flat_map(|value| value.split(','))
        .filter_map(range)
        .collect();
    let mut best = (0, Form::Plain);
    for (form, types) in FORMS {
        let weight = types.iter().map(|media| weight(&ranges, media)).max().unwrap_or(0);
        if weight > best.0 {
            best = (weight, form);
        }
    }
    best.1
}

/// A media range and its weight in thousandths.
fn range(text: &str) -> Option<(&str, u16)> {
    let mut parts = text.split(';').map(str::trim);
    let media = parts.next().filter(|media| media.contains('/'))?;
    let quality = parts.find_map(|part| part.strip_prefix("q=").or_else(|| part.strip_prefix("Q=")));
    Some((media, quality.map_or(Some(1000), thousandths)?))
}

/// A weight in thousandths (RFC 9110, section 12.4.2).
fn thousandths(quality: &str) -> Option<u16> {
    let (whole, part) = quality.split_once('.').unwrap_or((quality, ""));
    let is_short = part.len() <= 3 && part.bytes().all(|byte| byte.is_ascii_digit());
    match whole {
        "0" if is_short => format!("{part:0<3}").parse().ok(),
        "1" if is_short && part.bytes().all(|byte| byte == b'0') => Some(1000),
        _ => None,
    }
}

/// How much a type is liked: the most specific range that has it counts.
fn weight(ranges: &[(&str, u16)], media: &str) -> u16 {
    let kind = media.split('/').next().unwrap_or_default();
    let exact = |range: &str| range.eq_ignore_ascii_case(media);
    let same_kind = |range: &str| range.strip_suffix("/*").is_some_and(|range| range.eq_ignore_ascii_case(kind));
    let any = |range: &str| range == "*/*";
    let of = |fits: &dyn Fn(&str) -> bool| ranges.iter().find(|(range, _)| fits(range)).map(|(_, weight)| *weight);
    of(&exact).or_else(|| of(&same_kind)).or_else(|| of(&any)).unwrap_or(0)
}

#[cfg(test)]
mod tests {
    use super::{Form, preferred};
    use http::HeaderValue;

    #[test]
    fn the_best_liked_form_is_taken() {
        let cases = [
            ("", Form::Plain),
            ("*/*", Form::Plain),
            ("text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8", Form::Html),
            ("application/json", Form::Json),
            ("application/problem+json, text/html;q=0.9", Form::Json),
            ("text/*;q=0.5, application/json;q=0.4", Form::Plain),
            ("text/html;q=0, */*", Form::Plain),
            ("text/plain;q=0, */*;q=0.1", Form::Html),
            ("image/png", Form::Plain),
            ("nonsense;;q=,,,", Form::Plain),
            ("text/html;q=7, application/json;q=0.1", Form::Json),
            ("text/html;q=1e0, text/html;q=0.1234, application/json;q=0.", Form::Plain),
            ("text/html;q=0.25, application/json;Q=0.251", Form::Json),
            ("text/html;q=1.000, application/json", Form::Html),
        ];
        for (accept, form) in cases {
            assert_eq!(preferred([&HeaderValue::from_str(accept).unwrap()]), form, "{accept}");
        }
    }
}
