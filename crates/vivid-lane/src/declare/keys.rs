//! The keys of a table file: one row a key, from which the reader knows it and the JSON Schema is made.

use std::fmt::Write;

/// A key: its name, what it is for, and what it may be, as JSON Schema.
pub(super) struct KeyRow {
    pub(super) name: &'static str,
    about: &'static str,
    schema: &'static str,
}

const TEXT: &str = r#""type": "string""#;
const TEXTS: &str = r#""type": "array", "items": { "type": "string" }"#;
const RULES: &str = r##""type": "object", "additionalProperties": { "$ref": "#/$defs/rule" }"##;

const fn key(name: &'static str, about: &'static str, schema: &'static str) -> KeyRow {
    KeyRow { name, about, schema }
}

pub(super) static TOP: &[KeyRow] = &[
    key("site", "What holds for the whole site.", r##""$ref": "#/$defs/site""##),
    key("params", "Rules for parameters, shared by name across the table.", RULES),
    key(
        "needs",
        "Conditions that visitors must meet, by name.",
        r##""type": "object", "additionalProperties": { "$ref": "#/$defs/need" }"##,
    ),
    key("lists", "The names of live lists that `listed` may use.", TEXTS),
    key("routes", "The routes by name.", r##""type": "object", "additionalProperties": { "$ref": "#/$defs/route" }"##),
];

pub(super) static SITE: &[KeyRow] = &[
    key("origin", "Scheme and host, such as `https://larkfell.example`.", TEXT),
    key("base", "The path under which the whole site is mounted.", TEXT),
    key("slash", "Whether the path of a page ends with a slash.", r#""enum": ["never", "always", "either"]"#),
    key("case", "Whether letter case counts in literal segments.", r#""enum": ["exact", "fold"]"#),
    key(
        "location",
        "Where the address of a page stands in its URL: in the path, or after `#`.",
        r#""enum": ["path", "fragment"]"#,
    ),
    key("frame", "A wrapper around every page.", TEXT),
    key("fallback", "The page for a URL that no route answers.", TEXT),
    key(
        "overlaps",
        "What happens where two routes accept a common URL and neither is narrower.",
        r#""enum": ["refused", "first-declared"]"#,
    ),
];

pub(super) static ROUTE: &[KeyRow] = &[
    key("path", "A URI Template (RFC 6570), appended to the parent's.", TEXT),
    key("page", "What the route shows; without it the route only groups.", TEXT),
    key("frame", "A wrapper around the route and its descendants.", TEXT),
    key(
        "fallback",
        "The page for a URL under this route that no route answers; false for none, whatever an ancestor says.",
        r#""anyOf": [{ "type": "string" }, { "const": false }]"#,
    ),
    key("params", "Rules for parameters of the route and its descendants.", RULES),
    key("required", "Optional parameters that the route cannot do without.", TEXTS),
    key(
        "methods",
        "The methods that the route answers; GET if none are named.",
        r#""type": "array", "items": { "type": "string", "pattern": "^[A-Z-]+$" }"#,
    ),
    key("host", "A template for the host, such as `{club}.larkfell.example`.", TEXT),
    key(
        "redirect",
        "Where the route sends its visitors on to.",
        r##""anyOf": [{ "type": "string" }, { "$ref": "#/$defs/redirect" }]"##,
    ),
    key("needs", "What visitors of the route and its descendants must meet.", TEXTS),
    key("priority", "The higher goes first where neither of two routes is narrower.", r#""type": "integer""#),
    key("include", "A table file whose routes become children of this one.", TEXT),
    key("data", "Anything of your own; it is handed out with a match.", r#""type": "object""#),
];

pub(super) static NEED: &[KeyRow] =
    &[key("otherwise", "The route to which those are sent who do not meet the need.", TEXT)];

pub(super) static REDIRECT: &[KeyRow] = &[
    key("to", "The full name of a route.", TEXT),
    key(
        "params",
        "Values for the parameters of that route, over those at hand, such as `{year}-{month}`.",
        r#""type": "object", "additionalProperties": { "type": "string" }"#,
    ),
    key("url", "A template for a URL of another site.", TEXT),
    key("status", "The status of the redirect; 308 if left out.", r#""enum": [301, 302, 303, 307, 308]"#),
];

static RULE: &[KeyRow] = &[
    key(
        "type",
        "The type of the value.",
        r##""anyOf": [{ "$ref": "#/$defs/type" }, { "type": "array", "items": { "$ref": "#/$defs/type" } }]"##,
    ),
    key("enum", "The values that are allowed.", r#""type": "array", "minItems": 1"#),
    key("const", "The one value that is allowed.", r#""type": ["string", "number", "boolean"]"#),
    key(
        "pattern",
        "A regular expression, found anywhere in the value unless it is anchored.",
        r#""type": "string", "format": "regex""#,
    ),
    key("format", "A format that is built in, or one that the program registers.", TEXT),
    key("minimum", "At least this number.", r#""type": "number""#),
    key("maximum", "At most this number.", r#""type": "number""#),
    key("exclusiveMinimum", "More than this number.", r#""type": "number""#),
    key("exclusiveMaximum", "Less than this number.", r#""type": "number""#),
    key("multipleOf", "A multiple of this number.", r#""type": "number", "exclusiveMinimum": 0"#),
    key("minLength", "At least so many characters.", r#""type": "integer", "minimum": 0"#),
    key("maxLength", "At most so many characters.", r#""type": "integer", "minimum": 0"#),
    key("items", "The rule of each item of a list.", r##""$ref": "#/$defs/rule""##),
    key("minItems", "At least so many items of a list.", r#""type": "integer", "minimum": 0"#),
    key("maxItems", "At most so many items of a list.", r#""type": "integer", "minimum": 0"#),
    key("uniqueItems", "No item twice.", r#""type": "boolean""#),
    key("propertyNames", "The rule of each name of pairs.", r##""$ref": "#/$defs/rule""##),
    key("additionalProperties", "The rule of each value of pairs.", r##""$ref": "#/$defs/rule""##),
    key("minProperties", "At least so many pairs.", r#""type": "integer", "minimum": 0"#),
    key("maxProperties", "At most so many pairs.", r#""type": "integer", "minimum": 0"#),
    key(
        "default",
        "The value of an absent optional parameter.",
        r#""type": ["string", "number", "boolean", "array", "object"]"#,
    ),
    key("listed", "The live list that the value must be in.", TEXT),
];

/// The names of some keys.
pub(super) fn names(keys: &[KeyRow]) -> Vec<&'static str> {
    keys.iter().map(|key| key.name).collect()
}

/// The JSON Schema (2020-12) of a table file, in JSON, for editors and validators.
///
/// # Example
/// ```
/// let schema = vivid_lane::declare::table_schema();
/// assert!(schema.contains("\"$schema\": \"https://json-schema.org/draft/2020-12/schema\""));
/// ```
#[must_use]
pub fn table_schema() -> String {
    let mut out = String::from("{\n  \"$schema\": \"https://json-schema.org/draft/2020-12/schema\",\n");
    out.push_str("  \"title\": \"Vivid Lane table file\",\n  \"type\": \"object\",\n  \"required\": [\"routes\"],\n");
    out.push_str(
        "  \"additionalProperties\": false,\n  \"properties\": {\n    \"$schema\": { \"type\": \"string\" },\n",
    );
    properties(&mut out, "    ", TOP);
    out.push_str("  },\n  \"$defs\": {\n");
    out.push_str(
        "    \"type\": { \"enum\": [\"string\", \"integer\", \"number\", \"boolean\", \"array\", \"object\"] },\n",
    );
    object(&mut out, "site", SITE, "false", ",");
    object(&mut out, "need", NEED, "false", ",");
    object(&mut out, "redirect", REDIRECT, "false", ",");
    out.push_str("    \"rule\": {\n      \"description\": \"A format, a list of values, or a table of keywords.\",\n");
    out.push_str("      \"anyOf\": [{ \"type\": \"string\" }, { \"type\": \"array\", \"minItems\": 1 }, { \"$ref\": \"#/$defs/keywords\" }]\n    },\n");
    object(&mut out, "keywords", RULE, "false", ",");
    object(&mut out, "route", ROUTE, "{ \"$ref\": \"#/$defs/route\" }", "");
    out.push_str("  }\n}\n");
    out
}

fn object(out: &mut String, name: &str, keys: &[KeyRow], additional: &str, comma: &str) {
    let _ = write!(
        out,
        "    \"{name}\": {{\n      \"type\": \"object\",\n      \"additionalProperties\": {additional},\n      \"properties\": {{\n"
    );
    properties(out, "        ", keys);
    let _ = write!(out, "      }}\n    }}{comma}\n");
}

fn properties(out: &mut String, indent: &str, keys: &[KeyRow]) {
    for (at, KeyRow { name, about, schema }) in keys.iter().enumerate() {
        let comma = if at + 1 < keys.len() { "," } else { "" };
        let _ = writeln!(out, "{indent}\"{name}\": {{ \"description\": \"{about}\", {schema} }}{comma}");
    }
}
