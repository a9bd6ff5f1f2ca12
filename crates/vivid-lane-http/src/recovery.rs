//! What becomes of what goes wrong in a page, or in a layer around one.

use std::sync::Arc;

use http::header::{CONTENT_ENCODING, CONTENT_LENGTH, CONTENT_TYPE, TRANSFER_ENCODING};
use http::request::Parts;
use http::{HeaderMap, Request, Response};
use tower_service::Service;
use vivid_lane::Table;

use crate::core::{Called, Core, fallback_at};
use crate::handler::{Found, Missing, call_once};
use crate::head::Origin;
use crate::pages::Failed;
use crate::reply::{Reply, Stamp, stamped};
use crate::watch::Watch;
use crate::{Body, BoxError, Failure};

/// What went wrong in a page, or in a layer around it.
struct PageFailure {
    failure: Arc<Failure>,
    /// The request, where it was a page.
    head: Option<Arc<Parts>>,
    /// What layers have put into the response.
    fields: HeaderMap,
}

impl PageFailure {
    fn of(error: BoxError) -> Self {
        Self { failure: Arc::new(Failure::of(error)), head: None, fields: HeaderMap::new() }
    }

    /// What went wrong, if something did.
    fn in_response<T>(response: &mut Response<T>) -> Option<Self> {
        let Failed { failure, head } = response.extensions_mut().remove()?;
        let mut fields = std::mem::take(response.headers_mut());
        // They are about a body that is not sent.
        for name in [CONTENT_ENCODING, CONTENT_LENGTH, CONTENT_TYPE, TRANSFER_ENCODING] {
            fields.remove(name);
        }
        Some(Self { failure, head: Some(head), fields })
    }
}

/// What becomes of a failure.
pub(crate) enum Recovery<S> {
    Reply(Box<Response<Body>>),
    /// The page does not exist after all: there is a page for that. Fields that layers have put into the response are kept.
    Fallback(Box<(S, Request<Body>, HeaderMap, Stamp)>),
}

fn with_fields(mut response: Response<Body>, fields: HeaderMap) -> Response<Body> {
    let known = response.headers_mut();
    let is_new: Vec<_> = fields.keys().filter(|name| !known.contains_key(*name)).cloned().collect();
    for name in is_new {
        fields.get_all(&name).iter().for_each(|value| {
            known.append(name.clone(), value.clone());
        });
    }
    response
}

impl<P> Core<P> {
    /// What becomes of what went wrong. A fallback that fails changes nothing about the status that it was to show.
    fn recovery<S>(
        &self,
        failed: PageFailure,
        origin: &Origin,
        stamp: Option<&Stamp>,
        service: impl Fn(&P) -> S,
    ) -> Recovery<S> {
        let PageFailure { failure, head, fields } = failed;
        let is_not_found = failure.is_not_found();
        if !is_not_found {
            Watch::failed(&failure);
            if let Some(response) = self.on_failure.as_ref().and_then(|hook| hook(&failure, origin.path())) {
                return Recovery::Reply(Box::new(with_fields(response, fields)));
            }
        }
        if let Some(stamp) = stamp {
            let response = Reply::new(stamp.status.as_u16(), "").respond(origin.form(), origin.path());
            return Recovery::Reply(Box::new(with_fields(stamp.put_on(response), fields)));
        }
        let mut reply = Reply::new(failure.status().as_u16(), failure.detail());
        reply.retry_after = failure.retry_after();
        reply.cache = failure.status().is_server_error().then(|| "no-store".to_owned());
        let takes_page = self.takes_pages(origin.form()) || (is_not_found && !self.shows_refusals);
        if takes_page
            && let Some((head, found)) = head.as_deref().and_then(|head| Some((head, head.extensions.get::<Found>()?)))
            && let Some(page) = fallback_of(found, &self.table.guard().table).map(&service)
        {
            let mut request = Request::new(Body::default());
            *request.method_mut() = head.method.clone();
            *request.uri_mut() = head.uri.clone();
            *request.headers_mut() = head.headers.clone();
            *request.extensions_mut() = head.extensions.clone();
            request.extensions_mut().remove::<Found>();
            let stamp = reply.stamp();
            request.extensions_mut().insert(Missing::failed(found, stamp.status, failure.detail()));
            return Recovery::Fallback(Box::new((page, request, fields, stamp)));
        }
        let response = reply.respond(origin.form(), origin.path());
        Recovery::Reply(Box::new(with_fields(response, fields)))
    }

    /// The response of a page, or what becomes of what went wrong in it.
    #[inline]
    pub(crate) fn outcome<S, T, E: Into<BoxError>>(
        &self,
        result: Result<Response<T>, E>,
        origin: &Origin,
        stamp: Option<&Stamp>,
        page: impl Fn(&P) -> S,
    ) -> Result<Response<T>, Recovery<S>> {
        let failed = match result {
            Ok(mut response) => match PageFailure::in_response(&mut response) {
                None => return Ok(response),
                Some(failed) => failed,
            },
            Err(error) => PageFailure::of(error.into()),
        };
        Err(self.recovery(failed, origin, stamp, page))
    }

    /// The response, whatever a page or a layer comes to.
    pub(crate) async fn response<S, T>(
        &self,
        (service, stamp): Called<S>,
        request: Request<Body>,
        origin: &Origin,
        page: impl Fn(&P) -> S,
        body: impl Fn(T) -> Body,
    ) -> Response<Body>
    where
        S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>>,
    {
        match self.outcome(call_once(service, request).await, origin, stamp.as_deref(), page) {
            Ok(response) => stamped(response.map(body), stamp.as_deref()),
            Err(recovery) => self.recovered(recovery, origin, body).await,
        }
    }

    pub(crate) async fn recovered<S, T>(
        &self,
        recovery: Recovery<S>,
        origin: &Origin,
        body: impl Fn(T) -> Body,
    ) -> Response<Body>
    where
        S: Service<Request<Body>, Response = Response<T>, Error: Into<BoxError>>,
    {
        let (service, request, fields, stamp) = match recovery {
            Recovery::Reply(response) => return *response,
            Recovery::Fallback(fallback) => *fallback,
        };
        let response = match self.outcome(call_once(service, request).await, origin, Some(&stamp), |_| ()) {
            Ok(response) => stamp.put_on(response.map(body)),
            Err(Recovery::Reply(response)) => *response,
            // There is no fallback of a fallback.
            Err(Recovery::Fallback(..)) => Reply::new(stamp.status.as_u16(), "").respond(origin.form(), origin.path()),
        };
        with_fields(response, fields)
    }
}

/// The fallback of a page.
fn fallback_of<'t, P>(found: &Found, table: &'t Table<P>) -> Option<&'t P> {
    fallback_at(table, table.route(found.position().route().name()))
}
