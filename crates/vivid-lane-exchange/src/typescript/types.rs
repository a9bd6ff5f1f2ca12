//! The types of a table: what each route's URL holds, and which names there are.

use std::collections::HashMap;
use std::fmt::Write;

use vivid_lane::declare::Data;
use vivid_lane::lookup::{ParamKind, Parameter, Shape};
use vivid_lane::{RouteRef, Table};

use super::text;

/// Writes the types: a line for each route, and one for each page.
pub(super) fn write(out: &mut String, routes: &[RouteRef<'_>], table: &Table) {
    let shows = |route: &&RouteRef<'_>| route.page().is_some() && route.redirect_status().is_none();
    out.push_str("/** The routes that show a page: the page, what the URL holds, what a link is given, the data. */\nexport interface Routes {\n");
    for route in routes.iter().filter(shows) {
        line(out, *route, &route.page().map(|page| text(page)).unwrap_or_default());
    }
    out.push_str("}\n\n/** The routes that group others, or redirect. */\nexport interface Groups {\n");
    for route in routes.iter().filter(|route| !shows(route)) {
        line(out, *route, "undefined");
    }
    out.push_str("}\n\n/** For each page what a match of it is. */\nexport interface Pages {\n");
    let mut pages: Vec<(&str, Vec<String>)> = Vec::new();
    let mut known: HashMap<&str, usize> = HashMap::new();
    for route in routes.iter().filter(shows) {
        let page = route.page().map(String::as_str).unwrap_or_default();
        let at = *known.entry(page).or_insert(pages.len());
        if at == pages.len() {
            pages.push((page, Vec::new()));
        }
        pages[at].1.push(text(route.name()));
    }
    for (page, routes) in pages {
        let _ = writeln!(out, "  readonly {}: Matches[{}];", text(page), routes.join(" | "));
    }
    out.push_str("}\n");
    let fallbacks = routes.iter().filter_map(|route| route.fallback()).chain(table.fallback()).map(String::as_str);
    union(out, "A page for what is missing.", "FallbackName", fallbacks);
    let frames = table.frame().into_iter().chain(routes.iter().filter_map(|route| route.frame()));
    union(out, "A frame.", "FrameName", frames);
    union(out, "A need.", "NeedName", table.needs());
    union(out, "A live list.", "ListName", table.lists());
}

fn line(out: &mut String, route: RouteRef<'_>, page: &str) {
    let (read, given) = (values(route, Place::Found), values(route, Place::Link));
    let data = if route.data().is_empty() { None } else { Some(constant(route.data())) };
    let mut arguments = vec![page.to_owned()];
    if data.is_some() || given != read {
        arguments.extend([read, given]);
    } else if read != "T.None" {
        arguments.push(read);
    }
    arguments.extend(data);
    let _ = writeln!(out, "  readonly {}: T.RouteType<{}>;", text(route.name()), arguments.join(", "));
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

/// Where values are used: in a match, or in the call that makes a link.
#[derive(Clone, Copy, PartialEq)]
enum Place {
    Found,
    Link,
}

/// The values of a route, by name.
fn values(route: RouteRef<'_>, place: Place) -> String {
    // A fragment is never sent, so all that can be known of it is a default.
    let is_read = |param: &Parameter<'_>| {
        place == Place::Link || param.kind() != ParamKind::Fragment || param.default_value().is_some()
    };
    let params = route.parameters().filter(is_read).map(|param| {
        let may_lack = param.is_optional() || param.default_value().is_some();
        let (mark, absent) = match place {
            Place::Found if param.is_optional() && param.default_value().is_none() => ("", " | undefined"),
            Place::Link if may_lack => ("?", " | undefined"),
            _ => ("", ""),
        };
        let name = if is_word(param.name()) { param.name().to_owned() } else { text(param.name()) };
        format!("readonly {name}{mark}: {}{absent}", kind(param, place))
    });
    let params: Vec<String> = params.collect();
    if params.is_empty() { "T.None".to_owned() } else { format!("{{ {} }}", params.join("; ")) }
}

/// Whether a name needs no quotes.
pub(super) fn is_word(name: &str) -> bool {
    !name.is_empty()
        && !name.starts_with(|one: char| one.is_ascii_digit())
        && name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_')
}

/// The type of a parameter, by its rule.
fn kind(param: Parameter<'_>, place: Place) -> String {
    let one = one(param.items().unwrap_or(param));
    let pairs = format!("readonly (readonly [string, {one}])[]");
    match param.shape() {
        Shape::One => one,
        Shape::List if one.contains(' ') => format!("readonly ({one})[]"),
        Shape::List => format!("readonly {one}[]"),
        Shape::Pairs if place == Place::Link => format!("{pairs} | {{ readonly [name: string]: {one} }}"),
        Shape::Pairs => pairs,
    }
}

fn one(param: Parameter<'_>) -> String {
    let Kinds { words, number, boolean, other } = Kinds::of(param);
    if !words.is_empty() {
        return words.join(" | ");
    }
    let kinds = [(number, "number"), (boolean, "boolean"), (other, "string")];
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
    /// Those of a rule whose values are texts.
    pub(super) fn texts() -> Self {
        Self { words: Vec::new(), number: false, boolean: false, other: true }
    }

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
