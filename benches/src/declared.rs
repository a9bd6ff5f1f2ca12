//! The tables to measure with, declared.

use vivid_lane::declare::Overlaps;
use vivid_lane::{RouteSpec, Rule, TableSpec};

use super::tables::{Corpus, Kind, Segment, template};

/// The table, declared as a user would; routes are named by their index.
#[must_use]
pub fn spec(corpus: &Corpus) -> TableSpec {
    let mut spec = TableSpec::new().overlaps(Overlaps::Refused);
    for (index, route) in corpus.routes.iter().enumerate() {
        let mut declared = RouteSpec::new(index.to_string()).path(template(route)).page("page");
        for segment in route {
            declared = match segment {
                Segment::Param(name, Kind::Integer) => declared.param(name, Rule::format("integer")),
                Segment::Param(name, Kind::Date) => declared.param(name, Rule::format("date")),
                _ => declared,
            };
        }
        spec = spec.route(declared);
    }
    spec
}
