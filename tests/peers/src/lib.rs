//! Nothing but tests, each behind a feature of its own.

#![forbid(unsafe_code)]
