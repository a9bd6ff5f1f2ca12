//! The service: a request in, the page or another answer out.

use std::collections::HashSet;
use std::fmt;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll, Waker};

use http::header::HOST;
use http::request::Parts;
use http::{HeaderMap, Method, Request, Response, StatusCode, Uri};
use tower::ServiceExt;
use tower_service::Service;
use vivid_lane::{Decision, Question, Request as Asked, Step};

use crate::Body;
use crate::accept::{Form, preferred};
use crate::answer::Answer;
use crate::handler::Found;
use crate::live::{LiveTable, Loaded};
use crate::visitor::{BoxFuture, Visitor};

/// How long a permanent redirect may be kept, in seconds, if nothing else is said.
const KEPT: u32 = 3600;

/// A table whose pages are services: each request goes to the service of its page, with the [match](Found) in its
/// extensions; what leads to no page is answered at once.
///
/// - A page that is missing shows the fallback, with status 404, always; without one the client is told in the form that it
///   likes best: HTML, problem details (RFC 9457) or plain text.
/// - A method that the URL does not answer gives 405 with `Allow`, and `OPTIONS` 204 with `Allow`.
/// - A permanent redirect may be kept for an hour ([`keep_redirects`](Self::keep_redirects)), unless it hangs on a need or a
///   live list.
///
/// It is ready at once: a handler is waited for when it is called. See the [crate documentation](crate) for an example.
pub struct Routed<P> {
    /// Shared by all clones, as a service is cloned for each request.
    pub(crate) core: Arc<Core<P>>,
}

/// What all forms of the service have.
pub(crate) struct Core<P> {
    table: LiveTable<P>,
    visitor: Visitor,
    is_absolute: bool,
    kept: u32,
}

impl<P> Clone for Core<P> {
    fn clone(&self) -> Self {
        Self {
            table: self.table.clone(),
            visitor: self.visitor.clone(),
            is_absolute: self.is_absolute,
            kept: self.kept,
        }
    }
}

impl<P> Clone for Routed<P> {
    fn clone(&self) -> Self {
        Self { core: Arc::clone(&self.core) }
    }
}

impl<P> fmt::Debug for Routed<P> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Routed").field(&self.core.table).finish()
    }
}

impl<P> Routed<P> {
    /// A service for a table, or for one that is exchanged now and then.
    pub fn new(table: impl Into<LiveTable<P>>) -> Self {
        Self { core: Arc::new(Core::new(table.into())) }
    }

    /// What is true of visitors.
    #[must_use]
    pub fn visitor(mut self, visitor: Visitor) -> Self {
        Arc::make_mut(&mut self.core).visitor = visitor;
        self
    }

    /// Writes `Location` with the origin that the table declares, never with the host that was asked. A table without an
    /// origin goes on with relative ones.
    #[must_use]
    pub fn absolute_locations(mut self) -> Self {
        Arc::make_mut(&mut self.core).is_absolute = true;
        self
    }

    /// For how many seconds a permanent redirect may be kept; 3,600 if nothing is said.
    #[must_use]
    pub fn keep_redirects(mut self, seconds: u32) -> Self {
        Arc::make_mut(&mut self.core).kept = seconds;
        self
    }
}

/// What is decided by: a request is moved as seldom as can be, as it is large.
#[derive(Clone, Copy)]
pub(crate) struct Head<'r> {
    pub(crate) method: &'r Method,
    pub(crate) uri: &'r Uri,
    pub(crate) headers: &'r HeaderMap,
}

impl<'r, B> From<&'r Request<B>> for Head<'r> {
    fn from(request: &'r Request<B>) -> Self {
        Self { method: request.method(), uri: request.uri(), headers: request.headers() }
    }
}

impl<'r> From<&'r Parts> for Head<'r> {
    fn from(parts: &'r Parts) -> Self {
        Self { method: &parts.method, uri: &parts.uri, headers: &parts.headers }
    }
}

/// What is to be done with a request.
pub(crate) enum Plan<S> {
    /// Call a service; for a page that is missing, without a match, and with status 404.
    Call(S, Option<Found>),
    Answer(Response<Body>),
}

impl<P> Core<P> {
    pub(crate) fn new(table: LiveTable<P>) -> Self {
        Self { table, visitor: Visitor::new(), is_absolute: false, kept: KEPT }
    }

    /// Decides a request that hangs on nothing that must be waited for.
    pub(crate) fn plan_at_once<S>(&self, head: Head<'_>, service: impl Fn(&P) -> S) -> Option<Plan<S>> {
        let loaded = self.table.guard();
        if self.visitor.knows_needs() && loaded.table.needs().len() > 0 {
            return None;
        }
        self.step(&loaded, head, &HashSet::new(), &[], &service).ok()
    }

