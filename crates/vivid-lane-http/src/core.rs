//! What is to be done with a request: the decision of the table, carried over to HTTP.

use std::sync::Arc;

use http::header::HOST;
use http::request::Parts;
use http::{Request, Response};
use vivid_lane::decide::Step;
use vivid_lane::{Answer, Decision, Question, Request as Asked, RouteRef, Table};

use crate::accept::Form;
use crate::counts::Counts;
use crate::handler::{Found, Missing};
use crate::head::Head;
use crate::live::{LiveTable, Loaded};
use crate::reply::{Reply, Stamp};
use crate::routing::Routing;
use crate::visitor::{Identity, Visitor};
use crate::watch::Watch;
use crate::{Body, Failure};

/// How long a permanent redirect may be kept, in seconds, if nothing else is said.
const KEPT: u32 = 3600;

/// What all forms of the service have.
pub(crate) struct Core<P> {
    pub(crate) table: LiveTable<P>,
    pub(crate) visitor: Visitor,
    pub(crate) is_absolute: bool,
    pub(crate) kept: u32,
    pub(crate) on_failure: Option<Arc<FailureHook>>,
    pub(crate) labels_responses: bool,
    pub(crate) counts: Option<Counts>,
    pub(crate) shows_refusals: bool,
}

/// What is made of a failure at a path.
pub(crate) type FailureHook = dyn Fn(&Failure, &str) -> Option<Response<Body>> + Send + Sync;

impl<P> Clone for Core<P> {
    fn clone(&self) -> Self {
        Self {
            table: self.table.clone(),
            visitor: self.visitor.clone(),
            is_absolute: self.is_absolute,
            kept: self.kept,
            on_failure: self.on_failure.clone(),
            labels_responses: self.labels_responses,
            counts: self.counts.clone(),
            shows_refusals: self.shows_refusals,
        }
    }
}

/// A plan for a request, with the labels for telemetry where they are wanted.
pub(crate) type PlanWithRouting<S> = (Plan<S>, Option<Routing>);

/// What is to be done with a request.
pub(crate) enum Plan<S> {
    /// Call the service of a page.
    Show(S, Option<Found>),
    /// Call the service of the page for what is missing, or refused.
    ShowFallback(S, Box<(Missing, Stamp)>),
    Reply(Response<Body>),
}

/// A service that is to be called, and what its response has if it is that of a fallback.
pub(crate) type Called<S> = (S, Option<Box<Stamp>>);

impl<S> Plan<S> {
    /// Puts what is known of a request into its extensions, and gives the service that is to be called, or the response.
    pub(crate) fn prepare(
        self,
        request: &mut Request<Body>,
        identity: Option<Identity>,
    ) -> Result<Called<S>, Box<Response<Body>>> {
        let extensions = request.extensions_mut();
        identity.map(|identity| extensions.insert(identity));
        match self {
            Self::Reply(response) => Err(Box::new(response)),
            Self::Show(service, found) => {
                found.map(|found| extensions.insert(found));
                Ok((service, None))
            }
            Self::ShowFallback(service, known) => {
                let (missing, stamp) = *known;
                extensions.insert(missing);
                Ok((service, Some(Box::new(stamp))))
            }
        }
    }
}

impl<P> Core<P> {
    pub(crate) fn new(table: LiveTable<P>) -> Self {
        Self {
            table,
            visitor: Visitor::new(),
            is_absolute: false,
            kept: KEPT,
            on_failure: None,
            labels_responses: false,
            counts: None,
            shows_refusals: false,
        }
    }

    /// The message about an invalid host.
    fn bad_host<S>(head: Head<'_>) -> PlanWithRouting<S> {
        let reply = Reply::bad_host().respond(head.form(), head.uri.path());
        (Plan::Reply(reply), Some(Routing::bad_request()))
    }

    /// Decides a request that hangs on nothing that must be waited for. It must name a host where one is wanted.
    pub(crate) fn plan_at_once<S>(
        &self,
        head: Head<'_>,
        wants_host: bool,
        watch: &Watch,
        service: impl Fn(&P) -> S,
    ) -> Option<PlanWithRouting<S>> {
        let planned = if head.has_good_host(wants_host) {
            self.step(&self.table.guard(), head, &[], watch, &service).ok()?
        } else {
            Self::bad_host(head)
        };
        watch.decided(head, planned.1.as_ref());
        Some(planned)
    }

