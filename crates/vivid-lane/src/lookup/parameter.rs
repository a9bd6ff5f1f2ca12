//! What can be known of a parameter from outside.

use super::route::{Param, ParamKind};
use super::table::RouteRef;
use crate::declare::Data;
use crate::rule::Automaton;

/// A parameter of a route, with its rule: what generators of code and documents read.
///
/// # Example
/// ```
/// use vivid_lane::declare::Data;
/// use vivid_lane::lookup::ParamKind;
/// use vivid_lane::{RouteSpec, Rule, TableSpec};
///
/// let year = Rule::integer().minimum(1950);
/// let archive = RouteSpec::new("archive").path("/archive{/year}").page("archive").param("year", year);
/// let table = TableSpec::new().route(archive).build()?;
/// let year = table.route("archive").unwrap().parameters().next().unwrap();
/// assert_eq!((year.name(), year.kind(), year.is_optional()), ("year", ParamKind::Segment, true));
/// assert_eq!(year.keyword("minimum"), Some(&Data::Integer(1950)));
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, Copy)]
pub struct Parameter<'t> {
    param: &'t Param,
}

impl<'t> Parameter<'t> {
    /// Its name.
    #[must_use]
    pub fn name(self) -> &'t str {
        &self.param.name
    }

    /// Where it stands.
    #[must_use]
    pub fn kind(self) -> ParamKind {
        self.param.kind
    }

    /// May a URL of the route lack it?
    #[must_use]
    pub fn is_optional(self) -> bool {
        self.param.is_optional
    }

    /// Keywords and values of its rule (JSON Schema), in the order in which they were declared.
    pub fn keywords(self) -> impl ExactSizeIterator<Item = (&'t str, &'t Data)> {
        self.param.check.declared().iter().map(|(name, value)| (name.as_str(), value))
    }

    /// The value of a keyword of its rule.
    #[must_use]
    pub fn keyword(self, name: &str) -> Option<&'t Data> {
        self.keywords().find(|(known, _)| *known == name).map(|(_, value)| value)
    }

    /// The set of values that its rule accepts; `None` where every text is a value. A live list, and a format of one's own
    /// that no pattern describes, refuse some of them besides.
    #[must_use]
    pub fn automaton(self) -> Option<Automaton<'t>> {
        self.param.check.ruled_set().map(Automaton::new)
    }

    /// The rule in a few words; empty where there is none.
    #[must_use]
    pub fn label(self) -> &'t str {
        self.param.check.label()
    }

    /// The value that a link is given where nothing else is said, and that an absent one has, as a URL would write it.
    #[must_use]
    pub fn default_value(self) -> Option<&'t str> {
        self.param.check.default.as_deref()
    }
}

impl<'t, P> RouteRef<'t, P> {
    /// The parameters of the whole path, the outermost first.
    pub fn parameters(self) -> impl ExactSizeIterator<Item = Parameter<'t>> {
        self.frozen_route().params.iter().map(|param| Parameter { param })
    }
}
