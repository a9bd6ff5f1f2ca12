//! What is true of a visitor: the needs that are met, and what live lists hold.

use std::fmt;
use std::future::Future;
use std::pin::Pin;
use std::sync::Arc;

use http::request::Parts;
use vivid_lane::{Answer, Question};

/// A future of any kind.
pub(crate) type BoxFuture<T> = Pin<Box<dyn Future<Output = T> + Send>>;

type Needs = dyn Fn(&Parts, &str) -> BoxFuture<Answer> + Send + Sync;
type Lists = dyn Fn(&str, &str) -> BoxFuture<Answer> + Send + Sync;

/// What is true of visitors, asked while a request is decided. By itself it meets no need and has no list.
///
/// Each question is put only where the decision hangs on it, and once for a request. A function gives a `bool`, or
/// anything else that is an [`Answer`]: an `Err` of a database is no "no", and leads to status 503.
///
/// # Example
/// ```
/// use vivid_lane::Answer;
/// use vivid_lane_http::Visitor;
///
/// let visitor = Visitor::new()
///     // From a session, say; the head of the request is there to be read.
///     .needs(|head, need| {
///         let is_met = need == "observer" && head.headers.contains_key("cookie");
///         async move { is_met }
///     })
///     // From a database, which may be waited for, and which may fail.
///     .lists(|list, value| {
///         let is_listed = if list == "observers" { Ok(value == "ada") } else { Err("no such table") };
///         async move { is_listed.map_or(Answer::Unknown { retry_after: Some(30) }, Answer::from) }
///     });
/// ```
#[derive(Clone, Default)]
pub struct Visitor {
    needs: Option<Arc<Needs>>,
    lists: Option<Arc<Lists>>,
}

impl fmt::Debug for Visitor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (needs, lists) = (self.needs.is_some(), self.lists.is_some());
        f.debug_struct("Visitor").field("needs", &needs).field("lists", &lists).finish()
    }
}

impl Visitor {
    /// A visitor of whom nothing is known.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Does the visitor meet the need of that name, by the head of the request?
    #[must_use]
    pub fn needs<F, R, A>(mut self, function: F) -> Self
    where
        F: Fn(&Parts, &str) -> R + Send + Sync + 'static,
        R: Future<Output = A> + Send + 'static,
        A: Into<Answer>,
    {
        self.needs = Some(Arc::new(move |head, need| {
            let met = function(head, need);
            Box::pin(async move { met.await.into() })
        }));
        self
    }

    /// Is a value in the live list of that name?
    #[must_use]
    pub fn lists<F, R, A>(mut self, function: F) -> Self
    where
        F: Fn(&str, &str) -> R + Send + Sync + 'static,
        R: Future<Output = A> + Send + 'static,
        A: Into<Answer>,
    {
        self.lists = Some(Arc::new(move |list, value| {
            let listed = function(list, value);
            Box::pin(async move { listed.await.into() })
        }));
        self
    }

    /// The answer to a question of a decision.
    pub(crate) async fn answer(&self, question: &Question, head: &Parts) -> Answer {
        let answer = match question {
            Question::Listed { list, value } => self.lists.as_ref().map(|lists| lists(list, value)),
            Question::Meets { need } => self.needs.as_ref().map(|needs| needs(head, need)),
            // What this service does not know how to ask, nobody meets.
            _ => None,
        };
        match answer {
            Some(answer) => answer.await,
            None => Answer::No,
        }
    }
}
