//! Nothing but tests, each behind a feature of its own.

#![forbid(unsafe_code)]

/// Every block of the page is compiled, and run where it can be.
#[cfg(all(doctest, feature = "wire"))]
#[doc = include_str!("../../../docs/SERVER.md")]
pub struct ServerPage;
