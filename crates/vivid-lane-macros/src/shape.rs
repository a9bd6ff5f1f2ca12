//! Parameters → types of fields, by their rules.

use std::collections::HashMap;

use proc_macro2::{Ident, TokenStream};
use quote::quote;
use vivid_lane::Value;
use vivid_lane::declare::Data;
use vivid_lane::lookup::{ParamKind, Parameter, Shape};

use crate::name::Names;

/// A field of a struct.
pub(crate) struct Field {
    pub(crate) name: Ident,
    /// The name of the parameter.
    pub(crate) param: String,
    pub(crate) label: String,
    pub(crate) holds: Holds,
    pub(crate) one: One,
    /// What stands where nothing is said.
    pub(crate) default: TokenStream,
}

/// How many values a field holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Holds {
    One,
    /// One or none.
    Optional,
    Items,
    Pairs,
}

/// What one value is.
#[derive(Debug, Clone)]
pub(crate) enum One {
    Text,
    Integer,
    Number,
    Boolean,
    /// One of an enum.
    Choice(Ident),
}

impl One {
    pub(crate) fn tokens(&self) -> TokenStream {
        match self {
            Self::Text => quote!(::std::string::String),
            Self::Integer => quote!(i64),
            Self::Number => quote!(f64),
            Self::Boolean => quote!(bool),
            Self::Choice(name) => quote!(values::#name),
        }
    }
}

/// The enums of rules that name their values; parameters with the same name and values share one.
#[derive(Default)]
pub(crate) struct Choices {
    names: Names,
    known: HashMap<(String, Vec<String>), Ident>,
    pub(crate) all: Vec<(Ident, Vec<String>)>,
}

impl Choices {
    fn of(&mut self, param: &str, values: Vec<String>) -> Ident {
        let key = (param.to_owned(), values);
        if let Some(known) = self.known.get(&key) {
            return known.clone();
        }
        let name = self.names.camel(param);
        self.all.push((name.clone(), key.1.clone()));
        self.known.insert(key, name.clone());
        name
    }
}

/// The field of a parameter.
pub(crate) fn field(param: Parameter<'_>, names: &mut Names, choices: &mut Choices) -> Field {
    let holds = match param.kind() {
        _ if param.shape() == Shape::List => Holds::Items,
        _ if param.shape() == Shape::Pairs => Holds::Pairs,
        ParamKind::Fragment => Holds::Optional,
        _ if param.is_optional() && param.default_value().is_none() => Holds::Optional,
        _ => Holds::One,
    };
    let one = one(param.items().unwrap_or(param), choices);
    let default = match param.default_value() {
        Some(Value::Text(text)) if holds == Holds::One => literal(&one, text),
        Some(Value::List(items)) => {
            let items = items.iter().map(|item| literal(&one, item));
            quote!(::std::vec![#(#items),*])
        }
        Some(Value::Pairs(pairs)) => {
            let pairs = pairs.iter().map(|(name, text)| {
                let value = literal(&one, text);
                quote!((::std::string::String::from(#name), #value))
            });
            quote!(::std::vec![#(#pairs),*])
        }
        _ => quote!(::core::default::Default::default()),
    };
    Field {
        name: names.snake(param.name()),
        param: param.name().to_owned(),
        label: param.label().to_owned(),
        holds,
        one,
        default,
    }
}

/// The value of a text that its rule accepts.
fn literal(one: &One, text: &str) -> TokenStream {
    let nothing = || quote!(::core::default::Default::default());
    match one {
        One::Text => quote!(::std::string::String::from(#text)),
        One::Integer => text.parse::<i64>().map_or_else(|_| nothing(), |number| quote!(#number)),
        One::Number => text.parse::<f64>().map_or_else(|_| nothing(), |number| quote!(#number)),
        One::Boolean => text.parse::<bool>().map_or_else(|_| nothing(), |yes| quote!(#yes)),
        One::Choice(choice) => quote!(values::#choice::from_text(#text).unwrap_or_default()),
    }
}

fn one(param: Parameter<'_>, choices: &mut Choices) -> One {
    let values = match (param.keyword("enum"), param.keyword("const")) {
        (_, Some(value)) => Some(vec![value]),
        (Some(Data::List(values)), _) => Some(values.iter().collect()),
        _ => None,
    };
    if let Some(values) = values {
        if values.iter().all(|value| matches!(value, Data::Integer(_))) {
            return One::Integer;
        }
        if values.iter().all(|value| matches!(value, Data::Bool(_))) {
            return One::Boolean;
        }
        let mut texts: Vec<String> = values.into_iter().filter_map(Data::to_url_text).collect();
        let mut seen = std::collections::HashSet::new();
        texts.retain(|text| seen.insert(text.clone()));
        return One::Choice(choices.of(param.name(), texts));
    }
    let bounds = ["minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf"];
    let word = [param.keyword("type"), param.keyword("format")].into_iter().flatten().find_map(Data::as_text);
    match word {
        Some("integer" | "natural") => One::Integer,
        Some("number") => One::Number,
        Some("boolean") => One::Boolean,
        Some(word) if word != "string" => One::Text,
        _ if matches!(param.keyword("type"), Some(Data::List(_))) => One::Text,
        _ if bounds.iter().any(|keyword| param.keyword(keyword).is_some()) => One::Number,
        _ => One::Text,
    }
}