    /// Decides a request, waiting for whatever the decision hangs on.
    pub(crate) async fn plan<S>(&self, head: &Parts, service: impl Fn(&P) -> S) -> Plan<S> {
        let loaded = self.table.loaded();
        let has_needs = loaded.table.needs().len() > 0;
        let met = if has_needs { self.visitor.met(head).await } else { HashSet::new() };
        let mut answers: Vec<(Question, bool)> = Vec::new();
        loop {
            // Nothing of the decision is held while a list is asked.
            let question = match self.step(&loaded, head.into(), &met, &answers, &service) {
                Ok(plan) => return plan,
                Err(question) => question,
            };
            let is_listed = self.visitor.is_listed(question.list(), question.value()).await;
            answers.push((question, is_listed));
        }
    }

    /// Decides as far as the answers reach.
    fn step<S>(
        &self,
        loaded: &Loaded<P>,
        head: Head<'_>,
        met: &HashSet<String>,
        answers: &[(Question, bool)],
        service: &impl Fn(&P) -> S,
    ) -> Result<Plan<S>, Question> {
        let meets = |need: &str| met.contains(need);
        let target = target(head);
        let mut asked = Asked::new(head.method.as_str(), &*target).meets(&meets);
        if loaded.table.has_hosts()
            && let Some(host) = head.headers.get(HOST).and_then(|host| host.to_str().ok()).or(head.uri.host())
        {
            asked = asked.host(host);
        }
        let mut steps = loaded.table.decide_in_steps(asked);
        answers.iter().for_each(|(question, is_listed)| steps.answer(question.clone(), *is_listed));
        match steps.go_on() {
            Step::Ask(question) => Err(question),
            Step::Done(decision) => {
                let hangs_on_visitor = !answers.is_empty() || !met.is_empty();
                Ok(self.settle(loaded, head, decision, hangs_on_visitor, service))
            }
        }
    }

    fn settle<S>(
        &self,
        loaded: &Loaded<P>,
        head: Head<'_>,
        decision: Decision<'_, '_, P>,
        hangs_on_visitor: bool,
        service: &impl Fn(&P) -> S,
    ) -> Plan<S> {
        // What most requests are comes first.
        if let Decision::Page(found) = &decision {
            return Plan::Call(service(found.page()), found.keep_in(&loaded.bare));
        }
        let status = decision.status();
        let origin = loaded.table.origin().filter(|_| self.is_absolute);
        let location = decision.location().map(|location| match origin {
            Some(origin) if location.starts_with('/') => format!("{origin}{location}"),
            _ => location.to_owned(),
        });
        let answer = match decision {
            Decision::NotFound(missing) => match missing.fallback() {
                Some(page) => return Plan::Call(service(page), None),
                None => {
                    // They cost more than the answer, and a machine does not follow them.
                    let is_read = preferred(head.headers) != Form::Plain;
                    let near = if is_read { missing.suggestions() } else { Vec::new() };
                    let mut answer = Answer::new(status, missing.reason().unwrap_or_default());
                    answer.near = near.iter().map(|one| one.url().to_owned()).collect();
                    answer
                }
            },
            Decision::Unmet(unmet) => {
                let mut answer = match &location {
                    Some(location) => Answer::to(status, location),
                    None => Answer::new(status, format!("this page is for those who meet `{}`", unmet.need())),
                };
                answer.cache = Some("no-store".to_owned());
                return Plan::Answer(answer.respond(head));
            }
            Decision::WrongMethod(allow) | Decision::Options(allow) => {
                let mut answer = Answer::new(status, "");
                answer.allow = Some(allow.allow().join(", "));
                answer
            }
            Decision::BadRequest(bad) => Answer::new(status, bad.to_string()),
            _ => match &location {
                Some(location) => {
                    let mut answer = Answer::to(status, location);
                    if matches!(status, 301 | 308) {
                        let kept = format!("max-age={}", self.kept);
                        answer.cache = Some(if hangs_on_visitor { "no-store".to_owned() } else { kept });
                    }
                    return Plan::Answer(answer.respond(head));
                }
                None => Answer::new(500, ""),
            },
        };
        Plan::Answer(answer.respond(head))
    }
}

