//! A struct of the program → values, by serde.

use std::fmt;

use serde_core::ser::{
    self, Impossible, Serialize, SerializeMap, SerializeSeq, SerializeStruct, SerializeTuple, SerializeTupleStruct,
    Serializer,
};

use crate::template::{Value, Values};

/// The fields of a struct, or the entries of a map, as values.
pub(super) fn values<T: Serialize + ?Sized>(params: &T) -> Result<Values, String> {
    let pairs = params.serialize(Entries::default()).map_err(|Problem(reason)| reason)?;
    let values = pairs.into_iter().filter_map(|(name, value)| Some((name, value?)));
    Ok(values.collect())
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

type Entry = (String, Option<Value>);

/// Names and values, of a struct or a map.
#[derive(Default)]
struct Entries {
    list: Vec<Entry>,
    name: Option<String>,
}

macro_rules! refused {
    ($expected:literal: $($method:ident($($kind:ty),*))*) => {$(
        fn $method(self, $(_: $kind),*) -> Result<Self::Ok, Problem> {
            Err(Problem($expected.to_owned()))
        }
    )*};
}

/// What a serializer never gives, as the calls that would need it are refused.
type Never = Impossible<Vec<Entry>, Problem>;
const STRUCT: &str = "expected a struct or a map with a field for each parameter";

impl Serializer for Entries {
    type Ok = Vec<Entry>;
    type Error = Problem;
    type SerializeSeq = Never;
    type SerializeTuple = Never;
    type SerializeTupleStruct = Never;
    type SerializeTupleVariant = Never;
    type SerializeMap = Self;
    type SerializeStruct = Self;
    type SerializeStructVariant = Never;

    refused! { "expected a struct or a map with a field for each parameter":
        serialize_bool(bool) serialize_i8(i8) serialize_i16(i16) serialize_i32(i32) serialize_i64(i64)
        serialize_u8(u8) serialize_u16(u16) serialize_u32(u32) serialize_u64(u64) serialize_f32(f32)
        serialize_f64(f64) serialize_char(char) serialize_str(&str) serialize_bytes(&[u8])
        serialize_unit_variant(&'static str, u32, &'static str)
    }

    fn serialize_none(self) -> Result<Self::Ok, Problem> {
        Ok(self.list)
    }

    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Result<Self::Ok, Problem> {
        value.serialize(self)
    }

    fn serialize_unit(self) -> Result<Self::Ok, Problem> {
        Ok(self.list)
    }

    fn serialize_unit_struct(self, _: &'static str) -> Result<Self::Ok, Problem> {
        Ok(self.list)
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
        Err(Problem(STRUCT.to_owned()))
    }

    fn serialize_seq(self, _: Option<usize>) -> Result<Never, Problem> {
        Err(Problem(STRUCT.to_owned()))
    }

    fn serialize_tuple(self, _: usize) -> Result<Never, Problem> {
        Err(Problem(STRUCT.to_owned()))
    }

    fn serialize_tuple_struct(self, _: &'static str, _: usize) -> Result<Never, Problem> {
        Err(Problem(STRUCT.to_owned()))
    }

    fn serialize_tuple_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<Never, Problem> {
        Err(Problem(STRUCT.to_owned()))
    }

    fn serialize_map(self, _: Option<usize>) -> Result<Self, Problem> {
        Ok(self)
    }

    fn serialize_struct(self, _: &'static str, _: usize) -> Result<Self, Problem> {
        Ok(self)
    }

    fn serialize_struct_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<Never, Problem> {
        Err(Problem(STRUCT.to_owned()))
    }
}

impl SerializeStruct for Entries {
    type Ok = Vec<Entry>;
    type Error = Problem;

    fn serialize_field<T: Serialize + ?Sized>(&mut self, name: &'static str, value: &T) -> Result<(), Problem> {
        let value = value.serialize(One).map_err(|Problem(reason)| Problem(format!("`{name}`: {reason}")))?;
        self.list.push((name.to_owned(), value));
        Ok(())
    }

    fn end(self) -> Result<Self::Ok, Problem> {
        Ok(self.list)
    }
}

impl SerializeMap for Entries {
    type Ok = Vec<Entry>;
    type Error = Problem;

    fn serialize_key<T: Serialize + ?Sized>(&mut self, key: &T) -> Result<(), Problem> {
        self.name = match key.serialize(One)? {
            Some(Value::Text(name)) => Some(name),
            _ => return Err(Problem("expected a text as the name of a parameter".to_owned())),
        };
        Ok(())
    }

    fn serialize_value<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), Problem> {
        let name = self.name.take().unwrap_or_default();
        let value = value.serialize(One).map_err(|Problem(reason)| Problem(format!("`{name}`: {reason}")))?;
        self.list.push((name, value));
        Ok(())
    }

    fn end(self) -> Result<Self::Ok, Problem> {
        Ok(self.list)
    }
}

/// One value: a text, a list of texts, a list of pairs, or nothing.
struct One;

