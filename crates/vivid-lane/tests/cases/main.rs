//! Cases as data, and single calls of the library.

mod certainty;
mod decisions;
mod pages;
mod paths;
mod queries;
mod rfc6570;
mod tables;
mod visits;