/// The target of a request as the table reads it: a path with its query, an absolute URL, or an asterisk.
fn target(head: Head<'_>) -> std::borrow::Cow<'_, str> {
    match (head.uri.scheme(), head.uri.path_and_query()) {
        (None, Some(target)) => target.as_str().into(),
        _ => head.uri.to_string().into(),
    }
}

/// Whatever the fallback thinks: what is missing is missing.
fn with_status<T>(mut response: Response<T>, is_missing: bool) -> Response<T> {
    if is_missing {
        *response.status_mut() = StatusCode::NOT_FOUND;
    }
    response
}

/// Calls a service as it was planned.
pub(crate) async fn carry_out<S, B, T>(
    plan: Plan<S>,
    mut request: Request<B>,
    body: impl FnOnce(T) -> Body,
) -> Result<Response<Body>, S::Error>
where
    S: Service<Request<B>, Response = Response<T>>,
{
    match plan {
        Plan::Answer(response) => Ok(response),
        Plan::Call(service, found) => {
            let is_missing = found.is_none();
            if let Some(found) = found {
                request.extensions_mut().insert(found);
            }
            Ok(with_status(service.oneshot(request).await?.map(body), is_missing))
        }
    }
}

pin_project_lite::pin_project! {
    #[project = Doing]
    enum State<P, B>
    where
        P: Service<Request<B>>,
    {
        // The answer is here.
        Ready { response: Option<Response<Body>> },
        // A page is called.
        Calling { #[pin] future: P::Future, is_missing: bool },
        // The decision, or the page, has to wait.
        Waiting { future: BoxFuture<Result<Response<Body>, P::Error>> },
    }
}

pin_project_lite::pin_project! {
    /// The answer of a [`Routed`] service, to come.
    pub struct Answering<P, B>
    where
        P: Service<Request<B>>,
    {
        #[pin]
        state: State<P, B>,
    }
}

impl<P, B> fmt::Debug for Answering<P, B>
where
    P: Service<Request<B>>,
{
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Answering").finish_non_exhaustive()
    }
}

impl<P, B> Future for Answering<P, B>
where
    P: Service<Request<B>, Response = Response<Body>>,
{
    type Output = Result<Response<Body>, P::Error>;

    fn poll(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Self::Output> {
        match self.project().state.project() {
            Doing::Ready { response } => match response.take() {
                Some(response) => Poll::Ready(Ok(response)),
                // It was given away, and a future that is over may do as it likes.
                None => Poll::Pending,
            },
            Doing::Calling { future, is_missing } => {
                future.poll(context).map(|answer| answer.map(|response| with_status(response, *is_missing)))
            }
            Doing::Waiting { future } => future.as_mut().poll(context),
        }
    }
}

impl<P> Routed<P> {
    /// Begins with a request.
    fn answer<B>(&self, mut request: Request<B>) -> Answering<P, B>
    where
        P: Service<Request<B>, Response = Response<Body>> + Clone + Send + Sync + 'static,
        P::Future: Send,
        B: Send + 'static,
    {
        let state = match self.core.plan_at_once((&request).into(), P::clone) {
            Some(Plan::Answer(response)) => State::Ready { response: Some(response) },
            Some(Plan::Call(mut service, found)) => {
                // Most pages are ready at once; one that is not is asked again by whoever waits for it.
                match service.poll_ready(&mut Context::from_waker(Waker::noop())) {
                    Poll::Ready(Ok(())) => {
                        let is_missing = found.is_none();
                        if let Some(found) = found {
                            request.extensions_mut().insert(found);
                        }
                        State::Calling { future: service.call(request), is_missing }
                    }
                    _ => State::Waiting { future: Box::pin(carry_out(Plan::Call(service, found), request, |it| it)) },
                }
            }
            None => {
                let core = Arc::clone(&self.core);
                State::Waiting {
                    future: Box::pin(async move {
                        let (head, sent) = request.into_parts();
                        let plan = core.plan(&head, P::clone).await;
                        carry_out(plan, Request::from_parts(head, sent), |body| body).await
                    }),
                }
            }
        };
        Answering { state }
    }
}

impl<P, B> Service<Request<B>> for Routed<P>
where
    P: Service<Request<B>, Response = Response<Body>> + Clone + Send + Sync + 'static,
    P::Future: Send,
    B: Send + 'static,
{
    type Response = Response<Body>;
    type Error = P::Error;
    type Future = Answering<P, B>;

    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<Result<(), Self::Error>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, request: Request<B>) -> Self::Future {
        self.answer(request)
    }
}

/// The same for `hyper`, which calls a service without waiting for it.
#[cfg(feature = "hyper")]
impl<P, B> hyper::service::Service<Request<B>> for Routed<P>
where
    P: Service<Request<B>, Response = Response<Body>> + Clone + Send + Sync + 'static,
    P::Future: Send,
    B: Send + 'static,
{
    type Response = Response<Body>;
    type Error = P::Error;
    type Future = Answering<P, B>;

    fn call(&self, request: Request<B>) -> Self::Future {
        self.answer(request)
    }
}
