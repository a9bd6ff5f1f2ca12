//! The types of a table: what each route's URL holds, and which names there are.

use std::fmt::Write;

use vivid_lane::declare::Data;
use vivid_lane::lookup::{ParamKind, Parameter, Shape};
use vivid_lane::{RouteRef, Table};

use super::text;

/// Writes the types.
pub(super) fn write(out: &mut String, table: &Table) {
    let shows = |route: &RouteRef<'_>| route.page().is_some() && route.redirect_status().is_none();
    let routes: Vec<RouteRef<'_>> = table.routes().collect();
    let linked: Vec<RouteRef<'_>> = routes.iter().copied().filter(shows).collect();
    out.push_str("/** What the URL of each route holds. */\nexport interface AllParams {\n");
    for route in &routes {
        interface(out, *route, Place::Found);
    }
    out.push_str("}\n\n/** What the link of each route is given. */\nexport interface Links {\n");
    for route in &linked {
        interface(out, *route, Place::Link);
    }
    out.push_str("}\n\n/** The page of each route. */\nexport interface Pages {\n");
    for route in &linked {
        let page = route.page().map(String::as_str).unwrap_or_default();
        let _ = writeln!(out, "  readonly {}: {};", text(route.name()), text(page));
    }
    out.push_str("}\n\n/** The data of each route. */\nexport interface Datas {\n");
    for route in &routes {
        let _ = writeln!(out, "  readonly {}: {};", text(route.name()), constant(route.data()));
    }
    out.push_str("}\n");
    let fallbacks = routes.iter().filter_map(|route| route.fallback()).chain(table.fallback()).map(String::as_str);
    union(out, "A page for what is missing.", "FallbackName", fallbacks);
    let frames = table.frame().into_iter().chain(routes.iter().filter_map(|route| route.frame()));
    union(out, "A frame.", "FrameName", frames);
    union(out, "A need.", "NeedName", table.needs());
    union(out, "A live list.", "ListName", table.lists());
}

fn union<'t>(out: &mut String, what: &str, name: &str, words: impl Iterator<Item = &'t str>) {
    let mut known: Vec<&str> = Vec::new();
    for word in words {
        if !known.contains(&word) {
            known.push(word);
        }
    }
    let union = match known.as_slice() {
        [] => " never".to_owned(),
        [one] => format!(" {}", text(one)),
        many => many.iter().map(|word| format!("\n  | {}", text(word))).collect(),
    };
    let _ = writeln!(out, "\n/** {what} */\nexport type {name} ={union};");
}

/// Where values stand: in a match, or in the call that makes a link.
#[derive(Clone, Copy, PartialEq)]
enum Place {
    Found,
    Link,
}

fn interface(out: &mut String, route: RouteRef<'_>, place: Place) {
    // A comment ends where its end is first seen.
    let comment = |text: &str| text.replace("*/", "*\\/").replace(['\n', '\r'], " ");
    // A fragment is never sent, so all that can be known of it is a default.
    let is_read = |param: &Parameter<'_>| {
        place == Place::Link || param.kind() != ParamKind::Fragment || param.default_value().is_some()
    };
    let params: Vec<Parameter<'_>> = route.parameters().filter(is_read).collect();
    if params.is_empty() {
        let _ = writeln!(out, "  readonly {}: {{ readonly [none: string]: never }};", text(route.name()));
        return;
    }
    let _ = writeln!(out, "  /** `{}` */\n  readonly {}: {{", comment(route.path().as_str()), text(route.name()));
    for param in params {
        if !param.label().is_empty() {
            let _ = writeln!(out, "    /** {} */", comment(param.label()));
        }
        let may_lack = param.is_optional() || param.default_value().is_some();
        let (mark, absent) = match place {
            Place::Found if param.is_optional() && param.default_value().is_none() => ("", " | undefined"),
            Place::Link if may_lack => ("?", " | undefined"),
            _ => ("", ""),
        };
        let _ = writeln!(out, "    readonly {}{mark}: {}{absent};", text(param.name()), kind(param, place));
    }
    out.push_str("  };\n");
}

