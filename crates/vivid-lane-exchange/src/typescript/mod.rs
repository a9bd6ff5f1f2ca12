//! Table → TypeScript: one module without dependencies that makes links, with types that know the table.
//!
//! `link("nights.night", { date: "2031-04-02" })` compiles only for a route that exists, with the parameters that it has, of
//! the types that their rules say. Values are written and refused as the table does it: the module holds the automata of the
//! rules. Not told by it: that another, narrower route answers a link (`object = "tonight"`), that values side by side in one
//! segment would be read otherwise, and what only a live list or a function of the program's knows.
//!
//! ```
//! use vivid_lane::Table;
//! use vivid_lane_exchange::typescript;
//!
//! let table = Table::from_toml("[routes.night]\npath = '/nights/{date}'\npage = 'night-page'\nparams.date = 'date'")?;
//! let module = typescript::write(&table).text;
//! assert!(module.contains("readonly \"date\": string;"));
//! assert!(module.contains("export type PageName = \"night-page\";"));
//! # Ok::<(), vivid_lane::TableError>(())
//! ```

use std::collections::HashMap;
use std::fmt::Write;

use serde_json::Value as Json;
use vivid_lane::declare::{Data, Slash};
use vivid_lane::lookup::{Automaton, ParamKind, Parameter, Shape};
use vivid_lane::template::{Operator, Part, Template};
use vivid_lane::{RouteRef, Table, Value};

use crate::note::Notes;

/// A module, and what it does not know of the table.
#[derive(Debug)]
pub struct Module {
    /// The text of the module.
    pub text: String,
    /// What is not checked by it.
    pub notes: Notes,
}

const RUNTIME: &str = include_str!("runtime.ts");

/// Writes the module of a table.
#[must_use]
pub fn write(table: &Table) -> Module {
    let mut writer = Writer { automata: Vec::new(), known: HashMap::new(), notes: Notes::default() };
    let routes: Vec<RouteRef<'_>> =
        table.routes().filter(|route| route.page().is_some() && route.redirect_status().is_none()).collect();
    let mut out = String::from("// The links of a route table, made by `vivid-lane convert --to typescript`.\n");
    out.push_str("// A change belongs into the table; then make this file again.\n\n");
    let mut pages: Vec<&str> = Vec::new();
    for page in routes.iter().filter_map(|route| route.page()) {
        if !pages.contains(&page.as_str()) {
            pages.push(page);
        }
    }
    let union = |names: &[&str]| match names {
        [] => "never".to_owned(),
        [one] => text(one),
        names => names.iter().map(|name| format!("\n  | {}", text(name))).collect(),
    };
    // A string takes whatever is written.
    let _ = writeln!(out, "/** Every page of the table. */\nexport type PageName = {};\n", union(&pages));
    out.push_str("/** What the link of each route is given. */\nexport interface Links {\n");
    for route in &routes {
        writer.interface(&mut out, *route);
    }
    out.push_str("}\n\nexport type RouteName = keyof Links;\n\n");
    out.push_str(
        "/** The page that each route shows. */\nexport const pages: { readonly [Name in RouteName]: PageName } = {\n",
    );
    for route in &routes {
        let page = route.page().map(String::as_str).unwrap_or_default();
        let _ = writeln!(out, "  {}: {},", text(route.name()), text(page));
    }
    out.push_str("};\n\n");
    out.push_str(RUNTIME);
    let scheme = table.origin().and_then(|origin| origin.split_once("://")).map_or("https", |(scheme, _)| scheme);
    let _ = writeln!(
        out,
        "\nconst site = {{ base: {}, slash: {}, fragment: {}, scheme: {}, longest: {} }};\n",
        text(table.base()),
        table.slash() == Slash::Always,
        table.is_in_fragment(),
        text(scheme),
        table.longest_url()
    );
    out.push_str("const routes: { readonly [Name in RouteName]: Route } = {\n");
    for route in &routes {
        writer.route(&mut out, *route);
    }
    out.push_str("};\n\nconst automata: readonly Automaton[] = [\n");
    writer.automata.iter().for_each(|automaton| {
        let _ = writeln!(out, "  {automaton},");
    });
    out.push_str("];\n");
    Module { text: out, notes: writer.notes }
}

struct Writer {
    /// The automata as they are written, each once.
    automata: Vec<String>,
    known: HashMap<String, usize>,
    notes: Notes,
}

