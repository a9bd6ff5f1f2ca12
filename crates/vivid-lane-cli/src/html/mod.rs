//! What all pages have in common: their style, and templates in which texts are escaped.

#[cfg(any(feature = "pictures", feature = "serve"))]
use minijinja::{AutoEscape, Environment, Value};
use serde::Serialize;

use crate::output::Failure;

/// The style of all pages.
pub(crate) const STYLE: &str = include_str!("style.css");

/// An environment for templates. Texts are escaped; the filter `code` sets what stands between backticks as code.
#[cfg(any(feature = "pictures", feature = "serve"))]
pub(crate) fn environment() -> Environment<'static> {
    let mut templates = Environment::new();
    templates.set_auto_escape_callback(|_| AutoEscape::Html);
    templates.add_filter("code", |text: String| Value::from_safe_string(code(&text)));
    // It is part of the program, and a test renders it.
    let _ = templates.add_template("finding.html", include_str!("finding.html"));
    templates
}

/// Whether pictures and reports can be made.
pub(crate) fn can_render() -> Result<(), Failure> {
    if cfg!(feature = "pictures") {
        return Ok(());
    }
    let reason = "this build makes no pictures and reports; the tool does, with its feature `pictures`";
    Err(Failure::Argument(reason.to_owned()))
}

/// The first of some templates, filled.
#[cfg(feature = "pictures")]
pub(crate) fn render(templates: &[(&'static str, &'static str)], content: impl Serialize) -> Result<String, Failure> {
    let failure = |error: minijinja::Error| Failure::Output(std::io::Error::other(error));
    let mut environment = environment();
    for (name, text) in templates {
        environment.add_template(name, text).map_err(failure)?;
    }
    let first = environment.get_template(templates.first().map_or("", |(name, _)| name)).map_err(failure)?;
    first.render(Value::from(minijinja::value::Serde(content))).map_err(failure)
}

#[cfg(not(feature = "pictures"))]
pub(crate) fn render(_: &[(&'static str, &'static str)], _: impl Serialize) -> Result<String, Failure> {
    can_render().map(|()| String::new())
}

#[cfg(any(feature = "pictures", feature = "serve"))]
/// A message as HTML, with what stands between backticks as code.
fn code(text: &str) -> String {
    let parts: Vec<&str> = text.split('`').collect();
    // A last backtick without another one is a character like any other.
    let pairs = (parts.len() - 1) / 2;
    let mut out = String::with_capacity(text.len() + 16);
    for (at, part) in parts.iter().enumerate() {
        match at {
            0 => {}
            at if at > 2 * pairs => out.push('`'),
            at if at % 2 == 1 => out.push_str("<code>"),
            _ => out.push_str("</code>"),
        }
        escape(part, &mut out);
    }
    out
}

#[cfg(any(feature = "pictures", feature = "serve"))]
fn escape(text: &str, out: &mut String) {
    for char in text.chars() {
        match char {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#x27;"),
            other => out.push(other),
        }
    }
}

#[cfg(all(test, any(feature = "pictures", feature = "serve")))]
mod tests {
    use super::code;

    #[test]
    fn backticks_are_code_and_all_else_is_text() {
        for (text, html) in [
            ("plain", "plain"),
            ("`a<b` and `c`", "<code>a&lt;b</code> and <code>c</code>"),
            ("one ` alone", "one ` alone"),
            ("`a` and ` alone", "<code>a</code> and ` alone"),
            ("``", "<code></code>"),
        ] {
            assert_eq!(code(text), html, "{text}");
        }
    }
}
