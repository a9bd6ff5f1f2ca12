//! Values of a match as the types of the program.

use std::fmt;
use std::str::FromStr;

use serde_core::de::value::{MapDeserializer, SeqDeserializer};
use serde_core::de::{Deserialize, Deserializer, IntoDeserializer, Visitor};
use serde_core::forward_to_deserialize_any;

use super::found::Position;
use super::route::ParamKind;
use crate::rule::Shape;
use crate::template::Value;

/// A value is absent, or does not have the requested type. Names the parameter.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ParamError {
    route: String,
    param: Option<String>,
    kind: Option<ParamKind>,
    reason: String,
}

impl ParamError {
    /// The name of the parameter at fault, if there is one.
    #[must_use]
    pub fn param(&self) -> Option<&str> {
        self.param.as_deref()
    }

    /// In which part of the URL the value at fault is. `None` if the route has no such parameter: then the program and the table differ, and
    /// the URL is not at fault.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    /// use vivid_lane::lookup::ParamKind;
    ///
    /// let table = Table::from_toml("[routes.nights]\npath = '/nights{?page}'\npage = 'nights'\nparams.page = 'integer'")?;
    /// let found = table.find("/nights?page=5000000000").unwrap();
    /// assert_eq!(found.get::<u32>("page").unwrap_err().kind(), Some(ParamKind::Query));
    /// assert_eq!(found.get::<u32>("pgae").unwrap_err().kind(), None);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn kind(&self) -> Option<ParamKind> {
        self.kind
    }
}

impl fmt::Display for ParamError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.param {
            Some(param) => write!(f, "parameter `{param}` of `{}`: {}", self.route, self.reason),
            None => write!(f, "parameters of `{}`: {}", self.route, self.reason),
        }
    }
}

impl std::error::Error for ParamError {}

impl<P> Position<'_, '_, P> {
    /// The value of a parameter as a type of the program, by serde: a number, a text, an enum, a `Vec` of these for a
    /// list, a map for pairs, an `Option` of any for a value that may be absent. For a type that has only [`FromStr`],
    /// use `param(name)` and `parse`.
    ///
    /// # Errors
    /// The route has no such parameter, the URL has no value for it, or the type does not take the value.
    ///
    /// # Example
    /// ```
    /// use std::collections::BTreeMap;
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml(r#"
    ///     [routes.plate]
    ///     path = "/plates/{number}{?band*,size,filter*}"
    ///     page = "plate"
    ///     params.filter.type = "object"
    /// "#)?;
    /// let found = table.find("/plates/1021?band=1&band=2&year=2031").unwrap();
    /// assert_eq!(found.get::<u32>("number")?, 1021);
    /// assert_eq!(found.get::<Vec<u8>>("band")?, [1, 2]);
    /// assert_eq!(found.get::<BTreeMap<String, u16>>("filter")?, BTreeMap::from([("year".to_owned(), 2031)]));
    /// assert_eq!(found.get::<Option<u8>>("size")?, None);
    /// let error = table.find("/plates/b-1021").unwrap().get::<u32>("number").unwrap_err();
    /// assert_eq!(error.to_string(), "parameter `number` of `plate`: `b-1021`: invalid digit found in string");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn get<T: for<'de> Deserialize<'de>>(&self, name: &str) -> Result<T, ParamError> {
        let error = |reason: String| self.param_error(Some(name.to_owned()), reason);
        let Some(index) = self.reading().index(name) else {
            let near = crate::declare::nearest(name, self.route().rules().map(|(known, _)| known));
            let help = near.map_or_else(String::new, |near| format!("; did you mean `{near}`?"));
            return Err(error(format!("the route declares no parameter of that name{help}")));
        };
        // A list without items is an empty list.
        let empty = match self.reading().route().params[index].check.shape() {
            Shape::One => None,
            Shape::List => Some(Value::List(Vec::new())),
            Shape::Pairs => Some(Value::Pairs(Vec::new())),
        };
        match self.reading().value_at(index).or(empty) {
            Some(value) => T::deserialize(Field { name, value }).map_err(|Problem { reason, .. }| error(reason)),
            None => T::deserialize(IntoDeserializer::<Problem>::into_deserializer(()))
                .map_err(|_| error("the URL has no value for it, and it has no default".to_owned())),
        }
    }

