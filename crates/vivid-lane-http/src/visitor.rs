//! What is true of a visitor: the needs that are met, and what live lists hold.

use std::any::Any;
use std::fmt;
use std::future::{Future, poll_fn};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::pin::{Pin, pin};
use std::sync::{Arc, OnceLock};
use std::task::Poll;
use std::time::Duration;

use http::request::Parts;
use vivid_lane::{Answer, Question};

use crate::cache::Cache;

/// A future of any kind.
pub(crate) type BoxFuture<T> = Pin<Box<dyn Future<Output = T> + Send>>;

type Needs = dyn Fn(&Parts, &str) -> BoxFuture<Answer> + Send + Sync;
type Lists = dyn Fn(&Parts, &str, &str) -> BoxFuture<Answer> + Send + Sync;
/// Somebody, in a type of the program's.
type Somebody = Arc<dyn Any + Send + Sync>;
type Identify = dyn Fn(&Parts) -> BoxFuture<Who<Somebody>> + Send + Sync;
type Judge = dyn Fn(&Somebody, &str) -> bool + Send + Sync;

/// Who a visitor is. An `Option`, and a `Result` of one, convert to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Who<I> {
    /// A visitor whom the program knows.
    Known(I),
    /// A visitor whom the program does not know.
    Nobody,
    /// It is not known at the moment who the visitor is; ask again after so many seconds, if there is a number.
    Unclear {
        /// After how many seconds it is worth asking again, where that is known.
        retry_after: Option<u32>,
    },
}

impl<I> From<Option<I>> for Who<I> {
    fn from(known: Option<I>) -> Self {
        known.map_or(Self::Nobody, Self::Known)
    }
}

impl<I, E> From<Result<Option<I>, E>> for Who<I> {
    fn from(known: Result<Option<I>, E>) -> Self {
        known.map_or(Self::Unclear { retry_after: None }, Self::from)
    }
}

/// How to find out who a visitor is, and what that visitor meets.
struct Identifying {
    identify: Box<Identify>,
    meets: Box<Judge>,
}

/// Who visits, once that is known; in the extensions of a request.
#[derive(Clone)]
pub(crate) struct Identity {
    how: Arc<Identifying>,
    within: Duration,
    known: Arc<OnceLock<Option<Somebody>>>,
}

impl Identity {
    /// Who it is, where that was asked.
    pub(crate) fn known<I: Send + Sync + 'static>(&self) -> Option<&I> {
        self.known.get()?.as_ref()?.downcast_ref()
    }

    /// Who it is, asked at most once.
    async fn somebody(&self, head: &Parts) -> Result<Option<&Somebody>, Option<u32>> {
        if let Some(known) = self.known.get() {
            return Ok(known.as_ref());
        }
        let who = waited_for(self.within, async { (self.how.identify)(head).await }).await;
        let somebody = match who {
            Some(Who::Known(somebody)) => Some(somebody),
            Some(Who::Nobody) => None,
            Some(Who::Unclear { retry_after }) => return Err(retry_after),
            None => return Err(None),
        };
        Ok(self.known.get_or_init(|| somebody).as_ref())
    }

    /// Who it is, in the type that the program has for it.
    pub(crate) async fn ask<I: Send + Sync + 'static>(&self, head: &Parts) -> Result<Option<Arc<I>>, Option<u32>> {
        Ok(self.somebody(head).await?.and_then(|known| Arc::clone(known).downcast().ok()))
    }

    async fn meets(&self, head: &Parts, need: &str) -> Answer {
        match self.somebody(head).await {
            Ok(Some(somebody)) => caught(|| (self.how.meets)(somebody, need)).into(),
            Ok(None) => Answer::No,
            Err(retry_after) => Answer::Unknown { retry_after },
        }
    }
}

/// How to find out what is true of a visitor, while a request is decided. By default, visitors meet no need, and lists
/// are empty.
///
/// Each question is put only where the decision hangs on it, and once for a request. A function gives a `bool`, or
/// anything else that is an [`Answer`]: an `Err` of a database is no "no", and leads to status 503. So does a function that panics,
/// or that has no answer within [10 seconds](Self::answer_within); for that, a runtime of `tokio` has its timer enabled.
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
///     .lists(|_, list, value| {
///         let is_listed = if list == "observers" { Ok(value == "ada") } else { Err("no such table") };
///         async move { is_listed.map_or(Answer::Unknown { retry_after: Some(30) }, Answer::from) }
///     });
/// ```
#[derive(Clone)]
pub struct Visitor {
    needs: Option<Arc<Needs>>,
    lists: Option<Arc<Lists>>,
    identity: Option<Arc<Identifying>>,
    within: Duration,
}

