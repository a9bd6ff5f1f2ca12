//! What a service tells of its requests to whoever watches it.

use std::collections::HashMap;
use std::sync::Arc;

use vivid_lane::decide::DecisionKind;
use vivid_lane::{Decision, Table};

/// What a request led to. It is in the extensions of the response if
/// [`Routed::label_responses`](crate::Routed::label_responses) is set, so that any layer around the service can label
/// its measurements. There are only as many labels as routes, whatever visitors request.
///
/// # Example
/// ```
/// use http::Request;
/// use tower::ServiceExt;
/// use vivid_lane::Table;
/// use vivid_lane_http::{Body, Pages, Routed, Routing, Visit, html};
///
/// # fn main() -> Result<(), vivid_lane_http::BoxError> {
/// # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
/// let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night'\nparams.date = 'date'")?;
/// let pages = Pages::new(()).page("night", async |_: Visit| html("a night"));
/// let site = Routed::new(pages.bind(&table)?).label_responses();
/// let ask = |url: &str| site.clone().oneshot(Request::get(url).body(Body::default()).unwrap());
///
/// let response = ask("/nights/2031-04-02").await?;
/// let routing: &Routing = response.extensions().get().unwrap();
/// assert_eq!((routing.outcome(), routing.route(), routing.template()), ("page", Some("night"), Some("/nights/{date}")));
/// let response = ask("/nights/never").await?;
/// let routing: &Routing = response.extensions().get().unwrap();
/// assert_eq!((routing.outcome(), routing.route()), ("not-found", None));
/// # Ok(()) })
/// # }
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Routing {
    outcome: &'static str,
    label: Option<Arc<Label>>,
}

/// The labels of a route.
#[derive(Debug, PartialEq, Eq, Hash)]
pub(crate) struct Label {
    name: String,
    template: String,
}

/// The labels of all routes of a table, by their names.
pub(crate) type Labels = HashMap<String, Arc<Label>>;

pub(crate) fn labels(table: &Table<()>) -> Labels {
    let label = |name: &str, template: &str| Arc::new(Label { name: name.to_owned(), template: template.to_owned() });
    table.routes().map(|route| (route.name().to_owned(), label(route.name(), route.path().as_str()))).collect()
}

impl Routing {
    /// The kind of decision: `page`, `redirect`, `unmet`, `not-found`, `wrong-method`, `options`, `bad-request` or
    /// `unavailable`.
    #[must_use]
    pub fn outcome(&self) -> &'static str {
        self.outcome
    }

    /// The name of the route that took part in the decision, if one did: its page is shown, it redirects, it has the
    /// need, or it accepts other methods.
    #[must_use]
    pub fn route(&self) -> Option<&str> {
        self.label.as_ref().map(|label| label.name.as_str())
    }

    /// The template of the path of that route.
    #[must_use]
    pub fn template(&self) -> Option<&str> {
        self.label.as_ref().map(|label| label.template.as_str())
    }

    pub(crate) fn bad_request() -> Self {
        Self { outcome: DecisionKind::BadRequest.as_str(), label: None }
    }

    pub(crate) fn of<P>(decision: &Decision<'_, '_, P>, labels: &Labels) -> Self {
        let route = match decision {
            Decision::Page(found) => Some(found.route().name()),
            Decision::Redirect(redirect) => redirect.route(),
            Decision::Unmet(unmet) => unmet.position().map(|place| place.route().name()),
            Decision::WrongMethod(wrong) => wrong.position().map(|place| place.route().name()),
            Decision::NotFound(_) | Decision::Options(_) | Decision::BadRequest(_) | Decision::Unavailable(_) => None,
        };
        Self { outcome: decision.kind().as_str(), label: route.and_then(|route| labels.get(route)).map(Arc::clone) }
    }
}
