//! What can be said of a whole table, or of two.
//!
//! - [`Review`] finds what works but was surely not meant: routes that others together hide, links that
//!   another route would answer, rules that nobody uses.
//! - [`Differences`] compares two tables: which addresses break, which are new, and the redirects that keep old ones alive.
//! - [`Table::explain`](crate::Table::explain) names every route that a URL could have meant, and why each but one lost.
//! - [`NotFound::suggestions`](crate::decide::NotFound::suggestions) gives pages near an address that nothing has.
//!
//! The first two look at sets of paths, not at samples: the paths of a route are split by which other routes accept them too,
//! and each part is represented by its shortest path. They cost a comparison of automata for each route that shares paths with
//! others, and say what was too large to be looked at. Suggestions are bounded, and made when they are asked for.

mod check;
mod differ;
mod explain;
mod near;
mod suggest;
mod ways;

pub use check::{Review, Reviewed};
pub use differ::{Difference, DifferenceKind, Differences, NotCompared, ProposedRedirect};
pub use explain::{Candidate, Explanation, Verdict};
pub use suggest::Suggestion;
