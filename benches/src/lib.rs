//! Tables to measure with, the contenders, and the yardsticks.

#![forbid(unsafe_code)]

pub mod contenders;
pub mod declared;
#[cfg(feature = "count")]
pub mod forms;
#[allow(missing_docs, reason = "the build script reads the same file")]
pub mod tables;
#[cfg(feature = "count")]
pub mod yardsticks;
