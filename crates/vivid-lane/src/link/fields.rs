//! A struct of the program → values, by serde.

use std::fmt;

use serde_core::ser::{
    self, Impossible, Serialize, SerializeMap, SerializeSeq, SerializeStruct, SerializeTuple, SerializeTupleStruct,
    Serializer,
};

use crate::template::{Value, Values};

/// The fields of a struct, or the entries of a map, as values.
pub(super) fn values<T: Serialize + ?Sized>(params: &T) -> Result<Values, String> {
    match params.serialize(Reader).map_err(|Problem(reason)| reason)? {
        Seen::Nothing => Ok(Values::new()),
        Seen::Entries(entries) => Ok(entries.into_iter().collect()),
        Seen::One(_) => Err("expected a struct or a map with a field for each parameter".to_owned()),
    }
}

/// Why a value cannot be written.
#[derive(Debug)]
struct Problem(String);

impl fmt::Display for Problem {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for Problem {}

impl ser::Error for Problem {
    fn custom<T: fmt::Display>(reason: T) -> Self {
        Self(reason.to_string())
    }
}

type Entry = (String, Value);

/// What serde shows.
enum Seen {
    /// An absent option, or a unit.
    Nothing,
    /// A text or a list of texts.
    One(Value),
    /// The fields of a struct, or the entries of a map.
    Entries(Vec<Entry>),
}

impl Seen {
    /// The value of a parameter; what has entries is a list of pairs.
    fn into_value(self) -> Result<Option<Value>, Problem> {
        let pair = |(name, value): Entry| match value {
            Value::Text(text) => Ok((name, text)),
            _ => Err(Problem(format!("`{name}`: expected a text or a number"))),
        };
        Ok(match self {
            Self::Nothing => None,
            Self::One(value) => Some(value),
            Self::Entries(entries) => Some(Value::Pairs(entries.into_iter().map(pair).collect::<Result<_, _>>()?)),
        })
    }
}

/// Reads whatever serde shows.
struct Reader;

macro_rules! shown {
    ($($method:ident: $kind:ty),*) => {$(
        fn $method(self, value: $kind) -> Result<Self::Ok, Problem> {
            Ok(Seen::One(Value::Text(value.to_string())))
        }
    )*};
}

const VALUE: &str = "expected a text, a number, a yes or no, a list or a map of these";

/// What is refused, and so never gone on with.
type Never = Impossible<Seen, Problem>;

impl Serializer for Reader {
    type Ok = Seen;
    type Error = Problem;
    type SerializeSeq = Items;
    type SerializeTuple = Items;
    type SerializeTupleStruct = Items;
    type SerializeTupleVariant = Never;
    type SerializeMap = Entries;
    type SerializeStruct = Entries;
    type SerializeStructVariant = Never;

    shown! {
        serialize_bool: bool, serialize_i8: i8, serialize_i16: i16, serialize_i32: i32, serialize_i64: i64,
        serialize_i128: i128, serialize_u8: u8, serialize_u16: u16, serialize_u32: u32, serialize_u64: u64,
        serialize_u128: u128, serialize_f32: f32, serialize_f64: f64, serialize_char: char, serialize_str: &str
    }

    fn serialize_bytes(self, _: &[u8]) -> Result<Self::Ok, Problem> {
        Err(Problem(VALUE.to_owned()))
    }

    fn serialize_none(self) -> Result<Self::Ok, Problem> {
        Ok(Seen::Nothing)
    }

    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Result<Self::Ok, Problem> {
        value.serialize(self)
    }

    fn serialize_unit(self) -> Result<Self::Ok, Problem> {
        Ok(Seen::Nothing)
    }

    fn serialize_unit_struct(self, _: &'static str) -> Result<Self::Ok, Problem> {
        Ok(Seen::Nothing)
    }

    fn serialize_unit_variant(self, _: &'static str, _: u32, variant: &'static str) -> Result<Self::Ok, Problem> {
        Ok(Seen::One(Value::from(variant)))
    }

