//! JSON (RFC 8259).

use serde_json::Value as Json;
use vivid_lane::declare::Data;

use super::tree::{Branch, Value};
use crate::note::Notes;

pub(super) fn write(tree: &Branch, notes: &mut Notes) -> String {
    let comments = tree.comments();
    if comments > 0 {
        let plural = if comments == 1 { "" } else { "s" };
        notes.left_out("comments", None, format!("JSON has no comments: {comments} comment line{plural} left out"));
    }
    let entries = tree.entries.iter().map(|leaf| (leaf.key.clone(), of_value(&leaf.value)));
    without_controls(format!("{:#}\n", Json::Object(entries.collect())))
}

/// The text of JSON in which the controls that it may hold as they are (U+007F to U+009F) are escaped: a terminal would act on them, or
/// swallow them.
///
/// # Example
/// ```
/// let json = serde_json::json!({ "night": "\u{9b}2J" });
/// assert_eq!(vivid_lane_exchange::without_controls(json.to_string()), r#"{"night":"\u009b2J"}"#);
/// ```
#[must_use]
pub fn without_controls(json: String) -> String {
    let is_control = |c: char| ('\u{7f}'..='\u{9f}').contains(&c);
    if !json.contains(is_control) {
        return json;
    }
    let mut out = String::with_capacity(json.len() + 8);
    for c in json.chars() {
        if is_control(c) { out.push_str(&format!("\\u{:04x}", u32::from(c))) } else { out.push(c) }
    }
    out
}

fn of_value(value: &Value) -> Json {
    data_to_json(&value.to_data())
}

/// Data as JSON.
#[must_use]
pub fn data_to_json(data: &Data) -> Json {
    match data {
        Data::Null => Json::Null,
        Data::Bool(value) => (*value).into(),
        Data::Integer(number) => (*number).into(),
        Data::Float(number) => (*number).into(),
        Data::Text(text) => text.as_str().into(),
        Data::List(items) => items.iter().map(data_to_json).collect(),
        Data::Table(entries) => entries.iter().map(|(name, value)| (name.clone(), data_to_json(value))).collect(),
    }
}
