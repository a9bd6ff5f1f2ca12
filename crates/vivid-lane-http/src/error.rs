//! What goes wrong in a handler or in a body.

use std::fmt;

/// An error of any kind.
pub type BoxError = Box<dyn std::error::Error + Send + Sync>;

/// An error of a handler or of a body, whatever its type was.
///
/// # Example
/// ```
/// use vivid_lane_http::Error;
///
/// let error = Error::new("the dome is closed");
/// assert_eq!(error.to_string(), "the dome is closed");
/// ```
pub struct Error(BoxError);

impl Error {
    /// Makes an error of any other error. One that has this type already is not wrapped again.
    pub fn new(error: impl Into<BoxError>) -> Self {
        error.into().downcast().map_or_else(Self, |same| *same)
    }

    pub(crate) fn is<E: std::error::Error + 'static>(&self) -> bool {
        self.0.is::<E>()
    }

    /// The original error.
    #[must_use]
    pub fn into_inner(self) -> BoxError {
        self.0
    }
}

impl fmt::Debug for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&self.0, f)
    }
}

impl std::error::Error for Error {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        self.0.source()
    }
}
