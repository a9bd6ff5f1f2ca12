//! What is true of a visitor: the needs that are met, and what live lists hold.

use std::collections::HashSet;
use std::fmt;
use std::future::Future;
use std::pin::Pin;
use std::sync::Arc;

use http::request::Parts;

/// A future of any kind.
pub(crate) type BoxFuture<T> = Pin<Box<dyn Future<Output = T> + Send>>;

type Needs = dyn Fn(&Parts) -> BoxFuture<HashSet<String>> + Send + Sync;
type Lists = dyn Fn(&str, &str) -> BoxFuture<bool> + Send + Sync;

/// What is true of visitors, asked while a request is decided. By itself it meets no need and has no list.
///
/// # Example
/// ```
/// use vivid_lane_http::Visitor;
///
/// let visitor = Visitor::new()
///     // From a session, say; the head of the request is there to be read.
///     .needs(|head| {
///         let is_signed_in = head.headers.contains_key("cookie");
///         async move { is_signed_in.then(|| "observer".to_owned()) }
///     })
///     // From a database, which may be waited for.
///     .lists(|list, value| {
///         let is_listed = list == "observers" && value == "ada";
///         async move { is_listed }
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

    /// Which needs the visitor meets, by the head of the request. It is asked only where the table declares needs.
    #[must_use]
    pub fn needs<F, R, N>(mut self, function: F) -> Self
    where
        F: Fn(&Parts) -> R + Send + Sync + 'static,
        R: Future<Output = N> + Send + 'static,
        N: IntoIterator<Item = String>,
    {
        self.needs = Some(Arc::new(move |head| {
            let met = function(head);
            Box::pin(async move { met.await.into_iter().collect() })
        }));
        self
    }

    /// Is a value in the live list of that name? It is asked only for a list on which the decision hangs.
    #[must_use]
    pub fn lists<F, R>(mut self, function: F) -> Self
    where
        F: Fn(&str, &str) -> R + Send + Sync + 'static,
        R: Future<Output = bool> + Send + 'static,
    {
        self.lists = Some(Arc::new(move |list, value| Box::pin(function(list, value))));
        self
    }

    /// Is there a function to ask for needs?
    pub(crate) fn knows_needs(&self) -> bool {
        self.needs.is_some()
    }

    pub(crate) async fn met(&self, head: &Parts) -> HashSet<String> {
        match &self.needs {
            Some(needs) => needs(head).await,
            None => HashSet::new(),
        }
    }

    pub(crate) async fn is_listed(&self, list: &str, value: &str) -> bool {
        match &self.lists {
            Some(lists) => lists(list, value).await,
            None => false,
        }
    }
}
