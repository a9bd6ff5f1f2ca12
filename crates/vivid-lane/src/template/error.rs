//! What is wrong with a template, where, and how to mend it.

use std::fmt;

/// A template that is not valid (RFC 6570, section 2).
///
/// The text says what was expected and what was found; [`offset`](Self::offset) is the byte in the template
/// at which it happened.
///
/// # Example
/// ```
/// use vivid_lane::template::Template;
///
/// let error = Template::parse("/nights/{date").unwrap_err();
/// assert_eq!(error.offset(), 8);
/// assert_eq!(
///     error.to_string(),
///     "the brace at byte 8 of `/nights/{date` is never closed; expected `}` before the end"
/// );
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TemplateError {
    template: String,
    offset: usize,
    kind: Kind,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Kind {
    Unclosed,
    Unopened,
    Empty,
    Literal(char),
    Escape,
    Name { found: Option<char> },
    Prefix { name: String },
    Reserved(char),
    Long { limit: usize },
}

impl TemplateError {
    fn new(template: &str, offset: usize, kind: Kind) -> Self {
        Self { template: template.to_owned(), offset, kind }
    }

    pub(super) fn unclosed(template: &str, offset: usize) -> Self {
        Self::new(template, offset, Kind::Unclosed)
    }

    pub(super) fn unopened(template: &str, offset: usize) -> Self {
        Self::new(template, offset, Kind::Unopened)
    }

    pub(super) fn empty(template: &str, offset: usize) -> Self {
        Self::new(template, offset, Kind::Empty)
    }

    pub(super) fn literal(template: &str, offset: usize, found: char) -> Self {
        Self::new(template, offset, Kind::Literal(found))
    }

    pub(super) fn escape(template: &str, offset: usize) -> Self {
        Self::new(template, offset, Kind::Escape)
    }

    pub(super) fn name(template: &str, offset: usize, found: Option<char>) -> Self {
        Self::new(template, offset, Kind::Name { found })
    }

    pub(super) fn prefix(template: &str, offset: usize, name: &str) -> Self {
        Self::new(template, offset, Kind::Prefix { name: name.to_owned() })
    }

    pub(super) fn reserved(template: &str, offset: usize, operator: char) -> Self {
        Self::new(template, offset, Kind::Reserved(operator))
    }

    pub(super) fn long(template: &str, limit: usize) -> Self {
        Self::new(template, limit, Kind::Long { limit })
    }

    /// The byte offset of the error in the template.
    #[must_use]
    pub fn offset(&self) -> usize {
        self.offset
    }

    /// How many bytes of the template, from [`offset`](Self::offset), the error is about.
    pub(crate) fn width(&self) -> usize {
        match &self.kind {
            Kind::Unclosed | Kind::Long { .. } => self.template.len() - self.offset,
            Kind::Literal(found) => found.len_utf8(),
            Kind::Name { found: Some(found) } => found.len_utf8(),
            Kind::Empty => 2,
            Kind::Prefix { name } => name.len(),
            Kind::Name { found: None } | Kind::Unopened | Kind::Escape | Kind::Reserved(_) => 1,
        }
    }
}

impl fmt::Display for TemplateError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let at = self.offset;
        let shown = Shortened(&self.template);
        match &self.kind {
            Kind::Unclosed => {
                write!(f, "the brace at byte {at} of `{shown}` is never closed; expected `}}` before the end")
            }
            Kind::Unopened => {
                write!(f, "`}}` at byte {at} of `{shown}` closes nothing; write `%7D` for the character itself")
            }
            Kind::Empty => {
                write!(f, "expected a parameter name at byte {at} of `{shown}`, found empty braces")
            }
            Kind::Literal(found) => write!(
                f,
                "{found:?} at byte {at} of `{shown}` may not stand in a URI Template; write `{}`",
                Escaped(*found)
            ),
            Kind::Escape => write!(
                f,
                "expected two hexadecimal digits after `%` at byte {at} of `{shown}`; write `%25` for a percent sign"
            ),
            Kind::Name { found: Some(found) } => write!(
                f,
                "expected a letter, a digit or `_` in a parameter name at byte {at} of `{shown}`, found {found:?}"
            ),
            Kind::Name { found: None } => {
                write!(f, "expected a parameter name at byte {at} of `{shown}`, found the end of the expression")
            }
            Kind::Prefix { name } => write!(
                f,
                "the prefix modifier at byte {at} of `{shown}` keeps only some characters of `{name}` and so cannot \
                 be read back; use a rule such as `maxLength` instead"
            ),
            Kind::Long { limit } => {
                write!(f, "a template may have {limit} bytes, and `{shown}` has {}", self.template.len())
            }
            Kind::Reserved(operator) => write!(
                f,
                "the operator `{operator}` at byte {at} of `{shown}` is reserved by RFC 6570, section 2.2, and has no meaning"
            ),
        }
    }
}

impl std::error::Error for TemplateError {}

/// A template as it is quoted in an error: whole where it is short, its beginning where it is not.
struct Shortened<'a>(&'a str);

impl fmt::Display for Shortened<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        const SHOWN: usize = 80;
        match self.0.char_indices().nth(SHOWN) {
            Some((end, _)) => write!(f, "{}…", self.0[..end].escape_debug()),
            None => write!(f, "{}", self.0.escape_debug()),
        }
    }
}

/// A character as percent-escapes of its UTF-8 bytes.
struct Escaped(char);

impl fmt::Display for Escaped {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.encode_utf8(&mut [0; 4]).bytes().try_for_each(|byte| write!(f, "%{byte:02X}"))
    }
}