    /// All values as a struct of the program, by serde: a field for each parameter, of the same name.
    ///
    /// Numbers, booleans, characters and unit enums are read from the text; an optional parameter is an
    /// `Option` or has a default; a list of segments is a `Vec`, a list of pairs a map.
    ///
    /// # Errors
    /// A value is missing or not of the type of its field.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// #[derive(serde::Deserialize)]
    /// struct Exposure {
    ///     date: String,
    ///     number: u16,
    ///     band: Option<char>,
    /// }
    ///
    /// let table = Table::from_toml("[routes.exposure]\npath = '/nights/{date}/{number}{?band}'\npage = 'exposure'")?;
    /// let found = table.find("/nights/2031-04-02/7").unwrap();
    /// let exposure: Exposure = found.params()?;
    /// assert_eq!((exposure.date.as_str(), exposure.number, exposure.band), ("2031-04-02", 7, None));
    ///
    /// let found = table.find("/nights/2031-04-02/7?band=UBV").unwrap();
    /// let error = found.params::<Exposure>().err().unwrap();
    /// assert_eq!(error.param(), Some("band"));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn params<T: for<'de> Deserialize<'de>>(&self) -> Result<T, ParamError> {
        let values = self.values().map(|(name, value)| (name, Field { name, value }));
        let error = |Problem { param, reason }: Problem| self.param_error(param, reason);
        T::deserialize(MapDeserializer::new(values)).map_err(error)
    }

    fn param_error(&self, param: Option<String>, reason: String) -> ParamError {
        let index = param.as_deref().and_then(|name| self.reading().index(name));
        let kind = index.map(|index| self.reading().route().params[index].kind);
        ParamError { route: self.route().name().to_owned(), param, kind, reason }
    }
}

/// What serde found wrong, and with which parameter.
#[derive(Debug)]
struct Problem {
    param: Option<String>,
    reason: String,
}

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.reason)
    }
}

impl std::error::Error for Problem {}

impl serde_core::de::Error for Problem {
    fn custom<T: fmt::Display>(reason: T) -> Self {
        Self { param: None, reason: reason.to_string() }
    }

    fn missing_field(field: &'static str) -> Self {
        Self { param: Some(field.to_owned()), reason: "the URL has no value for it, and it has no default".to_owned() }
    }
}

/// A value on its way into a field.
struct Field<'t> {
    name: &'t str,
    value: Value,
}

impl<'t> Field<'t> {
    fn blamed<T>(name: &str, result: Result<T, Problem>) -> Result<T, Problem> {
        result.map_err(|problem| Problem { param: Some(name.to_owned()), ..problem })
    }

    fn parse<T: FromStr<Err: fmt::Display>>(&self) -> Result<T, Problem> {
        let reason = |reason: String| Problem { param: Some(self.name.to_owned()), reason };
        match &self.value {
            Value::Text(text) => text.parse().map_err(|error| reason(format!("`{text}`: {error}"))),
            _ => Err(reason("expected one value, found a list".to_owned())),
        }
    }
}

impl<'de> IntoDeserializer<'de, Problem> for Field<'_> {
    type Deserializer = Self;

    fn into_deserializer(self) -> Self {
        self
    }
}

macro_rules! parsed {
    ($($method:ident $visit:ident)*) => {$(
        fn $method<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Problem> {
            let value = self.parse()?;
            Self::blamed(self.name, visitor.$visit(value))
        }
    )*};
}

impl<'de> Deserializer<'de> for Field<'_> {
    type Error = Problem;

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Problem> {
        let name = self.name;
        Self::blamed(
            name,
            match self.value {
                Value::Text(text) => visitor.visit_string(text),
                Value::List(items) => visitor.visit_seq(SeqDeserializer::new(
                    items.into_iter().map(|item| Field { name, value: Value::Text(item) }),
                )),
                Value::Pairs(pairs) => visitor.visit_map(MapDeserializer::new(
                    pairs.into_iter().map(|(key, text)| (key, Field { name, value: Value::Text(text) })),
                )),
            },
        )
    }

    parsed! {
        deserialize_bool visit_bool
        deserialize_i8 visit_i8 deserialize_i16 visit_i16 deserialize_i32 visit_i32 deserialize_i64 visit_i64
        deserialize_i128 visit_i128
        deserialize_u8 visit_u8 deserialize_u16 visit_u16 deserialize_u32 visit_u32 deserialize_u64 visit_u64
        deserialize_u128 visit_u128
        deserialize_f32 visit_f32 deserialize_f64 visit_f64
        deserialize_char visit_char
    }

    fn deserialize_option<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Problem> {
        visitor.visit_some(self)
    }

    fn deserialize_newtype_struct<V: Visitor<'de>>(self, _: &'static str, visitor: V) -> Result<V::Value, Problem> {
        visitor.visit_newtype_struct(self)
    }

    fn deserialize_enum<V: Visitor<'de>>(
        self,
        _: &'static str,
        _: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, Problem> {
        let text: String = self.parse()?;
        Self::blamed(self.name, visitor.visit_enum(IntoDeserializer::<Problem>::into_deserializer(text)))
    }

    forward_to_deserialize_any! {
        str string bytes byte_buf unit unit_struct seq tuple tuple_struct map struct identifier ignored_any
    }
}
