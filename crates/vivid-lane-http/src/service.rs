//! The service: a request in, the page or another answer out.

use std::fmt;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll, Waker};

use http::header::HOST;
use http::request::Parts;
use http::{Request, Response, StatusCode};
use tower::ServiceExt;
use tower_service::Service;
use vivid_lane::decide::Step;
use vivid_lane::{Answer, Decision, Question, Request as Asked};

use crate::Body;
use crate::accept::{Form, preferred};
use crate::handler::{Found, Missing};
use crate::head::Head;
use crate::live::{LiveTable, Loaded};
use crate::reply::Reply;
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
/// - Where a need or a list on which the decision hangs cannot be asked, the answer is 503, with `Retry-After` where the
///   [`Visitor`] gives one.
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

/// What is to be done with a request.
pub(crate) enum Plan<S> {
    /// Call the service of a page.
    Show(S, Option<Found>),
    /// Call the service of the page for what is missing, with status 404.
    ShowFallback(S, Missing),
    Reply(Response<Body>),
}

impl<P> Core<P> {
    pub(crate) fn new(table: LiveTable<P>) -> Self {
        Self { table, visitor: Visitor::new(), is_absolute: false, kept: KEPT }
    }

    /// Decides a request that hangs on nothing that must be waited for.
    pub(crate) fn plan_at_once<S>(&self, head: Head<'_>, service: impl Fn(&P) -> S) -> Option<Plan<S>> {
        self.step(&self.table.guard(), head, &[], &service).ok()
    }

    /// Decides a request, waiting for whatever the decision hangs on.
    pub(crate) async fn plan<S>(&self, head: &Parts, service: impl Fn(&P) -> S) -> Plan<S> {
        let loaded = self.table.loaded();
        let mut answers: Vec<(Question, Answer)> = Vec::new();
        loop {
            // Nothing of the decision is held while the visitor is asked about.
            let question = match self.step(&loaded, head.into(), &answers, &service) {
                Ok(plan) => return plan,
                Err(question) => question,
            };
            let answer = self.visitor.answer(&question, head).await;
            answers.push((question, answer));
        }
    }

