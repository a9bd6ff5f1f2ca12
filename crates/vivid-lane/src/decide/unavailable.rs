//! What cannot be decided now.

use std::fmt;

use crate::lookup::Question;

/// A list or a need could not be asked, and the decision depends on it (status 503). [`Display`](fmt::Display) says
/// which one.
///
/// It is no 404, which a search engine would take for the end of the page, and no way to sign in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unavailable {
    pub(super) question: Question,
    pub(super) retry_after: Option<u32>,
}

impl Unavailable {
    /// The question that could not be answered.
    #[must_use]
    pub fn question(&self) -> &Question {
        &self.question
    }

    /// How many seconds to wait before asking again, for the `Retry-After` field (RFC 9110, section 10.2.3), if the
    /// list or need gave a time.
    #[must_use]
    pub fn retry_after(&self) -> Option<u32> {
        self.retry_after
    }
}

impl fmt::Display for Unavailable {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.question {
            Question::Listed { list, .. } => write!(f, "the list `{list}` cannot be asked now"),
            Question::Meets { need } => write!(f, "whether the visitor meets `{need}` cannot be told now"),
        }
    }
}