impl Default for Visitor {
    fn default() -> Self {
        Self { needs: None, lists: None, identity: None, within: WITHIN }
    }
}

/// How long an answer is waited for, if nothing else is said.
const WITHIN: Duration = Duration::from_secs(10);

/// What a function of the program gives; nothing where it panics.
fn caught<T>(function: impl FnOnce() -> T) -> Option<T> {
    // What it left half done is its own: nothing of ours is shared with it.
    catch_unwind(AssertUnwindSafe(function)).ok()
}

/// The output of a future of the program; nothing if it panics, or takes too long. Without a runtime of `tokio`, it may take as long as
/// it likes.
async fn waited_for<T>(within: Duration, future: impl Future<Output = T>) -> Option<T> {
    let mut future = pin!(future);
    let mut answer = pin!(poll_fn(|context| match caught(|| future.as_mut().poll(context)) {
        Some(answer) => answer.map(Some),
        None => Poll::Ready(None),
    }));
    // Most know the answer at once, and need no timer.
    let first = poll_fn(|context| Poll::Ready(answer.as_mut().poll(context))).await;
    match first {
        Poll::Ready(answer) => answer,
        Poll::Pending if tokio::runtime::Handle::try_current().is_err() => answer.await,
        Poll::Pending => tokio::time::timeout(within, answer).await.ok().flatten(),
    }
}

impl fmt::Debug for Visitor {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (needs, lists) = (self.needs.is_some(), self.lists.is_some());
        let identity = self.identity.is_some();
        f.debug_struct("Visitor").field("needs", &needs).field("lists", &lists).field("identity", &identity).finish()
    }
}

