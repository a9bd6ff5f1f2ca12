//! Laws that hold for every table, against a naive reference matcher.

mod addresses;
mod matching;
mod proofs;
mod reference;
mod sites;
