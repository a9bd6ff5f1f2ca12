//! Titles as values.

/// A title as a value for a URL: transliterated to ASCII, in small letters, words joined by `-`. Its rule is
/// the format `slug`. It is empty where the title has neither letters nor digits.
///
/// # Example
/// ```
/// assert_eq!(vivid_lane::link::slug("The Ring Nebula (M57) – Größe & Alter"), "the-ring-nebula-m57-grosse-alter");
/// assert_eq!(vivid_lane::link::slug("Ночное небо"), "nochnoe-nebo");
/// assert_eq!(vivid_lane::link::slug("…"), "");
/// ```
#[must_use]
pub fn slug(title: &str) -> String {
    let mut out = String::with_capacity(title.len());
    let mut gap = false;
    for c in deunicode::deunicode_with_tofu(title, "-").chars() {
        // An apostrophe joins, as in `Herschel's`.
        if c == '\'' {
            continue;
        }
        if !c.is_ascii_alphanumeric() {
            gap = !out.is_empty();
            continue;
        }
        if std::mem::take(&mut gap) {
            out.push('-');
        }
        out.push(c.to_ascii_lowercase());
    }
    out
}
