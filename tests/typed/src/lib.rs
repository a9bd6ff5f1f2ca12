//! Nothing but tests.

#![forbid(unsafe_code)]