    /// Decides as far as the answers reach.
    fn step<S>(
        &self,
        loaded: &Loaded<P>,
        head: Head<'_>,
        answers: &[(Question, Answer)],
        service: &impl Fn(&P) -> S,
    ) -> Result<Plan<S>, Question> {
        let target = head.target();
        let mut asked = Asked::new(head.method.as_str(), &*target);
        if loaded.table.has_hosts()
            && let Some(host) = head.headers.get(HOST).and_then(|host| host.to_str().ok()).or(head.uri.host())
        {
            asked = asked.host(host);
        }
        let mut steps = loaded.table.decide_in_steps(asked);
        answers.iter().for_each(|(question, answer)| steps.answer(question.clone(), *answer));
        match steps.resume() {
            Step::Ask(question) => Err(question),
            Step::Done(decision) => Ok(self.settle(loaded, head, decision, !answers.is_empty(), service)),
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
            return Plan::Show(service(found.page()), found.keep_in(&loaded.bare));
        }
        let status = decision.status();
        let origin = loaded.table.origin().filter(|_| self.is_absolute);
        let location = decision.location().map(|location| match origin {
            Some(origin) if location.starts_with('/') => format!("{origin}{location}"),
            _ => location.to_owned(),
        });
        let mut reply = match &location {
            Some(location) => Reply::to(status, location),
            None => Reply::new(status, ""),
        };
        let not_kept = || Some("no-store".to_owned());
        match decision {
            Decision::NotFound(missing) => {
                if let Some(page) = missing.fallback() {
                    return Plan::ShowFallback(service(page), Missing::new(&missing, &loaded.bare));
                }
                reply.detail = missing.reason().unwrap_or_default().to_owned();
                // They cost more than the reply, and a machine does not follow them.
                if preferred(head.headers) != Form::Plain {
                    reply.near = missing.suggestions().iter().map(|one| one.url().to_owned()).collect();
                }
            }
            Decision::Unmet(unmet) => {
                if location.is_none() {
                    reply.detail = format!("this page is for those who meet `{}`", unmet.need());
                }
                reply.cache = not_kept();
            }
            Decision::WrongMethod(wrong) => reply.allow = Some(wrong.allow().join(", ")),
            Decision::Options(allow) => reply.allow = Some(allow.allow().join(", ")),
            Decision::BadRequest(bad) => reply.detail = bad.to_string(),
            Decision::Unavailable(unavailable) => {
                reply.detail = unavailable.to_string();
                reply.retry_after = unavailable.retry_after();
                reply.cache = not_kept();
            }
            _ if matches!(status, 301 | 308) => {
                reply.cache = if hangs_on_visitor { not_kept() } else { Some(format!("max-age={}", self.kept)) };
            }
            _ => {}
        }
        Plan::Reply(reply.respond(head))
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
    let (service, is_missing) = match plan {
        Plan::Reply(response) => return Ok(response),
        Plan::Show(service, found) => {
            found.map(|found| request.extensions_mut().insert(found));
            (service, false)
        }
        Plan::ShowFallback(service, missing) => {
            request.extensions_mut().insert(missing);
            (service, true)
        }
    };
    Ok(with_status(service.oneshot(request).await?.map(body), is_missing))
}

pin_project_lite::pin_project! {
    #[project = Doing]
    enum State<P, B>
    where
        P: Service<Request<B>>,
    {
        // The response is here.
        Ready { response: Option<Response<Body>> },
        // A page is called.
        Calling { #[pin] future: P::Future },
        // The decision, or the page, has to wait.
        Waiting { future: BoxFuture<Result<Response<Body>, P::Error>> },
    }
}

pin_project_lite::pin_project! {
    /// The response of a [`Routed`] service, to come.
    pub struct ResponseFuture<P, B>
    where
        P: Service<Request<B>>,
    {
        #[pin]
        state: State<P, B>,
    }
}

impl<P, B> fmt::Debug for ResponseFuture<P, B>
where
    P: Service<Request<B>>,
{
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("ResponseFuture").finish_non_exhaustive()
    }
}

impl<P, B> Future for ResponseFuture<P, B>
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
            Doing::Calling { future } => future.poll(context),
            Doing::Waiting { future } => future.as_mut().poll(context),
        }
    }
}

impl<P> Routed<P> {
    /// Begins with a request.
    fn respond<B>(&self, mut request: Request<B>) -> ResponseFuture<P, B>
    where
        P: Service<Request<B>, Response = Response<Body>> + Clone + Send + Sync + 'static,
        P::Future: Send,
        B: Send + 'static,
    {
        let state = match self.core.plan_at_once((&request).into(), P::clone) {
            Some(Plan::Reply(response)) => State::Ready { response: Some(response) },
            Some(Plan::Show(mut service, found)) => {
                // Most pages are ready at once; one that is not is asked again by whoever waits for it.
                match service.poll_ready(&mut Context::from_waker(Waker::noop())) {
                    Poll::Ready(Ok(())) => {
                        found.map(|found| request.extensions_mut().insert(found));
                        State::Calling { future: service.call(request) }
                    }
                    _ => State::Waiting { future: Box::pin(carry_out(Plan::Show(service, found), request, |it| it)) },
                }
            }
            Some(plan) => State::Waiting { future: Box::pin(carry_out(plan, request, |body| body)) },
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
        ResponseFuture { state }
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
    type Future = ResponseFuture<P, B>;

    fn poll_ready(&mut self, _: &mut Context<'_>) -> Poll<Result<(), Self::Error>> {
        Poll::Ready(Ok(()))
    }

    fn call(&mut self, request: Request<B>) -> Self::Future {
        self.respond(request)
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
    type Future = ResponseFuture<P, B>;

    fn call(&self, request: Request<B>) -> Self::Future {
        self.respond(request)
    }
}