macro_rules! shown {
    ($($method:ident: $kind:ty),*) => {$(
        fn $method(self, value: $kind) -> Result<Self::Ok, Problem> {
            Ok(Some(Value::Text(value.to_string())))
        }
    )*};
}

const VALUE: &str = "expected a text, a number, a yes or no, a list or a map of these";

/// What a single value never is.
type NoValue = Impossible<Option<Value>, Problem>;

impl Serializer for One {
    type Ok = Option<Value>;
    type Error = Problem;
    type SerializeSeq = Items;
    type SerializeTuple = Items;
    type SerializeTupleStruct = Items;
    type SerializeTupleVariant = NoValue;
    type SerializeMap = PairsOf;
    type SerializeStruct = PairsOf;
    type SerializeStructVariant = NoValue;

    shown! {
        serialize_bool: bool, serialize_i8: i8, serialize_i16: i16, serialize_i32: i32, serialize_i64: i64,
        serialize_i128: i128, serialize_u8: u8, serialize_u16: u16, serialize_u32: u32, serialize_u64: u64,
        serialize_u128: u128, serialize_f32: f32, serialize_f64: f64, serialize_char: char, serialize_str: &str
    }

    fn serialize_bytes(self, _: &[u8]) -> Result<Self::Ok, Problem> {
        Err(Problem(VALUE.to_owned()))
    }

    fn serialize_none(self) -> Result<Self::Ok, Problem> {
        Ok(None)
    }

    fn serialize_some<T: Serialize + ?Sized>(self, value: &T) -> Result<Self::Ok, Problem> {
        value.serialize(self)
    }

    fn serialize_unit(self) -> Result<Self::Ok, Problem> {
        Ok(None)
    }

    fn serialize_unit_struct(self, _: &'static str) -> Result<Self::Ok, Problem> {
        Ok(None)
    }

    fn serialize_unit_variant(self, _: &'static str, _: u32, variant: &'static str) -> Result<Self::Ok, Problem> {
        Ok(Some(Value::from(variant)))
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

    fn serialize_tuple_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<NoValue, Problem> {
        Err(Problem(VALUE.to_owned()))
    }

    fn serialize_map(self, _: Option<usize>) -> Result<PairsOf, Problem> {
        Ok(PairsOf(Entries::default()))
    }

    fn serialize_struct(self, _: &'static str, _: usize) -> Result<PairsOf, Problem> {
        Ok(PairsOf(Entries::default()))
    }

    fn serialize_struct_variant(self, _: &'static str, _: u32, _: &'static str, _: usize) -> Result<NoValue, Problem> {
        Err(Problem(VALUE.to_owned()))
    }
}

/// A list of texts.
struct Items(Vec<String>);

impl Items {
    fn push<T: Serialize + ?Sized>(&mut self, item: &T) -> Result<(), Problem> {
        match item.serialize(One)? {
            Some(Value::Text(text)) => self.0.push(text),
            _ => return Err(Problem("expected a list of texts or numbers".to_owned())),
        }
        Ok(())
    }
}

macro_rules! list {
    ($($part:ident :: $method:ident),*) => {$(
        impl $part for Items {
            type Ok = Option<Value>;
            type Error = Problem;

            fn $method<T: Serialize + ?Sized>(&mut self, item: &T) -> Result<(), Problem> {
                self.push(item)
            }

            fn end(self) -> Result<Self::Ok, Problem> {
                Ok(Some(Value::List(self.0)))
            }
        }
    )*};
}
list!(SerializeSeq::serialize_element, SerializeTuple::serialize_element, SerializeTupleStruct::serialize_field);

/// A list of pairs, from a map or a struct within a struct.
struct PairsOf(Entries);

impl PairsOf {
    fn into_value(self) -> Result<Option<Value>, Problem> {
        let pair = |(name, value): Entry| match value? {
            Value::Text(text) => Some(Ok((name, text))),
            _ => Some(Err(Problem(format!("`{name}`: expected a text or a number")))),
        };
        Ok(Some(Value::Pairs(self.0.list.into_iter().filter_map(pair).collect::<Result<_, _>>()?)))
    }
}

impl SerializeMap for PairsOf {
    type Ok = Option<Value>;
    type Error = Problem;

    fn serialize_key<T: Serialize + ?Sized>(&mut self, key: &T) -> Result<(), Problem> {
        self.0.serialize_key(key)
    }

    fn serialize_value<T: Serialize + ?Sized>(&mut self, value: &T) -> Result<(), Problem> {
        self.0.serialize_value(value)
    }

    fn end(self) -> Result<Self::Ok, Problem> {
        self.into_value()
    }
}

impl SerializeStruct for PairsOf {
    type Ok = Option<Value>;
    type Error = Problem;

    fn serialize_field<T: Serialize + ?Sized>(&mut self, name: &'static str, value: &T) -> Result<(), Problem> {
        SerializeStruct::serialize_field(&mut self.0, name, value)
    }

    fn end(self) -> Result<Self::Ok, Problem> {
        self.into_value()
    }
}