impl Writer {
    fn interface(&mut self, out: &mut String, route: RouteRef<'_>) {
        // A comment ends where its end is first seen.
        let _ = writeln!(out, "  /** `{}` */", route.path().as_str().replace("*/", "*\\/"));
        let params: Vec<Parameter<'_>> = route.parameters().collect();
        if params.is_empty() {
            let _ = writeln!(out, "  readonly {}: {{ readonly [none: string]: never }};", text(route.name()));
            return;
        }
        let _ = writeln!(out, "  readonly {}: {{", text(route.name()));
        for param in params {
            if !param.label().is_empty() {
                let _ = writeln!(out, "    /** {} */", param.label().replace("*/", "*\\/").replace(['\n', '\r'], " "));
            }
            let mark = if param.is_optional() || param.default_value().is_some() { "?" } else { "" };
            let _ = writeln!(out, "    readonly {}{mark}: {};", text(param.name()), kind(param));
            if [Some(param), param.items(), param.names()]
                .into_iter()
                .flatten()
                .any(|one| one.keyword("listed").is_some())
            {
                let message = format!("`{}`: the module cannot know the live list of `{}`", route.name(), param.name());
                self.notes.left_out("listed", None, message);
            }
        }
        out.push_str("  };\n");
    }

    fn route(&mut self, out: &mut String, route: RouteRef<'_>) {
        let _ = writeln!(out, "  {}: {{", text(route.name()));
        let _ = writeln!(out, "    path: {},", parts(route.path()));
        if let Some(host) = route.host() {
            let _ = writeln!(out, "    host: {},", parts(host));
        }
        let params: Vec<String> = route.parameters().map(|param| self.param(param)).collect();
        let _ = writeln!(out, "    params: [{}],\n  }},", params.join(", "));
    }

    fn param(&mut self, param: Parameter<'_>) -> String {
        let kind = match param.shape() {
            Shape::One => "text",
            Shape::List => "list",
            Shape::Pairs => "pairs",
        };
        let mut out = format!("{{ name: {}, kind: \"{kind}\"", text(param.name()));
        if param.is_optional() {
            out.push_str(", optional: true");
        }
        if let Some(default) = param.default_value() {
            let _ = write!(out, ", default: {}", json(default));
        }
        let counts =
            [("minItems", "least"), ("maxItems", "most"), ("minProperties", "least"), ("maxProperties", "most")];
        for (keyword, name) in counts {
            if let Some(Data::Integer(number)) = param.keyword(keyword) {
                let _ = write!(out, ", {name}: {number}");
            }
        }
        if param.keyword("uniqueItems") == Some(&Data::Bool(true)) {
            out.push_str(", unique: true");
        }
        let (rule, names) =
            (self.rule(param, param.items().unwrap_or(param)), param.names().map(|names| self.rule(param, names)));
        let names = names
            .filter(|names| !names.is_empty())
            .map(|names| format!(", names: {{ {} }}", names.trim_start_matches(", ")));
        out + &rule + &names.unwrap_or_default() + " }"
    }

    /// What one text of a parameter may be.
    fn rule(&mut self, param: Parameter<'_>, one: Parameter<'_>) -> String {
        let mut out = String::new();
        let is_any = one.keywords().all(|(name, _)| name == "default");
        let is_in_query = matches!(param.kind(), ParamKind::Query | ParamKind::Pairs);
        if is_any && (is_in_query || param.kind() == ParamKind::Fragment) {
            out.push_str(", empty: true");
        }
        if is_any && is_in_query {
            out.push_str(", control: true");
        }
        if let Some(automaton) = one.automaton() {
            let _ = write!(out, ", rule: {}, words: {}", self.automaton(automaton), text(one.label()));
        }
        out
    }

