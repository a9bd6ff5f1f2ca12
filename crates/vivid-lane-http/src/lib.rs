//! A route table as a [`tower`] service over the types of the [`http`] crate.
//!
//! You write pages. The service answers everything else: redirects, canonical addresses, sign-in, wrong methods, missing pages, and what goes
//! wrong in a page.
//!
//! - A page is an async function of a [`Visit`], which has the parameters, the state that all pages share, forms and links.
//! - [`Pages`] binds pages to the names in a table, and fails where the two do not fit together.
//! - [`Routed`] is the service: it decides on a request and calls the page.
//! - [`Visitor`] answers what only the program knows: who the visitor is, which needs are met, which values a live list has. Its functions may
//!   wait for a database, and may fail.
//! - [`Failure`] turns an error of a page into a response. Panics are left to a layer around the page.
//! - [`LiveTable`] holds a table that can be exchanged while requests run.
//!
//! The feature `server` adds a `Server` with limits and an orderly end; `hyper` makes [`Routed`] a service of `hyper`, so that a connection needs
//! no adapter; `tracing` makes a span of each request; `tower`, on by default, answers time-outs of its layers by 503.
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

#![cfg_attr(docsrs, feature(doc_cfg))]
#![forbid(unsafe_code)]

mod accept;
mod body;
mod cache;
#[cfg(feature = "server")]
mod connection;
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
