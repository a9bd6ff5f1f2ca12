//! A schema of a parameter → the keywords of a rule.

use vivid_lane::declare::{Data, DocumentItem, Place};

use super::reference::References;
use super::trial::Keywords;
use crate::note::Notes;

/// How deep schemas are followed into each other.
const DEEPEST: usize = 32;

/// Keywords that a rule takes over as they are.
const SAME: &[&str] = &[
    "enum",
    "const",
    "pattern",
    "minimum",
    "maximum",
    "multipleOf",
    "minLength",
    "maxLength",
    "default",
    "minItems",
    "maxItems",
    "uniqueItems",
    "minProperties",
    "maxProperties",
];

/// Formats that a rule has.
const FORMATS: &[&str] = &[
    "integer",
    "natural",
    "number",
    "boolean",
    "digits",
    "date",
    "time",
    "date-time",
    "uuid",
    "slug",
    "hex",
    "email",
    "ipv4",
    "ipv6",
    "alpha",
    "alnum",
    "file-name",
];

/// Reads schemas.
pub(super) struct Schemas<'r, 'd, 'n> {
    pub(super) references: &'r mut References<'d>,
    pub(super) notes: &'n mut Notes,
    /// What the schema is of, for notes.
    pub(super) of: String,
}

/// The types of which a keyword says something (JSON Schema 2020-12, Validation, section 6); none for a keyword of all of them.
fn keyword_of(name: &str) -> Option<&'static [&'static str]> {
    match name {
        "minimum" | "maximum" | "exclusiveMinimum" | "exclusiveMaximum" | "multipleOf" => Some(&["number", "integer"]),
        "minLength" | "maxLength" | "pattern" => Some(&["string"]),
        _ => None,
    }
}

impl<'d> Schemas<'_, 'd, '_> {
    fn left_out(&mut self, subject: &str, place: Place, reason: &str) {
        let message = format!("{}: {reason}", self.of);
        self.notes.left_out(subject, Some(place), message);
    }

