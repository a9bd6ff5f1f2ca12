//! What can be known of a parameter from outside.

use super::route::{Param, ParamKind};
use super::table::RouteRef;
use crate::declare::Data;
use crate::rule::{Check, Many, Shape};
use crate::template::Value;

/// A parameter of a route with its rule, for generators of code and documentation.
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
    check: &'t Check,
}

impl<'t> Parameter<'t> {
    /// The name.
    #[must_use]
    pub fn name(self) -> &'t str {
        &self.param.name
    }

    /// Where the parameter stands in the URL.
    #[must_use]
    pub fn kind(self) -> ParamKind {
        self.param.kind
    }

    /// Whether its value is one text, a list or pairs.
    #[must_use]
    pub fn shape(self) -> Shape {
        self.check.shape()
    }

    /// Whether the template has a star after the name, so that each item is written separately (RFC 6570, section
    /// 2.4.2).
    #[must_use]
    pub fn is_exploded(self) -> bool {
        self.param.is_exploded
    }

    /// The same parameter with the rule of one item: an item of a list, a value of pairs. `None` for one text.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::lookup::Shape;
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.plates]\npath = '/plates{?band*}'\npage = 'plates'\nparams.band.items = ['b', 'v']")?;
    /// let band = table.route("plates").unwrap().parameters().next().unwrap();
    /// assert_eq!((band.shape(), band.is_exploded()), (Shape::List, true));
    /// assert_eq!(band.items().unwrap().label(), "b | v");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn items(self) -> Option<Self> {
        let check = match &self.check.values {
            Many::One => return None,
            Many::List { items, .. } => items,
            Many::Pairs { values, .. } => values,
        };
        Some(Self { check, ..self })
    }

    /// The same parameter with the rule of the names of its pairs. `None` for any other form.
    #[must_use]
    pub fn names(self) -> Option<Self> {
        match &self.check.values {
            Many::Pairs { names, .. } => Some(Self { check: names, ..self }),
            _ => None,
        }
    }

    /// Whether a URL of the route may leave it out.
    #[must_use]
    pub fn is_optional(self) -> bool {
        self.param.is_optional
    }

    /// Keywords and values of its rule (JSON Schema), in the order in which they were declared.
    pub fn keywords(self) -> impl ExactSizeIterator<Item = (&'t str, &'t Data)> {
        self.check.declared().iter().map(|(name, value)| (name.as_str(), value))
    }

    /// The value of a keyword of its rule.
    #[must_use]
    pub fn keyword(self, name: &str) -> Option<&'t Data> {
        self.keywords().find(|(known, _)| *known == name).map(|(_, value)| value)
    }

    /// The rule in a few words; empty if there is no rule.
    #[must_use]
    pub fn label(self) -> &'t str {
        self.check.label()
    }

    /// A short value that the rule allows: a text, a list of one item, or one pair. It need not be in a live list, and
    /// a list may need more items. `None` if the rule allows no value.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Table, Value};
    ///
    /// let table = Table::from_toml("[routes.plate]\npath = '/{plate}'\npage = 'plate'\nparams.plate = { pattern = '^[b-d]-[0-9]{3,5}$' }")?;
    /// let plate = table.route("plate").unwrap().parameters().next().unwrap();
    /// assert_eq!(plate.example(), Some(Value::Text("b-000".into())));
    ///
    /// let table = Table::from_toml("[routes.night]\npath = '/{date}'\npage = 'night'\nparams.date = 'date'")?;
    /// let date = table.route("night").unwrap().parameters().next().unwrap();
    /// assert_eq!(date.example(), Some(Value::Text("2031-04-02".into())));
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn example(self) -> Option<Value> {
        let text = |check: &Check| {
            let shortest = String::from_utf8(check.set().shortest()?).ok()?;
            // People read a day of this century more easily than `0000-01-01`.
            let usual =
                MOMENTS.iter().find(|moment| moment.len() == shortest.len() && check.set().contains(moment.as_bytes()));
            Some(usual.map_or(shortest, |moment| (*moment).to_owned()))
        };
        Some(match &self.check.values {
            Many::One => Value::Text(text(self.check)?),
            Many::List { items, .. } => Value::List(vec![text(items)?]),
            Many::Pairs { names, values, .. } => Value::Pairs(vec![(text(names)?, text(values)?)]),
        })
    }

    /// The value of the parameter if the URL leaves it out.
    #[must_use]
    pub fn default_value(self) -> Option<&'t Value> {
        self.check.default.as_ref()
    }
}

/// A day, a time and a moment, as examples of what takes one.
const MOMENTS: [&str; 3] = ["2031-04-02", "21:30:00Z", "2031-04-02T21:30:00Z"];

impl<'t, P> RouteRef<'t, P> {
    /// The parameters of the whole path, the outermost first.
    pub fn parameters(self) -> impl ExactSizeIterator<Item = Parameter<'t>> {
        self.frozen_route().params.iter().map(|param| Parameter { param, check: &param.check })
    }
}
