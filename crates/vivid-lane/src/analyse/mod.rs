//! Why a table answers as it does, and what may have been meant.
//!
//! [`Table::explain`](crate::Table::explain) names every route that a URL could have meant, and why each but
//! one lost. It walks the whole table, so it is for people and not for requests. The
//! [suggestions](crate::Missing::suggestions) for a missing page are bounded, and made when they are asked for.

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