    /// Decides a request, waiting for whatever the decision hangs on.
    pub(crate) async fn plan<S>(
        &self,
        head: &Parts,
        identity: Option<&Identity>,
        watch: &Watch,
        service: impl Fn(&P) -> S,
    ) -> PlanWithRouting<S> {
        let loaded = self.table.loaded();
        let mut answers: Vec<(Question, Answer)> = Vec::new();
        loop {
            // Nothing of the decision is held while the visitor is asked about.
            let question = match self.step(&loaded, head.into(), &answers, watch, &service) {
                Ok(planned) => {
                    watch.decided(head.into(), planned.1.as_ref());
                    return planned;
                }
                Err(question) => question,
            };
            let answer = self.visitor.answer(&question, head, identity).await;
            answers.push((question, answer));
        }
    }

    /// Decides as far as the answers reach.
    fn step<S>(
        &self,
        loaded: &Loaded<P>,
        head: Head<'_>,
        answers: &[(Question, Answer)],
        watch: &Watch,
        service: &impl Fn(&P) -> S,
    ) -> Result<PlanWithRouting<S>, Question> {
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
            Step::Done(decision) => {
                let is_told = self.labels_responses || self.counts.is_some() || watch.is_on();
                let routing = is_told.then(|| Routing::of(&decision, loaded.labels()));
                Ok((self.settle(loaded, head, decision, !answers.is_empty(), service), routing))
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
        let mut position = None;
        match &decision {
            Decision::NotFound(missing) => {
                if let Some(page) = missing.fallback().filter(|_| !self.shows_refusals || self.takes_pages(head.form()))
                {
                    let known = Missing::new(missing, &loaded.bare, head.target().into_owned());
                    return Plan::ShowFallback(service(page), Box::new((known, reply.stamp())));
                }
                reply.detail = missing.reason().unwrap_or_default().into_owned();
                // They cost more than the reply, and a machine does not follow them.
                if head.form() != Form::Plain {
                    reply.near = missing.suggestions().iter().map(|one| one.url().to_owned()).collect();
                }
            }
            Decision::Unmet(unmet) => {
                if location.is_none() {
                    reply.detail = format!("this page is for those who meet `{}`", unmet.need());
                }
                reply.cache = not_kept();
                position = unmet.position();
            }
            Decision::WrongMethod(wrong) => {
                reply.allow = Some(wrong.allow().join(", "));
                position = wrong.position();
            }
            Decision::Options(allow) => reply.allow = Some(allow.allow().join(", ")),
            Decision::BadRequest(bad) => reply.detail = bad.to_string(),
            Decision::Unavailable(unavailable) => {
                reply.detail = unavailable.to_string();
                reply.retry_after = unavailable.retry_after();
                reply.cache = not_kept();
                let failure = Failure::unavailable(reply.detail.clone(), reply.retry_after);
                Watch::unanswered(&failure);
                if let Some(response) = self.on_failure.as_ref().and_then(|hook| hook(&failure, head.uri.path())) {
                    return Plan::Reply(response);
                }
            }
            _ if matches!(status, 301 | 308) => {
                reply.cache = if hangs_on_visitor { not_kept() } else { Some(format!("max-age={}", self.kept)) };
            }
            _ => {}
        }
        if status >= 400
            && status != 404
            && self.takes_pages(head.form())
            && let Some(page) = fallback_at(&loaded.table, position.as_ref().map(|position| position.route()))
        {
            let stamp = reply.stamp();
            let known = Missing::refused(position.as_ref(), &loaded.bare, stamp.status, reply.detail);
            return Plan::ShowFallback(service(page), Box::new((known, stamp)));
        }
        Plan::Reply(reply.respond(head.form(), head.uri.path()))
    }

    /// Whether a refusal is shown by the fallback to a client that likes that form best. Programs get problem details.
    pub(crate) fn takes_pages(&self, form: Form) -> bool {
        self.shows_refusals && form != Form::Json
    }
}

/// The fallback at a route, or of the site.
pub(crate) fn fallback_at<'t, P>(table: &'t Table<P>, route: Option<RouteRef<'t, P>>) -> Option<&'t P> {
    let mut above = std::iter::successors(route, |route| route.parent());
    match above.find(|route| route.fallback().is_some() || route.has_no_fallback()) {
        Some(route) => route.fallback(),
        None => table.fallback(),
    }
}
