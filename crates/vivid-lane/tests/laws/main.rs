//! Laws that hold for every table, against a naive reference matcher.

mod addresses;
#[allow(unreachable_pub, reason = "the benches read the same file")]
mod declared;
mod documents;
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

/// How many cases a law tries: so many as long as `LAW_CASES` is 256, its default, and in proportion to it else. (`PROPTEST_CASES`
/// sets one number for all, the dear laws included.)
fn scaled(cases: u32) -> u32 {
    let of_256 = std::env::var("LAW_CASES").map_or(256, |text| text.parse().expect("LAW_CASES is a number"));
    (cases * of_256 / 256).max(1)
}