    fn automaton(&mut self, automaton: Automaton<'_>) -> usize {
        // States fit into 32 bits, as those of every automaton do.
        let states = 0..u32::try_from(automaton.states()).unwrap_or(u32::MAX);
        // Bytes that lead from each state to the same one are one class.
        let mut columns: Vec<Vec<u32>> = Vec::new();
        let mut class_of: HashMap<usize, usize> = HashMap::new();
        let mut classes: Vec<(usize, usize)> = Vec::new();
        for byte in 0..=u8::MAX {
            let class = *class_of.entry(automaton.class(byte)).or_insert_with(|| {
                let column: Vec<u32> = states.clone().map(|state| automaton.step(state, byte)).collect();
                columns.iter().position(|known| *known == column).unwrap_or_else(|| {
                    columns.push(column);
                    columns.len() - 1
                })
            });
            match classes.last_mut() {
                Some((length, known)) if *known == class => *length += 1,
                _ => classes.push((1, class)),
            }
        }
        let list = |numbers: &mut dyn Iterator<Item = String>| numbers.collect::<Vec<_>>().join(",");
        let next =
            states.clone().flat_map(|state| columns.iter().map(move |column| column[state as usize].to_string()));
        let text = format!(
            "{{ classes: [{}], width: {}, start: {}, next: [{}], ends: [{}] }}",
            list(&mut classes.iter().map(|(length, class)| format!("{length},{class}"))),
            columns.len(),
            automaton.start(),
            list(&mut { next }),
            list(&mut states.filter(|&state| automaton.accepts(state)).map(|state| state.to_string())),
        );
        let fresh = self.automata.len();
        let at = *self.known.entry(text.clone()).or_insert(fresh);
        if at == fresh {
            self.automata.push(text);
        }
        at
    }
}

/// A text as a literal of the language, in which U+2028 and U+2029 are fine since ECMAScript 2019.
fn text(text: &str) -> String {
    Json::from(text).to_string()
}

/// A value as the module writes it.
fn json(value: &Value) -> String {
    match value {
        Value::Text(one) => text(one),
        Value::List(items) => Json::from(items.as_slice()).to_string(),
        Value::Pairs(pairs) => {
            pairs.iter().map(|(name, value)| Json::from([name.as_str(), value])).collect::<Json>().to_string()
        }
    }
}

/// The parts of a template.
fn parts(template: &Template) -> String {
    let part = |part: &Part| match part {
        Part::Literal(literal) => {
            text(&Template::parse(literal).map_or_else(|_| literal.clone(), |it| it.expand(&Default::default())))
        }
        Part::Expression(expression) => {
            let operator = match expression.operator() {
                Operator::Simple => "",
                Operator::Reserved => "+",
                Operator::Fragment => "#",
                Operator::Label => ".",
                Operator::Segment => "/",
                Operator::PathStyle => ";",
                Operator::Query => "?",
                Operator::Continuation => "&",
            };
            let names = expression
                .variables()
                .iter()
                .map(|variable| text(&format!("{}{}", variable.name(), if variable.is_exploded() { "*" } else { "" })));
            format!("{{ operator: \"{operator}\", names: [{}] }}", names.collect::<Vec<_>>().join(", "))
        }
    };
    format!("[{}]", template.parts().iter().map(part).collect::<Vec<_>>().join(", "))
}

/// The type of a parameter, by its rule.
fn kind(param: Parameter<'_>) -> String {
    let one = one(param.items().unwrap_or(param));
    match param.shape() {
        Shape::One => one,
        Shape::List if one.contains(' ') => format!("readonly ({one})[]"),
        Shape::List => format!("readonly {one}[]"),
        Shape::Pairs => format!("readonly (readonly [string, {one}])[]"),
    }
}

fn one(param: Parameter<'_>) -> String {
    let literal = |value: &Data| match value {
        Data::Text(value) => text(value),
        Data::Bool(value) => value.to_string(),
        Data::Integer(number) => number.to_string(),
        Data::Float(number) => number.to_string(),
        _ => "never".to_owned(),
    };
    match (param.keyword("enum"), param.keyword("const")) {
        (_, Some(value)) => return literal(value),
        (Some(Data::List(values)), _) => return values.iter().map(literal).collect::<Vec<_>>().join(" | "),
        _ => {}
    }
    let named = |word: &str| match word {
        "integer" | "natural" => "number | bigint",
        "number" => "number",
        "boolean" => "boolean",
        _ => "string",
    };
    let is_number = param.keywords().any(|(name, _)| {
        matches!(name, "minimum" | "maximum" | "exclusiveMinimum" | "exclusiveMaximum" | "multipleOf")
    });
    match (param.keyword("type"), param.keyword("format")) {
        (Some(Data::Text(word)), _) if word != "string" => named(word).to_owned(),
        (Some(Data::List(words)), _) => {
            let mut all: Vec<&str> =
                words.iter().filter_map(Data::as_text).flat_map(|word| named(word).split(" | ")).collect();
            all.sort_unstable();
            all.dedup();
            all.join(" | ")
        }
        (_, Some(Data::Text(word))) => named(word).to_owned(),
        _ if is_number => "number".to_owned(),
        _ => "string".to_owned(),
    }
}
