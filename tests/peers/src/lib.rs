//! Nothing but tests, each behind a feature of its own.

#![forbid(unsafe_code)]

/// Every block of the page is compiled, and run where it can be.
#[cfg(all(doctest, feature = "wire"))]
#[doc = include_str!("../../../docs/SERVER.md")]
pub struct ServerPage;

/// Every block of Rust in the guide.
#[cfg(all(doctest, feature = "wire"))]
pub mod guide {
    #[doc = include_str!("../../../docs/guide/07-links.md")]
    pub struct Links;

    #[doc = include_str!("../../../docs/guide/09-sign-in.md")]
    pub struct SignIn;

    #[doc = include_str!("../../../docs/guide/11-server.md")]
    pub struct Server;
}
