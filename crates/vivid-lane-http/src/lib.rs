//! A route table as a [`tower`] service over the types of the [`http`] crate.
//!
//! [`Routed`] decides what each request leads to. A page's handler is called with the [match](Found) in the extensions
//! of the request; redirects, refusals and pages that are missing are answered by the service itself, with the right
//! status and fields. The table stands behind an atomic pointer ([`LiveTable`]), and may be exchanged while requests
//! run. What is true of a visitor, the needs that are met and the live lists, comes from functions of the user's, which
//! may wait for a database ([`Visitor`]).
//!
//! With the feature `server` there is a `Server` for it, with limits and an orderly end. With the feature `hyper`, [`Routed`] is a service of
//! `hyper` as it is, and a connection needs no adapter.
//!
//! A page is an async function of a [`Visit`], and [`Pages`] binds pages to the names of a table. What goes wrong in a page becomes a
//! response ([`Failure`]); its panics are the business of a layer around it.
//!
//! # Example
//! ```
//! use http::Request;
//! use tower::ServiceExt;
//! use vivid_lane::Table;
//! use vivid_lane_http::{Body, Pages, Routed, Visit, html};
//!
//! async fn night(visit: Visit) -> http::Response<Body> {
//!     html(format!("the night of {}", visit.param("date").unwrap_or_default()))
//! }
//!
//! # fn main() -> Result<(), vivid_lane_http::BoxError> {
//! # tokio::runtime::Builder::new_current_thread().build()?.block_on(async {
//! let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night'\nparams.date = 'date'")?;
//! let service = Routed::new(Pages::new(()).page("night", night).bind(&table)?);
//!
//! let response = service.clone().oneshot(Request::get("/nights/2031-04-02").body(Body::default())?).await?;
//! assert_eq!(response.status(), 200);
//! let response = service.clone().oneshot(Request::get("//nights/./2031-04-02").body(Body::default())?).await?;
//! assert_eq!((response.status().as_u16(), response.headers()["location"].to_str()?), (308, "/nights/2031-04-02"));
//! let response = service.oneshot(Request::get("/nights/2031-02-30").body(Body::default())?).await?;
//! assert_eq!(response.status(), 404);
//! # Ok(()) })
//! # }
//! ```

#![forbid(unsafe_code)]

mod accept;
mod body;
mod cache;
mod core;
mod counts;
mod error;
mod failure;
mod handler;
mod head;
mod layer;
mod live;
mod pages;
mod recovery;
mod reply;
mod routing;
#[cfg(feature = "server")]
mod server;
mod service;
mod visit;
mod visitor;
mod watch;

pub use body::Body;
pub use counts::Counts;
pub use error::{BoxError, Error};
pub use failure::Failure;
pub use handler::{Found, Handler, Missing, found, handler, missing, service};
pub use head::{has_good_host, is_from_this_site};
pub use layer::{PageName, RoutedPages};
pub use live::LiveTable;
pub use pages::{PageFunction, PageResult, Pages, PagesError, html, json, layered};
pub use routing::Routing;
#[cfg(feature = "server")]
pub use server::{Server, Unfinished};
pub use service::{PageService, ResponseFuture, Routed};
pub use visit::Visit;
pub use visitor::{Visitor, Who};