/// The type of a parameter, by its rule.
fn kind(param: Parameter<'_>, place: Place) -> String {
    let one = one(param.items().unwrap_or(param), place);
    let pairs = format!("readonly (readonly [string, {one}])[]");
    match param.shape() {
        Shape::One => one,
        Shape::List if one.contains(' ') => format!("readonly ({one})[]"),
        Shape::List => format!("readonly {one}[]"),
        Shape::Pairs if place == Place::Link => format!("{pairs} | {{ readonly [name: string]: {one} }}"),
        Shape::Pairs => pairs,
    }
}

fn one(param: Parameter<'_>, place: Place) -> String {
    let Kinds { words, number, boolean, other } = Kinds::of(param);
    if !words.is_empty() {
        return words.join(" | ");
    }
    let number_type = if place == Place::Link { "number | bigint" } else { "number" };
    let kinds = [(number, number_type), (boolean, "boolean"), (other, "string")];
    kinds.into_iter().filter(|(is_so, _)| *is_so).map(|(_, name)| name).collect::<Vec<_>>().join(" | ")
}

/// What a rule makes of the texts of a value.
pub(super) struct Kinds {
    /// The values, where the rule names them one by one.
    words: Vec<String>,
    /// Whether a value may be a number.
    pub(super) number: bool,
    /// Whether it may be true or false.
    pub(super) boolean: bool,
    /// Whether it may be any other text.
    other: bool,
}

impl Kinds {
    /// Those of a parameter of one text.
    pub(super) fn of(param: Parameter<'_>) -> Self {
        let values: Vec<&Data> = match (param.keyword("enum"), param.keyword("const")) {
            (_, Some(value)) => vec![value],
            (Some(Data::List(values)), _) => values.iter().collect(),
            _ => Vec::new(),
        };
        let is_number = |value: &&Data| matches!(value, Data::Integer(_) | Data::Float(_));
        if !values.is_empty() {
            return Self {
                number: values.iter().any(is_number),
                boolean: values.iter().any(|value| matches!(value, Data::Bool(_))),
                words: values.into_iter().map(literal).collect(),
                other: false,
            };
        }
        let mut kinds = Self { words: Vec::new(), number: false, boolean: false, other: false };
        let mut add = |word: &str| match word {
            "integer" | "natural" | "number" => kinds.number = true,
            "boolean" => kinds.boolean = true,
            _ => kinds.other = true,
        };
        let bounds = ["minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf"];
        match (param.keyword("type"), param.keyword("format")) {
            (Some(Data::Text(word)), _) if word != "string" => add(word),
            (Some(Data::List(words)), _) => words.iter().filter_map(Data::as_text).for_each(add),
            (_, Some(Data::Text(word))) => add(word),
            _ if param.keywords().any(|(name, _)| bounds.contains(&name)) => add("number"),
            _ => add("string"),
        }
        kinds
    }
}

/// A value of an `enum` as a type.
fn literal(value: &Data) -> String {
    match value {
        Data::Text(value) => text(value),
        Data::Bool(value) => value.to_string(),
        Data::Integer(number) => number.to_string(),
        Data::Float(number) => number.to_string(),
        _ => "never".to_owned(),
    }
}

/// The type of a constant.
fn constant(data: &Data) -> String {
    match data {
        Data::Null => "null".to_owned(),
        Data::List(items) => format!("readonly [{}]", items.iter().map(constant).collect::<Vec<_>>().join(", ")),
        Data::Table(entries) if entries.is_empty() => "{ readonly [none: string]: never }".to_owned(),
        Data::Table(entries) => {
            let entries = entries.iter().map(|(name, value)| format!("readonly {}: {}", text(name), constant(value)));
            format!("{{ {} }}", entries.collect::<Vec<_>>().join("; "))
        }
        // JSON has no other numbers.
        Data::Float(number) if !number.is_finite() => "null".to_owned(),
        other => literal(other),
    }
}