    /// What kind of value a schema is of: `object`, `array`, or the type of a single value.
    pub(super) fn kind(&mut self, schema: DocumentItem<'d>) -> Option<&'d str> {
        let schema = self.references.follow(schema).ok()?;
        let kind = schema.get("type")?;
        kind.as_text().or_else(|| kind.items().filter_map(DocumentItem::as_text).find(|one| *one != "null"))
    }

    /// The type of a schema that has one alone.
    fn sole_type(&self, schema: DocumentItem<'d>) -> Option<&'d str> {
        let declared = schema.get("type")?;
        let mut types = declared.items().filter_map(DocumentItem::as_text).filter(|one| *one != "null");
        declared.as_text().or_else(|| types.next().filter(|_| types.next().is_none()))
    }

    /// Whether the budget covers what reading costs. Once there is not, no more is read.
    fn pay(&mut self, cost: usize, place: Place) -> bool {
        let was_spent = self.references.is_spent();
        let is_paid = self.references.pay(cost);
        if !is_paid && !was_spent {
            self.left_out("schema", place, "the schemas refer to so many others that the rest is not read");
        }
        is_paid
    }

    /// The keywords of a schema.
    pub(super) fn keywords(&mut self, schema: DocumentItem<'d>) -> Keywords {
        self.read(schema, 0)
    }

    fn read(&mut self, schema: DocumentItem<'d>, depth: usize) -> Keywords {
        let place = schema.place();
        if depth > DEEPEST {
            self.left_out("schema", place, "schemas within schemas, in a circle or deeper than can be followed");
            return Vec::new();
        }
        let schema = match self.references.follow(schema) {
            Ok(schema) => schema,
            Err(lost) => {
                self.left_out("$ref", place, &lost.reason());
                return Vec::new();
            }
        };
        let keys: usize = schema.entries().map(|(_, value)| 1 + value.items().len()).sum();
        if !self.pay(keys.saturating_add(1).saturating_mul(100), place) {
            return Vec::new();
        }
        let mut out = Keywords::new();
        let mut branches = Vec::new();
        let sole_type = self.sole_type(schema);
        for (key, value) in schema.entries() {
            if let Some((of, kind)) = keyword_of(key.name()).zip(sole_type).filter(|(of, kind)| !of.contains(kind)) {
                let reason = format!("`{}` applies to `{}`, not to the type `{kind}`", key.name(), of[0]);
                self.left_out(key.name(), key.place(), &reason);
                continue;
            }
            match key.name() {
                "type" => self.types(value, &mut out),
                "format" => self.format(value, &mut out),
                "exclusiveMinimum" | "exclusiveMaximum" => {
                    let bound = if key.name() == "exclusiveMinimum" { "minimum" } else { "maximum" };
                    // In 3.0 these are marks of the other keyword, in 3.1 bounds of their own.
                    match value.as_bool() {
                        Some(false) => {}
                        Some(true) => {
                            out.extend(schema.get(bound).map(|limit| (key.name().to_owned(), limit.to_data())));
                        }
                        None => out.push((key.name().to_owned(), value.to_data())),
                    }
                }
                "minimum" | "maximum" => {
                    let mark = if key.name() == "minimum" { "exclusiveMinimum" } else { "exclusiveMaximum" };
                    if schema.get(mark).and_then(DocumentItem::as_bool) != Some(true) {
                        out.push((key.name().to_owned(), value.to_data()));
                    }
                }
                "enum" => self.choice(value, &mut out),
                // True allows what is allowed anyway.
                "items" | "additionalProperties" | "propertyNames" if value.as_bool() == Some(true) => {}
                "items" | "additionalProperties" | "propertyNames" if value.as_bool().is_none() => {
                    let inner = self.read(value, depth + 1);
                    if !inner.is_empty() {
                        out.push((key.name().to_owned(), Data::Table(inner)));
                    }
                }
                name if SAME.contains(&name) => out.push((name.to_owned(), value.to_data())),
                "allOf" => branches.extend(value.items()),
                "oneOf" | "anyOf" => self.any_of(key.name(), value, depth, &mut out),
                name => {
                    let reason = format!("`{name}` of a schema has no counterpart in a rule");
                    self.left_out(name, key.place(), &reason);
                }
            }
        }
        for branch in branches {
            let more = self.read(branch, depth + 1);
            self.merge(&mut out, more, branch.place());
        }
        out
    }

    fn types(&mut self, value: DocumentItem<'d>, out: &mut Keywords) {
        let names: Vec<&str> = match value.as_text() {
            Some(name) => vec![name],
            None => value.items().filter_map(DocumentItem::as_text).filter(|name| *name != "null").collect(),
        };
        let is_known = |name: &&str| ["string", "integer", "number", "boolean"].contains(name);
        if let [one @ ("array" | "object")] = names.as_slice() {
            return out.push(("type".to_owned(), (*one).into()));
        }
        if let Some(wrong) = names.iter().find(|name| !is_known(name)) {
            let reason = format!("a URL cannot tell a value of the type `{}` from others", wrong.escape_debug());
            self.left_out("type", value.place(), &reason);
            return;
        }
        match names.as_slice() {
            [] => {}
            // Any text is a string.
            names if names.contains(&"string") => {}
            [one] => out.push(("type".to_owned(), (*one).into())),
            several => out.push(("type".to_owned(), several.to_vec().into())),
        }
    }

    fn format(&mut self, value: DocumentItem<'d>, out: &mut Keywords) {
        let Some(name) = value.as_text() else {
            return self.left_out("format", value.place(), "expected text as `format`");
        };
        if FORMATS.contains(&name) {
            out.push(("format".to_owned(), name.into()));
        } else {
            let reason = format!("rules have no format `{}`", name.escape_debug());
            self.left_out("format", value.place(), &reason);
        }
    }

    fn choice(&mut self, value: DocumentItem<'d>, out: &mut Keywords) {
        let is_single = |data: &Data| !matches!(data, Data::Null | Data::List(_) | Data::Table(_));
        let Data::List(values) = value.to_data() else {
            return self.left_out("enum", value.place(), "expected a list as `enum`");
        };
        let (kept, others): (Vec<Data>, Vec<Data>) = values.into_iter().partition(is_single);
        if !others.is_empty() {
            self.left_out("enum", value.place(), "a value of `enum` that no URL can have: null, a list or an object");
        }
        out.push(("enum".to_owned(), Data::List(kept)));
    }

    /// Alternatives: values one by one, or types.
    fn any_of(&mut self, keyword: &str, value: DocumentItem<'d>, depth: usize, out: &mut Keywords) {
        let mut values = Vec::new();
        let mut types = Vec::new();
        for branch in value.items() {
            for (name, data) in self.read(branch, depth + 1) {
                match (name.as_str(), data) {
                    ("enum", Data::List(more)) => values.extend(more),
                    ("const", one) => values.push(one),
                    ("type", Data::List(more)) => types.extend(more),
                    ("type", one) => types.push(one),
                    _ => {
                        let reason = format!("no rule can express the alternatives of `{keyword}`");
                        return self.left_out(keyword, value.place(), &reason);
                    }
                }
            }
        }
        let is_of_values = value.items().all(|branch| {
            let branch = self.references.follow(branch).unwrap_or(branch);
            branch.get("enum").is_some() || branch.get("const").is_some()
        });
        let is_of_types = values.is_empty() && types.len() == value.items().len();
        if is_of_values && !values.is_empty() {
            self.merge(out, vec![("enum".to_owned(), Data::List(values))], value.place());
        } else if is_of_types && !types.is_empty() {
            let mut unique: Vec<Data> = Vec::new();
            types.into_iter().for_each(|one| {
                if !unique.contains(&one) {
                    unique.push(one);
                }
            });
            let joined = if unique.len() == 1 { unique.swap_remove(0) } else { Data::List(unique) };
            self.merge(out, vec![("type".to_owned(), joined)], value.place());
        } else {
            let reason = format!("no rule can express the alternatives of `{keyword}`");
            self.left_out(keyword, value.place(), &reason);
        }
    }

    /// What is asked for by both.
    fn merge(&mut self, out: &mut Keywords, more: Keywords, place: Place) {
        for (name, theirs) in more {
            let Some((_, ours)) = out.iter_mut().find(|(known, _)| *known == name) else {
                out.push((name, theirs));
                continue;
            };
            if let (Data::List(ours), Data::List(theirs)) = (&*ours, &theirs)
                && !self.pay(ours.len().saturating_mul(theirs.len()), place.clone())
            {
                return;
            }
            match both(&name, ours, &theirs) {
                Some(joined) => *ours = joined,
                None => {
                    let reason = format!("`{name}` of two parts of `allOf` cannot be merged; the first is kept");
                    self.left_out("allOf", place.clone(), &reason);
                }
            }
        }
    }
}

fn number(data: &Data) -> Option<f64> {
    match data {
        // Whole numbers beyond 2^53 compare as their neighbours, and equal ones are equal before they come here.
        Data::Integer(number) => Some(*number as f64),
        Data::Float(number) => Some(*number),
        _ => None,
    }
}

/// The value of a keyword that says what two say.
fn both(name: &str, ours: &Data, theirs: &Data) -> Option<Data> {
    if ours == theirs {
        return Some(ours.clone());
    }
    let ordered = |greater: bool| {
        let is_ours = (number(ours)? > number(theirs)?) == greater;
        Some(if is_ours { ours.clone() } else { theirs.clone() })
    };
    match name {
        "minimum" | "exclusiveMinimum" | "minLength" => ordered(true),
        "maximum" | "exclusiveMaximum" | "maxLength" => ordered(false),
        "enum" => match (ours, theirs) {
            (Data::List(ours), Data::List(theirs)) => {
                Some(Data::List(ours.iter().filter(|one| theirs.contains(one)).cloned().collect()))
            }
            _ => None,
        },
        "type" if [ours, theirs].iter().all(|one| matches!(one.as_text(), Some("integer" | "number"))) => {
            Some("integer".into())
        }
        // The nearer one is the more special one.
        "default" => Some(ours.clone()),
        _ => None,
    }
}