impl Visitor {
    /// A visitor who meets no need, with empty lists.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Sets two functions: one finds out who the visitor is, from the head of the request, the other says whether that
    /// visitor meets a need. The first is called at most once for a request, when the table has a need, or when a page
    /// [asks](crate::Visit::identify); the page gets the result ([`Visit::identity`](crate::Visit::identity)). A
    /// visitor whom the program does not know meets no need. [`needs`](Self::needs) takes precedence.
    ///
    /// # Example
    /// ```
    /// use vivid_lane_http::Visitor;
    ///
    /// struct Observer {
    ///     name: String,
    ///     is_director: bool,
    /// }
    ///
    /// async fn by_session(session: Option<String>) -> Result<Option<Observer>, std::io::Error> {
    ///     Ok(session.map(|name| Observer { name, is_director: false }))
    /// }
    ///
    /// let visitor = Visitor::new().identity(
    ///     |head| by_session(head.headers.get("x-session").and_then(|name| Some(name.to_str().ok()?.to_owned()))),
    ///     |observer: &Observer, need| need == "observer" || observer.is_director,
    /// );
    /// ```
    #[must_use]
    pub fn identity<I, F, R, A>(mut self, identify: F, meets: impl Fn(&I, &str) -> bool + Send + Sync + 'static) -> Self
    where
        I: Send + Sync + 'static,
        F: Fn(&Parts) -> R + Send + Sync + 'static,
        R: Future<Output = A> + Send + 'static,
        A: Into<Who<I>>,
    {
        let identify: Box<Identify> = Box::new(move |head| {
            let who = identify(head);
            Box::pin(async move {
                match who.await.into() {
                    Who::Known(somebody) => Who::Known(Arc::new(somebody) as Somebody),
                    Who::Nobody => Who::Nobody,
                    Who::Unclear { retry_after } => Who::Unclear { retry_after },
                }
            })
        });
        let meets: Box<Judge> =
            Box::new(move |somebody, need| somebody.downcast_ref().is_some_and(|somebody| meets(somebody, need)));
        self.identity = Some(Arc::new(Identifying { identify, meets }));
        self
    }

    /// Sets the function that says whether the visitor meets a need. It gets the head of the request and the name of
    /// the need.
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

    /// Sets the function that says whether a live list has a value. It gets the head of the request, too, for lists
    /// that are not the same for everybody.
    #[must_use]
    pub fn lists<F, R, A>(mut self, function: F) -> Self
    where
        F: Fn(&Parts, &str, &str) -> R + Send + Sync + 'static,
        R: Future<Output = A> + Send + 'static,
        A: Into<Answer>,
    {
        self.lists = Some(Arc::new(move |head, list, value| {
            let listed = function(head, list, value);
            Box::pin(async move { listed.await.into() })
        }));
        self
    }

    /// Sets how long an answer is waited for. What takes longer is unknown: status 503. It needs a runtime of `tokio` with a timer.
    ///
    /// # Example
    /// ```
    /// use std::time::Duration;
    /// use http::Request;
    /// use tower::ServiceExt;
    /// use vivid_lane::Table;
    /// use vivid_lane_http::{Body, Pages, Routed, Visit, Visitor, html};
    ///
    /// # fn main() -> Result<(), vivid_lane_http::BoxError> {
    /// # tokio::runtime::Builder::new_current_thread().enable_time().build()?.block_on(async {
    /// let table = Table::from_toml(
    ///     "lists = ['observers']\n[routes.observer]\npath = '/{name}'\npage = 'observer'\nparams.name = { listed = 'observers' }",
    /// )?;
    /// let pages = Pages::new(()).page("observer", async |_: Visit| html("an observer"));
    /// // A database that hangs.
    /// let visitor = Visitor::new().lists(|_, _, _| std::future::pending::<bool>()).answer_within(Duration::from_millis(20));
    /// let site = Routed::new(pages.bind(&table)?).visitor(visitor);
    /// assert_eq!(site.oneshot(Request::get("/ada").body(Body::default())?).await?.status(), 503);
    /// # Ok(()) })
    /// # }
    /// ```
    #[must_use]
    pub fn answer_within(mut self, time: Duration) -> Self {
        self.within = time;
        self
    }

    /// Caches the answers of [`lists`](Self::lists) for a time, up to a number of answers. If lists are not the same
    /// for everybody, the key says for whom an answer holds, such as the tenant that the host names. The answer
    /// "unknown" is never cached.
    ///
    /// # Example
    /// ```
    /// use std::time::Duration;
    /// use http::header::HOST;
    /// use vivid_lane_http::Visitor;
    ///
    /// let visitor = Visitor::new().lists(|_head, _list, value| std::future::ready(value == "ada")).keep_lists(
    ///     Duration::from_secs(10),
    ///     10_000,
    ///     |head| head.headers.get(HOST).map_or_else(String::new, |host| format!("{host:?}")),
    /// );
    /// ```
    #[must_use]
    pub fn keep_lists(
        mut self,
        time: Duration,
        most: usize,
        key: impl Fn(&Parts) -> String + Send + Sync + 'static,
    ) -> Self {
        let (Some(lists), cache) = (self.lists.take(), Arc::new(Cache::new(time, most))) else { return self };
        self.lists = Some(Arc::new(move |head, list, value| {
            let key = (key(head), list.to_owned(), value.to_owned());
            if let Some(known) = cache.get(&key) {
                return Box::pin(std::future::ready(known));
            }
            let (answer, cache) = (lists(head, list, value), Arc::clone(&cache));
            Box::pin(async move {
                let answer = answer.await;
                cache.keep(key, answer);
                answer
            })
        }));
        self
    }

    /// Who visits, to be found out; `None` where the program does not say how.
    pub(crate) fn somebody(&self) -> Option<Identity> {
        let how = Arc::clone(self.identity.as_ref()?);
        Some(Identity { how, within: self.within, known: Arc::default() })
    }

    /// The answer to a question of a decision.
    pub(crate) async fn answer(&self, question: &Question, head: &Parts, identity: Option<&Identity>) -> Answer {
        let answer = async {
            match (question, &self.lists, &self.needs, identity) {
                (Question::Listed { list, value }, Some(lists), ..) => lists(head, list, value).await,
                (Question::Meets { need }, _, Some(needs), _) => needs(head, need).await,
                (Question::Meets { need }, _, None, Some(identity)) => identity.meets(head, need).await,
                _ => Answer::No,
            }
        };
        waited_for(self.within, answer).await.unwrap_or(Answer::Unknown { retry_after: None })
    }
}
