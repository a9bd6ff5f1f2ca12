//! Laws that hold for every table, against a naive reference matcher.

mod addresses;
#[allow(unreachable_pub, reason = "the benches read the same file")]
mod declared;
mod documents;
mod learned;
mod lists;
mod lookup;
mod matching;
mod nested;
mod proofs;
mod reference;
mod sites;
#[allow(missing_docs, unreachable_pub, reason = "the benches read the same file")]
mod tables;
mod visitors;

/// How many cases a law tries: so many as long as `PROPTEST_CASES` is 256, its default, and in proportion to it else.
fn scaled(cases: u32) -> u32 {
    cases * proptest::test_runner::Config::default().cases / 256
}