    fn serialize_newtype_struct<T: Serialize + ?Sized>(self, _: &'static str, value: &T) -> Result<Self::Ok, Problem> {
        value.serialize(self)
    }

    fn serialize_newtype_variant<T: Serialize + ?Sized>(
        self,
        _: &'static str,
        _: u32,
        _: &'static str,
        _: &T,
    ) -> Result<Self::Ok, Problem> {
        Err(Problem(VALUE.to_owned()))
    }

    fn serialize_seq(self, _: Option<usize>) -> Result<Items, Problem> {
        Ok(Items(Vec::new()))
    }

    fn serialize_tuple(self, _: usize) -> Result<Items, Problem> {
        Ok(Items(Vec::new()))
    }

    fn serialize_tuple_struct(self, _: &'static str, _: usize) -> Result<Items, Problem> {
        Ok(Items(Vec::new()))
    }

    fn serialize_tuple_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<Never, Problem> {
        Err(Problem(VALUE.to_owned()))
    }

    fn serialize_map(self, _: Option<usize>) -> Result<Entries, Problem> {
        Ok(Entries::default())
    }

    fn serialize_struct(self, _: &'static str, _: usize) -> Result<Entries, Problem> {
        Ok(Entries::default())
    }

    fn serialize_struct_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<Never, Problem> {
        Err(Problem(VALUE.to_owned()))
    }
}

/// A list of texts.
struct Items(Vec<String>);

impl Items {
    fn push<T: Serialize + ?Sized>(&mut self, item: &T) -> Result<(), Problem> {
        match item.serialize(Reader)? {
            Seen::One(Value::Text(text)) => self.0.push(text),
            _ => return Err(Problem("expected a list of texts or numbers".to_owned())),
        }
        Ok(())
    }
}

macro_rules! list {
    ($($part:ident :: $method:ident),*) => {$(
        impl $part for Items {
            type Ok = Seen;
            type Error = Problem;

            fn $method<T: Serialize + ?Sized>(&mut self, item: &T) -> Result<(), Problem> {
                self.push(item)
            }

            fn end(self) -> Result<Self::Ok, Problem> {
                Ok(Seen::One(Value::List(self.0)))
            }
        }
    )*};
}
list!(SerializeSeq::serialize_element, SerializeTuple::serialize_element, SerializeTupleStruct::serialize_field);

/// Names and values, of a struct or a map.
#[derive(Default)]
struct Entries {
    list: Vec<Entry>,
    name: String,
}

impl Entries {
    fn push<T: Serialize + ?Sized>(&mut self, name: String, value: &T) -> Result<(), Problem> {
        let value = value.serialize(Reader).and_then(Seen::into_value);
        let value = value.map_err(|Problem(reason)| Problem(format!("`{name}`: {reason}")))?;
        self.list.extend(value.map(|value| (name, value)));
        Ok(())
    }
}

impl SerializeStruct for Entries {
    type Ok = Seen;
    type Error = Problem;

    fn serialize_field<T: Serialize + ?Sized>(&mut self, name: &'static str, value: &T) -> Result<(), Problem> {
        self.push(name.to_owned(), value)
    }

    fn end(self) -> Result<Seen, Problem> {
        Ok(Seen::Entries(self.list))
    }
}

impl SerializeMap for Entries {
    type Ok = Seen;
    type Error = Problem;

    fn serialize_key<T: Serialize + ?Sized>(&mut self, key: &T) -> Result<(), Problem> {
        self.name = match key.serialize(Reader)? {
            Seen::One(Value::Text(name)) => name,
            _ => return Err(Problem("expected a text as the name of a parameter".to_owned())),
        };
        Ok(())
    }

    fn serialize_value<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), Problem> {
        let name = std::mem::take(&mut self.name);
        self.push(name, value)
    }

    fn end(self) -> Result<Seen, Problem> {
        Ok(Seen::Entries(self.list))
    }
}
