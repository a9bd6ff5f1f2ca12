//! The failure of a page, and what the visitor sees of it.

use std::fmt;

use http::StatusCode;
use vivid_lane::lookup::{ParamError, ParamKind};

use crate::{BoxError, Error};

/// The failure of a page: what went wrong, and what the visitor may know of it.
///
/// Any error converts to a failure by `?`. The visitor then sees "500 Internal Server Error" and nothing of the error
/// itself; for a time-out of the page, or of a layer around it, "503 Service Unavailable". Use [`Failure::new`] for
/// what the visitor can mend, and [`Failure::not_found`] if the thing does not exist.
///
/// # Example
/// ```
/// use http::StatusCode;
/// use vivid_lane_http::Failure;
///
/// fn number(text: &str) -> Result<u16, Failure> {
///     let number: u16 = text.parse()?;
///     match number {
///         0 => Err(Failure::new(StatusCode::CONFLICT, "exposures are counted from 1")),
///         _ => Ok(number),
///     }
/// }
/// assert_eq!(number("seven").unwrap_err().status(), 500);
/// assert_eq!(number("0").unwrap_err().to_string(), "exposures are counted from 1");
/// ```
pub struct Failure(Box<Kind>);

enum Kind {
    /// The visitor sees the text.
    Told {
        status: StatusCode,
        detail: String,
        /// After how many seconds it is worth asking again.
        retry_after: Option<u32>,
    },
    NotFound,
    /// The visitor sees the status only.
    Hidden(BoxError),
}

impl Failure {
    /// A failure with a status and a text that the visitor may read.
    pub fn new(status: StatusCode, detail: impl Into<String>) -> Self {
        Self(Box::new(Kind::Told { status, detail: detail.into(), retry_after: None }))
    }

    /// Something that the page needs is not available: status 503, with `Retry-After` in seconds if it is known when to
    /// ask again.
    ///
    /// # Example
    /// ```
    /// use vivid_lane_http::Failure;
    ///
    /// assert_eq!(Failure::unavailable("the archive is away", Some(30)).status(), 503);
    /// ```
    pub fn unavailable(detail: impl Into<String>, retry_after: Option<u32>) -> Self {
        let (status, detail) = (StatusCode::SERVICE_UNAVAILABLE, detail.into());
        Self(Box::new(Kind::Told { status, detail, retry_after }))
    }

    /// The thing that the page is about does not exist. The visitor sees the fallback of the nearest route that has
    /// one, within its frames, with status 404, as for any address without a page.
    #[must_use]
    pub fn not_found() -> Self {
        Self(Box::new(Kind::NotFound))
    }

    /// A failure of any error, also a boxed one. The visitor sees the status only. A value of the URL that does not fit the type of the
    /// program ([`ParamError`]) is an error of the address: in the path the page does not exist, in the query the request is wrong (400).
    pub fn of(error: impl Into<BoxError>) -> Self {
        let error = Error::new(error).into_inner();
        match error.downcast_ref::<ParamError>().map(|error| (error.kind(), error)) {
            Some((Some(ParamKind::Query | ParamKind::Pairs), error)) => {
                Self::new(StatusCode::BAD_REQUEST, error.to_string())
            }
            Some((Some(_), _)) => Self::not_found(),
            // The program and the table differ.
            Some((None, _)) | None => Self(Box::new(Kind::Hidden(error))),
        }
    }

    /// The status of the response.
    #[must_use]
    pub fn status(&self) -> StatusCode {
        match &*self.0 {
            Kind::Told { status, .. } => *status,
            Kind::NotFound => StatusCode::NOT_FOUND,
            Kind::Hidden(error) if is_timeout(&**error) => StatusCode::SERVICE_UNAVAILABLE,
            Kind::Hidden(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    /// The error of the program, if there is one; the visitor does not see it.
    #[must_use]
    pub fn error(&self) -> Option<&BoxError> {
        match &*self.0 {
            Kind::Hidden(error) => Some(error),
            Kind::Told { .. } | Kind::NotFound => None,
        }
    }

    /// The text for the visitor, beside the status.
    pub(crate) fn detail(&self) -> &str {
        match &*self.0 {
            Kind::Told { detail, .. } => detail,
            Kind::NotFound | Kind::Hidden(_) => "",
        }
    }

    pub(crate) fn retry_after(&self) -> Option<u32> {
        match &*self.0 {
            Kind::Told { retry_after, .. } => *retry_after,
            Kind::NotFound | Kind::Hidden(_) => None,
        }
    }

    pub(crate) fn is_not_found(&self) -> bool {
        matches!(*self.0, Kind::NotFound)
    }
}

/// Whether something took too long, here or further down.
fn is_timeout(error: &(dyn std::error::Error + 'static)) -> bool {
    std::iter::successors(Some(error), |error| error.source()).any(|error| {
        #[cfg(feature = "tower")]
        if error.is::<tower::timeout::error::Elapsed>() {
            return true;
        }
        error.is::<tokio::time::error::Elapsed>()
            || error.downcast_ref::<std::io::Error>().is_some_and(|error| error.kind() == std::io::ErrorKind::TimedOut)
    })
}

impl<E: std::error::Error + Send + Sync + 'static> From<E> for Failure {
    fn from(error: E) -> Self {
        Self::of(error)
    }
}

impl fmt::Debug for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &*self.0 {
            Kind::Told { status, detail, .. } => f.debug_tuple("Failure").field(status).field(detail).finish(),
            Kind::NotFound => f.write_str("Failure(not found)"),
            Kind::Hidden(error) => f.debug_tuple("Failure").field(error).finish(),
        }
    }
}

impl fmt::Display for Failure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &*self.0 {
            Kind::Told { detail, .. } => f.write_str(detail),
            Kind::NotFound => f.write_str("it does not exist"),
            Kind::Hidden(error) => error.fmt(f),
        }
    }
}
